package node

import (
	"math"
	"sync"
)

// albedoSize is how finely albedos are known, over roughness and over cosine.
const albedoSize = 32

// albedos holds the share of light that the facets of GGX give back at once, by
// roughness and by the cosine to the eye; the rest would leave after meeting
// further facets. Found from the normals that are visible (Heitz 2018).
var albedos = sync.OnceValue(func() *[albedoSize][albedoSize]float32 {
	out := &[albedoSize][albedoSize]float32{}
	for r := range out {
		l := newLobe(float64(r) / (albedoSize - 1))
		alpha := math.Sqrt(float64(l.alpha2))
		for c := range out[r] {
			mu := max(0.5/(albedoSize-1), float64(c)/(albedoSize-1))
			out[r][c] = float32(albedo(mu, alpha))
		}
	}
	return out
})

// albedo is the mean of G2/G1 over the visible normals, for light that leaves
// towards the cosine mu.
func albedo(mu, alpha float64) float64 {
	const n = 512
	v := [3]float64{math.Sqrt(1 - mu*mu), 0, mu}
	smith := func(c float64) float64 { // Λ
		t2 := (1 - c*c) / (c * c)
		return (math.Sqrt(1+alpha*alpha*t2) - 1) / 2
	}
	stretched := [3]float64{alpha * v[0], 0, v[2]}
	k := 1 / math.Hypot(stretched[0], stretched[2])
	x, z := stretched[0]*k, stretched[2]*k
	sum, u1, u2 := 0.0, 0.5, 0.5
	for range n {
		u1, u2 = math.Mod(u1+0.7548776662466927, 1), math.Mod(u2+0.5698402909980532, 1)
		r, phi := math.Sqrt(u1), 2*math.Pi*u2
		a, b := r*math.Cos(phi), r*math.Sin(phi)
		s := (1 + z) / 2
		b = (1-s)*math.Sqrt(1-a*a) + s*b
		c := math.Sqrt(max(0, 1-a*a-b*b))
		// Basis about the stretched direction: (0, 1, 0), (-z, 0, x), itself.
		hx, hy, hz := -z*b+x*c, a, x*b+z*c
		hx, hy, hz = alpha*hx, alpha*hy, max(1e-9, hz)
		l := 1 / math.Sqrt(hx*hx+hy*hy+hz*hz)
		hx, hz = hx*l, hz*l
		out := 2*(v[0]*hx+v[2]*hz)*hz - v[2] // cosine of the mirrored direction
		if out > 0 {
			sum += (1 + smith(mu)) / (1 + smith(mu) + smith(min(1, out)))
		}
	}
	return sum / n
}

// lost returns by how much a lobe of that roughness is to be brightened where the
// eye meets it at the cosine nv, so that the light that meets several facets is
// not lost (Turquin 2019).
func lost(table *[albedoSize][albedoSize]float32, rough, nv float32) float32 {
	x, y := unit(rough)*(albedoSize-1), unit(nv)*(albedoSize-1)
	i, j := min(int(x), albedoSize-2), min(int(y), albedoSize-2)
	tx, ty := x-float32(i), y-float32(j)
	low := table[i][j] + (table[i][j+1]-table[i][j])*ty
	high := table[i+1][j] + (table[i+1][j+1]-table[i+1][j])*ty
	return 1 / max(0.2, low+(high-low)*tx)
}
