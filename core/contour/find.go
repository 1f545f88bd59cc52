package contour

import (
	"context"
	"math"
	"slices"
	"sync"

	"mobanta/core/names"
	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Kind is what a curve is.
type Kind uint8

// The kinds.
const (
	Contour    Kind = iota // where the surface turns away from the eye
	Crease                 // where it bends sharply
	Border                 // where it ends
	Seam                   // where one part of a model meets another
	Crossing               // where two surfaces cut through each other
	Suggestive             // where it would turn away from an eye a little to the side
	Level                  // where a tone passes a level; these are found on the page, not here
	Kinds
)

// String returns its name.
func (k Kind) String() string {
	return names.Nth(int(k), "contour", "crease", "border", "seam", "crossing", "suggestive", "level")
}

// Wanted says what is looked for.
type Wanted struct {
	Of    [Kinds]bool
	Bends float64 // degrees: an edge that bends by more is a crease
	On    []bool  // per part: whose lines are looked for
	Step  float32 // how far apart places of a curve are at most, in pixels
	Gap   float32 // what is hidden between two pieces of a curve is closed if it is shorter, in pixels
	// Bridge is how long what bends a little less than a crease must may be between two creases of one line, in pixels.
	Bridge float32
}

// Curve is a line that the eye sees, in the order in which a hand would draw it.
type Curve struct {
	Kind   Kind
	Part   int32 // whose line it is
	Closed bool  // a ring, whose last place is its first
	Places []Place
}

// Place is a place of a curve.
type Place struct {
	X, Y    float32 // in pixels from the top left corner
	Near    float32 // as stage.View has it
	Tri     int32   // on which it lies
	Weights [2]float32
	Normal  vec.V // away from the surface, unit
	Corner  bool  // whether the curve bends sharply here; a ring with corners begins at one
}

// node is where two pieces of a curve meet.
type node struct {
	p       vec.V
	n       vec.V   // which way the surface lies open, unit
	lift    float32 // how far off the surface it is asked whether a place is seen
	within  float32 // see spot
	along   float32 // which part of the way along its edge
	x, y    float32
	near    float32
	tx, ty  float32 // along the curve on the page, unit; 0, 0 where that is not known
	corner  bool    // whether curves may bend sharply here
	outside bool    // whether it lies behind the eye
}

// piece runs straight over a triangle, or along its side.
type piece struct {
	kind  Kind
	part  int32
	tri   int32
	whole [2]int32      // what it is on; the second only of crossings
	end   [2]int32      // nodes
	w     [2][2]float32 // weights in the triangle
}

// finder looks for curves as an eye sees them.
type finder struct {
	*Mesh
	view   *stage.View
	scene  *stage.Scene
	want   *Wanted
	facing []float32 // per vertex: how much its normal turns to the eye; its sign counts
	nodes  []node
	byKnot map[int32]int32
	byEdge map[int64]int32 // of one side of an edge, or of a place on it
	byRow  []int32         // by edge, one more than the node at which a smooth surface turns; 0 for none
	pieces []piece
	// byFaces tells that edges lie open between their faces, whatever the normals say.
	byFaces bool
	mu      sync.Mutex
	untold  map[int32]bool // triangles whose contour is left out; see bare
}

// toEye returns the direction from a place to the eye; not unit.
func toEye(v *stage.View, p vec.V) vec.V {
	if v.Ortho {
		return v.Back
	}
	return v.Eye.Sub(p)
}

// find gathers the pieces.
func (f *finder) find(ctx context.Context, workers int) error {
	f.byKnot, f.byEdge = map[int32]int32{}, map[int64]int32{}
	if f.want.Of[Contour] || f.want.Of[Crease] || f.want.Of[Border] || f.want.Of[Seam] {
		f.facing = make([]float32, len(f.geo.Pos))
		f.over(workers, len(f.facing), func(i int) {
			f.facing[i] = f.normal[i].Dot(toEye(f.view, f.geo.Pos[i]))
		})
		f.along()
	}
	if f.want.Of[Contour] {
		f.byRow = make([]int32, len(f.edges))
		for _, t := range f.passing(workers, f.facing, 0) {
			f.contour(t)
		}
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if f.want.Of[Suggestive] {
		f.suggestive(workers)
	}
	if f.want.Of[Crossing] {
		f.crossings(workers)
	}
	return ctx.Err()
}

const chunk = 8192

func (f *finder) over(workers, n int, do func(i int)) {
	parallel.Do(workers, (n+chunk-1)/chunk, func(job int) {
		for i := job * chunk; i < min(n, (job+1)*chunk); i++ {
			do(i)
		}
	})
}

// passing returns the triangles of wanted parts over which values pass a level, in order.
func (f *finder) passing(workers int, values []float32, level float32) []int32 {
	out := make([][]int32, (len(f.geo.Tri)+chunk-1)/chunk)
	f.over(workers, len(f.geo.Tri), func(t int) {
		v := f.geo.Tri[t]
		a, b, c := values[v[0]] > level, values[v[1]] > level, values[v[2]] > level
		if (a != b || b != c) && f.want.On[f.geo.TriPart[t]] {
			out[t/chunk] = append(out[t/chunk], int32(t))
		}
	})
	return slices.Concat(out...)
}

// faces tells whether any of a side of an edge faces the eye.
func (f *finder) faces(e *edge, side int) bool {
	return e.tri[side] >= 0 && (f.facing[f.vertex(e, side, 0)] > 0 || f.facing[f.vertex(e, side, 1)] > 0)
}

// on returns whose line an edge is: of the sides that are wanted the one that faces the eye, the
// first if both do; ok is false for none.
func (f *finder) on(e *edge) (side int, ok bool) {
	best := -1
	for s, t := range e.tri {
		if t < 0 || !f.want.On[f.geo.TriPart[t]] {
			continue
		}
		faces := f.facing[f.vertex(e, s, 0)]+f.facing[f.vertex(e, s, 1)] > 0
		if best < 0 || faces && f.facing[f.vertex(e, best, 0)]+f.facing[f.vertex(e, best, 1)] <= 0 {
			best = s
		}
	}
	return best, best >= 0
}

// along finds the lines along edges: creases, borders, seams, and contours where one side of an edge
// that is not smooth faces the eye and the other does not.
func (f *finder) along() {
	var creases []int32
	most := float32(math.Cos(f.want.Bends*math.Pi/180)) + 1e-6
	n := len(f.rough)
	if f.want.Bends < plain {
		n = len(f.edges)
	}
	for k := range n {
		i := k
		if f.want.Bends >= plain {
			i = int(f.rough[k])
		}
		e := &f.edges[i]
		if e.tri[1] >= 0 && e.smooth && f.geo.TriPart[e.tri[0]] == f.geo.TriPart[e.tri[1]] && e.bend >= most {
			continue
		}
		side, ok := f.on(e)
		if !ok {
			continue
		}
		if !f.faces(e, 0) && !f.faces(e, 1) && f.solid[f.whole[e.knot[0]]] {
			continue // on the far side of something solid
		}
		if list := f.beside[int32(i)]; len(list) > 0 {
			f.joints(i, list, most)
			continue
		}
		kind := Kinds
		switch {
		case e.tri[1] < 0 && !e.many:
			if f.want.Of[Border] {
				kind = Border
			}
		case e.tri[1] >= 0 && f.geo.TriPart[e.tri[0]] != f.geo.TriPart[e.tri[1]]:
			if f.want.Of[Seam] {
				kind = Seam
			}
		}
		if kind == Kinds && f.want.Of[Crease] && e.bend < most {
			kind = Crease
		}
		if !f.want.Of[Contour] || e.tri[1] < 0 || e.smooth {
			if kind != Kinds {
				f.edgePiece(kind, i, side, 0, 1)
			}
			if kind == Crease {
				creases = append(creases, int32(i))
			}
			continue
		}
		// From place to place at which one of its sides turns.
		at := [4]float32{0, 1, 1, 1}
		n := 1
		for s := range 2 {
			if a, b := f.facing[f.vertex(e, s, 0)], f.facing[f.vertex(e, s, 1)]; (a > 0) != (b > 0) {
				at[n] = a / (a - b)
				n++
			}
		}
		if n == 3 && at[1] > at[2] {
			at[1], at[2] = at[2], at[1]
		}
		at[n] = 1
		for k := range n {
			middle := (at[k] + at[k+1]) / 2
			towards := [2]bool{}
			for s := range 2 {
				a, b := f.facing[f.vertex(e, s, 0)], f.facing[f.vertex(e, s, 1)]
				towards[s] = a+(b-a)*middle > 0
			}
			if towards[0] != towards[1] {
				f.edgePiece(Contour, i, side, at[k], at[k+1])
			} else if kind != Kinds {
				f.edgePiece(kind, i, side, at[k], at[k+1])
			}
		}
		if kind == Crease {
			creases = append(creases, int32(i))
		}
	}
	f.bridge(creases, most)
}

// edgePiece adds a piece of an edge, as one of its sides has it.
func (f *finder) edgePiece(kind Kind, number, side int, from, to float32) {
	if !(from < to) {
		return
	}
	e := &f.edges[number]
	p := piece{kind: kind, part: f.geo.TriPart[e.tri[side]], tri: e.tri[side], whole: f.own(e.tri[side])}
	for k, t := range [2]float32{from, to} {
		p.end[k] = f.edgeNode(number, t)
		a, b := int(e.from[side]), (int(e.from[side])+1)%3
		if side == 1 && e.turned {
			a, b = b, a
		}
		p.w[k] = weights(a, b, t)
	}
	f.pieces = append(f.pieces, p)
}

// own returns the whole that a triangle is of, and no other.
func (f *finder) own(t int32) [2]int32 { return [2]int32{f.wholeOf(t), f.wholeOf(t)} }

// weights returns those of the second and third corner at a part of the way from corner a to b.
func weights(a, b int, t float32) (w [2]float32) {
	for k, corner := range [2]int{a, b} {
		if corner > 0 {
			w[corner-1] = [2]float32{1 - t, t}[k]
		}
	}
	return w
}

// edgeNode returns the node a part of the way along an edge that is not smooth, on its chord.
func (f *finder) edgeNode(number int, t float32) int32 {
	e := &f.edges[number]
	if t <= 0 || t >= 1 {
		k := e.knot[0]
		if t >= 1 {
			k = e.knot[1]
		}
		if i, ok := f.byKnot[k]; ok {
			n := &f.nodes[i]
			n.n = n.n.Add(f.open(e, t)) // of all edges that meet
			return i
		}
		i := f.add(f.geo.Pos[f.first[k]], f.open(e, t), f.thick(e), true)
		f.byKnot[k] = i
		return i
	}
	for s := range 2 { // where a side turns the contour of that side ends
		if e.tri[s] < 0 {
			continue
		}
		if a, b := f.facing[f.vertex(e, s, 0)], f.facing[f.vertex(e, s, 1)]; (a > 0) != (b > 0) && a/(a-b) == t {
			key := int64(number)<<2 | int64(s) + 1
			if i, ok := f.byEdge[key]; ok {
				return i
			}
			a, b := f.geo.Pos[f.first[e.knot[0]]], f.geo.Pos[f.first[e.knot[1]]]
			i := f.add(a.Mix(b, t), f.open(e, t), f.thick(e), true)
			f.byEdge[key] = i
			return i
		}
	}
	a, b := f.geo.Pos[f.first[e.knot[0]]], f.geo.Pos[f.first[e.knot[1]]]
	return f.add(a.Mix(b, t), f.open(e, t), f.thick(e), true)
}

// open returns which way an edge lies open: as those of its sides do that face the eye; as all do if none
// does.
func (f *finder) open(e *edge, t float32) vec.V {
	if f.byFaces {
		return f.flat[e.tri[0]].Add(f.flat[e.tri[1]])
	}
	var facing, all vec.V
	for s := range 2 {
		if e.tri[s] < 0 {
			continue
		}
		v, w := f.vertex(e, s, 0), f.vertex(e, s, 1)
		n := f.normal[v].Mix(f.normal[w], t).Unit()
		all = all.Add(n)
		if n.Dot(toEye(f.view, f.geo.Pos[v].Mix(f.geo.Pos[w], t))) > 0 {
			facing = facing.Add(n)
		}
	}
	switch {
	case facing != vec.V{}:
		return facing
	case e.tri[1] < 0:
		return all.Mul(-1) // of a sheet that is seen from its back
	}
	return all
}

// thick returns how far off its edge a place is looked at: what an edge is long is the only measure
// that there is of how fine the surface is.
func (f *finder) thick(e *edge) float32 {
	return 1e-3*f.geo.Pos[f.first[e.knot[0]]].Sub(f.geo.Pos[f.first[e.knot[1]]]).Len() + 1e-5*f.geo.Size
}

// add adds a node.
func (f *finder) add(p, n vec.V, lift float32, corner bool) int32 {
	q := f.view.Camera(p)
	a := node{p: p, n: n, lift: lift, corner: corner, outside: !f.view.Ortho && q[2] < f.view.Near}
	if !a.outside {
		a.x, a.y, a.near = f.view.Project(q)
	}
	f.nodes = append(f.nodes, a)
	return int32(len(f.nodes) - 1)
}

// squarely is the cosine from which on a face is seen too squarely for a contour.
const squarely = 0.6

// contour adds the piece of the contour in a triangle over which the facing changes its sign: of the
// surface as it is interpolated (Hertzmann and Zorin 2000), not along edges.
func (f *finder) contour(t int32) {
	// A face that is seen so squarely turns away by its normals alone, which lean where a file has them run
	// together over flat faces: nobody would see a contour there.
	if d := f.flat[t].Dot(toEye(f.view, f.geo.Pos[f.geo.Tri[t][0]]).Unit()); d > squarely || d < -squarely {
		return
	}
	if f.elsewhere(t) {
		return
	}
	p := piece{kind: Contour, part: f.geo.TriPart[t], tri: t, whole: f.own(t)}
	n := 0
	for k := range 3 {
		v := f.geo.Tri[t]
		a, b := f.facing[v[k]], f.facing[v[(k+1)%3]]
		if (a > 0) == (b > 0) || n == 2 || f.of[t][k] < 0 {
			continue
		}
		i, at := f.turn(t, k)
		p.end[n], p.w[n] = i, weights(k, (k+1)%3, at)
		n++
	}
	if n == 2 {
		f.pieces = append(f.pieces, p)
	}
}

// elsewhere tells whether a triangle lies beyond one of the page's rims, or behind the eye.
func (f *finder) elsewhere(t int32) bool {
	var past [5]int
	w, h := float32(f.view.W), float32(f.view.H)
	for _, v := range f.geo.Tri[t] {
		q := f.view.Camera(f.geo.Pos[v])
		if !f.view.Ortho && q[2] < f.view.Near {
			past[4]++
			continue
		}
		x, y, _ := f.view.Project(q)
		for k, out := range [4]bool{x < -margin, y < -margin, x > w+margin, y > h+margin} {
			if out {
				past[k]++
			}
		}
	}
	return slices.Contains(past[:], 3)
}

// turn returns the node at which the facing changes its sign along a side of a triangle, and which
// part of the way from its corner that is.
func (f *finder) turn(t int32, corner int) (number int32, at float32) {
	id := f.of[t][corner]
	e := &f.edges[id]
	side := 0
	if e.tri[0] != t {
		side = 1
	}
	key := int64(id) << 2
	if !e.smooth { // the side's own
		key |= int64(side) + 1
		a, b := f.facing[f.vertex(e, side, 0)], f.facing[f.vertex(e, side, 1)]
		at := a / (a - b)
		i, ok := f.byEdge[key]
		if !ok {
			i = f.add(f.geo.Pos[f.vertex(e, side, 0)].Mix(f.geo.Pos[f.vertex(e, side, 1)], at), vec.V{}, f.thick(e), true)
			f.byEdge[key] = i
		}
		f.bent(i, f.normal[f.vertex(e, side, 0)].Mix(f.normal[f.vertex(e, side, 1)], at).Unit(), t)
		if side == 1 && e.turned {
			at = 1 - at
		}
		return i, at
	}
	if i := f.byRow[id] - 1; i >= 0 {
		at = f.nodes[i].along
		if side == 1 && e.turned {
			at = 1 - at
		}
		return i, at
	}
	curve := f.curved(e)
	at = curve.root(f.view)
	p, n := curve.at(at)
	i := f.add(p, vec.V{}, 0.4*max(f.bow(e.tri[0]), f.bow(e.tri[1]))+f.thick(e), false)
	f.nodes[i].within, f.nodes[i].along = 3*f.shortest(e), at
	f.byRow[id] = i + 1
	f.bent(i, n, t)
	if side == 1 && e.turned {
		at = 1 - at
	}
	return i, at
}

// shortest returns how long the shortest side is of the triangles at an edge.
func (f *finder) shortest(e *edge) float32 {
	least := float32(math.Inf(1))
	for _, t := range e.tri {
		if t < 0 {
			continue
		}
		v := f.geo.Tri[t]
		for k := range 3 {
			d := f.geo.Pos[v[k]].Sub(f.geo.Pos[v[(k+1)%3]])
			least = min(least, d.Dot(d))
		}
	}
	return vec.Sqrt(least)
}

// bent says which way the surface lies open at a node of a contour with a normal, in a triangle: on the
// side of its bulge. It also says how the contour runs on the page: across the normal.
func (f *finder) bent(number int32, n vec.V, t int32) {
	a := &f.nodes[number]
	v := f.geo.Tri[t]
	// By how much the facing grows towards the eye.
	p0, e1, e2 := f.geo.Pos[v[0]], f.geo.Pos[v[1]].Sub(f.geo.Pos[v[0]]), f.geo.Pos[v[2]].Sub(f.geo.Pos[v[0]])
	if u, w, ok := along(e1, e2, toEye(f.view, p0)); ok {
		if grows := u*(f.facing[v[1]]-f.facing[v[0]]) + w*(f.facing[v[2]]-f.facing[v[0]]); grows < 0 {
			n = n.Mul(-1)
		}
	}
	a.n = a.n.Add(n)
	x, y := n.Dot(f.view.Up), n.Dot(f.view.Right)
	if l := vec.Sqrt(x*x + y*y); l > 1e-3 {
		a.tx, a.ty = x/l, y/l
	}
}

// level adds the piece of a triangle along which a value at its corners is a level.
func (f *finder) level(t int32, values []float32, level float32, kind Kind) bool {
	p := piece{kind: kind, part: f.geo.TriPart[t], tri: t, whole: f.own(t)}
	n := 0
	for k := range 3 {
		v := f.geo.Tri[t]
		a, b := values[v[k]], values[v[(k+1)%3]]
		if (a > level) == (b > level) || n == 2 || f.of[t][k] < 0 {
			continue
		}
		at := (level - a) / (b - a)
		id := f.of[t][k]
		e := &f.edges[id]
		key := int64(id) << 2
		if !e.smooth && e.tri[0] != t {
			key |= 2
		}
		i, ok := f.byEdge[key]
		if !ok {
			normal := f.normal[v[k]].Mix(f.normal[v[(k+1)%3]], at).Unit()
			if normal.Dot(toEye(f.view, f.geo.Pos[v[k]])) < 0 {
				normal = normal.Mul(-1)
			}
			i = f.add(f.geo.Pos[v[k]].Mix(f.geo.Pos[v[(k+1)%3]], at), normal, f.thick(e), false)
			f.byEdge[key] = i
		}
		p.end[n], p.w[n] = i, weights(k, (k+1)%3, at)
		n++
	}
	if n < 2 {
		return false
	}
	f.pieces = append(f.pieces, p)
	return true
}
