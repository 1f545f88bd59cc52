// Package pattern holds what makes a picture look printed or drawn by hand: halftone screens,
// hatching and stipple, each with the mean that it has over what a pixel covers, and with as much
// ink on average as is asked.
package pattern

import (
	"math"
	"math/cmplx"
	"slices"
	"sync"

	"mobanta/core/parallel"
)

// Spot is the shape in which ink grows within a cell of a screen.
type Spot string

// The spots.
const (
	Round   Spot = "round"
	Both    Spot = "both" // round, then round holes
	Square  Spot = "square"
	Diamond Spot = "diamond"
	Ellipse Spot = "ellipse"
	Line    Spot = "line"
	Ring    Spot = "ring"
	Cross   Spot = "cross"
)

// grown returns how late ink comes to a place in the cell, whose middle is 0, 0 and which reaches
// from -½ to ½; only the order of what it gives counts.
func (s Spot) grown(u, v float64) float64 {
	a, b := math.Abs(u), math.Abs(v)
	switch s {
	case Both:
		return -math.Cos(2*math.Pi*u) - math.Cos(2*math.Pi*v)
	case Square:
		return max(a, b)
	case Diamond:
		return a + b
	case Ellipse:
		return math.Hypot(a, 1.6*b)
	case Line:
		return b
	case Ring:
		return math.Abs(math.Hypot(a, b) - 0.28)
	case Cross:
		return min(max(a, 3*b), max(b, 3*a))
	}
	return math.Hypot(a, b)
}

// side is how many places along each side of a cell are known, of a spot's screen.
const side = 128

// Screen knows for each place in a cell its rank: which part of the cell gets ink before it does.
// Where the rank is less than the share of ink that is asked there is ink, so that as much of the
// cell is inked as is asked, whatever the spot, past the point where dots touch too.
type Screen struct {
	side int // how many places along each side of the cell are known, a power of two
	rank []float32
	// many is how many cells there are in one, along each side, for a screen that says more than
	// once round one spot; 1 for the others.
	many float32

	mu     sync.Mutex
	series [softTables + 1]*series
	seen   map[int]*seen   // by FootStep
	inks   map[[2]int]*Ink // by FootStep and SoftStep
	kept   int             // bytes of what is seen
}

// screens are those of the spots, made when they are first asked for.
var screens sync.Map

// Of returns the screen of a spot; that of Round for one that there is not.
func Of(s Spot) *Screen {
	if got, ok := screens.Load(s); ok {
		return got.(*Screen)
	}
	got, _ := screens.LoadOrStore(s, newScreen(func(x, y int) float64 {
		return s.grown((float64(x)+0.5)/side-0.5, (float64(y)+0.5)/side-0.5)
	}, nil))
	return got.(*Screen)
}

// OfPicture returns the screen whose ink grows from the dark places of a picture to its light
// ones; light returns how light it is at a place from 0 to 1 both ways. Where it is equally light
// ink comes first to what is darker about it.
func OfPicture(light func(u, v float64) float64) *Screen {
	var at, about [side * side]float64
	for i := range at {
		at[i] = light((float64(i%side)+0.5)/side, (float64(i/side)+0.5)/side)
	}
	blur := func(step, of int) { // round the cell, as a box, twice
		const reach = side / 10
		for range 2 {
			var out [side]float64
			for row := range side {
				for k := range out {
					out[k] = 0
					for d := -reach; d <= reach; d++ {
						out[k] += about[row*of+(k+d+side)%side*step]
					}
				}
				for k, v := range out {
					about[row*of+k*step] = v / (2*reach + 1)
				}
			}
		}
	}
	about = at
	blur(1, side)
	blur(side, 1)
	return newScreen(func(x, y int) float64 { return at[y*side+x] }, func(x, y int) float64 {
		// Where it is even all about, as a dot grows.
		return about[y*side+x] + 1e-6*Both.grown((float64(x)+0.5)/side-0.5, (float64(y)+0.5)/side-0.5)
	})
}

// newScreen ranks the places of a cell by how late ink comes to them; those of which that is
// equal by then, or, without one, share the mean of their ranks.
func newScreen(late, then func(x, y int) float64) *Screen {
	key, second := make([]float64, side*side), make([]float64, side*side)
	for i := range key {
		key[i] = math.Round(late(i%side, i/side)*1e9) / 1e9 // what differs by rounding alone is equal
		if then != nil {
			second[i] = then(i%side, i/side)
		}
	}
	return ranked(side, 1, key, second)
}

// ranked returns the screen in whose cell ink comes to places in the order of two keys.
func ranked(side int, many float32, key, second []float64) *Screen {
	n := side * side
	type place struct {
		first, then float64
		i           int
	}
	order := make([]place, n)
	for i := range order {
		order[i] = place{key[i], second[i], i}
	}
	slices.SortFunc(order, func(a, b place) int {
		switch {
		case a.first != b.first:
			return sign(a.first - b.first)
		case a.then != b.then:
			return sign(a.then - b.then)
		}
		return a.i - b.i
	})
	s := &Screen{side: side, many: many, rank: make([]float32, n), seen: map[int]*seen{}, inks: map[[2]int]*Ink{}}
	for from := 0; from < n; {
		to := from + 1
		for to < n && order[to].first == order[from].first && order[to].then == order[from].then {
			to++
		}
		for _, p := range order[from:to] {
			s.rank[p.i] = float32(from+to) / 2 / float32(n)
		}
		from = to
	}
	return s
}

func sign(v float64) int {
	if v < 0 {
		return -1
	}
	return 1
}

// slope returns by how much the rank grows about a place of the cell, per cell.
func (s *Screen) slope(x, y int) float64 {
	n := s.side
	at := func(x, y int) float64 { return float64(s.rank[y&(n-1)*n+x&(n-1)]) }
	return math.Hypot(at(x+1, y)-at(x-1, y), at(x, y+1)-at(x, y-1)) * float64(n) / 2
}

func floor(x float32) int {
	i := int(x)
	if float32(i) > x {
		i--
	}
	return i
}

// seen is a screen as pixels show it that cover about as much of its cells.
type seen struct {
	flat bool // a pixel covers so much that no cell can be told
	// Where cells are large: at each place its rank, and over how many ranks ink fades in a pixel.
	ranks [][2]float32
	// Where they are small: the pattern by shares of ink, [v][u][level], made when it is asked for, for
	// softnesses in even steps; size places along each side.
	size   int
	tables [softTables + 1][]float32
}

// Ink tells how much ink there is in what a pixel covers, for pixels that cover about as much of a
// cell: as the mean over a bell about it. It may be used by many at once.
type Ink struct {
	*seen
	side  int
	scale float32               // places a cell
	soft  float32               // over how many ranks edges fade
	from  [2*levels + 1]float32 // for shares of ink in even steps, the rank about which ink fades
	table []float32             // as those of seen, of just this softness
}

const (
	// levels are the shares of ink for which a table knows the pattern.
	levels = 32
	// bell is the standard deviation of the bell about a pixel, in pixels.
	bell = 0.38
	// coarse is how much of a cell a pixel covers at most for ranks to be looked at: below it edges
	// look straight to a pixel.
	coarse = 1.0 / 16
	// footSteps are the parts of an octave of what a pixel covers that are told apart, and sharpest is
	// how little it covers, in those, that less makes no difference; from most on nothing is seen.
	footSteps = 4
	sharpest  = -8 * footSteps
	most      = 4 * footSteps
	// softSteps are the softnesses that are told apart, from 0 to 1, and softTables those for which
	// there are tables: between them two are mixed.
	softSteps  = 64
	softTables = 8
	// keptBytes limits what a screen keeps for pixels that cover more or less of it.
	keptBytes = 24 << 20
	// harmonics are how many there are at most in a table: finer ones than pixels show at coarse.
	harmonics = 13
	// limit is the finest wave that is shown, in waves a pixel.
	limit = 0.8
)

// FootStep returns which footprints are seen alike: those of one step, in order.
func FootStep(foot float32) int {
	if !(foot > 1.0/256) {
		return sharpest
	}
	bits := math.Float32bits(foot)
	step := (int(bits>>23) - 127) * footSteps
	switch m := bits & (1<<23 - 1); { // quarters of an octave: 2 to the ¾, ½ and ¼
	case m > 0x5744fd:
		step += 4
	case m > 0x3504f3:
		step += 3
	case m > 0x1837f0:
		step += 2
	case m > 0:
		step++
	}
	return min(step, most)
}

// SoftStep returns which softnesses, 0 to 1, are seen alike.
func SoftStep(soft float32) int { return int(max(0, min(1, soft))*softSteps + 0.5) }

// Ink returns the screen as pixels show it that cover as much of a cell as footprints of a step,
// with edges that are soft over that part of all ranks, as softnesses of a step.
func (s *Screen) Ink(foot, soft int) *Ink {
	if s.many > 1 { // these are large
		foot += foot & 1
	}
	key := [2]int{foot, soft}
	s.mu.Lock()
	defer s.mu.Unlock()
	if k := s.inks[key]; k != nil {
		return k
	}
	if len(s.inks) > 1000 || s.kept > keptBytes { // a density that is dragged
		clear(s.inks)
		clear(s.seen)
		s.kept = 0
	}
	k := &Ink{side: s.side, scale: float32(s.side) / s.many, soft: float32(soft) / softSteps}
	k.seen = s.seen[foot]
	if k.seen == nil {
		k.seen = s.look(math.Exp2(float64(foot) / footSteps))
		s.kept += 8 * len(k.ranks)
		s.seen[foot] = k.seen
	}
	switch {
	case k.ranks != nil:
		k.calibrate()
	case k.size > 0:
		at := k.soft * softTables
		low := min(int(at), softTables-1)
		table := func(i int) []float32 {
			if k.tables[i] == nil {
				k.tables[i] = fill(s.waves(i), k.size, math.Exp2(float64(foot)/footSteps))
				s.kept += 4 * len(k.tables[i])
			}
			return k.tables[i]
		}
		k.table = table(low)
		if part := at - float32(low); part > 0 {
			more := table(low + 1)
			mixed := make([]float32, len(more))
			for i, v := range k.table {
				mixed[i] = towards(v, more[i], part)
			}
			k.table = mixed
			s.kept += 4 * len(mixed)
		}
	}
	s.inks[key] = k
	return k
}

// look readies the screen for pixels that cover foot of a cell.
func (s *Screen) look(foot float64) *seen {
	switch {
	case foot <= coarse || s.many > 1 && foot < 0.5:
		return &seen{ranks: s.sharpened(foot / float64(s.many))}
	case s.many > 1 || foot >= finest(foot):
		return &seen{flat: true}
	case foot < 2*coarse:
		return &seen{size: 64}
	}
	return &seen{size: 32}
}

// finest returns the finest wave, in waves a pixel, that is shown of a screen of whose cells a pixel
// covers foot: what is finer would show as one coarser than half the screen.
func finest(foot float64) float64 { return min(limit, 1-foot/2) }

// sharpened returns the ranks for pixels that cover foot of what is known: smoothed where they turn
// within a pixel, each with the ranks over which ink fades there.
func (s *Screen) sharpened(foot float64) [][2]float32 {
	// A smooth fade over so many pixels holds no wave of one pixel (tan z = z at π times as much):
	// straight edges that lie as the pixels do have as much ink as all others.
	const across = 1.4303
	rank, slope := make([]float64, len(s.rank)), make([]float64, len(s.rank))
	for i, r := range s.rank {
		rank[i], slope[i] = float64(r), s.slope(i%s.side, i/s.side)
	}
	smooth(rank, s.side, 0.5*foot*float64(s.side))
	smooth(slope, s.side, 0.5*foot*float64(s.side))
	out := make([][2]float32, len(rank))
	for i, r := range rank {
		out[i] = [2]float32{float32(r), float32(across * foot * slope[i])}
	}
	return out
}

// calibrate finds for shares of ink in even steps the rank about which ink fades, so that there is
// as much ink on average as asked for all that is soft: dots and holes smaller than the fade is wide
// would come out too large.
func (k *Ink) calibrate() {
	const steps, places = calibrated, 1 << 12
	apart := max(1, len(k.ranks)/places) | 1 // one of so many places is enough
	rank, wide := make([]float32, 0, places), make([]float32, 0, places)
	widest := float32(0)
	for i := apart / 2; i < len(k.ranks); i += apart {
		w := hypot(k.soft, k.ranks[i][1])
		rank, wide = append(rank, k.ranks[i][0]), append(wide, w)
		widest = max(widest, w)
	}
	low, step := -widest/2, (1+widest)/steps
	mean := means(rank, wide, low, step)
	mean[0], mean[steps] = 0, 1
	j := 0
	for i := range k.from {
		share := float32(i) / (2 * levels)
		for j < steps-1 && mean[j+1] < share {
			j++
		}
		part := float32(0)
		if mean[j+1] > mean[j] {
			part = max(0, min(1, (share-mean[j])/(mean[j+1]-mean[j])))
		}
		k.from[i] = low + (float32(j)+part)*step
	}
}

// calibrated is into how many steps ranks are parted to calibrate ink.
const calibrated = 120

// means returns how much ink there is on average about each of the ranks that lie a step apart from low on, over places of which
// each fades over its own width. low lies no higher than where the first begins to.
func means(rank, wide []float32, low, step float32) (mean [calibrated + 1]float32) {
	var sum [calibrated + 2]float64 // of what fades
	var full [calibrated + 2]int    // how many places are all ink from there on
	for i, r := range rank {
		// From the step before the fade begins to that after it ends, so that no rounding leaves any out.
		j := max(0, int((r-wide[i]/2-low)/step))
		for end := min(calibrated, int((r+wide[i]/2-low)/step)+1); j <= end; j++ {
			sum[j] += float64(fade(low+float32(j)*step-r, wide[i]))
		}
		full[j]++
	}
	inked := 0
	for j := range mean {
		inked += full[j]
		mean[j] = float32((sum[j] + float64(inked)) / float64(len(rank)))
	}
	return mean
}

func hypot(a, b float32) float32 {
	if a == 0 {
		return b
	}
	return sqrt(a*a + b*b)
}

// smooth blurs what fills a cell, and is the same in the next, by a bell of that deviation.
func smooth(v []float64, side int, deviation float64) {
	if deviation < 0.2 {
		return
	}
	reach := min(side/2-1, int(3*deviation+1))
	weight, sum := make([]float64, 2*reach+1), 0.0
	for d := range weight {
		x := float64(d-reach) / deviation
		weight[d] = math.Exp(-x * x / 2)
		sum += weight[d]
	}
	for i := range weight {
		weight[i] /= sum
	}
	for _, step := range [2][2]int{{1, side}, {side, 1}} {
		parallel.Do(parallel.Cores(), side, func(row int) {
			line := make([]float64, side+2*reach)
			for i := range line {
				line[i] = v[row*step[1]+(i-reach+side)&(side-1)*step[0]]
			}
			for i := range side {
				x := 0.0
				for d, w := range weight {
					x += w * line[i+d]
				}
				v[row*step[1]+i*step[0]] = x
			}
		})
	}
}

func sqrt(x float32) float32 { return float32(math.Sqrt(float64(x))) }

// share is the inverse of level.
func share(level float64) float64 {
	if x := level / levels; x < 0.5 {
		return 2 * x * x
	}
	x := 1 - level/levels
	return 1 - 2*x*x
}

// series are the waves of which the pattern is made, for each level: [level][n+harmonics][m], m
// along u from 0 on (those below follow), n along v.
type series [levels + 1][2*harmonics + 1][harmonics + 1]complex128

// waves returns the pattern of a softness as waves.
func (s *Screen) waves(soft int) *series {
	if got := s.series[soft]; got != nil {
		return got
	}
	out := &series{}
	k := &Ink{seen: &seen{ranks: s.sharpened(1.0 / side)}, side: side, soft: float32(soft) / softTables, scale: side}
	k.calibrate()
	var turn [side]complex128
	for i := range turn {
		turn[i] = cmplx.Rect(1, -2*math.Pi*(float64(i)+0.5)/side)
	}
	parallel.Do(parallel.Cores(), levels+1, func(l int) {
		a := float32(share(float64(l)))
		var rows [side][harmonics + 1]complex128
		for y := range rows {
			for x := range side {
				p := complex(float64(k.sharp(x, y, a)), 0)
				w := complex(1, 0)
				for m := range rows[y] {
					rows[y][m] += p * w
					w *= turn[x]
				}
			}
		}
		for n := -harmonics; n <= harmonics; n++ {
			for y := range rows {
				w := cmplx.Pow(turn[y], complex(float64(n), 0))
				for m, c := range rows[y] {
					out[l][n+harmonics][m] += c * w / (side * side)
				}
			}
		}
		out[l][harmonics][0] = complex(float64(a), 0)
	})
	s.series[soft] = out
	return out
}

// sharp returns the pattern at a place of the cell as fine as its places are.
func (k *Ink) sharp(x, y int, a float32) float32 {
	return k.At((float32(x)+0.5)/side, (float32(y)+0.5)/side, a)
}

// fill returns the table for pixels that cover foot of a cell: the waves that they show.
func fill(s *series, size int, foot float64) []float32 {
	var shown [2*harmonics + 1][harmonics + 1]float64
	for n := range shown {
		for m := range shown[n] {
			f := foot * math.Hypot(float64(n-harmonics), float64(m))
			t := max(0, min(1, (finest(foot)-f)/0.15))
			shown[n][m] = math.Exp(-2*math.Pi*math.Pi*bell*bell*f*f) * t * t * (3 - 2*t)
			if m > 0 {
				shown[n][m] *= 2 // and its mirror image
			}
		}
	}
	turn := make([]complex128, size)
	for i := range turn {
		turn[i] = cmplx.Rect(1, 2*math.Pi*(float64(i)+0.5)/float64(size))
	}
	table := make([]float32, (levels+1)*size*size)
	parallel.Do(parallel.Cores(), levels+1, func(l int) {
		for y := range size {
			var row [harmonics + 1]complex128
			w := cmplx.Pow(turn[y], -harmonics)
			for n := range shown {
				for m, h := range shown[n] {
					if h > 1e-6 {
						row[m] += s[l][n][m] * w * complex(h, 0)
					}
				}
				w *= turn[y]
			}
			for x := range size {
				sum, w := 0.0, complex(1, 0)
				for _, c := range row {
					sum += real(c * w)
					w *= turn[x]
				}
				table[(y*size+x)*(levels+1)+l] = float32(sum)
			}
		}
	})
	return table
}
