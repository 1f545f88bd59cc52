package web_test

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// guest is a tab in a crowd: what it says is chance, what it hears is counted.
type guest struct {
	s      *studio
	id     string
	rnd    *rand.Rand
	conn   *websocket.Conn
	heard  sync.WaitGroup
	frames atomic.Int64 // pictures that came
	plays  atomic.Int64 // of which while it played
	seq    int
}

// enter opens the tab, and reads all that comes until it is closed.
func (g *guest) enter(t *testing.T) {
	conn, _, err := websocket.Dial(context.Background(), strings.Replace(g.s.srv.URL, "http", "ws", 1)+"/p/"+g.id+"/live", nil)
	if !assert.NoError(t, err) {
		return
	}
	conn.SetReadLimit(64 << 20)
	g.conn = conn
	g.heard.Go(func() {
		for {
			kind, data, err := conn.Read(context.Background())
			if err != nil {
				return
			}
			var m struct {
				T, Error string
				On       bool
			}
			switch {
			case kind == websocket.MessageBinary && data[0] == 1:
				g.frames.Add(1)
			case kind == websocket.MessageText && json.Unmarshal(data, &m) == nil:
				assert.NotContains(t, m.Error, "inside")
				assert.NotContains(t, m.Error, "went wrong")
				if m.T == "play" && m.On {
					g.plays.Add(1)
				}
			}
		}
	})
}

func (g *guest) leave() {
	if g.conn != nil {
		g.conn.CloseNow()
	}
	g.heard.Wait()
}

func (g *guest) say(format string, args ...any) {
	g.seq++
	text := fmt.Sprintf(`{"seq":%d,`, g.seq) + fmt.Sprintf(format, args...) + "}"
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	_ = g.conn.Write(ctx, websocket.MessageText, []byte(text))
}

func (g *guest) view() {
	sizes := [][2]int{{96, 64}, {480, 320}, {640, 400}}
	size := sizes[g.rnd.IntN(len(sizes))]
	peek := []string{"", "", "n1.tone", "n2.colour"}[g.rnd.IntN(4)]
	other := []string{"", "", "", "look2"}[g.rnd.IntN(4)]
	g.say(`"t":"view","w":%d,"h":%d,"look":"look1","node":"n2","peek":%q,"other":%q,"tool":"light"`, size[0], size[1], peek, other)
}

// act does one of the things that a hand does.
func (g *guest) act(t *testing.T) {
	rest := func() { time.Sleep(time.Duration(g.rnd.IntN(40)) * time.Millisecond) }
	switch g.rnd.IntN(12) {
	case 0, 1, 2, 3: // plays, and turns meanwhile
		g.say(`"t":"play","on":true`)
		for k := range g.rnd.IntN(12) {
			rest()
			if k%2 == 1 {
				g.say(`"t":"hand","tool":"turn","x0":0.6,"y0":0.5,"x":%f,"y":0.5,"final":%v`, g.rnd.Float64()*1.5, g.rnd.IntN(2) == 0)
			}
		}
	case 4:
		g.say(`"t":"play","on":false`)
	case 5, 6: // turns, pans or zooms, moves a light or the time
		tool := []string{"turn", "pan", "zoom", "light", "time"}[g.rnd.IntN(5)]
		n := 1 + g.rnd.IntN(5)
		for k := range n {
			g.say(`"t":"hand","tool":%q,"light":"sun","mode":"shadow","x0":0.6,"y0":0.5,"x":%f,"y":%f,"final":%v`, tool, g.rnd.Float64()*1.5, g.rnd.Float64(), k == n-1)
			rest()
		}
	case 7:
		edits := []string{
			fmt.Sprintf(`{"op":"light.set","id":"sun","key":"azimuth","value":%d}`, g.rnd.IntN(360)),
			`{"op":"ramp.flip","look":"look1","node":"n2"}`,
			`{"op":"model.add","kind":"torus"}`,
			`{"op":"model.remove","id":"model3"}`,
			`{"op":"look.assign","id":"model1","look":"look2"}`,
			fmt.Sprintf(`{"op":"time.set","key":"length","value":%d}`, 1+g.rnd.IntN(3)),
			`{"op":"staging.add"}`,
		}
		_, _ = g.s.do("POST", "/p/"+g.id+"/edit", strings.NewReader(`{"edits":[`+edits[g.rnd.IntN(len(edits))]+`]}`), map[string]string{"Content-Type": "application/json", "Accept": "application/json"})
	case 8:
		g.view()
	case 9:
		g.say(`"t":"point","tool":"ask","phase":"down","x":%f,"y":%f`, g.rnd.Float64()*1.5, g.rnd.Float64())
	case 10:
		g.say(`"t":"try","edits":[{"op":"light.set","id":"sun","key":"elevation","value":%d}]`, g.rnd.IntN(90))
		rest()
		g.say(`"t":"drop"`)
	case 11:
		g.leave()
		g.enter(t)
		g.view()
	}
	rest()
}

// Tabs that play more than there is time for get a share each: none waits until another has all of its frames.
func TestTabsThatPlayShareTheWork(t *testing.T) {
	s := moving(t)
	code, text := s.edit(`{"op":"time.set","key":"length","value":60},{"op":"time.set","key":"rate","value":24}`)
	require.Equal(t, 200, code, text)
	const n, each = 6, 5
	tabs := make([]*guest, n)
	for i := range tabs {
		g := &guest{s: s, id: s.id, rnd: rand.New(rand.NewPCG(uint64(i), 1))}
		g.enter(t)
		defer g.leave()
		g.say(`"t":"view","w":200,"h":130,"look":"look1"`)
		tabs[i] = g
	}
	for _, g := range tabs {
		g.say(`"t":"play","on":true`)
	}
	shown := func() (sum int, least int64) {
		least = math.MaxInt64
		for _, g := range tabs {
			sum, least = sum+int(g.plays.Load()), min(least, g.plays.Load())
		}
		return sum, least
	}
	for until := time.Now().Add(2 * time.Minute); time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		if sum, _ := shown(); sum >= n*each {
			break
		}
	}
	sum, least := shown()
	require.GreaterOrEqual(t, sum, n*each)
	assert.GreaterOrEqual(t, least, int64(2), "of %d frames that all have shown together", sum)
}

// A crowd of tabs that play blobs, turn, edit, ask, and come and go ends nothing: no slip is logged (see behind), and all
// of them still get pictures afterwards. MOBANTA_SOAK=10m MOBANTA_CROWD=40 makes it long.
func TestACrowdThatPlaysTurnsAndEdits(t *testing.T) {
	length, err := time.ParseDuration(cmp.Or(os.Getenv("MOBANTA_SOAK"), "6s"))
	require.NoError(t, err)
	usual := "10"
	if testing.Short() {
		usual = "4" // with the race detector each tab costs ten times as much
	}
	n, err := strconv.Atoi(cmp.Or(os.Getenv("MOBANTA_CROWD"), usual))
	require.NoError(t, err)
	s := moving(t)
	ids := []string{s.id}
	for range 3 {
		id, err := s.store.Create(context.Background(), s.project().Project)
		require.NoError(t, err)
		ids = append(ids, id)
	}
	end := time.Now().Add(length)
	guests := make([]*guest, n)
	var wg sync.WaitGroup
	for i := range guests {
		g := &guest{s: s, id: ids[i%len(ids)], rnd: rand.New(rand.NewPCG(uint64(i), 25))}
		guests[i] = g
		wg.Go(func() {
			g.enter(t)
			g.view()
			for (time.Now().Before(end) || g.frames.Load() == 0 && time.Now().Before(end.Add(2*time.Minute))) && !t.Failed() {
				g.act(t)
			}
		})
	}
	wg.Wait()
	for _, g := range guests {
		g.leave()
	}
	sum := int64(0)
	for i, g := range guests {
		sum += g.frames.Load()
		assert.Positive(t, g.frames.Load(), "tab %d", i)
	}
	t.Logf("%d pictures for %d tabs in %v", sum, n, length)
	for _, id := range ids {
		s.id = id
		b := s.tab(t)
		b.say(map[string]any{"t": "view", "w": 60, "h": 40, "look": "look1"})
		b.settled()
		assert.Equal(t, offline(t, s.project().Project, 60, 40), b.pix)
	}
}
