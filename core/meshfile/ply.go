package meshfile

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// The Stanford polygon format: a head that says what follows, then that as text or as
// numbers of either byte order. Of what it may hold, vertices with normals, texture
// coordinates and colours are read, and faces and strips of triangles.

// Limits of a PLY head.
const (
	plyHead       = 64 << 10
	plyElements   = 64
	plyProperties = 256
)

// plyKind is a kind of number: how many bytes it takes, and how they are read.
type plyKind struct {
	size  int
	whole float64 // the greatest whole number, what a colour of 1 is; 0 for floats
	read  func(order binary.ByteOrder, b []byte) float64
}

var plyKinds = func() map[string]*plyKind {
	out := map[string]*plyKind{}
	for _, k := range []struct {
		names string
		kind  plyKind
	}{
		{"char int8", plyKind{1, 127, func(_ binary.ByteOrder, b []byte) float64 { return float64(int8(b[0])) }}},
		{"uchar uint8", plyKind{1, 255, func(_ binary.ByteOrder, b []byte) float64 { return float64(b[0]) }}},
		{"short int16", plyKind{2, 32767, func(o binary.ByteOrder, b []byte) float64 { return float64(int16(o.Uint16(b))) }}},
		{"ushort uint16", plyKind{2, 65535, func(o binary.ByteOrder, b []byte) float64 { return float64(o.Uint16(b)) }}},
		{"int int32", plyKind{4, math.MaxInt32, func(o binary.ByteOrder, b []byte) float64 { return float64(int32(o.Uint32(b))) }}},
		{"uint uint32", plyKind{4, math.MaxUint32, func(o binary.ByteOrder, b []byte) float64 { return float64(o.Uint32(b)) }}},
		{"float float32", plyKind{4, 0, func(o binary.ByteOrder, b []byte) float64 { return float64(math.Float32frombits(o.Uint32(b))) }}},
		{"double float64", plyKind{8, 0, func(o binary.ByteOrder, b []byte) float64 { return math.Float64frombits(o.Uint64(b)) }}},
	} {
		for _, name := range strings.Fields(k.names) {
			out[name] = &k.kind
		}
	}
	return out
}()

type plyProperty struct {
	name  string
	kind  *plyKind
	count *plyKind // of a list: how its length is written; nil otherwise
}

type plyElement struct {
	name       string
	count      int
	properties []plyProperty
}

// find returns the number of the property of the first of several names that is there, or -1.
func (e *plyElement) find(names ...string) int {
	for _, name := range names {
		if i := slices.IndexFunc(e.properties, func(p plyProperty) bool { return p.name == name && p.count == nil }); i >= 0 {
			return i
		}
	}
	return -1
}

type plyReader struct {
	m        *mesh.Mesh
	work     *work
	notes    notes
	elements []plyElement
	order    binary.ByteOrder // nil for text
	rest     []byte
	line     int // of text
	words    [][]byte
}

// isPLY tells whether a file begins as one.
func isPLY(_, head []byte) bool {
	return bytes.HasPrefix(head, []byte("ply")) && (len(head) == 3 || head[3] == '\n' || head[3] == '\r' || head[3] == ' ')
}

func readPLY(w *work, data []byte, _ Open) (*Model, error) {
	r := &plyReader{m: &mesh.Mesh{}, work: w}
	if err := r.head(data); err != nil {
		return nil, err
	}
	r.m.AddPart("Model", color.C{0.5, 0.5, 0.5})
	had := false
	for i := range r.elements {
		e := &r.elements[i]
		var err error
		switch {
		case e.name == "vertex" && !had:
			had, err = true, r.vertices(e)
		case e.name == "face" || e.name == "tristrips":
			err = r.faces(e)
		default:
			if e.count > 0 && e.name != "vertex" {
				r.notes.add("What the file calls %.40q was left out.", e.name)
			}
			err = r.rows(e, func(int, []float64, [][]float64) error { return nil })
		}
		if err != nil {
			return nil, err
		}
	}
	if len(r.m.FaceEnd) == 0 {
		if len(r.m.Positions) > 0 {
			return nil, errors.New("meshfile: the PLY file holds points without faces: make a surface of them first")
		}
		return nil, errors.New("meshfile: the PLY file has no faces")
	}
	return &Model{Mesh: r.m, Notes: r.notes.list}, nil
}

// head reads what comes before the numbers.
func (r *plyReader) head(data []byte) error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("meshfile: PLY line %d: %w", r.line, fmt.Errorf(format, args...))
	}
	known := false
	for rest := data; ; {
		if len(rest) == 0 || len(data)-len(rest) > plyHead {
			return errors.New("meshfile: the PLY file is cut off: its head has no end")
		}
		var line []byte
		line, rest = nextLine(rest)
		r.line++
		f := strings.Fields(string(line[:min(len(line), keyLen)]))
		if len(f) == 0 || r.line == 1 {
			continue
		}
		switch f[0] {
		case "end_header":
			if !known {
				return wrong("the format is not said")
			}
			r.rest = rest
			return nil
		case "format":
			if len(f) < 2 {
				return wrong("the format is not said")
			}
			switch known = true; f[1] {
			case "ascii":
			case "binary_little_endian":
				r.order = binary.LittleEndian
			case "binary_big_endian":
				r.order = binary.BigEndian
			default:
				return wrong("the format %.40q is not known", f[1])
			}
		case "element":
			n := -1
			if len(f) >= 3 {
				n, _ = strconv.Atoi(f[2])
			}
			if n < 0 || n > 3*mesh.MaxTriangles {
				return wrong("%.40q is no number of things that can be read", strings.Join(f[min(2, len(f)):], " "))
			}
			if len(r.elements) >= plyElements {
				return wrong("there are more than %d kinds of things", plyElements)
			}
			r.elements = append(r.elements, plyElement{name: f[1], count: n})
		case "property":
			if len(r.elements) == 0 {
				return wrong("a property of nothing")
			}
			e := &r.elements[len(r.elements)-1]
			p := plyProperty{}
			if len(f) == 5 && f[1] == "list" {
				p = plyProperty{f[4], plyKinds[f[3]], plyKinds[f[2]]}
				if p.count == nil || p.count.whole == 0 {
					return wrong("%.40q cannot count a list", f[2])
				}
			} else if len(f) == 3 {
				p = plyProperty{f[2], plyKinds[f[1]], nil}
			}
			if p.kind == nil {
				return wrong("%.80q is no property that can be read", strings.Join(f[1:], " "))
			}
			if len(e.properties) >= plyProperties {
				return wrong("there are more than %d properties", plyProperties)
			}
			e.properties = append(e.properties, p)
		}
	}
}

// rows calls f with the values of each thing of an element: of its properties, and of
// those that are lists. It may not keep them.
func (r *plyReader) rows(e *plyElement, f func(i int, values []float64, lists [][]float64) error) error {
	values, lists := make([]float64, len(e.properties)), make([][]float64, len(e.properties))
	if len(e.properties) == 0 {
		return nil
	}
	for i := range e.count {
		if err := r.work.spend(1 + len(e.properties)); err != nil {
			return r.wrong(e, i, err)
		}
		r.words = nil
		for k := range e.properties {
			p := &e.properties[k]
			if p.count == nil {
				v, err := r.number(p.kind)
				if err != nil {
					return r.wrong(e, i, err)
				}
				values[k] = v
				continue
			}
			n, err := r.number(p.count)
			if err != nil {
				return r.wrong(e, i, err)
			}
			if n < 0 || n != math.Floor(n) || n > 3*mesh.MaxTriangles {
				return r.wrong(e, i, fmt.Errorf("a list of %v numbers", n))
			}
			if err := r.work.spend(int(n)); err != nil {
				return r.wrong(e, i, err)
			}
			lists[k] = lists[k][:0]
			for range int(n) {
				v, err := r.number(p.kind)
				if err != nil {
					return r.wrong(e, i, err)
				}
				lists[k] = append(lists[k], v)
			}
		}
		if err := f(i, values, lists); err != nil {
			return r.wrong(e, i, err)
		}
	}
	return nil
}

func (r *plyReader) wrong(e *plyElement, i int, err error) error {
	if r.order == nil {
		return fmt.Errorf("meshfile: PLY line %d: %.40s %d: %w", r.line, e.name, i+1, err)
	}
	return fmt.Errorf("meshfile: PLY: %.40s %d: %w", e.name, i+1, err)
}

var errPLYCut = errors.New("the file is cut off")

// number reads the next number.
func (r *plyReader) number(k *plyKind) (float64, error) {
	if r.order != nil {
		if len(r.rest) < k.size {
			return 0, errPLYCut
		}
		v := k.read(r.order, r.rest)
		r.rest = r.rest[k.size:]
		return v, nil
	}
	for len(r.words) == 0 {
		if len(r.rest) == 0 {
			return 0, errPLYCut
		}
		var line []byte
		line, r.rest = nextLine(r.rest)
		r.line++
		if len(line) > maxLine {
			return 0, fmt.Errorf("the line is longer than %d MB", maxLine>>20)
		}
		r.words = bytes.Fields(line)
	}
	word := r.words[0]
	r.words = r.words[1:]
	v, err := strconv.ParseFloat(string(word), 64)
	if err != nil && !errors.Is(err, strconv.ErrRange) {
		return 0, fmt.Errorf("%.20q is not a number", word)
	}
	return v, nil
}

func (r *plyReader) vertices(e *plyElement) error {
	if err := room(r.m, e.count, e.count, e.count, 0); err != nil {
		return fmt.Errorf("meshfile: PLY: %w", err)
	}
	at := [3]int{e.find("x"), e.find("y"), e.find("z")}
	if slices.Contains(at[:], -1) {
		return errors.New("meshfile: PLY: the vertices have no place (x, y, z)")
	}
	normal := [3]int{e.find("nx"), e.find("ny"), e.find("nz")}
	uv := [2]int{e.find("s", "u", "texture_u"), e.find("t", "v", "texture_v")}
	paint := [4]int{e.find("red", "r", "diffuse_red"), e.find("green", "g", "diffuse_green"), e.find("blue", "b", "diffuse_blue"), e.find("alpha", "a")}
	painted := !slices.Contains(paint[:3], -1)
	r.m.PaintEncoded = painted
	return r.rows(e, func(_ int, v []float64, _ [][]float64) error {
		p := r.work.near(v[at[0]], v[at[1]], v[at[2]])
		if !p.Finite() {
			return errors.New("its place is not a number")
		}
		r.m.Positions = append(r.m.Positions, p)
		if !slices.Contains(normal[:], -1) {
			n := vec.V{float32(v[normal[0]]), float32(v[normal[1]]), float32(v[normal[2]])}
			if n = n.Unit(); !n.Finite() {
				n = vec.V{}
			}
			r.m.Normals = append(r.m.Normals, n)
		}
		if !slices.Contains(uv[:], -1) {
			r.m.UVs = append(r.m.UVs, [2]float32{plain(v[uv[0]]), plain(v[uv[1]])})
		}
		if painted {
			c := [4]float32{1, 1, 1, 1}
			for k, i := range paint {
				if i >= 0 {
					x := v[i]
					if whole := e.properties[i].kind.whole; whole > 0 {
						x /= whole
					}
					c[k] = max(0, min(1, plain(x)))
				}
			}
			r.m.Paint = append(r.m.Paint, c)
		}
		return nil
	})
}

// plain returns v, or 0 where it is no number that can be reckoned with.
func plain(v float64) float32 {
	if f := float32(v); f-f == 0 {
		return f
	}
	return 0
}

// faces reads polygons, or strips of triangles that -1 ends.
func (r *plyReader) faces(e *plyElement) error {
	list := slices.IndexFunc(e.properties, func(p plyProperty) bool {
		return p.count != nil && (p.name == "vertex_indices" || p.name == "vertex_index")
	})
	if list < 0 {
		if e.count > 0 {
			return fmt.Errorf("meshfile: PLY: the %.40s have no list of vertices", e.name)
		}
		return nil
	}
	n := float64(len(r.m.Positions))
	corner := func(v float64) (mesh.Corner, error) {
		if !(v >= 0 && v < n) || v != math.Floor(v) {
			return mesh.Corner{}, fmt.Errorf("it refers to vertex %v of %v", v, n)
		}
		c := mesh.Corner{Pos: int32(v), UV: -1, Normal: -1}
		if len(r.m.UVs) > 0 {
			c.UV = int32(v)
		}
		if len(r.m.Normals) > 0 {
			c.Normal = int32(v)
		}
		return c, nil
	}
	var corners []mesh.Corner
	return r.rows(e, func(_ int, _ []float64, lists [][]float64) error {
		if err := room(r.m, 0, 0, 0, 3*len(lists[list])); err != nil {
			return err
		}
		corners = corners[:0]
		flip := false
		for _, v := range lists[list] {
			if e.name == "tristrips" && v == -1 {
				corners, flip = corners[:0], false
				continue
			}
			c, err := corner(v)
			if err != nil {
				return err
			}
			if corners = append(corners, c); e.name != "tristrips" || len(corners) < 3 {
				continue
			}
			a, b := corners[0], corners[1]
			if flip {
				a, b = b, a
			}
			if a.Pos != b.Pos && b.Pos != c.Pos && c.Pos != a.Pos { // those only turn the strip
				r.m.AddFace(0, a, b, c)
			}
			corners, flip = append(corners[:0], corners[1], corners[2]), !flip
		}
		if e.name == "tristrips" {
			return nil
		}
		if len(corners) < 3 {
			r.notes.add("Faces with fewer than three corners were left out.")
			return nil
		}
		r.m.AddFace(0, corners...)
		return nil
	})
}
