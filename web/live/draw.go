package live

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"image"
	"image/png"
	"math"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/coder/websocket"

	"mobanta/core/check"
	"mobanta/core/eval"
	"mobanta/core/frame"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/priority"
	"mobanta/core/project"
	"mobanta/core/reel"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/store"
)

// draw renders what was asked for last until the tab is gone.
func (s *drawer) draw() {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-s.wake:
		case <-timer.C:
		}
		s.until = time.Hour
		if err := s.guarded("drawing", s.round); err != nil {
			s.problem(err)
			if errors.Is(err, ErrInside) && s.guarded("renewing", func() error { s.renew(); return nil }) != nil {
				s.stop() // nothing of this tab can be trusted any more: the page opens another
				return
			}
		}
		timer.Reset(s.until)
	}
}

// round does what is asked for now.
func (s *drawer) round() error {
	s.mu.Lock()
	drop, asked := s.wear, len(s.points) > 0
	s.wear = nil
	s.mu.Unlock()
	s.renderers(func(r **picture.Renderer, _ priority.Level) { (*r).Heard = s.heard.Load() })
	if plays, err := s.plays(drop != nil || asked); plays {
		return err
	}
	defer s.renderer.Use()()
	if (drop != nil || asked) && s.drawn.project != nil && !s.renderer.Holds() {
		// Others needed the room: the picture that is asked about is drawn again.
		again := s.drawn
		again.tell = false
		if err := s.picture(s.ctx, again); err != nil {
			return err
		}
	}
	if drop != nil {
		s.assign(*drop)
	}
	if asked {
		s.answer()
	}
	s.mu.Lock()
	if !s.dirty || s.view.W == 0 {
		s.mu.Unlock()
		s.previews()
		return nil
	}
	s.dirty, s.settles, s.forHand = false, false, s.hand
	ctx, cancel := context.WithCancel(s.ctx)
	defer cancel()
	s.cancel = cancel
	want := s.snapshot()
	s.mu.Unlock()
	want.try()
	if err := s.picture(ctx, want); err != nil {
		return err
	}
	s.previews()
	return nil
}

// renew lets go of all that the drawing goroutine has made so far: after a slip none
// of it is to be trusted.
func (s *drawer) renew() {
	s.hire()
	s.scene, s.ballAt, s.secondAt, s.smallAt, s.stripAt, s.drawn, s.grip = nil, nil, nil, nil, nil, wanted{}, nil
	s.whole = false
}

// affected returns the panels that show what differs between two states; old
// may be nil.
func affected(old, now *store.State) []string {
	all := []string{"network", "top", "list", "front", "colours", "bench", "stage", "stagings", "hint", "worn", "time"}
	if old == nil {
		return all
	}
	was := *old.Project
	was.Stage.Camera = now.Project.Stage.Camera
	if len(now.Project.Moves) == 0 {
		was.Stage.Time.At = now.Project.Stage.Time.At // nothing on panels depends on it
	}
	if reflect.DeepEqual(&was, now.Project) {
		return []string{"top", "stage", "stagings", "time"} // the camera alone has moved
	}
	return all
}

// wanted is what one picture is made from.
type wanted struct {
	project *project.Project
	looks   map[string]*network.Network // flat
	state   *store.State
	view    said
	hand    bool
	scrubs  bool
	plays   bool // it plays meanwhile
	trial   bool
	tried   []project.Edit // what the hand has done and is not stored
	seq     uint32
	tell    bool
	panels  []string // that the news concerns
	err     error
}

// snapshot returns what is to be drawn, the hand's changes not made yet; s.mu is
// held.
func (s *session) snapshot() wanted {
	w := wanted{project: s.state.Project, state: s.state, view: s.view, hand: s.hand, scrubs: s.scrubs, trial: len(s.trial) > 0, tried: s.trial, seq: s.seq}
	if s.told != s.state {
		w.tell, w.panels = true, affected(s.told, s.state)
		s.told = s.state
	}
	return w
}

// try makes the hand's changes, and shows the project at its moment; nobody waits for that.
func (w *wanted) try() {
	defer func() { w.project = w.project.Moment() }()
	if len(w.tried) == 0 {
		return
	}
	p := w.project.Clone()
	for _, e := range w.tried {
		if _, err := p.Apply(&e); err != nil {
			w.err = err
			return
		}
	}
	w.project = p
}

// tellStored tells the page what has been stored.
func (s *session) tellStored(w wanted) {
	s.tell(map[string]any{"t": "stored", "version": w.state.Version, "undo": w.state.Undo, "redo": w.state.Redo, "panels": w.panels})
}

func (s *drawer) picture(ctx context.Context, w wanted) error {
	defer s.renderer.Use()()
	defer s.small.Use()()
	if w.tell {
		s.tellStored(w)
	}
	if w.err != nil {
		return w.err
	}
	large := nodes(w.project) > manyNodes
	if w.tell && large && s.whole {
		s.rest(ctx, panelTime/2) // of a large network its cards come first, then the picture
	}
	kept, key, plays, err := s.ofReel(w)
	if err != nil {
		return err
	}
	if kept && w.hand {
		return nil
	}
	job, err := scene.Of(w.project, s.files, s.scene)
	if err != nil {
		return err
	}
	sc := job.Scene
	s.scene, w.looks = sc, job.Looks
	w.peek(&job, w.project)
	job.Samples = samples
	part := 1.0
	if !s.whole && !w.hand && large {
		// A large network takes its time: something is seen at once.
		if err := s.sketch(ctx, w, job); err != nil {
			return err
		}
		s.renderer.Borrow(s.moving)
	}
	if w.hand {
		// While the hand moves pictures are as large as lets them follow it; the page
		// scales them up.
		part = s.part
		if w.plays {
			part = min(part, playPart)
		}
		job.W, job.H, job.Samples, job.Quick = scaled(job.W, part), scaled(job.H, part), 1, true
	}
	if err := s.render(ctx, w, job, part, kept, plays, key); err != nil {
		return err
	}
	if w.view.Other != "" {
		if err := s.compare(ctx, w, job, part); err != nil {
			return err
		}
	}
	if w.hand {
		return nil
	}
	return s.besides(ctx, w, job)
}

// render draws a job and sends what it comes to, as it settles. kept tells that the page has its picture from the reel already,
// plays that the reel is to have it under the key.
func (s *drawer) render(ctx context.Context, w wanted, job scene.Job, part float64, kept, plays bool, key scene.Key) error {
	sc := job.Scene
	start, first := time.Now(), true
	by := s.renderer
	if w.hand {
		by = s.moving // the other keeps what it knows of the full size
		by.Borrow(s.renderer)
	}
	return by.Render(ctx, job, func(res *picture.Result) {
		begins := first
		if first = false; begins {
			if w.hand {
				s.part = s.pace.next(part, time.Since(start))
			} else {
				s.pace = pace{}
			}
			s.mu.Lock()
			s.settles = true
			if s.dirty {
				s.cancel()
			}
			s.mu.Unlock()
		}
		if !kept || res.Done {
			s.frame(res, w, part, left(res, w)) // what has settled already does not flicker
		}
		if plays && res.Done && !w.hand && !w.trial && w.view.Other == "" {
			f := reel.Frame{W: res.W, H: res.H, Pix: make([]byte, 4*res.W*res.H), Passes: res.Passes, Done: true}
			res.RGBA(f.Pix, res.Bounds())
			s.reel.Put(key, f)
		}
		if !w.hand {
			s.drawn = w
			s.answer()
		}
		if begins {
			s.tellHand(w, sc)
			s.histogram(w, by)
			if w.hand {
				s.drawBall(w)
			} else {
				s.drawStrip(w)
			}
			if w.trial {
				s.rest(ctx, stillTime)
			}
		}
	})
}

// besides sends what goes with a picture: the ball, cards, the picture on the shelf, checks.
func (s *drawer) besides(ctx context.Context, w wanted, job scene.Job) error {
	if w.tell {
		s.rest(ctx, panelTime) // the panels are on their way to the page
	}
	s.drawBall(w)
	if err := s.cards(ctx, w); err != nil {
		return err
	}
	if !w.trial && job.Peek == nil {
		s.thumb(w)
	}
	if !w.trial {
		return s.checks(ctx, w)
	}
	return nil
}

// checks looks for likely mistakes in what is stored, and shows them.
func (s *drawer) checks(ctx context.Context, w wanted) error {
	if s.checked == w.state.Version {
		return nil
	}
	list, err := check.Run(ctx, w.project, s.scene, w.looks, s.checker)
	if err != nil {
		return err
	}
	html, err := s.studio.pages.Checks(s.id, list, len(w.project.Dismissed))
	if err != nil {
		return err
	}
	s.checked = w.state.Version
	s.tell(map[string]any{"t": "checks", "count": len(list), "html": html})
	return nil
}

// lamps tells the page where in the picture the lights stand; those that it does
// not show are marked on its rim.
func (s *session) lamps(w wanted) {
	type lamp struct {
		ID    string  `json:"id"`
		Name  string  `json:"name"`
		X     float32 `json:"x"` // in picture heights from the top left corner
		Y     float32 `json:"y"`
		Seen  bool    `json:"seen"`
		Color string  `json:"color"`
	}
	list := []lamp{}
	v := w.project.Stage.Camera.View(w.view.W, w.view.H)
	for i := range w.project.Stage.Lights {
		if l := &w.project.Stage.Lights[i]; l.Kind.Placed() {
			x, y, seen := v.Mark(l.At)
			h := float32(v.H)
			list = append(list, lamp{l.ID, l.Name, x / h, y / h, seen, l.Color.Hex()})
		}
	}
	s.tell(map[string]any{"t": "lamps", "list": list})
}

// tellHand tells the light tool what it points into, and the page where lights stand.
func (s *drawer) tellHand(w wanted, sc *stage.Scene) {
	if w.view.Tool != "light" {
		return
	}
	defer s.lamps(w)
	if w.hand {
		return
	}
	a := aim{scene: sc, rays: s.renderer.Rays(), w: w.view.W, h: w.view.H}
	s.mu.Lock()
	s.aim = a
	s.mu.Unlock()
}

// sketch draws a first picture at a third of the size.
func (s *drawer) sketch(ctx context.Context, w wanted, job scene.Job) error {
	const third = 1.0 / 3
	job.W, job.H, job.Samples, job.Quick = scaled(job.W, third), scaled(job.H, third), 1, true
	return s.moving.Render(ctx, job, func(res *picture.Result) { s.frame(res, w, third, res.Bounds()) })
}

// nodes counts the nodes of a project.
func nodes(p *project.Project) int {
	sum := 0
	for i := range p.Looks {
		sum += len(p.Looks[i].Nodes)
	}
	for i := range p.Groups {
		sum += len(p.Groups[i].Nodes)
	}
	return sum
}

// left returns the part of the picture that shows the look itself: all of it, or
// its left-hand side.
func left(res *picture.Result, w wanted) image.Rectangle {
	b := res.Bounds()
	if w.view.Other != "" {
		b.Max.X = b.Dx() / 2
	}
	return b
}

// compare draws the right-hand side with another look in the look's place.
func (s *drawer) compare(ctx context.Context, w wanted, job scene.Job, part float64) error {
	other := w.project.Look(w.view.Other)
	if other == nil {
		return nil
	}
	st := w.project.Clone().Stage
	for i := range st.Models {
		for part, look := range st.Models[i].Looks {
			if look == w.view.Look {
				st.Models[i].Looks[part] = other.ID
			}
		}
	}
	sc, err := scene.Displaced(&st, s.files, w.looks, s.secondAt)
	if err != nil {
		return err
	}
	s.secondAt = sc
	job.Scene, job.Peek = sc, nil
	return s.second.Render(ctx, job, func(res *picture.Result) {
		b := res.Bounds()
		b.Min.X = b.Dx() / 2
		s.frame(res, w, part, b)
	})
}

// pace is how long the last pictures for the hand took that had one size.
type pace struct {
	part float64
	took []time.Duration
}

// next returns how large the next picture for the hand should be, in parts of the
// full size along each side, after one of a size took so long. The first of a size
// makes what the others of it find made, and says nothing; one that was late alone
// says nothing either. It goes up by little at a time, and stays where it is about right.
func (c *pace) next(part float64, took time.Duration) float64 {
	if c.part != part {
		*c = pace{part: part}
		return part
	}
	c.took = append(c.took, took)
	if len(c.took) < 2 {
		return part
	}
	low, high := slices.Min(c.took), slices.Max(c.took)
	c.took = c.took[1:]
	switch {
	case low > targetTime:
		took = low
	case high < targetTime:
		took = high
	default:
		return part
	}
	next := part * math.Sqrt(float64(targetTime)/float64(max(took, time.Millisecond)))
	next = max(leastPart, min(1, math.Round(20*min(next, 1.25*part))/20))
	if next > part*0.9 && next < part*1.1 && next < 1 {
		return part
	}
	return next
}

// scaled returns a part of a side.
func scaled(side int, part float64) int { return max(minSide, int(math.Round(float64(side)*part))) }

// rest waits a moment, or until ctx ends: while the hand moves, and while panels
// are made, the processor is better kept free for what is waited for.
func (s *session) rest(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}

// frame sends the part of the picture, within clip, that differs from what was
// sent last.
func (s *drawer) frame(res *picture.Result, want wanted, part float64, clip image.Rectangle) {
	area := res.Changed()
	if s.other != want.view.Other { // the two sides change places with the whole
		s.other, area = want.view.Other, res.Bounds()
	}
	if s.fit(res.W, res.H) {
		area = res.Bounds()
	}
	if clip != res.Bounds() {
		area = clip // one of two renderers: what is dirty to it says nothing of the whole
	}
	res.RGBA(s.pix, area)
	s.sendPix(res.W, res.H, res.Passes, res.Done, want, part, area)
}

// fit makes room for a picture of a size; it tells whether the last one had another.
func (s *drawer) fit(w, h int) bool {
	n := 4 * w * h
	if len(s.pix) == n && s.sentW == w {
		return false
	}
	s.pix, s.sent, s.sentW, s.whole = make([]byte, n), make([]byte, n), w, false
	return true
}

// sendPix sends what of s.pix differs within area from what was sent last.
func (s *drawer) sendPix(W, H, passes int, done bool, want wanted, part float64, area image.Rectangle) {
	if !s.whole {
		area, s.whole = image.Rect(0, 0, W, H), true
	} else {
		area = changed(s.sent, s.pix, W, area)
	}
	w := area.Dx()
	const head = 24
	msg := make([]byte, head, head+4*w*area.Dy())
	msg[0], msg[1], msg[3] = frameMessage, byte(min(255, passes)), byte(math.Round(100*part))
	if done {
		msg[2] = 1
	}
	binary.LittleEndian.PutUint32(msg[4:], want.seq)
	binary.LittleEndian.PutUint32(msg[8:], uint32(want.state.Version))
	for i, v := range [6]int{W, H, area.Min.X, area.Min.Y, w, area.Dy()} {
		binary.LittleEndian.PutUint16(msg[12+2*i:], uint16(v))
	}
	for y := area.Min.Y; y < area.Max.Y; y++ {
		row := s.pix[4*(y*W+area.Min.X) : 4*(y*W+area.Max.X)]
		copy(s.sent[4*(y*W+area.Min.X):], row)
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
func (s *session) histogram(w wanted, by *picture.Renderer) {
	l := w.project.Look(w.view.Look)
	if l == nil {
		return
	}
	id := strings.TrimPrefix(w.view.Path+"/"+w.view.Node, "/")
	flat := w.looks[l.ID].Node(id)
	if flat == nil || node.CutInput(flat) == "" {
		return
	}
	h, err := by.Histogram(s.ctx, l.ID, id, node.CutInput(flat), 512)
	if err != nil {
		return
	}
	s.tell(map[string]any{"t": "tones", "node": w.view.Node, "bins": h.Bins, "total": h.Total})
}

// drawStrip sends the chosen node at its true size, if it is of a kind that is shown so.
func (s *drawer) drawStrip(w wanted) {
	l := w.project.Look(w.view.Look)
	if l == nil {
		return
	}
	id := strings.TrimPrefix(w.view.Path+"/"+w.view.Node, "/")
	flat := w.looks[l.ID].Node(id)
	if flat == nil || node.StripOf(flat) == node.NoStrip {
		return
	}
	var pix []byte
	if node.StripOf(flat) == node.OnStroke {
		if pix = frame.PenStrip(flat, stripW, stripH, w.view.H); pix == nil {
			return
		}
	} else {
		job, err := frame.Strip(w.looks[l.ID], id, s.files, stripW, stripH, w.view.H, s.stripAt)
		if err != nil {
			return
		}
		s.stripAt = job.Scene
		pix = make([]byte, 4*stripW*stripH)
		if err := s.strip.Render(s.ctx, job, func(res *picture.Result) { res.RGBA(pix, res.Bounds()) }); err != nil {
			return
		}
	}
	if s.stripped.Name == w.view.Node && bytes.Equal(s.stripped.Pix, pix) {
		return
	}
	s.stripped = picture.CardPicture{Name: w.view.Node, Pix: pix}
	s.sendCards(stripMessage, []picture.CardPicture{s.stripped}, stripW, stripH)
}

// cards sends the pictures of the outputs of the network that is open, those
// that the page does not have.
func (s *drawer) cards(ctx context.Context, w wanted) error {
	l := w.project.Look(w.view.Look)
	if l == nil {
		return nil
	}
	cat := w.project.Catalogue()
	net := &l.Network
	for _, id := range strings.Split(w.view.Path, "/") {
		if d := net.Node(id); d != nil && cat.GroupOf(d) != nil {
			net = &cat.GroupOf(d).Network
		}
	}
	var wants []picture.Want
	for i := range net.Nodes {
		d := &net.Nodes[i]
		if d.Kind == network.FinishKind {
			wants = append(wants, picture.Want{Name: d.ID + ".", Finish: true})
		}
		for _, o := range cat.Of(d).Outputs {
			ref := network.Ref{Node: d.ID, Port: o.Key}
			if at, ok := cat.At(&l.Network, w.view.Path, ref); ok {
				wants = append(wants, picture.Want{Name: ref.String(), Ref: at})
			}
		}
	}
	s.mu.Lock()
	if of := l.ID + "/" + w.view.Path; s.bare || s.have == nil || s.haveOf != of {
		s.bare = false
		s.have, s.haveOf = map[string]eval.Key{}, of
	}
	have := s.have
	s.mu.Unlock()
	cards, err := s.wearing(ctx, w, l.ID).Cards(ctx, l.ID, wants, cardW, cardH, have)
	if err != nil {
		return err
	}
	s.sendCards(cardsMessage, cards, cardW, cardH)
	return nil
}

// wearing returns a renderer whose last picture shows the look: that of the
// picture, or, for a look that nothing wears, a small one in which all parts do.
func (s *drawer) wearing(ctx context.Context, w wanted, look string) *picture.Renderer {
	st := w.project.Clone().Stage
	for i := range st.Models {
		for part, worn := range st.Models[i].Looks {
			if worn == look {
				return s.renderer
			}
			st.Models[i].Looks[part] = look
		}
	}
	sc, err := scene.Displaced(&st, s.files, w.looks, s.smallAt)
	if err != nil {
		return s.renderer
	}
	s.smallAt = sc
	if err := s.small.Render(ctx, scene.Job{Scene: sc, Looks: w.looks, W: 2 * previewW, H: 2 * previewH, Samples: 1, Quick: true}, func(*picture.Result) {}); err != nil {
		return s.renderer
	}
	return s.small
}

func (s *session) sendCards(kind byte, cards []picture.CardPicture, w, h int) {
	msg := []byte{kind, 0, 0}
	binary.LittleEndian.PutUint16(msg[1:], uint16(len(cards)))
	for _, c := range cards {
		msg = append(msg, byte(len(c.Name)))
		msg = append(msg, c.Name...)
		msg = binary.LittleEndian.AppendUint16(msg, uint16(w))
		msg = binary.LittleEndian.AppendUint16(msg, uint16(h))
		msg = binary.LittleEndian.AppendUint32(msg, math.Float32bits(c.Min))
		msg = binary.LittleEndian.AppendUint32(msg, math.Float32bits(c.Max))
		msg = append(msg, c.Pix...)
	}
	s.send(websocket.MessageBinary, msg)
}

var ballSurface = sync.OnceValues(func() (*mesh.Surface, error) { return mesh.NewSurface(mesh.Sphere(1, 96, 48), 180) })

// ballFiles gives the ball in place of all models.
type ballFiles struct{ stage.Files }

func (ballFiles) Surface(*stage.Model) (*mesh.Surface, error) { return ballSurface() }

// drawBall sends the light ball: a sphere in the look, under the stage's lights.
func (s *drawer) drawBall(w wanted) {
	st := w.project.Stage
	st.Models = []stage.Model{{ID: "ball", Name: "ball", Solid: "sphere", Scale: 1, Looks: map[string]string{"Sphere": w.view.Look}}}
	st.Camera = stage.Camera{Azimuth: st.Camera.Azimuth, Elevation: st.Camera.Elevation, Distance: 4, Angle: 29.5, Ortho: true}
	st.Backdrop.None, st.Press.On, st.Glow.On = true, false, false
	sc, err := scene.Displaced(&st, ballFiles{s.files}, w.looks, s.ballAt)
	if err != nil {
		return
	}
	s.ballAt = sc
	msg := binary.LittleEndian.AppendUint16([]byte{ballMessage}, ballSize)
	job := scene.Job{Scene: sc, Looks: w.looks, W: ballSize, H: ballSize, Samples: 4}
	if w.hand {
		job.Samples, job.Quick = 1, true
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

// keptMost is how wide or high the picture is at most that is kept of a project.
const keptMost = 960

// thumb keeps a picture of a settled project, for the shelf and for when it is opened again: until its first picture is drawn.
func (s *drawer) thumb(w wanted) {
	if s.thumbed == w.state.Version {
		return
	}
	s.thumbed = w.state.Version
	part := min(1, float64(keptMost)/float64(max(w.view.W, w.view.H)))
	img := s.renderer.Small(max(1, int(part*float64(w.view.W))), max(1, int(part*float64(w.view.H))))
	var buf bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&buf, img); err != nil {
		return
	}
	if err := s.studio.store.SetPicture(s.ctx, s.id, buf.Bytes()); err != nil && s.ctx.Err() == nil {
		s.studio.log.Warn("shelf picture not kept", "error", err)
	}
}
