// Package exchange reads and writes what goes in and out of Mobanta: look files and bundles. docs/formats.md describes
// both.
package exchange

import (
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
	"mobanta/core/strictjson"
)

// LookVersion is the version of look files that this program writes and reads.
const LookVersion = 1

// MaxLookBytes limits a look file.
const MaxLookBytes = 8 << 20

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

// Limits on the pictures that go along with a look.
const (
	maxPictureBytes = 4 << 20
	maxLookPixels   = 64 << 20
)

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
	cat := network.NewGrouped(node.Catalogue{}, f.Groups)
	if err := f.Network.Settle(cat); err != nil {
		return nil, fmt.Errorf("exchange: %w", err)
	}
	if _, err := cat.Flatten(&f.Network); err != nil {
		return nil, fmt.Errorf("exchange: %w", err)
	}
	pixels := 0
	for h, data := range f.Pictures {
		if Hash(data) != h {
			return nil, fmt.Errorf("exchange: a picture in the look file is damaged: it is not the one that it is named as")
		}
		n, err := pixmap.Pixels(data)
		if err != nil {
			return nil, fmt.Errorf("exchange: a picture in the look file: %w", err)
		}
		if pixels += n; pixels > maxLookPixels {
			return nil, fmt.Errorf("exchange: the pictures in the look file have more than %d million pixels together", maxLookPixels>>20)
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
	return network.Pictures(network.NewGrouped(node.Catalogue{}, f.Groups), nets...)
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

// decode reads JSON strictly; what names it in a message.
func decode(data []byte, to any, what string) error {
	if err := strictjson.Decode(data, to); err != nil {
		return fmt.Errorf("exchange: the %s cannot be read: %w", what, err)
	}
	return nil
}
