package bake

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"image"
	"image/png"
	"io"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/pixmap"
	"mobanta/core/project"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/stage"
	"mobanta/core/trace"
)

// Texture is a picture that has been baked: red, green, blue and opacity of each texel, row by row from the top, as they
// are written, colours as sRGB. Opacity is 0 where no surface lies, and past the margin.
type Texture struct {
	W, H int
	Pix  []uint16
	Data bool // numbers as they are
}

// bandTexels is how many texels are worked on at once.
const bandTexels = 1 << 19

// position returns where in a texel the k-th of n positions lies: they fill it evenly, and each of its sides in equal
// steps (the additive recurrence of the golden ratio).
func position(k, n int) [2]float64 {
	u := float64(k)*0.6180339887498949 + 0.5
	return [2]float64{(float64(k) + 0.5) / float64(n), u - float64(int(u))}
}

// Draw bakes picture number n at w × h texels, the mean of so many positions in each, on up to so many cores. progress
// hears which part of it is done; it may be nil. A context that ends stops it.
func (pl *Plan) Draw(ctx context.Context, n, w, h, samples, workers int, progress func(part float64)) (*Texture, error) {
	pic := &pl.Pictures[n]
	out := &Texture{W: w, H: h, Pix: make([]uint16, 4*w*h), Data: pic.Output.Data || pic.Type == network.Vector}
	groups, err := pl.groups(pic)
	if err != nil {
		return nil, err
	}
	scene := &node.Scene{Scene: pl.scene, Time: node.At(pl.scene.Stage.Time)}
	for _, g := range groups {
		if g.program.Rays(g.targets) {
			scene.Tracer = &shade.Tracer{Scene: pl.scene, Rays: trace.Of(pl.scene.Geometry, nil, workers), Workers: workers}
			break
		}
	}
	folds := false
	for _, g := range groups {
		folds = folds || g.program.Folds(g.targets)
	}
	b := &band{pl: pl, pic: pic, groups: groups, scene: scene, moment: eval.NewMoment(scene, 1), w: w, h: h, workers: workers}
	rows := max(1, min(h, bandTexels/w))
	bands := (h + rows - 1) / rows
	for k := range bands {
		// A row more on either side, since what differs from its neighbours gets all positions.
		b.y0, b.y1 = max(0, k*rows-1), min(h, (k+1)*rows+1)
		b.sum, b.weight = make([]float32, 4*w*(b.y1-b.y0)), make([]float32, w*(b.y1-b.y0))
		for n := range samples {
			var only []bool
			if n > 0 && !folds {
				if only = b.edges; n == 1 {
					only = b.differing(out.Data)
				}
			}
			if err := b.pass(ctx, position(n, samples), only); err != nil {
				return nil, err
			}
			if progress != nil {
				progress((float64(k) + float64(n+1)/float64(samples)) / float64(bands))
			}
		}
		parallel.Do(workers, min(h, (k+1)*rows)-k*rows, func(row int) {
			y := k*rows + row
			for i := range w {
				if at := (y-b.y0)*w + i; b.weight[at] > 0 {
					out.put(y*w+i, b.sum[4*at:4*at+4], 1/b.weight[at])
				}
			}
		})
	}
	out.grow(*pl.order.Margin)
	out.fill(workers)
	return out, nil
}

// band is some rows of a picture that is being baked.
type band struct {
	pl      *Plan
	pic     *Picture
	groups  []group
	scene   *node.Scene
	moment  *eval.Moment
	w, h    int
	workers int
	y0, y1  int
	sum     []float32 // red, green, blue and opacity of each texel, of all positions so far
	weight  []float32 // how many positions have met a surface
	edges   []bool    // where later positions may differ from the first
}

// pass adds one position of each texel, or of some.
func (b *band) pass(ctx context.Context, at [2]float64, only []bool) error {
	x := sample.Texels{W: b.w, H: b.h, Rows: [2]int{b.y0, b.y1}, At: at, Only: only, Lay: b.pl.lay}
	// All looks at once, so that the first triangle has the texel whatever it wears.
	all, texel := x.Points(b.pl.scene, b.pl.view, b.pic.has)
	for _, g := range b.groups {
		var picked []int32
		for i, part := range all.PartOf {
			if b.pl.scene.Parts[part].Look == g.look {
				picked = append(picked, int32(i))
			}
		}
		if len(picked) == 0 {
			continue
		}
		points := all
		if len(picked) < all.N {
			points = all.Pick(picked)
		}
		found := shade.NewFindings(points, nil)
		found.Level = 1
		planes, err := g.program.Run(ctx, eval.Env{Points: points, Found: found, Scene: b.scene, Moment: b.moment, Workers: b.workers}, g.targets)
		if err != nil {
			return err
		}
		for i, p := range picked {
			to := int(texel[p]) - b.y0*b.w
			c := value(b.pic.Type, planes[0], i)
			a := float32(1)
			if len(planes) > 1 {
				a = max(0, min(1, planes[1][0][i]))
			}
			for k := range c {
				b.sum[4*to+k] += c[k]
			}
			b.sum[4*to+3] += a
			b.weight[to]++
		}
	}
	return nil
}

// differing finds, after the first position, the texels whose neighbours are not the same to about a byte, or not there:
// elsewhere the other positions would say the same again.
func (b *band) differing(data bool) []bool {
	rows := b.y1 - b.y0
	code := make([][4]float32, b.w*rows)
	parallel.Do(b.workers, rows, func(y int) {
		for i := y * b.w; i < (y+1)*b.w; i++ {
			if b.weight[i] == 0 {
				continue
			}
			c := color.C{b.sum[4*i], b.sum[4*i+1], b.sum[4*i+2]}
			if !data {
				c = c.Encoded()
			}
			code[i] = [4]float32{c[0], c[1], c[2], 1 + b.sum[4*i+3]} // 0 for what is not there
		}
	})
	out := make([]bool, b.w*rows)
	parallel.Do(b.workers, rows, func(y int) {
		for x := range b.w {
			here := code[y*b.w+x]
			for _, d := range [8][2]int{{-1, 0}, {1, 0}, {0, -1}, {0, 1}, {-1, -1}, {1, 1}, {-1, 1}, {1, -1}} {
				i, j := (x+d[0]+b.w)%b.w, max(0, min(rows-1, y+d[1]))
				for k, v := range code[j*b.w+i] {
					const near = 1.5 / 255
					if e := v - here[k]; e > near || e < -near {
						out[y*b.w+x] = true
					}
				}
			}
		}
	})
	b.edges = out
	return out
}

// group is the parts of a picture that wear one look.
type group struct {
	look    string
	program *eval.Program
	targets []eval.Target
}

func (pl *Plan) groups(pic *Picture) (out []group, err error) {
	seen := map[string]bool{}
	for _, i := range pic.Parts {
		id := pl.scene.Parts[i].Look
		if seen[id] {
			continue
		}
		seen[id] = true
		g := group{look: id}
		net := pl.nets[id]
		if g.program, err = eval.Compile(net, node.Catalogue{}); err != nil {
			return nil, err
		}
		if pic.Output.Node == "" {
			g.targets = finished(g.program, net)
		} else {
			t, _, err := g.program.Output(network.Ref{Node: pic.Output.Node, Port: pic.Output.Port})
			if err != nil {
				return nil, err
			}
			g.targets = []eval.Target{t}
		}
		if len(g.targets) > 0 {
			out = append(out, g)
		}
	}
	return out, nil
}

// value returns a value as three numbers from 0 to 1: a tone as grey, a vector halved about ½.
func value(t network.Type, p []node.Plane, i int) color.C {
	switch t {
	case network.Tone:
		return color.C{p[0][i], p[0][i], p[0][i]}
	case network.Vector:
		return color.C{p[0][i]/2 + 0.5, p[1][i]/2 + 0.5, p[2][i]/2 + 0.5}
	}
	return color.C{p[0][i], p[1][i], p[2][i]}
}

// put writes a texel: sums of values, and what they are to be multiplied by.
func (x *Texture) put(at int, sum []float32, by float32) {
	c := color.C{sum[0] * by, sum[1] * by, sum[2] * by}
	if !x.Data {
		c = c.Encoded()
	}
	for k, v := range c {
		x.Pix[4*at+k] = word(v)
	}
	x.Pix[4*at+3] = max(1, word(sum[3]*by)) // 0 is for where nothing is
}

func word(v float32) uint16 { return uint16(max(0, min(1, v))*65535 + 0.5) }

// grow grows colours past the borders of what is covered by so many texels: each ring takes the mean of those that it
// touches.
func (x *Texture) grow(margin int) {
	w, h := x.W, x.H
	beside := func(i int, f func(j int)) {
		cx, cy := i%w, i/w
		for dy := max(0, cy-1); dy <= min(h-1, cy+1); dy++ {
			for dx := max(0, cx-1); dx <= min(w-1, cx+1); dx++ {
				if j := dy*w + dx; j != i {
					f(j)
				}
			}
		}
	}
	queued := make([]bool, w*h)
	var ring []int
	reach := func(i int) {
		beside(i, func(j int) {
			if x.Pix[4*j+3] == 0 && !queued[j] {
				queued[j] = true
				ring = append(ring, j)
			}
		})
	}
	if margin > 0 {
		for i := range w * h {
			if x.Pix[4*i+3] != 0 {
				reach(i)
			}
		}
	}
	for range margin {
		now := ring
		ring = nil
		mean := make([][4]uint16, len(now))
		for k, i := range now {
			var sum [4]uint64
			n := uint64(0)
			beside(i, func(j int) {
				if x.Pix[4*j+3] == 0 {
					return
				}
				for c := range sum {
					sum[c] += uint64(x.Pix[4*j+c])
				}
				n++
			})
			for c := range sum {
				mean[k][c] = uint16((sum[c] + n/2) / max(1, n))
			}
		}
		for k, i := range now {
			copy(x.Pix[4*i:4*i+4], mean[k][:])
		}
		for _, i := range now {
			reach(i)
		}
	}
}

// fill gives colours to what is still empty, its opacity staying 0, so that nothing bleeds in when the picture is made
// smaller, however often: those of ever coarser means (push and pull, Gortler et al. 1996).
func (x *Texture) fill(workers int) {
	type level struct {
		w, h int
		pix  []float32 // red, green, blue and how much is known
	}
	var levels []level
	w, h := x.W, x.H
	at := func(l, i int) (c [4]float32) {
		if l == 0 {
			p := x.Pix[4*i : 4*i+4]
			if p[3] == 0 {
				return c
			}
			return [4]float32{float32(p[0]), float32(p[1]), float32(p[2]), 1}
		}
		return [4]float32(levels[l-1].pix[4*i : 4*i+4])
	}
	size := func(l int) (int, int) {
		if l == 0 {
			return w, h
		}
		return levels[l-1].w, levels[l-1].h
	}
	for l := 0; ; l++ {
		lw, lh := size(l)
		if lw == 1 && lh == 1 {
			break
		}
		next := level{w: (lw + 1) / 2, h: (lh + 1) / 2}
		next.pix = make([]float32, 4*next.w*next.h)
		full := true
		parallel.Do(workers, next.h, func(y int) {
			for i := range next.w {
				var sum [4]float32
				for dy := 2 * y; dy < min(lh, 2*y+2); dy++ {
					for dx := 2 * i; dx < min(lw, 2*i+2); dx++ {
						c := at(l, dy*lw+dx)
						for k := range 3 {
							sum[k] += c[k] * c[3]
						}
						sum[3] += c[3]
					}
				}
				if sum[3] > 0 {
					p := next.pix[4*(y*next.w+i):]
					p[0], p[1], p[2], p[3] = sum[0]/sum[3], sum[1]/sum[3], sum[2]/sum[3], 1
				}
			}
		})
		for i := 3; i < len(next.pix) && full; i += 4 {
			full = next.pix[i] > 0
		}
		levels = append(levels, next)
		if full {
			break
		}
	}
	for l := len(levels) - 1; l >= 0; l-- {
		lw, lh := size(l)
		above := levels[l]
		parallel.Do(workers, lh, func(y int) {
			for i := range lw {
				if at(l, y*lw+i)[3] > 0 {
					continue
				}
				c := above.pix[4*(y/2*above.w+i/2):]
				if c[3] == 0 {
					continue
				}
				if l == 0 {
					p := x.Pix[4*(y*lw+i):]
					p[0], p[1], p[2] = uint16(c[0]+0.5), uint16(c[1]+0.5), uint16(c[2]+0.5)
				} else {
					copy(levels[l-1].pix[4*(y*lw+i):], c[:4])
				}
			}
		})
	}
}

// WritePNG writes the texture with 8 or 16 bits a channel; without a channel for opacity where it covers all.
func (x *Texture) WritePNG(w io.Writer, bits int) error {
	var img image.Image
	if bits == 16 {
		m := image.NewNRGBA64(image.Rect(0, 0, x.W, x.H))
		for i, v := range x.Pix {
			m.Pix[2*i], m.Pix[2*i+1] = byte(v>>8), byte(v)
		}
		img = m
	} else {
		m := image.NewNRGBA(image.Rect(0, 0, x.W, x.H))
		for i, v := range x.Pix {
			m.Pix[i] = byte((uint32(v)*255 + 32767) / 65535)
		}
		img = m
	}
	var buf bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.DefaultCompression}).Encode(&buf, img); err != nil {
		return err
	}
	const head = 8 + 25 // the signature, and IHDR
	data := buf.Bytes()
	parts := [][]byte{data[:head], data[head:]}
	if !x.Data {
		parts = [][]byte{data[:head], pixmap.Chunk("sRGB", []byte{0}), data[head:]}
	}
	for _, part := range parts {
		if _, err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}

// Shown returns a project whose model wears pictures that were baked of it, laid by its texture coordinates: one for all parts
// that were baked, or of each part its own, in their order; and the pictures by the hashes that the project knows them by.
func (o *Order) Shown(p *project.Project, pictures []File) (*project.Project, map[string][]byte) {
	q := p.Clone()
	files := map[string][]byte{}
	i := slices.IndexFunc(q.Stage.Models, func(m stage.Model) bool { return m.ID == o.Model })
	if i < 0 || len(pictures) == 0 {
		return q, files
	}
	var parts []string
	for part, look := range q.Stage.Models[i].Looks {
		if p.Look(look) != nil && (len(o.Parts) == 0 || slices.Contains(o.Parts, part)) {
			parts = append(parts, part)
		}
	}
	data := len(o.Outputs) > 0 && o.Outputs[0].Data
	for k, pic := range pictures {
		sum := fmt.Sprintf("%x", sha256.Sum256(pic.Data))
		files[sum] = pic.Data
		set := map[string]any{"picture": sum}
		if data {
			set["holds"] = "data"
		}
		id := fmt.Sprint("baked", k)
		q.Looks = append(q.Looks, project.Look{ID: id, Name: "Baked", Network: network.Network{Nodes: []network.Node{{ID: "image", Kind: "image", Set: set},
			{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": {Wires: []network.Ref{{Node: "image", Port: "colour"}}}, "opacity": {Wires: []network.Ref{{Node: "image", Port: "alpha"}}}}}}}})
	}
	for _, part := range parts {
		n := 0
		if o.Apart {
			n = max(0, slices.IndexFunc(pictures, func(f File) bool {
				of := names.FileName(q.Stage.Models[i].Name+" "+part, "")
				return f.Name == of || strings.HasPrefix(f.Name, of+" ")
			}))
		}
		q.Stage.Models[i].Looks[part] = fmt.Sprint("baked", n)
	}
	return q, files
}

// File is a picture that was baked, under the name of its file.
type File struct {
	Name string
	Data []byte
}
