package picture

import (
	"context"
	"fmt"
	"image"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
)

// CardPicture is a node's own result, small.
type CardPicture struct {
	Ref network.Ref
	Pix []byte // RGBA, row by row
}

// Cards returns a picture of w × h pixels for the first output of every node of
// a look, and for its Finish, made from the samples of the last picture. Lines
// are drawn on white. It is empty if no part of the picture wears the look.
func (r *Renderer) Cards(ctx context.Context, look string, w, h int) ([]CardPicture, error) {
	gi := r.find(look)
	net := r.job.Looks[look]
	if gi < 0 || net == nil {
		return nil, nil
	}
	g := &r.groups[gi]
	crop := r.crop(g.set, w, h)
	var out []CardPicture
	for i := range net.Nodes {
		d := &net.Nodes[i]
		spec := r.cat.Spec(d.Kind)
		pic := CardPicture{Ref: network.Ref{Node: d.ID}, Pix: make([]byte, 4*w*h)}
		switch {
		case d.Kind == network.FinishKind:
			r.shrink(pic.Pix, w, h, crop, func(p int) (color.C, float32) { return r.result.At(p) })
		case len(spec.Outputs) > 0:
			ref := network.Ref{Node: d.ID, Port: spec.Outputs[0].Key}
			t, kind, err := g.program.Output(ref)
			if err != nil {
				return nil, err
			}
			pic.Ref = ref
			if kind == network.Lines {
				sheet := line.NewSheet(r.job.W, r.job.H)
				sheet.Add(r.seen[0], r.job.Scene, r.view, []line.Layer{r.layer(gi, t)}, r.Workers)
				r.shrink(pic.Pix, w, h, crop, func(p int) (color.C, float32) {
					c := color.C{0.9, 0.9, 0.9}
					rest := 1 - sheet.Pix[4*p+3]
					return color.C{c[0]*rest + sheet.Pix[4*p], c[1]*rest + sheet.Pix[4*p+1], c[2]*rest + sheet.Pix[4*p+2]}, 1
				})
				break
			}
			planes, err := r.eval(ctx, g, g.set, g.kept, []eval.Target{t})
			if err != nil {
				return nil, err
			}
			show := display(kind, false)
			r.shrink(pic.Pix, w, h, crop, func(p int) (color.C, float32) {
				if t := r.seen[0].Tri[p]; t < 0 || r.groupOf[r.job.Scene.TriPart[t]] != gi {
					return color.C{}, 0
				}
				return show(planes[0], int(r.sampleAt[p])), 1
			})
		default:
			continue
		}
		out = append(out, pic)
	}
	return out, ctx.Err()
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
func (r *Renderer) crop(set *sample.Set, w, h int) image.Rectangle {
	b := image.Rectangle{}
	for _, p := range set.Pixel {
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
	sample.Parallel(r.Workers, h, func(j int) {
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
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	b := image.Rect(0, 0, r.job.W, r.job.H)
	if b.Dx()*h > b.Dy()*w {
		cut := (b.Dx() - b.Dy()*w/h) / 2
		b.Min.X, b.Max.X = cut, b.Max.X-cut
	} else {
		cut := (b.Dy() - b.Dx()*h/w) / 2
		b.Min.Y, b.Max.Y = cut, b.Max.Y-cut
	}
	r.shrink(img.Pix, w, h, b, r.result.At)
	return img
}

// Histogram tells how the values of an input are spread over the picture.
type Histogram struct {
	Bins  []int // over 0..1; values beyond go into the first and the last
	Total int
}

// Histogram counts the values of a tone input over all pixels of the last
// picture that wear the look.
func (r *Renderer) Histogram(ctx context.Context, look, id, input string, bins int) (Histogram, error) {
	gi := r.find(look)
	if gi < 0 {
		return Histogram{Bins: make([]int, bins)}, nil
	}
	g := &r.groups[gi]
	targets := g.program.Input(id, input)
	if len(targets) == 0 {
		return Histogram{}, fmt.Errorf("picture: there is no value at %s of %s", input, id)
	}
	planes, err := r.eval(ctx, g, g.set, g.kept, targets[:1])
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
