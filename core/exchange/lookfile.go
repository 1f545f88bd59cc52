// Package exchange reads and writes what goes in and out of Mobanta: look files and bundles. docs/formats.md describes
// both.
package exchange

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"mobanta/core/network"
	"mobanta/core/node"
)

// LookVersion is the version of look files that this program writes and reads.
const LookVersion = 1

// MaxLookBytes limits a look file.
const MaxLookBytes = 8 << 20

// maxDepth is how deep the JSON of a look file may be nested; ours needs six.
const maxDepth = 32

// LookFile is a look as a file holds it.
type LookFile struct {
	Mobanta string         `json:"mobanta"` // always "look"
	Version int            `json:"version"`
	Name    string         `json:"name,omitempty"`
	Nodes   []network.Node `json:"nodes"`
}

// ReadLook reads a look file and settles its network, which ends in a Finish.
func ReadLook(r io.Reader) (name string, net network.Network, err error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxLookBytes+1))
	if err != nil {
		return "", net, fmt.Errorf("exchange: %w", err)
	}
	if len(data) > MaxLookBytes {
		return "", net, fmt.Errorf("exchange: the look file is larger than %d MB", MaxLookBytes>>20)
	}
	var f LookFile
	if err := decode(data, &f, "look file"); err != nil {
		return "", net, err
	}
	if f.Mobanta != "look" {
		return "", net, errors.New(`exchange: this is not a look file: it does not say "mobanta": "look"`)
	}
	if f.Version != LookVersion {
		return "", net, fmt.Errorf("exchange: the look file is of version %d; this program reads version %d", f.Version, LookVersion)
	}
	net.Nodes = f.Nodes
	if err := net.Settle(node.Catalogue{}); err != nil {
		return "", net, fmt.Errorf("exchange: %w", err)
	}
	if net.Finish() == nil {
		return "", net, errors.New("exchange: the look has no Finish node, so nothing would be seen")
	}
	return f.Name, net, nil
}

// WriteLook writes a look file.
func WriteLook(w io.Writer, name string, net *network.Network) error {
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	if err := enc.Encode(LookFile{Mobanta: "look", Version: LookVersion, Name: name, Nodes: net.Nodes}); err != nil {
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
