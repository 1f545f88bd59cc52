package project_test

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/golden"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/core/vec"
)

// What every kind of edit does, and how it is refused, over long rows of them that make
// some sense. Kinds of nodes are those of a fixed list, so that new ones change nothing here.
func TestEditsDoWhatTheyDid(t *testing.T) {
	ops := strings.Fields(`node.add node.add node.add wire wire wire unwire node.remove node.rename node.note node.set node.set node.input node.off node.swap node.replace node.duplicate node.paste
		list.add list.add list.remove list.move list.move list.set list.set list.set list.set ramp.flip ramp.spread ramp.add ramp.add ramp.remove ramp.stop ramp.stop ramp.tighten ramp.fit ramp.colors
		bands.make bands.join bands.leave bands.rename bands.remove section.gather section.dissolve section.set section.move group.make group.make group.dissolve group.single group.set group.remove
		group.expose group.unexpose group.port dial.add dial.add dial.remove dial.set dial.move swatch.add swatch.remove swatch.set swatch.use swatch.use swatch.bring check.dismiss check.restore
		model.add model.add model.remove model.set model.set light.add light.remove light.set light.set light.set camera.set camera.frame backdrop.set time.set
		look.add look.duplicate look.rename look.remove look.replace look.assign look.assign look.wear project.rename`)
	kinds := strings.Fields("blend ramp two-way-ramp soft-step switch layers highlight maths colour-adjust edge-lines facing split formula diffuse-light palette-strip matcap image light-stamp colour")
	values := []any{0.25, 0.75, 1.0, 3.0, 40.0, true, false, "#D4843F", "#102030", "multiply", "vector", "tone", "colour", "soft", "linear", "Shine", "a*2", []any{1.0, 0.5, -2.0},
		map[string]any{"at": 0.3}, map[string]any{"edge": "soft", "softness": 0.1}, map[string]any{"color": "#8F4A35"}, map[string]any{"name": "core"}, map[string]any{"azimuth": 33.0, "distance": 4.0}, map[string]any{"none": true},
		map[string]any{"mode": "multiply", "off": true}, map[string]any{"key": "k2", "name": "Second"}, []any{"#112233", "#445566", "#778899"}, []any{"sun"}, map[string]any{"elevation": 20.0}, map[string]any{"direction": []any{0.0, 1.0, 1.0}}, map[string]any{"length": 2.0}}
	box := &vec.Box{Min: vec.V{-1, -1, -1}, Max: vec.V{1, 1.5, 1}}
	var lines []string
	accepted := map[string]int{}
	for seed := range uint64(16) {
		r := rand.New(rand.NewPCG(seed, 11))
		of := func(list []string) string {
			if len(list) == 0 {
				return ""
			}
			return list[r.IntN(len(list))]
		}
		p := project.New("Sample")
		for step := range 220 {
			look := &p.Looks[r.IntN(len(p.Looks))]
			e := project.Edit{Op: of(ops), Look: look.ID, Kind: of(kinds), Name: of([]string{"", "Shine", "Glaze", "Rim"}), Index: r.IntN(4), Value: values[r.IntN(len(values))], Aspect: 1.6, Box: box}
			net := &look.Network
			if len(p.Groups) > 0 && r.IntN(3) == 0 {
				g := &p.Groups[r.IntN(len(p.Groups))]
				if len(g.Nodes) == 0 {
					continue
				}
				e.Group, net = g.ID, &g.Network
				if !strings.HasPrefix(e.Op, "group.") {
					e.Look = ""
				}
			}
			cat := p.Catalogue()
			var nodes, things []string
			for i := range net.Nodes {
				nodes = append(nodes, net.Nodes[i].ID)
			}
			d := &net.Nodes[r.IntN(len(net.Nodes))]
			spec := cat.Of(d)
			var ins, outs, sets, keys []string
			for _, in := range spec.Inputs {
				ins = append(ins, in.Key)
			}
			for _, s := range spec.Settings {
				sets = append(sets, s.Key)
			}
			other := &net.Nodes[r.IntN(len(net.Nodes))]
			for _, o := range cat.Of(other).Outputs {
				outs = append(outs, o.Key)
			}
			e.Node, e.Nodes = d.ID, []string{d.ID, of(nodes), of(nodes)}
			e.From, e.To = other.ID+"."+of(outs), d.ID+"."+of(ins)
			keys = append(append(keys, ins...), sets...)
			e.Key = of(keys)
			value := func(s *network.Setting) any {
				switch s.Type {
				case network.Number:
					return s.Min + (s.Max-s.Min)*float64(1+r.IntN(3))/4
				case network.Choice:
					return s.Choices[r.IntN(len(s.Choices))].Key
				case network.Toggle:
					return r.IntN(2) == 0
				case network.Swatch:
					return "#8F4A35"
				case network.Lights:
					return []any{"sun"}
				}
				return e.Value
			}
			like := func(types ...network.SettingType) bool { // a node that has a setting of such a type
				for _, i := range r.Perm(len(net.Nodes)) {
					for _, s := range cat.Of(&net.Nodes[i]).Settings {
						if slices.Contains(types, s.Type) {
							e.Node, e.Key = net.Nodes[i].ID, s.Key
							return true
						}
					}
				}
				return false
			}
			if r.IntN(5) > 0 || e.Op == "camera.set" { // whose fields have no order
				switch e.Op {
				case "node.set":
					if len(sets) > 0 {
						s := &spec.Settings[r.IntN(len(sets))]
						e.Key, e.Value = s.Key, value(s)
					}
				case "node.input":
					if len(ins) > 0 {
						e.Key, e.Value = of(ins), []any{0.5, "#D4843F", 0.25}[r.IntN(3)]
					}
				case "node.swap":
					e.From, e.To = "", ""
				case "camera.set":
					e.Value = map[string]any{of(strings.Fields("azimuth elevation distance angle")): 10 + 30*r.Float64()}
				case "backdrop.set":
					e.Key, e.Value = "color", "#224466"
				case "time.set":
					e.Key, e.Value = of(strings.Fields("at length rate")), float64(1+r.IntN(4))
				case "group.expose":
					e.Key = of(append(append([]string{}, ins...), sets...))
				}
			}
			if e.Op == "unwire" {
				e.From = ""
				for _, in := range spec.Inputs {
					if w := d.In[in.Key].Wires; len(w) > 0 && r.IntN(2) == 0 {
						e.To, e.From = d.ID+"."+in.Key, []string{"", w[0].String()}[r.IntN(2)]
					}
				}
			}
			switch group := strings.Split(e.Op, ".")[0]; group {
			case "section":
				for i := range net.Sections {
					things = append(things, net.Sections[i].ID)
				}
				e.Key = of([]string{"name", "note", "folded"})
			case "dial":
				for i := range net.Dials {
					things = append(things, net.Dials[i].ID)
				}
				if e.Op == "dial.set" {
					e.Key, e.Value = of([]string{"name", "min", "max", "place"}), float64(r.IntN(4))/4
				}
			case "swatch":
				for i := range p.Swatches {
					things = append(things, p.Swatches[i].ID)
				}
				if e.Op == "swatch.use" && (r.IntN(2) == 0 || !like(network.Swatch)) {
					like(network.Stops)
				}
				if e.Op == "swatch.set" {
					e.Key = of([]string{"name", "color"})
				}
				if e.Op == "swatch.bring" {
					e.Colors = []project.Swatch{{Name: "a", Color: color.MustHex("#123456")}, {Name: "b", Color: color.MustHex("#ABCDEF")}}
				}
			case "ramp", "bands", "list":
				for i := range p.BandSets {
					things = append(things, p.BandSets[i].ID)
				}
				if group == "list" {
					if !like(network.Named, network.Stack, network.Arguments, network.Rows) {
						continue
					}
				} else {
					like(network.Stops)
				}
				switch e.Op {
				case "list.set":
					e.Key, e.Index = of(strings.Fields("name mode off at type")), r.IntN(2)
					e.Value = map[string]any{"name": "tau", "mode": "multiply", "off": true, "at": 0.4, "type": "vector"}[e.Key]
				case "list.move":
					e.Index, e.Value = r.IntN(2), float64(r.IntN(2))
				case "bands.leave":
					for i := range net.Nodes {
						for key := range net.Nodes[i].Bands {
							e.Node, e.Key = net.Nodes[i].ID, key
						}
					}
				case "ramp.add":
					e.Value = r.Float64()
				case "ramp.stop":
					e.Value = values[18+r.IntN(4)]
				case "ramp.tighten":
					e.Value = 1 - r.Float64()/2
				case "ramp.fit":
					e.Value = []any{0.1, 0.4, 0.9}
				case "ramp.colors":
					e.Colors = []project.Swatch{{Name: "a", Color: color.MustHex("#123456")}, {Name: "b", Color: color.MustHex("#ABCDEF")}}
				}
			case "check":
				e.ID = "bare/model1"
			case "model", "look":
				for i := range p.Stage.Models {
					things = append(things, p.Stage.Models[i].ID)
				}
				e.Part = of([]string{"", "Sphere", "Cube"})
				if e.Op == "model.set" {
					e.Key = of([]string{"name", "scale", "at", "turn", "steps", "creases", "angle", "made"})
				}
				if e.Op == "model.add" {
					e.Kind = of([]string{"sphere", "cube", "plane", "torus"})
				}
				if e.Op == "look.wear" {
					e.ID = of([]string{"look1", "look2"})
				}
			case "light":
				for i := range p.Stage.Lights {
					things = append(things, p.Stage.Lights[i].ID)
				}
				e.Key = of(strings.Fields("name kind azimuth elevation strength size height reach at color below shadows fade blend part direction"))
				e.Kind = of(strings.Fields("sun point disc rectangle sky headlamp"))
				if e.Key == "kind" {
					e.Value = e.Kind
				}
			case "group":
				if len(p.Groups) == 0 && e.Op != "group.make" {
					continue
				}
				if len(p.Groups) > 0 {
					g := &p.Groups[r.IntN(len(p.Groups))]
					shown := g.Inputs
					if e.Kind = ""; r.IntN(2) == 0 {
						shown, e.Kind = g.Outputs, "output"
					}
					for _, x := range shown {
						things = append(things, x.Key)
					}
					if e.Op != "group.make" {
						e.Group = g.ID
					}
					if e.Op == "group.expose" && len(g.Nodes) > 0 {
						d := &g.Nodes[r.IntN(len(g.Nodes))]
						if in := cat.Of(d).Inputs; len(in) > 0 {
							e.Node, e.Key = d.ID, in[r.IntN(len(in))].Key
						}
					}
					if e.Op == "group.set" || e.Op == "group.port" {
						e.Key, e.Value = of([]string{"name", "note", "min", "max"}), float64(r.IntN(4))/4
					}
					if e.Op == "group.dissolve" || e.Op == "group.single" {
						e.Group = ""
						for i := range look.Nodes {
							if look.Nodes[i].Kind == network.GroupPrefix+g.ID {
								e.Node = look.Nodes[i].ID
							}
						}
					}
				}
			}
			if e.ID == "" {
				e.ID = of(things)
			}
			if e.Op == "node.add" && r.IntN(6) == 0 && len(p.Groups) > 0 {
				e.Kind = network.GroupPrefix + p.Groups[r.IntN(len(p.Groups))].ID
			}
			if e.Op == "node.add" && r.IntN(2) == 0 {
				e.From, e.To = "", ""
			}
			if e.Op == "look.add" || e.Op == "look.replace" || e.Op == "node.paste" {
				n := look.Network.Clone()
				e.Network, e.Groups = &n, p.UsedGroups(&n)
			}
			q := p.Clone()
			o, err := q.Apply(&e)
			if err != nil {
				lines = append(lines, fmt.Sprintf("%d/%d %s refused: %v", seed, step, e.Op, err))
				continue
			}
			accepted[e.Op]++
			data, err := json.Marshal(q)
			require.NoError(t, err)
			h := fnv.New32a()
			h.Write(data)
			lines = append(lines, fmt.Sprintf("%d/%d %s: %s. %s%s%v %08x", seed, step, e.Op, o.Label, o.Note, o.Created, o.Several, h.Sum32()))
			if p = q; len(data) > 30_000 {
				p = project.New("Sample")
			}
		}
	}
	var never []string
	for _, op := range ops {
		if accepted[op] < 2 {
			never = append(never, op)
		}
	}
	require.Empty(t, never, "each is done more than once")
	golden.Text(t, "edits", lines)
}
