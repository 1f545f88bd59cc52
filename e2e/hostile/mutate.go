package hostile

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"math/rand/v2"
	"regexp"
)

// Mutate returns data with one to eight changes by chance of the kinds that do harm to readers: bits, counts and numbers at
// their extremes, names that name something else in the file (and so make circles), pieces left out, doubled, repeated
// often, or taken from another file. Files within a ZIP are changed as such.
func Mutate(rnd *rand.Rand, data []byte, others [][]byte) []byte {
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) && rnd.IntN(4) > 0 {
		if out := mutateWithin(rnd, data, others); out != nil {
			return out
		}
	}
	out := bytes.Clone(data)
	n := 1
	if rnd.IntN(3) == 0 { // one alone is taken more often, and goes deeper
		n += rnd.IntN(8)
	}
	for range n {
		if len(out) == 0 || len(out) > 4<<20 {
			return out
		}
		out = change(rnd, out, others)
	}
	return out
}

var (
	number = regexp.MustCompile(`-?\d+(\.\d+)?([eE][-+]?\d+)?`)
	quoted = regexp.MustCompile(`"[^"\n]{1,60}"`)
)

// extremes are numbers as they stand in texts.
var extremes = []string{"0", "-1", "1", "2", "255", "65535", "65536", "2147483647", "2147483648", "4294967295", "9223372036854775807", "18446744073709551616",
	"1e9", "1e15", "1e38", "-1e38", "3.5e38", "1e308", "1e999", "1e-40", "1e-9", "0.5", "NaN", "Infinity", "-0"}

// words are numbers as they stand in bytes.
var words = []uint32{0, 1, 2, 0xff, 0xffff, 0x10000, 0x7fffffff, 0x80000000, 0xffffffff, math.Float32bits(1e9), math.Float32bits(1e30), math.Float32bits(float32(math.Inf(1))), 0x7fc00000, math.Float32bits(1e-40)}

// change makes one change.
func change(rnd *rand.Rand, out []byte, others [][]byte) []byte {
	at := rnd.IntN(len(out))
	piece := func() (from, to int) {
		from = rnd.IntN(len(out))
		return from, min(len(out), from+1+rnd.IntN(1<<rnd.IntN(12)))
	}
	// one returns the place of a match of what is sought, about at.
	one := func(re *regexp.Regexp) []int {
		from := max(0, at-200)
		list := re.FindAllIndex(out[from:min(len(out), from+4000)], -1)
		if len(list) == 0 {
			return nil
		}
		m := list[rnd.IntN(len(list))]
		return []int{m[0] + from, m[1] + from}
	}
	put := func(from, to int, what []byte) []byte {
		return append(append(bytes.Clone(out[:from]), what...), out[to:]...)
	}
	switch rnd.IntN(12) {
	case 0:
		out[at] ^= 1 << rnd.IntN(8)
	case 1:
		out[at] = []byte{0, 1, 0x7f, 0x80, 0xff, '"', '<', '{', '[', '\n'}[rnd.IntN(10)]
	case 2, 3:
		if m := one(number); m != nil {
			return put(m[0], m[1], []byte(extremes[rnd.IntN(len(extremes))]))
		}
	case 4, 5:
		if at+4 <= len(out) {
			at &^= rnd.IntN(2) * 3
			binary.LittleEndian.PutUint32(out[at:], words[rnd.IntN(len(words))])
			if rnd.IntN(4) == 0 {
				binary.BigEndian.PutUint32(out[at:], words[rnd.IntN(len(words))])
			}
		}
	case 6, 7:
		a := one(quoted)
		at = rnd.IntN(len(out))
		if b := one(quoted); a != nil && b != nil {
			return put(a[0], a[1], bytes.Clone(out[b[0]:b[1]]))
		}
	case 8:
		from, to := piece()
		return put(from, to, nil)
	case 9:
		from, to := piece()
		return put(at, at, bytes.Clone(out[from:to]))
	case 10: // a line, or what stands for one, very often
		from, to := piece()
		if i := bytes.IndexByte(out[from:], '\n'); i > 0 && i < 2000 {
			to = from + i + 1
		}
		n := 1 << rnd.IntN(14)
		return put(from, from, bytes.Repeat(out[from:to], max(1, min(n, (1<<20)/(to-from)))))
	case 11:
		if len(others) > 0 {
			if o := others[rnd.IntN(len(others))]; len(o) > 0 {
				from := rnd.IntN(len(o))
				return put(at, at, o[from:min(len(o), from+1+rnd.IntN(2000))])
			}
		}
	}
	return out
}

// mutateWithin changes one file of a ZIP; nil where it cannot be read.
func mutateWithin(rnd *rand.Rand, data []byte, others [][]byte) []byte {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil || len(z.File) == 0 {
		return nil
	}
	which := rnd.IntN(len(z.File))
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for i, f := range z.File {
		r, err := f.Open()
		if err != nil {
			return nil
		}
		body, err := io.ReadAll(io.LimitReader(r, 8<<20))
		r.Close()
		if err != nil {
			return nil
		}
		if i == which {
			body = Mutate(rnd, body, others)
		}
		to, err := w.Create(f.Name)
		if err != nil {
			return nil
		}
		if _, err := to.Write(body); err != nil {
			return nil
		}
	}
	if w.Close() != nil {
		return nil
	}
	return out.Bytes()
}
