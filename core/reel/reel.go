// Package reel keeps the frames of a picture that moves: packed, within a budget, under keys of any type that say what they show.
package reel

import (
	"bytes"
	"compress/flate"
	"io"
	"slices"
	"sync"

	"mobanta/core/budget"
)

// Frame is a frame as it is shown: W × H pixels of four bytes, sRGB, not premultiplied.
type Frame struct {
	W, H   int
	Pix    []byte
	Passes int  // positions in a pixel
	Done   bool // whether it has settled
}

// kept is a frame that is kept.
type kept struct {
	Frame // without its pixels
	data  []byte
}

// Reel keeps frames. It is safe for use by several goroutines.
type Reel[Key comparable] struct {
	mu      sync.Mutex
	frames  map[Key]*kept
	old     []Key // from the one that was put first
	wanted  []Key // that are to come, the next first
	size    int
	account *budget.Account
	share   int // the most that it holds, in bytes
}

// New returns an empty reel that holds at most share bytes of a budget, which may be nil.
func New[Key comparable](b *budget.Budget, share int) *Reel[Key] {
	r := &Reel[Key]{frames: map[Key]*kept{}, share: share}
	if b != nil {
		r.account = b.Open(func(most int) (int, bool) {
			if !r.mu.TryLock() {
				return 0, false
			}
			defer r.mu.Unlock()
			r.shed(most)
			return r.size, true
		})
	}
	return r
}

// Close lets go of all frames.
func (r *Reel[Key]) Close() {
	r.mu.Lock()
	r.frames, r.old, r.size = map[Key]*kept{}, nil, 0
	r.mu.Unlock()
	if r.account != nil {
		r.account.Close()
	}
}

// Want says which frames are to come, the next first: others go before them, and of them the last.
func (r *Reel[Key]) Want(keys []Key) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.wanted = keys
}

// Has tells how well a frame is there.
func (r *Reel[Key]) Has(k Key) (passes int, done, ok bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	f := r.frames[k]
	if f == nil {
		return 0, false, false
	}
	return f.Passes, f.Done, true
}

// Size returns how many bytes all frames take.
func (r *Reel[Key]) Size() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.size
}

// Put keeps a frame, unless it is there at least as well. It tells whether there was room for it.
func (r *Reel[Key]) Put(k Key, f Frame) bool {
	var buf bytes.Buffer
	w, _ := flate.NewWriter(&buf, flate.BestSpeed)
	_, _ = w.Write(f.Pix)
	_ = w.Close()
	r.mu.Lock()
	if old := r.frames[k]; old != nil {
		if old.Done || old.Passes > f.Passes {
			r.mu.Unlock()
			return true
		}
		r.drop(k)
	}
	e := &kept{Frame: f, data: buf.Bytes()}
	e.Pix = nil
	r.frames[k], r.old = e, append(r.old, k)
	r.size += len(e.data)
	r.shed(r.share)
	size := r.size
	r.mu.Unlock()
	if r.account != nil {
		// Without the lock: others may be asked for room.
		most := r.account.Set(size)
		r.mu.Lock()
		r.shed(most)
		size = r.size
		r.mu.Unlock()
		r.account.Keep(size)
	}
	_, _, ok := r.Has(k)
	return ok
}

// Get returns a frame; its pixels are written into pix, if they fit there.
func (r *Reel[Key]) Get(k Key, pix []byte) (Frame, bool) {
	r.mu.Lock()
	e := r.frames[k]
	r.mu.Unlock()
	if e == nil {
		return Frame{}, false
	}
	f := e.Frame
	if f.Pix = pix; len(pix) != 4*f.W*f.H {
		f.Pix = make([]byte, 4*f.W*f.H)
	}
	if _, err := io.ReadFull(flate.NewReader(bytes.NewReader(e.data)), f.Pix); err != nil {
		return Frame{}, false // it was packed here: this cannot be
	}
	return f, true
}

// drop lets go of a frame; r.mu is held.
func (r *Reel[Key]) drop(k Key) {
	if e := r.frames[k]; e != nil {
		r.size -= len(e.data)
		delete(r.frames, k)
		r.old = slices.DeleteFunc(r.old, func(o Key) bool { return o == k })
	}
}

// shed lets go of frames until at most so many bytes are left: of those that nobody waits for, the first that were put,
// then of those that are to come, the last. r.mu is held.
func (r *Reel[Key]) shed(most int) {
	if r.size <= most {
		return
	}
	wanted := make(map[Key]bool, len(r.wanted))
	for _, k := range r.wanted {
		wanted[k] = true
	}
	for _, k := range slices.Clone(r.old) {
		if r.size <= most {
			return
		}
		if !wanted[k] {
			r.drop(k)
		}
	}
	for i := len(r.wanted) - 1; i >= 0 && r.size > most; i-- {
		r.drop(r.wanted[i])
	}
}
