package live

import (
	"context"
	"errors"
	"fmt"
	"image"
	"sync"
	"time"

	"mobanta/core/network"
	"mobanta/core/parallel"
	"mobanta/core/picture"
	"mobanta/core/priority"
	"mobanta/core/project"
	"mobanta/core/reel"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Playing. Frames are drawn ahead, each by one core with a renderer of its own: all of them with one position first,
// then as well as a picture that has settled. What is shown waits for the frame that is due; so the first round runs as
// fast as frames come, and later ones at their rate. While the hand moves something, the frame that is due is drawn
// for it as other pictures are, small and at once.

// reelShare is how much of what all tabs remember the frames of one may take.
const reelShare = memoryBudget / 2

// missing is for how many frames in a row there must have been no room for frames to be no longer drawn ahead.
const missing = 3

// handTime is how long a picture may take that the hand waits for.
const handTime = 70 * time.Millisecond

// playing is a project that plays. Its fields are guarded by the session's mu, but for those of the makers.
type playing struct {
	now     wanted // what the frames are of
	time    stage.Time
	keys    map[int]scene.Key // of frames, once they are asked for
	still   bool              // whether all frames are one
	first   int               // the range that is played
	end     int
	at      int         // the frame that is due next
	due     time.Time   // when
	showing int         // the frame that is shown
	shown   []time.Time // when the last ones were
	making  map[scene.Key]maker
	stop    context.CancelFunc
	work    *sync.Cond // of the session's mu: makers wait here
	holds   bool       // while the hand moves: pictures of one moment after the other come too late for it, so time stands still
	missed  int        // frames that there was no room for, in a row
}

// maker is a frame that is being drawn.
type maker struct {
	frame  int
	cancel context.CancelFunc
}

// ahead is how many frames are drawn ahead, and looked at, at most.
const ahead = 600

// takePlay follows what the page says of playing; s.mu is held. Where it stopped is stored.
func (s *session) takePlay(m said) error {
	if m.On == (s.play != nil) {
		return nil
	}
	if !m.On {
		e := project.Edit{Op: "time.set", Key: "at", Value: s.play.time.Start(s.play.showing)}
		s.halt()
		s.mu.Unlock()
		defer s.mu.Lock()
		return s.keep(e)
	}
	ctx, stop := context.WithCancel(s.ctx)
	p := &playing{stop: stop, making: map[scene.Key]maker{}, work: sync.NewCond(&s.mu)}
	s.play = p
	s.studio.shares.join(s)
	for range parallel.Cores() {
		s.makers.Go(func() {
			if err := s.guarded("frames", func() error { s.drawFrames(ctx, p); return nil }); err != nil {
				s.stumbled(p, err)
			}
		})
	}
	if s.cancel != nil {
		s.cancel() // nobody waits for the still picture
	}
	s.rouse()
	return nil
}

// halt stops playing; s.mu is held.
func (s *session) halt() {
	p := s.play
	if p == nil {
		return
	}
	s.play = nil
	s.studio.shares.part(s)
	p.stop()
	p.work.Broadcast()
	s.dirty = true
	s.rouse()
}

// stills returns what is to be played now, and whether that is what is played already.
func (s *session) stills(p *playing) (want wanted, same bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	want = s.snapshot()
	want.trial, want.tried = false, nil
	return want, p.now.state == want.state && p.now.look() == want.look()
}

// film prepares what is played from what is stored and looked at now; s.mu is held while it is put in place.
func (s *session) film(p *playing) error {
	want, same := s.stills(p)
	if want.tell {
		s.tellStored(want)
	}
	if same {
		return nil
	}
	t := want.project.Stage.Time
	still := !scene.Moves(want.project)
	s.mu.Lock()
	defer s.mu.Unlock()
	begins := p.keys == nil
	p.now, p.time, p.keys, p.still = want, t, map[int]scene.Key{}, still
	p.first, p.end = t.Range()
	if begins {
		p.at, p.due = t.Frame(), time.Now()
		if t.Once && p.at == p.end-1 {
			p.at = p.first
		}
		p.showing = p.at
	}
	if p.at < p.first || p.at >= p.end {
		p.at = p.first
	}
	if p.showing >= t.Frames() {
		p.showing = p.at
	}
	for key, m := range p.making {
		if m.frame >= p.end || p.key(m.frame) != key {
			m.cancel()
		}
	}
	p.missed = 0
	s.order(p)
	p.work.Broadcast()
	return nil
}

// key returns the key of a frame; the session's mu is held.
func (p *playing) key(k int) scene.Key {
	if hold := p.time.Filled().Hold; hold > 1 {
		k -= k % hold
	}
	if p.still {
		k = 0
	}
	key, ok := p.keys[k]
	if !ok {
		var err error
		if key, err = scene.Stamp(moment(p.now.project, p.time, k), p.now.look()); err != nil {
			key = scene.Key{} // it will be said when it is drawn
		}
		p.keys[k] = key
	}
	return key
}

// next returns the frame that comes i frames after the one that is due.
func (p *playing) next(i int) int { return p.first + (p.at-p.first+i)%(p.end-p.first) }

// look returns what of a picture is the view's.
func (w *wanted) look() scene.View {
	return scene.View{W: w.view.W, H: w.view.H, Look: w.view.Look, Peek: w.view.Path + "/" + w.view.Peek, Plate: w.view.Plate, Before: w.view.Before}
}

// moment returns a project at a frame.
func moment(p *project.Project, t stage.Time, k int) *project.Project {
	q := *p
	q.Stage.Time.At = t.Start(k)
	return &q
}

// order tells the reel what is to come; s.mu is held.
func (s *session) order(p *playing) {
	var next []scene.Key
	for i := range min(ahead, p.end-p.first) {
		next = append(next, p.key(p.next(i)))
	}
	s.reel.Want(next)
}

// toMake is a frame that a maker is to draw.
type toMake struct {
	frame int
	draft bool
	key   scene.Key
	want  wanted
	time  stage.Time
	ctx   context.Context // ends when the frame is not wanted any more
}

// nextFrame returns a frame that is to be drawn: the first that is not there, or else the first that has not settled. It
// waits for one; ok is false once playing has stopped.
func (s *session) nextFrame(ctx context.Context, p *playing) (m toMake, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for ctx.Err() == nil {
		if p.keys != nil && p.missed < missing && len(s.trial) == 0 { // what the hand is about to change need not be drawn
			for _, draft := range [2]bool{true, false} {
				for i := range min(ahead, p.end-p.first) {
					k := p.next(i)
					key := p.key(k)
					if _, made := p.making[key]; made {
						continue
					}
					if _, done, there := s.reel.Has(key); !there && draft || there && !done && !draft {
						c, cancel := context.WithCancel(ctx)
						p.making[key] = maker{k, cancel}
						return toMake{k, draft, key, p.now, p.time, c}, true
					}
				}
			}
		}
		p.work.Wait()
	}
	return m, false
}

// made notes that a frame has been drawn, and whether there was room for it.
func (s *session) made(p *playing, m toMake, room bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	p.making[m.key].cancel()
	delete(p.making, m.key)
	if room {
		p.missed = 0
	} else {
		p.missed++ // there is no more room: what comes is drawn when it is due
	}
	p.work.Broadcast()
	s.rouse()
}

// stumbled stops playing, since frames cannot be drawn.
func (s *session) stumbled(p *playing, err error) {
	s.mu.Lock()
	if s.play == p {
		s.halt()
	}
	s.mu.Unlock()
	s.problem(err)
	s.tell(map[string]any{"t": "play", "on": false})
}

// drawFrames draws frames until playing stops.
func (s *session) drawFrames(ctx context.Context, p *playing) {
	r := picture.NewRenderer(1)
	r.Under(s.studio.memory)
	defer r.Close()
	r.Gate, r.Least, r.Keep, r.Results = &s.studio.Gate, priority.Previews, false, smallResults
	var scene *stage.Scene
	for {
		m, ok := s.nextFrame(ctx, p)
		if !ok {
			return
		}
		room, begun := true, time.Now()
		r.Heard = s.studio.shares.turn(s)
		err := s.guarded("a frame", func() (err error) {
			var f reel.Frame
			if scene, f, err = s.drawFrame(m.ctx, r, scene, moment(m.want.project, m.time, m.frame), m.want, m.draft); err == nil {
				room = s.reel.Put(m.key, f)
			}
			return err
		})
		s.studio.shares.took(s, time.Since(begun)-r.Waited())
		given := m.ctx.Err() != nil
		s.made(p, m, room)
		if err != nil && !given {
			s.stumbled(p, err)
			return
		}
	}
}

// drawFrame draws one frame.
func (s *session) drawFrame(ctx context.Context, r *picture.Renderer, old *stage.Scene, p *project.Project, w wanted, draft bool) (*stage.Scene, reel.Frame, error) {
	var f reel.Frame
	job, err := scene.Of(p, s.files, old)
	if err != nil {
		return old, f, err
	}
	w.peek(&job, p)
	job.Samples = samples
	if draft {
		job.Samples, job.Quick = 1, true
	}
	err = r.Render(ctx, job, func(res *picture.Result) {
		if res.Done {
			f = reel.Frame{W: res.W, H: res.H, Passes: res.Passes, Done: !draft, Pix: make([]byte, 4*res.W*res.H)}
			res.RGBA(f.Pix, res.Bounds())
		}
	})
	if err == nil && f.Pix == nil {
		err = context.Canceled
	}
	return job.Scene, f, err
}

// peek puts what the view shows into a job.
func (w *wanted) peek(job *scene.Job, p *project.Project) {
	job.W, job.H, job.Plate, job.Before = w.view.W, w.view.H, w.view.Plate, w.view.Before
	if w.view.Peek == "" {
		return
	}
	if l := p.Look(w.view.Look); l != nil {
		if at, ok := p.Catalogue().At(&l.Network, w.view.Path, network.ParseRef(w.view.Peek)); ok {
			job.Peek = &scene.Peek{Look: l.ID, Ref: at}
		}
	}
}

// plays shows what is due while the project plays; it tells whether it does. Questions and looks that are dropped stop it:
// they are about a picture that stands still.
func (s *drawer) plays(asked bool) (bool, error) {
	s.mu.Lock()
	p := s.play
	if p == nil || s.view.W == 0 {
		s.mu.Unlock()
		return false, nil
	}
	if asked {
		err := s.takePlay(said{})
		s.mu.Unlock()
		s.tell(map[string]any{"t": "play", "on": false})
		return false, err
	}
	s.mu.Unlock()
	err := s.turn(p)
	if err != nil {
		s.mu.Lock()
		s.halt()
		s.mu.Unlock()
		s.tell(map[string]any{"t": "play", "on": false})
	}
	return true, err
}

// due is what is to be shown of a project that plays.
type due struct {
	frame  int
	key    scene.Key
	want   wanted
	hand   bool // the hand moves something meanwhile
	atOnce bool // it is drawn now, for the hand or since there is no room for frames
	over   bool // it is the last
}

// due returns what is to be shown now; ok is false for nothing, and s.until says when there may be.
func (s *drawer) due(p *playing, fresh bool) (d due, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	d.hand = len(s.trial) > 0 || s.view.Other != ""
	early := time.Until(p.due)
	if early > 0 && !(d.hand && fresh) {
		s.until = early
		return d, false
	}
	d.frame = p.at
	if !d.hand {
		p.holds = false
	} else if p.holds && !fresh {
		return d, false // the next movement wakes it
	}
	if early > 0 || p.holds {
		d.frame = p.showing
	}
	d.key = p.key(d.frame)
	_, _, there := s.reel.Has(d.key)
	d.atOnce = d.hand || !there && p.missed >= missing
	if !there && !d.atOnce {
		return d, false // its maker says when it is there
	}
	d.want = p.now
	d.want.seq, d.want.view, d.want.trial, d.want.tried = s.seq, s.view, len(s.trial) > 0, s.trial
	d.over = d.frame == p.at && early <= 0 && s.forth(p)
	if d.hand {
		for _, m := range p.making {
			m.cancel()
		}
	}
	return d, true
}

// turn shows what is due of a project that plays.
func (s *drawer) turn(p *playing) error {
	s.mu.Lock()
	fresh := s.dirty // the hand has moved, or something was stored
	s.dirty = false
	s.mu.Unlock()
	if err := s.film(p); err != nil {
		return err
	}
	d, ok := s.due(p, fresh)
	if !ok {
		return nil
	}
	if d.atOnce {
		start := time.Now()
		if err := s.atOnce(d.want, p.time, d.frame, d.hand); err != nil && !errors.Is(err, context.Canceled) {
			return err
		}
		p.holds = p.holds || d.hand && time.Since(start) > handTime
	} else if f, ok := s.reel.Get(d.key, nil); ok {
		s.showFrame(f, d.want)
	}
	s.tellPlay(p, d.frame)
	s.until = max(0, time.Until(p.due))
	if !d.over {
		return nil
	}
	s.mu.Lock()
	err := s.takePlay(said{})
	s.mu.Unlock()
	s.tell(map[string]any{"t": "play", "on": false})
	return err
}

// showFrame sends a frame that was kept, as an answer to what was wanted.
func (s *drawer) showFrame(f reel.Frame, w wanted) {
	s.fit(f.W, f.H)
	s.pix = f.Pix
	s.sendPix(f.W, f.H, f.Passes, f.Done, w, 1, image.Rect(0, 0, f.W, f.H))
}

// forth goes on to the next frame, which is due a step after this one was or, where this one was late, from now on; it
// tells whether the end has been reached of what plays once. s.mu is held.
func (s *session) forth(p *playing) (over bool) {
	step := time.Duration(float64(time.Second) / p.time.Filled().Rate)
	if p.due = p.due.Add(step); time.Until(p.due) < 0 {
		p.due = time.Now().Add(step)
	}
	p.showing = p.at
	if p.at++; p.at >= p.end {
		if p.at = p.first; p.time.Once {
			return true
		}
	}
	s.order(p)
	p.work.Broadcast()
	return false
}

// ofReel shows a still picture that is there as a frame already; plays tells whether it could be one, under key.
func (s *drawer) ofReel(w wanted) (kept bool, key scene.Key, plays bool, err error) {
	if w.view.Other != "" || w.trial && !w.scrubs || !scene.Moves(w.project) {
		return false, key, false, nil
	}
	if key, err = scene.Stamp(w.project, w.look()); err != nil {
		return false, key, false, err
	}
	if _, done, ok := s.reel.Has(key); !ok || !done && !w.hand {
		return false, key, true, nil
	}
	f, ok := s.reel.Get(key, nil)
	if ok {
		s.showFrame(f, w)
	}
	return ok, key, true, nil
}

// atOnce draws a frame as while the hand moves. Where it does not, and there is only no room to keep frames, the tab draws
// when its share allows it.
func (s *drawer) atOnce(want wanted, t stage.Time, k int, hand bool) error {
	want.project = moment(want.project, t, k)
	want.hand, want.plays, want.tell = true, true, false
	want.try()
	ctx, cancel := context.WithCancel(s.ctx)
	defer cancel()
	s.mu.Lock()
	s.cancel = cancel
	s.mu.Unlock()
	if hand {
		return s.picture(ctx, want)
	}
	begun := time.Now()
	defer func() {
		s.moving.Least = priority.Hand
		s.studio.shares.took(s.session, time.Since(begun)-s.moving.Waited())
	}()
	s.moving.Least, s.moving.Heard = priority.Previews, s.studio.shares.turn(s.session)
	return s.picture(ctx, want)
}

// tellPlay tells the page where playing is and how fast it goes.
func (s *session) tellPlay(p *playing, k int) {
	now := time.Now()
	p.shown = append(p.shown, now)
	if len(p.shown) > 24 {
		p.shown = p.shown[1:]
	}
	rate := 0.0
	if n := len(p.shown) - 1; n > 0 {
		rate = float64(n) / now.Sub(p.shown[0]).Seconds()
	}
	there, settled, of := s.progress(p)
	s.tell(map[string]any{"t": "play", "on": true, "frame": k, "at": p.time.Start(k), "of": of, "there": there, "settled": settled,
		"rate": fmt.Sprintf("%.1f", rate), "want": p.time.Filled().Rate, "mb": s.reel.Size() >> 20})
}

// progress returns how many of the frames to come are there, how many of them have settled, and of how many.
func (s *session) progress(p *playing) (there, settled, of int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	of = min(ahead, p.end-p.first)
	for i := range of {
		_, done, ok := s.reel.Has(p.key(p.next(i)))
		if ok {
			there++
		}
		if done {
			settled++
		}
	}
	return there, settled, of
}
