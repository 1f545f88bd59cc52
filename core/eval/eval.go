// Package eval runs networks over sample sets: a network is compiled into steps, which are run in batches on all cores;
// results are kept under keys, so that a change recomputes what hangs on it and nothing else.
package eval

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"

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

// Run evaluates the targets over every sample and returns their planes, as many
// as the target's type has, each of length env.Set.N. The planes may be shared
// with what is kept: do not write to them. It stops between batches, with the
// context's error, when ctx ends.
func (p *Program) Run(ctx context.Context, env Env, targets []Target) ([][]node.Plane, error) {
	n := env.Set.N
	full := make([][][]node.Plane, len(p.steps)) // step → output → planes, where known or to be filled
	known := make([]bool, len(p.steps))
	read := p.read(targets)
	if env.Kept != nil {
		for i := range p.steps {
			v := env.Kept.get(p.stepKey(i, env.Moment))
			known[i] = v != nil
			for o := range v {
				known[i] = known[i] && (v[o] != nil || !read[i][o])
			}
			if known[i] {
				full[i] = v
			}
		}
	}
	used := p.used(targets, func(i int) bool { return known[i] })
	var attrs sample.Attr
	for i := range p.steps {
		if used[i] && !known[i] {
			attrs |= p.steps[i].kind.Needs
		}
	}
	env.Set.Resolve(attrs, env.Workers)
	lighting, err := p.lighting(ctx, env, func(i int) bool { return used[i] && !known[i] })
	if err != nil {
		return nil, err
	}
	wanted := make([]bool, len(p.steps))
	for _, t := range targets {
		if t.op.step >= 0 {
			wanted[t.op.step] = true
		}
	}
	keep := p.keeps(env, used)
	for i := range p.steps {
		if used[i] && !known[i] && (wanted[i] || keep[i]) {
			full[i] = make([][]node.Plane, len(read[i]))
			for o, port := range p.steps[i].spec.Outputs {
				if read[i][o] {
					full[i][o] = makePlanes(port.Type.Planes(), n)
				}
			}
		}
	}
	out := make([][]node.Plane, len(targets))
	for k, t := range targets {
		out[k] = p.view(t, full, n)
	}
	batches := (n + BatchSize - 1) / BatchSize
	pool := sync.Pool{New: func() any { return newWorker(p, used, known, read, full, lighting) }}
	sample.Parallel(env.Workers, (batches+7)/8, func(job int) {
		w := pool.Get().(*worker)
		defer pool.Put(w)
		for b := job * 8; b < min(batches, job*8+8); b++ {
			if ctx.Err() != nil {
				return
			}
			lo := b * BatchSize
			w.batch(env, lo, min(BatchSize, n-lo))
			for k, t := range targets {
				w.convert(t.op, out[k], lo, min(BatchSize, n-lo))
			}
		}
	})
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if env.Kept != nil {
		for i := range p.steps {
			if used[i] && !known[i] && full[i] != nil {
				env.Kept.put(p.stepKey(i, env.Moment), full[i])
			}
		}
	}
	return out, nil
}

// keeps tells which steps' results are worth keeping: those that are dear, and
// those that stand where a change began. What has just changed is likely to
// change again, as while a value is dragged; then what feeds it is all that is
// needed, and the rest would only fill the memory.
func (p *Program) keeps(env Env, used []bool) []bool {
	keep := make([]bool, len(p.steps))
	if env.Kept == nil {
		return keep
	}
	before := env.Kept.before(p, env.Moment)
	for i := range p.steps {
		keep[i] = keep[i] || env.KeepAll || p.steps[i].kind.Dear
		if !used[i] || before == nil || before[p.stepKey(i, env.Moment)] {
			continue
		}
		for _, op := range p.steps[i].inputs {
			if op.step >= 0 && before[p.stepKey(op.step, env.Moment)] {
				keep[op.step] = true
			}
		}
	}
	return keep
}

func makePlanes(planes, n int) []node.Plane {
	all := make([]float32, planes*n)
	out := make([]node.Plane, planes)
	for k := range out {
		out[k] = all[k*n : (k+1)*n : (k+1)*n]
	}
	return out
}

// view returns the planes of a target: the step's own where no conversion is
// needed, new ones otherwise.
func (p *Program) view(t Target, full [][][]node.Plane, n int) []node.Plane {
	if t.op.step >= 0 {
		src := full[t.op.step][t.op.out]
		switch {
		case t.op.from == t.op.to, t.op.from != network.Tone && t.op.to != network.Tone:
			return src
		case t.op.from == network.Tone:
			return []node.Plane{src[0], src[0], src[0]}
		}
	}
	return makePlanes(t.op.to.Planes(), n)
}

// worker holds the scratch planes of one goroutine.
type worker struct {
	p     *Program
	run   []int
	full  [][][]node.Plane
	local [][][]node.Plane // step → output → batch planes, for steps that are not in full
	in    [][][]node.Plane // step → input → planes; constants are filled in once
	lumin [][]node.Plane   // step → input → scratch for conversion to tone
	out   [][][]node.Plane

	light    []*node.Lighting // step → what it reads of the lights
	room     []float32        // scratch of kernels
	constant [][]bool         // step → input → whether it is the same for all samples
}

func newWorker(p *Program, used, known []bool, read [][]bool, full [][][]node.Plane, lighting []*node.Lighting) *worker {
	w := &worker{p: p, full: full, light: lighting}
	n := len(p.steps)
	w.constant = make([][]bool, n)
	w.local, w.in, w.out, w.lumin = make([][][]node.Plane, n), make([][][]node.Plane, n), make([][][]node.Plane, n), make([][]node.Plane, n)
	for i := range p.steps {
		if !used[i] || known[i] {
			continue
		}
		s := &p.steps[i]
		w.run = append(w.run, i)
		if full[i] == nil {
			w.local[i] = make([][]node.Plane, len(s.spec.Outputs))
			for o, port := range s.spec.Outputs {
				if read[i][o] {
					w.local[i][o] = makePlanes(port.Type.Planes(), BatchSize)
				}
			}
		}
		w.out[i] = make([][]node.Plane, len(s.spec.Outputs))
		for o := range w.out[i] {
			if read[i][o] {
				w.out[i][o] = make([]node.Plane, s.spec.Outputs[o].Type.Planes())
			}
		}
		w.in[i] = make([][]node.Plane, len(s.inputs))
		w.constant[i] = make([]bool, len(s.inputs))
		w.lumin[i] = make([]node.Plane, len(s.inputs))
		for k, op := range s.inputs {
			switch {
			case op.constant != nil:
				w.constant[i][k] = true
				w.in[i][k] = constantPlanes(op.constant)
			case op.step >= 0:
				w.in[i][k] = make([]node.Plane, op.to.Planes())
				if op.to == network.Tone && op.from != network.Tone {
					w.lumin[i][k] = make(node.Plane, BatchSize)
				}
			}
		}
	}
	return w
}

func constantPlanes(v []float32) []node.Plane {
	out := makePlanes(len(v), BatchSize)
	for k, x := range v {
		for i := range out[k] {
			out[k][i] = x
		}
	}
	return out
}

// result returns the planes of an output for the batch of n samples from lo.
func (w *worker) result(step, out, plane, lo, n int) node.Plane {
	if f := w.full[step]; f != nil {
		return f[out][plane][lo : lo+n]
	}
	return w.local[step][out][plane][:n]
}

func (w *worker) batch(env Env, lo, n int) {
	call := node.Call{N: n, Set: env.Set, Lo: lo, Scene: env.Scene, Room: &w.room}
	for _, i := range w.run {
		s := &w.p.steps[i]
		in := w.in[i]
		for k, op := range s.inputs {
			if op.step >= 0 {
				w.feed(op, in[k], w.lumin[i][k], lo, n)
			} else {
				for j := range in[k] {
					in[k][j] = in[k][j][:n]
				}
			}
		}
		for o := range w.out[i] {
			for k := range w.out[i][o] {
				w.out[i][o][k] = w.result(i, o, k, lo, n)
			}
		}
		call.In, call.Const, call.Out, call.Data, call.Light = in, w.constant[i], w.out[i], s.data, w.light[i]
		s.kind.Run(&call)
	}
}

// feed points dst at the operand's values, converting where the types differ.
func (w *worker) feed(op operand, dst []node.Plane, tone node.Plane, lo, n int) {
	if op.to == network.Tone && op.from != network.Tone {
		dst[0] = tone[:n]
		reduce(op.from, dst[0], w.result(op.step, op.out, 0, lo, n), w.result(op.step, op.out, 1, lo, n), w.result(op.step, op.out, 2, lo, n))
		return
	}
	for k := range dst {
		from := k
		if op.from == network.Tone {
			from = 0
		}
		dst[k] = w.result(op.step, op.out, from, lo, n)
	}
}

// reduce writes the tone of colours (luminance) or vectors (length).
func reduce(from network.Type, dst, x, y, z node.Plane) {
	if from == network.Color {
		for i := range dst {
			dst[i] = color.C{x[i], y[i], z[i]}.Luminance()
		}
		return
	}
	for i := range dst {
		dst[i] = length(x[i], y[i], z[i])
	}
}

// convert fills the planes of a target that are not a step's own.
func (w *worker) convert(op operand, out []node.Plane, lo, n int) {
	switch {
	case op.step < 0:
		for k := range out {
			p := out[k][lo : lo+n]
			for i := range p {
				p[i] = op.constant[min(k, len(op.constant)-1)]
			}
		}
	case op.to == network.Tone && op.from != network.Tone:
		reduce(op.from, out[0][lo:lo+n], w.result(op.step, op.out, 0, lo, n), w.result(op.step, op.out, 1, lo, n), w.result(op.step, op.out, 2, lo, n))
	}
}

// lighting finds out what the steps that are to run read of the lights: rays are
// sent for whole sets, before the network is evaluated.
func (p *Program) lighting(ctx context.Context, env Env, runs func(step int) bool) ([]*node.Lighting, error) {
	out := make([]*node.Lighting, len(p.steps))
	for i := range p.steps {
		r := p.steps[i].light
		if r == nil || !runs(i) {
			continue
		}
		l := &node.Lighting{Lights: r.Of(env.Scene.Lights)}
		out[i] = l
		if env.Scene.Tracer == nil || env.Set.N == 0 {
			continue
		}
		if r.Shadows && r.Direct {
			l.Share = make([]node.Plane, len(l.Lights))
			for k, li := range l.Lights {
				if !env.Scene.Lights[li].Shadows {
					continue
				}
				var err error
				if l.Share[k], err = env.Scene.Tracer.Share(ctx, env.Set, &env.Scene.Lights[li]); err != nil {
					return nil, err
				}
			}
		}
		if r.Bounced {
			b, err := env.Scene.Tracer.Bounced(ctx, env.Set, l.Lights)
			if err != nil {
				return nil, err
			}
			l.Bounced = [][]node.Plane{b}
		}
	}
	return out, nil
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
