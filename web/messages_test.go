package web_test

import (
	"context"
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
)

// Whatever a stranger says on the line, in whatever order, the studio goes on, and so
// does everybody else's tab.
func TestNoMessageEndsTheStudio(t *testing.T) {
	s := withBall(t)
	good := s.tab(t)
	good.say(map[string]any{"t": "view", "w": 64, "h": 48, "look": "look1"})
	good.until("a picture", func() bool { return good.done })
	dial := func() *websocket.Conn {
		conn, _, err := websocket.Dial(context.Background(), strings.Replace(s.srv.URL, "http", "ws", 1)+"/p/"+s.id+"/live", nil)
		require.NoError(t, err)
		conn.SetReadLimit(64 << 20)
		go func() {
			for {
				if _, _, err := conn.Read(context.Background()); err != nil {
					return
				}
			}
		}()
		return conn
	}
	r := rand.New(rand.NewPCG(9, 9))
	pick := func(list ...any) any { return list[r.IntN(len(list))] }
	texts := []any{"", "look1", "n2", "n2.tone", "n9/n9", "sun", "\u202e", strings.Repeat("x", 3000), "n1.", ".", "/", "a/b/c.d", "group:g1"}
	sizes, places := []any{0, 1, -1, 64, 48, 200, 4096, 1 << 30}, []any{0, 0.5, -0.5, 0.25, 0.75, 1e300, -1e300, 1.3}
	conn := dial()
	for i := range 1500 {
		m := map[string]any{"t": pick("view", "try", "drop", "hand", "hand", "point", "point", "previews", "wear", "sing"), "seq": pick(0, 1, 1<<31)}
		for _, key := range []string{"look", "path", "node", "peek", "other", "light"} {
			if r.IntN(2) == 0 {
				m[key] = pick(texts...)
			}
		}
		for _, key := range []string{"x", "y", "x0", "y0"} {
			m[key] = pick(places...)
		}
		m["w"], m["h"] = pick(sizes...), pick(sizes...)
		if m["w"].(int)+m["h"].(int) > 1<<20 && r.IntN(20) > 0 { // now and then the largest that is drawn
			m["w"] = 64
		}
		m["tool"], m["phase"], m["mode"] = pick("turn", "pan", "zoom", "light", "ball", "edge", "ask", "pick", "", "axe"), pick("down", "move", "up", "", "sideways"), pick("highlight", "shadow", "itself", "")
		m["final"], m["fresh"] = pick(true, false, false), pick(true, false)
		edit := map[string]any{"op": pick("node.set", "model.add", "look.remove", "group.expose", "ramp.stop", "camera.set", "light.set", "nothing"), "look": pick(texts...), "node": pick(texts...), "id": pick("sun", "model1"), "key": pick(texts...), "kind": pick("sphere", "sky", ""),
			"value": pick(nil, 1, "x", []any{}, map[string]any{"distance": 1e-300}, map[string]any{"azimuth": 1}), "as": pick("", "number", "json", "vector")}
		m["edits"] = []any{edit, edit}[:r.IntN(3)]
		if r.IntN(3) == 0 {
			m["items"] = []any{map[string]any{"name": pick(texts...), "edits": []any{edit}}}
		}
		if r.IntN(15) == 0 { // of another type
			m[pick("look", "w", "x", "t", "edits", "final").(string)] = pick(nil, 5, "x", []any{}, map[string]any{}, -1, true)
		}
		data, err := json.Marshal(m)
		require.NoError(t, err)
		if r.IntN(20) == 0 {
			data = data[:r.IntN(len(data))]
		}
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		err = conn.Write(ctx, websocket.MessageText, data)
		cancel()
		if i%10 == 9 { // now and then it is drawn
			time.Sleep(20 * time.Millisecond)
		}
		if err != nil || i%200 == 199 {
			conn.CloseNow()
			conn = dial()
		}
	}
	conn.CloseNow()
	_, _, err := s.store.Edit(context.Background(), s.id, []project.Edit{{Op: "project.rename", Name: "still here"}})
	require.NoError(t, err)
	code, text := s.edit(`{"op":"light.set","id":"sun","key":"strength","value":0.7}`)
	require.Equal(t, 200, code, text)
	version := s.project().Version
	good.until("its picture", func() bool { return good.done && good.of >= version })
	assert.Equal(t, "still here", s.project().Project.Name)
}
