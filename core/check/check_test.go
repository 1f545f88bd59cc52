package check_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/check"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/motion"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
	"mobanta/demo"
)

var solids = meshfile.Kept(meshfile.Files(nil))

// remarks looks through a project of solids.
func remarks(t testing.TB, p *project.Project) []check.Remark {
	t.Helper()
	files := stage.Surfaces(func(m *stage.Model) (*mesh.Surface, error) {
		if m.Solid == "" { // a model without UVs
			form := m.Form
			if m.Name == "cast" { // is never subdivided
				form = mesh.Form{}
			}
			ball := mesh.Sphere(1, 24, 12)
			switch m.Name {
			case "turned":
				slices.Reverse(ball.Face(30))
			case "cone", "cone that stands": // on a flat foot, at its back or below
				ball = mesh.Lathe("Sphere", []vec.V{{0, 0}, {1, 0}, {0, 2}}, 24)
				for i, p := range ball.Positions {
					if m.Name == "cone" {
						ball.Positions[i] = vec.V{p[0], -p[2], p[1]}
					}
				}
				ball.Normals = nil
				for i := range ball.Corners {
					ball.Corners[i].Normal = -1
				}
			case "puffed": // a cube with the normals of a ball
				ball = mesh.Cuboid(vec.V{1, 1, 1})
				ball.Parts[0].Name, ball.Normals = "Sphere", nil
				for _, p := range ball.Positions {
					ball.Normals = append(ball.Normals, p.Unit())
				}
				for i := range ball.Corners {
					ball.Corners[i].Normal = ball.Corners[i].Pos
				}
			}
			s, err := meshfile.Formed(context.Background(), ball, form)
			s.UV = nil
			if m.Name == "waves" {
				s.Mesh.Motion = &motion.Motion{Uneven: 3}
			}
			return s, err
		}
		return solids.Surface(m)
	})
	job, err := scene.Of(p, files, nil)
	require.NoError(t, err)
	sc, looks := job.Scene, job.Looks
	list, err := check.Run(context.Background(), p, sc, looks, picture.NewRenderer(2))
	require.NoError(t, err)
	return list
}

// set is a ball in a new look, after some edits.
func set(t testing.TB, edits ...project.Edit) *project.Project {
	t.Helper()
	p := project.New("p")
	for _, e := range append([]project.Edit{{Op: "model.add", Kind: "sphere"}}, edits...) {
		if e.Look == "" && !strings.HasPrefix(e.Op, "light") {
			e.Look = "look1"
		}
		_, err := p.Apply(&e)
		require.NoError(t, err, e.Op)
	}
	return p
}

func ExampleRun() {
	p := project.New("p")
	p.Apply(&project.Edit{Op: "model.add", Kind: "sphere"})
	p.Apply(&project.Edit{Op: "light.remove", ID: "sun"})
	sc, _ := stage.NewScene(&p.Stage, meshfile.Files(nil), nil)
	looks, _ := p.Networks()
	list, _ := check.Run(context.Background(), p, sc, looks, picture.NewRenderer(1))
	fmt.Println(list[0].Title+":", list[0].Mend)
	// Output: No light: Add a sun
}

func TestANewLookHasNothingToBeSaidOf(t *testing.T) {
	assert.Empty(t, remarks(t, set(t)))
}

// What stands on its foot is left, and so is a solid of the file's own making with hard edges.
func TestWhatStandsIsLeftStanding(t *testing.T) {
	p := set(t, project.Edit{Op: "model.add", Name: "cone that stands", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}, project.Edit{Op: "model.add", Kind: "cube"})
	for _, m := range remarks(t, p) {
		assert.False(t, strings.HasPrefix(m.Key, "lying/") || strings.HasPrefix(m.Key, "rounded/"), "%+v", m)
	}
}

// The mistakes, each as an artist would make it. Its mend leaves nothing of it.
func TestEachCheckFindsItsMistakeAndMendsIt(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	wire := func(from, to string) project.Edit { return project.Edit{Op: "wire", From: from, To: to} }
	for _, c := range []struct {
		key   string
		says  string
		edits []project.Edit
	}{
		{"bare/", "wears no look", []project.Edit{{Op: "look.assign", ID: "model1", Part: "Sphere", Look: "-"}}},
		{"unmended/", "1 turned face", []project.Edit{{Op: "model.add", Name: "turned", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}}},
		{"lying/", "flat at its back", []project.Edit{{Op: "model.add", Name: "cone", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}}},
		{"rounded/", "as if they bulged", []project.Edit{{Op: "model.add", Name: "puffed", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}}},
		{"dark", "no light on the stage", []project.Edit{{Op: "light.remove", ID: "sun"}}},
		{"unlit/", "has strength 0", []project.Edit{{Op: "light.set", ID: "sun", Key: "strength", Value: 0.0}}},
		{"unlit/", "limited to other parts", []project.Edit{{Op: "model.add", Kind: "cube", Look: "-"}, {Op: "light.set", ID: "sun", Key: "part", Value: "model2/Cube"}}},
		{"unlit/", "pick lights that are not on the stage", []project.Edit{{Op: "node.set", Node: "n1", Key: "lights", Value: []any{"gone"}}}},
		{"unread/", "No colour is wired", []project.Edit{{Op: "unwire", From: "n2.colour", To: "n4.colour"}}},
		{"loose/", "to no Finish", []project.Edit{{Op: "node.add", Kind: "facing"}}},
		{"uv/", "laid by UVs", []project.Edit{{Op: "model.add", Name: "bare", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}},
			{Op: "node.add", Kind: "image"}, wire("n5.colour", "n4.colour"), {Op: "node.remove", Node: "n2"}}},
		{"rough/", "roughness near 1", []project.Edit{{Op: "node.add", Kind: "highlight"}, {Op: "node.set", Node: "n5", Key: "roughness", Value: 1.0}, wire("n5.tone", "n2.tone")}},
		{"bounced/", "bounced light", []project.Edit{{Op: "node.set", Node: "n1", Key: "bounce", Value: "both"}}},
		{"wide/sun", "Key sun is wide", []project.Edit{{Op: "light.set", ID: "sun", Key: "size", Value: 20.0}, {Op: "node.set", Node: "n1", Key: "shadows", Value: true}}},
		{"empty/", "No pixel falls into light of Ramp", []project.Edit{{Op: "light.set", ID: "sun", Key: "strength", Value: 0.6}}},
		{"clipped/", "lies above 1", []project.Edit{{Op: "light.set", ID: "sun", Key: "strength", Value: 3.0}}},
		{"constant/", "is 0 everywhere", []project.Edit{{Op: "node.add", Kind: "soft-step", To: "n2.tone"}, wire("n1.tone", "n5.tone"), {Op: "node.input", Node: "n5", Key: "threshold", Value: 5.0}}},
		{"near/", "lie close beside each other", []project.Edit{{Op: "node.add", Kind: "ramp"}, wire("n1.tone", "n5.tone"), {Op: "ramp.stop", Node: "n5", Index: 1, Value: map[string]any{"at": 0.26}},
			{Op: "node.add", Kind: "blend"}, wire("n2.colour", "n6.base"), wire("n5.colour", "n6.over"), wire("n6.colour", "n4.colour")}},
		{"mixed/", "lays Occlusion over the colour", []project.Edit{{Op: "node.add", Kind: "occlusion"}, {Op: "node.add", Kind: "ramp"}, wire("n5.tone", "n6.tone"),
			{Op: "node.add", Kind: "blend"}, wire("n2.colour", "n7.base"), wire("n6.colour", "n7.over"), wire("n7.colour", "n4.colour")}},
		{"folded/", "falls on it in specks", []project.Edit{{Op: "node.add", Kind: "noise"}, {Op: "node.input", Node: "n5", Key: "size", Value: 0.05}, {Op: "node.add", Kind: "bump"}, {Op: "node.input", Node: "n6", Key: "depth", Value: 0.2},
			wire("n5.tone", "n6.height"), wire("n6.normal", "n1.normal")}},
		{"grain/", "smaller than two pixels", []project.Edit{{Op: "node.add", Kind: "noise"}, {Op: "node.input", Node: "n5", Key: "size", Value: 0.0005}, {Op: "node.add", Kind: "blend"}, wire("n2.colour", "n6.base"), wire("n5.tone", "n6.amount"), wire("n6.colour", "n4.colour")}},
		{"broken/", "run along its polygons", []project.Edit{{Op: "model.add", Name: "bare", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}, {Op: "model.remove", ID: "model1"}}},
		{"paint/", "it is white everywhere", []project.Edit{{Op: "node.add", Kind: "painted-values"}, {Op: "node.add", Kind: "blend"}, wire("n2.colour", "n6.base"), wire("n5.colour", "n6.over"), wire("n6.colour", "n4.colour")}},
		{"stiff/", "only its vertices move", []project.Edit{{Op: "model.add", Name: "bare", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}, {Op: "model.remove", ID: "model1"},
			{Op: "node.add", Kind: "noise"}, wire("n5.tone", "n4.displace")}},
		{"dots/", "what can be seen of it is grey", []project.Edit{{Op: "node.add", Kind: "halftone", From: "n2.colour", After: true}, {Op: "node.input", Node: "n5", Key: "density", Value: 500.0}}},
		{"printed/", "it is all paper in view", []project.Edit{{Op: "node.add", Kind: "halftone", From: "n2.colour", After: true}, {Op: "node.input", Node: "n5", Key: "none", Value: -0.5}, {Op: "node.input", Node: "n5", Key: "full", Value: -1.0}}},
		{"printed/", "prints with one ink", []project.Edit{{Op: "node.add", Kind: "stipple", To: "n4.colour"}, {Op: "unwire", From: "n2.colour", To: "n5.paper"}, {Op: "node.set", Node: "n5", Key: "inks", Value: "ramp"}}},
		{"press", "blank paper", []project.Edit{{Op: "press.set", Key: "set", Value: "black"}, {Op: "ink.remove", ID: "black"}}},
		{"beat/", "a coarse pattern of their own", []project.Edit{{Op: "press.set", Key: "set", Value: "three"}, {Op: "ink.set", ID: "cool", Key: "angle", Value: 100.0}}},
		{"layers", "may lie upon each other", []project.Edit{{Op: "press.set", Key: "set", Value: "process"}, {Op: "press.set", Key: "limit", Value: 0.0}}},
		{"undrawn/", "The width of", []project.Edit{{Op: "node.input", Node: "n3", Key: "width", Value: 0.0}}},
		{"undrawn/", "None of the kinds of line", []project.Edit{{Op: "node.set", Node: "n3", Key: "outer", Value: false}, {Op: "node.set", Node: "n3", Key: "parts", Value: false},
			{Op: "node.set", Node: "n3", Key: "crease", Value: false}, {Op: "node.set", Node: "n3", Key: "depth", Value: false}}},
		{"undrawn/", "Nothing in view", []project.Edit{{Op: "node.set", Node: "n3", Key: "outer", Value: false}, {Op: "node.set", Node: "n3", Key: "depth", Value: false}}},
		{"polygons/", "edges of smooth surfaces are creases", []project.Edit{{Op: "node.set", Node: "n3", Key: "angle", Value: 1.0}}},
		{"together/", "wider than the details between them", []project.Edit{{Op: "node.set", Node: "n3", Key: "angle", Value: 1.0}, {Op: "node.input", Node: "n3", Key: "width", Value: 20.0}}},
		{"unclosed/", "it jumps as the loop begins anew", []project.Edit{{Op: "move.add", Value: "light/sun/azimuth"}, {Op: "move.set", ID: "move1", Key: "way", Value: "steady"}}},
		{"unclosed/", "takes 1.5 s and the loop 4 s", []project.Edit{{Op: "model.add", Name: "waves", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}, Clips: []stage.FileClip{{Name: "wave", Seconds: 1.5}}}}},
		{"uneven/", "weights that do not add up", []project.Edit{{Op: "model.add", Name: "waves", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}, Clips: []stage.FileClip{{Name: "wave", Seconds: 2}}}}},
		{"washed", "bands lose the colours", []project.Edit{{Op: "glow.set", Key: "on", Value: true}, {Op: "glow.set", Key: "threshold", Value: 0.0}}},
		{"graded", "1 of 1 swatches", []project.Edit{{Op: "swatch.add"}, {Op: "grade.set", Key: "exposure", Value: 0.5}}},
		{"steps/", "is subdivided not at all, not twice", []project.Edit{{Op: "model.add", Name: "cast", Value: strings.Repeat("0", 64), Parts: []string{"Sphere"}}, {Op: "model.set", ID: "model2", Key: "steps", Value: 2.0}}},
	} {
		t.Run(c.key+" "+c.says, func(t *testing.T) {
			for i := range c.edits {
				if c.edits[i].Look == "-" {
					c.edits[i].Look = ""
					if c.edits[i].Op == "look.assign" {
						p := set(t)
						p.Stage.Models[0].Looks["Sphere"] = ""
						list := remarks(t, p)
						require.NotEmpty(t, list)
						assert.True(t, strings.HasPrefix(list[0].Key, c.key))
						mended(t, p, list[0])
						return
					}
					c.edits[i].Look = "look1"
				}
			}
			p := set(t, c.edits...)
			list := remarks(t, p)
			i := slices.IndexFunc(list, func(m check.Remark) bool { return strings.HasPrefix(m.Key, c.key) && strings.Contains(m.Text, c.says) })
			require.GreaterOrEqual(t, i, 0, "among %+v", list)
			m := list[i]
			assert.NotEmpty(t, m.Title)
			assert.True(t, m.Stage || m.Look != "" || m.Light != "", "it says where to jump to")
			if m.Node != "" {
				l := p.Look(m.Look)
				require.NotNil(t, l)
				assert.NotNil(t, l.Node(m.Node))
			}
			mended(t, p.Clone(), m)
			q := p.Clone()
			_, err := q.Apply(&project.Edit{Op: "check.dismiss", ID: m.Key})
			require.NoError(t, err)
			for _, other := range remarks(t, q) {
				assert.NotEqual(t, m.Key, other.Key, "dismissed, it is not said again")
			}
			_, err = q.Apply(&project.Edit{Op: "check.restore"})
			require.NoError(t, err)
			assert.Len(t, remarks(t, q), len(list))
		})
	}
}

// mended presses a mend and looks again.
func TestEdgesThatNearlyMeetWithinAGroup(t *testing.T) {
	on := func(e project.Edit) project.Edit { e.Look = "look1"; return e }
	p := set(t, on(project.Edit{Op: "node.add", Kind: "ramp", From: "n1.tone"}), on(project.Edit{Op: "ramp.stop", Node: "n5", Index: 1, Value: map[string]any{"at": 0.26}}),
		on(project.Edit{Op: "node.add", Kind: "blend"}), on(project.Edit{Op: "wire", From: "n2.colour", To: "n6.base"}), on(project.Edit{Op: "wire", From: "n5.colour", To: "n6.over"}),
		on(project.Edit{Op: "wire", From: "n6.colour", To: "n4.colour"}), on(project.Edit{Op: "group.make", Nodes: []string{"n5"}, Name: "Second bands"}))
	use := p.Looks[0].Nodes[slices.IndexFunc(p.Looks[0].Nodes, func(d network.Node) bool { return strings.HasPrefix(d.Kind, network.GroupPrefix) })]
	list := remarks(t, p)
	i := slices.IndexFunc(list, func(m check.Remark) bool { return strings.HasPrefix(m.Key, "near/") })
	require.GreaterOrEqual(t, i, 0, "among %+v", list)
	assert.Equal(t, use.ID, list[i].Path, "it leads into the group")
	mended(t, p, list[i])
	require.Len(t, p.BandSets, 1)
	assert.Equal(t, 2, p.Followers(p.BandSets[0].ID))
}

func mended(t *testing.T, p *project.Project, m check.Remark) {
	t.Helper()
	require.NotEmpty(t, m.Do, "every remark has a mend")
	assert.NotEmpty(t, m.Mend)
	for _, e := range m.Do {
		_, err := p.Apply(&e)
		require.NoError(t, err, "%s of %s", e.Op, m.Key)
	}
	require.NoError(t, p.Clone().Settle())
	for _, other := range remarks(t, p) {
		assert.NotEqual(t, m.Key, other.Key, "after the mend: %s", other.Text)
	}
}

func TestTheSamplesAreInOrder(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, s := range demo.Samples {
		p, files, err := s.Make()
		require.NoError(t, err)
		job, err := scene.Of(p, meshfile.Files(func(h string) (string, []byte, error) { return files[h].Name, files[h].Data, nil }), nil)
		require.NoError(t, err)
		list, err := check.Run(context.Background(), p, job.Scene, job.Looks, picture.NewRenderer(2))
		require.NoError(t, err)
		for _, m := range list {
			assert.Equal(t, "wide/torch", m.Key, "%s: %s", s.ID, m.Text)
		}
	}
}

// clippedBy returns the remark about light beyond the ramp.
func clippedBy(t *testing.T, p *project.Project) check.Remark {
	t.Helper()
	list := remarks(t, p)
	i := slices.IndexFunc(list, func(m check.Remark) bool { return strings.HasPrefix(m.Key, "clipped/") })
	require.GreaterOrEqual(t, i, 0, "among %+v", list)
	return list[i]
}

func TestTheLightThatIsTooStrongIsWeakenedAndNoOther(t *testing.T) {
	lamp := []project.Edit{{Op: "light.add", Kind: "point"}, {Op: "light.set", ID: "light1", Key: "fields", Value: map[string]any{"at": []any{1.3, 0.4, 1.0}, "strength": 3.0}}}
	for _, more := range [][]project.Edit{
		nil,
		{{Op: "node.set", Node: "n1", Key: "combine", Value: "brightest"}},
		{{Op: "node.set", Node: "n1", Key: "lights", Value: []any{"light1", "sun"}}},
		{{Op: "light.add", Kind: "headlamp"}, {Op: "node.set", Node: "n1", Key: "lights", Value: []any{"light2"}}, {Op: "node.set", Node: "n1", Key: "reads", Value: "others"}},
	} {
		p := set(t, append(lamp, more...)...)
		m := clippedBy(t, p)
		require.Len(t, m.Do, 1, "%s", m.Text)
		assert.Equal(t, "Weaken "+p.Stage.Lights[1].Name, m.Mend)
		assert.Equal(t, "light1", m.Do[0].ID)
		mended(t, p, m)
		assert.Equal(t, float32(1), p.Stage.Lights[0].Strength)
		assert.Greater(t, p.Stage.Lights[1].Strength, float32(0.1), "it is still seen")
	}
}

func TestLightsThatAreTooStrongTogetherAreWeakenedTogether(t *testing.T) {
	var edits []project.Edit
	for i := range 6 { // all from one side
		edits = append(edits, project.Edit{Op: "light.add", Kind: "sun"}, project.Edit{Op: "light.set", ID: fmt.Sprintf("light%d", i+1), Key: "fields", Value: map[string]any{"azimuth": -40.0, "elevation": 45.0, "strength": 1.0}})
	}
	p := set(t, edits...)
	m := clippedBy(t, p)
	assert.Len(t, m.Do, 7)
	assert.Equal(t, "Weaken them to end at 1", m.Mend)
	mended(t, p, m)
}

func TestReliefThatIsTooDeep(t *testing.T) {
	t.Cleanup(node.Add(&node.Kind{
		Spec: network.Spec{Kind: "test-slope", Name: "Slope", Family: "relief", Purpose: "-",
			Inputs: []network.Port{{Key: "in", Name: "in", Type: network.Tone, Default: 0.0}}, Outputs: []network.Port{{Key: "out", Name: "out", Type: network.Tone}}},
		Needs:     sample.Normal | sample.Foot,
		Elsewhere: func(any, int) []sample.Variant { return []sample.Variant{sample.AlongU} },
		Run:       func(c *node.Call) { copy(c.Out[0][0], c.Elsewhere(0)[0]) },
	}))
	edits := []project.Edit{{Op: "node.add", Kind: "facing"}}
	for range 3 {
		edits = append(edits, project.Edit{Op: "node.add", Kind: "test-slope"})
	}
	p := set(t, edits...)
	var chain []string
	for _, d := range p.Look("look1").Nodes {
		if d.Kind == "facing" || d.Kind == "test-slope" {
			chain = append(chain, d.ID)
		}
	}
	require.Len(t, chain, 4)
	for i := range 3 {
		_, err := p.Apply(&project.Edit{Op: "wire", Look: "look1", From: chain[i], To: chain[i+1] + ".in"})
		require.NoError(t, err)
	}
	var found *check.Remark
	for _, m := range remarks(t, p) {
		if m.Title == "Relief too deep" {
			found = &m
		}
	}
	require.NotNil(t, found)
	assert.Equal(t, chain[1], found.Node)
	for _, e := range found.Do {
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	for _, m := range remarks(t, p) {
		assert.NotEqual(t, "Relief too deep", m.Title)
	}
}
