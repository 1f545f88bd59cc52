// Package project holds one piece of work, a stage and its looks, as one document, and the edits that artists make to it.
package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
)

// Version is the version of the document that this program writes.
const Version = 1

// MaxLooks limits the looks of one project.
const MaxLooks = 100

// Project is one piece of work.
type Project struct {
	Version int         `json:"version"`
	Name    string      `json:"name"`
	Stage   stage.Stage `json:"stage"`
	Looks   []Look      `json:"looks"`
}

// Look is one shading network with a name.
type Look struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	network.Network
}

// New returns an empty project with one look, ready to wear.
func New(name string) *Project {
	return &Project{Version: Version, Name: name, Stage: stage.New(), Looks: []Look{{ID: "look1", Name: "First look", Network: NewLook()}}}
}

// NewLook returns the network that a new look starts with: light cut into four
// visible bands, and ink lines.
func NewLook() network.Network {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	return network.Network{Nodes: []network.Node{
		{ID: "n1", Kind: "diffuse-light"},
		{ID: "n2", Kind: "ramp", In: map[string]network.Input{"tone": wire("n1.tone")}},
		{ID: "n3", Kind: "edge-lines"},
		{ID: "n4", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("n2.colour"), "lines": wire("n3.lines")}},
	}}
}

// Clone returns a deep copy.
func (p *Project) Clone() *Project {
	q := *p
	q.Stage.Models = slices.Clone(p.Stage.Models)
	for i := range q.Stage.Models {
		looks := map[string]string{}
		for k, v := range q.Stage.Models[i].Looks {
			looks[k] = v
		}
		q.Stage.Models[i].Looks = looks
	}
	q.Stage.Suns = slices.Clone(p.Stage.Suns)
	q.Looks = slices.Clone(p.Looks)
	for i := range q.Looks {
		q.Looks[i].Network = q.Looks[i].Network.Clone()
	}
	return &q
}

// Look returns the look of that id, nil if there is none.
func (p *Project) Look(id string) *Look {
	for i := range p.Looks {
		if p.Looks[i].ID == id {
			return &p.Looks[i]
		}
	}
	return nil
}

// FindLook returns the look of that id or name, nil if there is none.
func (p *Project) FindLook(name string) *Look {
	if l := p.Look(name); l != nil {
		return l
	}
	for i := range p.Looks {
		if strings.EqualFold(p.Looks[i].Name, name) {
			return &p.Looks[i]
		}
	}
	return nil
}

// Networks returns the looks' networks by id.
func (p *Project) Networks() map[string]*network.Network {
	out := make(map[string]*network.Network, len(p.Looks))
	for i := range p.Looks {
		out[p.Looks[i].ID] = &p.Looks[i].Network
	}
	return out
}

// Settle checks a document that came from outside and makes its values ours.
func (p *Project) Settle() error {
	if p.Version != Version {
		return fmt.Errorf("project: version %d of the document is not known here, only %d", p.Version, Version)
	}
	if err := checkName(p.Name); err != nil {
		return err
	}
	if len(p.Looks) > MaxLooks {
		return fmt.Errorf("project: %d looks, more than the %d that are allowed", len(p.Looks), MaxLooks)
	}
	ids := map[string]bool{}
	for i := range p.Looks {
		l := &p.Looks[i]
		if l.ID == "" || len(l.ID) > 64 || ids[l.ID] {
			return fmt.Errorf("project: look %d needs an id of its own", i+1)
		}
		ids[l.ID] = true
		if err := checkName(l.Name); err != nil {
			return err
		}
		if err := l.Network.Settle(node.Catalogue{}); err != nil {
			return fmt.Errorf("project: look %.40q: %w", l.Name, err)
		}
		if l.Network.Finish() == nil {
			return fmt.Errorf("project: look %.40q has no Finish", l.Name)
		}
	}
	for i := range p.Stage.Models {
		if p.Stage.Models[i].Looks == nil {
			p.Stage.Models[i].Looks = map[string]string{}
		}
	}
	return p.Stage.Check()
}

func checkName(name string) error {
	if strings.TrimSpace(name) == "" {
		return errors.New("project: the name is empty")
	}
	if len(name) > 200 {
		return errors.New("project: the name is longer than 200 bytes")
	}
	return nil
}
