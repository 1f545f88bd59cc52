package web_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
)

// A kind is one file: what stands there is all that it takes for a kind to have a card, a
// bench, a place in the search, a page of help with a picture, a row in the list, a note
// in the trail and the checks that concern it.
func TestAKindIsOneFile(t *testing.T) {
	t.Cleanup(node.Add(&node.Kind{
		Spec: network.Spec{
			Kind: "test-weave", Name: "Test weave", Family: "pattern", Purpose: "Crosses threads of a tone.", Words: []string{"cloth", "threads", "loom"},
			Inputs:  []network.Port{{Key: "tone", Name: "thread", Type: network.Tone, Default: 0.25, Min: 0, Max: 1, Help: "How far."}},
			Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
			Settings: []network.Setting{
				{Key: "warp", Name: "Warp count", Type: network.Number, Default: 12.0, Min: 1, Max: 99},
				{Key: "bands", Name: "Dyes", Type: network.Stops, Default: []color.Stop{{At: 0, Color: color.C{1, 0, 0}}, {At: 0.4, Color: color.C{0, 1, 0}, Name: "madder"}}},
				{Key: "sheds", Name: "Sheds", Type: network.Named, Default: []network.Option{{Key: "u", Name: "Upper"}, {Key: "l", Name: "Lower"}}},
			},
		},
		Brief:    func(a *node.About) string { return a.Number("warp") + " ends" },
		Concerns: node.Concerns{Bands: "bands"},
		Cut: &node.Cut{Input: "tone",
			Edges: func(*node.About, float32) []node.Edges {
				return []node.Edges{{Key: "bands", At: []float32{0.4}, First: 1}}
			},
			Note: func(a *node.About, in []float32) string { return "the shuttle is at " + node.Short(float64(in[0])) }},
		Run: func(c *node.Call) { copy(c.Out[0][0], c.In[0][0]) },
	}))
	s := withBall(t)
	get := func(path string) string {
		code, body := s.do("GET", path, nil, nil)
		require.Equal(t, 200, code, path)
		return body
	}
	p := "/p/" + s.id
	assert.Contains(t, get(p+"/search?q=loom&look=look1"), "Test weave")
	code, text := s.edit(`{"op":"node.add","look":"look1","kind":"test-weave","to":"n2.tone"}`)
	require.Equal(t, 200, code, text)
	var id string
	for _, d := range s.project().Project.Look("look1").Nodes {
		if d.Kind == "test-weave" {
			id = d.ID
		}
	}
	require.NotEmpty(t, id)
	assert.Contains(t, get(p+"/panel/network?look=look1"), "12 ends", "its card")
	bench := get(p + "/panel/bench?look=look1&node=" + id)
	for _, want := range []string{"thread", "Warp count", "madder", `aria-label="Choices, one of them live"`, "Upper"} {
		assert.Contains(t, bench, want)
	}
	assert.Contains(t, get(p+"/panel/list?look=look1"), "Test weave")
	help := get("/help")
	assert.Contains(t, help, "Test weave")
	assert.Contains(t, help, "Crosses threads of a tone.")
	assert.Contains(t, get("/help/node/test-weave"), "PNG", "a picture of it at work")
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 64, "h": 64, "look": "look1"})
	b.settled()
	b.say(map[string]any{"t": "point", "tool": "ask", "phase": "down", "x": 0.5, "y": 0.5})
	b.until("the trail", func() bool { return len(b.news) > 0 && b.news[len(b.news)-1]["t"] == "trail" })
	assert.Contains(t, b.news[len(b.news)-1]["html"], "the shuttle is at ")
	b.conn.CloseNow() // nobody draws with the kind any more when it is taken out
	require.Eventually(t, func() bool { return s.open() == 0 }, 2*time.Minute, time.Millisecond)
}
