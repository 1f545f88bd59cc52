package pixmap

import (
	"bytes"
	"fmt"
)

// readRadiance reads a Radiance picture in RGBE, plain or run-length encoded, rows
// from the top (Ward 1991).
func readRadiance(data []byte) (*Pixmap, error) {
	w, h, rest, err := radianceSize(data)
	if err != nil {
		return nil, err
	}
	if len(rest) < h*4 && len(rest) < w*h/64 { // no encoding is that tight
		return nil, errRadiance
	}
	p := &Pixmap{W: w, H: h, Shared: true, Pix: make([]byte, 4*w*h)}
	for y := range h {
		var err error
		if rest, err = radianceRow(p.Pix[4*y*w:4*(y+1)*w], rest); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// radianceSize reads the head of a Radiance picture and returns what follows.
func radianceSize(data []byte) (w, h int, rest []byte, err error) {
	head, rest, ok := bytes.Cut(data, []byte("\n\n"))
	if !ok || len(head) > 1<<16 {
		return 0, 0, nil, errRadiance
	}
	if f := []byte("FORMAT="); bytes.Contains(head, f) && !bytes.Contains(head, []byte("FORMAT=32-bit_rle_rgbe")) {
		return 0, 0, nil, fmt.Errorf("pixmap: the Radiance picture is not in RGBE")
	}
	size, rest, ok := bytes.Cut(rest, []byte("\n"))
	if n, err := fmt.Sscanf(string(size[:min(len(size), 100)]), "-Y %d +X %d", &h, &w); !ok || n != 2 || err != nil {
		return 0, 0, nil, fmt.Errorf("pixmap: the Radiance picture runs another way than from its top left corner")
	}
	return w, h, rest, checkSize(w, h)
}

// radianceRow reads one row and returns what follows.
func radianceRow(row, data []byte) ([]byte, error) {
	w := len(row) / 4
	if len(data) < 4 {
		return nil, errRadiance
	}
	if w < 8 || w > 0x7fff || data[0] != 2 || data[1] != 2 || int(data[2])<<8|int(data[3]) != w {
		return plainRow(row, data)
	}
	data = data[4:]
	for k := range 4 {
		for x := 0; x < w; {
			if len(data) < 2 {
				return nil, errRadiance
			}
			n := int(data[0])
			run := n > 128
			if run {
				n -= 128
			}
			if n == 0 || x+n > w || !run && len(data) < 1+n {
				return nil, errRadiance
			}
			for i := range n {
				b := data[1]
				if !run {
					b = data[1+i]
				}
				row[4*(x+i)+k] = b
			}
			if x += n; run {
				n = 1
			}
			data = data[1+n:]
		}
	}
	return data, nil
}

// plainRow reads a row whose pixels follow each other, with repeats as 1, 1, 1, n.
func plainRow(row, data []byte) ([]byte, error) {
	shift := 0
	for x := 0; x < len(row); {
		if len(data) < 4 {
			return nil, errRadiance
		}
		q := data[:4]
		data = data[4:]
		if q[0] != 1 || q[1] != 1 || q[2] != 1 {
			x, shift = x+copy(row[x:], q), 0
			continue
		}
		n := int(q[3]) << shift
		if shift += 8; x == 0 || shift > 24 || x+4*n > len(row) {
			return nil, errRadiance
		}
		for range n {
			x += copy(row[x:], row[x-4:x])
		}
	}
	return data, nil
}
