package live

import (
	"fmt"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
)

// The tools that ask the picture itself: what is behind a pixel, and which band
// edge the hand holds. They are answered by the goroutine that draws, between two
// passes of a picture that is settling.

// point is one question.
type point struct {
	said
	phase string // down, move or up
}

// grip is the band edge that the hand holds.
type grip struct {
	picture.Grip
	edit   project.Edit // that moves it; its value is put in
	lo, hi float64      // between its neighbours
	title  string
	moved  bool
}

// ask puts a question to the drawing goroutine; s.mu is held. Of movements only
// the last counts.
func (s *session) ask(m said) {
	p := point{m, m.Phase}
	if n := len(s.points); n > 0 && p.phase == "move" && s.points[n-1].phase == "move" {
		s.points[n-1] = p
	} else if n < 100 {
		s.points = append(s.points, p)
	}
	s.rouse()
}

// answer answers what has been asked; of the drawing goroutine.
func (s *drawer) answer() {
	s.mu.Lock()
	asked := s.points
	s.points = nil
	s.mu.Unlock()
	for _, p := range asked {
		var err error
		switch p.Tool {
		case "ask":
			if p.phase != "up" { // where it went down, and as it moves
				err = s.trail(p.X, p.Y)
			}
		case "edge":
			err = s.edge(p)
		}
		if err != nil {
			s.problem(err)
		}
	}
}

// hintf writes on the rim of the picture what a tool is doing.
func (s *session) hintf(format string, args ...any) {
	s.tell(map[string]any{"t": "doing", "text": fmt.Sprintf(format, args...)})
}

// edge follows the hand that drags a band edge.
func (s *drawer) edge(p point) error {
	w := s.drawn
	if w.project == nil {
		return nil
	}
	if p.phase == "down" {
		s.grip = nil
		prefer := strings.TrimPrefix(w.view.Path+"/"+w.view.Node, "/")
		g, ok, err := s.renderer.Grip(s.ctx, p.X, p.Y, prefer)
		if err != nil {
			return err
		}
		if !ok {
			s.hintf("No band edge of a ramp or a soft step within %d pixels.", 12)
			return nil
		}
		if s.grip, err = hold(w.project, g); err == nil {
			s.hintf("Holding %s.", s.grip.title)
		}
		return err
	}
	g := s.grip
	if g == nil {
		return nil
	}
	tone, err := s.renderer.Held(s.ctx, g.Grip, p.X, p.Y)
	switch {
	case err != nil:
		s.hintf("%s stays: that place does not wear its look.", g.title)
	case float64(tone) < g.lo || float64(tone) > g.hi:
		s.hintf("%s stays: the tone here is %s, beyond %s to %s.", g.title, node.Short(float64(tone)), node.Short(g.lo), node.Short(g.hi))
	default:
		g.moved = true
		if g.edit.Op == "node.input" {
			g.edit.Value = float64(tone)
		} else {
			g.edit.Value = map[string]any{"at": float64(tone)}
		}
		s.hintf("%s at %s.", g.title, node.Short(float64(tone)))
	}
	s.mu.Lock()
	if g.moved {
		s.trial, s.hand = []project.Edit{g.edit}, false
		s.touch()
	}
	s.mu.Unlock()
	if p.phase != "up" {
		return nil
	}
	s.grip = nil
	if !g.moved {
		return nil
	}
	return s.keep(g.edit)
}

// hold returns how the edge of a grip is moved.
func hold(p *project.Project, g picture.Grip) (*grip, error) {
	at, ok := p.Locate(g.Look, g.Node)
	if !ok {
		return nil, errNothing
	}
	cat, d, e := p.Catalogue(), at.Node, at.Edit
	e.Op, e.Key, e.Index = "ramp.stop", g.Key, g.Index
	out := &grip{Grip: g, edit: e, lo: 0, hi: 1, title: d.Title(cat)}
	s := cat.Of(d).Setting(g.Key)
	if s == nil || s.Type != network.Stops {
		out.edit.Op, out.edit.Index = "node.input", 0
		out.lo, out.hi = -1e6, 1e6
		return out, nil
	}
	stops := d.Value(s).([]color.Stop)
	if g.Index < 1 || g.Index >= len(stops) {
		return nil, errNothing
	}
	if out.lo = float64(stops[g.Index-1].At); g.Index+1 < len(stops) {
		out.hi = float64(stops[g.Index+1].At)
	}
	name := stops[g.Index].Name
	if name == "" {
		name = fmt.Sprintf("band %d", g.Index+1)
	}
	out.title = fmt.Sprintf("the edge of %s, %s", name, out.title)
	return out, nil
}

// trail shows how a pixel came to its colour.
func (s *drawer) trail(x, y float64) error {
	w := s.drawn
	if w.project == nil {
		return nil
	}
	t, err := s.renderer.Trail(s.ctx, x, y)
	if err != nil {
		return nil // beside the picture
	}
	html, err := s.studio.pages.Trail(w.project, t)
	if err != nil {
		return err
	}
	s.tell(map[string]any{"t": "trail", "html": html, "x": x, "y": y})
	return nil
}
