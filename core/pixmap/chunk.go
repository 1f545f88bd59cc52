package pixmap

import (
	"encoding/binary"
	"hash/crc32"
)

// Chunk returns a chunk of a PNG: its length, its kind of four letters, its data, and their CRC-32 (PNG specification, 5.3).
func Chunk(kind string, data []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	out = append(append(out, kind...), data...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}
