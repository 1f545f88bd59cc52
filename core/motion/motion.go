// Package motion is how a model from a file moves: nodes that depend on each other, skins, morph targets, and clips that
// move them, as glTF 2.0 has them. It makes places of positions of a moment and knows nothing of files or meshes.
package motion

import (
	"math"
	"slices"

	"mobanta/core/names"
	"mobanta/core/vec"
)

// Motion is all that moves in a model.
type Motion struct {
	Nodes  []Node
	Skins  []Skin
	Pieces []Piece
	Clips  []Clip
	// Uneven is how many positions depend on joints by weights that do not add up to 1; they are evened out.
	Uneven int
}

// Node is a place that others depend on. A matrix, if it has one, stands for the other three.
type Node struct {
	Parent int // -1 for none; it comes before the node
	Place  vec.V
	Turn   Quat
	Scale  vec.V
	Matrix *vec.M
	Morph  []float32 // weights of the morph targets of its mesh, at rest
}

// Quat is a turn as a unit quaternion: x, y, z, w.
type Quat [4]float32

// Skin is joints that a piece depends on.
type Skin struct {
	Joints  []int
	Inverse []vec.M // from the mesh to the joint at bind pose; nil for none
}

// MaxJoints is by how many joints a position may hang.
const MaxJoints = 8

// Piece is a run of positions that move together.
type Piece struct {
	First   int // of its positions, in those of the mesh
	Node    int // that it depends on
	Skin    int // -1 for none
	Rest    []vec.V
	Joints  [][MaxJoints]uint16  // per position, of the skin; nil for none
	Weights [][MaxJoints]float32 // that add up to 1, or are all 0
	Targets [][]vec.V            // of morphing, per position; nil for one that moves nothing
}

// Path is what of a node a channel moves.
type Path int

// The paths.
const (
	Place Path = iota
	Turn
	Scale
	Morph
)

// String returns its name.
func (p Path) String() string { return names.Nth(int(p), "place", "turn", "scale", "morph") }

// Way is how a channel goes from key to key.
type Way int

// The ways.
const (
	Linear Way = iota // turns along the shorter arc
	Step              // it stays until the next key
	Cubic             // cubic splines through keys with tangents
)

// String returns its name.
func (w Way) String() string { return names.Nth(int(w), "linear", "step", "cubic") }

// Channel moves one value of a node.
type Channel struct {
	Node   int
	Path   Path
	Way    Way
	Times  []float32 // seconds, rising
	Values []float32 // Size at each key; of Cubic three times as many: the tangent into it, itself, the tangent out of it
	Size   int
}

// Clip is channels under a name.
type Clip struct {
	Name     string
	Length   float64 // seconds, up to the last key
	Channels []Channel
}

// Clip returns the clip of that name, nil if there is none.
func (m *Motion) Clip(name string) *Clip {
	for i := range m.Clips {
		if m.Clips[i].Name == name {
			return &m.Clips[i]
		}
	}
	return nil
}

// At writes the channel's value at a time into dst, which has room for Size numbers.
func (c *Channel) At(dst []float32, t float32) {
	n := c.Size
	key := func(k int) []float32 {
		if c.Way == Cubic {
			return c.Values[(3*k+1)*n : (3*k+2)*n]
		}
		return c.Values[k*n : (k+1)*n]
	}
	last := len(c.Times) - 1
	if last < 0 {
		return
	}
	k, _ := slices.BinarySearch(c.Times, t) // the first key at or after t
	switch {
	case k > last:
		copy(dst, key(last))
	case k == 0 || c.Times[k] == t:
		copy(dst, key(k))
	case c.Way == Step:
		copy(dst, key(k-1))
	default:
		span := c.Times[k] - c.Times[k-1]
		u := (t - c.Times[k-1]) / span
		a, b := key(k-1), key(k)
		switch {
		case c.Way == Cubic:
			out, in := c.Values[(3*k-1)*n:], c.Values[3*k*n:] // tangents out of the one key and into the other
			u2, u3 := u*u, u*u*u
			for i := range n {
				dst[i] = (2*u3-3*u2+1)*a[i] + span*(u3-2*u2+u)*out[i] + (3*u2-2*u3)*b[i] + span*(u3-u2)*in[i]
			}
		case c.Path == Turn:
			q := slerp(Quat(a), Quat(b), u)
			copy(dst, q[:])
		default:
			for i := range n {
				dst[i] = a[i] + (b[i]-a[i])*u
			}
		}
	}
	if c.Path == Turn {
		q := Quat(dst[:4]).unit()
		copy(dst, q[:])
	}
}

// unit returns q at length 1; nothing is no turn.
func (q Quat) unit() Quat {
	l := float32(math.Sqrt(float64(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])))
	if !(l > 1e-12) || l > math.MaxFloat32 {
		return Quat{0, 0, 0, 1}
	}
	return Quat{q[0] / l, q[1] / l, q[2] / l, q[3] / l}
}

// slerp goes from one turn to another along the shorter arc (Shoemake 1985).
func slerp(a, b Quat, t float32) Quat {
	dot := float64(a[0]*b[0] + a[1]*b[1] + a[2]*b[2] + a[3]*b[3])
	sign := float32(1)
	if dot < 0 {
		dot, sign = -dot, -1
	}
	p, q := 1-t, t
	if dot < 0.9995 {
		angle := math.Acos(dot)
		s := math.Sin(angle)
		p, q = float32(math.Sin(float64(1-t)*angle)/s), float32(math.Sin(float64(t)*angle)/s)
	}
	var out Quat
	for i := range out {
		out[i] = p*a[i] + sign*q*b[i]
	}
	return out.unit()
}

// matrix returns the map that a place, a turn and a scale make.
func (n *Node) matrix() vec.M {
	if n.Matrix != nil {
		return *n.Matrix
	}
	x, y, z, w := n.Turn[0], n.Turn[1], n.Turn[2], n.Turn[3]
	return vec.M{
		X: vec.V{1 - 2*(y*y+z*z), 2 * (x*y + z*w), 2 * (x*z - y*w)}.Mul(n.Scale[0]),
		Y: vec.V{2 * (x*y - z*w), 1 - 2*(x*x+z*z), 2 * (y*z + x*w)}.Mul(n.Scale[1]),
		Z: vec.V{2 * (x*z + y*w), 2 * (y*z - x*w), 1 - 2*(x*x+y*y)}.Mul(n.Scale[2]),
		O: n.Place,
	}
}

// Pose returns where the positions of all pieces are at a time of a clip, in seconds; nil for the clip is at rest. size
// is how many positions the mesh has.
func (m *Motion) Pose(c *Clip, t float64, size int) []vec.V {
	nodes := slices.Clone(m.Nodes)
	if c != nil {
		var room [4]float32
		for i := range c.Channels {
			ch := &c.Channels[i]
			n := &nodes[ch.Node]
			if ch.Path == Morph {
				n.Morph = make([]float32, ch.Size)
				ch.At(n.Morph, float32(t))
				continue
			}
			ch.At(room[:ch.Size], float32(t))
			switch n.Matrix = nil; ch.Path {
			case Place:
				n.Place = vec.V(room[:3])
			case Turn:
				n.Turn = Quat(room)
			case Scale:
				n.Scale = vec.V(room[:3])
			}
		}
	}
	world := make([]vec.M, len(nodes))
	for i := range nodes { // parents come first
		world[i] = nodes[i].matrix()
		if p := nodes[i].Parent; p >= 0 {
			world[i] = world[i].Then(world[p])
		}
	}
	out := make([]vec.V, size)
	for i := range m.Pieces {
		m.Pieces[i].pose(out, nodes, world, m.Skins)
	}
	return out
}

// Maps returns, for each of size positions, the map that takes it from its piece's own space to the mesh's, at rest; that
// which moves nothing for positions of no piece.
func (m *Motion) Maps(size int) []vec.M {
	shifted := func(by vec.V) []vec.V {
		q := *m
		q.Pieces = slices.Clone(m.Pieces)
		for i := range q.Pieces {
			p := &q.Pieces[i]
			p.Rest = slices.Clone(p.Rest)
			for k := range p.Rest {
				p.Rest[k] = by
			}
			p.Targets = nil // they move a place, and map nothing
		}
		return q.Pose(nil, 0, size)
	}
	o, x, y, z := shifted(vec.V{}), shifted(vec.V{1, 0, 0}), shifted(vec.V{0, 1, 0}), shifted(vec.V{0, 0, 1})
	out := make([]vec.M, size)
	for i := range out {
		out[i] = vec.Identity()
	}
	for _, p := range m.Pieces {
		for i := p.First; i < p.First+len(p.Rest); i++ {
			out[i] = vec.M{X: x[i].Sub(o[i]), Y: y[i].Sub(o[i]), Z: z[i].Sub(o[i]), O: o[i]}
		}
	}
	return out
}

// pose writes where the positions of a piece are.
func (p *Piece) pose(out []vec.V, nodes []Node, world []vec.M, skins []Skin) {
	pos := p.Rest
	if morph := nodes[p.Node].Morph; len(p.Targets) > 0 {
		pos = slices.Clone(pos)
		for k, target := range p.Targets {
			if k >= len(morph) || morph[k] == 0 || target == nil {
				continue
			}
			for i, d := range target {
				pos[i] = pos[i].Add(d.Mul(morph[k]))
			}
		}
	}
	if p.Skin < 0 || p.Joints == nil {
		for i, v := range pos {
			out[p.First+i] = world[p.Node].Point(v)
		}
		return
	}
	skin := &skins[p.Skin]
	joints := make([]vec.M, len(skin.Joints))
	for k, j := range skin.Joints {
		joints[k] = world[j]
		if skin.Inverse != nil {
			joints[k] = skin.Inverse[k].Then(world[j])
		}
	}
	for i, v := range pos {
		var sum vec.V
		some := false
		for k, w := range p.Weights[i] {
			if w != 0 {
				sum = sum.Add(joints[p.Joints[i][k]].Point(v).Mul(w))
				some = true
			}
		}
		if !some {
			sum = v
		}
		out[p.First+i] = sum
	}
}

// Even returns weights that add up to 1, and whether they did not before; what is no weight counts as none.
func Even(w [MaxJoints]float32) (out [MaxJoints]float32, uneven bool) {
	var sum float64
	for k, v := range w {
		if v > 0 && v <= math.MaxFloat32 {
			out[k] = v
			sum += float64(v)
		} else if v != 0 {
			uneven = true
		}
	}
	if sum == 0 {
		return out, true
	}
	for k := range out {
		out[k] = float32(float64(out[k]) / sum)
	}
	return out, uneven || math.Abs(sum-1) > 0.01
}

// Still returns a motion of joints that stand at places, each depending on another or, below 0, on nothing: a skin whose
// bind pose is as it stands.
func Still(places []vec.V, parents []int) *Motion {
	m := &Motion{}
	skin := Skin{}
	for i, p := range places {
		n := Node{Parent: parents[i], Place: p, Turn: Quat{0, 0, 0, 1}, Scale: vec.V{1, 1, 1}}
		if parents[i] >= 0 {
			n.Place = p.Sub(places[parents[i]])
		}
		m.Nodes = append(m.Nodes, n)
		skin.Joints = append(skin.Joints, i)
		skin.Inverse = append(skin.Inverse, vec.M{X: vec.V{1, 0, 0}, Y: vec.V{0, 1, 0}, Z: vec.V{0, 0, 1}, O: p.Mul(-1)})
	}
	m.Skins = []Skin{skin}
	return m
}
