// Package mend finds what is wrong with the mesh of a model as it came, and mends it: faces that lie twice or have no area, cracks
// and T-joints between borders that are meant to be one, faces turned the wrong way round. A mesh comes in, another goes out;
// what came in is never changed. Parts, positions and all that moves stay where they are in their lists.
package mend

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// Faults counts what is wrong with a mesh, by what would mend it.
type Faults struct {
	Empty  int // faces without area
	Twice  int // faces that lie where another of their part lies
	Gaps   int // corners at borders that another border is meant to go through
	Turned int // faces that are turned the wrong way round
}

// Count returns how many there are of one kind, and 0 for a kind that is not counted.
func (f Faults) Count(k mesh.Mends) int {
	switch k {
	case mesh.MendEmpty:
		return f.Empty
	case mesh.MendTwice:
		return f.Twice
	case mesh.MendGaps:
		return f.Gaps
	case mesh.MendTurned:
		return f.Turned
	}
	return 0
}

// Kinds returns those kinds of which there are some.
func (f Faults) Kinds() (out mesh.Mends) {
	for _, k := range mesh.Mendings {
		if f.Count(k.Mends) > 0 {
			out |= k.Mends
		}
	}
	return out
}

// String lists them with their numbers, "3 open seams and 12 turned faces"; it is empty where there are none.
func (f Faults) String() string {
	var list []string
	for _, k := range mesh.Mendings {
		switch n := f.Count(k.Mends); {
		case n == 1:
			list = append(list, "1 "+k.One)
		case n > 1:
			list = append(list, fmt.Sprint(n, " ", k.Name))
		}
	}
	if n := len(list); n > 1 {
		list = append(list[:n-2], list[n-2]+" and "+list[n-1])
	}
	return strings.Join(list, ", ")
}

// mostFaces is of how many faces a mesh may be for its faults to be looked for unasked.
const mostFaces = 400_000

// FaultsOf returns what is wrong with the mesh that a surface was made from, as it stands after what was mended of it; it is looked
// for once. Of very large meshes nothing is said.
func FaultsOf(s *mesh.Surface) Faults {
	return s.Always("faults", func() any {
		if len(s.From.FaceEnd) > mostFaces {
			return Faults{}
		}
		f, _ := Find(context.Background(), s.From)
		return f
	}).(Faults)
}

// Find returns what is wrong with a mesh that its Check accepts. It stops with the context's error when ctx ends.
func Find(ctx context.Context, m *mesh.Mesh) (Faults, error) {
	_, f, err := mend(ctx, m, mesh.MendFaces)
	return f, err
}

// Of returns a mesh with some kinds of faults mended: itself if it has none of them. Where all its faces are empty they stay.
func Of(ctx context.Context, m *mesh.Mesh, kinds mesh.Mends) (*mesh.Mesh, error) {
	out, _, err := mend(ctx, m, kinds)
	return out, err
}

// mend mends what is asked for, where it is of faces, in an order in which each step helps the next: what is not there cannot be turned, and faces
// know their neighbours once their borders are one.
func mend(ctx context.Context, m *mesh.Mesh, kinds mesh.Mends) (out *mesh.Mesh, f Faults, err error) {
	for _, step := range []struct {
		kind mesh.Mends
		do   func(*mesh.Mesh) (*mesh.Mesh, int)
		n    *int
	}{
		{mesh.MendEmpty, empty, &f.Empty},
		{mesh.MendTwice, twice, &f.Twice},
		{mesh.MendGaps, gaps, &f.Gaps},
		{mesh.MendTurned, turned, &f.Turned},
	} {
		if kinds&step.kind == 0 {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, f, err
		}
		m, *step.n = step.do(m)
	}
	return m, f, nil
}

// without returns a mesh without some of its faces; n tells how many these are. It keeps at least one.
func without(m *mesh.Mesh, drop []bool) (out *mesh.Mesh, n int) {
	for _, d := range drop {
		if d {
			n++
		}
	}
	if n == 0 || n == len(drop) {
		return m, 0
	}
	less := *m
	less.Corners, less.FaceEnd, less.FacePart = nil, nil, nil
	for i, d := range drop {
		if !d {
			less.AddFace(m.FacePart[i], m.Face(i)...)
		}
	}
	return &less, n
}

// areaOf returns the area of face i, along its normal (Newell's method), and how long its longest side is.
func areaOf(m *mesh.Mesh, i int) (area vec.V, long float32) {
	f := m.Face(i)
	first := m.Positions[f[0].Pos]
	var sum vec.V
	for k, c := range f {
		p, q := m.Positions[c.Pos].Sub(first), m.Positions[f[(k+1)%len(f)].Pos].Sub(first)
		sum = sum.Add(p.Cross(q))
		long = max(long, q.Sub(p).Len())
	}
	return sum.Mul(0.5), long
}

// flat is how thin a face is that has no area: its area in parts of the square of its longest side.
const flat = 1e-7

// empty drops faces without area.
func empty(m *mesh.Mesh) (*mesh.Mesh, int) {
	drop := make([]bool, len(m.FaceEnd))
	for i := range drop {
		area, long := areaOf(m, i)
		drop[i] = !(area.Len() > flat*long*long)
	}
	return without(m, drop)
}

// twice drops all but the first of the faces of a part that have the same corners, whichever way round.
func twice(m *mesh.Mesh) (*mesh.Mesh, int) {
	weld := mesh.Weld(m.Positions)
	drop := make([]bool, len(m.FaceEnd))
	byHash := make(map[uint64][]int32, len(drop)) // faces, the first at its place each
	sorted := func(i int) []int32 {
		var out []int32
		for _, c := range m.Face(i) {
			out = append(out, weld[c.Pos])
		}
		slices.Sort(out)
		return out
	}
	for i := range drop {
		at := sorted(i)
		h := uint64(m.FacePart[i]) + 1
		for _, p := range at {
			h = (h ^ uint64(p)) * 0x9e3779b97f4a7c15
			h ^= h >> 29
		}
		for _, j := range byHash[h] {
			drop[i] = drop[i] || m.FacePart[i] == m.FacePart[j] && slices.Equal(at, sorted(int(j)))
		}
		if !drop[i] {
			byHash[h] = append(byHash[h], int32(i))
		}
	}
	return without(m, drop)
}

// side is a side of a face: from one corner to the next.
type side struct {
	a, b int32 // the welded positions that it joins, a < b
	face int32
	at   int32 // the corner that it begins at
	back bool  // whether it runs from b to a
}

// sides returns the sides of all faces, those between the same positions beside each other. Those between one place are left out.
func sides(m *mesh.Mesh, weld []int32) []side {
	out := make([]side, 0, len(m.Corners))
	from := int32(0)
	for f, end := range m.FaceEnd {
		for c := from; c < end; c++ {
			next := c + 1
			if next == end {
				next = from
			}
			a, b := weld[m.Corners[c].Pos], weld[m.Corners[next].Pos]
			if a != b {
				out = append(out, side{min(a, b), max(a, b), int32(f), c, a > b})
			}
		}
		from = end
	}
	slices.SortFunc(out, func(x, y side) int {
		return cmp.Or(cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b), cmp.Compare(x.at, y.at))
	})
	return out
}

// runs calls do with the sides between each two positions.
func runs(all []side, do func([]side)) {
	for i := 0; i < len(all); {
		j := i + 1
		for j < len(all) && all[j].a == all[i].a && all[j].b == all[i].b {
			j++
		}
		do(all[i:j])
		i = j
	}
}
