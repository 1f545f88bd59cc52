package web

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"image"
	"image/png"
	"net/http"
	"reflect"
	"runtime"
	"sync"
	"time"

	"github.com/coder/websocket"
	"github.com/labstack/echo/v5"

	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/store"
)

// The live picture: one WebSocket for each tab. The browser sends what it looks
// at and what the hand does, as JSON; the server sends frames and card pictures
// as binary messages, everything else as JSON. What the hand is still moving is
// drawn but not stored; it is stored when the hand rests.

// Binary messages begin with one byte that tells what they are.
const (
	frameMessage = 1 // byte passes, byte done, byte scale; uint32 seq, version; uint16 W, H, x, y, w, h; RGBA
	cardsMessage = 2 // uint16 count; for each: byte length, "node.port", uint16 w, h, RGBA
	ballMessage  = 3 // uint16 size; RGBA
)

// said is a message from the browser.
type said struct {
	T     string  `json:"t"` // view, try, drop, hand, seen
	Seq   uint32  `json:"seq"`
	W     int     `json:"w"`
	H     int     `json:"h"`
	Look  string  `json:"look"`
	Node  string  `json:"node"`
	Peek  string  `json:"peek"` // "node.port", "" for the finished picture
	Edits []wish  `json:"edits"`
	Tool  string  `json:"tool"` // turn, pan, zoom, light or ball
	Sun   string  `json:"sun"`
	X0    float64 `json:"x0"` // where the hand went down and where it is, in picture heights from the top left corner
	Y0    float64 `json:"y0"`
	X     float64 `json:"x"`
	Y     float64 `json:"y"`
	Final bool    `json:"final"`
}

// session is one open tab.
type session struct {
	server *Server
	id     string
	conn   *websocket.Conn
	ctx    context.Context
	stop   context.CancelFunc
	wake   chan struct{}

	mu      sync.Mutex
	state   *store.State
	view    said           // the last "view"
	trial   []project.Edit // what the hand moves, not stored
	hand    bool           // whether the hand moves the camera or a light
	forHand bool           // whether what is being drawn is for that
	from    *stage.Stage   // the stage when the hand went down
	seq     uint32
	dirty   bool
	told    *store.State // what the browser was told of
	cancel  context.CancelFunc
	settles bool // the first picture has been shown: a change may cancel what runs

	// Of the drawing goroutine alone.
	renderer *picture.Renderer
	ball     *picture.Renderer
	scene    *stage.Scene
	ballAt   *stage.Scene
	sent     []byte // what the browser shows
	sentW    int
	whole    bool   // whether sent holds a whole picture
	pix      []byte // what was encoded last
	coarse   int    // pictures for the hand are 1/coarse of the size
	thumbed  int64
}

const (
	minSide    = 16
	maxSide    = 4096
	samples    = 16
	ballSize   = 76
	targetTime = 50 * time.Millisecond // for a picture while the camera or a light moves
	maxCoarse  = 4
	stillTime  = 150 * time.Millisecond // until a hand counts as resting
)

func (v *Server) live(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	conn, err := websocket.Accept(c.Response(), c.Request(), &websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		return nil // Accept has answered
	}
	conn.SetReadLimit(maxEditBytes)
	ctx, cancel := context.WithCancel(context.Background())
	s := &session{server: v, id: st.ID, conn: conn, ctx: ctx, stop: cancel, wake: make(chan struct{}, 1), state: st,
		coarse: 2, renderer: picture.NewRenderer(runtime.GOMAXPROCS(0)), ball: picture.NewRenderer(1)}
	v.hub.add(st.ID, s)
	var wg sync.WaitGroup
	wg.Go(s.draw)
	s.listen()
	cancel()
	wg.Wait()
	v.hub.remove(st.ID, s)
	conn.CloseNow()
	return nil
}

// stored takes the state that has just been stored.
func (s *session) stored(st *store.State) {
	s.mu.Lock()
	if s.state == nil || st.Version > s.state.Version {
		s.state = st
	}
	s.touch()
	s.mu.Unlock()
}

// touch asks for a new picture; s.mu is held.
func (s *session) touch() {
	s.dirty = true
	// A first picture runs to its end, or none would ever be seen; but once the
	// hand has let go, what was drawn for it is of no use.
	if (s.settles || s.forHand && !s.hand) && s.cancel != nil {
		s.cancel()
	}
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// listen reads messages until the tab is gone.
func (s *session) listen() {
	for {
		_, data, err := s.conn.Read(s.ctx)
		if err != nil {
			return
		}
		var m said
		if err := json.Unmarshal(data, &m); err != nil {
			s.tell(map[string]any{"t": "problem", "error": "The page sent something that could not be read."})
			continue
		}
		if err := s.take(m); err != nil {
			s.tell(map[string]any{"t": "problem", "error": sentence(err).Message})
		}
	}
}

func (s *session) take(m said) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.seq = m.Seq
	switch m.T {
	case "view":
		m.W, m.H = max(minSide, min(maxSide, m.W)), max(minSide, min(maxSide, m.H))
		s.view = m
	case "try":
		edits, err := settled(m.Edits)
		if err != nil {
			return err
		}
		s.trial, s.hand = edits, false
	case "drop":
		s.trial, s.hand, s.from = nil, false, nil
	case "hand":
		return s.move(m)
	default:
		return nil
	}
	s.touch()
	return nil
}

// move follows the hand on the picture; s.mu is held. What it did is stored when
// the hand lets go.
func (s *session) move(m said) error {
	if s.from == nil {
		from := s.state.Project.Stage
		s.from = &from
	}
	e, err := gesture(s.from, m)
	if err != nil {
		return err
	}
	s.trial, s.hand = []project.Edit{e}, !m.Final
	s.touch()
	if !m.Final {
		return nil
	}
	s.from = nil
	s.mu.Unlock()
	defer s.mu.Lock()
	st, _, err := s.server.store.Edit(s.ctx, s.id, []project.Edit{e})
	if err == nil {
		s.server.hub.changed(st)
	}
	// Only now, so that no picture shows the state from before.
	s.mu.Lock()
	s.trial = nil
	s.touch()
	s.mu.Unlock()
	return err
}

// tell sends a JSON message.
func (s *session) tell(v any) {
	data, err := json.Marshal(v)
	if err == nil {
		s.send(websocket.MessageText, data)
	}
}

func (s *session) send(kind websocket.MessageType, data []byte) {
	ctx, cancel := context.WithTimeout(s.ctx, 20*time.Second)
	defer cancel()
	if err := s.conn.Write(ctx, kind, data); err != nil {
		s.stop()
	}
}

// draw renders what was asked for last until the tab is gone.
func (s *session) draw() {
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-s.wake:
		}
		s.mu.Lock()
		if !s.dirty || s.view.W == 0 {
			s.mu.Unlock()
			continue
		}
		s.dirty, s.settles, s.forHand = false, false, s.hand
		ctx, cancel := context.WithCancel(s.ctx)
		s.cancel = cancel
		want := s.snapshot()
		s.mu.Unlock()
		err := s.picture(ctx, want)
		cancel()
		if err != nil && !errors.Is(err, context.Canceled) {
			s.tell(map[string]any{"t": "problem", "error": sentence(err).Message})
		}
	}
}

// affected returns the panels that show what differs between two states; old
// may be nil.
func affected(old, now *store.State) []string {
	all := []string{"top", "network", "bench", "stage", "hint"}
	if old == nil {
		return all
	}
	a, b := old.Project.Stage, now.Project.Stage
	a.Camera = b.Camera
	if reflect.DeepEqual(a, b) && reflect.DeepEqual(old.Project.Looks, now.Project.Looks) && old.Project.Name == now.Project.Name {
		return []string{"top", "stage"} // the camera alone has moved
	}
	return all
}

// wanted is what one picture is made from.
type wanted struct {
	project *project.Project
	state   *store.State
	view    said
	hand    bool
	trial   bool
	seq     uint32
	tell    bool
	panels  []string // that the news concerns
	err     error
}

// snapshot returns the stored project with the hand's changes; s.mu is held.
func (s *session) snapshot() wanted {
	w := wanted{project: s.state.Project, state: s.state, view: s.view, hand: s.hand, trial: len(s.trial) > 0, seq: s.seq}
	if len(s.trial) > 0 {
		p := s.state.Project.Clone()
		for i := range s.trial {
			e := s.trial[i]
			if _, err := p.Apply(&e); err != nil {
				w.err = err
				break
			}
		}
		if w.err == nil {
			w.project = p
		}
	}
	if s.told != s.state {
		w.tell, w.panels = true, affected(s.told, s.state)
		s.told = s.state
	}
	return w
}

func (s *session) picture(ctx context.Context, w wanted) error {
	if w.tell {
		s.tell(map[string]any{"t": "stored", "version": w.state.Version, "undo": w.state.Undo, "redo": w.state.Redo, "panels": w.panels})
	}
	if w.err != nil {
		return w.err
	}
	sc, err := stage.NewScene(&w.project.Stage, s.server.surfaces.get, s.scene)
	if err != nil {
		return err
	}
	s.scene = sc
	job := picture.Job{Scene: sc, Looks: w.project.Networks(), W: w.view.W, H: w.view.H, Samples: samples}
	if w.view.Peek != "" {
		ref := network.ParseRef(w.view.Peek)
		if l := w.project.Look(w.view.Look); l != nil && l.Node(ref.Node) != nil {
			job.Peek = &picture.Peek{Look: l.ID, Ref: ref}
		}
	}
	scale := 1
	if w.hand {
		// Smaller pictures while the view moves, so that the hand feels no lag.
		scale = s.coarse
		job.W, job.H, job.Samples = max(minSide, job.W/scale), max(minSide, job.H/scale), 1
	}
	start, first := time.Now(), true
	err = s.renderer.Render(ctx, job, func(res *picture.Result) {
		if first {
			first = false
			if w.hand {
				s.coarse = nextCoarse(scale, time.Since(start))
			}
			s.mu.Lock()
			s.settles = true
			if s.dirty {
				s.cancel()
			}
			s.mu.Unlock()
		}
		s.frame(res, w, scale)
		if res.Passes == 1 {
			s.histogram(w)
			if w.hand {
				s.drawBall(w)
			}
			if w.trial {
				s.rest(ctx)
			}
		}
	})
	if err != nil {
		return err
	}
	if w.hand {
		return nil
	}
	s.drawBall(w)
	if err := s.cards(ctx, w); err != nil {
		return err
	}
	if !w.trial && job.Peek == nil {
		s.thumb(w)
	}
	return nil
}

// nextCoarse returns how coarse the next picture for the hand should be, after
// one that was 1/n of the size took so long. A finer one takes at most as many
// times as long as it has pixels.
func nextCoarse(n int, took time.Duration) int {
	switch {
	case took > targetTime && n < maxCoarse:
		return n + 1
	case n > 1 && took*time.Duration(n*n) < targetTime*time.Duration((n-1)*(n-1)):
		return n - 1
	}
	return n
}

// rest waits until the hand has been still for a moment, or ctx ends: while it
// moves, the processor is better kept free for the next first picture.
func (s *session) rest(ctx context.Context) {
	t := time.NewTimer(stillTime)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}

// frame sends the part of the picture that differs from what was sent last.
func (s *session) frame(res *picture.Result, want wanted, scale int) {
	n := 4 * res.W * res.H
	area := res.Dirty
	if len(s.pix) != n || s.sentW != res.W {
		s.pix, s.sent, s.sentW, s.whole = make([]byte, n), make([]byte, n), res.W, false
		area = res.Bounds()
	}
	res.RGBA(s.pix, area)
	if !s.whole {
		area, s.whole = res.Bounds(), true
	} else {
		area = changed(s.sent, s.pix, res.W, area)
	}
	w := area.Dx()
	const head = 24
	msg := make([]byte, head, head+4*w*area.Dy())
	done := byte(0)
	if res.Done {
		done = 1
	}
	msg[0], msg[1], msg[2], msg[3] = frameMessage, byte(min(255, res.Passes)), done, byte(scale)
	binary.LittleEndian.PutUint32(msg[4:], want.seq)
	binary.LittleEndian.PutUint32(msg[8:], uint32(want.state.Version))
	for i, v := range [6]int{res.W, res.H, area.Min.X, area.Min.Y, w, area.Dy()} {
		binary.LittleEndian.PutUint16(msg[12+2*i:], uint16(v))
	}
	for y := area.Min.Y; y < area.Max.Y; y++ {
		row := s.pix[4*(y*res.W+area.Min.X) : 4*(y*res.W+area.Max.X)]
		copy(s.sent[4*(y*res.W+area.Min.X):], row)
		msg = append(msg, row...)
	}
	s.send(websocket.MessageBinary, msg)
}

// changed returns the smallest rectangle within area outside of which two
// pictures of width w are alike.
func changed(a, b []byte, w int, area image.Rectangle) image.Rectangle {
	x0, x1, y0, y1 := area.Max.X, area.Min.X, area.Max.Y, area.Min.Y
	for y := area.Min.Y; y < area.Max.Y; y++ {
		p, q := a[4*(y*w+area.Min.X):4*(y*w+area.Max.X)], b[4*(y*w+area.Min.X):4*(y*w+area.Max.X)]
		if bytes.Equal(p, q) {
			continue
		}
		y0, y1 = min(y0, y), y+1
		at := func(x int) bool { i := 4 * (x - area.Min.X); return bytes.Equal(p[i:i+4], q[i:i+4]) }
		left := area.Min.X
		for left < x0 && at(left) {
			left++
		}
		right := area.Max.X
		for right > x1 && at(right-1) {
			right--
		}
		x0, x1 = min(x0, left), max(x1, right)
	}
	if x1 <= x0 {
		return image.Rectangle{}
	}
	return image.Rect(x0, y0, x1, y1)
}

// histogram sends how the tones that the chosen ramp reads are spread over the
// picture.
func (s *session) histogram(w wanted) {
	l := w.project.Look(w.view.Look)
	if l == nil {
		return
	}
	d := l.Node(w.view.Node)
	if d == nil || d.Kind != "ramp" {
		return
	}
	h, err := s.renderer.Histogram(s.ctx, l.ID, d.ID, "tone", 128)
	if err != nil {
		return
	}
	s.tell(map[string]any{"t": "tones", "node": d.ID, "bins": h.Bins, "total": h.Total})
}

// cards sends the pictures of the look's nodes.
func (s *session) cards(ctx context.Context, w wanted) error {
	l := w.project.Look(w.view.Look)
	if l == nil {
		return nil
	}
	cards, err := s.renderer.Cards(ctx, l.ID, cardW, cardH)
	if err != nil {
		return err
	}
	msg := []byte{cardsMessage, 0, 0}
	binary.LittleEndian.PutUint16(msg[1:], uint16(len(cards)))
	for _, c := range cards {
		name := c.Ref.String()
		msg = append(msg, byte(len(name)))
		msg = append(msg, name...)
		msg = binary.LittleEndian.AppendUint16(msg, uint16(cardW))
		msg = binary.LittleEndian.AppendUint16(msg, uint16(cardH))
		msg = append(msg, c.Pix...)
	}
	s.send(websocket.MessageBinary, msg)
	return nil
}

var ballSurface = sync.OnceValues(func() (*mesh.Surface, error) { return mesh.NewSurface(mesh.Sphere(1, 96, 48), 180) })

// drawBall sends the light ball: a sphere in the look, under the stage's suns.
func (s *session) drawBall(w wanted) {
	st := w.project.Stage
	st.Models = []stage.Model{{ID: "ball", Name: "ball", Solid: "sphere", Scale: 1, Looks: map[string]string{"Sphere": w.view.Look}}}
	st.Camera = stage.Camera{Azimuth: st.Camera.Azimuth, Elevation: st.Camera.Elevation, Distance: 4, Angle: 29.5, Ortho: true}
	st.Backdrop.None = true
	sc, err := stage.NewScene(&st, func(*stage.Model) (*mesh.Surface, error) { return ballSurface() }, s.ballAt)
	if err != nil {
		return
	}
	s.ballAt = sc
	msg := binary.LittleEndian.AppendUint16([]byte{ballMessage}, ballSize)
	job := picture.Job{Scene: sc, Looks: w.project.Networks(), W: ballSize, H: ballSize, Samples: 4}
	if w.hand {
		job.Samples = 1
	}
	err = s.ball.Render(s.ctx, job, func(res *picture.Result) {
		if res.Done {
			msg = append(msg, make([]byte, 4*ballSize*ballSize)...)
			res.RGBA(msg[3:], res.Bounds())
		}
	})
	if err == nil {
		s.send(websocket.MessageBinary, msg)
	}
}

// thumb keeps a small picture of a settled project for the shelf.
func (s *session) thumb(w wanted) {
	if s.thumbed == w.state.Version {
		return
	}
	s.thumbed = w.state.Version
	var buf bytes.Buffer
	if err := png.Encode(&buf, s.renderer.Small(320, 200)); err != nil {
		return
	}
	if err := s.server.store.SetPicture(s.ctx, s.id, buf.Bytes()); err != nil && s.ctx.Err() == nil {
		s.server.log.Warn("shelf picture not kept", "error", err)
	}
}

// panel names that may be asked for.
var panels = map[string]bool{"top": true, "network": true, "bench": true, "stage": true, "hint": true}

func (v *Server) panel(c *echo.Context) error {
	name := c.Param("panel")
	if !panels[name] {
		return echo.ErrNotFound
	}
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, name, d)
}
