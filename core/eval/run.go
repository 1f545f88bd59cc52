package eval

import (
	"context"
	"sync"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

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
	parallel.Do(env.Workers, (batches+7)/8, func(job int) {
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

	unit     [][][]node.Plane // step → input → scratch for directions of length 1
	light    []*node.Lighting // step → what it reads of the lights
	room     []float32        // scratch of kernels
	constant [][]bool         // step → input → whether it is the same for all samples
}

func newWorker(p *Program, used, known []bool, read [][]bool, full [][][]node.Plane, lighting []*node.Lighting) *worker {
	w := &worker{p: p, full: full, light: lighting}
	n := len(p.steps)
	w.constant = make([][]bool, n)
	w.unit = make([][][]node.Plane, n)
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
		w.unit[i] = make([][]node.Plane, len(s.inputs))
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
				if s.spec.Inputs[k].Unit {
					w.unit[i][k] = makePlanes(3, BatchSize)
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
				if u := w.unit[i][k]; u != nil {
					units(u, in[k])
				}
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
