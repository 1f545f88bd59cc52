package contour

import (
	"slices"

	"mobanta/core/parallel"
	"mobanta/core/trace"
)

const (
	// beside is how near a line must lie for an outline of the faces to be drawn already, in thousandths of the page's
	// height, or in parts of how long its edge is on the page.
	besideLine, besideEdge = 5, 0.1
	// before is how far what an outline lies before must be behind it, in sizes of the stage.
	before = 0.02
)

// outlines finds what is left of the outlines of the faces themselves, where the surface that their normals stand for
// has no contour: on meshes so coarse or rough that the two are not the same. They count only where something far
// behind, or nothing, shows beside them, and where no line is drawn yet.
func (f *finder) outlines(rays *trace.Scene, drawn []Curve, workers int) []Curve {
	g := &finder{Mesh: f.Mesh, view: f.view, scene: f.scene, want: f.want, facing: f.facing, byKnot: map[int32]int32{}, byEdge: map[int64]int32{}, byFaces: true}
	faces := make([]bool, len(f.geo.Tri)) // whether a face faces the eye
	f.over(workers, len(faces), func(t int) {
		faces[t] = f.flat[t].Dot(toEye(f.view, f.geo.Pos[f.geo.Tri[t][0]])) > 0
	})
	told := make([]bool, len(f.first))   // the knots about which the surface has a contour
	untold := make([]bool, len(f.first)) // those about which it is left out
	for i := range f.pieces {
		if p := &f.pieces[i]; p.kind == Contour {
			by := told
			if f.untold[p.tri] {
				by = untold
			}
			for _, v := range f.geo.Tri[p.tri] {
				by[f.knot[v]] = true
			}
		}
	}
	tells := func(knot int32) bool { return told[knot] && !untold[knot] }
	for i := range f.edges {
		e := &f.edges[i]
		if e.tri[1] < 0 || faces[e.tri[0]] == faces[e.tri[1]] || !e.turned || tells(e.knot[0]) || tells(e.knot[1]) {
			continue
		}
		side := 0
		if !faces[e.tri[0]] {
			side = 1
		}
		if f.want.On[f.geo.TriPart[e.tri[side]]] {
			g.edgePiece(Contour, i, side, 0, 1)
		}
	}
	unit := float32(f.view.H) / 1000
	near := newNear(drawn, besideLine*unit)
	chains := g.chains()
	found := make([][]Curve, len(chains))
	parallel.Do(workers, len(chains), func(i int) {
		l := g.laid(chains[i])
		some := false
		for k := range l.Places {
			within := besideEdge * l.edge[k]
			if v := f.geo.Tri[l.Places[k].Tri]; untold[f.knot[v[0]]] || untold[f.knot[v[1]]] || untold[f.knot[v[2]]] {
				within = 0 // what was beside it is not drawn
			}
			if l.away[k] || near.has(&l.Places[k], within) {
				l.away[k] = true
				continue
			}
			// Past the outline, and on.
			d := toEye(f.view, l.at[k].on).Unit()
			h, ok := rays.Nearest(l.at[k].off.Sub(d.Mul(1e-4*f.geo.Size)), d.Mul(-1), 4*f.geo.Size)
			if l.away[k] = ok && h.T < before*f.geo.Size; !l.away[k] {
				some = true
			}
		}
		if some {
			found[i] = g.seen(rays, l)
		}
	})
	return slices.Concat(found...)
}

// near tells whether any of some curves' places lies near another.
type near struct {
	side  float32
	cells map[[2]int32][][2]float32
}

func newNear(curves []Curve, side float32) *near {
	n := &near{side, map[[2]int32][][2]float32{}}
	for i := range curves {
		for _, p := range curves[i].Places {
			c := [2]int32{int32(p.X / side), int32(p.Y / side)}
			if at := n.cells[c]; len(at) < 4 {
				n.cells[c] = append(at, [2]float32{p.X, p.Y})
			}
		}
	}
	return n
}

// has tells whether one lies within side, or within so much if that is more.
func (n *near) has(p *Place, within float32) bool {
	within = min(max(within, n.side), 12*n.side)
	reach := int32(within/n.side) + 1
	x, y := int32(p.X/n.side), int32(p.Y/n.side)
	for i := x - reach; i <= x+reach; i++ {
		for j := y - reach; j <= y+reach; j++ {
			for _, q := range n.cells[[2]int32{i, j}] {
				if dx, dy := q[0]-p.X, q[1]-p.Y; dx*dx+dy*dy <= within*within {
					return true
				}
			}
		}
	}
	return false
}
