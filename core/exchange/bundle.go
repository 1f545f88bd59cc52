package exchange

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"

	"mobanta/core/meshfile"
	"mobanta/core/pixmap"
	"mobanta/core/project"
)

// BundleVersion is the version of bundles that this program writes and reads.
const BundleVersion = 1

// Limits on a bundle.
const (
	MaxBundleBytes = 512 << 20
	maxBundleFiles = 1000
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
	z := zip.NewWriter(w)
	m := manifest{Mobanta: "bundle", Version: BundleVersion, Files: map[string]string{}}
	var order []string
	files := map[string]File{}
	for _, model := range p.Stage.Models {
		if h := model.File; h != "" && m.Files[h] == "" {
			f, err := open(h)
			if err != nil {
				return fmt.Errorf("exchange: model %s: %w", model.Name, err)
			}
			m.Files[h], files[h], order = f.Name, f, append(order, h)
		}
	}
	for _, h := range p.Pictures() {
		if m.Files[h] != "" {
			continue
		}
		// A picture that has gone missing is missed in the bundle too.
		if f, err := open(h); err == nil {
			m.Files[h], files[h], order = f.Name, f, append(order, h)
		}
	}
	put := func(name string, data []byte) error {
		f, err := z.Create(name)
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
		if err := put("files/"+h, files[h].Data); err != nil {
			return fmt.Errorf("exchange: %w", err)
		}
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("exchange: %w", err)
	}
	return nil
}

var hashPattern = regexp.MustCompile(`^[0-9a-f]{64}$`)

// ReadBundle reads a bundle and checks all of it: the project is settled, and
// every model that it names is there, under its right hash.
func ReadBundle(data []byte) (*project.Project, map[string]File, error) {
	if len(data) > MaxBundleBytes {
		return nil, nil, fmt.Errorf("exchange: the bundle is larger than %d MB", MaxBundleBytes>>20)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, nil, fmt.Errorf("exchange: this is not a bundle: %w", err)
	}
	left := int64(MaxBundleBytes)
	read := func(name string, limit int64) ([]byte, error) {
		f, err := z.Open(name)
		if err != nil {
			return nil, fmt.Errorf("exchange: the bundle lacks %s", name)
		}
		defer f.Close()
		out, err := io.ReadAll(io.LimitReader(f, min(limit, left)+1))
		if err != nil {
			return nil, fmt.Errorf("exchange: %s in the bundle is damaged: %w", name, err)
		}
		if left -= int64(len(out)); left < 0 || int64(len(out)) > limit {
			return nil, fmt.Errorf("exchange: %s in the bundle is too large", name)
		}
		return out, nil
	}
	head, err := read("bundle.json", 1<<20)
	if err != nil {
		return nil, nil, err
	}
	var m manifest
	if err := decode(head, &m, "bundle's list of contents"); err != nil {
		return nil, nil, err
	}
	if m.Mobanta != "bundle" {
		return nil, nil, errors.New("exchange: this is not a bundle")
	}
	if m.Version != BundleVersion {
		return nil, nil, fmt.Errorf("exchange: the bundle is of version %d; this program reads version %d", m.Version, BundleVersion)
	}
	if len(m.Files) > maxBundleFiles {
		return nil, nil, fmt.Errorf("exchange: the bundle holds more than %d files", maxBundleFiles)
	}
	doc, err := read("project.json", project.MaxBytes)
	if err != nil {
		return nil, nil, err
	}
	p, err := project.Read(doc)
	if err != nil {
		return nil, nil, fmt.Errorf("exchange: the bundle's project cannot be read: %w", err)
	}
	files := map[string]File{}
	for _, model := range p.Stage.Models {
		h := model.File
		if _, have := files[h]; h == "" || have {
			continue
		}
		if !hashPattern.MatchString(h) {
			return nil, nil, fmt.Errorf("exchange: model %.40q names no file", model.Name)
		}
		body, err := read("files/"+h, meshfile.MaxBytes)
		if err != nil {
			return nil, nil, err
		}
		if Hash(body) != h {
			return nil, nil, fmt.Errorf("exchange: the file of model %.40q in the bundle is damaged", model.Name)
		}
		files[h] = File{Name: m.Files[h], Data: body}
	}
	for _, h := range p.Pictures() {
		if _, have := files[h]; have || m.Files[h] == "" || !hashPattern.MatchString(h) {
			continue
		}
		body, err := read("files/"+h, pixmap.MaxBytes)
		if err != nil {
			return nil, nil, err
		}
		if Hash(body) != h {
			return nil, nil, fmt.Errorf("exchange: the picture %.40q in the bundle is damaged", m.Files[h])
		}
		files[h] = File{Name: m.Files[h], Data: body}
	}
	return p, files, nil
}
