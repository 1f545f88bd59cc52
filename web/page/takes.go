package page

import (
	"bytes"
	"fmt"
	"net/url"
	"slices"

	"mobanta/core/frame"
	"mobanta/core/project"
)

// TakeView is a take as its panel shows it.
type TakeView struct {
	*project.Take
	Index int
	Here  bool   // whether the project is in its state
	Still string // the address of its picture
	Last  bool
}

// Holding is an aspect and whether a take holds it.
type Holding struct {
	Aspect project.Aspect
	On     bool
}

// Holding lists what the take may hold.
func (t *TakeView) Holding() (out []Holding) {
	for _, a := range project.Aspects {
		out = append(out, Holding{a, t.Holds(a)})
	}
	return out
}

// Held says in words what a take that does not hold everything holds.
func (t *TakeView) Held() string {
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

// The size of a take's picture, in pixels.
const takeW, takeH = 240, 150

// still returns the address of a picture of one side of a project; it changes with what the picture shows.
func still(id, of string, p *project.Project, w, h int) (string, error) {
	stamp, err := frame.Stamp(p, frame.View{W: w, H: h})
	if err != nil {
		return "", err
	}
	q := url.Values{"of": {of}, "w": {fmt.Sprint(w)}, "h": {fmt.Sprint(h)}, "v": {fmt.Sprintf("%x", stamp[:8])}}
	return "/p/" + id + "/still.png?" + q.Encode(), nil
}

// Now returns the address of the picture of the project as it is.
func (d *Desk) Now() (string, error) { return still(d.State.ID, "now", d.State.Project, takeW, takeH) }

// Takes lists the project's takes.
func (d *Desk) Takes() ([]TakeView, error) {
	p := d.State.Project
	var out []TakeView
	now := p.StateKey()
	for i := range p.Takes {
		t := &p.Takes[i]
		with := p.With(t)
		at, err := still(d.State.ID, "take/"+t.ID, with, takeW, takeH)
		if err != nil {
			return nil, err
		}
		out = append(out, TakeView{Take: t, Index: i, Here: bytes.Equal(now, with.StateKey()), Still: at, Last: i == len(p.Takes)-1})
	}
	return out, nil
}

// Here tells whether the project is in the state of one of its takes, and of which.
func here(list []TakeView) string {
	if i := slices.IndexFunc(list, func(t TakeView) bool { return t.Here }); i >= 0 {
		return list[i].Name
	}
	return ""
}
