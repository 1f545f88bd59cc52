package exchange

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"

	"mobanta/core/archive"
	"mobanta/core/meshfile"
	"mobanta/core/pixmap"
	"mobanta/core/project"
)

// BundleVersion is the version of bundles that this program writes and reads.
const BundleVersion = 1

// Limits on a bundle.
const (
	MaxBundleBytes  = 512 << 20
	maxBundleFiles  = 1000
	maxBundlePixels = 256 << 20 // of all pictures
	maxListed       = 1 << 20   // bytes of the list of contents
)

// File is a stored model or picture: its bytes are named by their hash.
type File struct {
	Name string // as it was brought in, "kettle.glb"
	Data []byte
}

// Hash returns the name under which a file's bytes are kept: SHA-256 in hex.
func Hash(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// manifest is the first entry of a bundle, bundle.json.
type manifest struct {
	Mobanta string            `json:"mobanta"` // always "bundle"
	Version int               `json:"version"`
	Files   map[string]string `json:"files"` // hash → name
}

// WriteBundle writes a project with its files as a ZIP: bundle.json,
// project.json and files/HASH for every model and picture that open gives.
func WriteBundle(w io.Writer, p *project.Project, open func(hash string) (File, error)) error {
	return writeBundle(w, p, open, zip.Deflate)
}

// WriteStored writes the same without packing its entries, where time matters and room does not.
func WriteStored(w io.Writer, p *project.Project, open func(hash string) (File, error)) error {
	return writeBundle(w, p, open, zip.Store)
}

func writeBundle(w io.Writer, p *project.Project, open func(hash string) (File, error), method uint16) error {
	z := zip.NewWriter(w)
	m := manifest{Mobanta: "bundle", Version: BundleVersion, Files: map[string]string{}}
	var order []string
	add := func(h string) error {
		if h == "" || m.Files[h] != "" {
			return nil
		}
		f, err := open(h)
		if err == nil {
			m.Files[h], order = cmp.Or(f.Name, "file"), append(order, h)
		}
		return err
	}
	for _, model := range p.Stage.Models {
		if err := add(model.File); err != nil {
			return fmt.Errorf("exchange: the file of model %s is missing: %w", model.Name, err)
		}
	}
	for _, h := range p.Pictures() {
		_ = add(h) // a picture that has gone missing is missed in the bundle too
	}
	put := func(name string, data []byte) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: method})
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	}
	for _, e := range []struct {
		name string
		v    any
	}{{"bundle.json", m}, {"project.json", p}} {
		data, err := json.MarshalIndent(e.v, "", "  ")
		if err == nil {
			err = put(e.name, data)
		}
		if err != nil {
			return fmt.Errorf("exchange: %w", err)
		}
	}
	for _, h := range order {
		f, err := open(h) // once more, so that they are not all in memory
		if err == nil {
			err = put("files/"+h, f.Data)
		}
		if err != nil {
			return fmt.Errorf("exchange: %w", err)
		}
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("exchange: %w", err)
	}
	return nil
}

var hashPattern = regexp.MustCompile(`^[0-9a-f]{64}$`)

// Bundle is a bundle that has been opened: its project is settled, its files are read
// when they are asked for.
type Bundle struct {
	Project *project.Project
	files   *zip.Reader
	names   map[string]string // hash → name
	left    int64             // bytes that may still be unpacked
	counted map[string]bool
}

// OpenBundle opens a bundle of size bytes.
func OpenBundle(r io.ReaderAt, size int64) (*Bundle, error) {
	if size > MaxBundleBytes {
		return nil, fmt.Errorf("exchange: the bundle is larger than %d MB", MaxBundleBytes>>20)
	}
	z, err := archive.Open(r, size, maxListed)
	if err != nil {
		return nil, errors.New("exchange: this is not a bundle: it is no ZIP, or a damaged one")
	}
	b := &Bundle{files: z, left: MaxBundleBytes, counted: map[string]bool{}}
	head, err := b.read("bundle.json", 1<<20)
	if err != nil {
		return nil, err
	}
	var m manifest
	if err := decode(head, &m, "bundle's list of contents"); err != nil {
		return nil, err
	}
	if m.Mobanta != "bundle" {
		return nil, errors.New("exchange: this is not a bundle")
	}
	if m.Version != BundleVersion {
		return nil, fmt.Errorf("exchange: the bundle is of version %d; this program reads version %d", m.Version, BundleVersion)
	}
	if len(m.Files) > maxBundleFiles {
		return nil, fmt.Errorf("exchange: the bundle holds more than %d files", maxBundleFiles)
	}
	b.names = m.Files
	doc, err := b.read("project.json", project.MaxBytes)
	if err != nil {
		return nil, err
	}
	if b.Project, err = project.Read(doc); err != nil {
		return nil, fmt.Errorf("exchange: the bundle's project cannot be read: %w", err)
	}
	for _, model := range b.Project.Stage.Models {
		if h := model.File; h != "" && !hashPattern.MatchString(h) {
			return nil, fmt.Errorf("exchange: model %.40q names no file", model.Name)
		}
	}
	return b, nil
}

// Models returns the hashes of the models that the project shows, each once.
func (b *Bundle) Models() []string {
	var out []string
	for _, model := range b.Project.Stage.Models {
		if h := model.File; h != "" && !slices.Contains(out, h) {
			out = append(out, h)
		}
	}
	return out
}

// Pictures returns the hashes of the pictures that came along, each once. One that
// was missing where the bundle was made is missing here too.
func (b *Bundle) Pictures() []string {
	models := b.Models()
	return slices.DeleteFunc(b.Project.Pictures(), func(h string) bool {
		return b.names[h] == "" || !hashPattern.MatchString(h) || slices.Contains(models, h)
	})
}

// File reads a model or a picture; its bytes are those that its hash names.
func (b *Bundle) File(hash string) (File, error) {
	body, err := b.read("files/"+hash, meshfile.MaxBytes)
	if err != nil {
		return File{}, err
	}
	if Hash(body) != hash {
		return File{}, fmt.Errorf("exchange: the file %.60q in the bundle is damaged", b.names[hash])
	}
	return File{Name: b.names[hash], Data: body}, nil
}

// read unpacks an entry, which counts once however often it is read.
func (b *Bundle) read(name string, limit int64) ([]byte, error) {
	i := slices.IndexFunc(b.files.File, func(f *zip.File) bool { return f.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("exchange: the bundle lacks %s", name)
	}
	f := b.files.File[i]
	if !b.counted[name] {
		limit = min(limit, b.left)
	}
	if f.UncompressedSize64 > uint64(limit) {
		return nil, fmt.Errorf("exchange: %s in the bundle is too large", name)
	}
	out, err := archive.Read(f)
	if err != nil {
		return nil, fmt.Errorf("exchange: %s in the bundle is damaged", name)
	}
	if !b.counted[name] {
		b.counted[name], b.left = true, b.left-int64(len(out))
	}
	return out, nil
}

// Check reads all files of a bundle once: every model and every picture must be one
// that can be shown. It stops with the context's error when ctx ends.
func (b *Bundle) Check(ctx context.Context) error {
	for _, h := range b.Models() {
		f, err := b.File(h)
		if err == nil {
			_, err = meshfile.Read(ctx, f.Name, f.Data, nil)
		}
		if err != nil {
			return err
		}
	}
	pixels := 0
	for _, h := range b.Pictures() {
		f, err := b.File(h)
		if err != nil {
			return err
		}
		n, err := pixmap.Pixels(f.Data)
		if err == nil {
			if pixels += n; pixels > maxBundlePixels {
				return fmt.Errorf("exchange: the pictures in the bundle have more than %d million pixels together", maxBundlePixels>>20)
			}
			_, err = pixmap.Read(f.Data)
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// ReadBundle reads a bundle with all its files.
func ReadBundle(data []byte) (*project.Project, map[string]File, error) {
	b, err := OpenBundle(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, nil, err
	}
	files := map[string]File{}
	for _, h := range append(b.Models(), b.Pictures()...) {
		if files[h], err = b.File(h); err != nil {
			return nil, nil, err
		}
	}
	return b.Project, files, nil
}
