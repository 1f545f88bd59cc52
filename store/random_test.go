package store

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/node"
	"mobanta/core/project"
)

// Ten thousand random edits, undos and redos agree with a plain list of
// documents and a pointer into it, and every state can be rendered.
func TestRandomEditsUndosAndRedos(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	s := opened(t, t.TempDir())
	// The promise about crashes is kept by other tests; here the disk need not be waited for.
	_, err := s.writes.Exec(`PRAGMA synchronous = OFF`)
	require.NoError(t, err)
	text := func(p *project.Project) string {
		data, err := json.Marshal(p)
		require.NoError(t, err)
		return string(data)
	}
	id, err := s.Create(ctx, project.New("zero"))
	require.NoError(t, err)
	st, err := s.Load(ctx, id)
	require.NoError(t, err)
	model, at := []string{text(st.Project)}, 0
	kinds := node.Catalogue{}.All()
	accepted, undone := 0, 0
	for step := range 2_500 {
		switch n := r.IntN(10); {
		case n < 2:
			st, err := s.Move(ctx, id, -1)
			if at == 0 {
				require.ErrorIs(t, err, ErrNotFound)
				continue
			}
			require.NoError(t, err)
			at--
			undone++
			require.Equal(t, model[at], text(st.Project), "undo at step %d", step)
		case n < 3:
			st, err := s.Move(ctx, id, 1)
			if at == len(model)-1 {
				require.ErrorIs(t, err, ErrNotFound)
				continue
			}
			require.NoError(t, err)
			at++
			require.Equal(t, model[at], text(st.Project), "redo at step %d", step)
		default:
			st, err := s.Load(ctx, id)
			require.NoError(t, err)
			e := randomEdit(r, st.Project, kinds)
			now, _, err := s.Edit(ctx, id, []project.Edit{e})
			if err != nil {
				again, err := s.Load(ctx, id)
				require.NoError(t, err)
				require.Equal(t, model[at], text(again.Project), "a refused edit changes nothing: %+v", e)
				continue
			}
			accepted++
			model, at = append(model[:at+1], text(now.Project)), at+1
			_, err = now.Project.Networks()
			require.NoError(t, err)
			if len(model) > 400 { // a new piece of work, so that documents stay small
				id, err = s.Create(ctx, project.New(fmt.Sprint(step)))
				require.NoError(t, err)
				st, err = s.Load(ctx, id)
				require.NoError(t, err)
				model, at = []string{text(st.Project)}, 0
			}
		}
	}
	assert.Greater(t, accepted, 350)
	assert.Greater(t, undone, 350)
}

// randomEdit returns an edit that may or may not make sense.
func randomEdit(r *rand.Rand, p *project.Project, kinds []*node.Kind) project.Edit {
	l := p.Looks[r.IntN(len(p.Looks))]
	e := project.Edit{Look: l.ID}
	nodes := l.Nodes
	if len(p.Groups) > 0 && r.IntN(4) == 0 {
		g := p.Groups[r.IntN(len(p.Groups))]
		e.Look, e.Group, nodes = "", g.ID, g.Nodes
	}
	some := func() string {
		if len(nodes) == 0 {
			return "n1"
		}
		return nodes[r.IntN(len(nodes))].ID
	}
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	e.Op = pick("node.add", "node.add", "node.add", "wire", "wire", "wire", "unwire", "node.remove", "node.off", "node.swap", "node.replace", "node.duplicate", "section.gather", "section.set",
		"section.dissolve", "group.make", "group.dissolve", "group.single", "group.expose", "group.unexpose", "group.remove", "dial.add", "dial.remove", "list.add", "list.remove", "list.move", "swatch.add",
		"swatch.use", "swatch.set", "swatch.remove", "ramp.add", "ramp.flip", "node.rename", "look.duplicate", "look.remove", "node.input", "node.set")
	e.Node, e.Kind = some(), kinds[r.IntN(len(kinds))].Spec.Kind
	if len(p.Groups) > 0 && r.IntN(5) == 0 {
		e.Kind = "group:" + p.Groups[r.IntN(len(p.Groups))].ID
	}
	e.Nodes = []string{e.Node, some()}
	if e.Op == "wire" || r.IntN(3) == 0 {
		e.From = some()
	}
	e.To = some() + "." + pick("tone", "base", "colour", "amount", "a", "lines", "normal")
	e.Key = pick("tone", "base", "colour", "folded", "name", "threshold", "stops", "carries", "operation", "space", "live")
	e.ID = pick("s1", "s2", "d1", "c1", "c2", "tone", "colour", "base")
	e.Name, e.Index = pick("Tide", ""), r.IntN(3)
	e.Value = []any{nil, 0.4, true, "#336699", "vector", "lines", "hsv", 1.0}[r.IntN(8)]
	if len(nodes) > 30 && e.Op == "node.add" {
		e.Op = "node.remove"
	}
	if len(p.Looks) > 6 && e.Op == "look.duplicate" {
		e.Op = "look.remove"
	}
	return e
}
