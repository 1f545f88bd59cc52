package delivery

import (
	"context"
	"io"

	"mobanta/core/materialx"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/shader"
)

// Looks as code.

func init() {
	register(8, &kind{name: Coded, wait: 1,
		check: func(o *Order, p *project.Project) error {
			if o.Code == nil {
				o.Code = &shader.Order{}
			}
			return o.Code.Check(o.of(p))
		},
		minds: func(ctx context.Context, d *Drawer, o *Order) ([]string, error) {
			return o.form().code(ctx, d, o, io.Discard)
		},
	},
		coded(Form{Format: HTML, Name: "HTML, one page that turns it", Ending: ".html", Media: "text/html", Help: "the models with their looks as shaders, in one file that needs no network and shows them in any browser"}, page),
		coded(Form{Format: GLSL, Name: "GLSL ES 3.00", Ending: " glsl.zip", Media: "application/zip", Help: "one look as a vertex and a fragment shader, with the artist's names, its dials, swatches and lights as uniforms"}, glsl),
		coded(Form{Format: MaterialX, Name: "MaterialX 1.39", Ending: ".mtlx", Media: "application/xml", Help: "one look as a graph of standard nodes"}, graph),
	)
}

// coding writes a look as code and returns what of it does not travel.
type coding func(ctx context.Context, d *Drawer, o *Order, w io.Writer) ([]string, error)

// coded returns a format of looks as code.
func coded(f Form, code coding) Form {
	f.code = code
	f.write = func(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
		_, err := code(ctx, d, o, w)
		return err
	}
	return f
}

// page writes a page that turns the models.
func page(ctx context.Context, d *Drawer, o *Order, w io.Writer) ([]string, error) {
	page, err := shader.NewPage(ctx, d.moment(o), d.under(ctx), *o.Code, d.easel.Workers())
	if err != nil {
		return nil, err
	}
	return page.Remarks, page.Write(w)
}

// job returns what there is to be drawn of the project that an order wants, the project at its moment, and the look.
func (d *Drawer) job(ctx context.Context, o *Order) (job scene.Job, at *project.Project, look string, err error) {
	p := d.moment(o)
	job, err = scene.Of(p, d.under(ctx), d.baked)
	if err != nil {
		return job, nil, "", err
	}
	d.baked = job.Scene
	p = p.Moment()
	return job, p, o.Code.LookOf(p), nil
}

// graph writes a look as a MaterialX document.
func graph(ctx context.Context, d *Drawer, o *Order, w io.Writer) ([]string, error) {
	job, p, look, err := d.job(ctx, o)
	if err != nil {
		return nil, err
	}
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

// glsl writes a look as shaders.
func glsl(ctx context.Context, d *Drawer, o *Order, w io.Writer) ([]string, error) {
	job, p, look, err := d.job(ctx, o)
	if err != nil {
		return nil, err
	}
	prog, err := shader.Of(p, job, look)
	if err != nil {
		return nil, err
	}
	return prog.Remarks, prog.WriteZIP(w, d.under(ctx))
}
