package delivery

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"

	"mobanta/core/bake"
	"mobanta/core/materialx"
	"mobanta/core/network"
	"mobanta/core/painted"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/shader"
)

// checkBaked checks an order of textures, or of painted models.
func (o *Order) checkBaked(p *project.Project) error {
	q := o.of(p)
	if o.As == Texture {
		if o.Bake == nil {
			o.Bake = &bake.Order{}
		}
		return o.Bake.Check(q, o.W, o.H)
	}
	if o.Painted == nil {
		o.Painted = &painted.Order{}
	}
	return o.Painted.Check(q, o.W, o.H)
}

// several tells whether an order of textures may come to more than one.
func (o *Order) several() bool {
	return o.Bake != nil && (o.Bake.Apart || len(o.Bake.Outputs) > 1)
}

// moment returns the project as it is ordered, at its moment.
func (d *Drawer) moment(o *Order) *project.Project {
	p := *d.of(o)
	if o.At != nil {
		p.Stage.Time.At = *o.At
	}
	return &p
}

// textures bakes pictures: as a PNG, or several in a ZIP.
func (d *Drawer) textures(ctx context.Context, o *Order, w io.Writer) error {
	plan, err := bake.NewPlan(d.moment(o), d.under(ctx), *o.Bake, d.baked)
	if err != nil {
		return err
	}
	d.baked = plan.Scene()
	draw := func(k int, w io.Writer) error {
		t, err := plan.Draw(ctx, k, o.W, o.H, o.Samples, d.easel.Workers(), d.telling(k, len(plan.Pictures)))
		if err != nil {
			return err
		}
		return t.WritePNG(w, o.Bake.Bits)
	}
	if !o.several() {
		return draw(0, w)
	}
	z := zip.NewWriter(w)
	for k := range plan.Pictures {
		f, err := z.CreateHeader(&zip.FileHeader{Name: plan.Pictures[k].Name + ".png", Method: zip.Store})
		if err == nil {
			err = draw(k, f)
		}
		if err != nil {
			return fmt.Errorf("delivery: %w", err)
		}
	}
	return z.Close()
}

// paintedModel bakes the pictures of models and writes these with them.
func (d *Drawer) paintedModel(ctx context.Context, o *Order, w io.Writer) error {
	plan, err := painted.NewPlan(ctx, d.moment(o), d.under(ctx), *o.Painted, d.baked)
	if err != nil {
		return err
	}
	d.baked = plan.Scene()
	var pictures [][]byte
	for k := range plan.Pictures() {
		t, err := plan.Draw(ctx, k, o.W, o.H, o.Samples, d.easel.Workers(), d.telling(k, plan.Pictures()))
		if err != nil {
			return err
		}
		var buf bytes.Buffer
		if err := t.WritePNG(&buf, 8); err != nil {
			return err
		}
		pictures = append(pictures, buf.Bytes())
	}
	if o.As == PaintedOBJ {
		return plan.WriteOBJ(w, pictures)
	}
	return plan.WriteGLB(w, pictures)
}

// coded writes looks as code, and tells what of them does not travel.
func (d *Drawer) coded(ctx context.Context, o *Order, w io.Writer) ([]string, error) {
	p := d.moment(o)
	if o.As == HTML {
		page, err := shader.NewPage(ctx, p, d.under(ctx), *o.Code, d.easel.Workers())
		if err != nil {
			return nil, err
		}
		return page.Remarks, page.Write(w)
	}
	job, err := scene.Of(p, d.under(ctx), d.baked)
	if err != nil {
		return nil, err
	}
	d.baked = job.Scene
	p = p.Moment()
	look := o.Code.LookOf(p)
	if o.As == MaterialX {
		made, err := materialx.Of(p, job, look, func(ref network.Ref) []float32 {
			v, err := shader.Mean(ctx, job, look, ref, d.easel.Workers())
			if err != nil {
				return nil
			}
			return v
		})
		if err != nil {
			return nil, err
		}
		return made.Remarks, made.Write(w, d.under(ctx))
	}
	prog, err := shader.Of(p, job, look)
	if err != nil {
		return nil, err
	}
	return prog.Remarks, prog.WriteZIP(w, d.under(ctx))
}

// Minds returns what to mind of an order that has been checked that only the models tell, besides Remarks: that it cannot be
// filled as an error.
func (d *Drawer) Minds(ctx context.Context, o *Order) ([]string, error) {
	switch o.kind() {
	case Baked:
		plan, err := bake.NewPlan(d.moment(o), d.under(ctx), *o.Bake, d.baked)
		if err != nil {
			return nil, err
		}
		d.baked = plan.Scene()
		return plan.Remarks, nil
	case PaintedModel:
		plan, err := painted.NewPlan(ctx, d.moment(o), d.under(ctx), *o.Painted, d.baked)
		if err != nil {
			return nil, err
		}
		d.baked = plan.Scene()
		return plan.Remarks, nil
	case Coded:
		return d.coded(ctx, o, io.Discard)
	}
	return nil, nil
}

// Textures returns the pictures of what an order of textures came to, a PNG or a ZIP of such.
func Textures(data []byte) ([]bake.File, error) {
	if !bytes.HasPrefix(data, []byte("PK")) {
		return []bake.File{{Data: data}}, nil
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("delivery: %w", err)
	}
	var out []bake.File
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			return nil, fmt.Errorf("delivery: %w", err)
		}
		pic, err := io.ReadAll(io.LimitReader(r, 256<<20))
		r.Close()
		if err != nil {
			return nil, fmt.Errorf("delivery: %w", err)
		}
		out = append(out, bake.File{Name: f.Name, Data: pic})
	}
	return out, nil
}
