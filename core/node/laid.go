package node

import (
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
		for k, square := range c.reach(i, l.at) {
			l.foot[k] = 2 * vec.Sqrt(square)
		}
		return l
	}
	size, across := c.across(i)
	for a, square := range across {
		l.foot[a] = size * vec.Sqrt(max(0, 1-square))
	}
	return l
}

// wide is laid for all points of the batch, for who asks only how far a pixel reaches along the
// axis along which it reaches farthest. The planes are scratch.
func (c *Call) wide() (x, y, z, foot Plane) {
	n := c.N
	room := c.room(4 * n)
	x, y, z, foot = room[:n], room[n:2*n], room[2*n:3*n], room[3*n:4*n]
	if c.In[0] != nil {
		copy(x, c.In[0][0])
		copy(y, c.In[0][1])
		copy(z, c.In[0][2])
		for i := range foot {
			most := float32(0)
			for _, square := range c.reach(i, vec.V{x[i], y[i], z[i]}) {
				if square > most { // branches are cheaper than min and max here
					most = square
				}
			}
			foot[i] = 2 * vec.Sqrt(most)
		}
		return x, y, z, foot
	}
	for i := range foot {
		x[i], y[i], z[i] = c.object(i)
		size, across := c.across(i)
		least := across[0]
		for _, square := range across[1:] {
			if square < least {
				least = square
			}
		}
		foot[i] = size * vec.Sqrt(1-least)
	}
	return x, y, z, foot
}

// reach returns the squares of how far half a pixel reaches along each axis of a place that is
// wired; 0 where that is not known.
func (c *Call) reach(i int, at vec.V) (square vec.V) {
	if c.Const[0] || len(c.More) < 2 {
		return square
	}
	u, v := c.Elsewhere(0), c.Elsewhere(1)
	for k := range square {
		du, dv := u[k][i]-at[k], v[k][i]-at[k]
		square[k] = du*du + dv*dv
	}
	return square
}

// across returns how large a pixel is in the model's own space, and the squares of the cosines
// between the normal and its axes: the pixel lies across the normal, and reaches along an axis as
// far as the sine says.
func (c *Call) across(i int) (size float32, square vec.V) {
	k, p, o := c.Lo+i, c.Points, c.space(i)
	x, y, z := p.Norm[0][k], p.Norm[1][k], p.Norm[2][k]
	m := &o.inverse
	a, b, d := m.X[0]*x+m.Y[0]*y+m.Z[0]*z, m.X[1]*x+m.Y[1]*y+m.Z[1]*z, m.X[2]*x+m.Y[2]*y+m.Z[2]*z
	a, b, d = a*a, b*b, d*d
	by := a + b + d
	if by > 0 {
		by = 1 / by
	}
	return p.Foot[k] * o.scale, vec.V{a * by, b * by, d * by} // models are of one scale along all axes
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
