package network

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// String prints the network, a node a line, those that are read before those that read
// them where that can be told: its id, its kind, what feeds its inputs, and its settings.
//
//	bands ramp tone<light.tone mixing="oklab"
func (n *Network) String() string {
	order, err := n.Order()
	if err != nil || len(order) != len(n.Nodes) {
		order = make([]int, len(n.Nodes))
		for i := range order {
			order[i] = i
		}
	}
	value := func(v any) string {
		data, err := json.Marshal(v)
		if err != nil {
			return fmt.Sprint(v)
		}
		return string(data)
	}
	var b strings.Builder
	for _, i := range order {
		d := &n.Nodes[i]
		fmt.Fprint(&b, d.ID, " ", d.Kind)
		if d.Off {
			b.WriteString(" off")
		}
		for _, key := range slices.Sorted(maps.Keys(d.In)) {
			in := d.In[key]
			for _, w := range in.Wires {
				fmt.Fprintf(&b, " %s<%s", key, w)
			}
			if len(in.Wires) == 0 && in.Value != nil {
				fmt.Fprintf(&b, " %s=%s", key, value(in.Value))
			}
		}
		for _, key := range slices.Sorted(maps.Keys(d.Set)) {
			fmt.Fprintf(&b, " %s=%s", key, value(d.Set[key]))
		}
		b.WriteByte('\n')
	}
	return b.String()
}
