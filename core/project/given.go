package project

import (
	"maps"
	"strconv"

	"mobanta/core/network"
)

// Given tells, by scope and by the letters that ids begin with, the highest number
// that an id had in the whole history of a document: no id is given twice, so that
// what a page says of something that an undo took away never falls on something
// else. A scope is "" for the project, or the id of a look or group for what is
// inNetwork it.
type Given map[string]map[string]int

func (g Given) clone() Given {
	out := make(Given, len(g))
	for scope, of := range g {
		out[scope] = maps.Clone(of)
	}
	return out
}

// Join takes in what o tells.
func (g Given) Join(o Given) {
	for scope, of := range o {
		for letters, v := range of {
			g.note(scope, letters, v)
		}
	}
}

func (g Given) note(scope, letters string, number int) {
	if number <= g[scope][letters] {
		return
	}
	if g[scope] == nil {
		g[scope] = map[string]int{}
	}
	g[scope][letters] = number
}

func (g Given) id(scope, id string) {
	letters, number := network.Numbered(id)
	g.note(scope, letters, max(1, number)) // one without a number counts as the first
}

// entry is the scope of the keys in the list of a node, and shown that of what a
// group shows outside.
func entry(scope, node string) string { return scope + "/" + node }
func shown(group string) string       { return group + "/shown" }

// remember notes the ids of all that there is, and tells the networks.
func (p *Project) remember() {
	if p.Given == nil {
		p.Given = Given{}
	}
	g := p.Given
	for i := range p.Stage.Models {
		g.id("", p.Stage.Models[i].ID)
	}
	for i := range p.Stage.Lights {
		g.id("", p.Stage.Lights[i].ID)
	}
	for i := range p.Swatches {
		g.id("", p.Swatches[i].ID)
	}
	for i := range p.BandSets {
		g.id("", p.BandSets[i].ID)
	}
	for i := range p.Stagings {
		g.id("", p.Stagings[i].ID)
	}
	for i := range p.Looks {
		g.id("", p.Looks[i].ID)
		g.network(p.Looks[i].ID, &p.Looks[i].Network)
	}
	for i := range p.Groups {
		of := &p.Groups[i]
		g.id("", of.ID)
		g.network(of.ID, &of.Network)
		for _, list := range [2][]network.Exposed{of.Inputs, of.Outputs} {
			for k := range list {
				letters, number := network.Numbered(list[k].Key)
				g.note(shown(of.ID), letters, max(1, number))
			}
		}
		of.Shown = g[shown(of.ID)]
	}
}

func (g Given) network(scope string, n *network.Network) {
	for i := range n.Nodes {
		d := &n.Nodes[i]
		g.id(scope, d.ID)
		for _, v := range d.Set {
			if l := listOf(v); l != nil {
				for _, key := range l.keys() {
					g.note(entry(scope, d.ID), "", ordinal(key))
				}
			}
		}
	}
	for i := range n.Sections {
		g.id(scope, n.Sections[i].ID)
	}
	for i := range n.Dials {
		g.id(scope, n.Dials[i].ID)
	}
	n.Given = g[scope]
}

// nextID returns the id of the project with those letters that comes next.
func (p *Project) nextID(letters string) string {
	return network.NextID(letters, func(letters string) int { return p.Given[""][letters] })
}

// freshID gives that id away.
func (p *Project) freshID(letters string) string {
	id := p.nextID(letters)
	p.Given.id("", id)
	return id
}

// ordinal returns which entry of a list has that key: 1 to 26 for a to z, from 27 on
// the number of k27, k28 and so on; 0 for a key that was not given by us.
func ordinal(key string) int {
	if len(key) == 1 && key[0] >= 'a' && key[0] <= 'z' {
		return int(key[0]-'a') + 1
	}
	if letters, number := network.Numbered(key); letters == "k" {
		return number
	}
	return 0
}

// ordinalKey is the inverse of ordinal.
func ordinalKey(n int) string {
	if n <= 26 {
		return string(rune('a' + n - 1))
	}
	return "k" + strconv.Itoa(n)
}
