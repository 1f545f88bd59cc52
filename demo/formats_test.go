package demo

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/bake"
	"mobanta/core/delivery"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/painted"
	"mobanta/core/project"
	"mobanta/core/shader"
	"mobanta/core/stage"
	"mobanta/recipes"
)

// ordered fills an order in each format, small, and tells what comes of it. What cannot be is refused by the check alone, before
// anything is drawn.
func ordered(t *testing.T, name string, p *project.Project, kept stage.Files, light bool) {
	t.Helper()
	p = p.Clone()
	p.Stage.Time.Last, p.Stage.Time.First = 2, 1
	p.Stage.Time.At = p.Stage.Time.Start(1) // so that pictures and the first frame are of one pose
	printed := p.Clone()
	_, err := printed.Apply(&project.Edit{Op: "press.set", Key: "on", Value: true})
	require.NoError(t, err)
	plain, inked := delivery.NewDrawer(p, kept, 0, nil), delivery.NewDrawer(printed, kept, 0, nil)
	defer plain.Easel().Close()
	defer inked.Easel().Close()
	for _, form := range delivery.Forms {
		o := delivery.Order{As: form.Format, W: 32, H: 24, Samples: 1}
		p, d := p, plain
		if form.Kind == delivery.Plates {
			p, d = printed, inked
		}
		switch form.Kind {
		case delivery.Moving:
			if o.First, o.Last = 1, 2; light {
				o.Last = 1 // whose models bend takes long to pose
			}
			if form.Format == delivery.WebM || form.Format == delivery.MP4 {
				continue // what needs another program is tested where that is brought
			}
		case delivery.Proof:

			continue // sheets are pictures like others; their axes have tests of their own
		case delivery.Baked:
			o.Bake = &bake.Order{Eye: bake.LeftOut}
		case delivery.PaintedModel:
			if light {
				continue // unwraps whole models, which the test of painted models does
			}
			o.Painted = &painted.Order{Eye: bake.LeftOut}
		case delivery.Coded:
			o.Code = &shader.Order{}
		}
		if err := o.Check(p); err != nil {
			t.Errorf("%s: %s: %v", name, form.Name, err)
			continue
		}
		if form.Kind == delivery.Baked {
			if _, err := d.Minds(context.Background(), &o); err != nil {
				assert.ErrorContains(t, err, "texture coordinates", "%s: %s", name, form.Name)
				continue
			}
		}
		out := filepath.Join(t.TempDir(), "out")
		err := d.Fill(context.Background(), &o, out, func(int, int) {})
		if err != nil {
			t.Errorf("%s: %s: %v", name, form.Name, err)
			continue
		}
		info, err := os.Stat(out)
		require.NoError(t, err)
		assert.Positive(t, info.Size(), "%s: %s", name, form.Name)
	}
}

// Every format can be ordered of a new project, of each starting point, and of each sample.
func TestEveryFormatOfEverything(t *testing.T) {
	solid := func() *project.Project {
		p := project.New("New")
		_, err := p.Apply(&project.Edit{Op: "model.add", Kind: mesh.Solids[0].Key, Look: "look1"})
		require.NoError(t, err)
		return p
	}
	solids := meshfile.Kept(func(string) (string, []byte, error) { return "", nil, os.ErrNotExist })
	ordered(t, "a new project", solid(), solids, false)
	// A ball of few triangles, for all that grows over a surface.
	var ball bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&ball, mesh.Sphere(1, 48, 24)))
	balls := meshfile.Kept(func(string) (string, []byte, error) { return "ball.obj", ball.Bytes(), nil })
	all, err := recipes.All()
	require.NoError(t, err)
	for _, r := range all {
		p := project.New(r.File.Name)
		_, err := p.Apply(&project.Edit{Op: "model.add", Name: "Ball", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}})
		require.NoError(t, err)
		_, err = p.Apply(&project.Edit{Op: "look.add", Name: r.File.Name, Network: &r.File.Network, Groups: r.File.Groups})
		require.NoError(t, err, r.ID)
		id := p.Looks[len(p.Looks)-1].ID
		for part := range p.Stage.Models[0].Looks {
			_, err := p.Apply(&project.Edit{Op: "look.assign", ID: p.Stage.Models[0].ID, Part: part, Look: id})
			require.NoError(t, err)
		}
		ordered(t, r.ID, p, balls, true)
	}
	for _, s := range Samples {
		p, files, err := s.Make()
		require.NoError(t, err)
		ordered(t, s.ID, p, meshfile.Kept(func(h string) (string, []byte, error) { return files[h].Name, files[h].Data, nil }), true)
	}
}
