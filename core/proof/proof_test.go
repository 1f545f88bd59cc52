package proof_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
	"mobanta/core/proof"
)

// varied returns a project with something of all that a sheet varies: a staging, a switch, dials of a number, a colour, a choice and
// one within a group, a swatch, a sun.
func varied(t testing.TB) *project.Project {
	t.Helper()
	p := project.New("Sample")
	do := func(e project.Edit) {
		t.Helper()
		_, err := p.Apply(&e)
		require.NoError(t, err, e.Op)
	}
	do(project.Edit{Op: "model.add", Kind: "sphere", Look: "look1"})
	do(project.Edit{Op: "swatch.add", Name: "copper", Value: "#B8693A"})
	do(project.Edit{Op: "node.add", Look: "look1", Kind: "switch"})
	do(project.Edit{Op: "list.add", Look: "look1", Node: "n5", Value: "Second"})
	do(project.Edit{Op: "dial.add", Look: "look1", Node: "n3", Key: "width"})
	do(project.Edit{Op: "dial.set", Look: "look1", ID: "d1", Key: "max", Value: 8.0})
	do(project.Edit{Op: "dial.set", Look: "look1", ID: "d1", Key: "min", Value: 2.0})
	do(project.Edit{Op: "dial.add", Look: "look1", Node: "n3", Key: "colour"})
	do(project.Edit{Op: "dial.add", Look: "look1", Node: "n2", Key: "mixing"})
	do(project.Edit{Op: "dial.add", Look: "look1", Node: "n2", Key: "stops"})
	do(project.Edit{Op: "node.add", Look: "look1", Kind: "maths"})
	do(project.Edit{Op: "group.make", Look: "look1", Nodes: []string{"n6"}})
	do(project.Edit{Op: "dial.add", Group: p.Groups[0].ID, Node: p.Groups[0].Nodes[0].ID, Key: "b"})
	do(project.Edit{Op: "staging.add", Name: "Noon"})
	return p
}

func offer(t testing.TB, p *project.Project, name string) proof.Offer {
	t.Helper()
	all := proof.Offers(p)
	i := slices.IndexFunc(all, func(o proof.Offer) bool { return o.Name == name })
	require.GreaterOrEqual(t, i, 0, "%s of %v", name, all)
	return all[i]
}

func TestWhatCanBeVariedIsOffered(t *testing.T) {
	p := varied(t)
	var names []string
	for _, o := range proof.Offers(p) {
		names = append(names, o.Group+"/"+o.Name)
	}
	sun := p.Stage.Lights[0].Name
	assert.Equal(t, []string{"Stagings/Stagings", "Switches/First look: Switch", "Dials/First look: Edge lines, width", "Dials/First look: Edge lines, colour", "Dials/First look: Ramp, Mixing",
		"Dials/" + p.Groups[0].Name + ": " + p.Groups[0].Dials[0].Name, "Swatches/copper", "Lights round the clock/" + sun}, names, "stops are no values")
	width := offer(t, p, "First look: Edge lines, width")
	assert.Equal(t, []proof.Value{{Key: "2", Name: "2"}, {Key: "4", Name: "4"}, {Key: "6", Name: "6"}, {Key: "8", Name: "8"}}, width.Given, "over the dial's own range")
	assert.Equal(t, proof.Choices, offer(t, p, "First look: Ramp, Mixing").Kind)
	assert.Equal(t, proof.Colours, offer(t, p, "copper").Kind)
	assert.Equal(t, "#B8693A", offer(t, p, "copper").Now)
	assert.Equal(t, "°", offer(t, p, sun).Unit)
}

func TestEveryCombinationIsACell(t *testing.T) {
	p := varied(t)
	width, sun, copper := offer(t, p, "First look: Edge lines, width"), offer(t, p, p.Stage.Lights[0].Name), offer(t, p, "copper")
	s := &proof.Sheet{Axes: []proof.Axis{{Of: width.Of, Values: []string{"1", "2", "3"}}, {Of: sun.Of, Values: []string{"0", "90"}}, {Of: copper.Of, Values: []string{"#B8693A", "#102030"}}}}
	plan, err := s.Plan(p)
	require.NoError(t, err)
	assert.Equal(t, [3]int{12, 3, 4}, [3]int{plan.Cells(), plan.Columns(), plan.Rows()})
	seen := map[string]bool{}
	for n := range plan.Cells() {
		q, err := plan.Cell(n)
		require.NoError(t, err)
		w, _ := q.Looks[0].Node("n3").In["width"].Value.(float64)
		key := fmt.Sprint(w, q.Stage.Lights[0].Azimuth, q.Swatches[0].Color.Hex())
		assert.False(t, seen[key])
		seen[key] = true
		assert.Equal(t, float64(1+n%3), w)
		assert.Equal(t, []float64{0, 90}[n/3%2], q.Stage.Lights[0].Azimuth)
		assert.Equal(t, []string{"#B8693A", "#102030"}[n/6], q.Swatches[0].Color.Hex())
		edited := p.Clone() // pressed, it becomes that
		for _, e := range plan.Edits(n) {
			_, err := edited.Apply(&e)
			require.NoError(t, err)
		}
		a, err := edited.Document()
		require.NoError(t, err)
		b, err := q.Document()
		require.NoError(t, err)
		assert.Equal(t, string(a), string(b))
	}
	assert.Equal(t, "copper, 90°, 3", plan.Name(5))
	assert.Equal(t, "#102030, 0°", plan.Row(2))
	across, down := plan.Head()
	assert.Equal(t, [2]string{"First look: Edge lines, width", "copper, " + sun.Name}, [2]string{across, down})
	assert.Equal(t, []int{7, 4, 6, 8, 10}, plan.Nearest(7)[:5], "those beside it first")
	assert.Len(t, plan.Nearest(0), 12)
}

// Stagings hold what dials say, so they are gone to first, whichever axis they are on.
func TestTakesComeBeforeTheRest(t *testing.T) {
	p := varied(t)
	width := offer(t, p, "First look: Edge lines, width")
	s := &proof.Sheet{Axes: []proof.Axis{{Of: width.Of, Values: []string{"7"}}, {Of: "stagings", Values: []string{p.Stagings[0].ID}}}}
	plan, err := s.Plan(p)
	require.NoError(t, err)
	assert.Equal(t, "staging.go", plan.Edits(0)[0].Op)
	q, err := plan.Cell(0)
	require.NoError(t, err)
	assert.Equal(t, 7.0, q.Looks[0].Node("n3").In["width"].Value)
	assert.Equal(t, "Noon, 7", plan.Name(0))
}

func TestSheetsThatCannotBeAreRefused(t *testing.T) {
	p := varied(t)
	width := offer(t, p, "First look: Edge lines, width").Of
	mixing, copper := offer(t, p, "First look: Ramp, Mixing").Of, offer(t, p, "copper").Of
	axis := func(of string, values ...string) proof.Axis { return proof.Axis{Of: of, Values: values} }
	for says, axes := range map[string][]proof.Axis{
		"one to 3 things, not 0":           {},
		"one to 3 things, not 4":           {axis(width, "1"), axis(mixing, "linear"), axis(copper, "#000000"), axis("stagings", "take1")},
		"is varied twice":                  {axis(width, "1"), axis(width, "2")},
		"is not there any more":            {axis("dial/look9//n/width", "1")},
		"needs 1 to 100 values, not 0":     {axis(width)},
		`"wide" is not a number`:           {axis(width, "wide")},
		`"red" is not a colour`:            {axis(copper, "red")},
		`there is no "sideways" to choose`: {axis(mixing, "sideways")},
		"must be a number":                 {axis(width, "1e9")},
	} {
		_, err := (&proof.Sheet{Axes: axes}).Plan(p)
		assert.ErrorContains(t, err, says)
	}
}

// Four hundred pictures are as many as there may be; without stagings none are offered.
func TestTheLargestSheet(t *testing.T) {
	p := varied(t)
	width, sun := offer(t, p, "First look: Edge lines, width"), offer(t, p, p.Stage.Lights[0].Name)
	var twenty []string
	for k := range 20 {
		twenty = append(twenty, fmt.Sprint(k))
	}
	s := &proof.Sheet{Axes: []proof.Axis{{Of: width.Of, Values: twenty}, {Of: sun.Of, Values: twenty}}}
	plan, err := s.Plan(p)
	require.NoError(t, err)
	assert.Equal(t, 400, plan.Cells())
	_, err = s.Cell(p, 399)
	require.NoError(t, err)
	_, err = s.Cell(p, 400)
	assert.ErrorContains(t, err, "no such picture")
	s.Axes[1].Values = append(twenty, "20")
	_, err = s.Plan(p)
	assert.ErrorContains(t, err, "more than 400")
	p.Stagings = nil
	for _, o := range proof.Offers(p) {
		assert.NotEqual(t, "stagings", o.Of)
	}
}
