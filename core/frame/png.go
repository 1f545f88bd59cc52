package frame

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"io"
	"math"
)

// writePNG writes the picture as a PNG that says that its colours are sRGB, and how large it is on paper.
func (p *Picture) writePNG(w io.Writer, bits int) error {
	var buf bytes.Buffer
	if err := p.result.WritePNG(&buf, bits); err != nil {
		return err
	}
	const head = 8 + 25 // the signature, and IHDR
	data := buf.Bytes()
	for _, part := range [][]byte{data[:head], Chunk("sRGB", []byte{0}), density(p.DPI), data[head:]} {
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
	return Chunk("pHYs", append(binary.BigEndian.AppendUint32(data, n), 1))
}

// Chunk returns a chunk of a PNG.
func Chunk(kind string, data []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	out = append(append(out, kind...), data...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}
