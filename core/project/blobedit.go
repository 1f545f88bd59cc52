package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/blob"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// BlobKinds are the blobs that can be added, with their names.
var BlobKinds = []struct{ Key, Name string }{{"blobs", "Blobs"}, {"flame", "Flame of blobs"}, {"smoke", "Smoke of blobs"}}

// newBlobs returns the blobs of a kind with their name, nil for none of theirs.
func newBlobs(kind string) (*blob.Blobs, string) {
	switch kind {
	case "blobs":
		return blob.New(), "Blobs"
	case "flame":
		return &blob.Blobs{Spring: blob.Flame()}, "Flame"
	case "smoke":
		return &blob.Blobs{Spring: blob.Smoke()}, "Smoke"
	}
	return nil, ""
}

func (p *Project) blobsOf(id string) (*stage.Model, *blob.Blobs, error) {
	m, err := p.model(id)
	if err != nil {
		return nil, nil, err
	}
	if m.Blobs == nil {
		return nil, nil, fmt.Errorf("project: %s is not made of blobs", m.Name)
	}
	return m, m.Blobs, nil
}

// setBlobs sets melt, detail or, after "spring ", what of the spring is named: on, at, rate, life and so on.
func setBlobs(p *Project, e *Edit, o *Outcome) error {
	m, b, err := p.blobsOf(e.ID)
	if err != nil {
		return err
	}
	o.Label = "changed " + m.Name
	s := &b.Spring
	switch e.Key {
	case "melt":
		return number(e.Value, &b.Melt)
	case "detail":
		return number(e.Value, &b.Detail)
	case "spring on":
		if err := flagged("the spring", e.Value, &s.On); err != nil {
			return err
		}
		if s.On && s.Rate == 0 {
			*s = blob.Flame()
		}
		if !s.On && len(b.Balls) == 0 {
			b.Balls = blob.New().Balls
		}
		return nil
	case "spring at":
		return vector(e.Value, &s.At)
	case "spring seed":
		f := 0.0
		if err := number(e.Value, &f); err != nil {
			return err
		}
		if s.Seed = int(f); float64(s.Seed) != f {
			return errors.New("project: a seed is a whole number")
		}
		return nil
	}
	name, _ := strings.CutPrefix(e.Key, "spring ")
	to := map[string]*float64{"rate": &s.Rate, "life": &s.Life, "size": &s.Size, "rise": &s.Rise, "spread": &s.Spread, "widen": &s.Widen, "taper": &s.Taper, "sway": &s.Sway}[name]
	if to == nil {
		return fmt.Errorf("project: blobs have no %.20q", e.Key)
	}
	return number(e.Value, to)
}

func addBall(p *Project, e *Edit, o *Outcome) error {
	m, b, err := p.blobsOf(e.ID)
	if err != nil {
		return err
	}
	o.Label = "added a ball to " + m.Name
	at := blob.Ball{Size: 0.4}
	if n := len(b.Balls); n > 0 {
		last := b.Balls[n-1]
		at = blob.Ball{At: last.At.Add(vec.V{last.Size, last.Size / 2, 0}), Size: last.Size}
	}
	b.Balls = append(slices.Clone(b.Balls), at)
	return nil
}

func ballOf(b *blob.Blobs, i int) error {
	if i < 0 || i >= len(b.Balls) {
		return errors.New("project: there is no such ball any more")
	}
	b.Balls = slices.Clone(b.Balls)
	return nil
}

func setBall(p *Project, e *Edit, o *Outcome) error {
	m, b, err := p.blobsOf(e.ID)
	if err == nil {
		err = ballOf(b, e.Index)
	}
	if err != nil {
		return err
	}
	o.Label = "changed a ball of " + m.Name
	switch l := &b.Balls[e.Index]; e.Key {
	case "at":
		return vector(e.Value, &l.At)
	case "size":
		return number(e.Value, &l.Size)
	case "hollow":
		return flagged("hollow", e.Value, &l.Hollow)
	}
	return fmt.Errorf("project: a ball has no %.20q", e.Key)
}

func removeBall(p *Project, e *Edit, o *Outcome) error {
	m, b, err := p.blobsOf(e.ID)
	if err == nil {
		err = ballOf(b, e.Index)
	}
	if err != nil {
		return err
	}
	o.Label = "removed a ball of " + m.Name
	b.Balls = slices.Delete(b.Balls, e.Index, e.Index+1)
	return nil
}
