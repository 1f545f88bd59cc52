package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/texture"
)

var _ = register(110, &Kind{
	Spec: network.Spec{
		Kind: "cells", Name: "Cells", Family: "texture",
		Purpose: "Space parted into cells: scales, pebbles, cracks, patches of colour, spots.",
		Words:   []string{"voronoi", "worley", "spots", "dots", "scales", "pebbles", "cracks", "cobbles", "crystals", "patches", "mosaic", "cellular", "dried mud", "stained glass", "blotches"},
		Source:  "Worley, A cellular texture basis function (SIGGRAPH 1996); the border exact, by the planes half-way to the centres about.",
		Inputs: []network.Port{placeInput(), sizeInput(0.1, "How large a cell is on average."),
			{Key: "jitter", Name: "jitter", Type: network.Tone, Default: 1.0, Min: 0, Max: 1, Help: "0 is a regular grid, 1 as irregular as can be."},
			{Key: "gain", Name: "gain", Type: network.Tone, Default: 0.5, Min: 0, Max: 1, Help: "With several octaves: how much each finer one counts."},
			seedInput()},
		Outputs: []network.Port{
			{Key: "nearest", Name: "nearest", Type: network.Tone, Help: "How far the middle of the cell is, in sizes."},
			{Key: "edge", Name: "edge", Type: network.Tone, Help: "How far the edge of the cell is, in sizes; or what Edge says."},
			{Key: "id", Name: "number", Type: network.Tone, Help: "A chance number from 0 to 1 for each cell."},
			{Key: "colour", Name: "colour", Type: network.Color, Help: "A chance colour for each cell."},
			{Key: "centre", Name: "centre", Type: network.Vector, Help: "The middle of the cell: what is laid along it is the same all over the cell."}},
		Settings: []network.Setting{
			{Key: "edge", Name: "Edge", Type: network.Choice, Default: "border", Choices: []network.Option{{Key: "border", Name: "Distance to the border"}, {Key: "gap", Name: "Second less nearest"}, {Key: "second", Name: "Second nearest"}}},
			{Key: "measure", Name: "Measure", Type: network.Choice, Default: "straight", Choices: []network.Option{{Key: "straight", Name: "Straight"}, {Key: "blocks", Name: "City blocks"}, {Key: "square", Name: "Square"}}},
			{Key: "octaves", Name: "Octaves", Type: network.Number, Default: 1.0, Min: 1, Max: 8, Help: "Of nearest and edge: how many lie upon each other, each twice as fine."},
		},
	},
	NeedsFor:  laidNeeds,
	Elsewhere: laidElsewhere,
	Concerns:  Concerns{Grain: "size"},
	Prepare: func(get func(string) any) any {
		d := cellsData{edge: get("edge").(string), octaves: int(math.Round(get("octaves").(float64)))}
		d.measure = map[any]texture.Measure{"straight": texture.Straight, "blocks": texture.Blocks, "square": texture.Square}[get("measure")]
		return d
	},
	Ways:  []Way{Masked, Raised, Varied},
	Brief: func(a *About) string { return a.Choice("measure") + ", size " + a.Input("size") },
	Strip: OnLength,
	GLSL: func(g *GLSL) {
		g.Use("cells", "seen")
		d := g.Data.(cellsData)
		at, foot := g.placeIn()
		size := g.Let("float", "max(1e-4, %s)", g.In("size"))
		q, wide := g.Let("vec3", "%s / %s", at, size), g.Let("float", "max(%[1]s.x, max(%[1]s.y, %[1]s.z)) / %[2]s", foot, size)
		seed, jitter := g.Let("ivec3", "seedOf(%s)", g.In("seed")), g.Let("float", "clamp(%s, 0.0, 1.0)", g.In("jitter"))
		one, two, border := texture.Mean(1, d.measure)
		mean := map[string]float32{"border": border, "gap": two - one, "second": two}[d.edge]
		var near string
		first, edge, amount, all := g.Let("float", "0.0"), g.Let("float", "0.0"), g.Let("float", "1.0"), g.Let("float", "0.0")
		for o := range max(1, d.octaves) {
			p := 1 << o
			n := g.Let("Near", "cellsAt(%s * %d.0, %s + %d * NEXT, %s, %d)", q, p, seed, o, jitter, d.measure)
			s := g.Let("float", "seen(%s * %d.0)", wide, p)
			e := map[string]string{"border": n + ".border", "gap": n + ".second - " + n + ".first", "second": n + ".second"}[d.edge]
			g.Do("%s += %s * mix(%s, %s.first, %s); %s += %s * mix(%s, %s, %s); %s += %s; %s *= clamp(%s, 0.0, 1.0);", first, amount, Float(float64(one)), n, s, edge, amount, Float(float64(mean)), e, s, all, amount, amount, g.In("gain"))
			if near == "" {
				near = n
			}
		}
		s := g.Let("float", "seen(%s)", wide)
		g.Out("nearest", "%s / %s", first, all)
		g.Out("edge", "%s / %s", edge, all)
		g.Out("id", "mix(0.5, toneOf(%s.id, 0u), %s)", near, s)
		g.Out("colour", "mix(vec3(0.5), vec3(toneOf(%[1]s.id, 1u), toneOf(%[1]s.id, 2u), toneOf(%[1]s.id, 3u)), %[2]s)", near, s)
		g.Out("centre", "%s + %s.centre * %s * %s", at, near, size, s)
	},
	MaterialX: func(m *MaterialX) {
		d := m.Data.(cellsData)
		m.Leave("its very pattern: the cells there are others of the same kind")
		if d.measure != texture.Straight || d.octaves > 1 {
			m.Leave("measures other than straight, and octaves")
		}
		at := m.Over(m.placeIn(), m.In("size"))
		both := m.Put("worleynoise3d", XUV, "position", at, "jitter", m.In("jitter"))
		first, second := m.Put("extract", XFloat, "in", both, "index", XWhole(0)), m.Put("extract", XFloat, "in", both, "index", XWhole(1))
		m.Out("nearest", first)
		if d.edge == "second" {
			m.Out("edge", second)
		} else if gap := m.Less(second, first); d.edge == "gap" {
			m.Out("edge", gap)
		} else {
			m.Leave("the exact border, in whose place half of the gap stands")
			m.Out("edge", m.Times(gap, XNumber(0.5)))
		}
		id := m.Put("cellnoise3d", XFloat, "position", at)
		m.Out("id", id)
		m.Out("colour", m.Put("combine3", XColor, "in1", id, "in2", m.Put("fract", XFloat, "in", m.Times(id, XNumber(7.13))), "in3", m.Put("fract", XFloat, "in", m.Times(id, XNumber(13.7)))))
		m.Out("centre", m.Times(m.Put("floor", XVector, "in", at), m.In("size")))
	},
	Run: func(c *Call) {
		d := c.Data.(cellsData)
		size, jitter, gain, seeds := c.In[1][0], c.In[2][0], c.In[3][0], c.In[4][0]
		ask := texture.Ask(0)
		if c.Out[1] != nil {
			ask = map[string]texture.Ask{"border": texture.ForBorder, "gap": texture.ForSecond, "second": texture.ForSecond}[d.edge]
		}
		walks := memo(c, func() []texture.Walk { return make([]texture.Walk, max(1, d.octaves)) })
		px, py, pz, wide := c.wide()
		seeded, seed := float32(0), texture.SeedOf(0)
		for i := range c.N {
			s := max(leastSize, size[i])
			k := 1 / s
			if seeds[i] != seeded {
				seeded = seeds[i]
				seed = texture.SeedOf(seeded)
			}
			x, y, z, foot := px[i]*k, py[i]*k, pz[i]*k, wide[i]*k
			seen := texture.Seen(foot)
			near := walks[0].Cells(x, y, z, jitter[i], foot, d.measure, seed, ask)
			first, edge := d.lengths(&near, jitter[i], seen)
			amount, all, next := float32(1), float32(1), seed
			for o := 1; o < d.octaves; o++ {
				amount *= max(0, min(1, gain[i]))
				p := float32(int(1) << o)
				next = next.Next()
				finer := walks[o].Cells(x*p, y*p, z*p, jitter[i], foot*p, d.measure, next, ask)
				a, b := d.lengths(&finer, jitter[i], texture.Seen(foot*p))
				first, edge, all = first+a*amount, edge+b*amount, all+amount
			}
			if out := c.Out[0]; out != nil {
				out[0][i] = first / all
			}
			if out := c.Out[1]; out != nil {
				out[0][i] = edge / all
			}
			if out := c.Out[2]; out != nil {
				out[0][i] = 0.5 + (near.Tone(0)-0.5)*seen
			}
			if out := c.Out[3]; out != nil {
				for a := range 3 {
					out[a][i] = 0.5 + (near.Tone(1+a)-0.5)*seen
				}
			}
			if out := c.Out[4]; out != nil {
				for a, p := range [3]float32{px[i], py[i], pz[i]} {
					out[a][i] = p + near.Centre[a]*s*seen
				}
			}
		}
	},
})

type cellsData struct {
	edge    string
	measure texture.Measure
	octaves int
}

// lengths returns how far middle and edge are, as far as a pixel can show that.
func (d *cellsData) lengths(n *texture.Near, jitter, seen float32) (first, edge float32) {
	first = n.First
	switch d.edge {
	case "border":
		edge = n.Border
	case "gap":
		edge = n.Second - n.First
	default:
		edge = n.Second
	}
	if seen < 1 {
		one, two, border := texture.Mean(jitter, d.measure)
		mean := map[string]float32{"border": border, "gap": two - one, "second": two}[d.edge]
		first, edge = one+(first-one)*seen, mean+(edge-mean)*seen
	}
	return first, edge
}
