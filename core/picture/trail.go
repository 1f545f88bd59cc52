package picture

import (
	"context"
	"errors"
	"fmt"
	"math"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/trace"
)

// Trail is how a pixel came to its colour.
type Trail struct {
	X, Y   int
	Part   stage.Part
	Steps  []TrailStep // those that are read before those that read them; none where there is no model
	Finish color.C     // what the network ends in at the middle of the pixel
	Cover  float32     // of it: opacity
	Lines  float32     // how much of the pixel lines cover
	Passes int         // positions in the pixel that the picture shows the mean of
	Shown  [4]byte     // red, green, blue and alpha as the picture has them
}

// TrailStep is one node and what it gives at the pixel.
type TrailStep struct {
	ID   string // in the look as it is rendered, "outer/inner" within a group
	Outs []TrailValue
	In   []float32 // what a node that cuts a tone reads (see node.Cut): the values of its tone inputs, in their order
}

// TrailValue is the value of one output.
type TrailValue struct {
	Port *network.Port
	V    [3]float32
}

// errOutside says that a place lies outside the picture.
var errOutside = errors.New("picture: the place lies outside the picture")

// sampleOf returns the group and the sample that the last picture shows at a
// place, in picture heights from the top left corner; g is nil where it shows no
// model.
func (r *Renderer) sampleOf(u, v float64) (g *group, x, y int, err error) {
	x, y = int(math.Floor(u*float64(r.job.H))), int(math.Floor(v*float64(r.job.H)))
	if !r.holds() || x < 0 || y < 0 || x >= r.job.W || y >= r.job.H {
		return nil, x, y, errOutside
	}
	t := r.seen.Tri[y*r.job.W+x]
	if t < 0 {
		return nil, x, y, nil
	}
	g = &r.groups[r.groupOf[r.job.Scene.TriPart[t]]]
	if g.look == stage.FloorID { // it is of the backdrop
		return nil, x, y, nil
	}
	return g, x, y, nil
}

// Trail returns how the pixel at a place came to its colour.
func (r *Renderer) Trail(ctx context.Context, u, v float64) (*Trail, error) {
	defer r.work()()
	g, x, y, err := r.sampleOf(u, v)
	if err != nil {
		return nil, err
	}
	p := y*r.job.W + x
	t := &Trail{X: x, Y: y, Passes: r.result.Passes, Cover: 1}
	t.Shown, t.Lines = r.result.shown(x, y), r.result.Lined(p)
	if !r.result.Refined(p) {
		t.Passes = 1
	}
	if g == nil {
		t.Cover = 0
		if t.Finish = r.result.Backdrop.Color; !r.result.Backdrop.None {
			t.Finish = r.result.under.Under(x, y)
		}
		return t, nil
	}
	t.Part = r.job.Scene.Parts[r.job.Scene.TriPart[r.seen.Tri[p]]]
	ends := g.program.Input(g.finish, "colour")
	all := append(ends, g.program.Input(g.finish, "opacity")...)
	ids := g.program.Behind(append(all, g.program.Input(g.finish, "lines")...))
	net := r.lookOf(g)
	var targets []eval.Target
	var fill []func(p []node.Plane)
	t.Steps = make([]TrailStep, len(ids))
	for i, id := range ids {
		s := &t.Steps[i]
		s.ID = id
		d := net.Node(id)
		spec := r.cat.Of(d)
		for o := range spec.Outputs {
			port := &spec.Outputs[o]
			if target, _, err := g.program.Output(network.Ref{Node: id, Port: port.Key}); err == nil && port.Type != network.Lines {
				targets = append(targets, target)
				fill = append(fill, func(p []node.Plane) {
					v := TrailValue{Port: port}
					for k := range p {
						v.V[k] = p[k][0]
					}
					s.Outs = append(s.Outs, v)
				})
			}
		}
		if node.CutOf(d) == nil {
			continue
		}
		for _, port := range spec.Inputs {
			if target := g.program.Input(id, port.Key); port.Type == network.Tone && len(target) == 1 {
				targets = append(targets, target[0])
				fill = append(fill, func(p []node.Plane) { s.In = append(s.In, p[0][0]) })
			}
		}
	}
	n := len(targets)
	planes, err := r.eval(ctx, g, g.pick([]int32{r.sampleAt[p]}), append(targets, all...))
	if err != nil {
		return nil, err
	}
	for i, f := range fill {
		f(planes[i])
	}
	for k, p := range planes[n] {
		t.Finish[k] = p[0]
	}
	if len(planes) > n+1 {
		t.Cover = max(0, min(1, planes[n+1][0][0]))
	}
	return t, nil
}

func (r *Renderer) lookOf(g *group) *network.Network {
	if net := r.job.Looks[g.look]; net != nil && net.Finish() != nil {
		return net
	}
	return r.plain
}

// Grip is a band edge that the hand holds.
type Grip struct {
	Look  string
	Node  string  // in the look as it is rendered
	Key   string  // the setting that holds the stops, or the input that holds the threshold
	Index int     // which stop
	Far   float64 // how far from the hand it was, in pixels
}

// gripReach is how far from the hand a band edge may lie, in pixels.
const gripReach = 12

// Grip returns the band edge that lies nearest to a place of the last picture. Of
// edges that are about as near, one of the node prefer comes first. ok is false
// if there is none.
func (r *Renderer) Grip(ctx context.Context, u, v float64, prefer string) (best Grip, ok bool, err error) {
	defer r.work()()
	g, x0, y0, err := r.sampleOf(u, v)
	if err != nil || g == nil {
		return best, false, err
	}
	const side = 2*gripReach + 1
	var at [side * side]int
	var picked []int32
	for j := range side {
		for i := range side {
			at[j*side+i] = -1
			if s := g.set.Grid().At(x0+i-gripReach, y0+j-gripReach); s >= 0 {
				at[j*side+i] = len(picked)
				picked = append(picked, s)
			}
		}
	}
	net := r.lookOf(g)
	var edges []cutter
	var targets []eval.Target
	for _, id := range g.program.Behind(append(g.program.Input(g.finish, "colour"), g.program.Input(g.finish, "opacity")...)) {
		cuts, err := r.cutters(ctx, g, net.Node(id), r.sampleAt[y0*r.job.W+x0])
		if err != nil {
			return best, false, err
		}
		for _, c := range cuts {
			targets = append(targets, g.program.Input(id, c.input)...)
			edges = append(edges, c)
		}
	}
	if len(targets) == 0 {
		return best, false, nil
	}
	planes, err := r.eval(ctx, g, g.pick(picked), targets)
	if err != nil {
		return best, false, err
	}
	px, py := u*float64(r.job.H)-float64(x0)+gripReach, v*float64(r.job.H)-float64(y0)+gripReach
	score := math.Inf(1)
	for e, c := range edges {
		tone := planes[e][0]
		for j := range side {
			for i := range side {
				a := at[j*side+i]
				if a < 0 {
					continue
				}
				for _, d := range [2][2]int{{1, 0}, {0, 1}} {
					if i+d[0] >= side || j+d[1] >= side {
						continue
					}
					b := at[(j+d[1])*side+i+d[0]]
					if b < 0 {
						continue
					}
					k := c.between(tone[a], tone[b])
					if k < 0 {
						continue
					}
					far := math.Hypot(float64(i)+0.5+float64(d[0])/2-px, float64(j)+0.5+float64(d[1])/2-py)
					s := far
					if c.id == prefer {
						s -= 3
					}
					if far <= gripReach && s < score {
						score, ok = s, true
						best = Grip{Look: g.look, Node: c.id, Key: c.key, Index: k, Far: far}
					}
				}
			}
		}
	}
	return best, ok, nil
}

// cutter is a list of edges that a node cuts a tone at.
type cutter struct {
	id, input, key string
	edges          []float32 // rising
	first          int       // index of the first edge's stop
}

// between returns the stop whose edge lies between two tones, below 0 for none.
func (c *cutter) between(a, b float32) int {
	lo, hi := min(a, b), max(a, b)
	for k, e := range c.edges {
		if lo < e && e <= hi {
			return k + c.first
		}
	}
	return -1
}

// cutters returns the edges that a node cuts tones at, those that show at a sample.
func (r *Renderer) cutters(ctx context.Context, g *group, d *network.Node, at int32) ([]cutter, error) {
	cut := node.CutOf(d)
	if cut == nil {
		return nil, nil
	}
	beside := float32(0)
	if cut.Beside != "" {
		planes, err := r.eval(ctx, g, g.pick([]int32{at}), g.program.Input(d.ID, cut.Beside)[:1])
		if err != nil {
			return nil, err
		}
		beside = planes[0][0][0]
	}
	var out []cutter
	for _, e := range cut.Edges(node.AboutOf(d, r.cat), beside) {
		out = append(out, cutter{id: d.ID, input: cut.Input, key: e.Key, edges: e.At, first: e.First})
	}
	return out, nil
}

// Held returns the tone that the node of a grip reads at a place of the last
// picture: where its edge must lie to run through that place. The error says why
// there is none.
func (r *Renderer) Held(ctx context.Context, grip Grip, u, v float64) (float32, error) {
	defer r.work()()
	g, x, y, err := r.sampleOf(u, v)
	if err != nil {
		return 0, err
	}
	if g == nil || g.look != grip.Look {
		return 0, errors.New("picture: that place does not wear the look of this band edge")
	}
	net := r.lookOf(g)
	d := net.Node(grip.Node)
	if d == nil {
		return 0, fmt.Errorf("picture: there is no node %.40q any more", grip.Node)
	}
	targets := g.program.Input(grip.Node, node.CutInput(d))
	if len(targets) == 0 {
		return 0, errors.New("picture: the node reads no tone")
	}
	planes, err := r.eval(ctx, g, g.pick([]int32{r.sampleAt[y*r.job.W+x]}), targets[:1])
	if err != nil {
		return 0, err
	}
	return planes[0][0][0], nil
}

// Rays returns what answers for rays in the scene of the last picture, made if it
// has not been needed so far.
func (r *Renderer) Rays() *trace.Scene { return r.scene(true).Tracer.Rays }

// Borrow takes over what another renderer knows of where rays meet surfaces.
func (r *Renderer) Borrow(from *Renderer) {
	if from.rays != nil {
		r.rays = from.rays
	}
}

// Tones returns the values of a tone input at all pixels of the last picture that
// wear the look; nil if none does or there is no such input.
func (r *Renderer) Tones(ctx context.Context, look, id, input string) ([]float32, error) {
	defer r.work()()
	gi := r.find(look)
	if gi < 0 || r.groups[gi].set.N == 0 {
		return nil, nil
	}
	g := &r.groups[gi]
	targets := g.program.Input(id, input)
	if len(targets) == 0 {
		return nil, nil
	}
	planes, err := r.eval(ctx, g, g.all(), targets[:1])
	if err != nil {
		return nil, err
	}
	return planes[0][0], nil
}

// Read returns what an output gives at all points of the last picture that wear the look,
// and the points, which know those attributes; nil if none does or there is no such output.
func (r *Renderer) Read(ctx context.Context, look string, ref network.Ref, want sample.Attr) ([]node.Plane, *sample.Points, error) {
	defer r.work()()
	gi := r.find(look)
	if gi < 0 || r.groups[gi].set.N == 0 {
		return nil, nil, nil
	}
	g := &r.groups[gi]
	t, _, err := g.program.Output(ref)
	if err != nil {
		return nil, nil, nil
	}
	planes, err := r.eval(ctx, g, g.all(), []eval.Target{t})
	if err != nil {
		return nil, nil, err
	}
	g.set.Resolve(want, r.Workers)
	return planes[0], g.set, nil
}

// ToneOf returns the values of a tone output of net at all pixels of the last
// picture that wear the look, in the order of Tones; nil if none does. net may be
// another version of the look's network.
func (r *Renderer) ToneOf(ctx context.Context, look string, net *network.Network, ref network.Ref) ([]float32, error) {
	defer r.work()()
	gi := r.find(look)
	if gi < 0 || r.groups[gi].set.N == 0 {
		return nil, nil
	}
	g := r.groups[gi]
	program, err := eval.Compile(net, r.cat)
	if err != nil {
		return nil, err
	}
	t, kind, err := program.Output(ref)
	if err != nil {
		return nil, err
	}
	if kind != network.Tone {
		return nil, fmt.Errorf("picture: %s is no tone", ref)
	}
	g.program = program
	planes, err := r.eval(ctx, &g, at{points: g.set, found: g.found}, []eval.Target{t})
	if err != nil {
		return nil, err
	}
	return planes[0][0], nil
}

// Range is the least and the greatest of some values.
type Range struct{ Min, Max float32 }

// Ranges returns, for the tone outputs that the look's picture depends on, by
// "node.port", between which values they lie over the last picture; nil if
// nothing wears the look.
func (r *Renderer) Ranges(ctx context.Context, look string) (map[network.Ref]Range, error) {
	defer r.work()()
	gi := r.find(look)
	if gi < 0 || r.groups[gi].set.N == 0 || r.job.Looks[look] == nil {
		return nil, nil
	}
	g := &r.groups[gi]
	net := r.lookOf(g)
	var targets []eval.Target
	var refs []network.Ref
	for _, id := range g.program.Behind(r.ends(g)) {
		spec := r.cat.Of(net.Node(id))
		for _, port := range spec.Outputs {
			ref := network.Ref{Node: id, Port: port.Key}
			if t, kind, err := g.program.Output(ref); err == nil && kind == network.Tone {
				targets, refs = append(targets, t), append(refs, ref)
			}
		}
	}
	planes, err := r.eval(ctx, g, g.all(), targets)
	if err != nil {
		return nil, err
	}
	out := map[network.Ref]Range{}
	for i, ref := range refs {
		v := Range{planes[i][0][0], planes[i][0][0]}
		for _, t := range planes[i][0] {
			v.Min, v.Max = min(v.Min, t), max(v.Max, t)
		}
		out[ref] = v
	}
	return out, nil
}

// ends returns what the picture shows of a look: its colour, opacity and lines.
func (r *Renderer) ends(g *group) []eval.Target {
	out := append(g.program.Input(g.finish, "colour"), g.program.Input(g.finish, "opacity")...)
	return append(out, g.program.Input(g.finish, "lines")...)
}

// Seen tells whether the last picture shows any of a look.
func (r *Renderer) Seen(look string) bool {
	gi := r.find(look)
	return gi >= 0 && r.groups[gi].set.N > 0
}
