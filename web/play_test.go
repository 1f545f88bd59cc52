package web_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/meshfile"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
)

// drawn renders a project at a time by itself, as the command line does.
func drawn(t *testing.T, p *project.Project, at float64, w, h int) []byte {
	t.Helper()
	q := *p
	q.Stage.Time.At = at
	job, err := scene.Of(&q, meshfile.Files(nil), nil)
	require.NoError(t, err)
	job.W, job.H, job.Samples = w, h, 16
	pix := make([]byte, 4*w*h)
	err = picture.NewRenderer(1).Render(context.Background(), job, func(res *picture.Result) {
		if res.Done {
			res.RGBA(pix, res.Bounds())
		}
	})
	require.NoError(t, err)
	return pix
}

// moving is a project in which much moves: a flame that glows over a turning ball, by soft light, with lines.
func moving(t *testing.T) *studio {
	t.Helper()
	s := withBall(t)
	code, text := s.edit(`{"op":"model.add","kind":"flame","look":"look1"},{"op":"look.add"},{"op":"look.assign","id":"model2","look":"look2"},{"op":"camera.frame","aspect":1.5},
		{"op":"time.set","key":"length","value":1},{"op":"time.set","key":"rate","value":6},{"op":"move.turntable"},{"op":"move.add","value":"light/sun/elevation"},
		{"op":"light.set","id":"sun","key":"size","value":10},{"op":"node.set","look":"look1","node":"n1","key":"shadows","value":true},
		{"op":"glow.set","key":"on","value":true},{"op":"glow.set","key":"look","value":"look2"},{"op":"backdrop.set","key":"course","value":"up"},{"op":"backdrop.set","key":"floor","value":true}`)
	require.Equal(t, 200, code, text)
	return s
}

// A frame is byte for byte the same played, scrubbed to, stored and opened again, and rendered by itself.
func TestAFrameIsTheSameHoweverItIsReached(t *testing.T) {
	s := moving(t)
	p := s.project().Project
	const w, h, frames = 72, 48, 6
	want := make([][]byte, frames)
	for k := range want {
		want[k] = drawn(t, p, p.Stage.Time.Start(k), w, h)
	}
	assert.NotEqual(t, want[0], want[3])
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": w, "h": h, "look": "look1"})
	b.settled()
	assert.Equal(t, want[0], b.pix)

	b.say(map[string]any{"t": "play", "on": true})
	b.plays(want)
	v := s.project().Version
	b.say(map[string]any{"t": "play", "on": false})
	b.until("where it stopped is stored", func() bool { return s.project().Version > v })
	now := s.project()
	b.until("its picture", func() bool { return b.done && b.of == now.Version && b.scale == 100 })
	assert.Equal(t, want[now.Project.Stage.Time.Frame()], b.pix)
	assert.Equal(t, "moved in time", now.Undo)

	for _, k := range []int{4, 1} {
		for _, final := range []bool{false, true} {
			b.say(map[string]any{"t": "hand", "tool": "time", "x": (float64(k) + 0.5) / frames, "final": final})
		}
		b.settled()
		b.until("the stored picture", func() bool { return b.done && b.of == s.project().Version && b.scale == 100 })
		assert.Equal(t, want[k], b.pix, "scrubbed to %d", k)
	}
	code, _ := s.do("POST", "/p/"+s.id+"/undo", nil, nil)
	require.Equal(t, 200, code)
	assert.NotEqual(t, "moved in time", s.project().Undo, "a run of scrubs is one step of undo")
	assert.Zero(t, s.project().Project.Stage.Time.At)

	again := offlineOf(t, s) // from what was written
	assert.Equal(t, want[2], drawn(t, again, again.Stage.Time.Start(2), w, h))
}

// plays reads until each frame has been shown as well as it can be, as it must be.
func (b *tab) plays(want [][]byte) {
	b.t.Helper()
	for seen := map[int]bool{}; len(seen) < len(want); {
		b.news = nil
		b.until("a frame", func() bool { return b.told("play", "on") == true })
		if k := int(b.told("play", "frame").(float64)); b.done && b.told("play", "settled").(float64) == float64(len(want)) {
			require.Equal(b.t, want[k], b.pix, "frame %d as it is played", k)
			seen[k] = true
		}
	}
}

// offlineOf returns the project as its document has it.
func offlineOf(t *testing.T, s *studio) *project.Project {
	t.Helper()
	doc, err := s.project().Project.Document()
	require.NoError(t, err)
	p, err := project.Read(doc)
	require.NoError(t, err)
	return p
}

// While it plays edits show at once and drop the frames that they concern; the hand is drawn for, and held on twos two
// frames are one.
func TestEditsWhileItPlays(t *testing.T) {
	s := moving(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 48, "h": 32, "look": "look1"})
	b.settled()
	b.say(map[string]any{"t": "play", "on": true})
	b.until("all frames", func() bool { return b.told("play", "settled") == 6.0 })
	code, text := s.edit(`{"op":"move.set","id":"move2","key":"begin","value":0.6}`)
	require.Equal(t, 200, code, text)
	b.until("news of what was stored", func() bool { return b.told("stored", "version") == float64(s.project().Version) })
	want := make([][]byte, 6)
	for k := range want {
		want[k] = drawn(t, s.project().Project, float64(k)/6, 48, 32)
	}
	b.plays(want)
	b.news = nil
	code, text = s.edit(`{"op":"project.rename","name":"Another"}`)
	require.Equal(t, 200, code, text)
	b.until("a frame", func() bool { return b.told("stored", "version") != nil && b.told("play", "settled") != nil })
	assert.Equal(t, 6.0, b.told("play", "settled"), "a name concerns no frame")

	b.say(map[string]any{"t": "hand", "tool": "turn", "x0": 0.5, "y0": 0.5, "x": 0.6, "y": 0.5})
	b.until("a picture for the hand", func() bool { return b.shown == b.seq })
	b.say(map[string]any{"t": "hand", "tool": "turn", "x0": 0.5, "y0": 0.5, "x": 0.6, "y": 0.5, "final": true})
	v := s.project().Version
	b.until("it is stored", func() bool { return s.project().Version > v || b.told("play", "settled") == 6.0 })

	code, text = s.edit(`{"op":"time.set","key":"hold","value":3},{"op":"time.set","key":"once","value":true}`)
	require.Equal(t, 200, code, text)
	b.news = nil
	b.until("it plays once and stops", func() bool { return b.told("play", "on") == false })
	b.say(map[string]any{"t": "view", "w": 48, "h": 32, "look": "look1"})
	b.settled()
	p := s.project().Project
	assert.Equal(t, drawn(t, p, p.Stage.Time.At, 48, 32), b.pix)
	assert.Equal(t, drawn(t, p, p.Stage.Time.Start(3), 48, 32), drawn(t, p, p.Stage.Time.Start(5), 48, 32), "held")
}

// What plays where nothing moves is one frame; what cannot be drawn stops with a word.
func TestPlayingWhatStandsStill(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 32, "h": 24, "look": "look1"})
	b.settled()
	b.say(map[string]any{"t": "play", "on": true})
	b.until("it plays", func() bool { return b.told("play", "settled") == 48.0 })
	b.say(map[string]any{"t": "point", "tool": "ask", "phase": "down", "x": 0.6, "y": 0.5})
	b.until("a question stops it", func() bool { return b.told("play", "on") == false })
	b.until("and is answered", func() bool { return b.told("trail", "html") != nil })
}
