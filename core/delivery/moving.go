package delivery

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/draw"
	"image/gif"
	"image/png"
	"io"
	"math"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/HugoSmits86/nativewebp"

	"mobanta/core/pixmap"
)

// Moving pictures are made of frames, PNGs that come one after the other. No maker but that of GIFs, whose frames are a byte a
// pixel, holds more than two of them.

// movie is a moving picture in the making.
type movie struct {
	w, h   int
	frames int
	rate   float64 // frames a second
	once   bool    // it is played once, not round and round
	frame  func(k int) ([]byte, error)
}

// decoded returns frame k, its pixels not premultiplied.
func (m *movie) decoded(k int) (*image.NRGBA, error) {
	data, err := m.frame(k)
	if err != nil {
		return nil, err
	}
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("delivery: frame %d: %w", k, err)
	}
	if img.Bounds() != image.Rect(0, 0, m.w, m.h) {
		return nil, fmt.Errorf("delivery: frame %d is of another size", k)
	}
	if n, ok := img.(*image.NRGBA); ok {
		return n, nil
	}
	out := image.NewNRGBA(img.Bounds())
	draw.Draw(out, out.Rect, img, image.Point{}, draw.Src)
	return out, nil
}

// until returns when frame k begins, in units of which there are so many a second, as whole ones: so the length of the whole is
// right though no frame's is.
func (m *movie) until(k int, units float64) int {
	return int(math.Round(float64(k) * units / m.rate))
}

// lasts returns how long frame k lasts, likewise, at least one.
func (m *movie) lasts(k int, units float64) int {
	return max(1, m.until(k+1, units)-m.until(k, units))
}

// zipped writes the frames as they are, numbered.
func (m *movie) zipped(w io.WriteSeeker, first int) error {
	z := zip.NewWriter(w)
	digits := max(4, len(strconv.Itoa(first+m.frames-1)))
	for k := range m.frames {
		data, err := m.frame(k)
		if err != nil {
			return err
		}
		f, err := z.CreateHeader(&zip.FileHeader{Name: fmt.Sprintf("frame%0*d.png", digits, first+k), Method: zip.Store})
		if err != nil {
			return err
		}
		if _, err := f.Write(data); err != nil {
			return err
		}
	}
	return z.Close()
}

// changed returns the rectangle in which b differs from a, all of it for none before; at least one pixel, its corner at
// multiples of grain.
func changed(a, b *image.NRGBA, grain int) image.Rectangle {
	if a == nil {
		return b.Rect
	}
	var r image.Rectangle
	for y := range b.Rect.Dy() {
		p, q := a.Pix[y*a.Stride:(y+1)*a.Stride], b.Pix[y*b.Stride:(y+1)*b.Stride]
		if bytes.Equal(p, q) {
			continue
		}
		lo, hi := 0, len(q)
		for p[lo] == q[lo] {
			lo++
		}
		for p[hi-1] == q[hi-1] {
			hi--
		}
		r = r.Union(image.Rect(lo/4, y, (hi+3)/4, y+1))
	}
	r.Min.X, r.Min.Y = r.Min.X/grain*grain, r.Min.Y/grain*grain
	r.Max.X, r.Max.Y = max(r.Max.X, r.Min.X+1), max(r.Max.Y, r.Min.Y+1)
	return r
}

// cut returns a part of a picture as a picture of its own.
func cut(img *image.NRGBA, r image.Rectangle) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
	draw.Draw(out, out.Rect, img, r.Min, draw.Src)
	return out
}

// see is a picture of which a PNG always says how much of each pixel it covers: so all frames are of one type.
type see struct{ *image.NRGBA }

// Opaque hides that of the picture.
func (see) Opaque() bool { return false }

// apng writes an animated PNG (W3C PNG, third edition): of each frame what has changed.
func (m *movie) apng(w io.WriteSeeker, _ int) error {
	num, den := rational(m.rate)
	var before *image.NRGBA
	sequence := uint32(0)
	next := func() []byte {
		sequence++
		return binary.BigEndian.AppendUint32(nil, sequence-1)
	}
	plays := uint32(0)
	if m.once {
		plays = 1
	}
	enc := png.Encoder{CompressionLevel: png.DefaultCompression}
	for k := range m.frames {
		img, err := m.decoded(k)
		if err != nil {
			return err
		}
		r := changed(before, img, 1)
		var buf bytes.Buffer
		if err := enc.Encode(&buf, see{cut(img, r)}); err != nil {
			return err
		}
		data := buf.Bytes()
		var out []byte
		if k == 0 {
			out = append(out, data[:33]...) // the signature, and IHDR
			out = append(out, pixmap.Chunk("sRGB", []byte{0})...)
			out = append(out, pixmap.Chunk("acTL", binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(m.frames)), plays))...)
		}
		control := next()
		for _, v := range [4]int{r.Dx(), r.Dy(), r.Min.X, r.Min.Y} {
			control = binary.BigEndian.AppendUint32(control, uint32(v))
		}
		control = binary.BigEndian.AppendUint16(control, den) // a frame lasts the inverse of the rate
		control = binary.BigEndian.AppendUint16(control, num)
		out = append(out, pixmap.Chunk("fcTL", append(control, 0, 0))...)
		for data = data[33:]; len(data) >= 12; {
			n := int(binary.BigEndian.Uint32(data))
			if string(data[4:8]) == "IDAT" {
				if k == 0 {
					out = append(out, data[:n+12]...)
				} else {
					out = append(out, pixmap.Chunk("fdAT", append(next(), data[8:8+n]...))...)
				}
			}
			data = data[n+12:]
		}
		if _, err := w.Write(out); err != nil {
			return err
		}
		before = img
	}
	_, err := w.Write(pixmap.Chunk("IEND", nil))
	return err
}

// rational returns a rate as a fraction of two numbers of 16 bits.
func rational(rate float64) (num, den uint16) {
	for d := 1.0; d <= 1001; d++ {
		if n := math.Round(rate * d); n >= 1 && n < 65536 && math.Abs(n/d-rate) < 1e-6*rate {
			return uint16(n), uint16(d)
		}
	}
	return uint16(max(1, math.Round(rate*100))), 100
}

// webp writes an animated WebP, lossless, of each frame what has changed. The container is RFC 9649's.
func (m *movie) webp(w io.WriteSeeker, _ int) error {
	chunk := func(kind string, data []byte) []byte {
		out := append([]byte(kind), binary.LittleEndian.AppendUint32(nil, uint32(len(data)))...)
		out = append(out, data...)
		if len(data)%2 == 1 {
			out = append(out, 0)
		}
		return out
	}
	u24 := func(v int) []byte { return []byte{byte(v), byte(v >> 8), byte(v >> 16)} }
	size := 4
	write := func(data []byte) error {
		size += len(data)
		_, err := w.Write(data)
		return err
	}
	if _, err := w.Write([]byte("RIFF\x00\x00\x00\x00WEBP")); err != nil {
		return err
	}
	const animated, alpha = 1 << 1, 1 << 4
	loops := byte(0)
	if m.once {
		loops = 1
	}
	if err := write(append(chunk("VP8X", append(append([]byte{animated | alpha, 0, 0, 0}, u24(m.w-1)...), u24(m.h-1)...)), chunk("ANIM", []byte{0, 0, 0, 0, loops, 0})...)); err != nil {
		return err
	}
	var before *image.NRGBA
	for k := range m.frames {
		img, err := m.decoded(k)
		if err != nil {
			return err
		}
		r := changed(before, img, 2)
		var buf bytes.Buffer
		if err := nativewebp.Encode(&buf, cut(img, r), nil); err != nil {
			return fmt.Errorf("delivery: frame %d: %w", k, err)
		}
		pixels := buf.Bytes()[12:] // after RIFF and WEBP
		for string(pixels[:4]) != "VP8L" {
			n := 8 + int(binary.LittleEndian.Uint32(pixels[4:]))
			if pixels = pixels[n+n%2:]; len(pixels) < 8 {
				return errors.New("delivery: a frame has no pixels")
			}
		}
		head := append(append(u24(r.Min.X/2), u24(r.Min.Y/2)...), append(u24(r.Dx()-1), u24(r.Dy()-1)...)...)
		const replace = 1 << 1 // what was there, not lie over it
		head = append(append(head, u24(m.lasts(k, 1000))...), replace)
		if err := write(chunk("ANMF", append(head, pixels...))); err != nil {
			return err
		}
		before = img
	}
	if size > math.MaxUint32-16 {
		return errors.New("delivery: the file would be larger than a WebP may be")
	}
	if _, err := w.Seek(4, io.SeekStart); err != nil {
		return err
	}
	_, err := w.Write(binary.LittleEndian.AppendUint32(nil, uint32(size)))
	return err
}

// gif writes a GIF with one palette for all frames.
func (m *movie) gif(w io.WriteSeeker, _ int) error {
	palette, _, err := m.palette()
	if err != nil {
		return err
	}
	to := newMatcher(palette)
	out := gif.GIF{Config: image.Config{ColorModel: palette, Width: m.w, Height: m.h}}
	if m.once {
		out.LoopCount = -1
	}
	var before *image.NRGBA
	for k := range m.frames {
		img, err := m.decoded(k)
		if err != nil {
			return err
		}
		r := changed(before, img, 1)
		clear := !img.Opaque() || before != nil && !before.Opaque()
		if clear { // a pixel that was and is not: the frame before goes
			r = img.Rect
		}
		page := image.NewPaletted(r, palette)
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				i := img.PixOffset(x, y)
				page.Pix[(y-r.Min.Y)*page.Stride+x-r.Min.X] = to.index([4]byte(img.Pix[i : i+4]))
			}
		}
		out.Image = append(out.Image, page)
		out.Delay = append(out.Delay, m.lasts(k, 100))
		way := byte(gif.DisposalNone)
		if clear {
			way = gif.DisposalBackground
		}
		out.Disposal = append(out.Disposal, way)
		before = img
	}
	if err := gif.EncodeAll(w, &out); err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	return nil
}

// FFmpeg returns where ffmpeg is, "" for nowhere.
func FFmpeg() string {
	path, err := exec.LookPath("ffmpeg")
	if err != nil {
		return ""
	}
	return path
}

// video has ffmpeg make a video of the frames into a file of that name.
func (m *movie) video(ctx context.Context, as []string, name string) error {
	ffmpeg := FFmpeg()
	if ffmpeg == "" {
		return ErrNoFFmpeg
	}
	// Videos have colours as brightness and two differences, here those of Rec. 709; and sides of even numbers.
	filter := "scale=out_color_matrix=bt709:out_range=tv,pad=ceil(iw/2)*2:ceil(ih/2)*2"
	args := []string{"-v", "error", "-nostdin", "-y", "-f", "image2pipe", "-c:v", "png", "-framerate", strconv.FormatFloat(m.rate, 'f', -1, 64), "-i", "pipe:0", "-an", "-vf", filter,
		"-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "iec61966-2-1", "-color_range", "tv"}
	cmd := exec.CommandContext(ctx, ffmpeg, slices.Concat(args, as, []string{"file:" + name})...)
	var said bytes.Buffer
	cmd.Stderr = &limited{&said, 4096}
	cmd.WaitDelay = 5 * time.Second
	in, err := cmd.StdinPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		return fmt.Errorf("delivery: ffmpeg: %w", err)
	}
	for k := 0; k < m.frames && err == nil; k++ {
		var data []byte
		if data, err = m.frame(k); err == nil {
			_, err = in.Write(data)
		}
	}
	in.Close()
	if e := cmd.Wait(); e != nil && ctx.Err() == nil {
		err = fmt.Errorf("delivery: ffmpeg could not make the video: %s", strings.TrimSpace(said.String()))
	}
	if ctx.Err() != nil {
		os.Remove(name)
		return ctx.Err()
	}
	return err
}

// limited keeps the first bytes of what is written.
type limited struct {
	to   *bytes.Buffer
	left int
}

func (l *limited) Write(p []byte) (int, error) {
	n := min(l.left, len(p))
	l.to.Write(p[:n])
	l.left -= n
	return len(p), nil
}
