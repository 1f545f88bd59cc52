// Package live is the tabs that are open: what they look at, what the hand does in them, and what is drawn for them. It
// makes no HTML; what panels show is the host's.
package live

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"math"
	"net/http"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"github.com/coder/websocket"

	"mobanta/core/budget"
	"mobanta/core/check"
	"mobanta/core/eval"
	"mobanta/core/parallel"
	"mobanta/core/picture"
	"mobanta/core/priority"
	"mobanta/core/project"
	"mobanta/core/reel"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/store"
	"mobanta/web/edits"
)

// The live picture: one WebSocket for each tab. The browser sends what it looks
// at and what the hand does, as JSON; the server sends frames and card pictures
// as binary messages, everything else as JSON. What the hand is still moving is
// drawn but not stored; it is stored when the hand rests.

// Binary messages begin with one byte that tells what they are.
const (
	frameMessage = 1 // byte passes, byte done, byte percent of the full size along each side; uint32 seq, version; uint16 W, H, x, y, w, h; RGBA
	cardsMessage = 2 // uint16 count; for each: byte length, name, uint16 w, h, float32 min, max, RGBA
	ballMessage  = 3 // uint16 size; RGBA
	triedMessage = 4 // as cardsMessage: what edits would do
	stripMessage = 5 // as cardsMessage, one: the chosen node at its true size
)

// said is a message from the browser.
type said struct {
	T      string          `json:"t"` // view, try, drop, hand, point, previews, wear, play
	Seq    uint32          `json:"seq"`
	W      int             `json:"w"`
	H      int             `json:"h"`
	Look   string          `json:"look"`
	Path   string          `json:"path"` // of the group that is open
	Node   string          `json:"node"`
	Peek   string          `json:"peek"`  // "node.port", "" for the finished picture
	Plate  string          `json:"plate"` // the ink whose plate is shown alone, "" for the print
	Other  string          `json:"other"` // a look that takes the place of Look on the right-hand side, "" for none
	Fresh  bool            `json:"fresh"` // the page has no card pictures yet
	Items  []tried         `json:"items"` // of previews
	Edits  []edits.Request `json:"edits"`
	Tool   string          `json:"tool"`  // turn, pan, zoom, light, ball, edge or ask; of a view: the tool in hand
	Phase  string          `json:"phase"` // of a point: down, move or up
	Light  string          `json:"light"`
	Mode   string          `json:"mode"` // of the tool light: highlight, shadow, itself
	X0     float64         `json:"x0"`   // where the hand went down and where it is, in picture heights from the top left corner
	Y0     float64         `json:"y0"`
	X      float64         `json:"x"`
	Y      float64         `json:"y"`
	Final  bool            `json:"final"`
	On     bool            `json:"on"`     // of play
	Before bool            `json:"before"` // of a view: without the grade
}

// session is one open tab.
type session struct {
	studio  *Studio
	id      string
	conn    *websocket.Conn
	request *http.Request // that opened it
	ctx     context.Context
	stop    context.CancelFunc
	wake    chan struct{}
	files   stage.Files // which are read as long as the tab is open

	mu      sync.Mutex
	state   *store.State
	view    said           // the last "view"
	trial   []project.Edit // what the hand moves, not stored
	hand    bool           // whether the hand moves the camera, a light or the time
	scrubs  bool           // whether it is the time
	forHand bool           // whether what is being drawn is for that
	from    *stage.Stage   // the stage when the hand went down
	seq     uint32
	asked   []tried // previews that are still to be made
	wear    *said   // a look was dropped on the picture
	points  []point // what was asked of the picture
	aim     aim     // what the hand points into
	aimed   aim     // the same when the hand went down
	bare    bool    // the page has no card pictures yet
	dirty   bool
	told    *store.State // what the browser was told of
	heard   atomic.Int64 // when the tab was last heard of; see priority.Rank
	cancel  context.CancelFunc
	settles bool     // the first picture has been shown: a change may cancel what runs
	play    *playing // nil while nothing plays
	makers  sync.WaitGroup
	reel    *reel.Reel[scene.Key]
}

// drawer is what of a tab belongs to the goroutine that draws: nobody else reads or writes it while that runs.
type drawer struct {
	*session
	renderer *picture.Renderer
	ball     *picture.Renderer
	moving   *picture.Renderer // for pictures while the hand moves the camera or a light: small ones
	second   *picture.Renderer // for the look that is compared with
	small    *picture.Renderer // for previews
	scene    *stage.Scene
	ballAt   *stage.Scene
	secondAt *stage.Scene
	smallAt  *stage.Scene
	have     map[string]eval.Key // card pictures that the page has
	haveOf   string              // look and path that they are of
	other    string              // what the right-hand side of sent shows
	sent     []byte              // what the browser shows
	sentW    int
	whole    bool    // whether sent holds a whole picture
	pix      []byte  // what was encoded last
	part     float64 // pictures for the hand are this part of the size
	pace     pace    // of those
	thumbed  int64
	strip    *picture.Renderer // for the chosen node at its true size
	stripAt  *stage.Scene
	stripped picture.CardPicture // what was sent of it last
	checker  *picture.Renderer
	checked  int64  // the version that was looked through last
	drawn    wanted // what the last picture was made from
	grip     *grip
	until    time.Duration // for how long there is nothing to do
}

const (
	minSide    = 16
	maxSide    = 8192
	maxShown   = 4 << 20 // pixels: more than a panel on a large screen has; each takes a hundred bytes
	samples    = 16
	ballSize   = 76
	cardW      = 76 // of the pictures on cards, in pixels
	cardH      = 62
	stripW     = 660 // of the chosen node at its true size
	stripH     = 44
	targetTime = 54 * time.Millisecond  // for a picture while the camera or a light moves: with what it takes to show it, 12 and more a second
	playPart   = 0.7                    // of the size that it has at most while it plays
	leastPart  = 0.25                   // of the size that such a picture has
	manyNodes  = 60                     // in all looks: more take a while
	stillTime  = 150 * time.Millisecond // until a hand counts as resting
	panelTime  = 120 * time.Millisecond // that panels take to be made and fetched
)

// Host is what a tab asks of the server that it is open at.
type Host interface {
	// SignedIn tells whether who made the request is still let in.
	SignedIn(r *http.Request) bool
	// Slipped logs a mistake of the program's own.
	Slipped(where string, p any)
	// Expand puts what edits name, as entries of the library, into them.
	Expand(ctx context.Context, edits []project.Edit) error
	// Sentence says an error in words for the page; inside tells that it is the studio's own.
	Sentence(err error) (message string, inside bool)
}

// Pages makes what tabs show as HTML beside their pictures.
type Pages interface {
	// Checks shows remarks.
	Checks(project string, list []check.Remark, dismissed int) (html string, err error)
	// Trail shows how a pixel came to its colour.
	Trail(p *project.Project, t *picture.Trail) (html string, err error)
	// Program is what tells the pages of one build of the program from another's.
	Program() string
}

// Studio is all open tabs, and what they share.
type Studio struct {
	Files *Surfaces
	Gate  priority.Gate // before which tabs wait for what is more urgent
	Air   Airing

	preparing sync.Mutex

	shares shares
	hub    hub
	memory *budget.Budget // of all tabs' renderers
	store  *store.Store
	host   Host
	pages  Pages
	log    *slog.Logger
}

// New returns a studio over s in which no tab is open.
func New(s *store.Store, host Host, pages Pages, log *slog.Logger) *Studio {
	return &Studio{Files: newSurfaces(s), hub: hub{live: map[string]map[*session]bool{}}, memory: budget.New(memoryBudget), store: s, host: host, pages: pages, log: log}
}

// prepared is how long what was prepared for a tab waits for it.
const prepared = 10 * time.Second

// Prepare makes the surfaces of a project and the trees of rays about them, for a tab that is
// about to open: its browser is busy with the page meanwhile. Of several at once one is made.
func (t *Studio) Prepare(st *store.State) {
	if !t.preparing.TryLock() {
		return
	}
	defer t.preparing.Unlock()
	sc, err := stage.NewScene(&st.Project.Stage, t.Files, nil)
	if err != nil {
		return // it is said when it is drawn
	}
	trace.Of(sc.Geometry, nil, 1)
	time.AfterFunc(prepared, func() { runtime.KeepAlive(sc) }) // others find the geometry while somebody has it
}

// ErrInside is what went wrong in the studio itself: the log has the rest.
var ErrInside = errors.New("live: something went wrong inside")

// maxMessage limits what a tab says at once, in bytes.
const maxMessage = 4 << 20

// Serve speaks with a tab of a project until it is gone.
func (t *Studio) Serve(w http.ResponseWriter, r *http.Request, st *store.State) error {
	conn, err := websocket.Accept(w, r, &websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled})
	if err != nil {
		return nil // Accept has answered
	}
	conn.SetReadLimit(maxMessage)
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	s := &session{studio: t, id: st.ID, conn: conn, request: r, ctx: ctx, stop: cancel, wake: make(chan struct{}, 1), state: st, files: t.Files.Under(ctx), reel: reel.New[scene.Key](t.memory, reelShare)}
	d := &drawer{session: s, part: 0.5}
	d.hire()
	t.hub.add(st.ID, s)
	defer t.closed(s)
	// What happened since the request came in, and before the hub knew of this tab.
	if !t.host.SignedIn(r) {
		return nil
	}
	if st, err = t.store.Load(ctx, st.ID); err != nil {
		return nil
	}
	s.stored(st)
	var wg sync.WaitGroup
	wg.Go(d.draw)
	s.listen()
	s.mu.Lock()
	s.halt()
	s.mu.Unlock()
	cancel()
	wg.Wait()
	s.makers.Wait()
	return s.guarded("closing", func() error {
		s.reel.Close()
		d.renderers(func(r **picture.Renderer, _ priority.Level) { (*r).Close() })
		return nil
	})
}

// Changed tells every tab of a project its new state.
func (t *Studio) Changed(st *store.State) { t.hub.changed(st) }

// Tabs returns how many tabs are open, those counted whose last picture is still being drawn.
func (t *Studio) Tabs() int { return len(t.hub.of("")) }

// CloseAll ends every tab, as the server stops.
func (t *Studio) CloseAll() { t.hub.closeAll() }

// CloseStrangers ends the tabs of those who are not let in any more.
func (t *Studio) CloseStrangers() {
	t.hub.each(func(s *session) {
		if !t.host.SignedIn(s.request) {
			s.stop()
		}
	})
}

// renderers calls f with each renderer of the tab, and how urgent its work is at most.
func (s *drawer) renderers(f func(r **picture.Renderer, least priority.Level)) {
	f(&s.renderer, priority.Hand)
	f(&s.moving, priority.Hand)
	f(&s.second, priority.Hand)
	f(&s.ball, priority.First)
	f(&s.strip, priority.Cards)
	f(&s.small, priority.Previews)
	f(&s.checker, priority.Previews)
}

// hire makes the tab's renderers, or new ones.
func (s *drawer) hire() {
	s.renderers(func(r **picture.Renderer, least priority.Level) {
		if *r != nil {
			(*r).Close()
		}
		*r = picture.NewRenderer(parallel.Cores())
		if r != &s.renderer && r != &s.second {
			// What the hand has passed by, and small pictures, are not to push out the picture itself.
			(*r).Results = smallResults
		}
		(*r).Under(s.studio.memory)
		(*r).Gate, (*r).Least, (*r).Heard = &s.studio.Gate, least, s.heard.Load()
	})
}

// Memory is the budget that all tabs' renderers share.
func (t *Studio) Memory() *budget.Budget { return t.memory }

// memoryBudget is how many bytes all tabs together remember for the sake of the next
// pictures.
const memoryBudget = 192 << 20

// smallResults limits the node results of the renderers beside that of the picture.
const smallResults = 16 << 20

// closed lets go of a tab and of what it held.
func (t *Studio) closed(s *session) {
	t.hub.remove(s.id, s)
	s.conn.CloseNow()
	t.Air.Soon()
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
	s.rouse()
}

// rouse makes the drawing goroutine look round.
func (s *session) rouse() {
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// listen reads messages until the tab is gone.
func (s *session) listen() {
	s.tell(map[string]any{"t": "program", "is": s.studio.pages.Program()})
	for {
		_, data, err := s.conn.Read(s.ctx)
		if err != nil {
			return
		}
		if !s.studio.host.SignedIn(s.request) {
			return
		}
		var m said
		if err := json.Unmarshal(data, &m); err != nil {
			s.tell(map[string]any{"t": "problem", "error": "The page sent something that could not be read."})
			continue
		}
		if err := s.guarded("a message", func() error { return s.take(m) }); err != nil {
			s.problem(err)
		}
	}
}

// guarded calls f; a slip in it is logged, and an error then.
func (s *session) guarded(what string, f func() error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			s.studio.host.Slipped(what+" of a tab of "+s.id, p)
			err = ErrInside
		}
	}()
	return f()
}

// problem tells the page what went wrong.
func (s *session) problem(err error) {
	if s.ctx.Err() != nil || errors.Is(err, context.Canceled) {
		return
	}
	message, inside := s.studio.host.Sentence(err)
	if inside {
		s.studio.log.Error("tab", "project", s.id, "error", store.Cause(err))
	}
	s.tell(map[string]any{"t": "problem", "error": message})
}

func (s *session) take(m said) error {
	s.heard.Store(s.studio.Gate.Now())
	s.mu.Lock()
	defer s.mu.Unlock()
	if m.Seq > 0 {
		s.seq = m.Seq
	}
	switch m.T {
	case "view":
		m.W, m.H = bounded(m.W, m.H)
		s.bare = s.bare || m.Fresh
		s.view = m
	case "previews":
		s.asked = m.Items[:min(len(m.Items), maxPreviews)]
		s.rouse()
		return nil
	case "wear":
		s.wear = &m
		s.rouse()
		return nil
	case "try":
		edits, err := edits.Settle(m.Edits)
		if err != nil {
			return err
		}
		s.trial, s.hand = edits, false
	case "drop":
		s.trial, s.hand, s.from = nil, false, nil
	case "hand":
		return s.move(m)
	case "point":
		s.ask(m)
		return nil
	case "play":
		return s.takePlay(m)
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
		from := s.state.Project.Moment().Stage
		s.from, s.aimed = &from, s.aim
	}
	e, err := gesture(s.from, s.aimed, m)
	if errors.Is(err, errNothing) {
		// The light stays where the hand last pointed at a surface.
		if !m.Final {
			return nil
		}
		if len(s.trial) == 0 {
			s.from = nil
			return nil
		}
		e, err = s.trial[0], nil
	}
	if err != nil {
		s.from = nil
		return err
	}
	s.trial, s.hand, s.scrubs = []project.Edit{e}, !m.Final, m.Tool == "time"
	s.touch()
	if !m.Final {
		return nil
	}
	s.from = nil
	s.mu.Unlock()
	defer s.mu.Lock()
	return s.keep(e)
}

// bounded returns the size of a picture within what is drawn on a page, in the same
// shape.
func bounded(w, h int) (int, int) {
	w, h = max(minSide, min(maxSide, w)), max(minSide, min(maxSide, h))
	if w*h > maxShown {
		k := math.Sqrt(maxShown / float64(w*h))
		w, h = max(minSide, int(float64(w)*k)), max(minSide, int(float64(h)*k))
	}
	return w, h
}

// storeTime is how long it may take to store what a hand did, also when its tab is
// closed meanwhile.
const storeTime = time.Minute

// keep stores what the hand did. What was only tried goes after that, so that no
// picture shows the state from before.
func (s *session) keep(e project.Edit) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(s.ctx), storeTime)
	defer cancel()
	st, _, err := s.studio.store.Edit(ctx, s.id, []project.Edit{e})
	if err == nil {
		s.studio.Changed(st)
	}
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

// send sends a message, to those alone who are still let in.
func (s *session) send(kind websocket.MessageType, data []byte) {
	if !s.studio.host.SignedIn(s.request) {
		s.stop()
		return
	}
	ctx, cancel := context.WithTimeout(s.ctx, 20*time.Second)
	defer cancel()
	if err := s.conn.Write(ctx, kind, data); err != nil {
		s.stop()
	}
}
