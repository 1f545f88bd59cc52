package blob

import (
	"math"

	"mobanta/core/mesh"
	"mobanta/core/parallel"
	"mobanta/core/vec"

	"mobanta/core/color"
)

// The surface is cut out of cubes (Lorensen and Cline 1987). What stands in the table of cases is not written down but
// made, by one rule for the faces of cubes: where inside and outside lie crosswise, each inside corner is cut off by
// itself. Two cubes agree about the face between them, so nothing gapes. Places on edges are roots of the field, not
// guesses from its values at the corners, and normals are its gradient. Nets of one place to a cube, which were compared,
// have better triangles but edges with four faces where two sheets come near.

// block is how many cubes a block has along each side: its field is worked out at once, by the balls that reach it.
const block = 8

// corner k of a cube lies at bit 0 along x, bit 1 along y, bit 2 along z.
type edge struct{ from, axis int } // from its corner of the least coordinates

var edges [12]edge

// cases holds for each set of inside corners the triangles, by numbers of edges.
var cases [256][][3]uint8

func init() {
	number := map[[2]int]int{}
	n := 0
	for axis := range 3 {
		for c := range 8 {
			if c>>axis&1 == 0 {
				edges[n] = edge{c, axis}
				number[[2]int{c, c | 1<<axis}], number[[2]int{c | 1<<axis, c}] = n, n
				n++
			}
		}
	}
	// Faces with their corners in order, seen from outside against the clock.
	var faces [6][4]int
	for axis := range 3 {
		u, v := (axis+1)%3, (axis+2)%3
		for side := range 2 {
			base := side << axis
			f := [4]int{base, base | 1<<u, base | 1<<u | 1<<v, base | 1<<v}
			if side == 0 {
				f[1], f[3] = f[3], f[1]
			}
			faces[2*axis+side] = f
		}
	}
	onFace := func(e int) (out [6]bool) {
		for i, f := range faces {
			for k := range 4 {
				out[i] = out[i] || number[[2]int{f[k], f[(k+1)%4]}] == e
			}
		}
		return out
	}
	shared := func(a, b int) bool { // whether a line between two edges lies in a face
		p, q := onFace(a), onFace(b)
		for i := range p {
			if p[i] && q[i] {
				return true
			}
		}
		return false
	}
	for set := range 256 {
		inside := func(c int) bool { return set>>c&1 == 1 }
		next := map[int]int{}
		for _, f := range faces {
			for k := range 4 {
				if inside(f[k]) || !inside(f[(k+1)%4]) {
					continue
				}
				// Inside begins after k: it goes on as far as neighbours are inside.
				enter := number[[2]int{f[k], f[(k+1)%4]}]
				j := (k + 1) % 4
				for inside(f[(j+1)%4]) {
					j = (j + 1) % 4
				}
				next[enter] = number[[2]int{f[j], f[(j+1)%4]}]
			}
		}
		for len(next) > 0 {
			var loop []int
			start := -1
			for e := range 12 { // in order, so that the table is always the same
				if _, ok := next[e]; ok {
					start = e
					break
				}
			}
			for e := start; ; {
				loop = append(loop, e)
				to := next[e]
				delete(next, e)
				if e = to; e == start {
					break
				}
			}
			cases[set] = append(cases[set], fill(loop, shared)...)
		}
	}
}

// fill cuts a loop into triangles none of whose inner sides lies in a face of the cube, where the next cube could have
// the same.
func fill(loop []int, shared func(a, b int) bool) [][3]uint8 {
	n := len(loop)
	if n == 3 {
		return [][3]uint8{{uint8(loop[0]), uint8(loop[1]), uint8(loop[2])}}
	}
	for i := range n {
		a, b, c := loop[(i+n-1)%n], loop[i], loop[(i+1)%n]
		if shared(a, c) {
			continue
		}
		var rest []int
		for k := range n {
			if k != i {
				rest = append(rest, loop[k])
			}
		}
		if more := fill(rest, shared); more != nil {
			return append(more, [3]uint8{uint8(a), uint8(b), uint8(c)})
		}
	}
	return nil
}

// piece is a block while it is cut.
type piece struct {
	at    [3]int32 // its first cube
	balls []int32
	value []float32                        // 9³ of them
	vert  [3 * block * block * block]int32 // on edges that begin in it; -1 for none
	first int32                            // number of its first vertex
	pos   []vec.V
	norm  []vec.V
	tris  [][3]int32
}

// Mesh returns the surface of balls as a mesh of one part, its normals those of the field; cells is how many cubes there
// are in a unit of length. It is closed, and empty where nothing is left.
func Mesh(balls []Ball, melt, cells float64, workers int) *mesh.Mesh {
	out := &mesh.Mesh{}
	out.AddPart("Blobs", color.C{0.5, 0.5, 0.5})
	f := NewField(balls, melt)
	if cells == 0 {
		cells = DefaultDetail
	}
	h := coarse(f, 1/cells)
	index := map[[3]int32]int32{}
	var pieces []piece
	for i := range f.balls {
		if f.balls[i].sign > 0 { // a hollow one makes nothing; it is put to the others' blocks below
			f.blocks(i, h, func(at [3]int32) {
				if _, ok := index[at]; !ok {
					index[at] = int32(len(pieces))
					pieces = append(pieces, piece{at: [3]int32{at[0] * block, at[1] * block, at[2] * block}})
				}
			})
		}
	}
	for i := range f.balls {
		f.blocks(i, h, func(at [3]int32) {
			if p, ok := index[at]; ok {
				pieces[p].balls = append(pieces[p].balls, int32(i))
			}
		})
	}
	parallel.Do(workers, len(pieces), func(i int) { pieces[i].place(f, h) })
	total := int32(0)
	for i := range pieces {
		pieces[i].first = total
		total += int32(len(pieces[i].pos))
	}
	parallel.Do(workers, len(pieces), func(i int) { pieces[i].cut(pieces, index) })
	out.Positions, out.Normals = make([]vec.V, 0, total), make([]vec.V, 0, total)
	tris := 0
	for i := range pieces {
		out.Positions = append(out.Positions, pieces[i].pos...)
		out.Normals = append(out.Normals, pieces[i].norm...)
		tris += len(pieces[i].tris)
	}
	out.Corners, out.FaceEnd, out.FacePart = make([]mesh.Corner, 0, 3*tris), make([]int32, 0, tris), make([]int32, tris)
	for i := range pieces {
		for _, t := range pieces[i].tris {
			for _, v := range t {
				out.Corners = append(out.Corners, mesh.Corner{Pos: v, UV: -1, Normal: v})
			}
			out.FaceEnd = append(out.FaceEnd, int32(len(out.Corners)))
		}
	}
	return out
}

// blocks calls g with each block that ball i reaches.
func (f *Field) blocks(i int, h float32, g func(at [3]int32)) {
	lo, hi := f.reach(&f.balls[i], h)
	for z := lo[2]; z <= hi[2]; z++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for x := lo[0]; x <= hi[0]; x++ {
				g([3]int32{x, y, z})
			}
		}
	}
}

// reach returns the blocks that a ball reaches, rims included.
func (f *Field) reach(s *source, h float32) (lo, hi [3]int32) {
	const slack = 1e-4
	for k := range 3 {
		lo[k] = int32(math.Floor(float64((s.at[k]-s.far*(1+slack))/h/block) - 1e-4))
		hi[k] = int32(math.Floor(float64((s.at[k]+s.far*(1+slack))/h/block) + 1e-4))
	}
	return lo, hi
}

// coarse returns the side of a cube: the one asked for, or one with which no more than maxCells are looked into.
func coarse(f *Field, h float64) float32 {
	for {
		sum := 0.0
		for i := range f.balls {
			lo, hi := f.reach(&f.balls[i], float32(h))
			sum += float64(hi[0]-lo[0]+1) * float64(hi[1]-lo[1]+1) * float64(hi[2]-lo[2]+1) * block * block * block
		}
		if sum <= maxCells {
			return float32(h)
		}
		h *= max(1.1, math.Cbrt(sum/maxCells)*0.98)
	}
}

const side = block + 1

// plain tells whether a block is sure to lie within or without as a whole, from how near and how far each ball is.
func (f *Field) plain(p *piece, h float32) bool {
	least, most := -f.level, -f.level
	for _, b := range p.balls {
		s := &f.balls[b]
		var near, far float32 // squared distances from the ball's middle
		for k := range 3 {
			lo, hi := float32(p.at[k])*h-s.at[k], float32(int(p.at[k])+block)*h-s.at[k]
			if lo > 0 {
				near += lo * lo
			} else if hi < 0 {
				near += hi * hi
			}
			m := max(hi, -lo)
			far += m * m
		}
		a, z := max(0, 1-near*s.inv), max(0, 1-far*s.inv)
		a, z = a*a*a, z*z*z
		if s.sign < 0 {
			a, z = -z, -a
		}
		least, most = least+z, most+a
	}
	const margin = 1e-4 // for what is rounded
	return least > margin || most < -margin
}

// place works out the field of a block and the vertices on the edges that begin in it.
func (p *piece) place(f *Field, h float32) {
	for i := range p.vert {
		p.vert[i] = -1
	}
	if f.plain(p, h) {
		return
	}
	p.value = make([]float32, side*side*side)
	at := func(i, j, k int) vec.V {
		return vec.V{float32(int(p.at[0])+i) * h, float32(int(p.at[1])+j) * h, float32(int(p.at[2])+k) * h}
	}
	for i := range p.value {
		p.value[i] = -f.level
	}
	for _, b := range p.balls {
		s := &f.balls[b]
		for k := range side {
			z := float32(int(p.at[2])+k)*h - s.at[2]
			for j := range side {
				y := float32(int(p.at[1])+j)*h - s.at[1]
				yz := y*y + z*z
				if yz*s.inv >= 1 {
					continue
				}
				row := p.value[side*(side*k+j):][:side]
				for i := range row {
					x := float32(int(p.at[0])+i)*h - s.at[0]
					if q := 1 - (x*x+yz)*s.inv; q > 0 {
						row[i] += s.sign * q * q * q
					}
				}
			}
		}
	}
	step := [3]int{1, side, side * side}
	for k := range block {
		for j := range block {
			for i := range block {
				n := side*(side*k+j) + i
				a := p.value[n]
				for axis := range 3 {
					b := p.value[n+step[axis]]
					if (a > 0) == (b > 0) {
						continue
					}
					from := at(i, j, k)
					end := [3]int{i, j, k}
					end[axis]++
					to := at(end[0], end[1], end[2])
					v := f.root(from, to, a, b, p.balls)
					p.vert[3*(block*(block*k+j)+i)+axis] = int32(len(p.pos))
					p.pos = append(p.pos, v)
					p.norm = append(p.norm, f.normal(v, p.balls))
				}
			}
		}
	}
}

// root returns where between two places, at which the field has another sign, it is 0: by false position, held to the
// Illinois rule (Dowell and Jarratt 1971).
func (f *Field) root(p, q vec.V, a, b float32, balls []int32) vec.V {
	const close = 1e-3 // of the edge: no closer to its ends, where triangles would have no size
	lo, hi, d := float32(0), float32(1), q.Sub(p)
	t := float32(0.5)
	for range 8 {
		t = lo - a*(hi-lo)/(b-a)
		v := f.of(p.Add(d.Mul(t)), balls)
		if v > -1e-6 && v < 1e-6 {
			break
		}
		if (v > 0) == (a > 0) {
			lo, a = t, v
			b /= 2
		} else {
			hi, b = t, v
			a /= 2
		}
		if hi-lo < 1e-5 {
			break
		}
	}
	return p.Add(d.Mul(max(close, min(1-close, t))))
}

// cut makes the triangles of a block. Vertices beyond its own are those of the next blocks.
func (p *piece) cut(pieces []piece, index map[[3]int32]int32) {
	if p.value == nil {
		return
	}
	var beside [8]*piece // the blocks at bits x, y, z beyond this one
	for b := range beside {
		at := [3]int32{p.at[0] / block, p.at[1] / block, p.at[2] / block}
		for k := range 3 {
			at[k] += int32(b >> k & 1)
		}
		if i, ok := index[at]; ok {
			beside[b] = &pieces[i]
		}
	}
	for k := range block {
		for j := range block {
			for i := range block {
				set := 0
				for c := range 8 {
					if p.value[side*(side*(k+c>>2&1)+j+c>>1&1)+i+c&1] > 0 {
						set |= 1 << c
					}
				}
				if set == 0 || set == 255 {
					continue
				}
				for _, t := range cases[set] {
					var out [3]int32
					for n, e := range t {
						c := edges[e].from
						x, y, z := i+c&1, j+c>>1&1, k+c>>2&1
						b := x/block | y/block<<1 | z/block<<2
						o := beside[b]
						out[n] = o.first + o.vert[3*(block*(block*(z%block)+y%block)+x%block)+edges[e].axis]
					}
					p.tris = append(p.tris, out)
				}
			}
		}
	}
}

// Surface returns the surface of blobs at a moment of a loop, both in seconds; an empty one is a speck that nobody sees.
func (b *Blobs) Surface(at, loop float64) (*mesh.Surface, error) {
	m := Mesh(b.Alive(at, loop), b.Melt, b.Detail, parallel.Cores())
	if len(m.FaceEnd) == 0 {
		speck(m)
	}
	return mesh.NewSurface(m, 180)
}

// speck is the least that a mesh must have.
func speck(m *mesh.Mesh) {
	m.Positions = []vec.V{{0, 0, 0}, {1e-6, 0, 0}, {0, 1e-6, 0}}
	m.AddFace(0, mesh.Corner{Pos: 0, UV: -1, Normal: -1}, mesh.Corner{Pos: 1, UV: -1, Normal: -1}, mesh.Corner{Pos: 2, UV: -1, Normal: -1})
}
