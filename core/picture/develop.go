package picture

import (
	"encoding/json"
	"fmt"
	"slices"

	"mobanta/core/film"
	"mobanta/core/sample"
	"mobanta/core/stage"
)

// What is done to a picture once it is drawn: backdrop, glow, grade, view and press, in this order. But for the backdrop
// none of it changes the film, so all of it can be turned while the film stays.

// backdrop returns what shows where there is no model.
func (r *Renderer) backdrop() film.Backdrop {
	if r.job.Peek != nil && r.job.Peek.Raw {
		return film.Backdrop{Backdrop: stage.Backdrop{None: true}}
	}
	out := film.Backdrop{Backdrop: r.job.Scene.Stage.Backdrop}
	if out.None {
		return out
	}
	if out.Picture != "" && r.job.Scene.Files != nil {
		if p, err := r.job.Scene.Files.Picture(out.Picture); err == nil { // one that is missing leaves the colour
			out.Pic = p
		}
	}
	if out.Pic != nil || out.Course != stage.Flat {
		out.W, out.H = r.job.W, r.job.H
		out.At = r.view.Frame().Min
	}
	return out
}

// developing names what is done to the picture, "" for nothing. A node's own result is shown as it is.
func (r *Renderer) developing() string {
	st := r.job.Scene.Stage
	if r.job.Peek != nil || !st.Press.On && !st.Glow.On && st.Grade.Plain() && st.View == "" {
		return ""
	}
	grade, _ := json.Marshal(st.Grade)
	return fmt.Sprintf("%d %q %v %+v %s %q %+v", r.job.H, r.job.Plate, r.job.Before, st.Glow, grade, st.View, st.Press)
}

// shining names the looks of which the film says the share, "" for none.
func (r *Renderer) shining() string {
	g := &r.job.Scene.Stage.Glow
	if !g.On || r.job.Peek != nil || len(g.Looks) == 0 {
		return ""
	}
	return fmt.Sprint(g.Looks)
}

// shine adds what a position sees to how much of each pixel glows.
func (r *Renderer) shine(vis *sample.Visibility) {
	res := &r.result
	if res.shining == "" {
		return
	}
	if res.Shine == nil {
		res.Shine = make([]float32, len(vis.Tri))
	}
	glows := make([]bool, len(r.groups))
	for i := range r.groups {
		glows[i] = slices.Contains(r.job.Scene.Stage.Glow.Looks, r.groups[i].look)
	}
	parts := r.job.Scene.TriPart
	for p, t := range vis.Tri {
		if t >= 0 && glows[r.groupOf[parts[t]]] {
			res.Shine[p]++
		}
	}
}

// developed returns show, called with a picture that is made ready to be developed.
func (r *Renderer) developed(show func(*Result)) func(*Result) {
	return func(res *Result) {
		if r.develop() {
			res.Dirty = res.Bounds()
		}
		show(res)
	}
}

// develop makes the chain of the picture as it is now; it tells whether another is made than before.
func (r *Renderer) develop() bool {
	res, key := &r.result, r.developing()
	other := res.developed != key
	res.developed, res.chain = key, film.Chain{res.under}
	if key == "" {
		return other
	}
	st := r.job.Scene.Stage
	if st.Glow.On && st.Glow.Strength > 0 {
		res.chain = append(res.chain, film.Shining(&st.Glow, &res.Film, res.chain, r.Workers))
	}
	if r.after == nil || r.afterOf != key {
		r.after, r.afterOf = film.Chain{}, key
		if g := st.Grade.Ready(); g != nil && !r.job.Before {
			r.after = append(r.after, film.Grade(g))
		}
		if st.View != "" {
			r.after = append(r.after, film.Shoulder())
		}
		if p := &st.Press; p.On {
			printing := film.Press{Ready: p.Ready(r.job.H), Lines: r.job.H}
			for i, k := range printing.Inks() {
				if k.ID == r.job.Plate {
					printing.Plate = i + 1
				}
			}
			r.after = append(r.after, printing)
		}
	}
	res.chain = append(res.chain, r.after...)
	return other
}

// Washed returns in which part of what the last picture shows the glow changes colours that anyone sees, 0 to 1.
func (r *Renderer) Washed() float64 {
	defer r.work()()
	g := &r.job.Scene.Stage.Glow
	if !r.holds() || !g.On || g.Strength == 0 || r.job.Peek != nil {
		return 0
	}
	res := &r.result
	bare := film.Chain{res.under}
	lit := film.Chain{res.under, film.Shining(g, &res.Film, bare, r.Workers)}
	n := 4 * r.job.W * r.job.H
	was, is := make([]byte, n), make([]byte, n)
	bare.RGBA(&res.Film, was, res.Bounds(), r.Workers)
	lit.RGBA(&res.Film, is, res.Bounds(), r.Workers)
	all, washed := 0, 0
	const seen = 10 // bytes
	for p := 0; p < n; p += 4 {
		if res.Base[p+3] < 1 {
			continue
		}
		all++
		for k := range 3 {
			if d := int(is[p+k]) - int(was[p+k]); d > seen || d < -seen {
				washed++
				break
			}
		}
	}
	return float64(washed) / float64(max(1, all))
}
