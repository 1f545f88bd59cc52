// Package painted makes models that are already painted: with what looks come to as pictures without light, for programs
// that know nothing of networks.
package painted

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"mobanta/core/bake"
	"mobanta/core/color"
	"mobanta/core/meshfile"
	"mobanta/core/names"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Order says what is written.
type Order struct {
	Models  []string `json:"models,omitempty"`  // ids; none for all that wear a look
	Outline float64  `json:"outline,omitempty"` // width of a shell about them, in thousandths of the model's diagonal; 0 for none
	Ink     *color.C `json:"ink,omitempty"`     // of the outline; nil for DefaultInk
	Eye     bake.Eye `json:"eye,omitempty"`
	Margin  *int     `json:"margin,omitempty"` // see bake.Order
	Aspect  float64  `json:"aspect,omitempty"`
}

// MaxOutline is how wide an outline may be, in thousandths of the model's diagonal.
const MaxOutline = 100

// DefaultInk is the colour of outlines.
var DefaultInk = color.MustHex("#1A1B24")

// Check returns why an order with pictures of w × h texels cannot be filled, as far as the document says, or nil.
func (o *Order) Check(p *project.Project, w, h int) error {
	if !(o.Outline >= 0 && o.Outline <= MaxOutline) {
		return fmt.Errorf("painted: an outline is 0 to %d thousandths of the model wide, not %g", MaxOutline, o.Outline)
	}
	if len(o.Models) > stage.MaxModels {
		return fmt.Errorf("painted: at most %d models", stage.MaxModels)
	}
	list, err := o.models(p)
	if err != nil {
		return err
	}
	for _, i := range list {
		b := o.bake(p.Stage.Models[i].ID)
		if err := b.Check(p, w, h); err != nil {
			return err
		}
		if o.Margin == nil {
			o.Margin = b.Margin
		}
		o.Aspect = b.Aspect
	}
	return nil
}

func (o *Order) bake(model string) bake.Order {
	return bake.Order{Model: model, Eye: o.Eye, Margin: o.Margin, Aspect: o.Aspect}
}

// models returns which models of the stage are written.
func (o *Order) models(p *project.Project) (out []int, err error) {
	for i := range p.Stage.Models {
		m := &p.Stage.Models[i]
		wears := false
		for _, look := range m.Looks {
			wears = wears || p.Look(look) != nil
		}
		if len(o.Models) == 0 && wears || slices.Contains(o.Models, m.ID) {
			if !wears {
				return nil, fmt.Errorf("painted: %q wears no look", m.Name)
			}
			if m.Blobs != nil {
				if len(o.Models) > 0 {
					return nil, fmt.Errorf("painted: %q is made of blobs, whose surface is another at every moment: it has no place for a picture", m.Name)
				}
				continue
			}
			out = append(out, i)
		}
	}
	for _, id := range o.Models {
		if !slices.ContainsFunc(p.Stage.Models, func(m stage.Model) bool { return m.ID == id }) {
			return nil, errors.New("painted: a model is not there any more")
		}
	}
	if len(out) == 0 {
		return nil, errors.New("painted: no model wears a look that could be painted on it")
	}
	return out, nil
}

// Plan is an order that is ready to be filled.
type Plan struct {
	Remarks []string
	order   Order
	project *project.Project
	scene   *stage.Scene
	models  []one
	at      []which // of each picture
}

type one struct {
	index int // on the stage
	plan  *bake.Plan
	first int             // its first picture
	lay   [][3][2]float32 // where its triangles lie on the picture; nil for where its own texture coordinates say
}

type which struct{ model, picture int }

// NewPlan returns how an order that has been checked is filled. Models without texture coordinates, or whose own lie on each
// other, are unwrapped for it; what their looks read stays what it was. Those that move are as they were before they were
// subdivided, since what moves them knows no other vertices. A context that ends stops it.
func NewPlan(ctx context.Context, p *project.Project, files stage.Files, o Order, old *stage.Scene) (*Plan, error) {
	q := *p
	q.Stage.Models = slices.Clone(p.Stage.Models)
	list, err := o.models(&q)
	if err != nil {
		return nil, err
	}
	pl := &Plan{order: o, project: &q}
	for _, i := range list {
		if m := &q.Stage.Models[i]; m.Clip.Name != "" && (m.Form.Steps > 0 || m.Form.Smooth) {
			m.Form.Steps, m.Form.Smooth = 0, false
			pl.Remarks = append(pl.Remarks, fmt.Sprintf("%q moves, so it is neither subdivided nor drawn smooth.", m.Name))
		}
	}
	job, err := scene.Of(&q, files, old)
	if err != nil {
		return nil, err
	}
	pl.scene = job.Scene
	for _, i := range list {
		if err := pl.add(ctx, job, i); err != nil {
			return nil, err
		}
	}
	if len(pl.at) > bake.MaxPictures {
		return nil, fmt.Errorf("painted: these are %d pictures, more than the %d that are baked at once", len(pl.at), bake.MaxPictures)
	}
	return pl, nil
}

// add puts in a model of the stage.
func (pl *Plan) add(ctx context.Context, job scene.Job, i int) error {
	name := pl.project.Stage.Models[i].Name
	b := pl.order.bake(pl.project.Stage.Models[i].ID)
	if err := b.Check(pl.project, 64, 64); err != nil {
		return err
	}
	placed := &job.Scene.Models[i]
	m := one{index: i, first: len(pl.at)}
	laid := placed.Surface.UV != nil
	if laid {
		plan, err := bake.PlanOf(pl.project, job, b, nil)
		if err != nil {
			return err
		}
		if plan.Over { // parts that lie on each other may have pictures of their own
			b.Apart = true
			if plan, err = bake.PlanOf(pl.project, job, b, nil); err != nil {
				return err
			}
		}
		if laid = !plan.Over; laid {
			m.plan = plan
		}
	}
	if !laid {
		lay, err := placed.Surface.Laid(ctx)
		if err != nil {
			return err
		}
		m.lay, b.Apart = lay.UV, false
		first := int32(placed.FirstTri)
		if m.plan, err = bake.PlanOf(pl.project, job, b, func(t int32) [3][2]float32 { return lay.UV[t-first] }); err != nil {
			return err
		}
		if placed.Surface.UV != nil {
			pl.Remarks = append(pl.Remarks, fmt.Sprintf("The texture coordinates of %q lie on each other, so others are made for its picture.", name))
		}
	}
	pl.models = append(pl.models, m)
	for k := range m.plan.Pictures {
		pl.at = append(pl.at, which{len(pl.models) - 1, k})
	}
	for _, r := range m.plan.Remarks {
		if !slices.Contains(pl.Remarks, r) {
			pl.Remarks = append(pl.Remarks, r)
		}
	}
	return nil
}

// Scene returns the scene that is painted.
func (pl *Plan) Scene() *stage.Scene { return pl.scene }

// Pictures returns how many pictures there are.
func (pl *Plan) Pictures() int { return len(pl.at) }

// Draw bakes picture number n; see bake.Plan.Draw.
func (pl *Plan) Draw(ctx context.Context, n, w, h, samples, workers int, progress func(float64)) (*bake.Texture, error) {
	at := pl.at[n]
	return pl.models[at.model].plan.Draw(ctx, at.picture, w, h, samples, workers, progress)
}

// name returns what picture number n is called.
func (pl *Plan) name(n int) string {
	at := pl.at[n]
	return strings.TrimSuffix(pl.models[at.model].plan.Pictures[at.picture].Name, " colour")
}

// paint returns which picture lies over each part of a model, -1 for none, by the numbers of its mesh.
func (pl *Plan) paint(k int) []int {
	m := &pl.models[k]
	first := slices.IndexFunc(pl.scene.Parts, func(p stage.Part) bool { return p.Model == m.index })
	out := make([]int, len(pl.scene.Models[m.index].Surface.Mesh.Parts))
	for i := range out {
		out[i] = -1
		for n, pic := range m.plan.Pictures {
			if slices.Contains(pic.Parts, first+i) {
				out[i] = m.first + n
			}
		}
	}
	return out
}

// WriteGLB writes the models as binary glTF with their pictures, which are PNGs: parts under their names, where they stand,
// as they move.
func (pl *Plan) WriteGLB(w io.Writer, pictures [][]byte) error {
	var list []meshfile.Placed
	var pics []meshfile.Picture
	for n, data := range pictures {
		pics = append(pics, meshfile.Picture{Name: pl.name(n), Data: data})
	}
	for k := range pl.models {
		m := &pl.models[k]
		placed := &pl.scene.Models[m.index]
		model := &pl.project.Stage.Models[m.index]
		var at []vec.V // where looks have moved it
		if pl.scene.Rest != nil && model.Clip.Name == "" {
			at = placed.Shape.Pos
		}
		out, err := placed.Surface.Triangles(at, m.lay)
		if err != nil {
			return err
		}
		e := meshfile.Placed{Mesh: out, Name: model.Name, At: placed.Matrix, Paint: pl.paint(k)}
		if pl.order.Outline > 0 {
			ink := DefaultInk
			if pl.order.Ink != nil {
				ink = *pl.order.Ink
			}
			e.Shell = &meshfile.Shell{Width: float32(pl.order.Outline/1000) * placed.Surface.Box.Diagonal(), Color: ink}
			for _, n := range e.Paint {
				e.Shell.Parts = append(e.Shell.Parts, n >= 0)
			}
		}
		list = append(list, e)
	}
	return meshfile.WriteScene(w, list, pics)
}

// WriteOBJ writes a ZIP of a Wavefront OBJ for each model, as it stands at the moment, with its materials and pictures.
func (pl *Plan) WriteOBJ(w io.Writer, pictures [][]byte) error {
	z := zip.NewWriter(w)
	put := func(name string, data []byte) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate})
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	}
	seen := map[string]bool{}
	for k := range pl.models {
		m := &pl.models[k]
		placed := &pl.scene.Models[m.index]
		out, err := placed.Surface.Triangles(placed.Shape.Pos, m.lay)
		if err != nil {
			return err
		}
		moved := *out
		moved.Positions, moved.Normals = slices.Clone(out.Positions), slices.Clone(out.Normals)
		for i, p := range moved.Positions {
			moved.Positions[i] = placed.Matrix.Point(p)
		}
		for i, n := range moved.Normals {
			moved.Normals[i] = placed.Matrix.Normal(n).Unit()
		}
		base := strings.ReplaceAll(names.FileName(pl.project.Stage.Models[m.index].Name, ""), " ", "-")
		name := base
		for n := 2; seen[strings.ToLower(name)]; n++ {
			name = fmt.Sprint(base, "-", n)
		}
		seen[strings.ToLower(name)] = true
		var mtl bytes.Buffer
		paint := pl.paint(k)
		material := make([]string, len(paint))
		written := map[string]bool{}
		for i, n := range paint {
			file := ""
			material[i] = fmt.Sprintf("plain-%d", i+1)
			c := out.Parts[i].Color.Encoded()
			if n >= 0 {
				material[i] = fmt.Sprintf("painted-%d", n-m.first+1)
				file, c = fmt.Sprintf("%s-%d.png", name, n-m.first+1), [3]float32{1, 1, 1}
			}
			if written[material[i]] {
				continue
			}
			written[material[i]] = true
			fmt.Fprintf(&mtl, "newmtl %s\nillum 0\nKa 0 0 0\nKd %g %g %g\n", material[i], c[0], c[1], c[2])
			if file != "" {
				fmt.Fprintf(&mtl, "map_Kd %s\n", file)
				if err := put(file, pictures[n]); err != nil {
					return fmt.Errorf("painted: %w", err)
				}
			}
			mtl.WriteString("\n")
		}
		var obj bytes.Buffer
		moved.Paint = nil
		if err := meshfile.WriteOBJWith(&obj, &moved, name+".mtl", material); err != nil {
			return err
		}
		for _, f := range [2]struct {
			name string
			data []byte
		}{{name + ".obj", obj.Bytes()}, {name + ".mtl", mtl.Bytes()}} {
			if err := put(f.name, f.data); err != nil {
				return fmt.Errorf("painted: %w", err)
			}
		}
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("painted: %w", err)
	}
	return nil
}
