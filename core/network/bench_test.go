package network_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/network"
)

// large returns a network of n nodes: chains of light, ramps and blends, in
// sections, that end in one Finish.
func large(t testing.TB, n int) *network.Network {
	net := &network.Network{Nodes: []network.Node{{ID: "end", Kind: network.FinishKind}}}
	last := network.Ref{Node: "end", Port: "colour"}
	var section []string
	for len(net.Nodes)+4 <= n {
		blend, err := net.Add(cat, "blend")
		require.NoError(t, err)
		require.NoError(t, net.Connect(cat, network.Ref{Node: blend}, last))
		ramp, _ := net.Add(cat, "ramp")
		light, _ := net.Add(cat, "diffuse-light")
		step, _ := net.Add(cat, "soft-step")
		require.NoError(t, net.Connect(cat, network.Ref{Node: light}, network.Ref{Node: ramp, Port: "tone"}))
		require.NoError(t, net.Connect(cat, network.Ref{Node: light}, network.Ref{Node: step, Port: "tone"}))
		require.NoError(t, net.Connect(cat, network.Ref{Node: ramp}, network.Ref{Node: blend, Port: "over"}))
		require.NoError(t, net.Connect(cat, network.Ref{Node: step}, network.Ref{Node: blend, Port: "amount"}))
		last = network.Ref{Node: blend, Port: "base"}
		if section = append(section, ramp, light, step); len(section) >= 12 {
			_, err := net.Gather(section, "")
			require.NoError(t, err)
			section = nil
		}
	}
	require.NoError(t, net.Settle(cat))
	return net
}

func BenchmarkLay(b *testing.B) {
	for _, n := range []int{25, 200} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			net := large(b, n)
			l := net.Lay(cat, z, nil)
			for b.Loop() {
				net.Lay(cat, z, &l)
			}
		})
	}
}
