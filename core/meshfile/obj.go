package meshfile

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"path"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

type objReader struct {
	m        *mesh.Mesh
	line     int
	group    string
	material string
	parts    map[[2]string]int32
	keys     [][2]string // of each part
	colors   map[string]color.C
	maps     map[string]string // material → the picture of its colour
	pics     pictures
	part     int32 // -1 until a face needs one
	notes    notes
	corners  []mesh.Corner
	sides    map[string]bool // material files that were asked for
	work     *work
}

// isOBJ tells whether the first line that says something is one of an OBJ file.
func isOBJ(_, head []byte) bool {
	for _, line := range bytes.Split(head, []byte("\n")) {
		if f := bytes.Fields(line); len(f) > 0 && f[0][0] != '#' {
			switch string(f[0]) {
			case "v", "o", "g", "mtllib", "vn", "vt", "usemtl", "s":
				return true
			}
			return false
		}
	}
	return false
}

func readOBJ(w *work, data []byte, open Open) (*Model, error) {
	r := &objReader{m: &mesh.Mesh{}, parts: map[[2]string]int32{}, colors: map[string]color.C{}, maps: map[string]string{}, part: -1, sides: map[string]bool{}, work: w}
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	var whole []byte
	for len(data) > 0 {
		var line []byte
		line, data = nextLine(data)
		r.line++
		first := r.line // what is wrong with a line that goes on is told by where it begins
		if bytes.HasSuffix(line, []byte(`\`)) && len(data) > 0 {
			whole = whole[:0]
			for bytes.HasSuffix(line, []byte(`\`)) && len(data) > 0 && len(whole) <= maxLine {
				whole = append(whole, line[:len(line)-1]...)
				line, data = nextLine(data)
				r.line++
			}
			line = append(whole, line...)
			whole = line
		}
		if len(line) > maxLine {
			return nil, r.errorf("the line is longer than %d MB", maxLine>>20)
		}
		if err := w.spend(1 + len(line)/8); err != nil {
			return nil, r.errorf("%w", err)
		}
		last := r.line
		r.line = first
		if i := bytes.IndexByte(line, '#'); i >= 0 {
			line = line[:i]
		}
		fields := bytes.Fields(line)
		if len(fields) == 0 {
			r.line = last
			continue
		}
		if err := r.statement(string(fields[0]), fields[1:], open); err != nil {
			return nil, err
		}
		r.line = last
	}
	if len(r.m.FaceEnd) == 0 {
		return nil, fmt.Errorf("meshfile: the OBJ file has no faces")
	}
	r.nameParts()
	if len(r.m.Paint) > 0 {
		r.m.PaintUpTo(len(r.m.Positions))
	}
	r.pics.notes = &r.notes
	for i, k := range r.keys {
		if name, ok := r.maps[k[1]]; ok && len(r.m.UVs) > 0 {
			r.pics.put(name, name, r.m.Parts[i].Name, func() ([]byte, error) {
				if strings.Contains(name, ":") || !localPath(name) {
					return nil, errors.New("not beside the model")
				}
				return open(path.Clean(strings.ReplaceAll(name, `\`, "/")))
			})
		}
	}
	return &Model{Mesh: r.m, Notes: r.notes.list, Pictures: r.pics.list}, nil
}

func nextLine(data []byte) (line, rest []byte) {
	i := bytes.IndexByte(data, '\n')
	if i < 0 {
		return bytes.TrimRight(data, "\r"), nil
	}
	return bytes.TrimRight(data[:i], "\r"), data[i+1:]
}

func (r *objReader) errorf(format string, args ...any) error {
	return fmt.Errorf("meshfile: OBJ line %d: %w", r.line, fmt.Errorf(format, args...))
}

func (r *objReader) statement(word string, args [][]byte, open Open) error {
	switch word {
	case "v":
		p, err := r.place(args)
		r.m.Positions = append(r.m.Positions, p)
		if err == nil && len(args) >= 6 {
			err = r.paint(args[3:])
		}
		return r.checked(err)
	case "vt":
		p, err := r.floats(args, 1)
		r.m.UVs = append(r.m.UVs, [2]float32{p[0], p[1]})
		return r.checked(err)
	case "vn":
		p, err := r.floats(args, 3)
		r.m.Normals = append(r.m.Normals, p.Unit())
		return r.checked(err)
	case "f":
		return r.face(args)
	case "g", "o":
		r.group, r.part = joined(args), -1
	case "usemtl":
		r.material, r.part = joined(args), -1
	case "mtllib":
		name := joined(args)
		if r.sides[name] || len(r.sides) >= maxSides {
			return nil
		}
		r.sides[name] = true
		data, err := open(name)
		if err != nil {
			r.notes.add("The material file %.80q is missing: parts come in grey.", name)
			return nil
		}
		return r.materials(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")))
	case "l", "p":
		r.notes.add("Lines and points were left out.")
	case "curv", "curv2", "surf", "cstype", "vp":
		r.notes.add("Curved surfaces were left out.")
	}
	return nil
}

// paint reads the colour behind a vertex, which many programs write there.
func (r *objReader) paint(args [][]byte) error {
	c, err := r.floats(args, 3)
	if err != nil {
		return err
	}
	r.m.PaintUpTo(len(r.m.Positions) - 1)
	r.m.Paint, r.m.PaintEncoded = append(r.m.Paint, [4]float32{max(0, min(1, c[0])), max(0, min(1, c[1])), max(0, min(1, c[2])), 1}), true
	return nil
}

// picturePath returns the file of a map, past its options, each of which is a word that
// begins with - and what it takes: numbers, or one word.
func picturePath(f [][]byte) string {
	for len(f) > 1 && len(f[0]) > 1 && f[0][0] == '-' {
		f = f[1:]
		taken := 0
		for len(f) > 1 && taken < 3 {
			if _, err := strconv.ParseFloat(string(f[0]), 64); err != nil && taken > 0 {
				break
			} else if err != nil { // on, off, a channel
				f = f[1:]
				break
			}
			f, taken = f[1:], taken+1
		}
	}
	return joined(f)
}

// joined returns the words of a name, of which a megabyte is no more use than a line.
func joined(args [][]byte) string {
	var out []byte
	for i, a := range args {
		if i > 0 {
			out = append(out, ' ')
		}
		if out = append(out, a[:min(len(a), keyLen)]...); len(out) >= keyLen {
			return string(out[:keyLen])
		}
	}
	return string(out)
}

// checked returns err, or why the mesh has become too large.
func (r *objReader) checked(err error) error {
	if err == nil {
		if err = room(r.m, 0, 0, 0, 0); err != nil {
			err = r.errorf("%w", err)
		}
	}
	return err
}

// floats reads up to three numbers, of which the first n must be there.
func (r *objReader) floats(args [][]byte, n int) (v vec.V, err error) {
	if len(args) < n {
		return v, r.errorf("%d numbers instead of %d", len(args), n)
	}
	for i := range min(3, len(args)) {
		f, err := strconv.ParseFloat(string(args[i]), 32)
		if err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
			return v, r.errorf("%.20q is not a number", args[i])
		}
		v[i] = float32(f)
	}
	return v, nil
}

// place reads a place.
func (r *objReader) place(args [][]byte) (p vec.V, err error) {
	p, err = r.floats(args, 3)
	if err != nil || r.work.from == (vec.V{}) {
		return p, err
	}
	var at [3]float64
	for i := range at {
		at[i], _ = strconv.ParseFloat(string(args[i]), 64) // it is a number, as it was one of 32 bits
	}
	return r.work.near(at[0], at[1], at[2]), nil
}

func (r *objReader) face(args [][]byte) error {
	if len(args) < 3 {
		return r.errorf("a face with %d corners", len(args))
	}
	if err := room(r.m, 0, 0, 0, len(args)); err != nil {
		return r.errorf("%w", err)
	}
	r.corners = r.corners[:0]
	for _, a := range args {
		c := mesh.Corner{Pos: -1, UV: -1, Normal: -1}
		what := [3]struct {
			to   *int32
			n    int
			name string
		}{{&c.Pos, len(r.m.Positions), "vertex"}, {&c.UV, len(r.m.UVs), "texture coordinate"}, {&c.Normal, len(r.m.Normals), "normal"}}
		for k, rest := 0, a; ; k++ {
			field, more, again := bytes.Cut(rest, []byte("/"))
			if k > 2 {
				return r.errorf("%.20q is not a corner", a)
			}
			if len(field) > 0 || k == 0 {
				n, err := strconv.Atoi(string(field))
				if err != nil {
					return r.errorf("%.20q is not a corner", a)
				}
				i := n - 1
				if n < 0 {
					i = what[k].n + n
				}
				if n == 0 || i < 0 || i >= what[k].n {
					return r.errorf("face %d refers to %s %d of %d", len(r.m.FaceEnd)+1, what[k].name, n, what[k].n)
				}
				*what[k].to = int32(i)
			}
			if !again {
				break
			}
			rest = more
		}
		r.corners = append(r.corners, c)
	}
	if r.part < 0 {
		key := [2]string{r.group, r.material}
		p, ok := r.parts[key]
		if !ok {
			if len(r.keys) >= maxParts {
				return r.errorf("more than %d parts", maxParts)
			}
			p = r.m.AddPart("", color.C{0.5, 0.5, 0.5})
			r.parts[key], r.keys = p, append(r.keys, key)
		}
		r.part = p
	}
	r.m.AddFace(r.part, r.corners...)
	return nil
}

// maxParts limits the parts of one model; the panel lists them all.
const maxParts = 2000

// nameParts names each part for its group, and for its material too where the
// group has several.
func (r *objReader) nameParts() {
	materials := map[string]int{}
	for _, k := range r.keys {
		materials[k[0]]++
	}
	var names naming
	for i, k := range r.keys {
		name := k[0]
		if k[1] != "" && (name == "" || materials[name] > 1) {
			name = strings.TrimSpace(name + " " + k[1])
		}
		r.m.Parts[i].Name = names.unique(name, "Part")
		if c, ok := r.colors[k[1]]; ok {
			r.m.Parts[i].Color = c
		}
	}
}

// materials reads the diffuse colours of an MTL file; what it cannot read, it
// passes over.
func (r *objReader) materials(data []byte) error {
	name := ""
	for len(data) > 0 {
		var line []byte
		line, data = nextLine(data)
		if err := r.work.spend(1 + len(line)/8); err != nil {
			return r.errorf("the material file: %w", err)
		}
		if len(line) > keyLen*4 {
			continue
		}
		f := bytes.Fields(line)
		switch {
		case len(f) >= 2 && string(f[0]) == "newmtl":
			name = joined(f[1:])
		case len(f) >= 2 && string(f[0]) == "map_Kd" && len(r.maps) < maxParts:
			r.maps[name] = picturePath(f[1:])
		case len(f) >= 4 && string(f[0]) == "Kd":
			if v, err := r.floats(f[1:], 3); err == nil && len(r.colors) < maxParts {
				r.colors[name] = color.FromEncoded(v)
			}
		}
	}
	return nil
}
