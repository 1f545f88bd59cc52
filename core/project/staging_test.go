package project_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/meshfile"
	"mobanta/core/move"
	"mobanta/core/project"
	"mobanta/core/stage"
)

// varied returns a project in which there is something of all that a staging holds: a solid, two looks, a switch, dials
// (one of stops, one that follows a swatch, one within a group), a sun and a move of the camera.
func varied(t *testing.T) *project.Project {
	t.Helper()
	p := project.New("Sample")
	did(t, p, project.Edit{Op: "model.add", Kind: "sphere", Look: "look1"})
	did(t, p, project.Edit{Op: "swatch.add", Name: "copper", Value: "#B8693A"})
	did(t, p, project.Edit{Op: "look.add", Name: "Other"})
	did(t, p, project.Edit{Op: "node.add", Look: "look1", Kind: "colour"})
	did(t, p, project.Edit{Op: "node.add", Look: "look1", Kind: "switch"})
	did(t, p, project.Edit{Op: "list.add", Look: "look1", Node: "n6", Value: "Second"})
	did(t, p, project.Edit{Op: "swatch.use", Look: "look1", Node: "n5", Key: "colour", ID: p.Swatches[0].ID})
	did(t, p, project.Edit{Op: "dial.add", Look: "look1", Node: "n2", Key: "stops"})
	did(t, p, project.Edit{Op: "dial.add", Look: "look1", Node: "n5", Key: "colour"})
	did(t, p, project.Edit{Op: "dial.add", Look: "look1", Node: "n3", Key: "width"})
	did(t, p, project.Edit{Op: "node.add", Look: "look1", Kind: "maths"})
	did(t, p, project.Edit{Op: "group.make", Look: "look1", Nodes: []string{"n7"}})
	g := p.Groups[0]
	did(t, p, project.Edit{Op: "dial.add", Group: g.ID, Node: g.Nodes[0].ID, Key: "operation"})
	did(t, p, project.Edit{Op: "move.turntable"})
	return p
}

func did(t *testing.T, p *project.Project, e project.Edit) project.Outcome {
	t.Helper()
	o, err := p.Apply(&e)
	require.NoError(t, err, e.Op)
	_, _, err = p.Checked()
	require.NoError(t, err, e.Op)
	return o
}

func shownAs(t *testing.T, p *project.Project) string {
	t.Helper()
	q := p.Clone()
	q.Stagings = nil
	data, err := q.Document()
	require.NoError(t, err)
	return string(data)
}

// disturb changes everything that a staging holds, of each aspect one thing, and says which.
var disturb = map[project.Aspect][]project.Edit{
	project.Lights:   {{Op: "light.set", ID: "sun1", Key: "azimuth", Value: 77.0}, {Op: "light.add", Kind: string(light.Point)}},
	project.View:     {{Op: "camera.set", Value: map[string]any{"elevation": 50.0}}, {Op: "move.add", Value: "camera//distance"}},
	project.Dials:    {{Op: "ramp.flip", Look: "look1", Node: "n2", Key: "stops"}, {Op: "node.input", Look: "look1", Node: "n3", Key: "width", Value: 9.0}, {Op: "node.set", Look: "look1", Node: "n5", Key: "colour", Value: "#112233"}},
	project.Switches: {{Op: "node.set", Look: "look1", Node: "n6", Key: "live", Value: "b"}},
	project.Colours:  {{Op: "swatch.set", ID: "c1", Key: "color", Value: "#203040"}},
	project.Wearing:  {{Op: "look.assign", Look: "look2", ID: "model1"}},
}

func TestATakeIsGoneBackToAsAWholeAndByAspects(t *testing.T) {
	p := varied(t)
	require.NotEmpty(t, p.Stage.Lights)
	p.Stage.Lights[0].ID = "sun1"
	was := shownAs(t, p)
	id := did(t, p, project.Edit{Op: "staging.add", Name: "Noon"}).Created
	assert.True(t, p.At(p.Staging(id)))
	require.Equal(t, was, shownAs(t, p), "keeping a staging changes nothing else")

	for _, a := range project.Aspects {
		t.Run(string(a), func(t *testing.T) {
			q := p.Clone()
			for _, e := range disturb[a] {
				if strings.HasPrefix(e.Op, "swatch") {
					e.ID = q.Swatches[0].ID
				}
				if e.Op == "look.assign" {
					e.ID = q.Stage.Models[0].ID
				}
				did(t, q, e)
			}
			require.NotEqual(t, was, shownAs(t, q))
			assert.False(t, q.At(q.Staging(id)))
			left := q.Clone()
			did(t, left, project.Edit{Op: "staging.set", ID: id, Key: string(a), Value: false})
			before := shownAs(t, left)
			did(t, left, project.Edit{Op: "staging.go", ID: id})
			if a != project.Colours { // what follows a swatch is a dial too
				assert.Equal(t, before, shownAs(t, left), "what it leaves stays")
				assert.True(t, left.At(left.Staging(id)))
			}
			did(t, q, project.Edit{Op: "staging.go", ID: id})
			assert.Equal(t, was, shownAs(t, q), "and all else comes back")
			assert.True(t, q.At(q.Staging(id)))
		})
	}
}

// What moves drive has other values at every moment; a staging holds the document's own, so to go to the one that was just
// kept changes nothing, whenever that is.
func TestATakeHoldsMovesAndNotMoments(t *testing.T) {
	p := varied(t)
	did(t, p, project.Edit{Op: "time.set", Key: "at", Value: 1.0})
	id := did(t, p, project.Edit{Op: "staging.add"}).Created
	did(t, p, project.Edit{Op: "time.set", Key: "at", Value: 0.5})
	was := shownAs(t, p)
	did(t, p, project.Edit{Op: "staging.go", ID: id})
	assert.Equal(t, was, shownAs(t, p))
	did(t, p, project.Edit{Op: "move.remove", ID: p.Moves[0].ID})
	require.Empty(t, p.Moves)
	did(t, p, project.Edit{Op: "staging.go", ID: id})
	require.Len(t, p.Moves, 1)
	assert.Equal(t, move.Of{What: "camera", Key: "azimuth"}, p.Moves[0].Of)
}

func TestATakeOutlivesWhatItNames(t *testing.T) {
	p := varied(t)
	did(t, p, project.Edit{Op: "look.assign", Look: "look2", ID: p.Stage.Models[0].ID})
	id := did(t, p, project.Edit{Op: "staging.add"}).Created
	did(t, p, project.Edit{Op: "node.remove", Look: "look1", Nodes: []string{"n6"}})
	did(t, p, project.Edit{Op: "swatch.remove", ID: p.Swatches[0].ID})
	did(t, p, project.Edit{Op: "look.remove", Look: "look2"})
	o := did(t, p, project.Edit{Op: "staging.go", ID: id})
	assert.Equal(t, "3 values of Staging 1 found nothing to go to any more.", o.Note)
	assert.Equal(t, "look1", p.Stage.Models[0].Looks["Sphere"])
	did(t, p, project.Edit{Op: "staging.update", ID: id})
	assert.Empty(t, did(t, p, project.Edit{Op: "staging.go", ID: id}).Note)
	did(t, p, project.Edit{Op: "model.remove", ID: p.Stage.Models[0].ID})
	did(t, p, project.Edit{Op: "staging.go", ID: id})
}

func TestTakesAreKeptInOrder(t *testing.T) {
	p := varied(t)
	var ids []string
	for range 3 {
		ids = append(ids, did(t, p, project.Edit{Op: "staging.add"}).Created)
	}
	did(t, p, project.Edit{Op: "staging.set", ID: ids[0], Key: "name", Name: "Dusk"})
	did(t, p, project.Edit{Op: "staging.set", ID: ids[0], Key: "note", Value: "for the cover\nperhaps"})
	did(t, p, project.Edit{Op: "staging.set", ID: ids[1], Key: "chosen", Value: true})
	did(t, p, project.Edit{Op: "staging.move", ID: ids[0], Index: 2})
	did(t, p, project.Edit{Op: "staging.remove", ID: ids[2]})
	require.Len(t, p.Stagings, 2)
	assert.Equal(t, []string{"Staging 2", "Dusk"}, []string{p.Stagings[0].Name, p.Stagings[1].Name})
	assert.True(t, p.Stagings[0].Chosen)
	assert.Equal(t, "for the cover\nperhaps", p.Stagings[1].Note)
	assert.Same(t, p.FindStaging("dusk"), p.Staging(ids[0]))
	assert.NotEqual(t, ids[2], did(t, p, project.Edit{Op: "staging.add"}).Created, "no id is given twice")

	for _, c := range []struct {
		e    project.Edit
		says string
	}{
		{project.Edit{Op: "staging.go", ID: ids[2]}, "there is no staging"},
		{project.Edit{Op: "staging.set", ID: ids[0], Key: "size", Value: true}, "a staging has no"},
		{project.Edit{Op: "staging.set", ID: ids[0], Key: "lights", Value: "no"}, "is on or off"},
		{project.Edit{Op: "staging.set", ID: ids[0], Key: "note", Value: 3.0}, "a note is text"},
		{project.Edit{Op: "staging.set", ID: ids[0], Key: "name", Name: " "}, "name"},
		{project.Edit{Op: "staging.move", ID: ids[0], Index: 9}, "no such place"},
	} {
		_, err := p.Clone().Apply(&c.e)
		assert.ErrorContains(t, err, c.says)
	}
	for _, a := range project.Aspects[1:] {
		did(t, p, project.Edit{Op: "staging.set", ID: ids[0], Key: string(a), Value: false})
	}
	_, err := p.Apply(&project.Edit{Op: "staging.set", ID: ids[0], Key: string(project.Lights), Value: false})
	assert.ErrorContains(t, err, "would hold nothing")
	for len(p.Stagings) < project.MaxStagings {
		did(t, p, project.Edit{Op: "staging.add"})
	}
	_, err = p.Apply(&project.Edit{Op: "staging.add"})
	assert.ErrorContains(t, err, "at most 100 stagings")
}

func TestTakesFromOutsideAreChecked(t *testing.T) {
	p := varied(t)
	did(t, p, project.Edit{Op: "staging.add"})
	for name, spoil := range map[string]func(k *project.Staging){
		"an id of its own": func(k *project.Staging) { k.ID = "" },
		"name":             func(k *project.Staging) { k.Name = strings.Repeat("long", 100) },
		"no staging holds": func(k *project.Staging) { k.Leaves = []project.Aspect{"sound"} },
		"angle 900":        func(k *project.Staging) { k.Camera.Angle = 900 },
		"kind of light":    func(k *project.Staging) { k.Lights = []stage.Light{{ID: "a", Name: "a", Kind: "lava"}} },
		"a value is none":  func(k *project.Staging) { k.Turned = []project.Turned{{Node: "n1", Key: "k"}} },
		"at most 200":      func(k *project.Staging) { k.Moves = make([]move.Move, 201) },
	} {
		q := p.Clone()
		spoil(&q.Stagings[0])
		assert.ErrorContains(t, q.Settle(), name)
	}
	q := p.Clone() // what is well formed but means nothing is let be, and finds nothing to go to
	q.Stagings[0].Turned = append(q.Stagings[0].Turned, project.Turned{Look: "look1", Node: "n2", Key: "stops", Value: []byte(`"seven"`)}, project.Turned{Group: "gone", Node: "n", Key: "k", Value: []byte(`1`)})
	assert.Contains(t, did(t, q, project.Edit{Op: "staging.go", ID: q.Stagings[0].ID}).Note, "2 values")
}

func TestPicturesOfTakesAreTheProjects(t *testing.T) {
	p := project.New("Sample")
	sky, leaf := strings.Repeat("a", 64), strings.Repeat("b", 64)
	did(t, p, project.Edit{Op: "node.add", Look: "look1", Kind: "image"})
	at := p.Looks[0].Nodes[len(p.Looks[0].Nodes)-1].ID
	did(t, p, project.Edit{Op: "node.set", Look: "look1", Node: at, Key: "picture", Value: leaf})
	did(t, p, project.Edit{Op: "dial.add", Look: "look1", Node: at, Key: "picture"})
	p.Stage.Lights = append(p.Stage.Lights, stage.NewLight("sky", "Sky", light.Sky))
	p.Stage.Lights[len(p.Stage.Lights)-1].Picture = sky
	did(t, p, project.Edit{Op: "staging.add"})
	did(t, p, project.Edit{Op: "node.set", Look: "look1", Node: at, Key: "picture", Value: nil})
	did(t, p, project.Edit{Op: "light.remove", ID: "sky"})
	assert.ElementsMatch(t, []string{sky, leaf}, p.Pictures())
}

// Bands that a ramp shares with others are the set's: a staging brings its colours back, not its edges.
func TestATakeLeavesSharedEdges(t *testing.T) {
	p := project.New("Sample")
	did(t, p, project.Edit{Op: "bands.make", Look: "look1", Node: "n2", Key: "stops", Name: "shared"})
	did(t, p, project.Edit{Op: "dial.add", Look: "look1", Node: "n2", Key: "stops"})
	id := did(t, p, project.Edit{Op: "staging.add"}).Created
	did(t, p, project.Edit{Op: "ramp.stop", Look: "look1", Node: "n2", Key: "stops", Index: 1, Value: map[string]any{"at": 0.37, "color": "#ABCDEF"}})
	did(t, p, project.Edit{Op: "staging.go", ID: id})
	stops := p.Looks[0].Node("n2").Value(p.Catalogue().Of(p.Looks[0].Node("n2")).Setting("stops")).([]color.Stop)
	assert.InDelta(t, 0.37, stops[1].At, 1e-6)
	assert.NotEqual(t, color.MustHex("#ABCDEF"), stops[1].Color)
	assert.InDelta(t, 0.37, p.BandSets[0].Edges[0], 1e-6)
	assert.NotNil(t, p.Looks[0].Network.Node("n2").Bands)
}

// An older document calls its stagings takes.
func TestOlderDocumentsHaveTakes(t *testing.T) {
	p := project.New("Older")
	did(t, p, project.Edit{Op: "staging.add", Name: "Dusk"})
	doc, err := p.Document()
	require.NoError(t, err)
	require.Contains(t, string(doc), `"stagings":[`)
	back, err := project.Read([]byte(strings.Replace(string(doc), `"stagings":[`, `"takes":[`, 1)))
	require.NoError(t, err)
	assert.Equal(t, p.Stagings, back.Stagings)
	again, err := back.Document()
	require.NoError(t, err)
	assert.Equal(t, string(doc), string(again))
	q, name, err := back.Side("take/" + back.Stagings[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "Dusk", name)
	assert.NotNil(t, q)
}

// A project from before pictures were drawn as they are is told of it, until its artist says that it is all right.
func TestWhatIsDrawnOtherwiseIsTold(t *testing.T) {
	p := project.New("P")
	assert.Empty(t, p.Redrawn())
	doc, err := p.Document()
	require.NoError(t, err)
	older := strings.Replace(string(doc), fmt.Sprintf(`,"drawn":%d`, project.Drawing), "", 1)
	require.NotEqual(t, string(doc), older)
	back, err := project.Read([]byte(older))
	require.NoError(t, err)
	assert.Contains(t, back.Redrawn(), "0.16 of a pixel")
	did(t, back, project.Edit{Op: "node.rename", Look: "look1", Node: "n1", Name: "Sun"})
	assert.NotEmpty(t, back.Redrawn(), "editing it is not knowing of it")
	did(t, back, project.Edit{Op: "drawing.accept"})
	assert.Empty(t, back.Redrawn())
}

// Alone leaves the models that are asked for, or all that wear a look, framed, and changes nothing else.
func TestModelsAlone(t *testing.T) {
	p := project.New("P")
	files := meshfile.Files(nil)
	did(t, p, project.Edit{Op: "model.add", Kind: "sphere", Look: "look1"})
	did(t, p, project.Edit{Op: "model.add", Kind: "cube", Look: "look1"})
	did(t, p, project.Edit{Op: "model.add", Kind: "cube"})
	did(t, p, project.Edit{Op: "model.set", ID: p.Stage.Models[1].ID, Key: "at", Value: []any{9.0, 0.0, 0.0}})
	for part := range p.Stage.Models[2].Looks {
		p.Stage.Models[2].Looks[part] = ""
	}
	was, err := p.Document()
	require.NoError(t, err)
	worn, err := p.Alone(nil, files, 1.6)
	require.NoError(t, err)
	assert.Len(t, worn.Stage.Models, 2)
	one, err := p.Alone([]string{p.Stage.Models[1].ID}, files, 1.6)
	require.NoError(t, err)
	require.Len(t, one.Stage.Models, 1)
	assert.InDelta(t, 9, one.Stage.Camera.Target[0], 1e-4, "the camera looks at it")
	assert.Less(t, one.Stage.Camera.Distance, worn.Stage.Camera.Distance)
	none, err := p.Alone([]string{"nobody"}, files, 1.6)
	require.NoError(t, err)
	assert.Empty(t, none.Stage.Models)
	now, err := p.Document()
	require.NoError(t, err)
	assert.Equal(t, string(was), string(now))
}
