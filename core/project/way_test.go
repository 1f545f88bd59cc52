package project_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/press"
	"mobanta/core/project"
)

// A new project's look: n1 light → n2 bands → n4 finish, n3 lines.
func wayed(t *testing.T, e project.Edit) (*network.Network, project.Outcome, error) {
	t.Helper()
	p := project.New("x")
	e.Look = p.Looks[0].ID
	o, err := p.Apply(&e)
	return &p.Looks[0].Network, o, err
}

func TestAMaskGoesInByOnePress(t *testing.T) {
	n, o, err := wayed(t, project.Edit{Op: "way.add", Kind: "occlusion", Key: "multiply"})
	require.NoError(t, err)
	assert.Equal(t, []string{"n5", "n6", "n7"}, o.Several)
	assert.Equal(t, "n5", o.Created)
	assert.Equal(t, "put in Occlusion, multiplied in", o.Label)
	text := n.String()
	assert.Contains(t, text, "n6 ramp tone<n5.tone")
	assert.Contains(t, text, `n7 blend base<n2.colour over<n6.colour mode="multiply"`)
	assert.Contains(t, text, "n4 finish colour<n7.colour")
	require.Len(t, n.Sections, 1)
	assert.Equal(t, network.Section{ID: "s1", Name: "Occlusion", Nodes: []string{"n5", "n6", "n7"}}, n.Sections[0])

	n, _, err = wayed(t, project.Edit{Op: "way.add", Kind: "noise", Key: "mask", From: "n2.colour"})
	require.NoError(t, err)
	assert.Contains(t, n.String(), "n7 blend amount<n6.tone base<n2.colour")
	assert.Contains(t, n.String(), "n4 finish colour<n7.colour")

	n, _, err = wayed(t, project.Edit{Op: "way.add", Kind: "cells", Key: "vary"})
	require.NoError(t, err)
	assert.Contains(t, n.String(), "n2 ramp tone<n7.value")
	assert.Contains(t, n.String(), `n7 maths a<n1.tone b<n6.value operation="add"`)
	assert.Contains(t, n.String(), "n6 range to-high=0.12 to-low=-0.12 value<n5.nearest")

	n, _, err = wayed(t, project.Edit{Op: "way.add", Kind: "noise", Key: "relief"})
	require.NoError(t, err)
	assert.Contains(t, n.String(), "n1 diffuse-light normal<n6.normal")
	assert.Contains(t, n.String(), "n6 bump height<n5.tone")

	for _, e := range []project.Edit{{Op: "way.add", Kind: "gone", Key: "mask"}, {Op: "way.add", Kind: "noise", Key: "gone"}, {Op: "way.add", Kind: "noise"}} {
		_, _, err = wayed(t, e)
		assert.Error(t, err)
	}
	p := project.New("x")
	for _, id := range []string{"n1", "n2"} {
		_, err := p.Apply(&project.Edit{Op: "node.remove", Look: p.Looks[0].ID, Node: id})
		require.NoError(t, err)
	}
	_, err = p.Clone().Apply(&project.Edit{Op: "way.add", Look: p.Looks[0].ID, Kind: "noise", Key: "vary"})
	assert.ErrorContains(t, err, "no bands")
	_, err = p.Clone().Apply(&project.Edit{Op: "way.add", Look: p.Looks[0].ID, Kind: "noise", Key: "relief"})
	assert.ErrorContains(t, err, "no light is read")
}

func TestANodeGoesBehindAnother(t *testing.T) {
	n, _, err := wayed(t, project.Edit{Op: "node.add", Kind: "tone-adjust", From: "n1.tone", After: true})
	require.NoError(t, err)
	assert.Contains(t, n.String(), "n5 tone-adjust tone<n1.tone")
	assert.Contains(t, n.String(), "n2 ramp tone<n5.tone")
	n, _, err = wayed(t, project.Edit{Op: "node.add", Kind: "blend", From: "n2.colour", After: true})
	require.NoError(t, err)
	assert.Contains(t, n.String(), "n5 blend base<n2.colour")
	assert.Contains(t, n.String(), "n4 finish colour<n5.colour lines<n3.lines")
	_, _, err = wayed(t, project.Edit{Op: "node.add", Kind: "coordinates", From: "n1.tone", After: true})
	assert.ErrorContains(t, err, "takes nothing")
	_, _, err = wayed(t, project.Edit{Op: "node.add", Kind: "edge-lines", From: "n2.colour", After: true})
	assert.ErrorContains(t, err, "gives nothing that could go on")
	_, _, err = wayed(t, project.Edit{Op: "node.add", Kind: "blend", From: "n9.colour", After: true})
	assert.Error(t, err)

	// A place goes where a place goes, not where a vector is a number.
	p := project.New("x")
	at := func(e project.Edit) {
		e.Look = p.Looks[0].ID
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	at(project.Edit{Op: "node.add", Kind: "coordinates"})
	at(project.Edit{Op: "node.add", Kind: "noise", From: "n5.vector"})
	at(project.Edit{Op: "node.add", Kind: "place", From: "n5.vector", After: true})
	text := p.Looks[0].Network.String()
	assert.Contains(t, text, "n6 noise place<n7.vector")
	assert.Contains(t, text, "n7 place place<n5.vector")
}

// Dots go between the bands and the finish by one press: they read what the bands are cut from.
func TestAPatternGoesBehindBands(t *testing.T) {
	for _, kind := range []string{"halftone", "hatching", "stipple"} {
		for _, e := range []project.Edit{{Op: "node.add", Kind: kind, From: "n2.colour", After: true}, {Op: "node.add", Kind: kind, To: "n4.colour"}} {
			n, _, err := wayed(t, e)
			require.NoError(t, err)
			assert.Contains(t, n.String(), "n5 "+kind+" paper<n2.colour tone<n1.tone")
			assert.Contains(t, n.String(), "n4 finish colour<n5.colour")
		}
		n, o, err := wayed(t, project.Edit{Op: "way.add", Kind: kind, Key: "shadows"})
		require.NoError(t, err)
		assert.Equal(t, "n5", o.Created)
		assert.Contains(t, n.String(), "paper<n2.colour")
		assert.Contains(t, n.String(), "tone<n1.tone")
		d := n.Node("n5")
		assert.Equal(t, []any{0.125, 0.5}, []any{d.In["full"].Value, d.In["none"].Value}, "from within the darkest band to where the third begins")
		assert.Equal(t, color.MustHex("#2B2D38"), d.In["ink"].Value)
	}
	p := project.New("x")
	_, err := p.Apply(&project.Edit{Op: "node.remove", Look: p.Looks[0].ID, Node: "n2"})
	require.NoError(t, err)
	_, err = p.Apply(&project.Edit{Op: "way.add", Look: p.Looks[0].ID, Kind: "halftone", Key: "shadows"})
	assert.ErrorContains(t, err, "no bands")
}

func TestThePressIsSetUp(t *testing.T) {
	p := project.New("x")
	do := func(e project.Edit) error {
		_, err := p.Apply(&e)
		return err
	}
	require.NoError(t, do(project.Edit{Op: "press.set", Key: "on", Value: true}))
	require.Len(t, p.Stage.Press.Inks, 4)
	require.NoError(t, do(project.Edit{Op: "press.set", Key: "paper", Value: "#FFEECC"}))
	require.NoError(t, do(project.Edit{Op: "press.set", Key: "set", Value: "three"}))
	assert.Equal(t, color.MustHex("#FFEECC"), p.Stage.Press.Paper, "the paper stays")
	for key, v := range map[string]float64{"tooth": 0.2, "gain": 0.1, "slip": 3, "rough": 0.4, "limit": 2} {
		require.NoError(t, do(project.Edit{Op: "press.set", Key: key, Value: v}))
	}
	require.NoError(t, do(project.Edit{Op: "ink.add"}))
	require.NoError(t, do(project.Edit{Op: "ink.set", ID: "ink1", Key: "name", Value: " Gold "}))
	for key, v := range map[string]any{"color": "#AA8833", "spot": "line", "off": true, "opacity": 0.5, "density": 80.0, "angle": 12.0} {
		require.NoError(t, do(project.Edit{Op: "ink.set", ID: "ink1", Key: key, Value: v}))
	}
	require.NoError(t, do(project.Edit{Op: "ink.move", ID: "ink1", Index: 0}))
	k := p.Clone().Stage.Press
	assert.Equal(t, press.Ink{ID: "ink1", Name: "Gold", Color: color.MustHex("#AA8833"), Opacity: 0.5, Spot: "line", Density: 80, Angle: 12, Off: true}, k.Inks[0])
	assert.Equal(t, [5]float64{0.2, 0.1, 3, 0.4, 2}, [5]float64{k.Tooth, k.Gain, k.Slip, k.Rough, k.Limit})
	require.NoError(t, do(project.Edit{Op: "ink.remove", ID: "ink1"}))
	assert.Len(t, p.Stage.Press.Inks, 3)
	assert.Len(t, k.Inks, 4, "the clone has its own")
	require.NoError(t, do(project.Edit{Op: "press.set", Key: "on", Value: false}))
	assert.False(t, p.Stage.Press.On)
	for _, e := range []project.Edit{{Op: "press.set", Key: "set", Value: "gold"}, {Op: "press.set", Key: "heart", Value: 1.0}, {Op: "press.set", Key: "on", Value: 1.0}, {Op: "press.set", Key: "paper", Value: "pale"},
		{Op: "press.set", Key: "tooth", Value: "much"}, {Op: "ink.set", ID: "gone", Key: "name", Value: "x"}, {Op: "ink.set", ID: "warm", Key: "name", Value: ""}, {Op: "ink.set", ID: "warm", Key: "off", Value: 1.0},
		{Op: "ink.set", ID: "warm", Key: "color", Value: "red"}, {Op: "ink.set", ID: "warm", Key: "heart", Value: 1.0}, {Op: "ink.move", ID: "warm", Index: 9}, {Op: "ink.move", ID: "gone"}, {Op: "ink.remove", ID: "gone"}} {
		assert.Error(t, do(e), "%+v", e)
	}
	// What cannot be printed is not stored.
	for _, e := range []project.Edit{{Op: "press.set", Key: "tooth", Value: 5.0}, {Op: "ink.set", ID: "warm", Key: "density", Value: 0.0}, {Op: "ink.set", ID: "warm", Key: "spot", Value: "heart"}} {
		_, err := p.Clone().Apply(&e)
		assert.Error(t, err, "%+v", e)
	}
}
