package lanes

import "golang.org/x/sys/cpu"

// Wide tells whether the processor does eight sums at once, by AVX2.
var Wide = cpu.X86.HasAVX2

// Those of lanes.go, of n numbers, a multiple of eight that is not 0; in lanes_amd64.s.

//go:noescape
func affineAVX2(out, x, y *float32, n int, ax, ay, b float32)

//go:noescape
func mixAVX2(out, from, to, part *float32, n int)

//go:noescape
func fallAVX2(out, v *float32, n int, top, by float32)
