package color

import "fmt"

// Strip is rows of colours, read along and across: a palette.
type Strip [][]C

// Limits on a strip.
const (
	MaxStripRows  = 64
	MaxStripWidth = 256
)

// Check returns why s cannot be read, or nil: it has at least one colour, and
// rows of equal length.
func (s Strip) Check() error {
	if len(s) == 0 || len(s[0]) == 0 {
		return fmt.Errorf("color: a strip needs at least one colour")
	}
	if len(s) > MaxStripRows || len(s[0]) > MaxStripWidth {
		return fmt.Errorf("color: a strip holds at most %d rows of %d colours", MaxStripRows, MaxStripWidth)
	}
	for i, row := range s {
		if len(row) != len(s[0]) {
			return fmt.Errorf("color: row %d of the strip has %d colours, the first has %d", i+1, len(row), len(s[0]))
		}
	}
	return nil
}

// At returns the colour at u along and v across, both 0 to 1 and clamped: the
// flat colour of the cell that the place falls into, or, if smooth is set, a
// blend in linear light between the middles of the cells around it.
func (s Strip) At(u, v float32, smooth bool) C {
	if !smooth {
		return s[cell(v, len(s))][cell(u, len(s[0]))]
	}
	i, fu := between(u, len(s[0]))
	j, fv := between(v, len(s))
	i2, j2 := min(i+1, len(s[0])-1), min(j+1, len(s)-1)
	return s[j][i].Mix(s[j][i2], fu).Mix(s[j2][i].Mix(s[j2][i2], fu), fv)
}

func cell(t float32, n int) int {
	if !(t > 0) {
		return 0
	}
	return int(min(t*float32(n), float32(n-1)))
}

func between(t float32, n int) (int, float32) {
	x := t*float32(n) - 0.5
	if !(x > 0) {
		return 0, 0
	}
	if x >= float32(n-1) {
		return n - 1, 0
	}
	i := int(x)
	return i, x - float32(i)
}
