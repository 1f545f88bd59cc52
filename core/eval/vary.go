package eval

import (
	"context"
	"math"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
)

// Varies tells at which points what the targets show may vary within a pixel, by
// more than little, in a way that the middles of the pixels do not show: stripes finer
// than a pixel, a thin band between two middles. It is nil where no node on the way
// can do that. The points are all those that are seen through a grid of pixels.
//
// Where a node can fold its input over, as a fraction does, what it reads is taken to
// lie between half-way to the pixel on either side, and bounds for what it gives are
// worked out and carried on from node to node; see node.Kind.Bounds. What no node
// folds varies as neighbouring pixels show it.
func (p *Program) Varies(ctx context.Context, env Env, targets []Target) ([]bool, error) {
	v := &variation{p: p, env: env, below: make([]bool, len(p.steps)), lo: make([][][]node.Plane, len(p.steps)), hi: make([][][]node.Plane, len(p.steps))}
	if !v.find(targets) || env.Points.Grid() == nil || env.Points.N == 0 {
		return nil, nil
	}
	if err := v.values(ctx); err != nil {
		return nil, err
	}
	for i := range p.steps {
		if v.below[i] {
			v.step(i)
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	out := make([]bool, env.Points.N)
	for _, t := range targets {
		if t.op.step < 0 || !v.below[t.op.step] {
			continue
		}
		for k, lo := range v.lo[t.op.step][t.op.out] {
			hi := v.hi[t.op.step][t.op.out][k]
			for i := range out {
				out[i] = out[i] || !(hi[i]-lo[i] <= visible)
			}
		}
	}
	return out, nil
}

// visible is how much a value that is shown must vary to be seen, in linear light.
const visible = 0.002

// variation is a program whose values are bounded within each pixel.
type variation struct {
	p      *Program
	env    Env
	below  []bool // steps that fold, and those that depend on one
	target []Target
	at     map[[2]int]int // step and input → the target that is its value
	value  [][]node.Plane // of the targets
	own    map[[2]int]int // step and output → the target that is its value
	lo, hi [][][]node.Plane
}

// find marks the steps that are below a fold.
func (v *variation) find(targets []Target) bool {
	found := false
	used := v.p.used(targets, func(int) bool { return false })
	for i := range v.p.steps {
		s := &v.p.steps[i]
		if !used[i] || s.uniform {
			continue
		}
		v.below[i] = s.kind.Folds != nil && s.kind.Folds(s.data)
		for _, op := range s.inputs {
			v.below[i] = v.below[i] || op.step >= 0 && v.below[op.step]
		}
		found = found || v.below[i]
	}
	return found
}

// values evaluates what the steps below a fold read and give.
func (v *variation) values(ctx context.Context) (err error) {
	v.at, v.own = map[[2]int]int{}, map[[2]int]int{}
	for i := range v.p.steps {
		s := &v.p.steps[i]
		if !v.below[i] {
			continue
		}
		for k, op := range s.inputs {
			if op.step >= 0 || op.constant != nil {
				v.at[[2]int{i, k}] = len(v.target)
				v.target = append(v.target, Target{op, true})
			}
		}
		for o, port := range s.spec.Outputs {
			v.own[[2]int{i, o}] = len(v.target)
			v.target = append(v.target, Target{operand{step: i, out: o, from: port.Type, to: port.Type}, true})
		}
	}
	env := v.env
	env.KeepAll = false
	v.value, err = v.p.Run(ctx, env, v.target)
	return err
}

// step bounds what a step gives.
func (v *variation) step(i int) {
	s := &v.p.steps[i]
	n := v.env.Points.N
	lo, hi := make([][]node.Plane, len(s.inputs)), make([][]node.Plane, len(s.inputs))
	in, same := make([][]node.Plane, len(s.inputs)), make([]bool, len(s.inputs))
	for k, op := range s.inputs {
		t, ok := v.at[[2]int{i, k}]
		if !ok {
			continue
		}
		in[k] = v.value[t]
		switch {
		case op.step >= 0 && v.below[op.step]:
			lo[k], hi[k] = v.carried(op)
		case op.step < 0 || v.p.steps[op.step].uniform:
			lo[k], hi[k], same[k] = in[k], in[k], true
		default:
			lo[k], hi[k] = v.around(in[k])
		}
	}
	outs := len(s.spec.Outputs)
	out := make([][]node.Plane, outs)
	v.lo[i], v.hi[i] = make([][]node.Plane, outs), make([][]node.Plane, outs)
	for o := range out {
		out[o] = v.value[v.own[[2]int{i, o}]]
		v.lo[i][o], v.hi[i][o] = makePlanes(len(out[o]), n), makePlanes(len(out[o]), n)
	}
	ports := len(s.spec.Inputs)
	if s.kind.Bounds != nil {
		batches := (n + BatchSize - 1) / BatchSize
		parallel.Do(v.env.Workers, batches, func(b int) {
			from, to := b*BatchSize, min(n, (b+1)*BatchSize)
			call := node.Call{N: to - from, Lo: from, Points: v.env.Points, Scene: v.env.Scene, Data: s.data, Const: same,
				In: piece(in[:ports], from, to), Out: piece(out, from, to)}
			s.kind.Bounds(&call, piece(lo[:ports], from, to), piece(hi[:ports], from, to), piece(v.lo[i], from, to), piece(v.hi[i], from, to))
		})
		return
	}
	// Nothing is known of the node: where what it reads varies much within a pixel, or
	// in a way that neighbours do not show, it may give anything; elsewhere its values
	// vary as neighbours show. (The middles of pixels show nothing of what varies much:
	// they may well meet the same place of every stripe.)
	unseen := make([]bool, n)
	for k := range in {
		if same[k] || in[k] == nil {
			continue
		}
		if op := s.inputs[k]; op.step < 0 || !v.below[op.step] {
			continue // it varies as shown
		}
		shownLo, shownHi := v.around(in[k])
		for c := range lo[k] {
			for j := range unseen {
				wide := hi[k][c][j] - lo[k][c][j]
				slack := wide/4 + 1e-4
				unseen[j] = unseen[j] || !(wide < 1.0/32 && lo[k][c][j] >= shownLo[c][j]-slack && hi[k][c][j] <= shownHi[c][j]+slack)
			}
		}
	}
	inf := float32(math.Inf(1))
	for o := range out {
		a, b := v.around(out[o])
		for c := range a {
			for j, u := range unseen {
				if v.lo[i][o][c][j], v.hi[i][o][c][j] = a[c][j], b[c][j]; u {
					v.lo[i][o][c][j], v.hi[i][o][c][j] = -inf, inf
				}
			}
		}
	}
}

// carried returns the bounds of an operand that is an output of a step below a fold.
func (v *variation) carried(op operand) (lo, hi []node.Plane) {
	lo, hi = v.lo[op.step][op.out], v.hi[op.step][op.out]
	if op.from == op.to || op.from != network.Tone && op.to != network.Tone {
		return lo, hi
	}
	if op.from == network.Tone {
		return []node.Plane{lo[0], lo[0], lo[0]}, []node.Plane{hi[0], hi[0], hi[0]}
	}
	n := len(lo[0])
	a, b := makePlanes(1, n), makePlanes(1, n)
	if op.from == network.Color { // luminance rises with each component
		reduce(op.from, a[0], lo[0], lo[1], lo[2])
		reduce(op.from, b[0], hi[0], hi[1], hi[2])
		for i := range n {
			if a[0][i]-a[0][i] != 0 || b[0][i]-b[0][i] != 0 {
				a[0][i], b[0][i] = float32(math.Inf(-1)), float32(math.Inf(1))
			}
		}
		return a, b
	}
	for i := range n {
		var near, far float64
		for k := range lo {
			x, y := float64(lo[k][i]), float64(hi[k][i])
			most := max(math.Abs(x), math.Abs(y))
			far += most * most
			if x > 0 || y < 0 {
				least := min(math.Abs(x), math.Abs(y))
				near += least * least
			}
		}
		a[0][i], b[0][i] = float32(math.Sqrt(near)), float32(math.Sqrt(far))
	}
	return a, b
}

// around returns bounds half-way to the values of the pixels on either side.
func (v *variation) around(values []node.Plane) (lo, hi []node.Plane) {
	n := v.env.Points.N
	lo, hi = makePlanes(len(values), n), makePlanes(len(values), n)
	const chunk = 4096
	parallel.Do(v.env.Workers, (n+chunk-1)/chunk, func(job int) {
		from, to := job*chunk, min(n, (job+1)*chunk)
		for c, plane := range values {
			v.env.Points.HalfWay(plane, from, lo[c][from:to], hi[c][from:to])
		}
	})
	return lo, hi
}

func piece(all [][]node.Plane, from, to int) [][]node.Plane {
	out := make([][]node.Plane, len(all))
	for k := range all {
		for _, p := range all[k] {
			out[k] = append(out[k], p[from:to])
		}
	}
	return out
}
