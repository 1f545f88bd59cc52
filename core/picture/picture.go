// Package picture renders a stage with its looks: the first picture at once, then settling to as many positions in each
// pixel as are asked for, where it matters. A Renderer keeps what it can from one picture to the next.
package picture

import (
	"context"
	"crypto/sha256"
	"fmt"
	"image"
	"math"
	"slices"
	"sync"
	"time"

	"mobanta/core/budget"
	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/film"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/priority"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/shade"
	"mobanta/core/stage"
	"mobanta/core/trace"
)

// MaxPixels limits a picture.
const MaxPixels = 64 << 20

// MaxSamples limits the positions in a pixel.
const MaxSamples = 256

// Renderer renders one picture after another. It is for one goroutine at a time.
type Renderer struct {
	Workers int
	Keep    bool // keep what each position sees, for the sake of the next picture
	// Gate, which may be nil, lets what is more urgent go first. Heard is when the one
	// whom the pictures are for was last heard of; see priority.Rank.
	Gate  *priority.Gate
	Heard int64
	Least priority.Level // no work counts as more urgent than this
	// Told, which may be nil, is called with how much of the positions of a picture is drawn, 0 to 1, by the goroutine that called Render.
	Told func(part float64)
	// Results limits the bytes of node results that are kept for the next picture.
	Results int

	working *priority.Work
	waited  time.Duration
	account *budget.Account
	mu      sync.Mutex // of users, and of letting go
	users   int        // who want its picture
	busy    int        // who are at work with it

	cat   node.Catalogue
	plain *network.Network

	job       scene.Job
	view      stage.View
	projector *sample.Projector
	seen      *sample.Visibility // by the first position
	later     []*sample.Packed   // by the others, from the second on; nil where not kept
	odd       bool               // whether later are of an odd number of positions
	rays      *trace.Scene
	lights    []light.Source
	level     int // how well light that is found by chance is known; see shade.Findings
	groups    []group
	groupOf   []int // part → group
	sampleAt  []int32
	moment    *eval.Moment
	serial    int // counts the sets of samples that there have been

	result  Result
	unshown image.Rectangle // what has changed since the last picture that was shown
	inker   *inker          // its lines
	after   film.Chain      // what is done to the picture once it is drawn, but for the glow
	afterOf string
}

// group is the parts that wear one look, and its samples in the first pass.
type group struct {
	look    string
	set     *sample.Points
	found   *shade.Findings
	kept    *eval.Kept
	program *eval.Program
	even    *eval.Program // with patterns as what they come to on average; nil where there are none
	finish  string
	drawn   eval.Key // of what lies in the result's base, zero for nothing
	box     image.Rectangle
	thin    *thin // for cards; nil until they are asked for
}

// NewRenderer returns a renderer that uses up to workers cores.
func NewRenderer(workers int) *Renderer {
	r := &Renderer{Workers: workers, Keep: true, Results: keptResults, plain: PlainLook()}
	r.inker = &inker{Renderer: r}
	r.Under(budget.New(defaultBudget))
	return r
}

// PlainLook returns the network that parts without a look are shown with.
func PlainLook() *network.Network {
	n := &network.Network{Nodes: []network.Node{
		{ID: "light", Kind: "diffuse-light", Set: map[string]any{"wrap": 0.6}},
		{ID: "grey", Kind: "ramp", In: map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "light", Port: "tone"}}}},
			Set: map[string]any{"stops": []color.Stop{{At: 0, Color: color.MustHex("#55585C")}, {At: 1, Color: color.MustHex("#C9CBCC"), Edge: color.Linear}}}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": {Wires: []network.Ref{{Node: "grey", Port: "colour"}}}}},
	}}
	return n
}

// Position returns the place within the pixel, each coordinate from 0 to 1, of position k of n. The first is the middle. The
// others are mirrored pairs about it of the additive recurrence R2 (Roberts 2018), so that their mean is the middle too and a
// picture does not lie to one side; of an even number three at the corners of a triangle come first, which the middle is
// the centre of. Against R2 alone, the share of a pixel beside a straight edge is wrong by half as much at 16 positions.
// Two positions have no such order: their mean lies beside the middle.
func Position(k, n int) [2]float32 {
	from := [2]float64{0.5, 0.5}
	if k == 0 {
		return [2]float32{0.5, 0.5}
	}
	if n%2 == 0 {
		if k < 4 {
			s, c := math.Sincos(1.3 + float64(k-1)*2*math.Pi/3)
			return [2]float32{float32(0.5 + 0.42*c), float32(0.5 + 0.42*s)}
		}
		k, from = k-3, [2]float64{0.15, 0.25}
	}
	j := float64((k + 1) / 2)
	_, x := math.Modf(from[0] + j*0.7548776662466927)
	_, y := math.Modf(from[1] + j*0.5698402909980532)
	if k%2 == 0 {
		x, y = 1-x, 1-y
	}
	return [2]float32{float32(x), float32(y)}
}

// Render renders job. It calls show with the first picture, and again when it
// has settled further, the last time when it is done; show may read the result
// but must not keep it. A context that ends stops it with the context's error.
func (r *Renderer) Render(ctx context.Context, job scene.Job, show func(res *Result)) error {
	if job.W < 1 || job.H < 1 || job.W*job.H > MaxPixels || !job.Area.In(image.Rect(0, 0, job.W, job.H)) {
		return fmt.Errorf("picture: %d × %d pixels is not a size that can be rendered", job.W, job.H)
	}
	defer r.work()()
	defer r.settleAccount()
	r.waited = 0
	job.Samples = max(1, min(MaxSamples, job.Samples))
	show = r.developed(r.outside(show))
	ctx, leave := r.enter(ctx, urgency(&job))
	defer func() { leave() }()
	if err := r.prepare(ctx, job); err != nil {
		return err
	}
	if job.Final && r.level == 0 && r.soft() {
		r.setLevel(1)
	}
	layers := r.inker.layers()
	if same, err := r.settled(); err != nil {
		return err
	} else if same {
		// Nothing has changed, but for what is done to it afterwards: what has settled stays, and does not flicker.
		r.result.Dirty = r.unshown
		r.unshown = image.Rectangle{}
		show(&r.result)
		return ctx.Err()
	}
	if err := r.first(ctx); err != nil {
		return err
	}
	if err := r.inker.begin(ctx, layers); err != nil {
		return err
	}
	res := &r.result
	coarse := r.level == 0 && r.soft() && !(job.Quick && job.Samples == 1)
	res.Done = job.Samples == 1 && !coarse
	r.unshown = image.Rectangle{}
	if res.Done || !job.Final {
		show(res)
	}
	if res.Done || ctx.Err() != nil {
		return ctx.Err()
	}
	if coarse {
		// Soft light is found out well before bands are cut from it: the mean of what
		// a ramp makes of noise is no band.
		r.setLevel(1)
		layers = r.inker.layers()
		if err := r.first(ctx); err != nil {
			return err
		}
		if err := r.inker.begin(ctx, layers); err != nil {
			return err
		}
		res.Done = job.Samples == 1
		r.unshown = image.Rectangle{}
		show(res)
	}
	leave()
	ctx, leave = r.enter(ctx, priority.Settled)
	fine, err := r.fine(ctx)
	if err != nil {
		return err
	}
	even, err := r.evenly(ctx)
	if err != nil {
		return err
	}
	mask := res.mask(even)
	res.Delta = make([]float32, len(res.Base))
	return r.settle(ctx, mask, fine, layers, show)
}

// evenly returns the film without its lines and with patterns as what they come to on average: their
// dots are right in the first picture, and need no more positions.
func (r *Renderer) evenly(ctx context.Context) (*film.Film, error) {
	out := r.result.Bare()
	if r.job.Peek != nil {
		return out, nil
	}
	own := false
	for i := range r.groups {
		g := r.groups[i]
		if g.even == nil {
			continue
		}
		if !own {
			out.Base, own = slices.Clone(out.Base), true
		}
		g.program = g.even
		err := r.each(ctx, &g, g.all(), func(_ int, p int32, c color.C, a float32) {
			b := out.Base[4*p : 4*p+4 : 4*p+4]
			b[0], b[1], b[2], b[3] = c[0]*a, c[1]*a, c[2]*a, a
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// urgency tells how urgent the first picture of a job is.
func urgency(j *scene.Job) priority.Level {
	if j.Quick {
		return priority.Hand
	}
	return priority.First
}

// enter begins work of a level, which the context then carries.
func (r *Renderer) enter(ctx context.Context, level priority.Level) (_ context.Context, leave func()) {
	level = max(level, r.Least)
	w := r.Gate.Enter(priority.Rank{Level: level, Heard: r.Heard})
	r.working = w
	return priority.With(ctx, w), func() {
		w.Leave()
		r.waited += w.Waited()
	}
}

// Waited returns for how long the last picture stood still so that others could be drawn first.
func (r *Renderer) Waited() time.Duration { return r.waited }

// outside returns show, called while the renderer is in nobody's way.
func (r *Renderer) outside(show func(*Result)) func(*Result) {
	return func(res *Result) {
		r.working.Pause()
		defer r.working.Resume()
		show(res)
	}
}

// settled tells whether the last picture has settled and is the one that the job
// asks for.
func (r *Renderer) settled() (bool, error) {
	res := &r.result
	if w, h := r.size(); !res.Done || res.Base == nil || res.W != w || res.H != h || res.Passes != r.job.Samples || res.under != r.backdrop() || res.shining != r.shining() ||
		res.Ink != nil && res.InkPasses != res.Passes && !r.inker.still || r.unshown != (image.Rectangle{}) {
		return false, nil
	}
	for i := range r.groups {
		if key, err := r.shownKey(&r.groups[i]); err != nil || key != r.groups[i].drawn {
			return false, err
		}
	}
	return true, nil
}

// program is what the network of a look comes to.
type program struct {
	*eval.Program
	even   *eval.Program // with patterns as what they come to on average; nil where there are none
	finish string
}

// compile returns the program of a look, or of the plain one where there is none that ends in a Finish.
func (r *Renderer) compile(net *network.Network) (out program, err error) {
	if net == nil || net.Finish() == nil {
		net = r.plain
	}
	out.finish = net.Finish().ID
	if out.Program, err = eval.Compile(net, r.cat); err != nil {
		return out, err
	}
	if even := node.Evenly(net); even != nil {
		out.even, err = eval.Compile(even, r.cat)
	}
	return out, err
}

// prepare makes ready what the job shares with those before it. Where that fails, or ctx ends first, the renderer is as it
// was: its last picture can be asked about, and the next one does not know of this job.
func (r *Renderer) prepare(ctx context.Context, job scene.Job) error {
	old := r.job
	view := job.Scene.Stage.Camera.View(job.W, job.H)
	view.Area = frameOf(&job)
	same := old.Scene != nil && old.Scene.Geometry == job.Scene.Geometry && view == r.view && r.seen != nil
	regroup := !same || !slices.EqualFunc(old.Scene.Parts, job.Scene.Parts, func(a, b stage.Part) bool { return a.Look == b.Look })
	looks := looksOf(job.Scene)
	programs := make([]program, len(looks))
	for i, id := range looks {
		var err error
		if programs[i], err = r.compile(job.Looks[id]); err != nil {
			return err
		}
	}
	if !same {
		r.later = nil // can be had anew, and makes room
		projector := r.projector
		if projector == nil || !projector.Shows(job.Scene.Geometry, view) {
			projector = sample.NewProjector(job.Scene.Geometry, view, r.Workers)
		}
		seen, err := projector.Turned(view.Area).Draw(ctx, Position(0, 1), r.Workers)
		if err != nil {
			return err
		}
		if projector != r.projector {
			r.inker.curves = nil
		}
		r.projector, r.seen = projector.Turned(view.Area), seen
		r.inker.forget()
	}
	r.view, r.job = view, job
	if regroup {
		r.group(job.Scene, looks)
	}
	if !slices.EqualFunc(r.lights, job.Scene.Lights, func(a, b light.Source) bool { return a.Key() == b.Key() }) {
		r.lights, r.level = job.Scene.Lights, 0
	}
	r.setLevel(r.level)
	for i := range r.groups {
		g, p := &r.groups[i], programs[i]
		g.program, g.even, g.finish = p.Program, p.even, p.finish
	}
	return nil
}

// looksOf returns the looks that parts of a scene wear, in the order in which they come.
func looksOf(scene *stage.Scene) (looks []string) {
	for _, p := range scene.Parts {
		if !slices.Contains(looks, p.Look) {
			looks = append(looks, p.Look)
		}
	}
	return looks
}

// group sorts the parts by their looks and takes the samples of the first pass.
func (r *Renderer) group(scene *stage.Scene, looks []string) {
	groupOf := make([]int, len(scene.Parts))
	for i, p := range scene.Parts {
		groupOf[i] = slices.Index(looks, p.Look)
	}
	sets := sample.Seen(r.seen, scene, r.view, len(looks), groupOf, nil)
	wide, high := r.size()
	sampleAt, groups := make([]int32, wide*high), make([]group, len(looks))
	for i, set := range sets {
		box := image.Rectangle{Min: image.Pt(wide, high)}
		for s, p := range set.Pixels().Pixel {
			sampleAt[p] = int32(s)
			x, y := int(p)%wide, int(p)/wide
			box.Min.X, box.Min.Y = min(box.Min.X, x), min(box.Min.Y, y)
			box.Max.X, box.Max.Y = max(box.Max.X, x+1), max(box.Max.Y, y+1)
		}
		groups[i] = group{look: looks[i], set: set, found: shade.NewFindings(set, nil), kept: eval.NewKept(r.Results / len(looks)), box: box}
	}
	r.serial++
	r.level, r.groups, r.groupOf, r.sampleAt = 0, groups, groupOf, sampleAt
	r.inker.forget()
	r.result.Base = nil
}

// size returns the width and height of what is drawn, in pixels: of the picture, or of a part of it.
func (r *Renderer) size() (w, h int) {
	f := r.view.Frame()
	return f.Dx(), f.Dy()
}

// scene returns what kernels may ask, with a tracer if shadows are cast.
func (r *Renderer) scene(shadows bool) *node.Scene {
	sc := &node.Scene{Scene: r.job.Scene, Time: node.At(r.job.Scene.Stage.Time)}
	if !shadows {
		return sc
	}
	if r.rays == nil || r.rays.Geometry != r.job.Scene.Geometry {
		r.rays = trace.Of(r.job.Scene.Geometry, r.rays, r.Workers)
	}
	sc.Tracer = &shade.Tracer{Scene: r.job.Scene, Rays: r.rays, Workers: r.Workers}
	return sc
}

// setLevel tells all sets how well soft light is to be known.
func (r *Renderer) setLevel(level int) {
	r.level = level
	r.moment = eval.NewMoment(r.scene(false), level)
	for i := range r.groups {
		r.groups[i].found.Level = level
	}
}

// soft tells whether the picture shows light that is found by chance.
func (r *Renderer) soft() bool {
	for i := range r.groups {
		g := &r.groups[i]
		targets, _, err := r.shown(g)
		if err != nil {
			continue
		}
		if r.job.Peek == nil {
			targets = append(targets, g.program.Input(g.finish, "lines")...)
		}
		if g.set.N > 0 && g.program.Soft(targets, r.job.Scene.Lights) {
			return true
		}
	}
	return false
}

// at is some points of a group: those of its first pass, or others.
type at struct {
	points *sample.Points
	found  *shade.Findings
	kept   *eval.Kept // nil to keep nothing

	workers int // on how many cores; 0 for as many as the renderer has
}

// all returns the points of the group's first pass.
func (g *group) all() at { return at{points: g.set, found: g.found, kept: g.kept} }

// pick returns some of the points of the group's first pass.
func (g *group) pick(points []int32) at {
	p := g.set.Pick(points)
	return at{points: p, found: g.found.Pick(p, points)}
}

// eval runs the targets of group g.
func (r *Renderer) eval(ctx context.Context, g *group, over at, targets []eval.Target) ([][]node.Plane, error) {
	scene, workers := r.scene(g.program.Rays(targets)), r.Workers
	if over.workers > 0 {
		workers = over.workers
		if scene.Tracer != nil {
			scene.Tracer.Workers = workers
		}
	}
	return g.program.Run(ctx, eval.Env{Points: over.points, Found: over.found, Scene: scene, Moment: r.moment, Workers: workers, Kept: over.kept}, targets)
}

// shown returns the targets for the colour and the opacity of a group, and how
// to turn the first into a colour.
func (r *Renderer) shown(g *group) (targets []eval.Target, show func(p []node.Plane, i int) color.C, err error) {
	rgb := func(p []node.Plane, i int) color.C { return color.C{p[0][i], p[1][i], p[2][i]} }
	peek := r.job.Peek
	switch {
	case peek == nil:
		targets = append(targets, g.program.Input(g.finish, "colour")...)
		return append(targets, g.program.Input(g.finish, "opacity")...), rgb, nil
	case peek.Look != g.look:
		if peek.Raw {
			return nil, func([]node.Plane, int) color.C { return color.C{} }, nil
		}
		return nil, func([]node.Plane, int) color.C { return otherLook }, nil
	}
	t, kind, err := g.program.Output(peek.Ref)
	if err != nil {
		return nil, nil, err
	}
	return []eval.Target{t}, display(kind, peek.Raw), nil
}

// otherLook is how parts with another look are shown beside a peek.
var otherLook = color.FromBytes(0x8a, 0x8c, 0x8f)

// display returns how a value of the given type is shown as a colour.
func display(kind network.Type, raw bool) func(p []node.Plane, i int) color.C {
	switch {
	case kind == network.Tone:
		return func(p []node.Plane, i int) color.C { return color.C{p[0][i], p[0][i], p[0][i]} }
	case kind == network.Lines:
		return func([]node.Plane, int) color.C { return color.C{1, 1, 1} }
	case kind == network.Vector && !raw:
		return func(p []node.Plane, i int) color.C {
			return color.C{0.5 + p[0][i]/2, 0.5 + p[1][i]/2, 0.5 + p[2][i]/2}
		}
	}
	return func(p []node.Plane, i int) color.C { return color.C{p[0][i], p[1][i], p[2][i]} }
}

// each evaluates what is shown of a group and calls f for every point, by its number and its pixel, with its
// colour and opacity, from several goroutines.
func (r *Renderer) each(ctx context.Context, g *group, over at, f func(i int, pixel int32, c color.C, opacity float32)) error {
	n := over.points.N
	if n == 0 {
		return nil
	}
	targets, show, err := r.shown(g)
	if err != nil {
		return err
	}
	planes, err := r.eval(ctx, g, over, targets)
	if err != nil {
		return err
	}
	workers := r.Workers
	if over.workers > 0 {
		workers = over.workers
	}
	const chunk = 16384
	pixels := over.points.Pixels().Pixel
	parallel.Do(workers, (n+chunk-1)/chunk, func(job int) {
		for i := job * chunk; i < min(n, (job+1)*chunk); i++ {
			a := float32(1)
			if len(planes) > 1 {
				a = max(0, min(1, planes[1][0][i]))
			}
			var p []node.Plane
			if len(planes) > 0 {
				p = planes[0]
			}
			f(i, pixels[i], show(p, i), a)
		}
	})
	return nil
}

// first renders one position in each pixel. What the groups that have not
// changed left in the last picture stays.
func (r *Renderer) first(ctx context.Context) error {
	old := r.result
	res := &r.result
	w, h := r.size()
	n := w * h
	under := r.backdrop()
	*res = Result{Film: film.Film{W: w, H: h, Base: old.Base, Passes: 1, Ink: old.Ink, InkPasses: old.InkPasses}, Backdrop: under.Backdrop, under: under, workers: r.Workers,
		chain: old.chain, developed: old.developed, shining: r.shining()}
	r.shine(r.seen)
	if len(res.Base) != 4*n {
		res.Base = make([]float32, 4*n)
		for i := range r.groups {
			r.groups[i].drawn = eval.Key{}
		}
		old.Base, res.chain = nil, nil // which was made ready for a film of another size
	}
	if old.Base == nil || old.Delta != nil || old.under != res.under || old.shining != res.shining {
		res.Dirty = res.Bounds()
		r.unshown = res.Dirty
	}
	res.Dirty = res.Dirty.Union(r.unshown)
	base := res.Base
	for i := range r.groups {
		g := &r.groups[i]
		key, err := r.shownKey(g)
		if err != nil {
			return err
		}
		if key == g.drawn {
			continue
		}
		g.drawn = eval.Key{} // until it is there in full
		res.Dirty = res.Dirty.Union(g.box)
		r.unshown = res.Dirty
		err = r.each(ctx, g, g.all(), func(_ int, p int32, c color.C, a float32) {
			b := base[4*p : 4*p+4 : 4*p+4]
			b[0], b[1], b[2], b[3] = c[0]*a, c[1]*a, c[2]*a, a
		})
		if err != nil {
			return err
		}
		g.drawn = key
	}
	return nil
}

// shownKey names what is shown of a group.
func (r *Renderer) shownKey(g *group) (eval.Key, error) {
	targets, _, err := r.shown(g)
	if err != nil {
		return eval.Key{}, err
	}
	h := sha256.New()
	for _, t := range targets {
		fmt.Fprint(h, g.program.KeyOf(t, r.moment))
	}
	if p := r.job.Peek; p != nil {
		fmt.Fprint(h, "peek", p.Raw, p.Look == g.look)
	}
	return eval.Key(h.Sum(nil)[:16]), nil
}

// fine tells in which pixels the picture may vary unseen by the first position; nil if
// in none.
func (r *Renderer) fine(ctx context.Context) ([]bool, error) {
	var out []bool
	for i := range r.groups {
		g := &r.groups[i]
		targets, _, err := r.shown(g)
		if err != nil {
			return nil, err
		}
		varies, err := g.program.Varies(ctx, eval.Env{Points: g.set, Found: g.found, Scene: r.scene(g.program.Rays(targets)), Moment: r.moment, Workers: r.Workers, Kept: g.kept}, targets)
		if err != nil {
			return nil, err
		}
		for k, v := range varies {
			if v {
				if out == nil {
					out = make([]bool, len(r.sampleAt))
				}
				out[g.set.Pixels().Pixel[k]] = true
			}
		}
	}
	return out, nil
}
