package scene

import (
	"mobanta/core/network"
	"mobanta/core/stage"
)

// A floor that shows shadows alone is a wide plane that wears a look of its own: dark where something stands before the
// lights, nothing elsewhere. So it needs nothing that other models have not.

// floored returns a stage with its floor as a model, and the looks with that floor's; both as they are where there is none.
func floored(st *stage.Stage, looks map[string]*network.Network) (*stage.Stage, map[string]*network.Network) {
	b := &st.Backdrop
	if !b.Floor || !(b.FloorSize > 0) {
		return st, looks
	}
	out := *st
	out.Models = append(append([]stage.Model{}, st.Models...), stage.Model{ID: stage.FloorID, Name: "Floor", Solid: "plane", At: b.FloorAt, Scale: b.FloorSize,
		Looks: map[string]string{"Plane": stage.FloorID}})
	all := map[string]*network.Network{stage.FloorID: floorLook(b)}
	for id, n := range looks {
		all[id] = n
	}
	return &out, all
}

func floorLook(b *stage.Backdrop) *network.Network {
	deep := b.Deep
	if deep == 0 {
		deep = stage.DefaultDeep
	}
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	return &network.Network{Nodes: []network.Node{
		{ID: "open", Kind: "cast-shadow"},
		{ID: "cover", Kind: "range", In: map[string]network.Input{"value": wire("open.tone"), "to-low": {Value: deep}, "to-high": {Value: 0.0}}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": {Value: b.Shade}, "opacity": wire("cover.value")}},
	}}
}
