package web_test

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"os"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Runs that can be made as long as one likes: MOBANTA_SOAK=60s, MOBANTA_TABS=1000.

// Eight clients edit one project and projects of their own, with tabs that watch: no
// edit is refused, and the versions add up.
func TestEightClients(t *testing.T) {
	length, err := time.ParseDuration(cmp.Or(os.Getenv("MOBANTA_SOAK"), "2s"))
	require.NoError(t, err)
	s := withBall(t)
	start := s.project().Version
	type client struct {
		own  string
		took []time.Duration
	}
	clients := make([]client, 8)
	for k := range clients {
		code, body := s.do("POST", "/projects", strings.NewReader("name=own"), map[string]string{"Content-Type": "application/x-www-form-urlencoded"})
		require.Equal(t, 303, code, body)
		list, err := s.store.Projects(context.Background(), false)
		require.NoError(t, err)
		for _, p := range list {
			if p.ID != s.id && !slices.ContainsFunc(clients, func(o client) bool { return o.own == p.ID }) {
				clients[k].own = p.ID
			}
		}
	}
	var wg sync.WaitGroup
	end := time.Now().Add(length)
	for k := range clients {
		c := &clients[k]
		if k%4 == 0 {
			b := s.tab(t)
			b.say(map[string]any{"t": "view", "w": 64, "h": 48, "look": "look1"})
			wg.Go(func() {
				for time.Now().Before(end) {
					ctx, cancel := context.WithDeadline(context.Background(), end)
					_, _, err := b.conn.Read(ctx)
					cancel()
					if err != nil {
						return
					}
				}
			})
		}
		wg.Go(func() {
			for i := 0; time.Now().Before(end); i++ {
				id := s.id
				if i%2 == 1 {
					id = c.own
				}
				began := time.Now()
				code, answer := s.do("POST", "/p/"+id+"/edit", strings.NewReader(fmt.Sprintf(`{"edits":[{"op":"light.set","id":"sun","key":"azimuth","value":%d}]}`, k*10+i%10)),
					map[string]string{"Content-Type": "application/json", "Accept": "application/json"})
				c.took = append(c.took, time.Since(began))
				if !assert.Equal(t, 200, code, answer) {
					return
				}
			}
		})
	}
	wg.Wait()
	common, all := 0, []time.Duration{}
	for _, c := range clients {
		common += (len(c.took) + 1) / 2
		st, err := s.store.Load(context.Background(), c.own)
		require.NoError(t, err)
		assert.EqualValues(t, 1+len(c.took)/2, st.Version)
		all = append(all, c.took...)
	}
	assert.EqualValues(t, int(start)+common, s.project().Version)
	slices.Sort(all)
	t.Logf("%d edits: median %v, p99 %v, longest %v", len(all), all[len(all)/2], all[len(all)*99/100], all[len(all)-1])
}

// resident returns the memory that the process has, in MB.
func resident(t *testing.T) int {
	t.Helper()
	status, err := os.ReadFile("/proc/self/status")
	require.NoError(t, err)
	_, rest, _ := strings.Cut(string(status), "VmRSS:")
	kb, err := strconv.Atoi(strings.Fields(rest)[0])
	require.NoError(t, err)
	return kb >> 10
}

func openFiles(t *testing.T) int {
	t.Helper()
	list, err := os.ReadDir("/proc/self/fd")
	require.NoError(t, err)
	return len(list)
}

// settles waits until a count is no more than it was.
func settles(count func() int, was int) int {
	n := count()
	for range 200 {
		if n = count(); n <= was {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	return n
}

// What is closed is let go: goroutines, files and memory are as before.
func TestTabsThatAreClosedAreLetGo(t *testing.T) {
	n, err := strconv.Atoi(cmp.Or(os.Getenv("MOBANTA_TABS"), "16"))
	require.NoError(t, err)
	debug.SetMemoryLimit(360 << 20) // as the program does
	t.Cleanup(func() { debug.SetMemoryLimit(math.MaxInt64) })
	s := withBall(t)
	open := func(count, w, h int, shown func(b *tab) bool) {
		for done := 0; done < count; done += 8 {
			var wg sync.WaitGroup
			for range min(8, count-done) {
				b := s.tab(t)
				b.say(map[string]any{"t": "view", "w": w, "h": h, "look": "look1"})
				wg.Go(func() { b.until("a picture", func() bool { return shown(b) }) })
			}
			wg.Wait()
			for _, c := range s.tabs {
				c.conn.CloseNow()
			}
			s.tabs = nil
		}
		http.DefaultClient.CloseIdleConnections()
	}
	settled := func(b *tab) bool { return b.done }
	open(8, 320, 200, settled)
	time.Sleep(3 * time.Second) // until what was closed has been aired
	goroutines, files, memory := runtime.NumGoroutine(), openFiles(t), resident(t)
	open(n, 320, 200, settled)
	open(2, 2048, 2048, func(b *tab) bool { return len(b.pix) >= 4*2048*2048 || b.done }) // and a few large ones, until they are seen at all
	high := resident(t)
	assert.LessOrEqual(t, settles(runtime.NumGoroutine, goroutines), goroutines+2)
	// A busy machine may have opened a connection more to the database, which stays: two files each.
	assert.LessOrEqual(t, settles(func() int { return openFiles(t) }, files), files+8)
	after := settles(func() int { return resident(t) }, memory+90)
	t.Logf("before %d MB, at most seen %d MB, after %d MB", memory, high, after)
	assert.LessOrEqual(t, after, memory+100)
}

// A project without looks cannot come to be, and a trial that cannot be drawn ends
// nothing: the tab goes on, and so do all others.
func TestASlipInDrawingEndsNothing(t *testing.T) {
	s := withBall(t)
	b, other := s.tab(t), s.tab(t)
	for _, tab := range []*tab{b, other} {
		tab.say(map[string]any{"t": "view", "w": 64, "h": 48, "look": "look1"})
		tab.until("a picture", func() bool { return tab.done })
	}
	for _, edits := range []string{
		`[{"op":"model.add","kind":"sphere","look":"gone"},{"op":"look.remove","look":"look1"}]`,
		`[{"op":"group.expose","group":"","key":""}]`,
		`[{"op":"node.set","look":"look1","node":"n2","key":"stops","value":[]}]`,
		`[{"op":"camera.set","value":{"distance":1e-30}}]`,
	} {
		var list []any
		require.NoError(t, json.Unmarshal([]byte(edits), &list))
		b.say(map[string]any{"t": "try", "edits": list})
		b.until("an answer", func() bool { return len(b.news) > 0 && b.news[len(b.news)-1]["t"] == "problem" || b.done })
	}
	b.say(map[string]any{"t": "drop"})
	code, text := s.edit(`{"op":"light.set","id":"sun","key":"azimuth","value":70}`)
	require.Equal(t, 200, code, text)
	version := s.project().Version
	for _, tab := range []*tab{b, other} {
		tab.until("its picture", func() bool { return tab.done && tab.of == version })
	}
}
