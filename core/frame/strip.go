package frame

import (
	"maps"
	"math"
	"slices"
	"sync"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// stripID is what the strip's model, light, look and added node are called.
const stripID = "strip"

// stripOff is how far the strip lies before the middle of its space, in its length: noise is 0
// wherever its cells meet, and would be pale along a plane of them.
const stripOff = 0.031

// Strip returns what draws a node's main output at its size: on a flat strip of w × h pixels that
// is as long as the model's diagonal, seen from straight before it, its middle the middle of the
// model's space. A normal is shown as light from the upper left makes it. net is a look's network,
// flat; id the node in it. old is the scene of the strip before; it may be nil.
func Strip(net *network.Network, id string, files stage.Files, w, h, lines int, old *stage.Scene) (scene.Job, error) {
	sun := stage.NewLight(stripID, "Sun", light.Sun)
	sun.Azimuth, sun.Elevation, sun.Shadows = -55, 35, false
	half := stripLong * float64(h) / float64(w) / 2
	st := stage.Stage{
		Models:   []stage.Model{{ID: stripID, Name: stripID, Scale: 1, Looks: map[string]string{stripID: stripID}}},
		Lights:   []stage.Light{sun},
		Camera:   stage.Camera{Target: vec.V{0, 0, stripOff}, Distance: 1, Angle: float32(2 * math.Atan(half) * 180 / math.Pi), Ortho: true},
		Backdrop: stage.Backdrop{Color: color.C{}},
	}
	sc, err := stage.NewScene(&st, stripFiles{files}, old)
	if err != nil {
		return scene.Job{}, err
	}
	var cat node.Catalogue
	n := net.Node(id)
	ref := network.Ref{Node: id, Port: cat.Of(n).Outputs[0].Key}
	added := network.Network{Nodes: []network.Node{{ID: "lit", Kind: "diffuse-light"}, {ID: "end", Kind: network.FinishKind},
		{ID: "page", Kind: "coordinates", Set: map[string]any{"space": "page"}},
		{ID: "tones", Kind: "gradient", In: map[string]network.Input{"from": {Value: [3]float64{}}, "to": {Value: [3]float64{float64(w) / float64(h), 0, 0}}}}}}
	if err := added.Settle(cat); err != nil {
		return scene.Job{}, err
	}
	for i := range added.Nodes {
		added.Nodes[i].ID = stripID + "/" + added.Nodes[i].ID // no look calls its own nodes so
	}
	lit, end, page, tones := added.Nodes[0], added.Nodes[1], added.Nodes[2], added.Nodes[3]
	lit.In = map[string]network.Input{"normal": {Wires: []network.Ref{ref}}}
	nodes := slices.DeleteFunc(slices.Clone(net.Nodes), func(d network.Node) bool { return d.Kind == network.FinishKind })
	if nodes = append(nodes, end); cat.Of(n).Family == "relief" {
		nodes, ref = append(nodes, lit), network.Ref{Node: lit.ID, Port: "tone"}
	}
	if node.StripOf(n) == node.OnPage {
		tones.In["place"] = network.Input{Wires: []network.Ref{{Node: page.ID, Port: "vector"}}}
		nodes = append(nodes, page, tones)
		print(nodes, n, network.Ref{Node: tones.ID, Port: "tone"}, float64(h)/float64(lines))
	}
	return scene.Job{Scene: sc, Looks: map[string]*network.Network{stripID: {Nodes: nodes}}, W: w, H: h, Samples: 4, Peek: &scene.Peek{Look: stripID, Ref: ref}}, nil
}

// print gives the pattern n, and the bands that it is printed over, all tones in place of what they
// read, and makes it as fine as on a page of which the strip is so much high.
func print(nodes []network.Node, n *network.Node, tones network.Ref, high float64) {
	var cat node.Catalogue
	wire := []network.Ref{tones}
	was := n.In["tone"].Wires
	for i := range nodes {
		d := &nodes[i]
		own := d.ID == n.ID
		if d.In = maps.Clone(d.In); d.In == nil {
			d.In = map[string]network.Input{}
		}
		for key, in := range d.In {
			if len(was) == 1 && slices.Equal(in.Wires, was) {
				d.In[key] = network.Input{Wires: wire}
			}
		}
		if !own {
			continue
		}
		d.In["tone"] = network.Input{Wires: wire}
		key := node.ConcernsOf(d).Printed
		if laid := d.Value(cat.Of(d).Setting("laid")); key != "" && laid != "uv" && laid != "sides" && len(d.In[key].Wires) == 0 && len(d.In["place"].Wires) == 0 {
			d.In[key] = network.Input{Value: d.Constant(cat.Of(d).Input(key)).(float64) * high}
			d.Set = maps.Clone(d.Set)
			d.Choose("laid", "page")
		}
	}
}

// stripFiles gives the strip in place of all models.
type stripFiles struct{ stage.Files }

// stripHigh is how high the strip is, which is more than is shown of it, and stripLong how long,
// its diagonal being 1.
const (
	stripHigh = 0.1
	stripLong = 0.99498743710662
)

func (stripFiles) Surface(*stage.Model) (*mesh.Surface, error) { return stripSurface() }

var stripSurface = sync.OnceValues(func() (*mesh.Surface, error) {
	m := mesh.Grid(stripID, 1, 1, func(u, v float64) vec.V {
		return vec.V{float32((u - 0.5) * stripLong), float32((v - 0.5) * stripHigh), stripOff}
	})
	for i := range m.UVs { // as fine across as along
		m.UVs[i][1] *= stripHigh
	}
	return mesh.NewSurface(m, 180)
})
