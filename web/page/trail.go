package page

import (
	"fmt"
	"math"
	"slices"

	"mobanta/core/check"
	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
)

// What tabs show as HTML beside their pictures.

// Checks shows remarks about a project, by its id.
func (p *Pages) Checks(project string, list []check.Remark, dismissed int) (string, error) {
	html, err := p.Render("checks", map[string]any{"ID": project, "List": list, "Dismissed": dismissed})
	return string(html), err
}

// Trail shows how a pixel came to its colour.
func (p *Pages) Trail(doc *project.Project, t *picture.Trail) (string, error) {
	html, err := p.Render("trail", trailView(doc, t))
	return string(html), err
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
