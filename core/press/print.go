package press

import (
	"mobanta/core/color"
	"mobanta/core/texture"
)

// Sheet is a rectangle of a picture that is parted among the inks.
type Sheet struct {
	press      *Ready
	x0, y0     int
	w, h       int
	lines      int
	shares     []Shares
	toothSeed  texture.Seed
	roughSeeds [MaxInks]texture.Seed
}

// Part parts a rectangle of a picture of so many lines among the inks: w × h colours from x0, y0.
func (r *Ready) Part(x0, y0, w, h, lines int, at func(x, y int) color.C) *Sheet {
	s := &Sheet{press: r, x0: x0, y0: y0, w: w, h: h, lines: lines, shares: make([]Shares, w*h)}
	s.toothSeed = texture.SeedOf(0.31)
	for k := range s.roughSeeds {
		s.roughSeeds[k] = texture.SeedOf(0.1 + float32(k))
	}
	known := map[color.C]Shares{} // drawn pictures have few colours
	var last color.C
	var lastShares Shares
	for i := range s.shares {
		c := at(x0+i%w, y0+i/w)
		if i == 0 || c != last {
			got, ok := known[c]
			if !ok {
				got = r.separate(c)
				if len(known) < 1<<14 {
					known[c] = got
				}
			}
			last, lastShares = c, got
		}
		s.shares[i] = lastShares
	}
	return s
}

// share returns how much of ink k is asked at a place between pixels.
func (s *Sheet) share(k int, x, y float32) float32 {
	x, y = max(0, min(float32(s.w-1), x-float32(s.x0))), max(0, min(float32(s.h-1), y-float32(s.y0)))
	ix, iy := min(int(x), max(0, s.w-2)), min(int(y), max(0, s.h-2))
	fx, fy := x-float32(ix), y-float32(iy)
	right, below := min(1, s.w-1), min(1, s.h-1)*s.w
	i := iy*s.w + ix
	top := s.shares[i][k] + (s.shares[i+right][k]-s.shares[i][k])*fx
	low := s.shares[i+below][k] + (s.shares[i+below+right][k]-s.shares[i+below][k])*fx
	return top + (low-top)*fy
}

// at returns where in its screen, in cells, the middle of pixel x, y of a picture of so many lines lies: upward on the page, the
// plate's own place if it lies off.
func (l *plate) at(x, y float32, lines int) (u, v float32) {
	u, v = (x+0.5-l.dx)*l.perPixel, (float32(lines)-y-0.5+l.dy)*l.perPixel
	return u*l.cos + v*l.sin, v*l.cos - u*l.sin
}

// Plate returns how much of pixel x, y plate k covers, 0 to 1.
func (s *Sheet) Plate(k, x, y int) float32 {
	l := &s.press.inks[k]
	fx, fy := float32(x), float32(y)
	a := s.shares[(y-s.y0)*s.w+x-s.x0][k]
	if l.dx != 0 || l.dy != 0 {
		a = s.share(k, fx-l.dx, fy-l.dy)
	}
	if a <= 0 {
		return 0
	}
	a += 4 * s.press.gain * a * (1 - a)
	u, v := l.at(fx, fy, s.lines)
	if s.press.rough > 0 && a < 1 {
		a += s.press.rough * 0.35 * min(a, 1-a) * texture.Seen(3*l.perPixel) * texture.Noise(3*u, 3*v, 0.5, s.roughSeeds[k])
	}
	m := l.screen.At(u, v, max(0, min(1, a)))
	if s.press.tooth > 0 && m > 0 {
		grain := 900 / float32(s.lines) // of the paper, in grains a pixel
		n := texture.Noise((fx+0.5-l.dx)*grain, (float32(s.lines)-fy-0.5+l.dy)*grain, 0.5, s.toothSeed)
		m *= 1 - s.press.tooth*max(0, min(1, texture.Seen(grain)*(1.6*n-0.35)))
	}
	return m
}

// At returns what pixel x, y looks like with all plates printed.
func (s *Sheet) At(x, y int) color.C {
	c := s.press.paper
	for k := range s.press.inks {
		if m := s.Plate(k, x, y); m > 0 {
			c = s.press.over(k, c, m)
		}
	}
	return c
}
