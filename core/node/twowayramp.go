package node

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
)

// RowStops is the key of the setting that holds the stops of a row.
func RowStops(row string) string { return "stops-" + row }

var _ = register(310, &Kind{
	Spec: network.Spec{
		Kind: "two-way-ramp", Name: "Two-way ramp", Family: "tone",
		Purpose: "Several ramps, one above the other: the tone runs across them, a second tone chooses between them.",
		Words:   []string{"2d ramp", "ramp texture", "x-toon", "depth toning", "lookup", "bands", "gradient"},
		Source:  "Tone across and any second tone down, such as depth or facing (Barla, Thollot and Markosian 2006).",
		Inputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "down", Name: "down", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "0 is the first row, 1 the last."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: []network.Setting{
			{Key: "rows", Name: "Rows", Type: network.Rows, Default: []network.Row{{Key: "a", Name: "Near", At: 0}, {Key: "b", Name: "Far", At: 1}}},
			{Key: "between", Name: "Between rows", Type: network.Choice, Default: "blend", Choices: []network.Option{{Key: "blend", Name: "Blended"}, {Key: "step", Name: "Stepped"}}},
			{Key: "mixing", Name: "Mixing", Type: network.Choice, Default: string(color.MixLinear), Choices: mixings()},
		},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		all := s.Settings[:len(s.Settings):len(s.Settings)]
		for i, r := range d.Value(s.Setting("rows")).([]network.Row) {
			all = append(all, network.Setting{Key: RowStops(r.Key), Name: r.Name, Type: network.Stops, Default: rowStops(i)})
		}
		s.Settings = all
	},
	Prepare: func(get func(string) any) any {
		d := twoWay{step: get("between") == "step"}
		mixing := color.Mixing(get("mixing").(string))
		for _, r := range get("rows").([]network.Row) {
			d.rows = append(d.rows, rampRow{float32(r.At), color.NewRamp(get(RowStops(r.Key)).([]color.Stop), mixing)})
		}
		sort.SliceStable(d.rows, func(i, j int) bool { return d.rows[i].at < d.rows[j].at })
		return d
	},
	Brief: func(a *About) string { return Counted(len(a.Setting("rows").([]network.Row)), "row") },
	Cut: &Cut{
		Input: "tone", Beside: "down",
		Edges: func(a *About, down float32) (out []Edges) {
			for _, key := range RowsAt(a.Setting("rows").([]network.Row), down) {
				out = append(out, stopEdges(a, key))
			}
			return out
		},
		Note: func(a *About, in []float32) string {
			rows := RowsAt(a.Setting("rows").([]network.Row), in[1])
			if len(rows) == 0 {
				return ""
			}
			if a.Setting("between") == "step" {
				rows = rows[:1]
			}
			var parts []string
			for _, key := range rows {
				parts = append(parts, a.Spec.Setting(key).Name+": "+bandOf(a.Setting(key).([]color.Stop), in[0]))
			}
			return fmt.Sprintf("%s, %s down, falls into %s", Short(float64(in[0])), Short(float64(in[1])), strings.Join(parts, "; "))
		},
		Hard: hardStops,
	},
	GLSL: func(g *GLSL) {
		d := g.Data.(twoWay)
		mixing := color.Mixing(g.Choice("mixing"))
		t, down := g.Let("float", "%s", g.In("tone")), g.Let("float", "%s", g.In("down"))
		rows := slices.Clone(g.get("rows").([]network.Row))
		slices.SortStableFunc(rows, func(a, b network.Row) int { return cmp.Compare(a.At, b.At) })
		out := g.Let("vec3", "vec3(0.0)")
		to, from := "%s", "%s"
		switch mixing {
		case color.MixSRGB:
			g.Use("srgb")
			to, from = "encoded(%s)", "decoded(%s)"
		case color.MixOklab:
			g.Use("oklab")
			to, from = "oklab(%s)", "fromOklab(%s)"
		}
		for i, r := range rows {
			name := g.Ramp(RowStops(r.Key), g.get(RowStops(r.Key)).([]color.Stop), mixing)
			at := Float(float64(d.rows[i].at))
			here := fmt.Sprintf("%s(%s)", name, t)
			if i == 0 {
				g.Do("%s = %s;", out, here)
			} else {
				g.Do("if (%s >= %s) %s = %s;", down, at, out, here)
			}
			if !d.step && i+1 < len(rows) {
				next := d.rows[i+1].at
				beside := fmt.Sprintf("%s(%s)", g.Ramp(RowStops(rows[i+1].Key), g.get(RowStops(rows[i+1].Key)).([]color.Stop), mixing), t)
				g.Do("if (%s > %s && %s < %s) %s = "+from+";", down, at, down, Float(float64(next)), out, fmt.Sprintf("mix("+to+", "+to+", (%s - %s) / %s)", here, beside, down, at, Float(float64(next-d.rows[i].at))))
			}
		}
		g.Out("colour", "%s", out)
	},
	MaterialX: func(m *MaterialX) {
		d := m.Data.(twoWay)
		rows := slices.Clone(m.get("rows").([]network.Row))
		slices.SortStableFunc(rows, func(a, b network.Row) int { return cmp.Compare(a.At, b.At) })
		var c XArg
		for i, r := range rows {
			here := m.Ramp(m.get(RowStops(r.Key)).([]color.Stop), color.Mixing(m.Choice("mixing")), m.In("tone"))
			switch {
			case i == 0:
				c = here
			case d.step:
				c = m.AtLeast(m.In("down"), XNumber(r.At), here, c)
			default:
				t := m.Clamped(m.Put("remap", XFloat, "in", m.In("down"), "inlow", XNumber(rows[i-1].At), "inhigh", XNumber(r.At)))
				c = m.Put("mix", XColor, "fg", here, "bg", c, "mix", t)
			}
		}
		if c.Node == "" {
			m.Cannot("it has no rows")
			return
		}
		m.Out("colour", c)
	},
	Run: func(c *Call) {
		d := c.Data.(twoWay)
		out, tone, down := c.Out[0], c.In[0][0], c.In[1][0]
		for i := range c.N {
			k := 0
			for k+1 < len(d.rows) && down[i] >= d.rows[k+1].at {
				k++
			}
			var col color.C
			if len(d.rows) > 0 {
				col = d.rows[k].ramp.At(tone[i])
			}
			if !d.step && k+1 < len(d.rows) && down[i] > d.rows[k].at {
				a, b := d.rows[k].at, d.rows[k+1].at
				col = d.rows[k].ramp.Blend(d.rows[k+1].ramp, tone[i], (down[i]-a)/(b-a))
			}
			out[0][i], out[1][i], out[2][i] = col[0], col[1], col[2]
		}
	},
})

// RowsAt returns the settings that hold the stops which show where the second tone
// is down: those of the row at or before it, and of the next where it lies between.
func RowsAt(rows []network.Row, down float32) []string {
	sorted := slices.Clone(rows)
	slices.SortStableFunc(sorted, func(a, b network.Row) int { return cmp.Compare(a.At, b.At) })
	k := 0
	for k+1 < len(sorted) && float64(down) >= sorted[k+1].At {
		k++
	}
	var out []string
	if k < len(sorted) {
		out = append(out, RowStops(sorted[k].Key))
	}
	if k+1 < len(sorted) && float64(down) > sorted[k].At {
		out = append(out, RowStops(sorted[k+1].Key))
	}
	return out
}

type twoWay struct {
	rows []rampRow
	step bool
}

type rampRow struct {
	at   float32
	ramp *color.Ramp
}

// rowStops are the stops of a new row: bands that show, paler from row to row.
func rowStops(i int) []color.Stop {
	rows := [][]string{{"#2B2D38", "#7A5140", "#D4843F", "#F8D79B"}, {"#3A4150", "#66737F", "#93A1A8", "#C3CBCB"}}
	row := rows[min(i, 1)]
	out := make([]color.Stop, len(row))
	for k, hex := range row {
		out[k] = color.Stop{At: float32(k) / float32(len(row)), Color: color.MustHex(hex), Edge: color.Step}
	}
	return out
}

// mixings are the spaces in which ramps blend.
func mixings() []network.Option {
	return []network.Option{{Key: string(color.MixLinear), Name: "Linear light"}, {Key: string(color.MixSRGB), Name: "sRGB"}, {Key: string(color.MixOklab), Name: "OKLab"}}
}
