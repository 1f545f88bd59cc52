package delivery

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"

	"mobanta/core/bake"
	"mobanta/core/painted"
	"mobanta/core/project"
)

// What a look comes to over the surface of a model: as pictures, and as a model that wears them.

func init() {
	// Its numbers, those of what is filled in, and a band that is being worked on.
	memory := func(pixels, _ int) int { return 24*pixels + 300<<20 }
	// Every texel shows a surface, and asks each light anew.
	seconds := func(_ Measured, picture float64, _ int) float64 { return 3.5 * picture }

	register(6, &kind{name: Baked, wait: 1, memory: memory, seconds: seconds,
		check: func(o *Order, p *project.Project) error {
			if o.Bake == nil {
				o.Bake = &bake.Order{}
			}
			return o.Bake.Check(o.of(p), o.W, o.H)
		},
		minds: func(ctx context.Context, d *Drawer, o *Order) ([]string, error) {
			plan, err := d.bakes(ctx, o)
			if err != nil {
				return nil, err
			}
			return plan.Remarks, nil
		},
	},
		Form{Format: Texture, Name: "PNG over the model's UVs", Ending: " texture.png", Media: "image/png", Help: "what the look comes to over the texture coordinates; several outputs or parts in a ZIP", write: textures},
	)
	register(7, &kind{name: PaintedModel, wait: 1, memory: memory, seconds: seconds,
		check: func(o *Order, p *project.Project) error {
			if o.Painted == nil {
				o.Painted = &painted.Order{}
			}
			return o.Painted.Check(o.of(p), o.W, o.H)
		},
		minds: func(ctx context.Context, d *Drawer, o *Order) ([]string, error) {
			plan, err := d.paints(ctx, o)
			if err != nil {
				return nil, err
			}
			return plan.Remarks, nil
		},
	},
		Form{Format: PaintedGLB, Name: "GLB, painted", Ending: " painted.glb", Media: "model/gltf-binary", Help: "the model with what its looks come to as pictures without light, where it stands, as it moves", write: paintedModel((*painted.Plan).WriteGLB)},
		Form{Format: PaintedOBJ, Name: "OBJ, painted", Ending: " painted obj.zip", Media: "application/zip", Help: "as it stands now, with its materials and pictures", write: paintedModel((*painted.Plan).WriteOBJ)},
	)
}

// several tells whether an order of textures may come to more than one.
func (o *Order) several() bool {
	return o.Bake != nil && (o.Bake.Apart || len(o.Bake.Outputs) > 1)
}

// bakes plans an order of textures.
func (d *Drawer) bakes(ctx context.Context, o *Order) (*bake.Plan, error) {
	plan, err := bake.NewPlan(d.moment(o), d.under(ctx), *o.Bake, d.baked)
	if err == nil {
		d.baked = plan.Scene()
	}
	return plan, err
}

// textures bakes pictures: as a PNG, or several in a ZIP.
func textures(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
	plan, err := d.bakes(ctx, o)
	if err != nil {
		return err
	}
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

// paints plans an order of painted models.
func (d *Drawer) paints(ctx context.Context, o *Order) (*painted.Plan, error) {
	plan, err := painted.NewPlan(ctx, d.moment(o), d.under(ctx), *o.Painted, d.baked)
	if err == nil {
		d.baked = plan.Scene()
	}
	return plan, err
}

// paintedModel bakes the pictures of models and has them written with these.
func paintedModel(write func(*painted.Plan, io.Writer, [][]byte) error) func(context.Context, *Drawer, *Order, io.Writer) error {
	return func(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
		plan, err := d.paints(ctx, o)
		if err != nil {
			return err
		}
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
		return write(plan, w, pictures)
	}
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
