package page

import (
	"bytes"
	"fmt"
	"net/url"
	"slices"

	"mobanta/core/project"
	"mobanta/core/scene"
)

// StagingView is a staging as its panel shows it.
type StagingView struct {
	*project.Staging
	Index int
	Here  bool   // whether the project is in its state
	Still string // the address of its picture
	Last  bool
}

// Holding is an aspect and whether a staging holds it.
type Holding struct {
	Aspect project.Aspect
	On     bool
}

// Holding lists what the staging may hold.
func (t *StagingView) Holding() (out []Holding) {
	for _, a := range project.Aspects {
		out = append(out, Holding{a, t.Holds(a)})
	}
	return out
}

// Held says in words what a staging that does not hold everything holds.
func (t *StagingView) Held() string {
	if len(t.Leaves) == 0 {
		return ""
	}
	out := ""
	for _, a := range project.Aspects {
		if t.Holds(a) {
			if out != "" {
				out += ", "
			}
			out += string(a)
		}
	}
	return out + " only"
}

// The size of a staging's picture, in pixels.
const stagingW, stagingH = 240, 150

// still returns the address of a picture of one side of a project; it changes with what the picture shows.
func still(id, of string, p *project.Project, w, h int) (string, error) {
	stamp, err := scene.Stamp(p, scene.View{W: w, H: h})
	if err != nil {
		return "", err
	}
	q := url.Values{"of": {of}, "w": {fmt.Sprint(w)}, "h": {fmt.Sprint(h)}, "v": {fmt.Sprintf("%x", stamp[:8])}}
	return "/p/" + id + "/still.png?" + q.Encode(), nil
}

// Now returns the address of the picture of the project as it is.
func (d *Desk) Now() (string, error) {
	return still(d.State.ID, "now", d.State.Project, stagingW, stagingH)
}

// Stagings lists the project's stagings.
func (d *Desk) Stagings() ([]StagingView, error) {
	p := d.State.Project
	var out []StagingView
	now := p.StateKey()
	for i := range p.Stagings {
		t := &p.Stagings[i]
		with := p.With(t)
		at, err := still(d.State.ID, "staging/"+t.ID, with, stagingW, stagingH)
		if err != nil {
			return nil, err
		}
		out = append(out, StagingView{Staging: t, Index: i, Here: bytes.Equal(now, with.StateKey()), Still: at, Last: i == len(p.Stagings)-1})
	}
	return out, nil
}

// Here tells whether the project is in the state of one of its stagings, and of which.
func here(list []StagingView) string {
	if i := slices.IndexFunc(list, func(t StagingView) bool { return t.Here }); i >= 0 {
		return list[i].Name
	}
	return ""
}
