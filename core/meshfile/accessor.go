package meshfile

import (
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"net/url"
	"path"
	"strings"

	"github.com/qmuntal/gltf"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

func (r *gltfReader) vectors(index int) ([]vec.V, error) {
	f, err := r.floats(index, 3)
	if err != nil {
		return nil, err
	}
	out := make([]vec.V, len(f)/3)
	for i := range out {
		out[i] = vec.V{f[3*i], f[3*i+1], f[3*i+2]}
		if !out[i].Finite() {
			return nil, fmt.Errorf("value %d of accessor %d is not a number", i, index)
		}
	}
	return out, nil
}

func (r *gltfReader) accessor(index int) (*gltf.Accessor, error) {
	if index < 0 || index >= len(r.doc.Accessors) {
		return nil, fmt.Errorf("accessor %d of %d does not exist", index, len(r.doc.Accessors))
	}
	a := r.doc.Accessors[index]
	if a.Count < 0 || a.Count > 3*mesh.MaxTriangles {
		return nil, fmt.Errorf("accessor %d claims %d values", index, a.Count)
	}
	return a, nil
}

// floats reads an accessor of n components, integers normalised if it says so.
func (r *gltfReader) floats(index, n int) ([]float32, error) {
	a, err := r.accessor(index)
	if err != nil {
		return nil, err
	}
	if a.Type.Components() != n {
		return nil, fmt.Errorf("accessor %d has %d components, not %d", index, a.Type.Components(), n)
	}
	if a.BufferView == nil && a.Count > maxPositions {
		return nil, fmt.Errorf("accessor %d claims %d values and holds none", index, a.Count)
	}
	if err := r.fits(a, index); err != nil {
		return nil, err
	}
	if err := r.work.spend(n * a.Count); err != nil {
		return nil, err
	}
	out := make([]float32, n*a.Count)
	size := a.ComponentType.ByteSize()
	err = r.each(a, n, func(i int, at []byte) {
		for k := range n {
			out[i*n+k] = float(at[k*size:], a.ComponentType, a.Normalized)
		}
	})
	return out, err
}

// fits checks the claimed count against the bytes before anything is made.
func (r *gltfReader) fits(a *gltf.Accessor, index int) error {
	if a.BufferView == nil {
		return nil
	}
	v, err := r.view(*a.BufferView)
	if err != nil {
		return err
	}
	size := a.ComponentType.ByteSize() * a.Type.Components()
	if a.Count > 0 && int64(a.Count-1)*int64(max(size, stride(r.doc.BufferViews[*a.BufferView], 1)))+int64(size) > int64(len(v)) {
		return fmt.Errorf("accessor %d claims %d values, more than its buffer view holds", index, a.Count)
	}
	return nil
}

func stride(v *gltf.BufferView, otherwise int) int {
	if v.ByteStride > 0 {
		return v.ByteStride
	}
	return otherwise
}

// each calls f with the bytes of every element, then with those that a sparse
// accessor replaces.
func (r *gltfReader) each(a *gltf.Accessor, n int, f func(i int, at []byte)) error {
	size := a.ComponentType.ByteSize() * n
	if size == 0 {
		return errors.New("the accessor's component type is unknown")
	}
	run := func(bufferView, offset, count int, f func(i int, at []byte)) error {
		v, err := r.view(bufferView)
		if err != nil {
			return err
		}
		step := stride(r.doc.BufferViews[bufferView], size)
		if offset < 0 || count < 0 || count > 0 && int64(offset)+int64(count-1)*int64(step)+int64(size) > int64(len(v)) {
			return fmt.Errorf("%d values from byte %d do not fit into buffer view %d of %d bytes", count, offset, bufferView, len(v))
		}
		for i := range count {
			f(i, v[offset+i*step:offset+i*step+size])
		}
		return nil
	}
	if a.BufferView != nil {
		if err := run(*a.BufferView, a.ByteOffset, a.Count, f); err != nil {
			return err
		}
	} else if a.Sparse == nil && n == 1 { // indices without a buffer are zeros
		zero := make([]byte, size)
		for i := range a.Count {
			f(i, zero)
		}
	}
	s := a.Sparse
	if s == nil {
		return nil
	}
	if s.Count < 0 || s.Count > a.Count {
		return fmt.Errorf("%d sparse values for %d", s.Count, a.Count)
	}
	iv, err := r.view(s.Indices.BufferView)
	if err != nil {
		return err
	}
	isize, off := s.Indices.ComponentType.ByteSize(), s.Indices.ByteOffset
	if off < 0 || int64(off)+int64(s.Count)*int64(isize) > int64(len(iv)) {
		return errors.New("the sparse indices do not fit into their buffer view")
	}
	outside := false
	err = run(s.Values.BufferView, s.Values.ByteOffset, s.Count, func(i int, at []byte) {
		to := unsigned(iv[off+i*isize:], s.Indices.ComponentType)
		if to >= int64(a.Count) {
			outside = true
			return
		}
		f(int(to), at)
	})
	if err == nil && outside {
		err = errors.New("a sparse index lies outside its accessor")
	}
	return err
}

func (r *gltfReader) view(i int) ([]byte, error) {
	if i < 0 || i >= len(r.doc.BufferViews) {
		return nil, fmt.Errorf("buffer view %d of %d does not exist", i, len(r.doc.BufferViews))
	}
	v := r.doc.BufferViews[i]
	b, err := r.buffer(v.Buffer)
	if err != nil {
		return nil, err
	}
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteOffset > len(b) || v.ByteLength > len(b)-v.ByteOffset || v.ByteStride < 0 || v.ByteStride > len(b) {
		return nil, fmt.Errorf("buffer view %d (%d bytes from %d) does not fit into its buffer of %d bytes", i, v.ByteLength, v.ByteOffset, len(b))
	}
	return b[v.ByteOffset : v.ByteOffset+v.ByteLength], nil
}

func (r *gltfReader) buffer(i int) ([]byte, error) {
	if i < 0 || i >= len(r.doc.Buffers) {
		return nil, fmt.Errorf("buffer %d of %d does not exist", i, len(r.doc.Buffers))
	}
	if b, ok := r.buffers[i]; ok {
		return b, nil
	}
	b := r.doc.Buffers[i]
	var data []byte
	var err error
	switch uri := b.URI; {
	case uri == "" && i == 0 && r.bin != nil:
		data = r.bin
	case uri == "":
		return nil, fmt.Errorf("buffer %d has neither data nor a file name", i)
	default:
		if data, err = r.beside(uri); err != nil {
			return nil, fmt.Errorf("buffer %d: %w", i, err)
		}
	}
	if b.ByteLength > len(data) || b.ByteLength < 0 {
		return nil, fmt.Errorf("buffer %d is cut off: %d of %d bytes are there", i, len(data), b.ByteLength)
	}
	r.buffers[i] = data[:b.ByteLength]
	return r.buffers[i], nil
}

// beside returns the bytes that a data URI holds, or those of a file beside the model.
func (r *gltfReader) beside(uri string) ([]byte, error) {
	if strings.HasPrefix(uri, "data:") {
		head, body, ok := strings.Cut(uri, ",")
		if !ok || !strings.HasSuffix(head, ";base64") {
			return nil, errors.New("its data URI is not base64")
		}
		return base64.StdEncoding.DecodeString(body)
	}
	name, err := url.PathUnescape(uri)
	if err != nil || strings.Contains(name, ":") || !localPath(name) {
		return nil, fmt.Errorf("%.60q is not a file beside the model", uri)
	}
	data, err := r.open(path.Clean(name))
	if err != nil {
		return nil, err
	}
	if r.left -= len(data); r.left < 0 || len(data) > MaxBytes {
		return nil, ErrTooBig
	}
	return data, nil
}

// localPath tells whether name stays within the model's folder.
func localPath(name string) bool {
	name = path.Clean(strings.ReplaceAll(name, `\`, "/"))
	return name != ".." && !strings.HasPrefix(name, "../") && !strings.HasPrefix(name, "/")
}

func unsigned(b []byte, t gltf.ComponentType) int64 {
	switch t {
	case gltf.ComponentUbyte, gltf.ComponentByte:
		return int64(b[0])
	case gltf.ComponentUshort, gltf.ComponentShort:
		return int64(binary.LittleEndian.Uint16(b))
	default:
		return int64(binary.LittleEndian.Uint32(b))
	}
}

func float(b []byte, t gltf.ComponentType, normalized bool) float32 {
	var v, full float32
	switch t {
	case gltf.ComponentFloat:
		return math.Float32frombits(binary.LittleEndian.Uint32(b))
	case gltf.ComponentByte:
		v, full = float32(int8(b[0])), 127
	case gltf.ComponentUbyte:
		v, full = float32(b[0]), 255
	case gltf.ComponentShort:
		v, full = float32(int16(binary.LittleEndian.Uint16(b))), 32767
	case gltf.ComponentUshort:
		v, full = float32(binary.LittleEndian.Uint16(b)), 65535
	case gltf.ComponentUint:
		v, full = float32(binary.LittleEndian.Uint32(b)), math.MaxUint32
	}
	if normalized {
		return max(v/full, -1)
	}
	return v
}
