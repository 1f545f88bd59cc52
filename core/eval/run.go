package eval

import (
	"context"
	"fmt"
	"sync"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/priority"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/vec"
)

// Run evaluates the targets at every point and returns their planes, as many as the
// target's type has, each of length env.Points.N. The planes may be shared with what
// is kept: do not write to them. It stops between batches, with the context's error,
// when ctx ends.
func (p *Program) Run(ctx context.Context, env Env, targets []Target) ([][]node.Plane, error) {
	r := p.newRun(env, targets)
	r.once()
	r.room()
	for stage := range p.stages {
		if err := r.gather(ctx, stage); err != nil {
			return nil, err
		}
		if err := r.batches(ctx, stage); err != nil {
			return nil, err
		}
	}
	if env.Kept != nil {
		for i := range p.steps {
			if r.runs[i] && r.full[i] != nil {
				env.Kept.put(r.keys[i], r.full[i])
			}
		}
	}
	return r.out, nil
}

// run is a program at work over some points.
type run struct {
	p       *Program
	env     Env
	targets []Target
	keys    []Key
	read    [][]bool         // step → output → whether anybody reads it
	runs    []bool           // whether the step is run in batches
	full    [][][]node.Plane // step → output → planes, where known or to be filled
	same    [][][]node.Plane // step → output → planes of a batch, for steps that give the same at all points
	found   []any            // what whole-set steps have found
	out     [][]node.Plane
}

func (p *Program) newRun(env Env, targets []Target) *run {
	if env.Moment == nil {
		env.Moment = NewMoment(env.Scene, 0)
	}
	if env.Found == nil {
		env.Found = shade.NewFindings(env.Points, nil)
	}
	n := len(p.steps)
	r := &run{p: p, env: env, targets: targets, keys: p.keys(env.Moment), read: p.read(targets), full: make([][][]node.Plane, n), same: make([][][]node.Plane, n), found: make([]any, n)}
	known := make([]bool, n)
	if env.Kept != nil {
		for i := range p.steps {
			v := env.Kept.get(r.keys[i])
			known[i] = v != nil
			for o := range v {
				known[i] = known[i] && (v[o] != nil || !r.read[i][o])
			}
			if known[i] {
				r.full[i] = v
			}
		}
	}
	r.runs = p.used(targets, func(i int) bool { return known[i] })
	attrs := map[sample.Variant]sample.Attr{}
	for i := range p.steps {
		if r.runs[i] = r.runs[i] && !known[i]; r.runs[i] {
			attrs[p.steps[i].variant] |= p.steps[i].attrs
		}
	}
	for v, want := range attrs {
		if want != 0 {
			env.Points.Variant(v).Resolve(want, env.Workers)
		}
	}
	return r
}

// once runs the steps that give the same at all points, at one.
func (r *run) once() {
	call := node.Call{N: 1, Points: r.env.Points, Scene: r.env.Scene}
	for i := range r.p.steps {
		s := &r.p.steps[i]
		if !r.runs[i] || !s.uniform {
			continue
		}
		r.runs[i] = false
		if s.forward != nil {
			continue
		}
		in, always := make([][]node.Plane, len(s.inputs)), make([]bool, len(s.inputs))
		for k, op := range s.inputs {
			if in[k] = r.fixed(op, s.units[k], 1); in[k] != nil {
				always[k] = true
			}
		}
		out := make([][]node.Plane, len(s.spec.Outputs))
		for o, port := range s.spec.Outputs {
			if r.read[i][o] {
				out[o] = makePlanes(port.Type.Planes(), BatchSize)
			}
		}
		call.In, call.Const, call.Out, call.Data, call.Feeds = in[:len(s.spec.Inputs)], always, cut(out, 1), s.data, s.feeds
		call.More = in[len(s.spec.Inputs):]
		s.kind.Run(&call)
		for _, planes := range out {
			for _, pl := range planes {
				node.Bound(pl[:1])
				for j := range pl {
					pl[j] = pl[0]
				}
			}
		}
		r.same[i] = out
	}
}

// cut returns the first n values of planes.
func cut(planes [][]node.Plane, n int) [][]node.Plane {
	out := make([][]node.Plane, len(planes))
	for o := range planes {
		for _, p := range planes[o] {
			out[o] = append(out[o], p[:n])
		}
	}
	return out
}

// fixed returns n values of an operand that is the same at all points, nil for one
// that is not or that is not there.
func (r *run) fixed(op operand, unit bool, n int) []node.Plane {
	v := op.constant
	if op.step >= 0 {
		if r.same[op.step] == nil {
			return nil
		}
		src := r.same[op.step][op.out]
		v = make([]float32, len(src))
		for k := range src {
			v[k] = src[k][0]
		}
		v = converted(v, op.from, op.to)
		if unit {
			u := vec.V(v).Unit()
			v = u[:]
		}
	}
	if v == nil {
		return nil
	}
	out := makePlanes(len(v), n)
	for k, x := range v {
		for i := range out[k] {
			out[k][i] = x
		}
	}
	return out
}

// room makes planes for what must be there in full: what is asked for, what is worth
// keeping, and what a later stage reads.
func (r *run) room() {
	p, n := r.p, r.env.Points.N
	whole := p.keeps(r.env, r.runs, r.keys)
	for _, t := range r.targets {
		if t.op.step >= 0 {
			whole[t.op.step] = true
		}
	}
	for i := range p.steps {
		s := &p.steps[i]
		for _, op := range s.inputs {
			if r.runs[i] && op.step >= 0 && p.steps[op.step].stage < s.stage {
				whole[op.step] = true
			}
		}
	}
	for i := range p.steps {
		if r.runs[i] && whole[i] {
			r.full[i] = make([][]node.Plane, len(r.read[i]))
			for o, port := range p.steps[i].spec.Outputs {
				if r.read[i][o] {
					r.full[i][o] = makePlanes(port.Type.Planes(), n)
				}
			}
		}
	}
	r.out = make([][]node.Plane, len(r.targets))
	for k, t := range r.targets {
		r.out[k] = r.view(t.op, n)
	}
}

// gather runs the whole-set steps of a stage: all that they read is there.
func (r *run) gather(ctx context.Context, stage int) error {
	p := r.p
	for i := range p.steps {
		s := &p.steps[i]
		if !r.runs[i] || s.kind.Whole == nil || s.stage != stage {
			continue
		}
		w := &node.Whole{Data: s.data, Scene: r.env.Scene, Points: r.env.Points.Variant(s.variant), Found: r.env.Found, In: make([][]node.Plane, len(s.spec.Inputs)), Key: make([]string, len(s.spec.Inputs)), Typed: make([][]float32, len(s.spec.Inputs))}
		for k := range s.spec.Inputs {
			if op := s.inputs[k]; op.step < 0 {
				w.Typed[k] = op.constant
			}
		}
		if s.variant != sample.AsIs {
			w.Found = shade.NewFindings(w.Points, nil)
			w.Found.Level = r.env.Found.Level
		}
		if s.light != nil {
			w.Light = *s.light
		}
		for _, k := range s.whole {
			w.In[k] = r.complete(s.inputs[k], s.units[k])
			w.Key[k] = fmt.Sprint(s.inputs[k].out, p.steps[s.inputs[k].step].key, s.inputs[k].to)
		}
		var err error
		if r.found[i], err = s.kind.Whole(ctx, w); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// complete returns an operand at all points, converted.
func (r *run) complete(op operand, unit bool) []node.Plane {
	n := r.env.Points.N
	out := r.fixed(op, unit, n)
	if out != nil {
		return out
	}
	src := r.full[op.step][op.out]
	if out = make([]node.Plane, op.to.Planes()); op.to == network.Tone && op.from != network.Tone {
		out[0] = make(node.Plane, n)
		reduce(op.from, out[0], src[0], src[1], src[2])
	} else {
		for k := range out {
			out[k] = src[min(k, len(src)-1)]
		}
	}
	if unit {
		units(makePlanes(3, n), out)
	}
	return out
}

// batches runs the steps of a stage batch by batch, and hands out the targets that
// are known with it.
func (r *run) batches(ctx context.Context, stage int) error {
	n := r.env.Points.N
	var targets []int
	for k, t := range r.targets {
		if t.op.step < 0 && stage == 0 || t.op.step >= 0 && r.p.steps[t.op.step].stage == stage {
			targets = append(targets, k)
		}
	}
	todo := len(targets) > 0
	for i := range r.p.steps {
		todo = todo || r.runs[i] && r.p.steps[i].stage == stage
	}
	if !todo {
		return ctx.Err()
	}
	batches := (n + BatchSize - 1) / BatchSize
	pool := sync.Pool{New: func() any { return newWorker(r, stage) }}
	work := priority.Of(ctx)
	parallel.Do(r.env.Workers, (batches+7)/8, func(job int) {
		work.Yield(ctx)
		w := pool.Get().(*worker)
		defer pool.Put(w)
		for b := job * 8; b < min(batches, job*8+8); b++ {
			if ctx.Err() != nil {
				return
			}
			lo := b * BatchSize
			w.batch(lo, min(BatchSize, n-lo))
			for _, k := range targets {
				w.convert(r.targets[k].op, r.out[k], lo, min(BatchSize, n-lo))
			}
		}
	})
	return ctx.Err()
}

// keeps tells which steps' results are worth keeping: those that are dear, and
// those that stand where a change began. What has just changed is likely to
// change again, as while a value is dragged; then what feeds it is all that is
// needed, and the rest would only fill the memory.
func (p *Program) keeps(env Env, runs []bool, keys []Key) []bool {
	keep := make([]bool, len(p.steps))
	if env.Kept == nil {
		return keep
	}
	before := env.Kept.before(p, keys)
	for i := range p.steps {
		keep[i] = keep[i] || env.KeepAll || p.steps[i].kind.Dear
		if !runs[i] || before == nil || before[keys[i]] {
			continue
		}
		for _, op := range p.steps[i].inputs {
			if op.step >= 0 && before[keys[op.step]] {
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
func (r *run) view(op operand, n int) []node.Plane {
	if op.step >= 0 && r.full[op.step] != nil {
		src := r.full[op.step][op.out]
		switch {
		case op.from == op.to, op.from != network.Tone && op.to != network.Tone:
			return src
		case op.from == network.Tone:
			return []node.Plane{src[0], src[0], src[0]}
		}
	}
	return makePlanes(op.to.Planes(), n)
}

// worker holds the scratch planes of one goroutine for the steps of one stage.
type worker struct {
	*run
	steps    []int
	local    [][][]node.Plane // step → output → batch planes, for steps that are not in full
	in       [][][]node.Plane // step → input → planes; what is the same at all points is filled in once
	lumin    [][]node.Plane   // step → input → scratch for conversion to tone
	out      [][][]node.Plane
	unit     [][][]node.Plane // step → input → scratch for directions of length 1
	constant [][]bool         // step → input → whether it is the same at all points
	scratch  []float32        // of kernels
	memo     []any            // step → what its kernel keeps
}

func newWorker(r *run, stage int) *worker {
	n := len(r.p.steps)
	w := &worker{run: r, local: make([][][]node.Plane, n), in: make([][][]node.Plane, n), lumin: make([][]node.Plane, n), out: make([][][]node.Plane, n), unit: make([][][]node.Plane, n), constant: make([][]bool, n), memo: make([]any, n)}
	for i := range r.p.steps {
		s := &r.p.steps[i]
		if !r.runs[i] || s.stage != stage || s.forward != nil {
			continue
		}
		w.steps = append(w.steps, i)
		w.local[i], w.out[i] = make([][]node.Plane, len(s.spec.Outputs)), make([][]node.Plane, len(s.spec.Outputs))
		for o, port := range s.spec.Outputs {
			if !r.read[i][o] {
				continue
			}
			if r.full[i] == nil {
				w.local[i][o] = makePlanes(port.Type.Planes(), BatchSize)
			}
			w.out[i][o] = make([]node.Plane, port.Type.Planes())
		}
		w.in[i], w.lumin[i], w.unit[i] = make([][]node.Plane, len(s.inputs)), make([]node.Plane, len(s.inputs)), make([][]node.Plane, len(s.inputs))
		w.constant[i] = make([]bool, len(s.inputs))
		for k, op := range s.inputs {
			if fixed := r.fixed(op, s.units[k], BatchSize); fixed != nil {
				w.in[i][k], w.constant[i][k] = fixed, true
				continue
			}
			if op.step < 0 {
				continue
			}
			w.in[i][k] = make([]node.Plane, op.to.Planes())
			if op.to == network.Tone && op.from != network.Tone {
				w.lumin[i][k] = make(node.Plane, BatchSize)
			}
			if s.units[k] {
				w.unit[i][k] = makePlanes(3, BatchSize)
			}
		}
	}
	return w
}

// result returns the planes of an output for the batch of n samples from lo.
func (w *worker) result(step, out, plane, lo, n int) node.Plane {
	if f := w.full[step]; f != nil {
		return f[out][plane][lo : lo+n]
	}
	if s := w.same[step]; s != nil {
		return s[out][plane][:n]
	}
	return w.local[step][out][plane][:n]
}

func (w *worker) batch(lo, n int) {
	call := node.Call{N: n, Lo: lo, Scene: w.env.Scene, Room: &w.scratch}
	for _, i := range w.steps {
		s := &w.p.steps[i]
		in := w.in[i]
		for k, op := range s.inputs {
			if w.constant[i][k] {
				for j := range in[k] {
					in[k][j] = in[k][j][:n]
				}
			} else if op.step >= 0 {
				w.feed(op, in[k], w.lumin[i][k], lo, n)
				if u := w.unit[i][k]; u != nil {
					units(u, in[k])
				}
			}
		}
		for o := range w.out[i] {
			for k := range w.out[i][o] {
				w.out[i][o][k] = w.result(i, o, k, lo, n)
			}
		}
		ports := len(s.spec.Inputs)
		call.Points, call.In, call.More, call.Const, call.Out, call.Data, call.Feeds, call.Found = w.env.Points.Variant(s.variant), in[:ports], in[ports:], w.constant[i], w.out[i], s.data, s.feeds, w.found[i]
		call.Memo = &w.memo[i]
		s.kind.Run(&call)
		for _, out := range w.out[i] {
			for _, p := range out {
				node.Bound(p)
			}
		}
	}
}

// units puts the vectors of planes, made length 1, into room and points the planes
// there. It is the one place where directions that are wired become such.
func units(room, planes []node.Plane) {
	x, y, z := planes[0], planes[1], planes[2]
	n := len(x)
	for k := range planes {
		planes[k] = room[k][:n]
	}
	for i := range n {
		u := vec.V{x[i], y[i], z[i]}.Unit()
		planes[0][i], planes[1][i], planes[2][i] = u[0], u[1], u[2]
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
		dst[i] = vec.V{x[i], y[i], z[i]}.Len()
	}
}

// convert fills the planes of a target that are not a step's own.
func (w *worker) convert(op operand, out []node.Plane, lo, n int) {
	if fixed := op.step < 0 || w.same[op.step] != nil; fixed {
		v := op.constant
		if op.step >= 0 {
			v = nil
			for _, p := range w.same[op.step][op.out] {
				v = append(v, p[0])
			}
			v = converted(v, op.from, op.to)
		}
		for k := range out {
			p := out[k][lo : lo+n]
			for i := range p {
				if p[i] = 0; v != nil {
					p[i] = v[min(k, len(v)-1)]
				}
			}
		}
		return
	}
	if op.to == network.Tone && op.from != network.Tone {
		reduce(op.from, out[0][lo:lo+n], w.result(op.step, op.out, 0, lo, n), w.result(op.step, op.out, 1, lo, n), w.result(op.step, op.out, 2, lo, n))
	}
}
