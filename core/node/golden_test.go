package node_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/golden"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// stillLife is a ball, a block and a ring under a light of every kind.
func stillLife(t *testing.T) *stage.Scene {
	st := stage.New()
	st.Lights = nil
	for i, kind := range light.Kinds {
		l := stage.NewLight(fmt.Sprint("l", i), string(kind), kind)
		l.Azimuth, l.Elevation = float64(20+50*i), float64(15+12*i)
		l.At = vec.V{float32(i) - 2, 1.5, 2.5 - float32(i)/3}
		l.Strength, l.Color, l.Size = 0.4, color.C{1, 0.9 - float32(i)/10, 0.5 + float32(i)/12}, 0.5
		l.Shadows = i%2 == 0
		st.Lights = append(st.Lights, l)
	}
	st.Camera.Azimuth, st.Camera.Elevation = 25, 20
	st.Time = stage.Time{At: 1.5, Length: 4, Rate: 24}
	return stagetest.With(t, &st, mesh.Sphere(1, 24, 12), mesh.Cuboid(vec.V{0.6, 2.6, 0.5}), mesh.Torus(1.4, 0.25, 32, 12))
}

// What every kind of node gives on a small still life, with each of its choices, with its
// numbers low and high, with inputs wired and typed: a few values of each output.
func TestNodesGiveWhatTheyGave(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	b := on(t, stillLife(t))
	b.ask.Files = pictures{}
	for _, k := range cat.All() {
		if k.Spec.Kind == network.FinishKind {
			continue
		}
		var lines []string
		type variant struct {
			name string
			set  map[string]any
		}
		variants := []variant{{"as it comes", nil}}
		for i := range k.Spec.Settings {
			s := &k.Spec.Settings[i]
			put := func(v any) {
				variants = append(variants, variant{fmt.Sprint(s.Key, "=", v), map[string]any{s.Key: v}})
			}
			switch s.Type {
			case network.Picture:
				put(pictureHash)
			case network.Choice:
				for _, c := range s.Choices {
					put(c.Key)
				}
			case network.Toggle:
				put(s.Default != true)
			case network.Number:
				put(s.Min + (s.Max-s.Min)/8)
				put(s.Min + (s.Max-s.Min)*0.7)
			case network.Lights:
				put([]any{"l1", "l4"})
			}
		}
		for v, variant := range variants {
			if s := k.Spec.Setting("picture"); s != nil && v > 0 {
				variant.set["picture"] = pictureHash
			}
			for wired := range 2 {
				r := rand.New(rand.NewPCG(uint64(v), uint64(wired)))
				n := &network.Network{Nodes: []network.Node{
					{ID: "tone", Kind: "facing"}, {ID: "place", Kind: "coordinates"},
					{ID: "paint", Kind: "blend", In: map[string]network.Input{"base": {Value: color.C{0.1, 0.6, 0.9}}, "over": {Value: color.C{1.4, 0.2, 0}}, "amount": {Wires: []network.Ref{{Node: "tone"}}}}},
					{ID: "x", Kind: k.Spec.Kind, Set: variant.set, In: map[string]network.Input{}}}}
				spec := cat.Of(&n.Nodes[3])
				for _, p := range spec.Inputs {
					switch {
					case p.Type == network.Lines:
					case wired == 1:
						from := map[network.Type]string{network.Tone: "tone", network.Color: "paint", network.Vector: "place"}[p.Type]
						n.Nodes[3].In[p.Key] = network.Input{Wires: []network.Ref{{Node: from}}}
					case p.Type == network.Tone && !p.Hidden:
						n.Nodes[3].In[p.Key] = network.Input{Value: math.Round(100*(p.Min+(min(p.Max, p.Min+2)-p.Min)*r.Float64())) / 100}
					case p.Type == network.Color && !p.Hidden:
						n.Nodes[3].In[p.Key] = network.Input{Value: color.C{r.Float32(), r.Float32(), 1.2 * r.Float32()}}
					}
				}
				head := k.Spec.Kind + " " + variant.name + map[int]string{0: ", typed", 1: ", wired"}[wired]
				if err := n.Settle(cat); err != nil {
					lines = append(lines, head+": "+err.Error())
					continue
				}
				p, err := eval.Compile(n, cat)
				require.NoError(t, err)
				for _, o := range cat.Of(n.Node("x")).Outputs {
					target, _, err := p.Output(network.Ref{Node: "x", Port: o.Key})
					require.NoError(t, err)
					planes, err := p.Run(context.Background(), eval.Env{Points: b.set, Scene: b.ask, Workers: 2}, []eval.Target{target})
					require.NoError(t, err, head)
					lines = append(lines, fmt.Sprintf("%s, %s: %s", head, o.Key, few(planes[0], b.set.N)))
				}
			}
		}
		golden.Text(t, filepath.Join("kinds", k.Spec.Kind), lines)
	}
}

// few prints the mean of each plane and its values at some points, to three digits.
func few(planes []node.Plane, n int) string {
	var out []string
	for _, p := range planes {
		if p == nil {
			continue
		}
		sum := 0.0
		for _, v := range p[:n] {
			sum += float64(v)
		}
		line := fmt.Sprintf("%.3f:", sum/float64(n))
		for k := range 9 {
			line += fmt.Sprintf(" %.3f", p[(2*k+1)*n/18])
		}
		out = append(out, strings.ReplaceAll(line, "-0.000", "0.000"))
	}
	return strings.Join(out, " | ")
}
