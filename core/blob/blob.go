// Package blob makes balls that melt together into a surface, and springs of them: flames, smoke, drops. What it makes
// depends on the numbers and the moment alone.
package blob

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"

	"mobanta/core/limits"
	"mobanta/core/vec"
)

// Blobs is balls that melt together.
type Blobs struct {
	Balls  []Ball  `json:"balls,omitempty"`
	Melt   float64 `json:"melt,omitempty"`   // how far beyond itself a ball reaches for others, in parts of its radius; 0 for DefaultMelt
	Detail float64 `json:"detail,omitempty"` // cells in a unit of length; 0 for DefaultDetail
	Spring Spring  `json:"spring,omitzero"`
}

// Ball is one ball.
type Ball struct {
	At     vec.V   `json:"at"`
	Size   float32 `json:"size"`             // its radius
	Hollow bool    `json:"hollow,omitempty"` // it takes away instead
}

// Spring lets balls well up: each is born near a place, rises, drifts, and dwindles. After a loop all is as it was.
type Spring struct {
	On     bool    `json:"on,omitempty"`
	At     vec.V   `json:"at,omitzero"`
	Rate   float64 `json:"rate,omitempty"`   // balls a second; of a loop a whole number are born
	Life   float64 `json:"life,omitempty"`   // seconds
	Size   float64 `json:"size,omitempty"`   // radius when grown
	Rise   float64 `json:"rise,omitempty"`   // units a second
	Spread float64 `json:"spread,omitempty"` // how far from the place they are born
	Widen  float64 `json:"widen,omitempty"`  // how much wider they lie at the end, -1 for on one line
	Taper  float64 `json:"taper,omitempty"`  // how much smaller they end, 1 for to nothing
	Sway   float64 `json:"sway,omitempty"`   // how far the top sways
	Seed   int     `json:"seed,omitempty"`
}

// What zero values stand for, and limits.
const (
	DefaultMelt   = 0.6
	DefaultDetail = 20
	MaxBalls      = 256
	maxAlive      = 400 // balls of a spring at a time
	maxDetail     = 400
	maxCells      = 4 << 20 // that are looked into: a finer detail is made coarser
	far           = 1e6
)

// Flame returns a spring of a flame of about two units' height.
func Flame() Spring {
	return Spring{On: true, At: vec.V{0, -0.9, 0}, Rate: 22, Life: 1.1, Size: 0.38, Rise: 1.7, Spread: 0.16, Widen: -0.5, Taper: 0.9, Sway: 0.22}
}

// Smoke returns a spring of a column of smoke.
func Smoke() Spring {
	return Spring{On: true, At: vec.V{0, -0.9, 0}, Rate: 9, Life: 2.6, Size: 0.34, Rise: 0.8, Spread: 0.12, Widen: 1.6, Taper: 0.35, Sway: 0.3, Seed: 3}
}

// New returns three balls that show what melting is.
func New() *Blobs {
	return &Blobs{Balls: []Ball{{At: vec.V{-0.45, -0.2, 0}, Size: 0.6}, {At: vec.V{0.5, -0.1, 0.1}, Size: 0.5}, {At: vec.V{0.05, 0.6, -0.1}, Size: 0.4}}}
}

// Check returns what is wrong with blobs, or nil.
func (b *Blobs) Check() error {
	if len(b.Balls) > MaxBalls {
		return fmt.Errorf("blob: at most %d balls", MaxBalls)
	}
	place := func(p vec.V) error {
		return errors.Join(limits.Check("blob: a place", float64(p[0]), -far, far), limits.Check("blob: a place", float64(p[1]), -far, far), limits.Check("blob: a place", float64(p[2]), -far, far))
	}
	for i := range b.Balls {
		if err := errors.Join(place(b.Balls[i].At), limits.Check("blob: the size of a ball", float64(b.Balls[i].Size), 1e-6, far)); err != nil {
			return err
		}
	}
	s := &b.Spring
	if err := errors.Join(limits.Check("blob: melting", b.Melt, 0, 4), limits.Check("blob: detail", b.Detail, 0, maxDetail), place(s.At), limits.Check("blob: the rate of the spring", s.Rate, 0, 200),
		limits.Check("blob: the life of its balls", s.Life, 0, 60), limits.Check("blob: the size of its balls", s.Size, 0, far), limits.Check("blob: how they rise", s.Rise, -far, far),
		limits.Check("blob: their spread", s.Spread, 0, far), limits.Check("blob: how they widen", s.Widen, -1, 20), limits.Check("blob: their taper", s.Taper, 0, 1), limits.Check("blob: their sway", s.Sway, 0, far)); err != nil {
		return err
	}
	if s.Seed < 0 || s.Seed > 1<<30 {
		return errors.New("blob: the seed is a whole number from 0 on")
	}
	if s.Rate*s.Life > maxAlive {
		return fmt.Errorf("blob: rate times life comes to more than %d balls at a time", maxAlive)
	}
	if len(b.Balls) == 0 && !s.On {
		return errors.New("blob: there is not a single ball")
	}
	return nil
}

// Key tells what the surface is at a moment from all others that it could be.
func (b *Blobs) Key(at, loop float64) string {
	if !b.Spring.On {
		at, loop = 0, 0
	}
	out := fmt.Appendf(nil, "%g %g %v ", b.Melt, b.Detail, b.Spring)
	for _, l := range b.Balls {
		for _, v := range [4]float32{l.At[0], l.At[1], l.At[2], l.Size} {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
		out = fmt.Append(out, l.Hollow)
	}
	return string(fmt.Appendf(out, " %g %g", at, loop))
}

// Alive returns all balls at a moment of a loop, both in seconds.
func (b *Blobs) Alive(at, loop float64) []Ball {
	out := append([]Ball(nil), b.Balls...)
	s := &b.Spring
	if !s.On || s.Life <= 0 || s.Size <= 0 {
		return out
	}
	if !(loop > 0) {
		loop = 1
	}
	turn := 2 * math.Pi * at / loop
	n := max(1, int(math.Round(s.Rate*loop)))
	for k := range n {
		chance := func(i uint64) float64 { return hashed(uint64(s.Seed)<<32 | uint64(k)<<8 | i) }
		age := math.Mod(at-(float64(k)+0.8*chance(0))/float64(n)*loop, loop)
		if age < 0 {
			age += loop
		}
		for ; age < s.Life && len(out) < MaxBalls+maxAlive; age += loop {
			a := age / s.Life
			r, angle := s.Spread*math.Sqrt(chance(1))*(1+s.Widen*a), 2*math.Pi*chance(2)
			// It grows as it is born, and is gone at the end.
			size := s.Size * (0.7 + 0.6*chance(3)) * (1 - s.Taper*a) * min(1, a/0.12) * min(1, (1-a)/0.15)
			if size < s.Size*0.02 {
				continue
			}
			// All sway together, the higher the further, and each a little by itself; each a whole number of times in a loop.
			often := math.Max(1, math.Round(loop*0.9))
			own := 2 * math.Pi * chance(4)
			sx := s.Sway * a * (0.7*math.Sin(often*turn-4*a) + 0.3*math.Sin(2*often*turn+own))
			sz := s.Sway * a * (0.7*math.Sin(often*turn-4*a+2) + 0.3*math.Sin(2*often*turn+own+1))
			out = append(out, Ball{At: s.At.Add(vec.V{float32(r*math.Cos(angle) + sx), float32(s.Rise * age * (0.85 + 0.3*chance(5))), float32(r*math.Sin(angle) + sz)}), Size: float32(size)})
		}
	}
	return out
}

// hashed returns a chance number from 0 up to 1 (the finaliser of SplitMix64, Steele, Lea and Flood 2014).
func hashed(x uint64) float64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	x ^= x >> 31
	return float64(x>>11) / (1 << 53)
}
