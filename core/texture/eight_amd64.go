package texture

import "golang.org/x/sys/cpu"

// assembly tells whether eight places are looked at at once.
var assembly = cpu.X86.HasAVX2

// eightAVX2 is Noise at eight places, in eight_amd64.s.
//
//go:noescape
func eightAVX2(e *Eight, out *[8]float32)

// turnAVX2 is turn at eight places, each made finer first.
//
//go:noescape
func turnAVX2(e *Eight, finer *[8]float32)
