// Package exchange reads and writes what goes in and out of Mobanta: look files and bundles. docs/formats.md describes
// both.
package exchange

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/pixmap"
)

// LookVersion is the version of look files that this program writes and reads.
const LookVersion = 1

// MaxLookBytes limits a look file.
const MaxLookBytes = 8 << 20

// maxDepth is how deep the JSON of a look file may be nested; ours needs six.
const maxDepth = 32

// LookFile is a look as a file holds it, or, as a fragment, some nodes of one.
type LookFile struct {
	Mobanta string `json:"mobanta"` // "look" or "nodes"
	Version int    `json:"version"`
	Name    string `json:"name,omitempty"`
	network.Network
	Groups []network.Group `json:"groups,omitempty"` // that the nodes use, those within others first
	// Pictures are the files of the pictures that the nodes show, by their hashes, as
	// far as they are small enough to go along.
	Pictures map[string][]byte `json:"pictures,omitempty"`
}

// maxPictureBytes limits the pictures that go along with a look.
const maxPictureBytes = 4 << 20

// ReadLook reads a look file and settles its network, which ends in a Finish.
func ReadLook(r io.Reader) (*LookFile, error) {
	f, err := read(r, "look")
	if err == nil && f.Finish() == nil {
		err = errors.New("exchange: the look has no Finish node, so nothing would be seen")
	}
	if err != nil {
		return nil, err
	}
	return f, nil
}

// ReadFragment reads nodes that were copied as text; a whole look serves as well.
func ReadFragment(text string) (*LookFile, error) {
	if !strings.HasPrefix(strings.TrimSpace(text), "{") {
		return nil, errors.New("exchange: what was copied are no nodes")
	}
	return read(strings.NewReader(text), "look", "nodes")
}

func read(r io.Reader, kinds ...string) (*LookFile, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxLookBytes+1))
	if err != nil {
		return nil, fmt.Errorf("exchange: %w", err)
	}
	if len(data) > MaxLookBytes {
		return nil, fmt.Errorf("exchange: the look file is larger than %d MB", MaxLookBytes>>20)
	}
	f := &LookFile{}
	if err := decode(data, f, "look file"); err != nil {
		return nil, err
	}
	if !slices.Contains(kinds, f.Mobanta) {
		return nil, fmt.Errorf("exchange: this is not a look file: it does not say \"mobanta\": %q", kinds[0])
	}
	if f.Version != LookVersion {
		return nil, fmt.Errorf("exchange: the look file is of version %d; this program reads version %d", f.Version, LookVersion)
	}
	if err := network.SettleGroups(node.Catalogue{}, f.Groups); err != nil {
		return nil, fmt.Errorf("exchange: %w", err)
	}
	cat := network.Grouped{Base: node.Catalogue{}, Groups: f.Groups}
	if err := f.Network.Settle(cat); err != nil {
		return nil, fmt.Errorf("exchange: %w", err)
	}
	if _, err := cat.Flatten(&f.Network); err != nil {
		return nil, fmt.Errorf("exchange: %w", err)
	}
	for h, data := range f.Pictures {
		if Hash(data) != h {
			return nil, fmt.Errorf("exchange: a picture in the look file is damaged: it is not the one that it is named as")
		}
		if _, err := pixmap.Read(data); err != nil {
			return nil, fmt.Errorf("exchange: a picture in the look file: %w", err)
		}
	}
	return f, nil
}

// WriteLook writes a look file with the groups that it uses, and the pictures that
// open gives; open may be nil.
func WriteLook(w io.Writer, name string, net *network.Network, groups []network.Group, open func(hash string) (File, error)) error {
	f := LookFile{Mobanta: "look", Name: name, Network: net.Clone(), Groups: groups}
	left := maxPictureBytes
	for _, h := range f.shown() {
		if open == nil {
			break
		}
		if file, err := open(h); err == nil && len(file.Data) <= left {
			if f.Pictures == nil {
				f.Pictures = map[string][]byte{}
			}
			f.Pictures[h] = file.Data
			left -= len(file.Data)
		}
	}
	return write(w, f)
}

// shown returns the pictures that the nodes of a file show.
func (f *LookFile) shown() []string {
	nets := []*network.Network{&f.Network}
	for i := range f.Groups {
		nets = append(nets, &f.Groups[i].Network)
	}
	return network.Pictures(network.Grouped{Base: node.Catalogue{}, Groups: f.Groups}, nets...)
}

// WriteFragment writes nodes as text to be pasted elsewhere.
func WriteFragment(w io.Writer, net *network.Network, groups []network.Group) error {
	return write(w, LookFile{Mobanta: "nodes", Network: net.Clone(), Groups: groups})
}

func write(w io.Writer, f LookFile) error {
	f.Version = LookVersion
	// Swatches are a project's own; the colours themselves go along.
	loosen := func(n *network.Network) {
		for i := range n.Nodes {
			n.Nodes[i].Swatches, n.Nodes[i].Bands = nil, nil
			for key, v := range n.Nodes[i].Set {
				if stops, ok := v.([]color.Stop); ok {
					stops = slices.Clone(stops)
					for k := range stops {
						stops[k].Swatch = ""
					}
					n.Nodes[i].Set[key] = stops
				}
			}
		}
	}
	loosen(&f.Network)
	f.Groups = slices.Clone(f.Groups)
	for i := range f.Groups {
		f.Groups[i] = f.Groups[i].Clone()
		loosen(&f.Groups[i].Network)
	}
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	if err := enc.Encode(f); err != nil {
		return fmt.Errorf("exchange: %w", err)
	}
	return nil
}

// decode reads JSON strictly: unknown fields are named, and the place of a
// slip is told by line and column.
func decode(data []byte, to any, what string) error {
	if depth(data) > maxDepth {
		return fmt.Errorf("exchange: the %s is nested too deep", what)
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	err := dec.Decode(to)
	if err == nil && len(bytes.TrimSpace(data[dec.InputOffset():])) > 0 {
		err = errors.New("there is more behind its end")
	}
	if err == nil {
		return nil
	}
	at := int64(-1)
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		return fmt.Errorf("exchange: the %s ends too early: part of it is missing", what)
	case errors.As(err, &syntax):
		at = syntax.Offset
	case errors.As(err, &kind):
		at = kind.Offset
	}
	if at >= 0 && at <= int64(len(data)) {
		line := bytes.Count(data[:at], []byte("\n")) + 1
		col := int(at) - bytes.LastIndexByte(data[:at], '\n') - 1
		return fmt.Errorf("exchange: the %s is damaged at line %d, column %d: %w", what, line, col, err)
	}
	return fmt.Errorf("exchange: the %s cannot be read: %w", what, err)
}

// depth returns how deep brackets are nested outside strings.
func depth(data []byte) int {
	d, most, quoted := 0, 0, false
	for i := 0; i < len(data); i++ {
		switch c := data[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '{' || c == '[':
			d++
			most = max(most, d)
		case c == '}' || c == ']':
			d--
		}
	}
	return most
}
