package project

import (
	"errors"
	"fmt"
	"maps"
	"slices"

	"mobanta/core/color"
	"mobanta/core/network"
)

// BandSet is band edges that several ramps share: what one of them does to its
// edges, all do.
type BandSet struct {
	ID    string    `json:"id"`
	Name  string    `json:"name"`
	Edges []float32 `json:"edges"` // of the second band and on, rising
}

// MaxBandSets limits the band sets of a project.
const MaxBandSets = 100

// BandSet returns the band set of that id, nil if there is none.
func (p *Project) BandSet(id string) *BandSet {
	for i := range p.BandSets {
		if p.BandSets[i].ID == id {
			return &p.BandSets[i]
		}
	}
	return nil
}

func (p *Project) checkBandSets() error {
	if len(p.BandSets) > MaxBandSets {
		return fmt.Errorf("project: %d band sets, more than the %d that are allowed", len(p.BandSets), MaxBandSets)
	}
	ids := map[string]bool{}
	for i := range p.BandSets {
		s := &p.BandSets[i]
		if err := own(ids, s.ID); err != nil || len(s.Edges) > color.MaxStops {
			return fmt.Errorf("project: band set %d needs an id of its own and at most %d edges", i+1, color.MaxStops)
		}
		if err := setLabel(&s.Name, s.Name); err != nil {
			return fmt.Errorf("project: band set %d: %w", i+1, err)
		}
		for _, e := range s.Edges {
			if !(e >= 0 && e <= 1) {
				return fmt.Errorf("project: an edge of the band set %.40q lies at %v, outside 0 to 1", s.Name, e)
			}
		}
	}
	return nil
}

// follow moves the edges of all ramps that follow a set. Colours stay where they
// are in their order; a ramp with fewer bands follows as far as it goes.
func (p *Project) follow(set *BandSet) error {
	cat := p.Catalogue()
	for _, n := range p.networks() {
		for i := range n.Nodes {
			d := &n.Nodes[i]
			for _, key := range slices.Sorted(maps.Keys(d.Bands)) {
				if d.Bands[key] != set.ID {
					continue
				}
				s := cat.Of(d).Setting(key)
				if s == nil || s.Type != network.Stops {
					delete(d.Bands, key)
					continue
				}
				if err := n.SetValue(cat, d.ID, key, set.moved(d.Value(s).([]color.Stop))); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// moved returns stops at the set's edges.
func (s *BandSet) moved(stops []color.Stop) []color.Stop {
	out := slices.Clone(stops)
	color.SortStops(out)
	if len(s.Edges) > 0 {
		out[0].At = min(out[0].At, s.Edges[0])
	}
	for i := 1; i < len(out); i++ {
		if i <= len(s.Edges) {
			out[i].At = s.Edges[i-1]
		} else {
			out[i].At = max(out[i].At, out[i-1].At)
		}
	}
	return out
}

// Followers returns how many ramps follow a band set.
func (p *Project) Followers(id string) int {
	n := 0
	for _, net := range p.networks() {
		for i := range net.Nodes {
			for _, set := range net.Nodes[i].Bands {
				if set == id {
					n++
				}
			}
		}
	}
	return n
}

// NextBandSet returns the id that the next band set will get.
func (p *Project) NextBandSet() string {
	return p.nextID("bands")
}

func makeBands(r *ramp, e *Edit, o *Outcome) error {
	if len(r.p.BandSets) >= MaxBandSets {
		return fmt.Errorf("project: a project holds at most %d band sets", MaxBandSets)
	}
	set := BandSet{ID: r.p.freshID("bands")}
	if err := setLabel(&set.Name, e.Name); err != nil {
		return err
	}
	if set.Name == "" {
		set.Name = fmt.Sprintf("Bands %d", len(r.p.BandSets)+1)
	}
	for _, s := range r.stops[1:] {
		set.Edges = append(set.Edges, s.At)
	}
	o.Created = set.ID
	r.p.BandSets = append(r.p.BandSets, set)
	r.join(set.ID)
	return nil
}

func (r *ramp) join(id string) {
	if r.node.Bands == nil {
		r.node.Bands = map[string]string{}
	}
	r.node.Bands[r.key] = id
}

func joinBands(r *ramp, e *Edit, o *Outcome) error {
	set := r.p.BandSet(e.ID)
	if set == nil {
		return fmt.Errorf("project: there is no band set %.40q any more", e.ID)
	}
	r.join(set.ID)
	if n := len(set.Edges) + 1; n != len(r.stops) {
		o.Note = fmt.Sprintf("%s has %d bands, this ramp %d: the first %d line up.", set.Name, n, len(r.stops), min(n, len(r.stops)))
	}
	return r.p.follow(set)
}

func leaveBands(r *ramp, e *Edit, o *Outcome) error {
	if r.node.Bands[r.key] == "" {
		return errors.New("project: the ramp follows no band set")
	}
	delete(r.node.Bands, r.key)
	return nil
}

func renameBands(p *Project, e *Edit, o *Outcome) error {
	set := p.BandSet(e.ID)
	if set == nil {
		return fmt.Errorf("project: there is no band set %.40q any more", e.ID)
	}
	return setName(&set.Name, e.Name)
}

// removeBands removes a band set; the ramps keep their edges.
func removeBands(p *Project, e *Edit, o *Outcome) error {
	if p.BandSet(e.ID) == nil {
		return fmt.Errorf("project: there is no band set %.40q any more", e.ID)
	}
	p.BandSets = slices.DeleteFunc(p.BandSets, func(s BandSet) bool { return s.ID == e.ID })
	p.loosen()
	return nil
}
