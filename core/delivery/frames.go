package delivery

import (
	"context"
	"errors"
	"fmt"
	"io"

	"mobanta/core/project"
)

// A moving picture, each of whose frames is a piece.

// movies is how the frames of a moving picture come into a file.
type movies struct {
	frames func(m *movie, w io.WriteSeeker, first int) error // writes them
	ffmpeg []string                                          // or what the program that does is told
	side   int                                               // pixels of a frame, likewise; 0 for any
	most   int                                               // pixels of all frames, where the format limits them further
}

// side16 is what formats hold that count pixels in 14 bits, or in 16 signed ones.
const side16 = 16383

func init() {
	register(5, &kind{name: Moving, wait: 2, screen: true, most: maxFrame,
		check: checkMoving,
		pieces: func(o *Order, _ *project.Project) ([]Piece, error) {
			var out []Piece
			for k := o.First; k <= o.Last; k++ {
				out = append(out, Piece{N: len(out), Frame: k})
			}
			return out, nil
		},
		draw: func(ctx context.Context, d *Drawer, o *Order, piece Piece) ([]byte, error) {
			p := d.of(o)
			at := p.Stage.Time.Start(piece.Frame)
			return d.png(ctx, p, o.frame(&at))
		},
		file: func(_ context.Context, d *Drawer, o *Order, w io.WriteSeeker, piece func(n int) ([]byte, error)) error {
			return o.form().movie.frames(d.movie(o, piece), w, o.First)
		},
		seconds: alike,
	},
		Form{Format: Frames, Name: "numbered PNGs in a ZIP", Ending: " frames.zip", Media: "application/zip", Help: "every frame as a file", movie: movies{frames: (*movie).zipped}},
		Form{Format: APNG, Name: "APNG", Ending: ".apng.png", Media: "image/apng", Help: "exact colours, plays in browsers", movie: movies{frames: (*movie).apng}},
		Form{Format: GIF, Name: "GIF", Ending: ".gif", Media: "image/gif", Help: "256 colours: exact where the looks have no more", movie: movies{frames: (*movie).gif, side: side16, most: maxGIF}},
		Form{Format: WebP, Name: "animated WebP", Ending: ".webp", Media: "image/webp", Help: "exact colours, plays in browsers, small", movie: movies{frames: (*movie).webp, side: side16}},
		Form{Format: WebM, Name: "WebM, video", Ending: ".webm", Media: "video/webm", Help: "needs ffmpeg on the machine that serves", movie: movies{
			ffmpeg: []string{"-c:v", "libvpx-vp9", "-b:v", "0", "-crf", "18", "-pix_fmt", "yuv420p", "-f", "webm"}}},
		Form{Format: MP4, Name: "MP4, video", Ending: ".mp4", Media: "video/mp4", Help: "needs ffmpeg on the machine that serves", movie: movies{
			ffmpeg: []string{"-c:v", "libx264", "-crf", "16", "-preset", "medium", "-pix_fmt", "yuv420p", "-movflags", "+faststart", "-f", "mp4"}}},
	)
}

// ErrNoFFmpeg is that a video is wanted where nothing can make one.
var ErrNoFFmpeg = errors.New("delivery: a video needs ffmpeg, and there is none on the PATH of this machine: install it, or take APNG or animated WebP, which need nothing")

// checkMoving checks an order of a moving picture.
func checkMoving(o *Order, p *project.Project) error {
	form := o.form()
	if most := form.movie.side; most > 0 && max(o.W, o.H) > most {
		return errors.New("delivery: frames of GIF and WebP have at most 16,383 pixels to a side")
	}
	t := o.of(p).Stage.Time.Filled()
	n := t.Frames()
	if o.First == 0 && o.Last == 0 {
		o.Last = n - 1
	}
	if o.First < 0 || o.Last < o.First || o.Last >= n {
		return fmt.Errorf("delivery: the project has %d frames, counted from 0; there are none from %d to %d", n, o.First, o.Last)
	}
	frames := o.Last - o.First + 1
	if frames > MaxFrames {
		return fmt.Errorf("delivery: a moving picture has at most %d frames, not %d: deliver it in parts", MaxFrames, frames)
	}
	if n := frames * o.W * o.H; n > maxMoving || form.movie.most > 0 && n > form.movie.most {
		return fmt.Errorf("delivery: %d frames of %d × %d are more than can be delivered at once: make them smaller, or fewer", frames, o.W, o.H)
	}
	if form.movie.ffmpeg != nil && FFmpeg() == "" {
		return ErrNoFFmpeg
	}
	return nil
}

// movie returns an order's moving picture.
func (d *Drawer) movie(o *Order, piece func(n int) ([]byte, error)) *movie {
	t := d.of(o).Stage.Time.Filled()
	return &movie{w: o.W, h: o.H, frames: o.Last - o.First + 1, rate: t.Rate, once: t.Once, frame: piece}
}
