// Package archive opens ZIP files from anywhere: one whose list of contents would take far more memory than is reasonable
// is refused before it is read.
package archive

import (
	"archive/zip"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// ErrCrowded says that an archive lists too much.
var ErrCrowded = errors.New("archive: the ZIP lists more entries than can be read")

const (
	tail      = 22 + 1<<16 // bytes in which the end record lies
	signature = 0x06054b50
	locator   = 20 // bytes before it, of a ZIP64
)

// Open opens a ZIP of size bytes whose list of contents takes at most most bytes; an
// entry takes 46 of them and its name.
func Open(r io.ReaderAt, size, most int64) (*zip.Reader, error) {
	end := make([]byte, min(size, tail))
	if _, err := r.ReadAt(end, size-int64(len(end))); err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("archive: %w", err)
	}
	for i := len(end) - 22; i >= 0; i-- {
		if binary.LittleEndian.Uint32(end[i:]) != signature {
			continue
		}
		at, long := int64(binary.LittleEndian.Uint32(end[i+16:])), int64(binary.LittleEndian.Uint32(end[i+12:]))
		from := size - int64(len(end)) + int64(i)
		if at == 0xffffffff || long == 0xffffffff {
			if at, long = wide(r, from); at < 0 {
				return nil, zip.ErrFormat
			}
		}
		// The list runs up to the end record, from where it is said to begin or, if
		// something was put before the archive, from as many bytes before as it is long.
		if from-at > most || long > most {
			return nil, ErrCrowded
		}
		break
	}
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, err
	}
	return z, nil
}

// Read unpacks an entry. The caller has looked at its UncompressedSize64: an entry
// with more in it than it says is damaged.
func Read(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("archive: %w", err)
	}
	defer r.Close()
	out := make([]byte, f.UncompressedSize64)
	if _, err := io.ReadFull(r, out); err != nil && !(len(out) == 0 && errors.Is(err, io.EOF)) {
		return nil, fmt.Errorf("archive: %w", err)
	}
	if n, err := r.Read(make([]byte, 1)); n > 0 || !errors.Is(err, io.EOF) { // it is only here that the sum is checked
		return nil, zip.ErrChecksum
	}
	return out, nil
}

// wide returns what the end record of a ZIP64 says, whose locator lies before from.
func wide(r io.ReaderAt, from int64) (at, long int64) {
	var loc [locator]byte
	if _, err := r.ReadAt(loc[:], from-locator); err != nil || binary.LittleEndian.Uint32(loc[:]) != 0x07064b50 {
		return -1, -1
	}
	var rec [56]byte
	if _, err := r.ReadAt(rec[:], int64(binary.LittleEndian.Uint64(loc[8:])&(1<<62-1))); err != nil || binary.LittleEndian.Uint32(rec[:]) != 0x06064b50 {
		return -1, -1
	}
	return int64(binary.LittleEndian.Uint64(rec[48:]) & (1<<62 - 1)), int64(binary.LittleEndian.Uint64(rec[40:]) & (1<<62 - 1))
}
