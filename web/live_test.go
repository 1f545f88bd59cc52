package web_test

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"math"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/node"
	"mobanta/core/project"
)

// tab is what a page makes of the messages of its line to the server.
type tab struct {
	t     *testing.T
	conn  *websocket.Conn
	seq   uint32
	w, h  int
	pix   []byte
	scale byte
	done  bool
	of    int64                 // the version that the picture is of
	shown uint32                // the seq that the picture answers
	cards map[string][2]float32 // least and most, by output
	fresh int                   // card pictures since they were last counted
	news  []map[string]any      // what came as JSON
	tried map[string]bool       // previews that came
}

func (s *studio) tab(t *testing.T) *tab {
	t.Helper()
	conn, _, err := websocket.Dial(context.Background(), strings.Replace(s.srv.URL, "http", "ws", 1)+"/p/"+s.id+"/live", nil)
	require.NoError(t, err)
	conn.SetReadLimit(64 << 20)
	t.Cleanup(func() { conn.CloseNow() })
	b := &tab{t: t, conn: conn, cards: map[string][2]float32{}}
	s.tabs = append(s.tabs, b)
	return b
}

// say sends a message and gives it the next number.
func (b *tab) say(m map[string]any) {
	b.t.Helper()
	b.seq++
	m["seq"] = b.seq
	data, err := json.Marshal(m)
	require.NoError(b.t, err)
	b.raw(string(data))
}

func (b *tab) raw(text string) {
	b.t.Helper()
	require.NoError(b.t, b.conn.Write(context.Background(), websocket.MessageText, []byte(text)))
}

// until reads messages until a condition holds. Its limit is there for what hangs: a
// machine that is busy with other tests as well may take long.
func (b *tab) until(what string, ok func() bool) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 4*time.Minute)
	defer cancel()
	for !ok() {
		kind, data, err := b.conn.Read(ctx)
		require.NoError(b.t, err, what)
		if kind == websocket.MessageText {
			m := map[string]any{}
			require.NoError(b.t, json.Unmarshal(data, &m))
			b.news = append(b.news, m)
			continue
		}
		switch data[0] {
		case 1:
			b.frame(data)
		case 2:
			b.card(data)
		case 4:
			if b.tried == nil {
				b.tried = map[string]bool{}
			}
			b.tried[string(data[4:4+int(data[3])])] = true
		}
	}
}

// settled reads until the whole picture of the last message is there.
func (b *tab) settled() {
	b.t.Helper()
	b.until("a settled picture", func() bool { return b.done && b.shown == b.seq && b.scale == 100 })
}

func (b *tab) frame(data []byte) {
	u16 := func(at int) int { return int(binary.LittleEndian.Uint16(data[at:])) }
	w, h, x, y, cw, ch := u16(12), u16(14), u16(16), u16(18), u16(20), u16(22)
	if w != b.w || h != b.h {
		b.w, b.h, b.pix = w, h, make([]byte, 4*w*h)
		require.Equal(b.t, [4]int{0, 0, w, h}, [4]int{x, y, cw, ch}, "a picture of a new size comes whole")
	}
	require.Len(b.t, data, 24+4*cw*ch)
	for row := range ch {
		copy(b.pix[4*((y+row)*w+x):][:4*cw], data[24+4*row*cw:])
	}
	b.done, b.scale = data[2] == 1, data[3]
	b.shown, b.of = binary.LittleEndian.Uint32(data[4:]), int64(binary.LittleEndian.Uint32(data[8:]))
}

func (b *tab) card(data []byte) {
	n, at := int(binary.LittleEndian.Uint16(data[1:])), 3
	for range n {
		name := string(data[at+1 : at+1+int(data[at])])
		at += 1 + len(name)
		w, h := int(binary.LittleEndian.Uint16(data[at:])), int(binary.LittleEndian.Uint16(data[at+2:]))
		f := func(i int) float32 { return math.Float32frombits(binary.LittleEndian.Uint32(data[at+i:])) }
		b.cards[name] = [2]float32{f(4), f(8)}
		b.fresh++
		at += 12 + 4*w*h
	}
	require.Len(b.t, data, at)
}

// offline renders a project as the command line does.
func offline(t *testing.T, p *project.Project, w, h int) []byte {
	t.Helper()
	return drawn(t, p, p.Stage.Time.At, w, h)
}

func withBall(t *testing.T) *studio {
	t.Helper()
	s := open(t)
	code, text := s.edit(`{"op":"model.add","kind":"sphere"}`)
	require.Equal(t, 200, code, text)
	return s
}

func TestTheLivePictureIsTheOneThatIsRenderedOffline(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 96, "h": 64, "look": "look1"})
	b.settled()
	assert.Equal(t, offline(t, s.project().Project, 96, 64), b.pix)

	// Rectangles that changed, put together, still make the whole.
	for _, e := range []string{
		`{"op":"light.set","id":"sun","key":"azimuth","value":70}`,
		`{"op":"ramp.flip","look":"look1","node":"n2"}`,
		`{"op":"node.input","look":"look1","node":"n3","key":"width","value":3}`,
		`{"op":"node.off","look":"look1","node":"n3","value":true}`,
		`{"op":"backdrop.set","key":"none","value":true}`,
	} {
		code, text := s.edit(e)
		require.Equal(t, 200, code, text)
		version := s.project().Version
		b.until("its picture", func() bool { return b.done && b.of == version })
		assert.Equal(t, float64(version), b.told("stored", "version"), "what is stored is said before it is shown")
		assert.Equal(t, offline(t, s.project().Project, 96, 64), b.pix, e)
	}
}

// told returns a value of the last news of a kind.
func (b *tab) told(kind, key string) any {
	for i := len(b.news) - 1; i >= 0; i-- {
		if b.news[i]["t"] == kind {
			return b.news[i][key]
		}
	}
	return nil
}

func TestWhatIsTriedIsShownAndNotStored(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 80, "h": 60, "look": "look1"})
	b.settled()
	before, stored := append([]byte{}, b.pix...), s.project()

	tried := stored.Project.Clone()
	e := project.Edit{Op: "light.set", ID: "sun", Key: "azimuth", Value: -60.0}
	_, err := tried.Apply(&e)
	require.NoError(t, err)
	b.say(map[string]any{"t": "try", "edits": []any{map[string]any{"op": "light.set", "id": "sun", "key": "azimuth", "value": -60}}})
	b.settled()
	assert.Equal(t, offline(t, tried, 80, 60), b.pix)
	assert.NotEqual(t, before, b.pix)
	assert.Equal(t, stored.Version, s.project().Version)

	b.say(map[string]any{"t": "drop"})
	b.settled()
	assert.Equal(t, before, b.pix)

	// What the hand does to the camera is stored when it lets go, as one revision.
	for i := range 5 {
		b.say(map[string]any{"t": "hand", "tool": "turn", "x0": 0.5, "y0": 0.5, "x": 0.5 + 0.05*float64(i), "y": 0.5})
	}
	b.until("a picture for the hand", func() bool { return b.shown == b.seq })
	assert.Equal(t, stored.Version, s.project().Version)
	b.say(map[string]any{"t": "hand", "tool": "turn", "x0": 0.5, "y0": 0.5, "x": 0.7, "y": 0.5, "final": true})
	b.settled()
	now := s.project()
	assert.Equal(t, stored.Version+1, now.Version)
	assert.NotEqual(t, stored.Project.Stage.Camera.Azimuth, now.Project.Stage.Camera.Azimuth)
	b.until("the stored picture in full", func() bool { return b.done && b.scale == 100 && b.of == now.Version })
	assert.Equal(t, offline(t, now.Project, 80, 60), b.pix)
}

func TestOnlyCardsThatChangeAreSent(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 96, "h": 64, "look": "look1", "fresh": true})
	b.until("a card for each output", func() bool { return len(b.cards) >= 6 })
	for _, name := range []string{"n1.tone", "n2.colour", "n2.tone", "n3.lines", "n4."} {
		assert.Contains(t, b.cards, name)
	}
	assert.GreaterOrEqual(t, b.cards["n1.tone"][0], float32(0))
	assert.LessOrEqual(t, b.cards["n1.tone"][1], float32(1))

	clear(b.cards)
	code, text := s.edit(`{"op":"ramp.flip","look":"look1","node":"n2"}`)
	require.Equal(t, 200, code, text)
	b.until("the ramp's card", func() bool { _, ok := b.cards["n2.colour"]; return ok })
	assert.NotContains(t, b.cards, "n1.tone")
	assert.NotContains(t, b.cards, "n3.lines")
}

func TestALineThatSpeaksNonsenseIsTolerated(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	for _, text := range []string{"", "{", "[]", `{"t":7}`, `{"t":"view","w":1e99}`} {
		b.news = nil
		b.raw(text)
		b.until("a complaint", func() bool { return b.told("problem", "error") != nil })
	}
	for _, m := range []map[string]any{
		{"t": "hand", "tool": "hammer", "x": 1},
		{"t": "try", "edits": []any{map[string]any{"op": "node.input", "look": "look1", "node": "n2", "key": "tone", "value": "1/"}}},
	} {
		b.news = nil
		b.say(map[string]any{"t": "view", "w": 32, "h": 32, "look": "look1"})
		b.say(m)
		b.until("a complaint", func() bool { return b.told("problem", "error") != nil })
	}
	b.say(map[string]any{"t": "drop"})
	b.say(map[string]any{"t": "view", "w": -5, "h": 1 << 30, "look": "no such look", "node": "nowhere", "peek": "n9.tone"})
	b.say(map[string]any{"t": "view", "w": 40, "h": 30, "look": "look1"})
	b.settled()
	assert.Equal(t, [2]int{40, 30}, [2]int{b.w, b.h})
	assert.Equal(t, offline(t, s.project().Project, 40, 30), b.pix)
}

func TestALineFromAnotherSiteIsRefused(t *testing.T) {
	s := withBall(t)
	_, res, err := websocket.Dial(context.Background(), strings.Replace(s.srv.URL, "http", "ws", 1)+"/p/"+s.id+"/live",
		&websocket.DialOptions{HTTPHeader: http.Header{"Origin": {"http://elsewhere.example"}}})
	require.Error(t, err)
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
	_, res, err = websocket.Dial(context.Background(), strings.Replace(s.srv.URL, "http", "ws", 1)+"/p/nothing/live", nil)
	require.Error(t, err)
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
}

func TestABandEdgeIsDraggedOnThePicture(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 150, "h": 100, "look": "look1", "node": "n2", "tool": "edge", "fresh": true})
	b.settled()
	point := func(phase string, x, y float64) {
		b.say(map[string]any{"t": "point", "tool": "edge", "phase": phase, "x": x, "y": y})
	}
	doing := func(what string) {
		b.until(what, func() bool { said, _ := b.told("doing", "text").(string); return strings.Contains(said, what) })
	}
	at := func(i int) float32 {
		return s.project().Project.Looks[0].Node("n2").Value(node.Catalogue{}.Kind("ramp").Setting("stops")).([]color.Stop)[i].At
	}
	point("down", 0.02, 0.02)
	doing("No band edge")
	// Along the middle row, until one is held.
	x := 0.0
	for x = 0.5; x < 1.2; x += 0.02 {
		b.news = nil
		point("down", x, 0.5)
		b.until("an answer", func() bool { return b.told("doing", "text") != nil })
		if said, _ := b.told("doing", "text").(string); strings.HasPrefix(said, "Holding") {
			break
		}
		point("up", x, 0.5)
	}
	require.Less(t, x, 1.2, "an edge to hold")
	before := [3]float32{at(1), at(2), at(3)}
	point("move", x+0.05, 0.5)
	doing("the edge of")
	point("move", 0.02, 0.02) // off the ball it stays, and says why
	doing("does not wear its look")
	v := s.project().Version
	point("up", x+0.04, 0.5)
	b.until("it is stored", func() bool { return s.project().Version > v })
	changed := 0
	for i, was := range before {
		if at(i+1) != was {
			changed++
		}
	}
	assert.Equal(t, 1, changed, "one edge has moved")
	// A soft step's threshold is held likewise.
	code, body := s.edit(`{"op":"node.add","look":"look1","kind":"soft-step"},{"op":"wire","look":"look1","from":"n1.tone","to":"n5.tone"},{"op":"node.input","look":"look1","node":"n5","key":"threshold","value":0.6},{"op":"wire","look":"look1","from":"n5.tone","to":"n4.colour"}`)
	require.Equal(t, 200, code, body)
	b.until("its picture", func() bool { return b.of == s.project().Version && b.done })
	for x = 0.5; x < 1.2; x += 0.02 {
		b.news = nil
		point("down", x, 0.5)
		b.until("an answer", func() bool { return b.told("doing", "text") != nil })
		if said, _ := b.told("doing", "text").(string); strings.HasPrefix(said, "Holding Soft step") {
			break
		}
	}
	require.Less(t, x, 1.2, "its edge to hold")
	v = s.project().Version
	point("move", x-0.05, 0.5)
	point("up", x-0.05, 0.5)
	b.until("it is stored", func() bool { return s.project().Version > v })
	assert.NotEqual(t, 0.6, s.project().Project.Looks[0].Node("n5").In["threshold"].Value)
}

func TestALookIsDroppedOnAPart(t *testing.T) {
	s := withBall(t)
	code, body := s.edit(`{"op":"look.add","name":"Other"}`)
	require.Equal(t, 200, code, body)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 90, "h": 60, "look": "look1", "node": "n2", "fresh": true})
	b.settled()
	v := s.project().Version
	b.raw(`{"t":"wear","look":"look2","x":0.75,"y":0.5}`)
	b.until("it is worn", func() bool { return s.project().Version > v })
	for _, look := range s.project().Project.Stage.Models[0].Looks {
		assert.Equal(t, "look2", look)
	}
	b.raw(`{"t":"wear","look":"look2","x":0.01,"y":0.01}`)
	b.until("why not", func() bool {
		said, _ := b.told("problem", "error").(string)
		return strings.Contains(said, "no part of a model there")
	})
}

func TestTwoLooksSideBySideAndPreviews(t *testing.T) {
	s := withBall(t)
	code, body := s.edit(`{"op":"look.add","name":"Other"},{"op":"ramp.stop","look":"look2","node":"n2","index":3,"value":{"color":"#FF0000"}},{"op":"ramp.stop","look":"look2","node":"n2","index":2,"value":{"color":"#FF0000"}}`)
	require.Equal(t, 200, code, body)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 90, "h": 60, "look": "look1", "other": "look2", "node": "n2", "fresh": true})
	b.until("red on the right-hand side", func() bool {
		for i := 0; i+3 < len(b.pix); i += 4 {
			if x := i / 4 % 90; x >= 45 && b.pix[i] == 255 && b.pix[i+1] == 0 {
				return true
			}
		}
		return false
	})
	for i := 0; i+3 < len(b.pix); i += 4 {
		if x := i / 4 % 90; x < 45 {
			require.False(t, b.pix[i] == 255 && b.pix[i+1] == 0, "none on the left")
		}
	}
	b.fresh = 0
	b.raw(`{"t":"previews","items":[{"name":"a","edits":[{"op":"node.add","look":"look1","kind":"matcap"}]},{"name":"b","edits":[{"op":"node.add","look":"look1","kind":"nothing"}]}]}`)
	b.until("what it would do", func() bool { return b.tried["a"] })
	assert.False(t, b.tried["b"], "what would be refused has no picture")
}

func TestALargeLookIsSketchedFirst(t *testing.T) {
	s := withBall(t)
	edits := ""
	for range 70 {
		edits += `{"op":"node.add","look":"look1","kind":"blend","to":"n4.colour"},`
	}
	code, body := s.edit(strings.TrimSuffix(edits, ","))
	require.Equal(t, 200, code, body)
	b := s.tab(t)
	scales := map[byte]bool{}
	b.say(map[string]any{"t": "view", "w": 120, "h": 90, "look": "look1", "node": "n2", "fresh": true})
	b.until("the whole of it", func() bool { scales[b.scale] = true; return b.done && b.scale == 100 })
	assert.True(t, scales[33], "something is seen at once")
}
