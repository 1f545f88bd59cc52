package scene

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/stage"
)

// Key says what a picture shows, and how large it is.
type Key [sha256.Size]byte

// View is what of a picture is not the project's: its size, and what is shown in place of the finished picture.
type View struct {
	W, H       int
	Look, Peek string
	Plate      string
	Before     bool // without the grade
}

// Stamp says what a project shows at its moment: two that show the same have the same. So an edit lets go of the
// frames that it concerns, and of no others, and what is undone finds its frames again.
func Stamp(p *project.Project, v View) (Key, error) {
	m := *p.Moment()
	worn := map[string]bool{v.Look: v.Peek != ""}
	for i := range m.Stage.Models {
		for _, look := range m.Stage.Models[i].Looks {
			worn[look] = true
		}
	}
	var looks []project.Look
	for i := range m.Looks {
		if worn[m.Looks[i].ID] {
			l := m.Looks[i]
			l.Name, l.Dials, l.Sections, l.Given = "", nil, nil, nil
			looks = append(looks, l)
		}
	}
	m.Looks = looks
	if !Timed(&m) {
		m.Stage.Time = stage.Time{}
	}
	m.Stage.Time.First, m.Stage.Time.Last, m.Stage.Time.Once = 0, 0, false
	m.Name, m.Swatches, m.BandSets, m.Dismissed, m.Moves, m.Stagings = "", nil, nil, nil, nil, nil
	data, err := json.Marshal(&m)
	if err != nil {
		return Key{}, fmt.Errorf("scene: %w", err)
	}
	h := sha256.New()
	fmt.Fprintf(h, "%+v ", v)
	h.Write(data)
	return Key(h.Sum(nil)), nil
}

// Timed tells whether anything but moves depends on the time: a node that reads it, or a model that moves by itself.
func Timed(p *project.Project) bool {
	for i := range p.Stage.Models {
		if p.Stage.Models[i].Moves() {
			return true
		}
	}
	cat := p.Catalogue()
	for i := range p.Looks {
		if reads(&p.Looks[i].Network, cat, node.Catalogue{}) {
			return true
		}
	}
	for i := range p.Groups {
		if reads(&p.Groups[i].Network, cat, node.Catalogue{}) {
			return true
		}
	}
	return false
}

// Moves tells whether anything of a project can be another at another time.
func Moves(p *project.Project) bool {
	for i := range p.Moves {
		if !p.Moves[i].Off {
			return true
		}
	}
	return Timed(p)
}

// reads tells whether a node of a network reads the time.
func reads(n *network.Network, cat network.Grouped, kinds node.Catalogue) bool {
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if cat.GroupOf(d) == nil && !d.Off {
			if k := kinds.Kind(d.Kind); k != nil && k.Timed {
				return true
			}
		}
	}
	return false
}
