package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

// Textures are laid along a place: what is wired to their input of that name, or the point's
// own in its model's space. A pixel covers a piece of it, its footprint; a texture gives the
// mean over that, or fades to its mean, so that it neither flickers nor makes moiré.

// placeInput is the input of a texture that says where it is laid. It is its first.
func placeInput() network.Port {
	return network.Port{Key: "place", Name: "place", Type: network.Vector, Hidden: true, Help: "Where the texture is laid. Unwired: the place in the model's own space, whose diagonal is 1."}
}

// placeNeeds are the attributes of a kernel that reads its place, and no footprint.
func placeNeeds(_ any, wired func(string) bool) sample.Attr {
	if wired("place") {
		return 0
	}
	return sample.Pos | sample.Rest | sample.Part
}

// laidNeeds are the attributes of a texture.
func laidNeeds(data any, wired func(string) bool) sample.Attr {
	if wired("place") {
		return 0
	}
	return placeNeeds(data, wired) | sample.Normal | sample.Foot
}

// laidElsewhere asks for what is wired to the place at the points beside, half a footprint
// away: by how much it changes is what a pixel covers of it.
func laidElsewhere(_ any, input int) []sample.Variant {
	if input == 0 {
		return []sample.Variant{sample.AlongU, sample.AlongV}
	}
	return nil
}

// laid is where a texture lies at one point, and how far a pixel reaches along each axis.
type laid struct{ at, foot vec.V }

// widest returns how far the pixel reaches along the axis along which it reaches farthest.
func (l *laid) widest() float32 { return max(l.foot[0], l.foot[1], l.foot[2]) }

// place returns the place of the batch's point i: what is wired to the first input, or its own
// in its model's space.
func (c *Call) place(i int) vec.V {
	if in := c.In[0]; in != nil {
		return vec.V{in[0][i], in[1][i], in[2][i]}
	}
	x, y, z := c.object(i)
	return vec.V{x, y, z}
}

// laid returns where a texture whose first input is its place lies at the batch's point i.
func (c *Call) laid(i int) (l laid) {
	l.at = c.place(i)
	if c.In[0] != nil {
		if c.Const[0] || len(c.More) < 2 {
			return l
		}
		u, v := c.Elsewhere(0), c.Elsewhere(1)
		for k := range l.foot {
			du, dv := u[k][i]-l.at[k], v[k][i]-l.at[k]
			l.foot[k] = 2 * float32(math.Sqrt(float64(du*du+dv*dv)))
		}
		return l
	}
	// The pixel lies across the normal: along an axis it reaches as far as the sine says.
	k, p, o := c.Lo+i, c.Points, c.space(i)
	x, y, z := p.Norm[0][k], p.Norm[1][k], p.Norm[2][k]
	n, m := vec.V{}, &o.inverse
	for a := range n {
		n[a] = m.X[a]*x + m.Y[a]*y + m.Z[a]*z
	}
	size := p.Foot[k] * o.scale // models are of one scale along all axes
	square := n[0]*n[0] + n[1]*n[1] + n[2]*n[2]
	if !(square > 0) {
		square = 1
	}
	for a := range l.foot {
		l.foot[a] = size * vec.Sqrt(max(0, 1-n[a]*n[a]/square))
	}
	return l
}

// sizeInput is how large a texture's pieces are.
func sizeInput(typed float64, help string) network.Port {
	return network.Port{Key: "size", Name: "size", Type: network.Tone, Default: typed, Min: 0.005, Max: 1, Help: help + " In parts of the model's diagonal."}
}

// seedInput tells one of many of the same from another.
func seedInput() network.Port {
	return network.Port{Key: "seed", Name: "seed", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "Another number, another stretch of the same stuff. Wire the seed of Part values to it, and each part has its own."}
}

// leastSize is the least size that textures have: smaller, and 0, is that.
const leastSize = 1e-4
