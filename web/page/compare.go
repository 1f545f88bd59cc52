package page

import (
	"slices"

	"mobanta/core/delivery"
	"mobanta/core/project"
	"mobanta/jobs"
	"mobanta/store"
)

// Side is one thing that can be compared.
type Side struct{ Of, Name string }

// Compare is what the page for comparing shows.
type Compare struct {
	Title   string
	State   *store.State
	Project *project.Project
	Groups  []SideGroup
	A, B    string // the sides that are shown
	Way     string
	Ways    []WayToCompare
}

// SideGroup is sides of one sort.
type SideGroup struct {
	Name string
	List []Side
}

// WayToCompare is how two sides are shown.
type WayToCompare struct{ Key, Name, Help string }

var waysToCompare = []WayToCompare{
	{"wipe", "wipe", "One upon the other, parted by a line that is dragged"}, {"beside", "side by side", "One beside the other"},
	{"blink", "blink", "One after the other in the same place, once a second"}, {"difference", "difference", "How far they lie apart, black where they are the same"},
}

// Compare returns what the page for comparing shows; sides that are not there are chosen.
func (p *Pages) Compare(st *store.State, a, b, way string, list []jobs.Job) *Compare {
	doc := st.Project
	out := &Compare{Title: "Compare: " + doc.Name, State: st, Project: doc, A: a, B: b, Way: way, Ways: waysToCompare}
	out.Groups = []SideGroup{{"The project", []Side{{"now", "Now"}, {"checker", "UV as a checker"}, {"came", "Models as they came"}, {"mended", "Models mended"}}}}
	var stagings, looks []Side
	for i := range doc.Stagings {
		stagings = append(stagings, Side{"staging/" + doc.Stagings[i].ID, doc.Stagings[i].Name})
	}
	for i := range doc.Looks {
		looks = append(looks, Side{"look/" + doc.Looks[i].ID, doc.Looks[i].Name})
	}
	var baked []Side
	for _, j := range list {
		if j.Order.As == delivery.Texture && j.State == jobs.Done {
			baked = append(baked, Side{"baked/" + j.ID, j.Name})
		}
	}
	if baked != nil {
		out.Groups = append(out.Groups, SideGroup{"Baked", baked})
	}
	if stagings != nil {
		out.Groups = append(out.Groups, SideGroup{"Stagings", stagings})
	}
	out.Groups = append(out.Groups, SideGroup{"All parts wear", looks})
	there := func(of string) bool {
		if slices.ContainsFunc(baked, func(s Side) bool { return s.Of == of }) {
			return true
		}
		_, _, err := doc.Side(of)
		return err == nil
	}
	if !there(out.B) {
		out.B = "now"
	}
	if !there(out.A) {
		out.A = append(append(stagings, looks...), Side{Of: "now"})[0].Of
	}
	known := false
	for _, w := range waysToCompare {
		known = known || w.Key == way
	}
	if !known {
		out.Way = waysToCompare[0].Key
	}
	return out
}
