package eval

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
)

// Program is a network made ready to run: a schedule of steps. It never changes.
type Program struct {
	steps   []step
	index   map[string]int // node id → its step at the points as they are
	cat     node.Catalogue
	net     *network.Network
	tooDeep []string
	stages  int

	keyed keyed
}

// step is one node at one variant of the points.
type step struct {
	id      string
	variant sample.Variant
	kind    *node.Kind
	spec    *network.Spec // with the ports that depend on the node's settings
	data    any
	feeds   []any     // of each input, what the step whose first output feeds it was prepared as
	inputs  []operand // one for each input, then those that are wanted elsewhere as well
	units   []bool    // of each, whether its vectors are made unit
	key     Key       // without the moment
	attrs   sample.Attr
	reads   []int // steps at or before this one that read lights
	timed   bool  // whether it, or one before it, depends on the time
	uniform bool  // the same value at all points
	whole   []int // inputs that its whole-set step sees complete
	stage   int   // how many whole-set steps lie before it
	light   *node.Reading
	forward *operand // what the step hands on unchanged: it is not run, those who read it read this
	via     []int    // steps that are handed through to this one
}

// operand is what feeds an input: an output of an earlier step, a constant, or
// nothing (step < 0 and no constant).
type operand struct {
	step, out int
	from, to  network.Type
	constant  []float32
	via       []int // steps that handed it through
}

// Target is a value that is asked for: an output, or an input of a node as fed
// by its wire or its constant.
type Target struct {
	op operand
	ok bool
}

// maxShifts limits how often what feeds a node is evaluated beside the points, beside
// those, and so on: each doubles the work.
const maxShifts = 2

// plan is what is known of a node before steps are made of it.
type plan struct {
	d       *network.Node
	kind    *node.Kind
	spec    *network.Spec
	data    any
	attrs   sample.Attr // of the node
	closure sample.Attr // and of all that feeds it
	live    int         // the only input that counts; -1 for all
	wants   map[sample.Variant]bool
	steps   map[sample.Variant]int
}

// Compile returns the program of a network that has been settled and has no
// groups and no bypasses; see network.Grouped.Flatten.
func Compile(net *network.Network, cat node.Catalogue) (*Program, error) {
	order, err := net.Order()
	if err != nil {
		return nil, err
	}
	p := &Program{index: make(map[string]int, len(order)), cat: cat, net: net, stages: 1}
	plans := make([]plan, len(order))
	at := make(map[string]*plan, len(order))
	for i, k := range order {
		d := &net.Nodes[k]
		if err := plans[i].of(d, cat, at); err != nil {
			return nil, err
		}
		at[d.ID] = &plans[i]
	}
	for i := len(plans) - 1; i >= 0; i-- { // those that read before those that they read
		p.demand(&plans[i], at)
	}
	for i := range plans {
		variants := slices.Sorted(maps.Keys(plans[i].wants))
		for _, v := range variants {
			if err := p.add(&plans[i], v, at); err != nil {
				return nil, err
			}
		}
		p.index[plans[i].d.ID] = plans[i].steps[sample.AsIs]
	}
	return p, nil
}

// of makes the plan of a node; at holds those of what it depends on.
func (pl *plan) of(d *network.Node, cat node.Catalogue, at map[string]*plan) error {
	kind := cat.Kind(d.Kind)
	if kind == nil {
		return fmt.Errorf("eval: unknown kind of node %.60q", d.Kind)
	}
	*pl = plan{d: d, kind: kind, spec: cat.Of(d), live: -1, attrs: kind.Needs, wants: map[sample.Variant]bool{sample.AsIs: true}, steps: map[sample.Variant]int{}}
	if kind.Prepare != nil {
		pl.data = kind.Prepare(func(key string) any { return d.Value(pl.spec.Setting(key)) })
	}
	if kind.NeedsFor != nil {
		pl.attrs = kind.NeedsFor(pl.data, func(input string) bool { return len(d.In[input].Wires) > 0 })
	}
	if kind.Forward != nil {
		pl.live = kind.Forward(pl.data)
	}
	pl.closure = pl.attrs
	for k := range pl.spec.Inputs {
		if wires := d.In[pl.spec.Inputs[k].Key].Wires; (pl.live < 0 || pl.live == k) && len(wires) > 0 {
			pl.closure |= at[wires[0].Node].closure
		}
	}
	return nil
}

// at returns the variant that counts for a node: what it and those before it do not
// read makes no difference.
func (pl *plan) at(v sample.Variant) sample.Variant {
	return sample.Variant(strings.Map(func(r rune) rune {
		moves := pl.closure&^sample.Part != 0
		if r == 'x' || r == 'y' || r == 'z' {
			moves = pl.closure&sample.UV != 0
		}
		if !moves {
			return -1
		}
		return r
	}, string(v)))
}

// elsewhere returns at which variants, besides v, a node wants one of its inputs;
// deep tells that some were left out.
func (pl *plan) elsewhere(v sample.Variant, input int) (out []sample.Variant, deep bool) {
	if pl.kind.Elsewhere == nil {
		return nil, false
	}
	for _, w := range pl.kind.Elsewhere(pl.data, input) {
		then := v.Then(w)
		if then.Shifts() > maxShifts {
			then, deep = v, true
		}
		out = append(out, then)
	}
	return out, deep
}

// demand says of what feeds a node at which variants it is wanted.
func (p *Program) demand(pl *plan, at map[string]*plan) {
	for v := range pl.wants {
		for k := range pl.spec.Inputs {
			wires := pl.d.In[pl.spec.Inputs[k].Key].Wires
			if len(wires) == 0 || pl.live >= 0 && k != pl.live {
				continue
			}
			src := at[wires[0].Node]
			src.wants[src.at(v)] = true
			more, deep := pl.elsewhere(v, k)
			for _, w := range more {
				src.wants[src.at(w)] = true
			}
			if deep && !slices.Contains(p.tooDeep, pl.d.ID) {
				p.tooDeep = append(p.tooDeep, pl.d.ID)
			}
		}
	}
}

// add makes the step of a node at a variant.
func (p *Program) add(pl *plan, v sample.Variant, at map[string]*plan) error {
	d := pl.d
	me := len(p.steps)
	s := step{id: d.ID, variant: v, kind: pl.kind, spec: pl.spec, data: pl.data, attrs: pl.attrs, timed: pl.kind.Timed, feeds: make([]any, len(pl.spec.Inputs))}
	h := sha256.New()
	enc := json.NewEncoder(h)
	enc.Encode(pl.kind.Spec.Kind)
	enc.Encode(string(pl.at(v)))
	for _, k := range slices.Sorted(maps.Keys(d.Set)) {
		enc.Encode(k)
		if err := enc.Encode(d.Set[k]); err != nil {
			return fmt.Errorf("eval: node %s: %w", d.ID, err)
		}
	}
	if pl.kind.Light != nil {
		r := pl.kind.Light(pl.data)
		s.light, s.reads = &r, []int{me}
	}
	if pl.kind.Chance {
		s.reads = []int{me}
	}
	var whole []string
	if pl.kind.WholeOf != nil && s.light != nil {
		whole = pl.kind.WholeOf(pl.data, *s.light)
	} else if pl.kind.WholeOf != nil {
		whole = pl.kind.WholeOf(pl.data, node.Reading{})
	}
	uniform := pl.attrs == 0 && pl.kind.Whole == nil
	take := func(port *network.Port, op operand) {
		s.inputs, s.units = append(s.inputs, op), append(s.units, port.Unit)
		s.via = append(s.via, op.via...)
		if op.step < 0 {
			fmt.Fprint(h, port.Key, op.constant)
			return
		}
		src := &p.steps[op.step]
		fmt.Fprint(h, port.Key, op.out, src.key)
		s.timed = s.timed || src.timed
		s.stage = max(s.stage, src.stage)
		uniform = uniform && src.uniform
		for _, r := range src.reads {
			if !slices.Contains(s.reads, r) {
				s.reads = append(s.reads, r)
			}
		}
	}
	for k := range s.spec.Inputs {
		port := &s.spec.Inputs[k]
		if pl.live >= 0 && k != pl.live {
			take(port, operand{step: -1, from: port.Type, to: port.Type})
			continue
		}
		op := p.operand(d, port, 0, v, at)
		take(port, op)
		if op.step >= 0 && op.out == 0 {
			s.feeds[k] = p.steps[op.step].data
		}
		if slices.Contains(whole, port.Key) && op.step >= 0 {
			s.whole = append(s.whole, k)
			if !p.steps[op.step].uniform {
				s.stage = max(s.stage, p.steps[op.step].stage+1)
			}
		}
	}
	for k := range s.spec.Inputs {
		if pl.live >= 0 && k != pl.live {
			continue
		}
		more, _ := pl.elsewhere(v, k)
		for _, w := range more {
			take(&s.spec.Inputs[k], p.operand(d, &s.spec.Inputs[k], 0, w, at))
		}
	}
	copy(s.key[:], h.Sum(nil))
	s.uniform = uniform
	p.stages = max(p.stages, s.stage+1)
	if pl.live >= 0 {
		if op := s.inputs[pl.live]; op.from == op.to || op.step < 0 {
			op.via = append(slices.Clone(op.via), me)
			s.forward = &op
		}
	}
	pl.steps[v] = me
	p.steps = append(p.steps, s)
	return nil
}

// operand returns what feeds the given input at a variant: its wire number i, or its
// constant. at is nil once all steps are there.
func (p *Program) operand(d *network.Node, port *network.Port, i int, v sample.Variant, at map[string]*plan) operand {
	op := operand{step: -1, from: port.Type, to: port.Type}
	if wires := d.In[port.Key].Wires; i < len(wires) {
		if at != nil {
			src := at[wires[i].Node]
			op.step = src.steps[src.at(v)]
		} else {
			op.step = p.index[wires[i].Node]
		}
		spec := p.steps[op.step].spec
		for o := range spec.Outputs {
			if spec.Outputs[o].Key == wires[i].Port {
				op.out, op.from = o, spec.Outputs[o].Type
			}
		}
		return p.through(op)
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

// through follows an operand through steps that hand on unchanged what they read.
func (p *Program) through(op operand) operand {
	f := p.steps[op.step].forward
	if f == nil || op.out != 0 {
		return op
	}
	to := op.to
	op = *f
	if op.step < 0 { // a constant, or nothing, of the type that the step carries
		op.constant = converted(op.constant, f.to, to)
	}
	op.to = to
	return op
}

// converted returns a constant of one type as one of another.
func converted(v []float32, from, to network.Type) []float32 {
	if v == nil || from == to || from != network.Tone && to != network.Tone {
		return v
	}
	if from == network.Tone {
		return []float32{v[0], v[0], v[0]}
	}
	var out [1]float32
	reduce(from, out[:], v[:1], v[1:2], v[2:3])
	return out[:]
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
			return Target{p.through(operand{step: i, out: o, from: t, to: t}), true}, t, nil
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
		if op := p.operand(d, port, i, sample.AsIs, nil); op.step >= 0 || op.constant != nil {
			out = append(out, Target{op, true})
		}
	}
	return out
}

// Lines returns where the lines of a target run; nil if it carries none.
func (p *Program) Lines(t Target) line.Rule {
	if t.op.step < 0 {
		return nil
	}
	s := &p.steps[t.op.step]
	if s.kind.Lines == nil || t.op.out != 0 {
		return nil
	}
	return s.kind.Lines(s.data)
}

// NodeOf returns the id of the node whose output a target is; "" for none.
func (p *Program) NodeOf(t Target) string {
	if t.op.step < 0 {
		return ""
	}
	return p.steps[t.op.step].id
}

// Feeds returns what feeds an input of the node whose output a target is; none where nothing does.
func (p *Program) Feeds(t Target, input string) []Target {
	if t.op.step < 0 {
		return nil
	}
	d := p.net.Node(p.steps[t.op.step].id)
	if d == nil || len(d.In[input].Wires) == 0 {
		return nil
	}
	return p.Input(d.ID, input)
}

// TooDeep returns the ids of nodes that wanted what feeds them evaluated elsewhere on
// the surface more often in a row than is done: they got it as it is.
func (p *Program) TooDeep() []string { return p.tooDeep }
