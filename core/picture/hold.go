package picture

import (
	"image"
	"unsafe"

	"mobanta/core/budget"
	"mobanta/core/contour"
	"mobanta/core/line"
)

// What a renderer remembers, for the sake of the next picture, counts against a budget
// that it may share with others. Whoever has not been used for longest lets go first: of
// what is soonest made anew, and last of the picture itself.

// defaultBudget is how many bytes a renderer with a budget of its own remembers.
const defaultBudget = 256 << 20

// keptResults limits the node results of a renderer for which nobody says another limit.
const keptResults = 96 << 20

// Under puts the renderer under a budget that others share. Close is to be called when
// it is done with.
func (r *Renderer) Under(b *budget.Budget) {
	if r.account != nil {
		r.account.Close()
	}
	r.account = b.Open(r.shed)
}

// Close lets go of all that the renderer remembers, whatever state a slip may have left it in.
func (r *Renderer) Close() {
	r.account.Close()
	r.mu.Lock()
	defer r.mu.Unlock()
	r.forget()
}

// forget lets go of the last picture and of all that was found for it.
func (r *Renderer) forget() {
	r.seen, r.groups, r.groupOf, r.sampleAt, r.projector, r.rays = nil, nil, nil, nil, nil, nil
	r.later, r.inker.curves = nil, nil
	r.inker.forget()
	r.result, r.unshown = Result{}, image.Rectangle{}
}

// Holds tells whether the renderer still has its last picture, to be asked about it.
func (r *Renderer) Holds() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.holds()
}

// holds is Holds for those who are at work: a picture that was cut off may have left what it sees, and no film of it, or one
// that has never been shown.
func (r *Renderer) holds() bool {
	return r.seen != nil && len(r.result.Base) == 4*len(r.seen.Tri) && r.result.chain != nil
}

// Use says that the renderer is wanted: it does not let go of its picture for others until
// done is called, so that what it has drawn can be asked about.
func (r *Renderer) Use() (done func()) { return r.count(&r.users) }

// work says that the renderer is at work: it lets go of nothing for others until done is
// called.
func (r *Renderer) work() (done func()) { return r.count(&r.busy) }

func (r *Renderer) count(n *int) (done func()) {
	r.mu.Lock()
	*n++
	r.mu.Unlock()
	return func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		*n--
	}
}

// account says how much is held now, and lets go of what is too much; in use.
func (r *Renderer) settleAccount() {
	size := r.Size()
	if most := r.account.Set(size); most < size {
		r.trim(most, false)
		r.account.Keep(r.Size())
	}
}

// shed lets go of as much as it takes to hold at most so many bytes, also of the
// picture if nobody wants it; it is called by others who share the budget.
func (r *Renderer) shed(most int) (size int, ok bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.busy > 0 {
		return 0, false
	}
	return r.trim(most, r.users == 0), true
}

// Size returns how many bytes the renderer remembers.
func (r *Renderer) Size() int {
	sum := 4 * (len(r.result.Base) + len(r.result.Delta) + len(r.result.Shine) + len(r.sampleAt))
	if r.inker.sheet != nil {
		sum += 4 * len(r.inker.sheet.Pix)
	}
	if r.projector != nil {
		sum += r.projector.Bytes()
	}
	if r.seen != nil {
		sum += 8 * len(r.seen.Tri)
	}
	for _, v := range r.later {
		if v != nil {
			sum += v.Bytes()
		}
	}
	for _, list := range r.inker.curves {
		for i := range list {
			sum += len(list[i].Places) * int(unsafe.Sizeof(contour.Place{}))
		}
	}
	for _, list := range r.inker.drawn {
		for i := range list {
			sum += len(list[i].Chain) * int(unsafe.Sizeof(line.Place{})+unsafe.Sizeof(line.Ink{}))
		}
	}
	for i := range r.groups {
		g := &r.groups[i]
		sum += g.set.Bytes() + g.kept.Bytes() + g.found.Bytes()
		if t := g.thin; t != nil {
			sum += 4*len(t.at) + t.over.points.Bytes() + t.over.kept.Bytes() + t.over.found.Bytes()
		}
	}
	return sum
}

// trim lets go until at most so many bytes are held, and returns how many are. The
// picture itself goes only if all may.
func (r *Renderer) trim(most int, all bool) int {
	steps := []func(){
		func() {
			for k := len(r.later) - 1; k >= 0 && r.Size() > most; k-- {
				r.later = r.later[:k]
			}
		},
		func() { r.groupsLet(func(g *group) { g.thin = nil }) },
		func() { r.groupsLet(func(g *group) { g.kept.Shed(r.Size() - most) }) },
		func() { r.groupsLet(func(g *group) { g.found.Shed(r.Size() - most) }) },
		func() { r.groupsLet(func(g *group) { g.set.Forget() }) },
	}
	if all {
		steps = append(steps, r.forget)
	}
	for _, step := range steps {
		if r.Size() <= most {
			break
		}
		step()
	}
	return r.Size()
}

func (r *Renderer) groupsLet(f func(g *group)) {
	for i := range r.groups {
		f(&r.groups[i])
	}
}
