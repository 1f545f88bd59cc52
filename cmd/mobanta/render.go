package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"mobanta/core/delivery"
	"mobanta/core/exchange"
	"mobanta/core/frame"
	"mobanta/core/light"
	"mobanta/core/materialx"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/move"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/pixmap"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

type renderFlags struct {
	bundle, model, look, size, peek, sun, camera, out string
	staging, frames, format, profile                  string
	samples, bits, steps                              int
	smooth, mend                                      bool
	clear, fills, json                                bool
	time, dpi                                         float64
}

const maxLookFile = 64 << 20 // bytes

// unsaid stands for a moment that was not named.
const unsaid = -1

func renderCommand() *cobra.Command {
	var f renderFlags
	c := &cobra.Command{
		Use:   "render (--bundle FILE | --model FILE) --out FILE",
		Short: "Render a picture, or a moving one, into a file",
		Long: `Renders the project of a bundle, or a model on a plain stage, framed, with one sun.

What is made follows from the ending of --out, or from --format: a PNG (.png), a Portable FloatMap (.pfm) with the linear
values, three channels, bottom row first, layers (.ora), lines (.svg), plates of the press (.zip, .pdf); of --frames an
animated PNG (.png), numbered PNGs (.zip), or a .gif, .webp, .webm or .mp4.
Angles are in degrees: azimuth 0 is +Z, towards the viewer, growing towards +X; elevation goes up; Y is up.
How far it is is told on standard error.`,
		Example: `  mobanta render --model kettle.glb --look ink.json --sun -40,45 --out kettle.png
  mobanta render --bundle saltlight.zip --size 3840x2160 --samples 32 --out large.png
  mobanta render --bundle saltlight.zip --staging "Evening" --format ora --out evening.ora
  mobanta render --bundle flare.zip --frames all --size 640x400 --out flare.webp
  mobanta render --model ball.obj --peek "Diffuse light" --out tone.pfm`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return profiled(f.profile, func() error { return render(cmd.Context(), &f, cmd.OutOrStdout(), cmd.ErrOrStderr()) })
		},
	}
	c.Flags().StringVar(&f.bundle, "bundle", "", "bundle to render")
	c.Flags().StringVar(&f.model, "model", "", "model to render on a plain stage")
	c.Flags().IntVar(&f.steps, "subdivide", 0, "with --model: how often to subdivide it, 0 to 4")
	c.Flags().BoolVar(&f.mend, "mend", false, "with --model: mend its faces first: empty, doubled or turned ones and open seams (inspect tells of them)")
	c.Flags().BoolVar(&f.smooth, "smooth", false, "with --model: draw its surface smooth, whatever polygons it has")
	c.Flags().StringVar(&f.look, "look", "", "look file, or the name of a look of the bundle; every part wears it")
	c.Flags().StringVar(&f.staging, "staging", "", "the staging to render, by its name; the project as it is if left out")
	c.Flags().StringVar(&f.staging, "take", "", "as it was called")
	_ = c.Flags().MarkHidden("take")
	c.Flags().StringVar(&f.size, "size", "1920x1080", "width and height in pixels")
	c.Flags().Float64Var(&f.dpi, "dpi", 0, "dots per inch on paper, written into the file")
	c.Flags().IntVar(&f.samples, "samples", 16, "positions in a pixel, 1 to 256")
	c.Flags().StringVar(&f.peek, "peek", "", "show the result of a node, NODE or NODE.PORT, by id or name")
	c.Flags().StringVar(&f.sun, "sun", "", "AZIMUTH,ELEVATION of the first sun")
	c.Flags().Float64Var(&f.time, "time", unsaid, "the moment to show, in seconds; that of the project if left out")
	c.Flags().StringVar(&f.frames, "frames", "", "FIRST-LAST, counted from 0, or all: a moving picture")
	c.Flags().StringVar(&f.camera, "camera", "", "AZIMUTH,ELEVATION to look from, framed anew")
	c.Flags().IntVar(&f.bits, "bits", 8, "bits in a channel of a PNG, 8 or 16; of plates 8 or 1")
	c.Flags().BoolVar(&f.clear, "transparent", false, "no backdrop: clear where there is no model")
	c.Flags().StringVar(&f.out, "out", "", "file to write")
	c.Flags().StringVar(&f.format, "format", "", "what to write, where the ending does not say: "+strings.Join(formats(), ", "))
	c.Flags().BoolVar(&f.fills, "fills", false, "with a .svg: the bands too, as flat regions under the lines")
	c.Flags().StringVar(&f.profile, "profile", "", "file to write on what the processor's time went, for go tool pprof")
	c.Flags().BoolVar(&f.json, "json", false, "tell what was written on standard output, as JSON")
	c.MarkFlagsMutuallyExclusive("bundle", "model")
	c.MarkFlagsMutuallyExclusive("time", "frames")
	c.MarkFlagsMutuallyExclusive("peek", "frames")
	c.MarkFlagsOneRequired("bundle", "model")
	if err := c.MarkFlagRequired("out"); err != nil {
		panic(err)
	}
	return c
}

// formats lists the formats of pictures.
func formats() (out []string) {
	for _, f := range delivery.Forms {
		if f.Kind != delivery.Proof {
			out = append(out, string(f.Format))
		}
	}
	return out
}

// as returns what is to be written.
func (f *renderFlags) as() (delivery.Format, error) {
	ext := strings.ToLower(filepath.Ext(f.out))
	if f.format != "" {
		if !slices.Contains(formats(), f.format) {
			return "", asked("--format must be one of %s, not %q", strings.Join(formats(), ", "), f.format)
		}
		as := delivery.Format(f.format)
		if form, _ := as.Form(); (form.Kind == delivery.Moving) != (f.frames != "") {
			return "", asked("--frames goes with a moving picture, and a moving picture with --frames")
		}
		return as, nil
	}
	moving := map[string]delivery.Format{".png": delivery.APNG, ".apng": delivery.APNG, ".zip": delivery.Frames, ".gif": delivery.GIF, ".webp": delivery.WebP, ".webm": delivery.WebM, ".mp4": delivery.MP4}
	if f.frames != "" {
		if as, ok := moving[ext]; ok {
			return as, nil
		}
		return "", asked("--out must end in .png, .zip, .gif, .webp, .webm or .mp4 with --frames, not %q", ext)
	}
	if f.bits != 8 && !(f.bits == 16 && ext == ".png") && !(f.bits == 1 && ext == ".zip") {
		return "", asked("--bits must be 8 or 16, of plates in a .zip 8 or 1, not %d", f.bits)
	}
	if f.fills && ext != ".svg" {
		return "", asked("--fills goes with an --out that ends in .svg")
	}
	switch {
	case ext == ".png" && f.bits == 16:
		return "png16", nil
	case ext == ".svg" && f.fills:
		return "svgfills", nil
	case ext == ".zip" && f.bits == 1:
		return "plates1", nil
	}
	if as, ok := map[string]delivery.Format{".png": "png8", ".pfm": "pfm", ".svg": "svg", ".zip": "plates16", ".pdf": "platespdf", ".ora": delivery.Layers}[ext]; ok {
		return as, nil
	}
	return "", asked("--out must end in .png or .pfm, for layers in .ora, for lines in .svg, or for plates in .zip or .pdf, not %q; --format and --frames say more", ext)
}

// ordered returns the order that the flags make, but for what depends on the project.
func (f *renderFlags) ordered() (o delivery.Order, err error) {
	if o.As, err = f.as(); err != nil {
		return o, err
	}
	if f.samples < 1 || f.samples > picture.MaxSamples {
		return o, asked("--samples must lie between 1 and %d, not %d", picture.MaxSamples, f.samples)
	}
	if form := (mesh.Form{Steps: f.steps}); form.Check() != nil || f.steps > 0 && f.model == "" {
		return o, asked("--subdivide must lie between 0 and %d, and goes with --model", mesh.MaxSteps)
	}
	if f.mend && f.model == "" {
		return o, asked("--mend goes with --model: of a bundle its models say themselves what is mended")
	}
	if f.smooth && (f.model == "" || f.steps > 0) {
		return o, asked("--smooth goes with --model, and in place of --subdivide")
	}
	w, h, err := pair(f.size, "x", strconv.Atoi)
	if c := (frame.Order{W: w, H: h, Samples: 1}); err != nil || c.Check() != nil {
		return o, asked("--size must be such as 1920x1080, at most %d million pixels, not %q", picture.MaxPixels>>20, f.size)
	}
	o.W, o.H, o.Samples, o.DPI, o.Clear = w, h, f.samples, f.dpi, f.clear
	if f.time != unsaid {
		o.At = &f.time
	}
	if f.frames != "" && f.frames != "all" {
		if o.First, o.Last, err = pair(f.frames, "-", strconv.Atoi); err != nil {
			return o, asked("--frames must be such as 0-47, or all, not %q", f.frames)
		}
	}
	return o, nil
}

func render(ctx context.Context, f *renderFlags, out, said io.Writer) error {
	o, err := f.ordered()
	if err != nil {
		return err
	}
	began := time.Now()
	p, made, err := dressed(ctx, f)
	if err != nil {
		return err
	}
	if f.sun != "" {
		az, el, err := pair(f.sun, ",", angle)
		if err != nil {
			return fmt.Errorf("--sun: %w", err)
		}
		i := slices.IndexFunc(p.Stage.Lights, func(l stage.Light) bool { return l.Kind == light.Sun })
		if i < 0 {
			i, p.Stage.Lights = len(p.Stage.Lights), append(p.Stage.Lights, stage.NewLight("sun of --sun", "Sun", light.Sun))
		}
		p.Stage.Lights[i].Azimuth, p.Stage.Lights[i].Elevation = az, el
		id := p.Stage.Lights[i].ID
		p.Moves = slices.DeleteFunc(p.Moves, func(m move.Move) bool { return m.Of.What == "light" && m.Of.ID == id && m.Of.Key != "strength" })
	}
	if f.camera != "" {
		az, el, err := pair(f.camera, ",", angle)
		if err != nil {
			return fmt.Errorf("--camera: %w", err)
		}
		p.Stage.Camera.Azimuth, p.Stage.Camera.Elevation = az, max(-89.9, min(89.9, el))
		p.Moves = slices.DeleteFunc(p.Moves, func(m move.Move) bool { return m.Of.What == "camera" }) // it stands where it is told to
	}
	if s := p.Redrawn(); s != "" && f.bundle != "" {
		fmt.Fprintln(said, "note: "+s)
	}
	if f.staging != "" {
		t := p.FindStaging(f.staging)
		if t == nil {
			var names []string
			for i := range p.Stagings {
				names = append(names, p.Stagings[i].Name)
			}
			return asked("--staging: there is no staging %q; the stagings are: %s", f.staging, strings.Join(names, ", "))
		}
		p = p.With(t)
	}
	if err := p.Stage.Check(); err != nil {
		return err
	}
	if f.model != "" || f.camera != "" {
		p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, made), float64(o.W)/float64(o.H))
	}
	if err := o.Check(p); err != nil {
		return &wrong{err}
	}
	if f.peek != "" {
		err = f.peeked(ctx, p, made, &o)
	} else {
		d := delivery.NewDrawer(p, made, 0, nil)
		err = written(f.out, func(name string) error { return d.Fill(ctx, &o, name, progress(said)) })
	}
	if err != nil {
		return err
	}
	return f.tell(out, &o, time.Since(began))
}

// peeked writes a node's own result.
func (f *renderFlags) peeked(ctx context.Context, p *project.Project, made stage.Files, o *delivery.Order) error {
	sc, err := stage.NewScene(&p.Stage, made, nil)
	if err != nil {
		return err
	}
	order := frame.Order{W: o.W, H: o.H, Samples: o.Samples, Clear: o.Clear, At: o.At}
	if order.Peek, err = findPeek(p, sc, f.peek); err != nil {
		return err
	}
	order.Peek.Raw = o.As == "pfm"
	pic, err := frame.Draw(ctx, p, made, order)
	if err != nil {
		return err
	}
	return write(f.out, func(out io.Writer) error { return pic.Write(out, frame.Format(o.As)) })
}

// tell says as JSON what was written.
func (f *renderFlags) tell(out io.Writer, o *delivery.Order, took time.Duration) error {
	if !f.json {
		return nil
	}
	info, err := os.Stat(f.out)
	if err != nil {
		return err
	}
	said := map[string]any{"file": f.out, "format": o.As, "width": o.W, "height": o.H, "bytes": info.Size(), "seconds": took.Seconds()}
	if f.frames != "" {
		said["frames"] = o.Last - o.First + 1
	}
	return json.NewEncoder(out).Encode(said)
}

// progress tells how far an order is, at most once a second.
func progress(said io.Writer) func(done, of int) {
	last := time.Now()
	return func(done, of int) {
		if of > 1 && (time.Since(last) > time.Second || done == of) {
			last = time.Now()
			fmt.Fprintf(said, "%d of %d drawn\n", done, of)
		}
	}
}

// written has f write a file of another name, which is then given the right one: it is there in full or not at all.
func written(name string, f func(tmp string) error) error {
	if info, err := os.Stat(filepath.Dir(name)); err != nil || !info.IsDir() {
		return fmt.Errorf("there is no folder %s to write %s into", filepath.Dir(name), filepath.Base(name))
	}
	dir, err := os.MkdirTemp(filepath.Dir(name), ".mobanta-*")
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", name, unpathed(err))
	}
	defer os.RemoveAll(dir)
	tmp := filepath.Join(dir, "out")
	if err := f(tmp); err != nil {
		return err
	}
	if err = os.Chmod(tmp, 0o644); err == nil {
		err = os.Rename(tmp, name)
	}
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", name, unpathed(err))
	}
	return nil
}

func angle(s string) (float64, error) { return strconv.ParseFloat(strings.TrimSpace(s), 64) }

func pair[T any](s, sep string, parse func(string) (T, error)) (a, b T, err error) {
	x, y, ok := strings.Cut(s, sep)
	if !ok {
		return a, b, fmt.Errorf("%q is not two numbers with %q between them", s, sep)
	}
	if a, err = parse(x); err == nil {
		b, err = parse(y)
	}
	if err != nil {
		err = fmt.Errorf("%q is not two numbers with %q between them", s, sep)
	}
	return a, b, err
}

// load returns the project of a bundle, or one made around a model.
func load(ctx context.Context, f *renderFlags) (*project.Project, stage.Files, error) {
	if f.bundle != "" {
		info, err := os.Stat(f.bundle)
		if err != nil {
			return nil, nil, err
		}
		if info.Size() > exchange.MaxBundleBytes {
			return nil, nil, fmt.Errorf("%s is larger than the %d MB that a bundle may have", f.bundle, exchange.MaxBundleBytes>>20)
		}
		data, err := os.ReadFile(f.bundle)
		if err != nil {
			return nil, nil, err
		}
		p, files, err := exchange.ReadBundle(data)
		if err != nil {
			return nil, nil, err
		}
		return p, stage.Under(ctx, meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })), nil
	}
	m, err := readModel(ctx, f.model, meshfile.ReadNear)
	if err != nil {
		return nil, nil, err
	}
	p := project.New("render")
	brought := map[string][]byte{}
	files := modelFiles{ctx, m.Mesh, map[string]*mesh.Surface{}, newPictures(brought)}
	add := project.Edit{Op: "model.add", Name: "model", Look: p.Looks[0].ID, Value: exchange.Hash(nil), Pictures: map[string]string{}}
	for _, part := range m.Mesh.Parts {
		add.Parts = append(add.Parts, part.Name)
	}
	add.Clips = meshfile.Clips(m.Mesh)
	for _, pic := range m.Pictures {
		hash := exchange.Hash(pic.Data)
		brought[hash] = pic.Data
		for _, part := range pic.Parts {
			add.Pictures[part] = hash
		}
	}
	if _, err := p.Apply(&add); err != nil {
		return nil, nil, err
	}
	p.Stage.Models[0].Form.Steps = f.steps
	if f.smooth {
		p.Stage.Models[0].Form = m.Mesh.SmoothForm()
	}
	if f.mend {
		p.Stage.Models[0].Form.Mend = mesh.MendFaces
	}
	_, err = files.Surface(&p.Stage.Models[0])
	return p, files, err
}

// modelFiles is a model and the pictures that came with it.
type modelFiles struct {
	ctx      context.Context // until which they are made ready
	mesh     *mesh.Mesh
	made     map[string]*mesh.Surface // by the form
	pictures *pictures
}

// pictures are pictures by the hash of their files, each read once: kernels ask for them batch by batch. It is safe for use by
// several goroutines.
type pictures struct {
	mu   sync.Mutex
	data map[string][]byte
	read map[string]*pixmap.Pixmap
}

func newPictures(data map[string][]byte) *pictures {
	return &pictures{data: data, read: map[string]*pixmap.Pixmap{}}
}

// of returns a picture; ok is false for one that is not among them.
func (p *pictures) of(hash string) (pic *pixmap.Pixmap, ok bool, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	data, ok := p.data[hash]
	if !ok {
		return nil, false, nil
	}
	if p.read[hash] == nil {
		if p.read[hash], err = pixmap.Read(data); err != nil {
			delete(p.read, hash)
			return nil, true, err
		}
	}
	return p.read[hash], true, nil
}

// Surface implements stage.Files.
func (f modelFiles) Surface(m *stage.Model) (*mesh.Surface, error) {
	key := m.Form.Key()
	if f.made[key] == nil {
		s, err := meshfile.Formed(f.ctx, f.mesh, m.Form)
		if err != nil {
			return nil, err
		}
		f.made[key] = s
	}
	return f.made[key], nil
}

// Picture implements stage.Files.
func (f modelFiles) Picture(hash string) (*pixmap.Pixmap, error) {
	pic, ok, err := f.pictures.of(hash)
	if !ok {
		return nil, stage.ErrNoPicture
	}
	return pic, err
}

// dressed loads the project that is asked for, wearing what --look names.
func dressed(ctx context.Context, f *renderFlags) (*project.Project, stage.Files, error) {
	p, files, err := load(ctx, f)
	if err != nil {
		return nil, nil, err
	}
	pictures, err := f.applyLook(p)
	if err != nil {
		return nil, nil, err
	}
	return p, withPictures{files, newPictures(pictures)}, nil
}

// applyLook puts the look that --look names onto every part,
// and returns the pictures that came with it.
func (f *renderFlags) applyLook(p *project.Project) (pictures map[string][]byte, err error) {
	if f.look == "" {
		return nil, nil
	}
	l := p.FindLook(f.look)
	if l == nil {
		file, err := os.Open(f.look)
		if errors.Is(err, os.ErrNotExist) {
			var names []string
			for _, l := range p.Looks {
				names = append(names, l.Name)
			}
			return nil, fmt.Errorf("--look: there is no file and no look named %q; the looks are %s", f.look, strings.Join(names, ", "))
		}
		if err != nil {
			return nil, err
		}
		defer file.Close()
		data, err := io.ReadAll(io.LimitReader(file, maxLookFile+1))
		if err == nil && len(data) > maxLookFile {
			err = fmt.Errorf("a look has at most %d MB", maxLookFile>>20)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.look, err)
		}
		var read *exchange.LookFile
		if materialx.Is(data) {
			n, err := materialx.Read(data)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", f.look, err)
			}
			for _, r := range n.Remarks {
				fmt.Fprintf(os.Stderr, "%s: %s.\n", f.look, r)
			}
			read = &exchange.LookFile{Name: n.Name, Network: n.Network, Groups: n.Groups}
		} else if read, err = exchange.ReadLook(bytes.NewReader(data)); err != nil {
			return nil, fmt.Errorf("%s: %w", f.look, err)
		}
		o, err := p.Apply(&project.Edit{Op: "look.add", Name: read.Name, Network: &read.Network, Groups: read.Groups})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.look, err)
		}
		l, pictures = p.Look(o.Created), read.Pictures
	}
	for i := range p.Stage.Models {
		for part := range p.Stage.Models[i].Looks {
			p.Stage.Models[i].Looks[part] = l.ID
		}
	}
	return pictures, nil
}

// withPictures gives the pictures of a look file beside what a stage is made from.
type withPictures struct {
	stage.Files
	pictures *pictures
}

// Picture implements stage.Files.
func (f withPictures) Picture(hash string) (*pixmap.Pixmap, error) {
	if pic, ok, err := f.pictures.of(hash); ok {
		return pic, err
	}
	return f.Files.Picture(hash)
}

// findPeek finds the node in the looks that are worn, the first that has it. Nodes
// within groups are named by the way to them, "group/node".
func findPeek(p *project.Project, sc *stage.Scene, name string) (*scene.Peek, error) {
	cat := p.Catalogue()
	seen := map[string]bool{}
	for _, part := range sc.Parts {
		l := p.Look(part.Look)
		if l == nil || seen[l.ID] {
			continue
		}
		seen[l.ID] = true
		// A name may hold a dot itself, so try the whole first.
		tries := [][2]string{{name, ""}}
		if i := strings.LastIndexByte(name, '.'); i >= 0 {
			tries = append(tries, [2]string{name[:i], name[i+1:]})
		}
		for _, try := range tries {
			net, path, last := &l.Network, "", try[0]
			for net != nil {
				first, rest, deeper := strings.Cut(last, "/")
				if !deeper {
					break
				}
				d := net.Find(cat, first)
				if d == nil || cat.GroupOf(d) == nil {
					net = nil
					break
				}
				net, path, last = &cat.GroupOf(d).Network, strings.TrimPrefix(path+"/"+d.ID, "/"), rest
			}
			if net == nil {
				continue
			}
			d := net.Find(cat, last)
			if d == nil {
				continue
			}
			out := cat.Of(d).Output(try[1])
			if out == nil {
				return nil, fmt.Errorf("--peek: %s has no output %q", d.Title(cat), try[1])
			}
			at, ok := cat.At(&l.Network, path, network.Ref{Node: d.ID, Port: out.Key})
			if !ok {
				return nil, fmt.Errorf("--peek: %s is bypassed and hands nothing on", d.Title(cat))
			}
			return &scene.Peek{Look: l.ID, Ref: at}, nil
		}
	}
	return nil, fmt.Errorf("--peek: no look that is worn has a node %q", name)
}

// write writes a file that is there in full or not at all.
func write(name string, f func(w io.Writer) error) error { return writeAs(name, 0o644, f) }

// writeNew is write of a file that its owner alone can read, and that must not be there yet unless force is set. What is no
// ordinary file is never written over.
func writeNew(name string, force bool, f func(w io.Writer) error) error {
	switch info, err := os.Lstat(name); {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil:
		return fmt.Errorf("%s cannot be written: %w", name, unpathed(err))
	case !info.Mode().IsRegular():
		return asked("%s is no ordinary file, and is not written over", name)
	case !force:
		return asked("%s is there already: name another file, or say --force to write over it", name)
	}
	return writeAs(name, 0o600, f)
}

func writeAs(name string, mode fs.FileMode, f func(w io.Writer) error) error {
	if info, err := os.Stat(filepath.Dir(name)); err != nil || !info.IsDir() {
		return fmt.Errorf("there is no folder %s to write %s into", filepath.Dir(name), filepath.Base(name))
	}
	tmp, err := os.CreateTemp(filepath.Dir(name), ".mobanta-*")
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", name, unpathed(err))
	}
	defer os.Remove(tmp.Name())
	err = f(tmp)
	if e := tmp.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Chmod(tmp.Name(), mode)
	}
	if err == nil {
		err = os.Rename(tmp.Name(), name)
	}
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", name, unpathed(err))
	}
	return nil
}

// unpathed returns what the system said without the name of the file, which is a
// temporary one.
func unpathed(err error) error {
	var path *fs.PathError
	var link *os.LinkError
	switch {
	case errors.As(err, &path):
		return path.Err
	case errors.As(err, &link):
		return link.Err
	}
	return err
}
