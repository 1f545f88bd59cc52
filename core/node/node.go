// Package node is the catalogue of nodes: one file for each kind, with what it is called, its ports, its settings and
// its kernel.
package node

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"unsafe"

	"mobanta/core/color"
	"mobanta/core/find"
	"mobanta/core/line"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/stage"
)

// Kind is a kind of node: its description and what it computes.
type Kind struct {
	network.Spec
	// Needs is what the kernel reads of the points. A node that reads nothing of them,
	// and is fed by such nodes alone, gives the same everywhere and is run once.
	Needs sample.Attr
	// NeedsFor is Needs for nodes where it depends on their settings and on which inputs
	// are wired; nil for all others.
	NeedsFor func(data any, wired func(input string) bool) sample.Attr
	Timed    bool // whether the result depends on the time
	Chance   bool // whether rays find the result by chance: roughly for a first picture, better when it settles
	Dear     bool // whether the result is worth keeping whenever it is computed
	// Eyed tells whether what the node gives depends on where the eye is; nil for those that never
	// do. Readings of a headlamp do too, whatever their kind.
	Eyed func(data any) bool
	// Unseen is of those whose results are nothing, 0, where no eye sees them; the others are
	// there as an eye sees them that looks straight at each point.
	Unseen bool
	// Light tells which light the node reads, for nodes whose result depends on the
	// lights of the stage; nil for all others.
	Light func(data any) Reading
	// Lines returns where the lines run that the node's first output carries, for those that
	// draw lines; nil for all others. With which ink is the output's value at each place.
	Lines func(data any) line.Rule
	// Ports amends the spec for a node whose ports depend on its settings; nil for all
	// others. The spec is a copy, but its slices are not.
	Ports func(d *network.Node, s *network.Spec)
	// Prepare turns settings into what the kernel wants; get gives a setting's
	// value in the type that its SettingType names. nil if there are none.
	Prepare func(get func(key string) any) any
	// Forward returns the number of the input that the node's first output hands on
	// unchanged: nothing else is computed. nil for all others.
	Forward func(data any) int
	// Elsewhere returns at which variants of the points, besides as they are, the node
	// wants what feeds an input; see Call.Elsewhere. It may be nil.
	Elsewhere func(data any, input int) []sample.Variant
	// Whole is done before the kernel runs, for all points at once, as sending rays is;
	// what it returns comes to the kernel as Call.Found. Of the inputs it sees those that
	// WholeOf names, if they are wired. nil for most.
	Whole   func(ctx context.Context, w *Whole) (any, error)
	WholeOf func(data any, light Reading) []string
	// Brief says what matters of a node in a few words, for its card; nil: the name of its
	// first choice.
	Brief func(a *About) string
	// Example puts a node of the kind, d, to work in a network that has a light, "light",
	// bands, "bands", and a rim, "rim"; nil: what suits its inputs. See Catalogue.Example.
	Example  func(n *network.Network, d *network.Node)
	Cut      *Cut // for kinds that cut a tone; nil for all others
	Concerns Concerns
	// Ways are the ways in which what the node gives goes into a look by one press, the most
	// usual first; see Way. nil for most.
	Ways []Way
	// Sinks names the output that darkens by Multiplied where it is high, for masks that are
	// 0 where nothing is; empty for those that are 1 there.
	Sinks string
	// Beside names the input that reads what bands are cut from, where the node is put behind them.
	Beside string
	// Strip says on what the bench shows the node's result at its true size.
	Strip Strip
	// Folds tells whether what the node gives may vary within a pixel though it is the
	// same at the middles of all pixels about it: a fraction, a comparison and a fine
	// pattern may, a sum may not. Such places get all positions. nil for those that never
	// do; a kernel that takes the mean over the footprint by itself does not.
	Folds func(data any) bool
	// Bounds fills outLo and outHi with bounds of the outputs for inputs that lie anywhere
	// from lo to hi; -infinity and infinity where nothing can be said. c.In and c.Out hold
	// the values at the points. nil: anything where an input varies more than neighbouring
	// points show.
	Bounds func(c *Call, lo, hi, outLo, outHi [][]Plane)
	// GLSL writes the node in GLSL; nil for kinds that stay here. Stays says why those do that do not
	// go to every other language.
	GLSL      func(g *GLSL)
	MaterialX func(m *MaterialX)
	Stays     string
	// Run fills every plane of c.Out. It must not keep c. What it gives is bounded to
	// MaxValue by those who call it, so that the next kernel gets numbers that it can
	// multiply a few times without leaving float32.
	Run func(c *Call)
}

// always is of kinds of which something holds whatever their settings.
func always(any) bool { return true }

// Strip is what the bench shows of a node beside its numbers.
type Strip uint8

// The strips.
const (
	NoStrip  Strip = iota
	OnLength       // a flat piece as long as the model's diagonal
	OnPage         // a piece of the page, as it is printed, over all tones from dark to light
	OnStroke       // strokes as its pens draw them
)

// String returns its name.
func (s Strip) String() string { return names.Nth(int(s), "none", "length", "page", "stroke") }

// MaxValue is the greatest value, without its sign, that a node hands on. Larger
// ones are cut to it, and what is no number is 0: that is what "never NaN or
// infinity" comes to, wherever in a network it would have arisen.
const MaxValue = 1 << 40

// Bound cuts the values of a plane to MaxValue.
func Bound(p Plane) {
	if allBounded(p) {
		return
	}
	for i, v := range p {
		if v != v {
			v = 0
		}
		p[i] = max(-MaxValue, min(MaxValue, v))
	}
}

// allBounded tells whether all values lie within MaxValue, which they nearly always do.
// Without its sign a float is the larger the larger its bits are, so these, with what
// lacks from MaxValue to the sign bit added, carry into it if they are too large; two
// floats go through each step at once.
func allBounded(p Plane) bool {
	const (
		lack  = 1<<31 - 1 - (127+40)<<23 // MaxValue is 2 to the 40th
		lacks = lack<<32 | lack
		signs = 1<<63 | 1<<31
	)
	var pairs []uint64
	if len(p) >= 2 { // of one value there is no pair to point at
		pairs = unsafe.Slice((*uint64)(unsafe.Pointer(unsafe.SliceData(p))), len(p)/2)
	}
	var a, b uint64 // two, so that they need not wait for each other
	for len(pairs) >= 4 {
		a |= pairs[0]&^signs + lacks
		b |= pairs[1]&^signs + lacks
		a |= pairs[2]&^signs + lacks
		b |= pairs[3]&^signs + lacks
		pairs = pairs[4:]
	}
	for _, v := range pairs {
		a |= v&^signs + lacks
	}
	if len(p)%2 == 1 {
		a |= uint64(math.Float32bits(p[len(p)-1]))&^signs + lack
	}
	return (a|b)&signs == 0
}

// Plane is one number per sample.
type Plane = []float32

// Call is the work on one batch of samples. All planes have length N.
type Call struct {
	N      int
	In     [][]Plane // per input; nil for a Hidden input that is not wired
	More   [][]Plane // inputs at other variants of the points; see Elsewhere
	Const  []bool    // per input: whether it has the same value for all samples
	Out    [][]Plane // per output; nil for those that nobody reads
	Data   any       // from Prepare
	Points *sample.Points
	Lo     int // the batch is points Lo to Lo+N
	Scene  *Scene
	Found  any   // from Whole
	Feeds  []any // per input: what the node whose first output feeds it was prepared as; nil for none
	own    own
	even   bool       // patterns give the mean over their cells
	Room   *[]float32 // what is left of it is scratch, for one kernel at a time; may be nil
	Memo   *any       // what a kernel keeps for the next batch of the same step, so as to be faster and for nothing else; may be nil
}

// Whole is what a whole-set step works on.
type Whole struct {
	Data   any
	Light  Reading // of a node that reads the lights
	Scene  *Scene
	Points *sample.Points
	Found  *shade.Findings
	In     [][]Plane   // per input: all points, for those wired inputs that WholeOf names
	Key    []string    // of these: tells what is wired from all else
	Typed  [][]float32 // per input: what is typed in; nil for those that are wired
}

// Elsewhere returns an input at number k of all the variants that Kind.Elsewhere
// names, those of the first input first.
func (c *Call) Elsewhere(k int) []Plane { return c.More[k] }

// room returns n numbers of scratch, whatever they are.
func (c *Call) room(n int) []float32 {
	if c.Room == nil {
		return make([]float32, n)
	}
	if len(*c.Room) < n {
		*c.Room = make([]float32, n)
	}
	return (*c.Room)[:n]
}

// memo returns what a kernel keeps from batch to batch, made when there is none.
func memo[T any](c *Call, make func() T) T {
	if c.Memo == nil {
		return make()
	}
	v, ok := (*c.Memo).(T)
	if !ok {
		v = make()
		*c.Memo = v
	}
	return v
}

// Scene is what kernels may ask.
type Scene struct {
	*stage.Scene
	Tracer *shade.Tracer // nil where nothing casts shadows
	Time   Time
}

// Time is the moment that is rendered.
type Time struct {
	Seconds float32 // from the beginning
	Frame   float32 // whole number
	Phase   float32 // 0 to 1 over the loop
}

// At returns the moment that a stage shows.
func At(t stage.Time) Time {
	t = t.Held()
	return Time{Seconds: float32(t.At), Frame: float32(t.Frame()), Phase: float32(t.Phase())}
}

// planes returns the batch's part of three attribute arrays.
func (c *Call) planes(a *[3][]float32) (x, y, z Plane) {
	return a[0][c.Lo : c.Lo+c.N], a[1][c.Lo : c.Lo+c.N], a[2][c.Lo : c.Lo+c.N]
}

// normal returns the normals, of length 1: those wired to input i, or the samples'
// own.
func (c *Call) normal(i int) (x, y, z Plane) {
	if in := c.In[i]; in != nil {
		return in[0][:c.N], in[1][:c.N], in[2][:c.N]
	}
	return c.planes(&c.Points.Norm)
}

// normalUnless are the attributes of a kernel that reads normals where none are wired
// to its input "normal".
func normalUnless(rest sample.Attr) func(data any, wired func(string) bool) sample.Attr {
	return func(_ any, wired func(string) bool) sample.Attr {
		if wired("normal") {
			return rest
		}
		return rest | sample.Normal
	}
}

// kinds holds the catalogue in the order in which it is shown: by their ranks.
var (
	kinds []*Kind
	ranks []int
)

// register puts a kind into the catalogue. Ranks say where it is shown: kinds of a family stand together, what is reached for
// first before the others; a new kind takes a rank between those of its neighbours.
func register(rank int, k *Kind) *Kind {
	at, taken := slices.BinarySearch(ranks, rank)
	if taken {
		panic(fmt.Sprintf("node: %s and %s have the same rank", k.Spec.Kind, kinds[at].Spec.Kind))
	}
	ranks, kinds = slices.Insert(ranks, at, rank), slices.Insert(kinds, at, k)
	return k
}

// Add puts kinds at the end of the catalogue and returns what takes them out again. It
// is for those that bring kinds of their own, before anything is drawn.
func Add(more ...*Kind) (remove func()) {
	was := kinds
	kinds = append(slices.Clone(kinds), more...)
	return func() { kinds = was }
}

// evens are the kinds that stand for patterns where what they come to on average is asked; like
// passes they are not in the list that is shown.
var evens []*Kind

func init() { // what they are made from reads the catalogue
	for _, k := range kinds {
		if k.Concerns.Printed == "" {
			continue
		}
		e := *k
		e.Spec.Kind = evenKind + k.Spec.Kind
		e.Run = func(c *Call) {
			c.even = true
			k.Run(c)
			c.even = false
		}
		evens = append(evens, &e)
	}
}

const evenKind = "even:"

// Even returns the kind that stands for a pattern where it gives what it comes to on average.
func Even(kind string) string {
	if strings.HasPrefix(kind, evenKind) {
		return kind
	}
	return evenKind + kind
}

// Evenly returns a flat network in which patterns give what they come to on average, so that it
// shows where a picture has edges other than those of dots, which are right in the first picture.
// A pattern stays what it is where what reads it could make another edge of it. nil where there is
// none.
func Evenly(n *network.Network) *network.Network {
	var cat Catalogue
	edged := map[string]bool{} // nodes that something reads which is no mixing of colours
	for changed := true; changed; {
		changed = false
		for i := range n.Nodes {
			d := &n.Nodes[i]
			family := cat.Of(d).Family
			mixes := family == "colour" || family == "finish" || family == "pattern"
			if mixes && !edged[d.ID] {
				continue
			}
			for _, in := range d.In {
				for _, w := range in.Wires {
					if !edged[w.Node] {
						edged[w.Node], changed = true, true
					}
				}
			}
		}
	}
	var out *network.Network
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if ConcernsOf(d).Printed == "" || edged[d.ID] || strings.HasPrefix(d.Kind, evenKind) {
			continue
		}
		if out == nil {
			out = &network.Network{Nodes: slices.Clone(n.Nodes)}
		}
		out.Nodes[i].Kind = Even(d.Kind)
	}
	return out
}

// passes are the kinds that stand for what a bypassed node hands on; they are
// not in the list that is shown.
var passes = []*Kind{pass(network.Tone), pass(network.Color), pass(network.Vector), pass(network.Lines)}

func pass(t network.Type) *Kind {
	in := network.Port{Key: "value", Name: "value", Type: t, Default: network.Converted(0.0, network.Tone, t)}
	if t == network.Lines {
		in.Default, in.Hidden = nil, true
	}
	return &Kind{
		Spec: network.Spec{Kind: network.PassKind + string(t), Name: "Bypass", Family: "tone",
			Inputs:  []network.Port{in},
			Outputs: []network.Port{{Key: "value", Name: "value", Type: t}}},
		Forward: func(any) int { return 0 },
		Run: func(c *Call) {
			for k, p := range c.Out[0] {
				copy(p, c.In[0][k])
			}
		},
	}
}

// Catalogue is the list of all kinds; it serves as network.Catalogue.
type Catalogue struct{}

// All returns every kind in the order of the work.
func (Catalogue) All() []*Kind { return kinds }

// Kind returns the kind of that key or name, nil if there is none.
func (Catalogue) Kind(name string) *Kind {
	for _, k := range kinds {
		if k.Spec.Kind == name || strings.EqualFold(k.Name, name) {
			return k
		}
	}
	for _, list := range [2][]*Kind{passes, evens} {
		for _, k := range list {
			if k.Spec.Kind == name {
				return k
			}
		}
	}
	return nil
}

// Of implements network.Catalogue.
func (c Catalogue) Of(d *network.Node) *network.Spec {
	k := c.Kind(d.Kind)
	if k == nil {
		return nil
	}
	if k.Ports == nil {
		return &k.Spec
	}
	s := k.Spec
	k.Ports(d, &s)
	return &s
}

// Spec implements network.Catalogue.
func (c Catalogue) Spec(name string) *network.Spec {
	if k := c.Kind(name); k != nil {
		return &k.Spec
	}
	return nil
}

// found is the catalogue made ready to be searched: each kind by its name, other words for it, its settings and inputs, its
// family and its purpose.
var found = sync.OnceValue(func() *find.Index {
	var list []find.Thing
	for _, k := range kinds {
		t := find.Thing{Name: k.Name, Words: append([]string{}, k.Words...), Family: k.Family, Says: k.Purpose}
		t.Words = append(t.Words, strings.ReplaceAll(k.Spec.Kind, "-", " ")) // as look files name it
		for _, s := range k.Settings {
			t.Parts = append(t.Parts, s.Name)
		}
		for _, p := range k.Inputs {
			t.Parts = append(t.Parts, p.Name)
		}
		list = append(list, t)
	}
	return find.New(list)
})

// Found is a kind that was found.
type Found struct {
	*Kind
	Score float64 // how well it fits; see find.Hit
	Guess bool    // nothing goes by the words: this comes nearest
}

// Search returns the kinds that a few words could mean, the best first; all of them for no words. Other forms of words, both
// spellings and slips of a letter or two are found, words in any order; where nothing fits, what comes nearest is guessed. See
// find.Index.
func (Catalogue) Search(query string) (out []Found) {
	if strings.TrimSpace(query) == "" {
		for _, k := range kinds {
			out = append(out, Found{Kind: k})
		}
		return out
	}
	for _, h := range found().Find(query) {
		out = append(out, Found{kinds[h.Thing], h.Score, h.Guess})
	}
	return out
}

// smoothstep is 0 below a, 1 above b and 3t²-2t³ between; for b <= a it is a
// hard step that is 1 from a on.
func smoothstep(x, a, b float32) float32 {
	if b <= a {
		if x >= a {
			return 1
		}
		return 0
	}
	t := max(0, min(1, (x-a)/(b-a)))
	return t * t * (3 - 2*t)
}

// RampOf returns the ramp that a node is; nil for no node, and for nodes that are none.
func RampOf(d *network.Node) *color.Ramp {
	if d == nil {
		return nil
	}
	k := Catalogue{}.Kind(d.Kind)
	if k == nil || k.Prepare == nil {
		return nil
	}
	spec := Catalogue{}.Of(d)
	r, _ := k.Prepare(func(key string) any { return d.Value(spec.Setting(key)) }).(*color.Ramp)
	return r
}
