package project

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"

	"mobanta/core/strictjson"
)

// MaxBytes limits a document, as JSON.
const MaxBytes = 16 << 20

// maxNodes limits the nodes of all looks and groups of a document.
const maxNodes = 20_000

// ErrLater says that a document was written by a later version of the studio: it is
// left as it is.
var ErrLater = errors.New("project: it was written by a later version of Mobanta: open it with that; nothing was changed")

// Read reads a document and settles it. A document of a later version is ErrLater.
func Read(data []byte) (*Project, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("project: it is larger than the %d MB that a project may have", MaxBytes>>20)
	}
	var head struct {
		Version int `json:"version"`
	}
	if json.Unmarshal(data, &head) == nil && head.Version > Version {
		return nil, fmt.Errorf("%w (version %d; this one reads version %d)", ErrLater, head.Version, Version)
	}
	p := &Project{}
	if err := strictjson.Decode(data, p); err != nil {
		if errors.Is(err, strictjson.ErrUnknown) {
			return nil, fmt.Errorf("%w (%w)", ErrLater, err)
		}
		return nil, fmt.Errorf("project: %w", err)
	}
	if err := p.Settle(); err != nil {
		return nil, err
	}
	p.remember()
	return p, nil
}

// Document returns p as JSON.
func (p *Project) Document() ([]byte, error) {
	data, err := json.Marshal(p)
	if err != nil {
		return nil, fmt.Errorf("project: %w", err)
	}
	return data, nil
}

// Checked returns p as its document is read back, with that document. What would not
// be read back, or not be the same, is an error: so whatever is stored can be opened.
func (p *Project) Checked() (*Project, []byte, error) {
	if err := p.Settle(); err != nil {
		return nil, nil, err
	}
	doc, err := p.Document()
	if err != nil {
		return nil, nil, err
	}
	back, err := Read(doc)
	if err != nil {
		return nil, nil, err
	}
	again, err := back.Document()
	if err != nil {
		return nil, nil, err
	}
	if !bytes.Equal(doc, again) {
		return nil, nil, errors.New("project: it would not be the same when it is opened again, so it is not stored")
	}
	back.Given.Join(p.Given)
	back.remember()
	return back, doc, nil
}

// Revise returns what the edits make of p, which it leaves alone, and the document
// to be stored. What is returned has been read from that very document.
func (p *Project) Revise(edits []Edit) (now *Project, doc []byte, outcomes []Outcome, err error) {
	now = p.Clone()
	for i := range edits {
		o, err := now.Apply(&edits[i])
		if err != nil {
			return nil, nil, nil, err
		}
		outcomes = append(outcomes, o)
	}
	now, doc, err = now.Checked()
	return now, doc, outcomes, err
}
