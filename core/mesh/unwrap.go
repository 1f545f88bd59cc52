package mesh

import (
	"context"
	"fmt"

	"mobanta/core/parallel"
	"mobanta/core/unwrap"
)

// Unwrapping says whether a model is given texture coordinates.
type Unwrapping string

// What may be done about texture coordinates.
const (
	UVOfFile  Unwrapping = ""        // they are those of the file, if it has any
	UVMissing Unwrapping = "missing" // parts that have none are unwrapped
	UVAnew    Unwrapping = "anew"    // all is unwrapped, whatever the file has
)

// Unwrapped returns the mesh with texture coordinates for parts that have none, or for all if anew is set; the same mesh if
// nothing lacks. Charts bend by at most so many degrees from their middle; see unwrap.Options. What is unwrapped lies in one
// square.
func (m *Mesh) Unwrapped(ctx context.Context, anew bool, cone float64) (*Mesh, error) {
	wanting := make([]bool, len(m.Parts))
	some := false
	for i := range wanting {
		wanting[i] = true
	}
	if !anew {
		for f := range m.FaceEnd {
			for _, c := range m.Face(f) {
				if c.UV >= 0 {
					wanting[m.FacePart[f]] = false
				}
			}
		}
	}
	for _, p := range m.FacePart {
		some = some || wanting[p]
	}
	if !some {
		return m, nil
	}
	bare := *m
	bare.UVs, bare.Motion = nil, nil
	bare.Corners = make([]Corner, len(m.Corners))
	for i, c := range m.Corners {
		bare.Corners[i] = Corner{Pos: c.Pos, UV: -1, Normal: c.Normal}
	}
	s, err := NewSurface(&bare, DefaultCrease)
	if err != nil {
		return nil, err
	}
	in := unwrap.Surface{Pos: m.Positions}
	for t, tri := range s.Tri {
		if wanting[s.TriPart[t]] {
			in.Tri = append(in.Tri, [3]int32{s.of[tri[0]], s.of[tri[1]], s.of[tri[2]]})
			in.Face, in.Part = append(in.Face, s.TriFace[t]), append(in.Part, s.TriPart[t])
		}
	}
	lay, err := unwrap.Of(ctx, in, unwrap.Options{Cone: cone, Workers: parallel.Cores()})
	if err != nil {
		return nil, fmt.Errorf("mesh: %w", err)
	}
	out := *m
	out.Corners = append([]Corner(nil), m.Corners...)
	if anew {
		out.UVs = nil
	} else {
		out.UVs = m.UVs[:len(m.UVs):len(m.UVs)]
	}
	type key struct {
		pos, chart int32
		uv         [2]float32
	}
	number := map[key]int32{}
	start := func(face int32) int32 {
		if face == 0 {
			return 0
		}
		return m.FaceEnd[face-1]
	}
	for t, tri := range in.Tri {
		from, end := start(in.Face[t]), m.FaceEnd[in.Face[t]]
		for k, pos := range tri {
			uv := lay.UV[t][k]
			id := key{pos, lay.Chart[t], uv}
			v, ok := number[id]
			if !ok {
				v = int32(len(out.UVs))
				number[id] = v
				out.UVs = append(out.UVs, uv)
			}
			for c := from; c < end; c++ {
				if m.Corners[c].Pos == pos {
					out.Corners[c].UV = v
				}
			}
		}
	}
	return &out, nil
}

// Laid unwraps the surface as it is shown: where each triangle lies on a picture of its own, whatever texture coordinates it
// has. It is worked out once.
func (s *Surface) Laid(ctx context.Context) (*unwrap.Layout, error) {
	s.laying.Lock()
	defer s.laying.Unlock()
	if s.laid == nil {
		lay, err := unwrap.Of(ctx, unwrap.Surface{Pos: s.Pos, Tri: s.Tri, Face: s.TriFace, Part: s.TriPart}, unwrap.Options{Workers: parallel.Cores()})
		if err != nil {
			return nil, fmt.Errorf("mesh: %w", err)
		}
		s.laid = lay
	}
	return s.laid, nil
}
