package web

import (
	"bytes"
	"fmt"
	"math"
	"slices"
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
func (s *session) answer() {
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
func (s *session) edge(p point) error {
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
		s.hintf("%s stays: the tone here is %s, beyond %s to %s.", g.title, number(tone), number(g.lo), number(g.hi))
	default:
		g.moved = true
		if g.edit.Op == "node.input" {
			g.edit.Value = float64(tone)
		} else {
			g.edit.Value = map[string]any{"at": float64(tone)}
		}
		s.hintf("%s at %s.", g.title, number(tone))
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
func (s *session) trail(x, y float64) error {
	w := s.drawn
	if w.project == nil {
		return nil
	}
	t, err := s.renderer.Trail(s.ctx, x, y)
	if err != nil {
		return nil // beside the picture
	}
	var buf bytes.Buffer
	if err := s.server.templates.ExecuteTemplate(&buf, "trail", trailView(w.project, t)); err != nil {
		return err
	}
	s.tell(map[string]any{"t": "trail", "html": buf.String(), "x": x, "y": y})
	return nil
}

// trailPage is what the trail's template shows.
type trailPage struct {
	X, Y  int
	Part  string
	Look  string // its name
	ID    string // of the look
	Steps []trailStep
	Notes []string // what lies between the finish and the pixel
	Hex   string   // of the pixel
	Alpha int      // percent
}

type trailStep struct {
	Node, Path, Title, Kind, Icon string
	Outs                          []trailOut
	Band                          string
}

type trailOut struct{ Name, Text, Hex string }

func trailView(p *project.Project, t *picture.Trail) trailPage {
	out := trailPage{X: t.X, Y: t.Y, Hex: color.FromBytes(t.Shown[0], t.Shown[1], t.Shown[2]).Hex(), Alpha: int(math.Round(float64(t.Shown[3]) / 2.55))}
	l := p.Look(t.Part.Look)
	if l != nil {
		out.Part, out.Look, out.ID = t.Part.Name, l.Name, l.ID
		for _, step := range t.Steps {
			if v, ok := stepView(p, l.ID, step); ok {
				out.Steps = append(out.Steps, v)
			}
		}
	}
	finish := hex(t.Finish)
	switch {
	case t.Part.Name == "":
		out.Notes = append(out.Notes, "No model here: the backdrop, "+finish+".")
	case t.Cover < 1:
		out.Notes = append(out.Notes, fmt.Sprintf("Finish: %s, %d %% over the backdrop.", finish, int(t.Cover*100)))
	default:
		out.Notes = append(out.Notes, "Finish: "+finish+".")
	}
	if t.Lines > 0.004 {
		out.Notes = append(out.Notes, fmt.Sprintf("Lines cover %d %% of the pixel.", int(math.Round(float64(t.Lines)*100))))
	}
	if t.Passes > 1 {
		out.Notes = append(out.Notes, fmt.Sprintf("An edge runs through: the mean of %d positions in the pixel.", t.Passes))
	}
	return out
}

// stepView shows one node of the trail; false for what no one sees, such as what
// stands in for a bypassed node.
func stepView(p *project.Project, look string, step picture.TrailStep) (v trailStep, ok bool) {
	at, ok := p.Locate(look, step.ID)
	if !ok {
		return v, false
	}
	cat, d := p.Catalogue(), at.Node
	v.Node, v.Path = d.ID, at.Path
	spec := cat.Of(d)
	v.Title, v.Kind, v.Icon = d.Title(cat), spec.Name, spec.Family
	for _, o := range step.Outs {
		c := color.C(o.V)
		e := trailOut{Name: o.Port.Name}
		switch o.Port.Type {
		case network.Tone:
			e.Text, e.Hex = number(o.V[0]), color.C{c[0], c[0], c[0]}.Hex()
		case network.Color:
			e.Text, e.Hex = c.Hex(), c.Hex()
			if slices.Max(o.V[:]) > 1.0005 {
				e.Text = fmt.Sprintf("%s (%s, %s, %s)", c.Hex(), number(c[0]), number(c[1]), number(c[2]))
			}
		default:
			e.Text = fmt.Sprintf("%s, %s, %s", number(o.V[0]), number(o.V[1]), number(o.V[2]))
		}
		v.Outs = append(v.Outs, e)
	}
	if cut := node.CutOf(d); cut != nil && len(step.In) == len(spec.Inputs) {
		v.Band = cut.Note(&node.About{Node: d, Spec: spec}, step.In)
	}
	return v, true
}
