//go:build !amd64

package texture

func eightAVX2(*Eight, *[8]float32) {}

func turnAVX2(*Eight, *[8]float32) {}
