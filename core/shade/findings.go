package shade

import (
	"sync"

	"mobanta/core/sample"
)

// Findings is what rays have found at some points. It is kept beside them, since it
// depends on more than they do: on lights, and on how well it is to be known.
type Findings struct {
	// Level tells how well what is found by chance is to be known: 0 for a first
	// picture, 1 for one that has settled.
	Level int

	points *sample.Points
	mu     sync.Mutex
	found  map[string]*found
	clock  int       // counts what is asked for and kept
	base   *Findings // of the same parts as the first position in each pixel saw them; nil for these themselves
	whole  *Findings // of the points that these were picked from
	from   []int32   // which of them
}

// found is what has been found under one name.
type found struct {
	level  int
	planes [][]float32 // each as long as there are points
	used   int         // when, by the clock of the findings
}

func (n *found) bytes() (sum int) {
	for _, p := range n.planes {
		sum += 4 * len(p)
	}
	return sum
}

// maxFound limits what is kept of a set: lights that have moved on leave theirs.
const maxFound = 24

// NewFindings returns the empty findings of some points. base, which may be nil, are
// those of the same parts' points at the first position in each pixel: what is known
// there is taken over wherever it holds.
func NewFindings(points *sample.Points, base *Findings) *Findings {
	f := &Findings{points: points, base: base}
	if base != nil {
		f.Level = base.Level
	}
	return f
}

// Pick returns findings for points that were picked from those of f; they take part
// in what f has.
func (f *Findings) Pick(points *sample.Points, from []int32) *Findings {
	return &Findings{Level: f.Level, points: points, whole: f, from: from}
}

// get returns what was kept under a name, nil for nothing.
func (f *Findings) get(name string) *found {
	f.mu.Lock()
	own := f.found[name]
	if own != nil {
		f.clock++
		own.used = f.clock
	}
	f.mu.Unlock()
	if f.whole == nil {
		return own
	}
	all := f.whole.get(name)
	if all == nil || own != nil && own.level >= all.level {
		return own
	}
	own = &found{level: all.level, planes: make([][]float32, len(all.planes))}
	for k, p := range all.planes {
		own.planes[k] = make([]float32, len(f.from))
		for i, at := range f.from {
			own.planes[k][i] = p[at]
		}
	}
	f.keep(name, own)
	return own
}

func (f *Findings) keep(name string, n *found) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.found == nil {
		f.found = map[string]*found{}
	}
	f.clock++
	n.used = f.clock
	f.found[name] = n
	if len(f.found) > maxFound {
		f.drop()
	}
}

// drop lets go of what was used least recently, and returns how much that was; f.mu is
// held.
func (f *Findings) drop() int {
	oldest := ""
	for name, n := range f.found {
		if _, ok := f.found[oldest]; !ok || n.used < f.found[oldest].used {
			oldest = name
		}
	}
	size := f.found[oldest].bytes()
	delete(f.found, oldest)
	return size
}

// Bytes returns how much is kept.
func (f *Findings) Bytes() int {
	f.mu.Lock()
	defer f.mu.Unlock()
	sum := 0
	for _, n := range f.found {
		sum += n.bytes()
	}
	return sum
}

// Shed lets go of at least so many bytes of what is kept, or of all, first of what was
// used least recently.
func (f *Findings) Shed(bytes int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for bytes > 0 && len(f.found) > 0 {
		bytes -= f.drop()
	}
}

// Site is where rays are sent from.
type Site struct {
	Points *sample.Points // with Pos, Normal and Eye
	Found  *Findings
	// Normal holds the normals, of length 1, that the surface turns to the lights; nil
	// for its own. Key tells them from others.
	Normal [][]float32
	Key    string
}

// NewSite returns a site of points of which nothing is known yet.
func NewSite(points *sample.Points) *Site {
	return &Site{Points: points, Found: NewFindings(points, nil)}
}

// turned returns the normal that point i turns to the lights.
func (s *Site) turned(i int) [3]float32 {
	if s.Normal != nil {
		return [3]float32{s.Normal[0][i], s.Normal[1][i], s.Normal[2][i]}
	}
	n := &s.Points.Norm
	return [3]float32{n[0][i], n[1][i], n[2][i]}
}

// name returns what is found out under a name for these normals.
func (s *Site) name(name string) string {
	if s.Normal == nil {
		return name
	}
	return name + "\x00" + s.Key
}
