package page

import "mobanta/core/mesh"

// mending is a toggle for one thing that can be mended of a model.
type mending struct {
	mesh.Mending
	On   bool
	Then string // what is mended once it is pressed, as its edit says it
}

// mendings returns the toggles of a model of which that is mended.
func mendings(now mesh.Mends) (out []mending) {
	for _, m := range mesh.Mendings {
		out = append(out, mending{m, now&m.Mends != 0, (now ^ m.Mends).String()})
	}
	return out
}
