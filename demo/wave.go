package demo

import (
	"math"

	"mobanta/core/mesh"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// Each arm of the keeper depends on joints along its middle, and the arms on the body.
const armJoints = 5

// armPath returns the middle of an arm of the keeper, from the body on.
func armPath(k int) func(t float64) vec.V {
	turn := (float64(k) + 0.5) * math.Pi / 4
	path := along(curve(60, vec.V{0.2, 0.72, 0}, vec.V{0.62, 0.5, 0}, vec.V{1.02, 0.2, 0}, vec.V{1.42, 0.14, 0}, vec.V{1.76, 0.2, 0}, vec.V{1.9, 0.42, 0}, vec.V{1.78, 0.58, 0}))
	return func(t float64) vec.V {
		p := path(t)
		a := turn + 0.42*math.Sin(2.4*t+1.7*float64(k))*t
		s, c := math.Sincos(a)
		return vec.V{float32(float64(p[0]) * s), p[1], float32(float64(p[0]) * c)}
	}
}

// waving is the arm that the keeper waves with.
const waving = 1

// WavingKeeper returns the keeper with joints in its arms, and a clip in which it waves.
func WavingKeeper() *mesh.Mesh {
	m := Keeper()
	places, parents := []vec.V{{0, 0.6, 0}}, []int{-1}
	joint := func(t float64) float64 { return t * armJoints } // along an arm, at which joint a place is
	for k := range 8 {
		for j := range armJoints {
			places = append(places, armPath(k)(float64(j)/armJoints))
			if j == 0 {
				parents = append(parents, 0)
			} else {
				parents = append(parents, len(places)-2)
			}
		}
	}
	mo := motion.Still(places, parents)
	piece := motion.Piece{Skin: 0, Rest: m.Positions}
	piece.Joints, piece.Weights = make([][motion.MaxJoints]uint16, len(m.Positions)), make([][motion.MaxJoints]float32, len(m.Positions))
	skin := onParts(m, "skin")
	const samples = 60
	var middles [8][samples + 1]vec.V
	var thick [samples + 1]float32 // at each place along an arm
	for i := range thick {
		thick[i] = float32(0.25*math.Pow(1-float64(i)/samples, 0.75) + 0.035)
	}
	for k := range middles {
		for i := range middles[k] {
			middles[k][i] = armPath(k)(float64(i) / samples)
		}
	}
	for i, p := range m.Positions {
		piece.Weights[i][0] = 1 // on the body
		if !skin[i] || p[1] > 1.05 {
			continue
		}
		arm, at, near := -1, 0.0, float32(math.Inf(1))
		for k := range middles {
			for s, q := range middles[k] {
				t := float64(s) / samples
				if d := p.Sub(q).Len() / thick[s]; d < near {
					arm, at, near = k, t, d
				}
			}
		}
		if near > 1.15 {
			continue
		}
		// Between the joints before and after it; near the body ever more on that.
		f := joint(at)
		j := min(int(f), armJoints-1)
		w := float32(f - float64(j))
		root := float32(min(1, at/0.12))
		a, b := uint16(1+arm*armJoints+j), uint16(1+arm*armJoints+max(0, j-1))
		half := smooth(w)
		piece.Joints[i] = [motion.MaxJoints]uint16{0, a, b}
		piece.Weights[i] = [motion.MaxJoints]float32{1 - root, root * (0.5 + half/2), root * (0.5 - half/2)}
	}
	mo.Pieces = []motion.Piece{piece}
	const length, keys = 2.0, 24
	clip := motion.Clip{Name: "wave", Length: length}
	for k := range 8 {
		out := armPath(k)(0.4) // the way the arm points, on the floor
		along := vec.V{out[0], 0, out[2]}.Unit()
		up := vec.V{along[2], 0, -along[0]} // about this it rises
		for j := range armJoints {
			ch := motion.Channel{Node: 1 + k*armJoints + j, Path: motion.Turn, Size: 4}
			for n := range keys + 1 {
				turn := 2 * math.Pi * float64(n) / keys
				rise, side := 0.05*math.Sin(turn+1.3*float64(k)-0.5*float64(j)), 0.06*math.Sin(turn+2.1*float64(k)-0.7*float64(j))
				if k == waving { // up in the air, and to and fro twice
					rise, side = [armJoints]float64{0.6, 0.42, 0.12, -0.25, -0.3}[j], [armJoints]float64{0, 0.1, 0.24, 0.32, 0.36}[j]*math.Sin(2*turn-0.55*float64(j))
				}
				ch.Times = append(ch.Times, float32(length*float64(n)/keys))
				q := turned(vec.V{0, 1, 0}, side).after(turned(up, -rise))
				if k == waving && j > 0 {
					q = turned(along, side).after(turned(up, -rise))
				}
				ch.Values = append(ch.Values, q[:]...)
			}
			clip.Channels = append(clip.Channels, ch)
		}
	}
	body := motion.Channel{Node: 0, Path: motion.Turn, Size: 4}
	for n := range keys + 1 {
		turn := 2 * math.Pi * float64(n) / keys
		body.Times = append(body.Times, float32(length*float64(n)/keys))
		q := turned(vec.V{0, 0, 1}, 0.035*math.Sin(turn)).after(turned(vec.V{1, 0, 0}, 0.02*math.Sin(2*turn)))
		body.Values = append(body.Values, q[:]...)
	}
	clip.Channels = append(clip.Channels, body)
	mo.Clips = []motion.Clip{clip}
	m.Motion = mo
	return m
}

// onParts tells which positions belong to a part.
func onParts(m *mesh.Mesh, name string) []bool {
	out := make([]bool, len(m.Positions))
	for f, part := range m.FacePart {
		if m.Parts[part].Name == name {
			for _, c := range m.Face(f) {
				out[c.Pos] = true
			}
		}
	}
	return out
}

func smooth(t float32) float32 { return t * t * (3 - 2*t) }

type quat motion.Quat

// turned is a turn about an axis of unit length, in radians.
func turned(axis vec.V, by float64) quat {
	s, c := math.Sincos(by / 2)
	return quat{axis[0] * float32(s), axis[1] * float32(s), axis[2] * float32(s), float32(c)}
}

// after is the turn that does b first.
func (a quat) after(b quat) quat {
	return quat{
		a[3]*b[0] + a[0]*b[3] + a[1]*b[2] - a[2]*b[1],
		a[3]*b[1] - a[0]*b[2] + a[1]*b[3] + a[2]*b[0],
		a[3]*b[2] + a[0]*b[1] - a[1]*b[0] + a[2]*b[3],
		a[3]*b[3] - a[0]*b[0] - a[1]*b[1] - a[2]*b[2],
	}
}
