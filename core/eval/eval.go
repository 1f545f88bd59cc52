// Package eval runs networks over points: a network is compiled into a schedule of steps, each a node at one variant of
// the points, which are run in batches on all cores, with steps over the whole set in between. Results are kept under
// keys, so that a change recomputes what depends on it and nothing else.
package eval

import (
	"crypto/sha256"
	"fmt"
	"slices"
	"sync"

	"mobanta/core/light"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/shade"
)

// BatchSize is how many samples a kernel works on at once: few enough that the
// planes of a network stay in the processor's cache.
const BatchSize = 512

// Key names a result: two steps with equal keys compute the same over the same points.
type Key [16]byte

// Moment is what results depend on besides the network and the points: the lights of
// the scene, the time, and how well light that is found by chance is known.
type Moment struct {
	lights []light.Source
	keys   []Key // of each light
	time   Key
	level  int
}

// NewMoment returns the moment of a scene.
func NewMoment(sc *node.Scene, level int) *Moment {
	if sc == nil {
		return &Moment{}
	}
	m := &Moment{lights: sc.Lights, keys: make([]Key, len(sc.Lights)), level: level}
	for i := range sc.Lights {
		m.keys[i] = hash(sc.Lights[i].Key())
	}
	m.time = hash(fmt.Sprint(sc.Time))
	return m
}

func hash(text string) Key {
	sum := sha256.Sum256([]byte(text))
	return Key(sum[:16])
}

// keyed remembers the keys of a program's steps at one moment.
type keyed struct {
	mu   sync.Mutex
	at   *Moment
	keys []Key
}

// keys returns the keys of all steps at a moment. A step depends on the lights that it,
// or one before it, reads, and on no others.
func (p *Program) keys(at *Moment) []Key {
	p.keyed.mu.Lock()
	defer p.keyed.mu.Unlock()
	if p.keyed.at == at {
		return p.keyed.keys
	}
	out := make([]Key, len(p.steps))
	read := make([]Key, len(p.steps)) // of those that read lights, or find by chance
	for i := range p.steps {
		s := &p.steps[i]
		if s.light != nil {
			h := sha256.New()
			soft := s.light.Bounced
			for _, k := range s.light.Of(at.lights) {
				h.Write(at.keys[k][:])
				soft = soft || s.light.Shadows && at.lights[k].Shadows && at.lights[k].Soft()
			}
			if soft {
				fmt.Fprint(h, "level", at.level)
			}
			copy(read[i][:], h.Sum(nil))
		} else if s.kind.Chance {
			read[i] = hash(fmt.Sprint("level", at.level))
		}
		if out[i] = s.key; len(s.reads) == 0 && !s.timed {
			continue
		}
		h := sha256.New()
		h.Write(s.key[:])
		for _, r := range s.reads {
			h.Write(read[r][:])
		}
		if s.timed {
			h.Write(at.time[:])
		}
		copy(out[i][:], h.Sum(nil))
	}
	p.keyed.at, p.keyed.keys = at, out
	return out
}

// KeyOf returns the key of a target at the given moment.
func (p *Program) KeyOf(t Target, at *Moment) Key {
	h := sha256.New()
	if t.op.step < 0 {
		fmt.Fprint(h, t.op.constant)
	} else {
		k := p.keys(at)[t.op.step]
		h.Write(k[:])
		fmt.Fprint(h, t.op.out)
	}
	return Key(h.Sum(nil)[:16])
}

// Env is what a program runs over.
type Env struct {
	Points  *sample.Points
	Found   *shade.Findings // what rays have found there; nil to begin anew
	Scene   *node.Scene
	Moment  *Moment // results that depend on it are kept under it; nil for the scene's
	Workers int
	Kept    *Kept // where results are kept and looked up; nil to keep none
	KeepAll bool  // keep every result, not only what the next change is likely to need
}

// Rays tells whether any node that the targets depend on sends rays.
func (p *Program) Rays(targets []Target) bool {
	for i, used := range p.used(targets, func(int) bool { return false }) {
		if r := p.steps[i].light; used && (p.steps[i].kind.Chance || r != nil && (r.Shadows || r.Bounced)) {
			return true
		}
	}
	return false
}

// Soft tells whether the targets depend on what is found by chance: shadows of
// lights that are wide, light that is bounced, occlusion.
func (p *Program) Soft(targets []Target, lights []light.Source) bool {
	for i, used := range p.used(targets, func(int) bool { return false }) {
		r := p.steps[i].light
		if used && p.steps[i].kind.Chance {
			return true
		}
		if !used || r == nil {
			continue
		}
		for _, li := range r.Of(lights) {
			if l := &lights[li]; r.Bounced || r.Shadows && l.Shadows && l.Soft() {
				return true
			}
		}
	}
	return false
}

// Eyed returns the ids of the nodes behind the targets, themselves included, whose results depend on where the eye is,
// each once: those of which their kind says so, and those that read a headlamp among the lights.
func (p *Program) Eyed(targets []Target, lights []light.Source) (out []string) {
	for i, used := range p.used(targets, func(int) bool { return false }) {
		s := &p.steps[i]
		if !used || s.forward != nil || slices.Contains(out, s.id) {
			continue
		}
		eyed := s.kind.Eyed != nil && s.kind.Eyed(s.data)
		if s.light != nil {
			for _, li := range s.light.Of(lights) {
				eyed = eyed || lights[li].Kind == light.Headlamp
			}
		}
		if eyed {
			out = append(out, s.id)
		}
	}
	return out
}

// Folds tells whether anything behind the targets may vary within what a point covers though its neighbours are the same:
// see node.Kind.Folds.
func (p *Program) Folds(targets []Target) bool {
	for i, used := range p.used(targets, func(int) bool { return false }) {
		if s := &p.steps[i]; used && s.kind.Folds != nil && s.kind.Folds(s.data) {
			return true
		}
	}
	return false
}

// used marks the steps that the targets depend on, not looking behind those for
// which have is true.
func (p *Program) used(targets []Target, have func(step int) bool) []bool {
	used := make([]bool, len(p.steps))
	for _, t := range targets {
		if t.op.step >= 0 {
			used[t.op.step] = true
		}
	}
	for i := len(p.steps) - 1; i >= 0; i-- {
		if !used[i] || have(i) {
			continue
		}
		for _, op := range p.steps[i].inputs {
			if op.step >= 0 {
				used[op.step] = true
			}
		}
	}
	return used
}

// read tells for each output of each step whether any step or target reads it.
func (p *Program) read(targets []Target) [][]bool {
	out := make([][]bool, len(p.steps))
	for i := range p.steps {
		out[i] = make([]bool, len(p.steps[i].spec.Outputs))
		for _, op := range p.steps[i].inputs {
			if op.step >= 0 {
				out[op.step][op.out] = true
			}
		}
	}
	for _, t := range targets {
		if t.op.step >= 0 {
			out[t.op.step][t.op.out] = true
		}
	}
	return out
}

// Behind returns the ids of the nodes that the targets depend on, those that are
// read before those that read them, each once.
func (p *Program) Behind(targets []Target) []string {
	used := p.used(targets, func(int) bool { return false })
	for _, t := range targets {
		for _, v := range t.op.via {
			used[v] = true
		}
	}
	for i := len(used) - 1; i >= 0; i-- {
		for _, v := range p.steps[i].via {
			used[v] = used[v] || used[i]
		}
	}
	var out []string
	for i := range p.steps {
		if id := p.steps[i].id; used[i] && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	return out
}
