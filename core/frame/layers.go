package frame

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/film"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/openraster"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Layer is one of the layers that a picture is put together from. It is packed as soon as it is made: there may be a hundred.
type Layer = openraster.Layer

// maxMasks limits the bands of which masks are made.
const maxMasks = 96

// Layers returns the layers of a picture, the lowest first: backdrop, flat colour of each look, what is darker, what is lighter,
// patterns, each set of lines, glow; and hidden ones with each band as a mask. Laid over each other in sRGB, as painting
// programs do, they are the picture, to 1 of 255. A press is left out: it has plates.
func (e *Easel) Layers(ctx context.Context, p *project.Project, files stage.Files, o Order) (layers []Layer, merged *image.NRGBA, err error) {
	moment, job, err := e.job(p, files, o)
	if err != nil {
		return nil, nil, err
	}
	l := layering{ctx: ctx, easel: e, job: job, stage: *job.Scene.Stage, names: map[string]string{}}
	l.stage.Press.On = false
	l.films = l.count()
	for i := range moment.Looks {
		l.names[moment.Looks[i].ID] = moment.Looks[i].Name
	}
	if err := l.run(); err != nil {
		return nil, nil, err
	}
	return l.out, l.below, nil
}

// layering is layers in the making.
type layering struct {
	ctx   context.Context
	easel *Easel
	job   scene.Job
	stage stage.Stage
	names map[string]string // of looks
	out   []Layer
	below *image.NRGBA // what the layers so far come to

	films, drawn int // how many are drawn in all, about, and so far
}

// count returns how many films the layers take: of bare looks, flat colours, all together, each set of lines, and bands three at
// a time.
func (l *layering) count() int {
	n := 4
	for _, look := range l.worn() {
		n++
		net := l.job.Looks[look]
		n += len(net.Finish().In["lines"].Wires)
		for i := range net.Nodes {
			if d := &net.Nodes[i]; node.ConcernsOf(d).Bands != "" {
				if stops, ok := d.Value(node.Catalogue{}.Of(d).Setting(node.ConcernsOf(d).Bands)).([]color.Stop); ok {
					n += (len(stops) + 2) / 3
				}
			}
		}
	}
	return n
}

// looks returns the job's networks, each changed by f.
func (l *layering) looks(f func(id string, n *network.Network) *network.Network) map[string]*network.Network {
	out := map[string]*network.Network{}
	for id, n := range l.job.Looks {
		c := n.Clone()
		out[id] = f(id, &c)
	}
	return out
}

// film draws what the networks come to.
func (l *layering) film(looks map[string]*network.Network) (*film.Film, error) {
	job := l.job
	job.Looks = looks
	whole := NewWhole(job.W, job.H)
	tell := l.easel.renderer.Told // of the whole of the layers, not of each film
	l.easel.Tell(nil)
	defer l.easel.Tell(tell)
	defer func() { l.drawn++ }()
	parts := Parts(job.W, job.H)
	for k, area := range parts {
		if tell != nil && l.films > 0 {
			tell(min(1, (float64(l.drawn)+float64(k)/float64(len(parts)))/float64(l.films)))
		}
		job.Area = image.Rectangle{}
		if area != whole.film.Bounds() {
			job.Area = area
		}
		if err := l.easel.renderer.Render(l.ctx, job, func(*picture.Result) {}); err != nil {
			return nil, err
		}
		part := Part{Area: area}
		part.Pix, part.Shine = l.easel.renderer.Part(area)
		if err := whole.Put(&part); err != nil {
			return nil, err
		}
	}
	return &whole.film, nil
}

// developed returns a film as bytes, with the glow or without.
func (l *layering) developed(f *film.Film, glow bool) (*image.NRGBA, error) {
	job, sc, st := l.job, *l.job.Scene, l.stage
	st.Glow.On = st.Glow.On && glow
	sc.Stage = &st
	job.Scene = &sc
	res, err := l.easel.renderer.Developed(l.ctx, job, f)
	if err != nil {
		return nil, err
	}
	img := image.NewNRGBA(f.Bounds())
	res.RGBA(img.Pix, f.Bounds())
	return img, nil
}

// add puts a layer on top that makes of what is below what is to be: its cover is at least as natural says, and as much more
// as it takes for its colours to be colours. Where there is no backdrop and more is covered than before, what is covered in part
// is put right by a second one.
func (l *layering) add(name string, to *image.NRGBA, natural func(i int) float32) error {
	if !l.wider(to) {
		return l.put(Layer{Name: name, Within: l.stage.Backdrop.None}, to, natural)
	}
	if err := l.put(Layer{Name: name}, to, natural); err != nil {
		return err
	}
	return l.put(Layer{Name: name + ", at rims", Within: true}, to, natural)
}

// keep puts a layer on top, with what it shows.
func (l *layering) keep(on Layer, pix *image.NRGBA) (err error) {
	if on.PNG, on.At, err = openraster.Pack(pix); err == nil {
		l.out = append(l.out, on)
	}
	return err
}

// wider tells whether a picture covers more than what is below.
func (l *layering) wider(to *image.NRGBA) bool {
	for i := 3; i < len(to.Pix); i += 4 {
		if to.Pix[i] != l.below.Pix[i] {
			return true
		}
	}
	return false
}

func (l *layering) put(on Layer, to *image.NRGBA, natural func(i int) float32) error {
	pix, seen := image.NewNRGBA(to.Rect), false
	for i := 0; i < len(to.Pix); i += 4 {
		b, t := l.below.Pix[i:i+4:i+4], to.Pix[i:i+4:i+4]
		var c [4]byte
		if on.Within || b[3] == 255 {
			c = upon(b, t, natural(i/4))
		} else {
			c = over(b, t)
		}
		if c[3] > 0 {
			copy(pix.Pix[i:], c[:])
			laid(b, c, on.Within)
			seen = true
		}
	}
	if !seen {
		return nil
	}
	return l.keep(on, pix)
}

// over returns the colour that, laid over b, which covers a pixel in part, covers as much of it as t, as near to its colour as
// can be.
func over(b, t []byte) (out [4]byte) {
	ba, ta := float64(b[3])/255, float64(t[3])/255
	// Rather too little than too much: a layer above can cover more, and none less.
	if out[3] = uint8(max(0, min(255, (ta-ba)/(1-ba)*255+0.01))); out[3] == 0 {
		return out
	}
	c := float64(out[3]) / 255
	for k := range 3 {
		v := (float64(t[k])*ta - float64(b[k])*ba*(1-c)) / c
		out[k] = uint8(max(0, min(255, math.Round(v))))
	}
	return out
}

// upon returns the colour that, laid upon what is covered, makes t's colour of b's, with a cover of at least a where it needs any.
func upon(b, t []byte, a float32) (out [4]byte) {
	if b[3] == 0 || [3]byte(b) == [3]byte(t) {
		return out
	}
	cover := max(1.0/255, float64(min(1, a)))
	for k := range 3 {
		d := float64(t[k]) - float64(b[k])
		switch {
		case d > 0:
			cover = max(cover, d/(255-float64(b[k])))
		case d < 0:
			cover = max(cover, -d/float64(b[k]))
		}
	}
	out[3] = uint8(min(255, math.Ceil(cover*255-1e-6)))
	c := float64(out[3]) / 255
	for k := range 3 {
		out[k] = uint8(max(0, min(255, math.Round((float64(t[k])-float64(b[k])*(1-c))/c))))
	}
	return out
}

// laid lays a colour over b, as OpenRaster's svg:src-over does on sRGB bytes, or within what b covers, as svg:src-atop does.
func laid(b []byte, c [4]byte, within bool) {
	ca, ba := float64(c[3])/255, float64(b[3])/255
	if within {
		for k := range 3 {
			b[k] = uint8(math.Round(float64(c[k])*ca + float64(b[k])*(1-ca)))
		}
		return
	}
	a := ca + ba*(1-ca)
	for k := range 3 {
		b[k] = uint8(math.Round((float64(c[k])*ca + float64(b[k])*ba*(1-ca)) / a))
	}
	b[3] = uint8(math.Round(a * 255))
}

// bare takes the lines off a network, plain gives its Finish one colour, alone leaves nothing but some of its lines.
func bare(n *network.Network) *network.Network {
	delete(n.Finish().In, "lines")
	return n
}

func plain(n *network.Network, c color.C) *network.Network {
	n.Finish().Feed("colour", network.Input{Value: c})
	return bare(n)
}

func alone(n *network.Network, lines ...network.Ref) *network.Network {
	plain(n, color.C{})
	f := n.Finish()
	f.Feed("opacity", network.Input{Value: 0.0})
	if len(lines) > 0 {
		f.Feed("lines", network.Input{Wires: lines})
	}
	return n
}

func (l *layering) run() error {
	cover := func(f *film.Film) func(i int) float32 { return func(i int) float32 { return f.Base[4*i+3] } }
	always := func(int) float32 { return 1 }
	even, err := l.film(l.looks(func(_ string, n *network.Network) *network.Network {
		if e := node.Evenly(n); e != nil {
			n = e
			*n = n.Clone()
		}
		return bare(n)
	}))
	if err != nil {
		return err
	}
	if l.below, err = l.developed(&film.Film{W: even.W, H: even.H, Passes: 1, Base: make([]float32, len(even.Base))}, false); err != nil {
		return err
	}
	if !l.stage.Backdrop.None {
		if err := l.keep(Layer{Name: "Backdrop"}, l.below); err != nil {
			return err
		}
	}
	flat, err := l.flat(even)
	if err != nil {
		return err
	}
	to, err := l.developed(flat, false)
	if err != nil {
		return err
	}
	if err := l.add("Flat colour", to, cover(flat)); err != nil {
		return err
	}
	dark := *even // what is darker than the flat colour; the rest flat
	dark.Base = slices.Clone(even.Base)
	for i := 0; i < len(dark.Base); i += 4 {
		if luminance(even.Base[i:]) >= luminance(flat.Base[i:]) {
			copy(dark.Base[i:i+3], flat.Base[i:i+3])
		}
	}
	for _, step := range []struct {
		name string
		film *film.Film
	}{{"Shadow", &dark}, {"Highlight", even}} {
		if to, err = l.developed(step.film, false); err != nil {
			return err
		}
		if err := l.add(step.name, to, cover(even)); err != nil {
			return err
		}
	}
	shown, err := l.film(l.looks(func(_ string, n *network.Network) *network.Network { return bare(n) }))
	if err != nil {
		return err
	}
	if to, err = l.developed(shown, false); err != nil {
		return err
	}
	if err := l.add("Pattern", to, cover(shown)); err != nil {
		return err
	}
	all, err := l.film(l.job.Looks)
	if err != nil {
		return err
	}
	if err := l.lines(shown, all); err != nil {
		return err
	}
	if to, err = l.developed(all, true); err != nil {
		return err
	}
	if l.stage.Glow.On {
		err = l.add("Glow", to, func(int) float32 { return 0 })
	} else {
		err = l.add("Lines, where they meet", to, always)
	}
	if err != nil {
		return err
	}
	return l.masks()
}

func luminance(v []float32) float32 { return color.C{v[0], v[1], v[2]}.Luminance() }

// worn returns the looks that parts wear, in the order of their ids.
func (l *layering) worn() (out []string) {
	for _, part := range l.job.Scene.Parts {
		if l.job.Looks[part.Look] != nil && !slices.Contains(out, part.Look) {
			out = append(out, part.Look)
		}
	}
	slices.Sort(out)
	return out
}

// flat draws each look in the colour that most of what is lit of it has: of two that are as frequent the lighter one.
func (l *layering) flat(even *film.Film) (*film.Film, error) {
	most := map[string]color.C{}
	samples := l.job.Samples
	l.job.Samples = 1
	for _, look := range l.worn() {
		mask, err := l.film(l.looks(func(id string, n *network.Network) *network.Network {
			if id == look {
				return plain(n, color.C{1, 1, 1})
			}
			return plain(n, color.C{})
		}))
		if err != nil {
			return nil, err
		}
		count := map[[3]byte]int{}
		best := 0.0
		for i := 0; i < len(mask.Base); i += 4 {
			if mask.Base[i] < 1 || even.Base[i+3] < 1 {
				continue
			}
			v := even.Base[i : i+3]
			c := [3]byte{color.Byte(v[0]), color.Byte(v[1]), color.Byte(v[2])}
			count[c]++
			if weight := float64(count[c]) * math.Sqrt(float64(max(0, luminance(v)))+0.05); weight > best {
				best, most[look] = weight, color.C(v)
			}
		}
		if _, ok := most[look]; !ok {
			most[look] = color.C{0.5, 0.5, 0.5}
		}
	}
	l.job.Samples = samples
	return l.film(l.looks(func(id string, n *network.Network) *network.Network { return plain(n, most[id]) }))
}

// lines adds the sets of lines, each upon those before it. Where they meet on nothing they cover no more than all is covered: at
// each position they may lie on one another, which their means do not know, and no layer above takes cover away.
func (l *layering) lines(under, all *film.Film) error {
	sum := *under
	sum.Base = slices.Clone(under.Base)
	for _, look := range l.worn() {
		for _, wire := range l.job.Looks[look].Finish().In["lines"].Wires {
			ink, err := l.film(l.looks(func(id string, n *network.Network) *network.Network {
				if id == look {
					return alone(n, wire)
				}
				return alone(n)
			}))
			if err != nil {
				return err
			}
			for i := 0; i < len(sum.Base); i += 4 {
				if a, was := ink.Base[i+3], sum.Base[i+3]; a > 0 && was < 1 && 1-(1-was)*(1-a) > all.Base[i+3] {
					part := max(0, 1-(1-all.Base[i+3])/(1-was)) / a
					for k := range 4 {
						ink.Base[i+k] *= part
					}
				}
				rest := 1 - ink.Base[i+3]
				for k := range 4 {
					sum.Base[i+k] = sum.Base[i+k]*rest + ink.Base[i+k]
				}
			}
			to, err := l.developed(&sum, false)
			if err != nil {
				return err
			}
			name := wire.Node
			if d := l.job.Looks[look].Node(wire.Node); d != nil {
				name = d.Title(node.Catalogue{})
			}
			if err := l.add(fmt.Sprintf("Lines: %s, %s", l.names[look], name), to, func(i int) float32 { return ink.Base[4*i+3] }); err != nil {
				return err
			}
		}
	}
	return nil
}

// masks adds each band of each ramp that is worn, three to a drawing.
func (l *layering) masks() error {
	made := 0
	for _, look := range l.worn() {
		net := l.job.Looks[look]
		for i := range net.Nodes {
			d := &net.Nodes[i]
			key := node.ConcernsOf(d).Bands
			if key == "" {
				continue
			}
			spec := node.Catalogue{}.Of(d)
			stops, ok := d.Value(spec.Setting(key)).([]color.Stop)
			if !ok || len(stops) < 2 || made+len(stops) > maxMasks {
				continue
			}
			made += len(stops)
			for first := 0; first < len(stops); first += 3 {
				f, err := l.film(l.looks(func(id string, n *network.Network) *network.Network {
					if id != look {
						return plain(n, color.C{})
					}
					plain(n, color.C{})
					cut := slices.Clone(stops)
					for k := range cut {
						cut[k].Color = color.C{}
						if k >= first && k < first+3 {
							cut[k].Color[k-first] = 1
						}
					}
					r := n.Node(d.ID)
					r.Choose(key, cut)
					if spec.Setting("mixing") != nil {
						r.Choose("mixing", string(color.MixLinear))
					}
					n.Finish().Feed("colour", network.Input{Wires: []network.Ref{{Node: d.ID, Port: spec.Outputs[0].Key}}})
					return n
				}))
				if err != nil {
					return err
				}
				for k := first; k < min(first+3, len(stops)); k++ {
					if err := l.mask(f, k-first, fmt.Sprintf("Band: %s, %s, %s", l.names[look], d.Title(node.Catalogue{}), bandName(stops, k))); err != nil {
						return err
					}
				}
			}
		}
	}
	return nil
}

// bandName returns what a band is called.
func bandName(stops []color.Stop, k int) string {
	if stops[k].Name != "" {
		return stops[k].Name
	}
	return fmt.Sprint(k + 1)
}

// mask adds a channel of a film as a hidden layer, if anything of it is seen.
func (l *layering) mask(f *film.Film, channel int, name string) error {
	pix := image.NewNRGBA(f.Bounds())
	seen := false
	for i := 0; i < len(pix.Pix); i += 4 {
		if a := uint8(max(0, min(1, f.Base[i+channel]))*255 + 0.5); a > 0 {
			pix.Pix[i], pix.Pix[i+1], pix.Pix[i+2], pix.Pix[i+3] = 255, 255, 255, a
			seen = true
		}
	}
	if !seen {
		return nil
	}
	return l.keep(Layer{Name: name, Hidden: true}, pix)
}

// Passes returns values of a picture as one position in each pixel sees them: light as a tone, the number of the part, how far
// away, and which way the surface turns, as the eye sees it: right, up and towards it, from -1 to 1 as 0 to 1; with how
// much of each pixel shows a model. Three values a pixel, those of a tone three times, and its cover. parts names the
// parts, model first, in the order of their numbers.
func (e *Easel) Passes(ctx context.Context, p *project.Project, files stage.Files, o Order) (values map[string]*Part, parts []string, err error) {
	o.Samples, o.Clear = 1, true
	_, job, err := e.job(p, files, o)
	if err != nil {
		return nil, nil, err
	}
	for _, part := range job.Scene.Parts {
		parts = append(parts, job.Scene.Stage.Models[part.Model].Name+", "+part.Name)
	}
	l := layering{ctx: ctx, easel: e, job: job, films: len(passes)}
	out := map[string]*Part{}
	for name, of := range passes {
		f, err := l.film(l.looks(func(_ string, n *network.Network) *network.Network {
			bare(n)
			d := of.node
			d.ID = "pass of a delivery"
			n.Nodes = append(n.Nodes, d)
			n.Finish().Feed("colour", network.Input{Wires: []network.Ref{{Node: d.ID, Port: of.port}}})
			n.Finish().Feed("opacity", network.Input{Value: 1.0})
			return n
		}))
		if err != nil {
			return nil, nil, err
		}
		if name == "normals" {
			for i := 0; i < len(f.Base); i += 4 {
				for k := range 3 {
					f.Base[i+k] = (f.Base[i+k] + f.Base[i+3]) / 2
				}
			}
		}
		out[name] = &Part{Area: f.Bounds(), Pix: f.Base}
	}
	return out, parts, nil
}

// passes are the nodes that give what Passes returns.
var passes = map[string]struct {
	node network.Node
	port string
}{
	"tone":    {network.Node{Kind: "diffuse-light"}, "tone"},
	"parts":   {network.Node{Kind: "part-values"}, "index"},
	"depth":   {network.Node{Kind: "depth"}, "tone"},
	"normals": {network.Node{Kind: "normal", Set: map[string]any{"space": "eye"}}, "vector"},
}
