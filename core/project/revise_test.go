package project_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/network"
	"mobanta/core/project"
)

func document(t testing.TB, p *project.Project) string {
	t.Helper()
	doc, err := p.Document()
	require.NoError(t, err)
	return string(doc)
}

func TestReadRefusesInWords(t *testing.T) {
	doc := document(t, project.New("p"))
	for why, data := range map[string]string{
		"version 9":                              strings.Replace(doc, `"version":1`, `"version":9`, 1),
		`later version of Mobanta: open it with`: strings.Replace(doc, `"version":1`, `"version":1,"shelves":[]`, 1),
		"more than 20000 nodes":                  many(2000, 11),
		"larger than the 16 MB":                  strings.Repeat(" ", project.MaxBytes+1),
		"line 2, column 11":                      "{\"version\":1,\n\"name\":\"p\"",
		"target":                                 strings.Replace(doc, `"target":[0,0,0]`, `"target":[0,0]`, 1),
		"longer than 200 letters":                strings.Replace(doc, "First look", strings.Repeat("Ж", 201), 1),
	} {
		_, err := project.Read([]byte(data))
		assert.ErrorContains(t, err, why)
	}
	_, err := project.Read([]byte(strings.Replace(doc, `"version":1`, `"version":2`, 1)))
	assert.ErrorIs(t, err, project.ErrLater)
	_, err = project.Read([]byte(strings.Replace(doc, `"version":1`, `"version":1,"shelves":[]`, 1)))
	assert.ErrorIs(t, err, project.ErrLater)
	_, err = project.Read([]byte(many(2000, 10)))
	assert.NoError(t, err, "as many as there may be")
	p, err := project.Read([]byte(doc[:strings.Index(doc, `"looks":`)] + `"looks":[]}`))
	require.NoError(t, err)
	assert.Len(t, p.Looks, 1, "a project without looks is given one")
}

// many is a document of looks with that many nodes each.
func many(nodes, looks int) string {
	var b strings.Builder
	b.WriteString(`{"version":1,"name":"p","stage":{"models":[],"lights":[],"camera":{"azimuth":0,"elevation":0,"target":[0,0,0],"distance":6,"angle":28},"backdrop":{"color":"#26414D"}},"looks":[`)
	for i := range looks {
		fmt.Fprintf(&b, `%s{"id":"look%d","name":"L","nodes":[{"id":"e","kind":"finish"}%s]}`, strings.Repeat(",", min(i, 1)), i+1, facings(nodes-1))
	}
	return b.String() + `]}`
}

func facings(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, `,{"id":"n%d","kind":"facing"}`, i+1)
	}
	return b.String()
}

// What is stored is what is shown, and what edits were made on stays as it is.
func TestReviseReadsWhatWillBeStored(t *testing.T) {
	p := project.New("p")
	before := document(t, p)
	now, doc, outcomes, err := p.Revise([]project.Edit{{Op: "node.add", Look: "look1", Kind: "ramp"}, {Op: "node.rename", Look: "look1", Node: "n5", Name: " Copper\u202e bands\x00 "}})
	require.NoError(t, err)
	require.Len(t, outcomes, 2)
	assert.Equal(t, "n5", outcomes[0].Created)
	assert.Equal(t, "Copper bands", now.Looks[0].Node("n5").Name)
	assert.Equal(t, string(doc), document(t, now))
	assert.Equal(t, before, document(t, p))
	for why, edits := range map[string][]project.Edit{
		"not something":  {{Op: "node.add", Look: "look1", Kind: "ramp"}, {Op: "nothing"}},
		"longer than":    {{Op: "project.rename", Name: strings.Repeat("n", 4<<20)}},
		"cannot be swap": {{Op: "node.swap", Look: "look1", Node: "n4", From: "colour", To: "lines"}},
	} {
		_, _, _, err := p.Revise(edits)
		assert.ErrorContains(t, err, why)
		assert.Equal(t, before, document(t, p))
	}
}

// Entries of lists and what groups show have ids too, and those are told apart from
// what was there before an undo: Given goes along where the document goes back.
func TestWhatWasGivenIsNotGivenAgain(t *testing.T) {
	p := project.New("p")
	on(t, p, project.Edit{Op: "node.add", Kind: "layers"})
	on(t, p, project.Edit{Op: "group.make", Nodes: []string{"n2"}})
	makes := []project.Edit{
		{Op: "list.add", Look: "look1", Node: "n5"},
		{Op: "group.expose", Group: "g1", Node: "n2", Key: "mixing"},
	}
	keys := func(p *project.Project) (out []string) {
		d := p.Looks[0].Node("n5")
		for _, in := range p.Catalogue().Of(d).Inputs {
			out = append(out, in.Key)
		}
		for _, in := range p.Groups[0].Inputs {
			out = append(out, "shown "+in.Key)
		}
		return out
	}
	was := keys(p)
	seen := map[string]bool{}
	given := p.Given
	for range 30 {
		back, err := project.Read([]byte(document(t, p)))
		require.NoError(t, err)
		back.Given.Join(given)
		now, _, _, err := back.Revise(makes)
		require.NoError(t, err)
		fresh := 0
		for _, key := range keys(now) {
			if !strings.Contains(strings.Join(was, " ")+" ", key+" ") {
				require.False(t, seen[key], "%s was given before", key)
				seen[key] = true
				fresh++
			}
		}
		require.GreaterOrEqual(t, fresh, 2)
		given = now.Given
	}
}

// Groups of one name are one only where they are the same to the letter.
func TestGroupsThatComeInAreToldApart(t *testing.T) {
	p := project.New("p")
	on(t, p, project.Edit{Op: "group.make", Nodes: []string{"n1"}, Name: "Light"})
	finish := project.NewLook().Nodes[3:]
	finish[0].In = nil
	bring := func(change func(g *network.Group)) int {
		groups := p.UsedGroups(&p.Looks[0].Network)
		change(&groups[0])
		q := p.Clone()
		apply(t, q, project.Edit{Op: "look.add", Name: "In", Network: &network.Network{Nodes: append([]network.Node{{ID: "a", Kind: network.GroupPrefix + groups[0].ID}}, finish...)}, Groups: groups})
		return len(q.Groups)
	}
	assert.Equal(t, 1, bring(func(g *network.Group) {}))
	assert.Equal(t, 1, bring(func(g *network.Group) { g.ID = "g7" }), "its id does not count")
	assert.Equal(t, 2, bring(func(g *network.Group) { g.Name = "Other" }))
	assert.Equal(t, 2, bring(func(g *network.Group) { g.Note = "other" }))
	assert.Equal(t, 2, bring(func(g *network.Group) { g.Nodes[0].Set = map[string]any{"wrap": 0.5} }))
	assert.Equal(t, 2, bring(func(g *network.Group) { g.Nodes = append(g.Nodes, network.Node{ID: "n9", Kind: "ramp"}) }))
	on(t, p, project.Edit{Op: "group.single", Node: "n5"})
	groups := p.UsedGroups(&p.Looks[0].Network)
	p.Groups[1].Name = p.Groups[0].Name // two that are the same: the one of the same id is taken
	groups[0].Name = p.Groups[0].Name
	q := p.Clone()
	o := apply(t, q, project.Edit{Op: "group.bring", Look: "look1", Groups: groups})
	assert.Equal(t, network.GroupPrefix+groups[0].ID, q.Looks[0].Node(o.Created).Kind)
}

// A look that is on no part is put on in one edit: in place of the one that is
// shown, or on all parts where nothing wears that.
func TestPuttingOnALook(t *testing.T) {
	p := project.New("p")
	refused(t, p, "no part of a model", project.Edit{Op: "look.wear"})
	apply(t, p, project.Edit{Op: "model.add", Kind: "cube"})
	apply(t, p, project.Edit{Op: "model.add", Kind: "sphere"})
	apply(t, p, project.Edit{Op: "look.add", Name: "Copper"})
	apply(t, p, project.Edit{Op: "look.add", Name: "Ink"})
	apply(t, p, project.Edit{Op: "look.assign", ID: "model2", Look: "look2"})
	looks := func() (out []string) {
		for _, m := range p.Stage.Models {
			for _, look := range m.Looks {
				out = append(out, look)
			}
		}
		return out
	}
	require.Equal(t, []string{"look1", "look2"}, looks())
	assert.True(t, p.Worn("look1"))
	assert.False(t, p.Worn("look3"))
	o := apply(t, p, project.Edit{Op: "look.wear", Look: "look3", ID: "look2"})
	assert.Equal(t, []string{"look1", "look3"}, looks())
	assert.Equal(t, "Ink is on the parts that wore Copper.", o.Note)
	assert.Equal(t, "put on Ink", o.Label)
	for _, instead := range []string{"look2", "look3", "", "gone"} { // worn by none, itself, none at all
		q := p.Clone()
		o = apply(t, q, project.Edit{Op: "look.wear", Look: "look3", ID: instead})
		assert.Equal(t, "Ink is on all parts.", o.Note)
		assert.False(t, q.Worn("look1"))
	}
	refused(t, p, "no look", project.Edit{Op: "look.wear", Look: "gone"})
}
