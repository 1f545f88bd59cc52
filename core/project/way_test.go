package project_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/network"
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
