package meshfile

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/maphash"
	"math"
	"strconv"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// Stereolithography: loose triangles, as text or as numbers. Their normals say nothing
// that their corners do not, so normals are made as for any file without.

const (
	stlHead = 84 // bytes before the triangles, the last four of which count them
	stlEach = 50 // bytes of a triangle
)

type stlReader struct {
	m     *mesh.Mesh
	work  *work
	known places
	names naming
	notes notes
}

// isSTL tells whether a file is of numbers or begins as one of text does.
func isSTL(data, head []byte) bool {
	return numbered(data) || bytes.HasPrefix(head, []byte("solid ")) || bytes.HasPrefix(head, []byte("solid\n"))
}

// numbered tells whether data is as long as the numbers in it say.
func numbered(data []byte) bool {
	if len(data) < stlHead {
		return false
	}
	return int64(len(data)) == stlHead+stlEach*int64(binary.LittleEndian.Uint32(data[80:]))
}

func readSTL(w *work, data []byte, _ Open) (*Model, error) {
	r := &stlReader{m: &mesh.Mesh{}, work: w, known: places{seed: maphash.MakeSeed()}}
	read := r.text
	if numbered(data) {
		read = r.numbers
	} else if !bytes.HasPrefix(bytes.TrimLeft(data[:min(len(data), 80)], " \t\r\n"), []byte("solid")) {
		return nil, errors.New("meshfile: the STL file is cut off: it holds fewer triangles than it says")
	}
	if err := read(data); err != nil {
		return nil, err
	}
	if len(r.m.FaceEnd) == 0 {
		return nil, errors.New("meshfile: the STL file has no triangles")
	}
	return &Model{Mesh: r.m, Notes: r.notes.list}, nil
}

// triangle adds a triangle to the last part.
func (r *stlReader) triangle(corners [3]vec.V) error {
	if err := room(r.m, 3, 0, 0, 3); err != nil {
		return err
	}
	var f [3]mesh.Corner
	for k, p := range corners {
		if !p.Finite() {
			return errors.New("a corner is not a number")
		}
		f[k] = mesh.Corner{Pos: r.known.index(r.m, p), UV: -1, Normal: -1}
	}
	r.m.AddFace(int32(len(r.m.Parts)-1), f[:]...)
	return nil
}

// places finds positions of a mesh again: a hash table with linear probing of their numbers alone, for a map would hold each
// position once more.
type places struct {
	seed  maphash.Seed
	slots []int32 // number + 1; 0 for free
}

// index returns the number of a position, which is appended if it is new.
func (t *places) index(m *mesh.Mesh, p vec.V) int32 {
	if 4*len(m.Positions) >= 3*len(t.slots) {
		t.slots = make([]int32, max(1<<10, 2*len(t.slots)))
		for i, q := range m.Positions {
			t.slots[t.slot(m, q)] = int32(i) + 1
		}
	}
	at := t.slot(m, p)
	if t.slots[at] == 0 {
		m.Positions = append(m.Positions, p)
		t.slots[at] = int32(len(m.Positions))
	}
	return t.slots[at] - 1
}

// slot returns where a position stands in the table, or would.
func (t *places) slot(m *mesh.Mesh, p vec.V) int {
	at := int(maphash.Comparable(t.seed, p) & uint64(len(t.slots)-1))
	for t.slots[at] != 0 && m.Positions[t.slots[at]-1] != p {
		at = (at + 1) & (len(t.slots) - 1)
	}
	return at
}

func (r *stlReader) part(name string) error {
	if len(r.m.Parts) >= maxParts {
		return fmt.Errorf("more than %d parts", maxParts)
	}
	r.m.AddPart(r.names.unique(name, "Model"), color.C{0.5, 0.5, 0.5})
	return nil
}

func (r *stlReader) numbers(data []byte) error {
	if err := r.part(""); err != nil {
		return err
	}
	data = data[stlHead:]
	n := min(len(data)/stlEach, mesh.MaxTriangles)
	r.m.Corners, r.m.FaceEnd, r.m.FacePart = make([]mesh.Corner, 0, 3*n), make([]int32, 0, n), make([]int32, 0, n)
	for t := 0; len(data) >= stlEach; t++ {
		var corners [3]vec.V
		for k := range corners {
			var p [3]float64
			for i := range p {
				p[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data[12+12*k+4*i:])))
			}
			corners[k] = r.work.near(p[0], p[1], p[2])
		}
		err := r.work.spend(12)
		if err == nil {
			err = r.triangle(corners)
		}
		if err != nil {
			return fmt.Errorf("meshfile: STL triangle %d: %w", t+1, err)
		}
		data = data[stlEach:]
	}
	return nil
}

func (r *stlReader) text(data []byte) error {
	line := 0
	wrong := func(err error) error { return fmt.Errorf("meshfile: STL line %d: %w", line, err) }
	var corners []vec.V
	for len(data) > 0 {
		var words []byte
		words, data = nextLine(data)
		line++
		if len(words) > maxLine {
			return wrong(fmt.Errorf("the line is longer than %d MB", maxLine>>20))
		}
		if err := r.work.spend(1 + len(words)/8); err != nil {
			return wrong(err)
		}
		f := bytes.Fields(words)
		if len(f) == 0 {
			continue
		}
		switch string(bytes.ToLower(f[0])) {
		case "solid":
			if err := r.part(joined(f[1:])); err != nil {
				return wrong(err)
			}
		case "outer", "facet":
			corners = corners[:0]
		case "vertex":
			if len(f) < 4 {
				return wrong(fmt.Errorf("%d numbers instead of 3", len(f)-1))
			}
			bits := 32
			if r.work.from != (vec.V{}) {
				bits = 64
			}
			var p [3]float64
			for k := range p {
				v, err := strconv.ParseFloat(string(f[1+k]), bits)
				if err != nil {
					return wrong(fmt.Errorf("%.20q is not a number", f[1+k]))
				}
				p[k] = v
			}
			if corners = append(corners, r.work.near(p[0], p[1], p[2])); len(corners) > 3 {
				return wrong(errors.New("a face with more than three corners"))
			}
		case "endloop":
			if len(corners) != 3 {
				return wrong(fmt.Errorf("a face with %d corners", len(corners)))
			}
			if len(r.m.Parts) == 0 {
				return wrong(errors.New("a face of nothing: the file does not begin with solid"))
			}
			if err := r.triangle([3]vec.V(corners)); err != nil {
				return wrong(err)
			}
			corners = corners[:0]
		case "endfacet", "endsolid":
		default:
			return wrong(fmt.Errorf("%.20q says nothing", f[0]))
		}
	}
	if len(corners) > 0 {
		return wrong(errors.New("the file is cut off"))
	}
	return nil
}
