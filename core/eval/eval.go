// Package eval runs networks over sample sets: a network is compiled into steps, which are run in batches on all cores;
// results are kept under keys, so that a change recomputes what hangs on it and nothing else.
package eval

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
)

// BatchSize is how many samples a kernel works on at once: few enough that the
// planes of a network stay in the processor's cache.
const BatchSize = 512

// Key names a result: two steps with equal keys compute the same over one set.
type Key [16]byte

// Program is a network made ready to run. It never changes.
type Program struct {
	steps []step
	index map[string]int // node id → step
	cat   node.Catalogue
	net   *network.Network
}

type step struct {
	kind   *node.Kind
	spec   *network.Spec // with the ports that hang on the node's settings
	data   any
	inputs []operand
	key    Key // without the moment
	lit    bool
	timed  bool
	light  *node.Reading
}

// Moment is what results hang on besides the network: the lights of the scene
// and the time.
type Moment struct{ Lights, Time Key }

// operand is what feeds an input: an output of an earlier step, a constant, or
// nothing (step < 0 and no constant).
type operand struct {
	step, out int
	from, to  network.Type
	constant  []float32
}

// Target is a value that is asked for: an output, or an input of a node as fed
// by its wire or its constant.
type Target struct {
	op operand
	ok bool
}

// Compile returns the program of a network that has been settled and has no
// groups and no bypasses; see network.Grouped.Flatten.
func Compile(net *network.Network, cat node.Catalogue) (*Program, error) {
	order, err := net.Order()
	if err != nil {
		return nil, err
	}
	p := &Program{index: make(map[string]int, len(order)), cat: cat, net: net}
	for _, i := range order {
		d := &net.Nodes[i]
		kind := cat.Kind(d.Kind)
		if kind == nil {
			return nil, fmt.Errorf("eval: unknown kind of node %.60q", d.Kind)
		}
		s := step{kind: kind, spec: cat.Of(d), lit: kind.Light != nil, timed: kind.Timed}
		if kind.Prepare != nil {
			s.data = kind.Prepare(func(key string) any { return d.Value(s.spec.Setting(key)) })
		}
		if kind.Light != nil {
			r := kind.Light(s.data)
			s.light = &r
		}
		h := sha256.New()
		enc := json.NewEncoder(h)
		enc.Encode(kind.Spec.Kind)
		for _, k := range slices.Sorted(maps.Keys(d.Set)) {
			enc.Encode(k)
			if err := enc.Encode(d.Set[k]); err != nil {
				return nil, fmt.Errorf("eval: node %s: %w", d.ID, err)
			}
		}
		for k := range s.spec.Inputs {
			port := &s.spec.Inputs[k]
			op := p.operand(d, port, 0)
			s.inputs = append(s.inputs, op)
			if op.step >= 0 {
				src := &p.steps[op.step]
				fmt.Fprint(h, port.Key, op.out, src.key)
				s.lit, s.timed = s.lit || src.lit, s.timed || src.timed
			} else {
				fmt.Fprint(h, port.Key, op.constant)
			}
		}
		copy(s.key[:], h.Sum(nil))
		p.index[d.ID] = len(p.steps)
		p.steps = append(p.steps, s)
	}
	return p, nil
}

// operand returns what feeds the given input: its wire number i, or its constant.
func (p *Program) operand(d *network.Node, port *network.Port, i int) operand {
	op := operand{step: -1, from: port.Type, to: port.Type}
	if wires := d.In[port.Key].Wires; i < len(wires) {
		op.step = p.index[wires[i].Node]
		spec := p.steps[op.step].spec
		for o := range spec.Outputs {
			if spec.Outputs[o].Key == wires[i].Port {
				op.out, op.from = o, spec.Outputs[o].Type
			}
		}
		return op
	}
	switch v := d.Constant(port).(type) {
	case float64:
		op.constant = []float32{float32(v)}
	case color.C:
		op.constant = v[:]
	case [3]float64:
		op.constant = []float32{float32(v[0]), float32(v[1]), float32(v[2])}
	}
	return op
}

// Output returns the target for an output of a node.
func (p *Program) Output(ref network.Ref) (Target, network.Type, error) {
	i, ok := p.index[ref.Node]
	if !ok {
		return Target{}, "", fmt.Errorf("eval: there is no node %.40q", ref.Node)
	}
	spec := p.steps[i].spec
	for o := range spec.Outputs {
		if spec.Outputs[o].Key == ref.Port || ref.Port == "" {
			t := spec.Outputs[o].Type
			return Target{operand{step: i, out: o, from: t, to: t}, true}, t, nil
		}
	}
	return Target{}, "", fmt.Errorf("eval: %s has no output %.40q", spec.Name, ref.Port)
}

// Input returns one target for each wire of an input of a node, or one for its
// constant; none for an input that has neither.
func (p *Program) Input(id, key string) []Target {
	d := p.net.Node(id)
	if d == nil {
		return nil
	}
	port := p.cat.Of(d).Input(key)
	if port == nil {
		return nil
	}
	var out []Target
	for i := range max(1, len(d.In[key].Wires)) {
		if op := p.operand(d, port, i); op.step >= 0 || op.constant != nil {
			out = append(out, Target{op, true})
		}
	}
	return out
}

// Data returns what the kernel of the target's step was prepared with.
func (p *Program) Data(t Target) any {
	if t.op.step < 0 {
		return nil
	}
	return p.steps[t.op.step].data
}

// KeyOf returns the key of a target at the given moment.
func (p *Program) KeyOf(t Target, at Moment) Key {
	h := sha256.New()
	if t.op.step < 0 {
		fmt.Fprint(h, t.op.constant)
	} else {
		k := p.stepKey(t.op.step, at)
		h.Write(k[:])
		fmt.Fprint(h, t.op.out)
	}
	return Key(h.Sum(nil)[:16])
}

func (p *Program) stepKey(i int, at Moment) Key {
	k := p.steps[i].key
	for b := range k {
		if p.steps[i].lit {
			k[b] ^= at.Lights[b]
		}
		if p.steps[i].timed {
			k[b] ^= at.Time[b]
		}
	}
	return k
}

// Env is what a program runs over.
type Env struct {
	Set     *sample.Set
	Scene   *node.Scene
	Moment  // results that depend on it are kept under it
	Workers int
	Kept    *Kept // where results are kept and looked up; nil to keep none
	KeepAll bool  // keep every result, not only what the next change is likely to need
}

// Needs returns which attributes of samples the targets read, and whether any of
// their nodes sends rays.
func (p *Program) Needs(targets []Target) (attrs sample.Attr, rays bool) {
	for i, used := range p.used(targets, func(int) bool { return false }) {
		if used {
			attrs |= p.steps[i].kind.Needs
			if r := p.steps[i].light; r != nil {
				rays = rays || r.Shadows || r.Bounced
			}
		}
	}
	return attrs, rays
}

// Soft tells whether the targets hang on light that is found by chance: shadows of
// lights that are wide, or light that is bounced.
func (p *Program) Soft(targets []Target, lights []light.Source) bool {
	for i, used := range p.used(targets, func(int) bool { return false }) {
		r := p.steps[i].light
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

// used marks the steps that the targets hang on, not looking behind those for
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

// Behind returns the ids of the nodes that the targets hang on, those that are
// read before those that read them.
func (p *Program) Behind(targets []Target) []string {
	ids := make([]string, len(p.steps))
	for id, i := range p.index {
		ids[i] = id
	}
	var out []string
	for i, used := range p.used(targets, func(int) bool { return false }) {
		if used {
			out = append(out, ids[i])
		}
	}
	return out
}
