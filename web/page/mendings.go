package page

import "mobanta/core/mesh"

// mending is a toggle for one thing that can be mended of a model.
type mending struct {
	mesh.Mending
	On   bool
	Then string // what is mended once it is pressed, as its edit says it
}

// mendings returns the toggle of all faces of a model of which that is mended, and those of each kind; that of its distance is
// there only while it is mended, as few models have one.
func mendings(now mesh.Mends) (faces mending, each []mending) {
	faces.On, faces.Then = now&mesh.MendFaces != 0, (now | mesh.MendFaces).String()
	if faces.On {
		faces.Then = (now &^ mesh.MendFaces).String()
	}
	for _, m := range mesh.Mendings {
		if on := now&m.Mends != 0; on || faces.On && m.Mends&mesh.MendFaces != 0 {
			each = append(each, mending{m, on, (now ^ m.Mends).String()})
		}
	}
	return faces, each
}
