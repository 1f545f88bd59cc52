package picture

import (
	"context"
	"runtime/debug"
	"slices"
	"sync"
	"sync/atomic"

	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/parallel"
	"mobanta/core/priority"
	"mobanta/core/sample"
	"mobanta/core/shade"
)

const (
	// atOnce is how many positions are worked out at the same time at most, and atOncePixels how many pixels all of these have,
	// for the sake of memory.
	atOnce       = 4
	atOncePixels = 8 << 20
	// alone is how many fine pixels a position has that is worked out by itself: enough for all cores, and much for memory.
	alone = 1 << 17
	// maxLater is how many positions are kept, with the first, of what each sees, and maxLaterPixels of how large a picture.
	maxLater, maxLaterPixels = 16, 1 << 20
)

// share is what one position adds to a picture.
type share struct {
	added    []added            // by group, at the pixels of the mask and where another part is seen
	strewn   []added            // by group, in the fine pixels
	vis      *sample.Visibility // what it sees; nil once nobody asks
	gone     []int32            // pixels at which nothing is seen where the first position sees something
	packed   *sample.Packed     // vis, to be kept; nil for not
	strokes  [][]line.Stroke    // by layer; nil for none
	err      error
	panicked *parallel.Panic

	memory []float32 // for values of added, from one position to the next
}

// room returns memory for so many values.
func (s *share) room(n int) []float32 {
	if cap(s.memory)-len(s.memory) < n {
		s.memory = make([]float32, 0, max(n, 2*cap(s.memory)))
	}
	from := len(s.memory)
	s.memory = s.memory[:from+n]
	return s.memory[from : from+n : from+n]
}

// again returns a share with nothing in it that has the memory of s.
func (s *share) again() *share {
	return &share{added: s.added[:0], strewn: s.strewn[:0], gone: s.gone[:0], memory: s.memory[:0]}
}

// added is what some points show: their pixels, and for each red, green and blue times opacity, and opacity.
type added struct {
	pixel  []int32
	values []float32
}

// settle adds the positions after the first, in their order: what each adds is worked out for several at once, each on its own
// share of the cores, so that no core waits for what takes one core. It calls show as Render does.
func (r *Renderer) settle(ctx context.Context, mask, fine []bool, layers []layer, show func(*Result)) error {
	res, n := &r.result, r.job.Samples
	if odd := n%2 == 1; odd != r.odd {
		r.later, r.odd = nil, odd
	}
	was := r.later // which the others read meanwhile
	r.later = slices.Clone(was)
	for i := range r.groups { // rays are made ready before several ask for them
		g := &r.groups[i]
		if targets, _, err := r.shown(g); err == nil && g.program.Rays(targets) {
			r.scene(true)
		}
	}
	for _, l := range layers {
		if r.groups[l.group].program.Rays(append(r.groups[l.group].program.Feeds(l.target, line.Tone), l.target)) {
			r.scene(true)
		}
	}
	from := r.inker.lacks(layers, n)
	if !r.Keep && len(mask) > maxLaterPixels { // a large picture needs the memory more than the next one does
		r.groupsLet(func(g *group) { g.kept.Shed(r.Results) })
	}
	zero := share{vis: r.seen}
	if err := r.sow(ctx, &zero, 0, fine, r.Workers); err != nil {
		return err
	}
	r.take(zero.strewn)

	many := max(1, min(r.Workers, atOnce, atOncePixels/len(mask), n-1))
	fines := 0
	for _, f := range fine {
		if f {
			fines++
		}
	}
	if fines > alone {
		many = 1
	}
	each := max(1, r.Workers/many)
	shining := res.shining != "" // asks what each position sees when it is added
	ctx, stop := context.WithCancel(ctx)
	var wg sync.WaitGroup
	defer wg.Wait()
	defer stop()
	done := make([]chan *share, n)
	for k := range done {
		done[k] = make(chan *share, 1)
	}
	room := make(chan struct{}, many+1) // for those at work and for one that is done
	spare := make(chan *share, many+1)
	views := make(chan *sample.Visibility, many+1)
	var next atomic.Int64
	for range many {
		wg.Go(func() {
			for {
				select {
				case room <- struct{}{}:
				case <-ctx.Done():
					return
				}
				k := int(next.Add(1))
				if k >= n {
					return
				}
				lacking := layers
				if k < from {
					lacking = nil // their lines are there
				}
				s := &share{}
				select {
				case s = <-spare:
				default:
				}
				select {
				case s.vis = <-views:
				default:
				}
				r.shared(ctx, s, k, was, mask, fine, lacking, each)
				if s.vis != nil && !shining {
					views <- s.vis
					s.vis = nil
				}
				done[k] <- s
			}
		})
	}
	for k := 1; k < n; k++ {
		var s *share
		select {
		case s = <-done[k]:
		case <-ctx.Done():
			return ctx.Err()
		}
		if s.panicked != nil {
			panic(s.panicked)
		}
		if s.err != nil {
			return s.err
		}
		r.join(s, k)
		if s.vis != nil {
			views <- s.vis
		}
		spare <- s.again()
		<-room
		res.Passes = k + 1
		if r.Told != nil {
			r.Told(float64(res.Passes) / float64(n))
		}
		res.Done = res.Passes == n
		res.Dirty = res.Bounds()
		if p := res.Passes; p == 4 && !r.job.Final || res.Done {
			show(res)
		}
	}
	return nil
}

// shared works out the share of position k, with the lines of layers; a panic becomes a part of it. Of the renderer it only
// reads. was is what positions see that is known from before.
func (r *Renderer) shared(ctx context.Context, s *share, k int, was []*sample.Packed, mask, fine []bool, layers []layer, workers int) {
	defer func() {
		if v := recover(); v != nil {
			p, ok := v.(*parallel.Panic)
			if !ok {
				p = &parallel.Panic{Value: v, Stack: debug.Stack()}
			}
			s.panicked = p
		}
	}()
	priority.Yield(ctx)
	s.err = r.share(ctx, s, k, was, mask, fine, layers, workers)
}

func (r *Renderer) share(ctx context.Context, s *share, k int, was []*sample.Packed, mask, fine []bool, layers []layer, workers int) error {
	if k <= len(was) && was[k-1] != nil {
		s.vis = was[k-1].Unpack(s.vis)
	} else {
		var err error
		if s.vis, err = r.projector.DrawInto(ctx, s.vis, Position(k, r.job.Samples), workers); err != nil {
			return err
		}
		if r.Keep && k < maxLater && len(s.vis.Tri) <= maxLaterPixels {
			s.packed = s.vis.Pack()
		}
	}
	first, parts := r.seen.Tri, r.job.Scene.TriPart
	keep := func(p int32) bool {
		if fine != nil && fine[p] {
			return false
		}
		if mask[p] {
			return true
		}
		a, b := s.vis.Tri[p], first[p]
		return a != b && (a < 0 || b < 0 || parts[a] != parts[b])
	}
	sets := sample.Seen(s.vis, r.job.Scene, r.view, len(r.groups), r.groupOf, keep)
	for i, points := range sets {
		sets[i] = nil // what is found out about them goes as soon as it is used
		a, err := r.worked(ctx, s, &r.groups[i], points, workers)
		if err != nil {
			return err
		}
		s.added = append(s.added, a)
	}
	if err := r.sow(ctx, s, k, fine, workers); err != nil {
		return err
	}
	for p, t := range s.vis.Tri {
		if t < 0 && first[p] >= 0 {
			s.gone = append(s.gone, int32(p))
		}
	}
	if layers != nil {
		var err error
		s.strokes, err = r.inker.strokes(ctx, s.vis, layers, r.inker.drawn, workers)
		return err
	}
	return nil
}

// sow works out, in the fine pixels, the k-th of places of their own.
func (r *Renderer) sow(ctx context.Context, s *share, k int, fine []bool, workers int) error {
	if fine == nil {
		return nil
	}
	sets := sample.Seen(s.vis, r.job.Scene, r.view, len(r.groups), r.groupOf, func(p int32) bool { return fine[p] })
	for i, points := range sets {
		sets[i] = nil
		points.Strew(k, r.job.Samples)
		a, err := r.worked(ctx, s, &r.groups[i], points, workers)
		if err != nil {
			return err
		}
		s.strewn = append(s.strewn, a)
	}
	return nil
}

// worked returns what some points of a group show.
func (r *Renderer) worked(ctx context.Context, s *share, g *group, points *sample.Points, workers int) (added, error) {
	a := added{values: s.room(4 * points.N)}
	if points.N > 0 {
		a.pixel = points.Pixels().Pixel
	}
	over := at{points: points, found: shade.NewFindings(points, g.found), workers: workers}
	return a, r.each(ctx, g, over, func(i int, _ int32, c color.C, o float32) {
		v := a.values[4*i : 4*i+4 : 4*i+4]
		v[0], v[1], v[2], v[3] = c[0]*o, c[1]*o, c[2]*o, o
	})
}

// take adds what points show to the pixels that they are seen through.
func (r *Renderer) take(groups []added) {
	base, delta := r.result.Base, r.result.Delta
	for _, a := range groups {
		for i, p := range a.pixel {
			v, b, d := a.values[4*i:4*i+4:4*i+4], base[4*p:4*p+4:4*p+4], delta[4*p:4*p+4:4*p+4]
			d[0], d[1], d[2], d[3] = d[0]+(v[0]-b[0]), d[1]+(v[1]-b[1]), d[2]+(v[2]-b[2]), d[3]+(v[3]-b[3])
		}
	}
}

// join adds the share of position k to the picture; those before it are there.
func (r *Renderer) join(s *share, k int) {
	if s.vis != nil {
		r.shine(s.vis)
	}
	r.take(s.added)
	r.take(s.strewn)
	base, delta := r.result.Base, r.result.Delta
	for _, p := range s.gone {
		for c := 4 * p; c < 4*p+4; c++ {
			delta[c] -= base[c]
		}
	}
	if s.packed != nil {
		for len(r.later) < k {
			r.later = append(r.later, nil)
		}
		r.later[k-1] = s.packed
	}
	if s.strokes != nil && r.inker.sheet.Passes == k {
		r.inker.add(s.strokes)
	}
}
