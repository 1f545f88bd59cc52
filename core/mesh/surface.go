package mesh

import (
	"math"
	"sync"

	"mobanta/core/unwrap"
	"mobanta/core/vec"
)

// Surface is a mesh made ready to render: triangles over shared vertices.
type Surface struct {
	Mesh     *Mesh
	From     *Mesh        // what Mesh was cut finer from; Mesh itself if it was not
	Pos      []vec.V      // per vertex
	Normal   []vec.V      // per vertex, unit
	UV       [][2]float32 // per vertex; nil if the mesh has none
	Paint    [][4]float32 // per vertex; nil if the mesh has none. See Mesh.Paint
	Tri      [][3]int32   // vertex numbers
	TriFace  []int32      // the face each triangle comes from
	TriPart  []int32      // the part each triangle belongs to
	Steps    int          // how often it was subdivided
	Smooth   bool         // whether it is drawn smooth; see Mesh.Smooth
	of       []int32      // per vertex, the position of Mesh that it stands at
	rough    *rough       // what it was before it was subdivided; nil if it was not
	Box      vec.Box
	PartBox  []vec.Box // per part
	topology *topology
	ears     int // tests that finding ears may still take

	mu      sync.Mutex
	regions map[float64][]int32
	folds   map[float64]*Folds

	laying   sync.Mutex
	laid     *unwrap.Layout // see Laid
	weldOnce sync.Once
	weld     []int32
	joinOnce sync.Once
	join     []int32 // see smoothed
	joins    int32
	keeping  sync.Mutex
	kept     []kept // the last asked for first
	always   map[string]any
}

// NewSurface makes m ready. Faces whose file brought no normals are smoothed
// over edges that bend by at most creaseDegrees. It returns m.Check's error.
func NewSurface(m *Mesh, creaseDegrees float64) (*Surface, error) {
	if err := m.Check(); err != nil {
		return nil, err
	}
	s := &Surface{Mesh: m, From: m, topology: newTopology(m), regions: map[float64][]int32{}, ears: earWork}
	var made []vec.V
	// The vertices made so far are chained by the position that they share, the
	// last first. Few have more than one or two; where a thousand faces meet, a
	// vertex that stands twice does no harm, and a long search would.
	first := make([]int32, len(m.Positions))
	for i := range first {
		first[i] = -1
	}
	var chain, uvOf []int32 // vertex → the next at its position, its texture coordinate
	vertex := func(c int32) int32 {
		corner := m.Corners[c]
		var n vec.V
		if corner.Normal >= 0 {
			n = m.Normals[corner.Normal]
		}
		if n == (vec.V{}) {
			if made == nil {
				made = s.topology.cornerNormals(m, creaseDegrees)
			}
			n = made[c]
		}
		for v, left := first[corner.Pos], 64; v >= 0 && left > 0; v, left = chain[v], left-1 {
			if uvOf[v] == corner.UV && s.Normal[v] == n {
				return v
			}
		}
		v := int32(len(s.Pos))
		chain, uvOf = append(chain, first[corner.Pos]), append(uvOf, corner.UV)
		first[corner.Pos] = v
		s.Pos, s.of = append(s.Pos, m.Positions[corner.Pos]), append(s.of, corner.Pos)
		s.Normal = append(s.Normal, n)
		if len(m.Paint) > 0 {
			s.Paint = append(s.Paint, m.Paint[corner.Pos])
		}
		if len(m.UVs) > 0 {
			var uv [2]float32
			if corner.UV >= 0 {
				uv = m.UVs[corner.UV]
			}
			s.UV = append(s.UV, uv)
		}
		return v
	}
	tris := m.Triangles()
	s.Tri, s.TriFace, s.TriPart = make([][3]int32, 0, tris), make([]int32, 0, tris), make([]int32, 0, tris)
	s.Box = vec.EmptyBox()
	s.PartBox = make([]vec.Box, len(m.Parts))
	for i := range s.PartBox {
		s.PartBox[i] = vec.EmptyBox()
	}
	from := int32(0)
	var local []int32
	var fan [][3]int32
	for f, end := range m.FaceEnd {
		local = local[:0]
		part := m.FacePart[f]
		for c := from; c < end; c++ {
			local = append(local, vertex(c))
			p := m.Positions[m.Corners[c].Pos]
			s.Box = s.Box.Grow(p)
			s.PartBox[part] = s.PartBox[part].Grow(p)
		}
		fan = s.triangulate(fan[:0], local, s.topology.normal[f])
		for _, t := range fan {
			s.Tri = append(s.Tri, t)
			s.TriFace = append(s.TriFace, int32(f))
			s.TriPart = append(s.TriPart, part)
		}
		from = end
	}
	return s, nil
}

// Regions returns for each triangle the number of its region: a piece of the
// surface bounded by edges that bend by more than the given angle in degrees,
// by borders, and by changes of part. The slice is shared; do not change it.
func (s *Surface) Regions(degrees float64) []int32 {
	s.mu.Lock()
	defer s.mu.Unlock()
	if r, ok := s.regions[degrees]; ok {
		return r
	}
	byFace := s.topology.regions(s.Mesh, degrees)
	out := make([]int32, len(s.Tri))
	for i, f := range s.TriFace {
		out[i] = byFace[f]
	}
	if len(s.regions) >= 8 { // angles an artist has tried and left
		clear(s.regions)
	}
	s.regions[degrees] = out
	return out
}

// earLimit is the most corners a face may have for its ears to be searched,
// which takes quadratic time; larger ones are cut as a fan.
const earLimit = 512

// earWork limits the tests for ears in all faces of a surface: faces can be made in
// which every one is hard to find.
const earWork = 1 << 26

// triangulate appends the triangles of the polygon: a fan if it is convex, by
// cutting ears (Meisters 1975) if not.
func (s *Surface) triangulate(out [][3]int32, poly []int32, n vec.V) [][3]int32 {
	if len(poly) == 3 {
		return append(out, [3]int32{poly[0], poly[1], poly[2]})
	}
	turn := func(a, b, c int32) float32 {
		return s.Pos[b].Sub(s.Pos[a]).Cross(s.Pos[c].Sub(s.Pos[b])).Dot(n)
	}
	convex := true
	for i := range poly {
		if turn(poly[i], poly[(i+1)%len(poly)], poly[(i+2)%len(poly)]) < 0 {
			convex = false
			break
		}
	}
	rest := append([]int32(nil), poly...)
	for !convex && len(rest) > 3 && len(poly) <= earLimit && s.ears > 0 {
		best, found := 0, false
		for i := range rest {
			a, b, c := rest[(i+len(rest)-1)%len(rest)], rest[i], rest[(i+1)%len(rest)]
			s.ears--
			if turn(a, b, c) <= 0 {
				continue
			}
			ear := true
			s.ears -= len(rest)
			for _, p := range rest {
				if p != a && p != b && p != c && turn(a, b, p) >= 0 && turn(b, c, p) >= 0 && turn(c, a, p) >= 0 {
					ear = false
					break
				}
			}
			if ear {
				best, found = i, true
				break
			}
		}
		if !found {
			break // it crosses itself: any cut is as good as another
		}
		out = append(out, [3]int32{rest[(best+len(rest)-1)%len(rest)], rest[best], rest[(best+1)%len(rest)]})
		rest = append(rest[:best], rest[best+1:]...)
	}
	for i := 1; i+1 < len(rest); i++ {
		out = append(out, [3]int32{rest[0], rest[i], rest[i+1]})
	}
	return out
}

// Area returns the surface area.
func (s *Surface) Area() float64 {
	var sum float64
	for _, t := range s.Tri {
		a := s.Pos[t[1]].Sub(s.Pos[t[0]]).Cross(s.Pos[t[2]].Sub(s.Pos[t[0]])).Len()
		if !math.IsNaN(float64(a)) {
			sum += float64(a) / 2
		}
	}
	return sum
}
