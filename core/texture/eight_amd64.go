package texture

// eightAVX2 is Noise at eight places, in eight_amd64.s.
//
//go:noescape
func eightAVX2(e *Eight, out *[8]float32)

// turnAVX2 is turn at eight places, each made finer first.
//
//go:noescape
func turnAVX2(e *Eight, finer *[8]float32)

// packed says for each number, twice in a row, what Perlin's directions do with a place, from the
// highest bit down: whether the first of two terms is y and not x, whether the second is y and not
// z, whether it is x, and whether each is taken away. permuted is perm twice in a row.
//
//lint:ignore U1000 eight_amd64.s reads both
var packed, permuted = func() (packed [512]uint32, permuted [512]uint8) {
	for i := range packed {
		permuted[i] = perm[i&255]
		h := perm[i&255] & 15
		for at, is := range []bool{h >= 8, h < 4, h == 12 || h == 14, h&1 != 0, h&2 != 0} {
			if is {
				packed[i] |= 1 << (31 - at)
			}
		}
	}
	return packed, permuted
}()
