package frame

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"

	"mobanta/core/pixmap"
)

// writePNG writes the picture as a PNG that says that its colours are sRGB, and how large it is on paper.
func (p *Picture) writePNG(w io.Writer, bits int) error {
	var buf bytes.Buffer
	if err := p.result.WritePNG(&buf, bits); err != nil {
		return err
	}
	const head = 8 + 25 // the signature, and IHDR
	data := buf.Bytes()
	for _, part := range [][]byte{data[:head], pixmap.Chunk("sRGB", []byte{0}), density(p.DPI), data[head:]} {
		if _, err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}

// density returns the chunk that says how many pixels there are to a metre; nothing for 0 dots per inch.
func density(dpi float64) []byte {
	if !(dpi > 0) {
		return nil
	}
	n := uint32(math.Round(dpi / 0.0254))
	data := binary.BigEndian.AppendUint32(nil, n)
	return pixmap.Chunk("pHYs", append(binary.BigEndian.AppendUint32(data, n), 1))
}
