// Package networktest has networks for the tests of the rooms that work on them.
package networktest

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/network"
)

// Banded is a small look: light cut into bands, a rim, ink.
const Banded = `[
	{"id":"light","kind":"Diffuse light"},
	{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"}},
	{"id":"rim","kind":"Outline"},
	{"id":"mix","kind":"Blend","in":{"base":"bands","over":"#102030","amount":"rim.tone"}},
	{"id":"ink","kind":"Edge lines"},
	{"id":"end","kind":"Finish","in":{"colour":"mix.colour","lines":["ink.lines"]}}
]`

// Parse reads nodes as a look file holds them.
func Parse(t testing.TB, text string) *network.Network {
	t.Helper()
	n := &network.Network{}
	require.NoError(t, json.Unmarshal([]byte(text), &n.Nodes))
	return n
}

// Settled returns Banded, settled.
func Settled(t testing.TB, cat network.Catalogue) *network.Network {
	t.Helper()
	n := Parse(t, Banded)
	require.NoError(t, n.Settle(cat))
	return n
}
