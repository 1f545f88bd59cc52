package picture

import (
	"context"
	"fmt"
	"image"
	"image/draw"
	"maps"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/film"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/priority"
	"mobanta/core/sample"
	"mobanta/core/stage"
)

// Want asks for the picture of one output on its card, or of the finished look.
type Want struct {
	Name   string      // as the caller calls it
	Ref    network.Ref // in the look as it is rendered
	Finish bool
}

// CardPicture is a node's own result, small.
type CardPicture struct {
	Name     string
	Pix      []byte  // RGBA, row by row
	Min, Max float32 // of the values of a tone, or of the components of a colour; both 0 otherwise
}

// thin is a few samples of a group, enough for a small picture: two by two for
// each of its pixels.
type thin struct {
	w, h int
	crop image.Rectangle
	over at
	at   []int32 // place in the small picture, twice as fine → point, -1 for none
}

// cardBudget is how many bytes of node results are kept for the cards of a look.
const cardBudget = 48 << 20

// Cards returns pictures of w × h pixels, made from samples of the last picture.
// Lines are drawn on white. have holds the keys of the pictures that the caller
// has; those that are the same still are left out, and it is brought up to date.
// Outputs that are not there are left out; so is everything if no part of the
// picture wears the look.
func (r *Renderer) Cards(ctx context.Context, look string, wants []Want, w, h int, have map[string]eval.Key) ([]CardPicture, error) {
	defer r.work()()
	defer r.settleAccount()
	ctx, leave := r.enter(ctx, priority.Cards)
	defer leave()
	gi := r.find(look)
	if gi < 0 || r.job.Looks[look] == nil {
		return nil, nil
	}
	g := &r.groups[gi]
	t := r.thin(g, w, h)
	t.over.found.Level = r.level
	type pending struct {
		want   Want
		target eval.Target
		kind   network.Type
	}
	var todo []pending
	var targets []eval.Target
	var out []CardPicture
	made := map[string]eval.Key{} // what will be had, if all of it arrives
	arrive := func() ([]CardPicture, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if have != nil {
			maps.Copy(have, made)
		}
		return out, nil
	}
	for _, want := range wants {
		if want.Finish {
			pic := CardPicture{Name: want.Name, Pix: make([]byte, 4*w*h)}
			r.shrink(pic.Pix, w, h, t.crop, func(p int) (color.C, float32) { return film.Chain{r.result.under}.At(&r.result.Film, p) }) // before it is printed
			out = append(out, pic)
			continue
		}
		target, kind, err := g.program.Output(want.Ref)
		if err != nil {
			continue
		}
		key := g.program.KeyOf(target, r.moment)
		key[0] ^= byte(r.serial)
		key[1] ^= byte(r.serial >> 8)
		if have[want.Name] == key {
			continue
		}
		made[want.Name] = key
		if kind == network.Lines {
			pix, err := r.inked(ctx, gi, target, w, h, t.crop)
			if err != nil {
				return nil, err
			}
			out = append(out, CardPicture{Name: want.Name, Pix: pix})
			continue
		}
		todo, targets = append(todo, pending{want, target, kind}), append(targets, target)
	}
	if len(todo) == 0 {
		return arrive()
	}
	planes, err := g.program.Run(ctx, eval.Env{Points: t.over.points, Found: t.over.found, Scene: r.scene(g.program.Rays(targets)), Moment: r.moment, Workers: r.Workers, Kept: t.over.kept, KeepAll: true}, targets)
	if err != nil {
		return nil, err
	}
	for k, p := range todo {
		pic := CardPicture{Name: p.want.Name, Pix: make([]byte, 4*w*h)}
		t.paint(pic.Pix, planes[k], display(p.kind, false))
		if p.kind != network.Vector && t.over.points.N > 0 {
			pic.Min, pic.Max = planes[k][0][0], planes[k][0][0]
			for _, plane := range planes[k] {
				for _, v := range plane {
					pic.Min, pic.Max = min(pic.Min, v), max(pic.Max, v)
				}
			}
		}
		out = append(out, pic)
	}
	return arrive()
}

// inked returns the picture of lines on white.
func (r *Renderer) inked(ctx context.Context, gi int, target eval.Target, w, h int, crop image.Rectangle) ([]byte, error) {
	pix := make([]byte, 4*w*h)
	sheet := line.NewSheet(r.job.W, r.job.H)
	if rule := r.groups[gi].program.Lines(target); rule != nil {
		strokes, err := r.inker.strokes(ctx, r.seen, []layer{{gi, target, rule}}, nil, r.Workers)
		if err != nil {
			return nil, err
		}
		sheet.Add(strokes, r.Workers)
	}
	r.shrink(pix, w, h, crop, func(p int) (color.C, float32) {
		const paper = 0.9
		rest := paper * (1 - sheet.Pix[4*p+3])
		return color.C{rest + sheet.Pix[4*p], rest + sheet.Pix[4*p+1], rest + sheet.Pix[4*p+2]}, 1
	})
	return pix, nil
}

// thin returns the few samples of a group for pictures of w × h pixels.
func (r *Renderer) thin(g *group, w, h int) *thin {
	if t := g.thin; t != nil && t.w == w && t.h == h {
		return t
	}
	t := &thin{w: w, h: h, crop: r.crop(g.set, w, h), at: make([]int32, 4*w*h)}
	gi := r.find(g.look)
	var picked []int32
	for j := range 2 * h {
		y := t.crop.Min.Y + (2*j+1)*t.crop.Dy()/(4*h)
		for i := range 2 * w {
			x := t.crop.Min.X + (2*i+1)*t.crop.Dx()/(4*w)
			at := &t.at[j*2*w+i]
			*at = -1
			if x < 0 || y < 0 || x >= r.job.W || y >= r.job.H {
				continue
			}
			p := y*r.job.W + x
			if tri := r.seen.Tri[p]; tri >= 0 && r.groupOf[r.job.Scene.TriPart[tri]] == gi {
				*at = int32(len(picked))
				picked = append(picked, r.sampleAt[p])
			}
		}
	}
	t.over = g.pick(picked)
	t.over.kept = eval.NewKept(cardBudget)
	g.thin = t
	return t
}

// paint averages the samples of each pixel; where there are none it is transparent.
func (t *thin) paint(dst []byte, planes []node.Plane, show func(p []node.Plane, i int) color.C) {
	for j := range t.h {
		for i := range t.w {
			var sum color.C
			n := float32(0)
			for k := range 4 {
				at := t.at[(2*j+k/2)*2*t.w+2*i+k%2]
				if at < 0 {
					continue
				}
				c := show(planes, int(at))
				for b := range c {
					sum[b] += max(0, min(1, c[b]))
				}
				n++
			}
			if n == 0 {
				continue
			}
			p := dst[4*(j*t.w+i):]
			for b := range sum {
				p[b] = color.Byte(sum[b] / n)
			}
			p[3] = uint8(n/4*255 + 0.5)
		}
	}
}

func (r *Renderer) find(look string) int {
	for i := range r.groups {
		if r.groups[i].look == look {
			return i
		}
	}
	return -1
}

// crop returns the part of the picture, in the shape of w × h, that shows all
// samples of set with a little air.
func (r *Renderer) crop(set *sample.Points, w, h int) image.Rectangle {
	b := image.Rectangle{}
	for _, p := range set.Pixels().Pixel {
		b = b.Union(image.Rect(int(p)%r.job.W, int(p)/r.job.W, int(p)%r.job.W+1, int(p)/r.job.W+1))
	}
	if b.Empty() {
		b = image.Rect(0, 0, r.job.W, r.job.H)
	}
	b = b.Inset(-max(b.Dx(), b.Dy()) / 16)
	if b.Dx()*h > b.Dy()*w {
		grow := (b.Dx()*h/w - b.Dy()) / 2
		b.Min.Y, b.Max.Y = b.Min.Y-grow, b.Max.Y+grow
	} else {
		grow := (b.Dy()*w/h - b.Dx()) / 2
		b.Min.X, b.Max.X = b.Min.X-grow, b.Max.X+grow
	}
	return b
}

// shrink averages crop down to w × h pixels; places outside the picture and
// those with no cover are transparent.
func (r *Renderer) shrink(dst []byte, w, h int, crop image.Rectangle, at func(p int) (c color.C, a float32)) {
	parallel.Do(r.Workers, h, func(j int) {
		y0, y1 := crop.Min.Y+j*crop.Dy()/h, crop.Min.Y+(j+1)*crop.Dy()/h
		for i := range w {
			x0, x1 := crop.Min.X+i*crop.Dx()/w, crop.Min.X+(i+1)*crop.Dx()/w
			// Four by four places are enough to look smooth at this size.
			sx, sy := max(1, (x1-x0)/4), max(1, (y1-y0)/4)
			var sum color.C
			var cover, n float32
			for y := y0; y < max(y1, y0+1); y += sy {
				for x := x0; x < max(x1, x0+1); x += sx {
					n++
					if x < 0 || y < 0 || x >= r.job.W || y >= r.job.H {
						continue
					}
					c, a := at(y*r.job.W + x)
					for k := range c {
						sum[k] += max(0, min(1, c[k])) * a
					}
					cover += a
				}
			}
			p := dst[4*(j*w+i):]
			if cover > 0 {
				for k := range sum {
					p[k] = color.Byte(sum[k] / cover)
				}
				p[3] = uint8(cover/n*255 + 0.5)
			}
		}
	})
}

// Small returns the last picture in w × h pixels, cut to that shape.
func (r *Renderer) Small(w, h int) *image.NRGBA {
	defer r.work()()
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	b := image.Rect(0, 0, r.job.W, r.job.H)
	if b.Dx()*h > b.Dy()*w {
		cut := (b.Dx() - b.Dy()*w/h) / 2
		b.Min.X, b.Max.X = cut, b.Max.X-cut
	} else {
		cut := (b.Dy() - b.Dx()*h/w) / 2
		b.Min.Y, b.Max.Y = cut, b.Max.Y-cut
	}
	r.shrink(img.Pix, w, h, b, r.result.all())
	return img
}

// Cut returns a part of the last picture as it is shown, pixel for pixel; it lies within the area that was drawn.
func (r *Renderer) Cut(area image.Rectangle) *image.NRGBA {
	defer r.work()()
	img, at := image.NewNRGBA(r.result.Bounds()), frameOf(&r.job).Min
	r.result.RGBA(img.Pix, img.Rect)
	out := image.NewNRGBA(image.Rect(0, 0, area.Dx(), area.Dy()))
	draw.Draw(out, out.Rect, img, area.Min.Sub(at), draw.Src)
	return out
}

// Histogram tells how the values of an input are spread over the picture.
type Histogram struct {
	Bins  []int // over 0..1; values beyond go into the first and the last
	Total int
}

// Histogram counts the values of a tone input over all pixels of the last
// picture that wear the look.
func (r *Renderer) Histogram(ctx context.Context, look, id, input string, bins int) (Histogram, error) {
	defer r.work()()
	gi := r.find(look)
	if gi < 0 {
		return Histogram{Bins: make([]int, bins)}, nil
	}
	g := &r.groups[gi]
	targets := g.program.Input(id, input)
	if len(targets) == 0 {
		return Histogram{}, fmt.Errorf("picture: there is no value at %s of %s", input, id)
	}
	planes, err := r.eval(ctx, g, g.all(), targets[:1])
	if err != nil {
		return Histogram{}, err
	}
	return count(planes[0][0], bins), nil
}

func count(tones node.Plane, bins int) Histogram {
	h := Histogram{Bins: make([]int, bins), Total: len(tones)}
	for _, t := range tones {
		h.Bins[max(0, min(bins-1, int(t*float32(bins))))]++
	}
	return h
}

// PartAt returns the part that the last picture shows at a place, in picture
// heights from the top left corner; ok is false where it shows none.
func (r *Renderer) PartAt(u, v float64) (part stage.Part, ok bool) {
	defer r.work()()
	x, y := int(u*float64(r.job.H)), int(v*float64(r.job.H))
	if r.seen == nil || x < 0 || y < 0 || x >= r.job.W || y >= r.job.H {
		return part, false
	}
	t := r.seen.Tri[y*r.job.W+x]
	if t < 0 || r.job.Scene.Parts[r.job.Scene.TriPart[t]].Look == stage.FloorID {
		return part, false
	}
	return r.job.Scene.Parts[r.job.Scene.TriPart[t]], true
}
