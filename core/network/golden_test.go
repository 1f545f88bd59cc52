package network_test

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/golden"
	"mobanta/core/network"
	"mobanta/core/network/networktest"
)

// What edits do, and how they refuse, over a long row of them; nodes are those of a fixed
// list, so that new kinds change nothing here.
func TestEditsDoWhatTheyDid(t *testing.T) {
	kinds := []string{"blend", "ramp", "soft-step", "switch", "layers", "highlight", "maths", "colour-adjust", "edge-lines", "outline", "facing", "split", "colour", "formula", "diffuse-light", "join"}
	var lines []string
	for seed := range uint64(12) {
		r := rand.New(rand.NewPCG(seed, 5))
		var groups []network.Group
		n := networktest.Settled(t, cat)
		for step := range 60 {
			c := network.NewGrouped(cat, groups)
			pick := func() *network.Node { return &n.Nodes[r.IntN(len(n.Nodes))] }
			several := func() (ids []string) {
				for range 1 + r.IntN(4) {
					ids = append(ids, pick().ID)
				}
				return ids
			}
			in := func(d *network.Node) network.Ref {
				ports := c.Of(d).Inputs
				if len(ports) == 0 {
					return network.Ref{Node: d.ID, Port: "none"}
				}
				return network.Ref{Node: d.ID, Port: ports[r.IntN(len(ports))].Key}
			}
			out := func(d *network.Node) network.Ref {
				ports := c.Of(d).Outputs
				if len(ports) == 0 {
					return network.Ref{Node: d.ID}
				}
				return network.Ref{Node: d.ID, Port: ports[r.IntN(len(ports))].Key}
			}
			was, wasGroups := n.Clone(), slices.Clone(groups)
			for i := range wasGroups {
				wasGroups[i].Network = groups[i].Network.Clone()
			}
			said, err := "", error(nil)
			op := r.IntN(20)
			switch op {
			case 0, 1:
				said, err = n.Add(c, kinds[r.IntN(len(kinds))])
			case 2:
				said, err = n.Remove(c, pick().ID)
			case 3, 4, 5, 6:
				err = n.Connect(c, out(pick()), in(pick()))
			case 7:
				from := network.Ref{}
				if r.IntN(2) == 0 {
					from = out(pick())
				}
				err = n.Disconnect(from, in(pick()))
			case 8:
				err = n.Insert(c, pick().ID, in(pick()))
			case 9:
				err = n.SetOff(c, pick().ID, r.IntN(2) == 0)
			case 10:
				err = n.Swap(c, pick().ID, "", "")
			case 11:
				said, err = n.Replace(c, pick().ID, kinds[r.IntN(len(kinds))])
			case 12:
				var ids []string
				ids, err = n.Paste(c, n.Fragment(several(), r.IntN(2) == 0))
				said = strings.Join(ids, " ")
			case 13:
				said, err = n.Gather(several(), []string{"", "Shine"}[r.IntN(2)])
				if len(n.Sections) > 0 {
					n.Sections[r.IntN(len(n.Sections))].Folded = r.IntN(2) == 0
				}
			case 14, 15:
				var g network.Group
				if g, said, err = c.Make(n, several(), fmt.Sprintf("g%d", step), []string{"", "Cut"}[r.IntN(2)]); err == nil {
					groups = append(groups, g)
				}
			case 16:
				var ids []string
				ids, err = c.Dissolve(n, pick().ID)
				said = strings.Join(ids, " ")
			case 17:
				at := in(pick())
				err = n.SetConstant(c, at.Node, at.Port, []any{0.25, "#D4843F", nil, []any{1.0, 2.0, 3.0}}[r.IntN(4)])
			case 18:
				d := pick()
				set := c.Of(d).Settings
				if len(set) > 0 {
					s := set[r.IntN(len(set))]
					var v any = 0.4
					if len(s.Choices) > 0 {
						v = s.Choices[r.IntN(len(s.Choices))].Key
					}
					err = n.SetValue(c, d.ID, s.Key, v)
				}
			case 19:
				if len(groups) > 0 {
					g := &groups[r.IntN(len(groups))]
					d := &g.Nodes[r.IntN(len(g.Nodes))]
					at, output := in(d), r.IntN(2) == 0
					if output {
						at = out(d)
					}
					said, err = c.Expose(g, at, output, []string{"", "Name"}[r.IntN(2)])
					said += strings.Join(c.PruneGroup(g), " ")
					n.Prune(network.NewGrouped(cat, groups))
				}
			}
			if err != nil {
				*n, groups = was, wasGroups
				lines = append(lines, fmt.Sprintf("%d/%d op %d refused: %v", seed, step, op, err))
				continue
			}
			c = network.NewGrouped(cat, groups)
			require.NoError(t, network.SettleGroups(cat, groups))
			require.NoError(t, n.Settle(c))
			flat, err := c.Flatten(n)
			require.NoError(t, err)
			data, err := json.Marshal([]any{n, groups, flat})
			require.NoError(t, err)
			h := fnv.New32a()
			h.Write(data)
			lines = append(lines, fmt.Sprintf("%d/%d op %d %s: %d nodes, %d groups, %d flat %08x", seed, step, op, said, len(n.Nodes), len(groups), len(flat.Nodes), h.Sum32()))
		}
		lines = append(lines, n.String())
	}
	golden.Text(t, "edits", lines)
}
