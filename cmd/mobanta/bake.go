package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"mobanta/core/bake"
	"mobanta/core/color"
	"mobanta/core/delivery"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/painted"
	"mobanta/core/project"
	"mobanta/core/shader"
	"mobanta/core/stage"
)

// handFlags are of what is handed over to other programs.
type handFlags struct {
	renderFlags
	of, parts, outputs          []string
	eye, unwrap, ink, to, which string
	margin                      int
	apart, data                 bool
	outline                     float64
}

func (f *handFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.bundle, "bundle", "", "bundle to take it from")
	c.Flags().StringVar(&f.model, "model", "", "model on a plain stage")
	c.Flags().StringVar(&f.look, "look", "", "look file, or the name of a look of the bundle; every part wears it")
	c.Flags().StringVar(&f.staging, "staging", "", "the staging, by its name; the project as it is if left out")
	c.Flags().StringVar(&f.staging, "take", "", "as it was called")
	_ = c.Flags().MarkHidden("take")
	c.Flags().Float64Var(&f.time, "time", unsaid, "the moment, in seconds; that of the project if left out")
	c.Flags().StringVar(&f.size, "size", "2048x2048", "width and height of pictures in texels")
	c.Flags().IntVar(&f.samples, "samples", 4, "positions in a texel, 1 to 256")
	c.Flags().IntVar(&f.margin, "margin", bake.DefaultMargin, "how many texels colours grow past the borders of islands")
	c.Flags().StringVar(&f.eye, "eye", "", "what is done about what hangs on where the eye is: camera bakes it as the stage's camera sees it, out leaves it out")
	c.Flags().StringVar(&f.out, "out", "", "file to write")
	c.Flags().BoolVar(&f.json, "json", false, "tell what was written on standard output, as JSON")
	c.MarkFlagsMutuallyExclusive("bundle", "model")
	c.MarkFlagsOneRequired("bundle", "model")
	if err := c.MarkFlagRequired("out"); err != nil {
		panic(err)
	}
}

func bakeCommand() *cobra.Command {
	var f handFlags
	c := &cobra.Command{
		Use:   "bake (--bundle FILE | --model FILE) --out FILE",
		Short: "Bake what looks come to into textures",
		Long: `Lays what a look comes to over the texture coordinates of a model: the finished colour, or any output of a node. One
picture is a .png; several outputs, or a picture for each part, are PNGs in a .zip. What to mind is told on standard error.`,
		Example: `  mobanta bake --bundle keep.zip --of Dial --size 2048x2048 --out dial.png
  mobanta bake --model head.ply --unwrap missing --look ink.json --eye out --out head.png
  mobanta bake --bundle keep.zip --of Dial --output Occlusion --output "Noise.tone" --bits 16 --out masks.zip`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return f.hand(cmd.Context(), cmd.OutOrStdout(), cmd.ErrOrStderr(), f.baked)
		},
	}
	f.add(c)
	c.Flags().StringArrayVar(&f.of, "of", nil, "the model, by its name; the first that wears a look if left out")
	c.Flags().StringArrayVar(&f.parts, "part", nil, "a part of it, by its name; may be given several times; all that wear a look if left out")
	c.Flags().BoolVar(&f.apart, "apart", false, "a picture for each part")
	c.Flags().StringArrayVar(&f.outputs, "output", nil, "NODE or NODE.PORT by name or id, to bake in place of the finished colour; several times for several")
	c.Flags().BoolVar(&f.data, "data", false, "write numbers as they are, not as sRGB colours")
	c.Flags().IntVar(&f.bits, "bits", 8, "bits in a channel, 8 or 16")
	c.Flags().StringVar(&f.unwrap, "unwrap", "", "make texture coordinates: missing, for parts that have none, or anew")
	return c
}

// targets are what export writes.
var targets = map[string]delivery.Format{"glb": delivery.PaintedGLB, "obj": delivery.PaintedOBJ, "html": delivery.HTML, "glsl": delivery.GLSL, "mtlx": delivery.MaterialX}

func handOverCommand() *cobra.Command {
	var f handFlags
	c := &cobra.Command{
		Use:   "export --to FORM (--bundle FILE | --model FILE) --out FILE",
		Short: "Hand a look over to other programs",
		Long: `Writes models that are already painted, as glb, or as obj with its materials and pictures in a ZIP: parts without texture coordinates are unwrapped. Or
their looks as code: html is one page that turns them, in WebGL 2; glsl the two shaders of one look, in a ZIP; mtlx one look as a MaterialX document.
What does not travel is told on standard error.`,
		Example: `  mobanta export --to glb --bundle keep.zip --of Keeper --eye out --outline 6 --out keeper.glb
  mobanta export --to html --bundle saltlight.zip --outline 5 --out kettle.html
  mobanta export --to mtlx --bundle saltlight.zip --which "Enamel" --out enamel.mtlx`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return f.hand(cmd.Context(), cmd.OutOrStdout(), cmd.ErrOrStderr(), f.exported)
		},
	}
	f.add(c)
	c.Flags().StringVar(&f.to, "to", "", "what to write: "+strings.Join(targetNames(), ", "))
	c.Flags().StringArrayVar(&f.of, "of", nil, "a model, by its name; several times for several; all that wear a look if left out")
	c.Flags().StringVar(&f.which, "which", "", "with glsl and mtlx: the look, by its name; the first that is worn if left out")
	c.Flags().Float64Var(&f.outline, "outline", 0, "width of an outline about painted models, in thousandths of the model")
	c.Flags().StringVar(&f.ink, "ink", "", "its colour, as #RRGGBB")
	if err := c.MarkFlagRequired("to"); err != nil {
		panic(err)
	}
	return c
}

func targetNames() (out []string) {
	for k := range targets {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// hand fills the order that make makes of the project.
func (f *handFlags) hand(ctx context.Context, out, said io.Writer, make func(p *project.Project, o *delivery.Order) error) error {
	w, h, err := pair(f.size, "x", strconv.Atoi)
	if err != nil {
		return asked("--size must be such as 2048x2048, not %q", f.size)
	}
	o := delivery.Order{W: w, H: h, Samples: f.samples}
	if f.samples < 1 || f.samples > 256 {
		return asked("--samples must lie between 1 and 256, not %d", f.samples)
	}
	if f.time != unsaid {
		o.At = &f.time
	}
	began := time.Now()
	p, files, err := dressed(ctx, &f.renderFlags)
	if err != nil {
		return err
	}
	if f.staging != "" {
		t := p.FindStaging(f.staging)
		if t == nil {
			return asked("--staging: there is no staging %q", f.staging)
		}
		p = p.With(t)
	}
	if f.model != "" {
		p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, files), 1.6)
	}
	if err := make(p, &o); err != nil {
		return err
	}
	if err := o.Check(p); err != nil {
		return &wrong{err}
	}
	d := delivery.NewDrawer(p, files, 0, nil)
	minds, err := d.Minds(ctx, &o)
	if err != nil {
		return &wrong{err}
	}
	for _, m := range minds {
		fmt.Fprintln(said, m)
	}
	if err := written(f.out, func(name string) error { return d.Fill(ctx, &o, name, func(int, int) {}) }); err != nil {
		return err
	}
	if !f.json {
		return nil
	}
	info, err := os.Stat(f.out)
	if err != nil {
		return err
	}
	return json.NewEncoder(out).Encode(map[string]any{"file": f.out, "format": o.As, "width": o.W, "height": o.H, "bytes": info.Size(), "seconds": time.Since(began).Seconds(), "remarks": append([]string{}, minds...)})
}

// models returns the ids of the models that --of names.
func (f *handFlags) models(p *project.Project) (ids []string, err error) {
	for _, name := range f.of {
		i := slices.IndexFunc(p.Stage.Models, func(m stage.Model) bool { return m.ID == name || strings.EqualFold(m.Name, name) })
		if i < 0 {
			var names []string
			for _, m := range p.Stage.Models {
				names = append(names, m.Name)
			}
			return nil, asked("--of: there is no model %q; the models are: %s", name, strings.Join(names, ", "))
		}
		ids = append(ids, p.Stage.Models[i].ID)
	}
	return ids, nil
}

// baked makes an order of textures.
func (f *handFlags) baked(p *project.Project, o *delivery.Order) error {
	ext := strings.ToLower(filepath.Ext(f.out))
	several := f.apart || len(f.outputs) > 1
	switch {
	case ext != ".png" && ext != ".zip":
		return asked("--out must end in .png, or in .zip for several pictures, not %q", ext)
	case several != (ext == ".zip"):
		return asked("several pictures are written into a .zip, one into a .png")
	case len(f.of) > 1:
		return asked("one model is baked at a time: name one --of")
	}
	ids, err := f.models(p)
	if err != nil {
		return err
	}
	b := &bake.Order{Parts: f.parts, Apart: f.apart, Margin: &f.margin, Bits: f.bits, Eye: bake.Eye(f.eye)}
	if len(ids) > 0 {
		b.Model = ids[0]
	}
	for _, name := range f.outputs {
		out, err := findOutput(p, name)
		if err != nil {
			return err
		}
		out.Data = f.data
		b.Outputs = append(b.Outputs, out)
	}
	if f.data && len(b.Outputs) == 0 {
		b.Outputs = []bake.Output{{Data: true}}
	}
	switch f.unwrap {
	case "":
	case "missing", "anew":
		for i := range p.Stage.Models {
			if m := &p.Stage.Models[i]; m.ID == b.Model || b.Model == "" {
				m.Form.UV = mesh.Unwrapping(f.unwrap)
			}
		}
	default:
		return asked("--unwrap must be missing or anew, not %q", f.unwrap)
	}
	o.As, o.Bake = delivery.Texture, b
	return nil
}

// findOutput finds an output of a look that is worn, by the name or id of its node.
func findOutput(p *project.Project, name string) (bake.Output, error) {
	cat := p.Catalogue()
	tries := [][2]string{{name, ""}}
	if i := strings.LastIndexByte(name, '.'); i >= 0 {
		tries = append(tries, [2]string{name[:i], name[i+1:]})
	}
	for i := range p.Looks {
		l := &p.Looks[i]
		if !p.Worn(l.ID) {
			continue
		}
		for _, try := range tries {
			d := l.Network.Find(cat, try[0])
			if d == nil || d.Kind == network.FinishKind {
				continue
			}
			port := cat.Of(d).Output(try[1])
			if port == nil {
				return bake.Output{}, asked("--output: %s has no output %q", d.Title(cat), try[1])
			}
			return bake.Output{Look: l.ID, Node: d.ID, Port: port.Key}, nil
		}
	}
	return bake.Output{}, asked("--output: no look that is worn has a node %q", name)
}

// exported makes an order of what goes elsewhere.
func (f *handFlags) exported(p *project.Project, o *delivery.Order) error {
	as, ok := targets[f.to]
	if !ok {
		return asked("--to must be one of %s, not %q", strings.Join(targetNames(), ", "), f.to)
	}
	ids, err := f.models(p)
	if err != nil {
		return err
	}
	o.As = as
	if form, _ := as.Form(); form.Kind == delivery.Coded {
		o.Code = &shader.Order{Models: ids, Outline: f.outline}
		if f.which != "" {
			l := p.FindLook(f.which)
			if l == nil {
				return asked("--which: there is no look %q", f.which)
			}
			o.Code.Look = l.ID
		}
		return nil
	}
	o.Painted = &painted.Order{Models: ids, Outline: f.outline, Eye: bake.Eye(f.eye), Margin: &f.margin}
	if f.ink != "" {
		c, err := color.ParseHex(f.ink)
		if err != nil {
			return asked("--ink must be a colour such as #1A1B24, not %q", f.ink)
		}
		o.Painted.Ink = &c
	}
	return nil
}
