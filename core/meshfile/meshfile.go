// Package meshfile reads models: Wavefront OBJ with MTL, glTF 2.0 as text or binary, PLY, STL, and a ZIP that holds one
// of them with its files. Nothing that a file claims is believed before it is checked against what the file holds.
package meshfile

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"path"
	"strings"

	"mobanta/core/archive"
	"mobanta/core/mesh"
	"mobanta/core/names"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

// Limits on what is read.
const (
	MaxBytes     = 256 << 20 // of one file
	maxSideFiles = 256 << 20 // of a model and all files beside it
	maxText      = 128 << 20 // of JSON, which holds everything twice while it is read
	maxListed    = 4 << 20   // of a ZIP's list of contents
	maxPositions = 2 * mesh.MaxTriangles
)

// Model is what a file holds.
type Model struct {
	Format string // "obj", "gltf", "glb", "ply" or "stl"
	Mesh   *mesh.Mesh
	Notes  []string // what was left out, in sentences
	// Pictures are those that colour the surface, as the file has them.
	Pictures []Picture
	// From is the place in the file that lies at the origin of Mesh: the origin itself, but after ReadNear.
	From vec.V
}

// Picture is a picture that colours parts, laid by their texture coordinates.
type Picture struct {
	Name  string
	Data  []byte // PNG, JPEG or WebP
	Parts []string
}

// maxPictures limits the pictures of one model.
const maxPictures = 32

// pictures gathers the pictures of a model, each once.
type pictures struct {
	list  []Picture
	at    map[string]int // key → place in list; -1 for one that cannot be had
	left  int            // bytes that they may still take
	notes *notes
}

// put says that a part is coloured by the picture of a key, which get reads.
func (p *pictures) put(key, name, part string, get func() ([]byte, error)) {
	if p.at == nil {
		p.at, p.left = map[string]int{}, maxSideFiles/2
	}
	i, known := p.at[key]
	if !known {
		i = -1
		data, err := get()
		switch {
		case err != nil || data == nil:
			p.notes.add("The picture %.80q is missing: parts come without it.", name)
		case !pixmap.Is(data) || len(data) > pixmap.MaxBytes || len(data) > p.left || len(p.list) >= maxPictures:
			p.notes.add("The picture %.80q cannot be read here: parts come without it.", name)
		default:
			if _, err := pixmap.Pixels(data); err != nil {
				p.notes.add("The picture %.80q is damaged: parts come without it.", name)
				break
			}
			i = len(p.list)
			p.left -= len(data)
			p.list = append(p.list, Picture{Name: names.Clip(path.Base(name), nameLen), Data: data})
		}
		p.at[key] = i
	}
	if i >= 0 {
		p.list[i].Parts = append(p.list[i].Parts, part)
	}
}

// Open returns the bytes of a file that a model names, relative to the model;
// nil means that there are none to be had.
type Open func(name string) ([]byte, error)

// Sentinel errors.
var (
	ErrFormat = errors.New("meshfile: not a model that can be read: OBJ, glTF 2.0 (.gltf, .glb), PLY, STL or a ZIP of one")
	ErrTooBig = fmt.Errorf("meshfile: larger than %d MB", MaxBytes>>20)
)

// Read reads a model from data. The name's ending helps to tell OBJ apart;
// everything else is told by the content. It stops with the context's error when
// ctx ends.
func Read(ctx context.Context, name string, data []byte, open Open) (*Model, error) {
	return readFrom(ctx, name, data, open, vec.V{})
}

// afar is how far from the origin the middle of a model may lie before what is within it becomes coarse, in its diagonals: there
// numbers of 32 bits are 4 millionths of it apart.
const afar = 64

// Afar tells whether a mesh lies so far from the origin that its numbers are coarse.
func Afar(m *mesh.Mesh) bool {
	b := m.Bounds()
	c := b.Center()
	return max(c[0], -c[0], c[1], -c[1], c[2], -c[2]) > afar*b.Diagonal() && c.Finite()
}

// ReadNear reads a model as Read does, but brings one that lies Afar to the origin before its numbers are rounded to 32 bits; the
// model's From says from where. Others it leaves where they are.
func ReadNear(ctx context.Context, name string, data []byte, open Open) (*Model, error) {
	m, err := Read(ctx, name, data, open)
	if err != nil || !Afar(m.Mesh) {
		return m, err
	}
	from := m.Mesh.Bounds().Center()
	if m, err = readFrom(ctx, name, data, open, from); err == nil {
		m.From = from
	}
	return m, err
}

// readFrom reads a model whose places are told from a place on.
func readFrom(ctx context.Context, name string, data []byte, open Open, from vec.V) (m *Model, err error) {
	defer func() {
		// The last line of defence against a reader's own slip: a file must not
		// end the program.
		if r := recover(); r != nil {
			m, err = nil, fmt.Errorf("meshfile: %s is damaged", names.Clip(path.Base(name), nameLen))
		}
	}()
	if len(data) > MaxBytes {
		return nil, ErrTooBig
	}
	if open == nil {
		open = func(name string) ([]byte, error) {
			return nil, fmt.Errorf("meshfile: %.80q is missing: bring it in together with the model", name)
		}
	}
	if archived(data) {
		return readZip(ctx, data, from)
	}
	f := sniff(name, data)
	if f == nil {
		return nil, ErrFormat
	}
	w := newWork(ctx)
	w.from = from
	m, err = f.read(w, data, open)
	if err == nil {
		err = m.Mesh.Check()
	}
	if err != nil {
		return nil, err
	}
	m.Format = f.ending[1:]
	return m, nil
}

// archived tells whether data is a ZIP.
func archived(data []byte) bool { return bytes.HasPrefix(data, []byte("PK\x03\x04")) }

// readZip reads the one model in an archive; its other files lie beside it.
func readZip(ctx context.Context, data []byte, from vec.V) (*Model, error) {
	z, err := archive.Open(bytes.NewReader(data), int64(len(data)), maxListed)
	if errors.Is(err, archive.ErrCrowded) {
		return nil, errors.New("meshfile: the ZIP lists too many files")
	}
	if err != nil {
		return nil, errors.New("meshfile: the ZIP is damaged")
	}
	files := map[string]*zip.File{}
	var models []string
	for _, f := range z.File {
		name := path.Clean("/" + strings.ReplaceAll(f.Name, `\`, "/"))[1:]
		files[strings.ToLower(name)] = f
		if Is(name) {
			models = append(models, name)
		}
	}
	if len(models) != 1 {
		return nil, fmt.Errorf("meshfile: the ZIP holds %d models, it must hold one (.obj, .gltf, .glb, .ply or .stl)", len(models))
	}
	left := int64(maxSideFiles) + int64(maxSideFiles)/4 - int64(len(data)) // the packed ones lie in memory too
	left = max(left, maxSideFiles/4)
	read := func(name string) ([]byte, error) {
		f := files[strings.ToLower(name)]
		if f == nil {
			return nil, fmt.Errorf("meshfile: %.80q is missing from the ZIP", name)
		}
		if f.UncompressedSize64 > uint64(min(left, MaxBytes)) {
			return nil, fmt.Errorf("meshfile: %.80q in the ZIP: %w", name, ErrTooBig)
		}
		left -= int64(f.UncompressedSize64)
		out, err := archive.Read(f)
		if err != nil {
			return nil, fmt.Errorf("meshfile: %.80q in the ZIP is damaged", name)
		}
		return out, nil
	}
	inner, err := read(models[0])
	if err != nil {
		return nil, err
	}
	if archived(inner) {
		return nil, ErrFormat
	}
	dir := path.Dir(models[0])
	return readFrom(ctx, models[0], inner, func(name string) ([]byte, error) { return read(path.Join(dir, name)) }, from)
}
