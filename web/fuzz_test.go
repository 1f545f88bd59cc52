package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/web/edits"
)

// Raw edits, as pages and as strangers send them: made by chance, out of what there is in the project and out of what
// there is not. Whatever is accepted must open from its stored bytes to an equal document that renders.

// chance makes edits; pick chooses below n.
type chance struct{ pick func(n int) int }

func (c chance) of(list ...string) string { return list[c.pick(len(list))] }

var oddTexts = []string{"", " ", "\x00", "\u202egnp.exe", "\xff\xfe", "Ж", strings.Repeat("Ж", 90), strings.Repeat("灯", 200), strings.Repeat("x", 201), strings.Repeat("y", 5000), "../../etc/passwd",
	"<script>alert(1)</script>", "a\nb", "\u200b", "__proto__", "n1", "n1.tone", "group:g1", "NaN", strings.Repeat("0", 64), "#D4843F", "tone", "vector", "lines", "true", "1/3", "1e309", "a.b.c", ".", "n1/n2", "👩‍🎨"}

var oddValues = []any{nil, true, false, 0.0, 1.0, -1.0, 0.5, 1e6, -1e6, 1e9, 1e300, -1e-300, 3.0, 35.0, "x", []any{}, map[string]any{}, []any{1.0, 2.0, 3.0}, []any{1.0}, []any{nil, nil, nil}, []any{1e38, 1e38, 1e38}, []any{1e300, 0.0, 0.0},
	map[string]any{"at": 0.3}, map[string]any{"at": 0.3, "softness": 2.0}, map[string]any{"edge": "soft"}, map[string]any{"edge": "bent"}, map[string]any{"azimuth": 1e9}, map[string]any{"distance": 1e-6}, map[string]any{"distance": 1e9}, map[string]any{"target": []any{0.0, 1e9, 0.0}},
	map[string]any{"angle": 150.0, "ortho": true}, map[string]any{"color": "#123"}, map[string]any{"name": strings.Repeat("é", 300)}, map[string]any{"direction": []any{0.0, 1e-30, 0.0}},
	[]any{map[string]any{"at": 0.0, "color": "#000000"}, map[string]any{"at": 0.5, "color": "#FFFFFF", "edge": "soft", "softness": 0.2, "swatch": "c1", "name": "é\u0000"}},
	[]any{map[string]any{"at": 2.0, "color": "#000000"}}, []any{map[string]any{"key": "a", "name": "A"}}, []any{map[string]any{"key": "a", "name": "A"}, map[string]any{"key": "a", "name": "B"}},
	[]any{map[string]any{"key": "q", "name": strings.Repeat("灯", 300), "mode": "multiply", "off": true}}, []any{map[string]any{"key": "k", "type": "vector"}}, []any{map[string]any{"key": "sin", "type": "tone"}},
	[]any{map[string]any{"key": "z", "name": "Z", "at": 0.5}}, []any{[]any{"#112233", "#445566"}, []any{"#778899", "#AABBCC"}}, []any{"light1", "sun", "gone"}, "sin(a)", "a +", "vec3(a).xyz + 1e38", "int(a) % 0", "// \xff", strings.Repeat("a+", 2000) + "a"}

// edit makes one edit about what is in p, or not.
func (c chance) edit(p *project.Project) project.Edit {
	var nodes, things, keys, refs []string
	look := p.Looks[c.pick(len(p.Looks))]
	e := project.Edit{Look: look.ID}
	net := &look.Network
	if len(p.Groups) > 0 && c.pick(3) == 0 {
		g := p.Groups[c.pick(len(p.Groups))]
		e.Look, e.Group, net = "", g.ID, &g.Network
		for _, x := range append(append([]network.Exposed{}, g.Inputs...), g.Outputs...) {
			things = append(things, x.Key)
		}
	}
	cat := p.Catalogue()
	for i := range net.Nodes {
		d := &net.Nodes[i]
		nodes = append(nodes, d.ID)
		if spec := cat.Of(d); spec != nil && (i == len(net.Nodes)-1 || c.pick(4) == 0) {
			for _, in := range spec.Inputs {
				keys, refs = append(keys, in.Key), append(refs, d.ID+"."+in.Key)
			}
			for _, s := range spec.Settings {
				keys = append(keys, s.Key)
			}
			for _, out := range spec.Outputs {
				keys, refs = append(keys, out.Key), append(refs, d.ID+"."+out.Key)
			}
		}
	}
	for i := range net.Sections {
		things = append(things, net.Sections[i].ID)
	}
	for i := range net.Dials {
		things = append(things, net.Dials[i].ID)
	}
	for i := range p.Swatches {
		things = append(things, p.Swatches[i].ID)
	}
	for i := range p.BandSets {
		things = append(things, p.BandSets[i].ID)
	}
	for i := range p.Stage.Models {
		things = append(things, p.Stage.Models[i].ID)
		for part := range p.Stage.Models[i].Looks {
			e.Part = part
		}
	}
	for i := range p.Stage.Lights {
		things = append(things, p.Stage.Lights[i].ID)
	}
	some := func(list []string) string {
		if len(list) == 0 || c.pick(12) == 0 {
			return oddTexts[c.pick(len(oddTexts))]
		}
		return list[c.pick(len(list))]
	}
	e.Op = c.of(project.Operations()...)
	if c.pick(3) == 0 { // what makes most of a project
		e.Op = c.of("node.add", "wire", "node.set", "node.input", "group.make", "list.add", "node.duplicate", "section.gather", "node.swap", "node.replace")
	}
	e.Node, e.ID, e.From, e.To = some(nodes), some(things), some(refs), some(refs)
	e.Key = some(append(keys, "name", "note", "folded", "kind", "azimuth", "strength", "color", "at", "scale", "turn", "min", "max", "place", "fields", "parts", "part", "none", "length", "rate", "stops", "lights", "picture", "size", "fade", "below"))
	e.Name, e.Index = oddTexts[c.pick(len(oddTexts))], c.pick(6)-1
	e.Value = oddValues[c.pick(len(oddValues))]
	if c.pick(6) == 0 {
		e.Value = oddTexts[c.pick(len(oddTexts))]
	}
	e.Nodes = nodes[:c.pick(len(nodes)+1)]
	if c.pick(2) == 0 {
		e.Nodes = []string{e.Node, some(nodes)}
	}
	kinds := node.Catalogue{}.All()
	switch c.pick(4) {
	case 0:
		e.Kind = c.of("sphere", "cube", "plane", "sun", "point", "disc", "rectangle", "sky", "headlamp", "output", oddTexts[c.pick(len(oddTexts))])
	case 1:
		if len(p.Groups) > 0 {
			e.Kind = network.GroupPrefix + p.Groups[c.pick(len(p.Groups))].ID
		}
	default:
		e.Kind = kinds[c.pick(len(kinds))].Spec.Kind
	}
	if c.pick(30) == 0 {
		n := look.Network.Clone()
		e.Network, e.Groups = &n, p.UsedGroups(&n)
		if len(n.Nodes) > 0 && c.pick(2) == 0 {
			n.Nodes[c.pick(len(n.Nodes))].Kind = e.Kind
		}
	}
	if c.pick(20) == 0 {
		e.Look, e.Group = oddTexts[c.pick(len(oddTexts))], oddTexts[c.pick(len(oddTexts))]
	}
	e.Aspect = []float64{0, 1.6, -1, 1e300}[c.pick(4)]
	if c.pick(8) == 0 {
		e.Colors = []project.Swatch{{Name: e.Name}, {Name: "b"}}
	}
	return e
}

// sent passes an edit through the line as its bytes, and reads it as a handler does.
func sent(e project.Edit, as string) ([]project.Edit, error) {
	data, err := json.Marshal(request{[]edits.Request{{Edit: e, As: as}}})
	if err != nil {
		return nil, err
	}
	return received(data)
}

// received reads a request for edits as a handler does.
func received(data []byte) ([]project.Edit, error) {
	var r request
	if err := json.Unmarshal(data, &r); err != nil {
		return nil, err
	}
	return edits.Settle(r.Edits)
}

// tried is a project under test, with a renderer.
type tryout struct {
	p     *project.Project
	doc   []byte // the same as it is stored
	r     *picture.Renderer
	c     chance
	files stage.Files // the solids that were made so far
	every int         // of so many edits one is looked at from all sides; 0 for all
	count int
}

func newTryout(c chance) *tryout {
	p := project.New("Night harbour")
	if _, err := p.Apply(&project.Edit{Op: "model.add", Kind: "cube"}); err != nil {
		panic(err)
	}
	return &tryout{p: p, r: picture.NewRenderer(1), c: c, files: meshfile.Kept(func(string) (string, []byte, error) { return "", nil, stage.ErrNoPicture })}
}

// step makes one edit by chance, and tells whether it was accepted. The error tells
// what must not be.
func (y *tryout) step() (accepted bool, err error) {
	e := y.c.edit(y.p)
	edits, err := sent(e, y.c.of("", "", "", "number", "bool", "vector", "strip", "json"))
	if err != nil {
		return false, nil
	}
	if e.Op == "model.add" && e.Kind == "" {
		return false, nil // as apply refuses it
	}
	said, _ := json.Marshal(e)
	return y.try(edits, said)
}

// try makes edits, which said is the text of.
func (y *tryout) try(edits []project.Edit, said []byte) (accepted bool, err error) {
	for i := range edits {
		if edits[i].NeedsBox() {
			box := stage.Bounds(&y.p.Stage, y.files)
			edits[i].Box = &box
		}
	}
	if y.doc == nil {
		var err error
		if y.doc, err = y.p.Document(); err != nil {
			return false, err
		}
	}
	began := spent()
	now, doc, _, err := y.p.Revise(edits)
	took := spent() - began
	if took > time.Second {
		return false, fmt.Errorf("an edit took %v: %.2000s", took, said)
	}
	y.count++
	closely := y.every == 0 || y.count%y.every == 0
	if closely {
		if after, e2 := y.p.Document(); e2 != nil || !bytes.Equal(y.doc, after) {
			return false, fmt.Errorf("an edit changed what it was made on: %.2000s", said)
		}
	}
	if err != nil {
		return false, nil
	}
	if !closely { // what Revise returns it has read back from doc itself
		y.next(now, doc)
		return true, nil
	}
	opened, err := project.Read(doc)
	if err != nil {
		return true, fmt.Errorf("what was accepted does not open: %w: %.2000s", err, said)
	}
	if again, err := opened.Document(); err != nil || !bytes.Equal(doc, again) {
		return true, fmt.Errorf("what was accepted opens as something else: %.2000s\n%s\n%s", said, doc, again)
	}
	if shown, err := now.Document(); err != nil || !bytes.Equal(doc, shown) {
		return true, fmt.Errorf("what is shown is not what was stored: %.2000s", said)
	}
	if err := y.render(opened); err != nil {
		return true, fmt.Errorf("what was accepted does not render: %w: %.2000s\n%s", err, said, doc)
	}
	y.next(now, doc)
	return true, nil
}

// next goes on with what an edit has made, or, where that has grown large, with a new project.
func (y *tryout) next(now *project.Project, doc []byte) {
	y.p, y.doc = now, doc
	if len(doc) > 25_000 {
		every, count := y.every, y.count
		*y = *newTryout(y.c)
		y.every, y.count = every, count
	}
}

// spent returns the processor's time that this thread has had: what an edit costs,
// whatever else the machine does.
func spent() time.Duration {
	const thread = 1
	var u syscall.Rusage
	_ = syscall.Getrusage(thread, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

func (y *tryout) render(p *project.Project) (err error) {
	defer func() {
		if v := recover(); v != nil {
			err = fmt.Errorf("panic: %v", v)
		}
	}()
	looks, err := p.Networks()
	if err != nil {
		return err
	}
	sc, err := stage.NewScene(&p.Stage, y.files, nil)
	if err != nil {
		return err
	}
	return y.r.Render(context.Background(), scene.Job{Scene: sc, Looks: looks, W: 16, H: 10, Samples: 1, Quick: true}, func(res *picture.Result) {
		for i := range res.W * res.H {
			c, a := res.At(i)
			for _, v := range [4]float32{c[0], c[1], c[2], a} {
				if v-v != 0 {
					err = fmt.Errorf("pixel %d is %v, %v", i, c, a)
				}
			}
		}
	})
}

// In a new project with a cube, "look1" has n1 diffuse light, n2 a ramp, n3 lines and
// n4 the finish.
var requestsThatDidHarm = [][]string{
	// An input of a group shown outside without a key, then under one of no node.
	{`{"edits":[{"op":"group.make","look":"look1","nodes":["n1","n2"],"name":"Harbour"}]}`, `{"edits":[{"op":"group.expose","group":"g1"}]}`, `{"edits":[{"op":"group.expose","group":"g1","node":"n1"}]}`,
		`{"edits":[{"op":"group.expose","group":"g1","node":"n9","key":"tone","value":"output"}]}`, `{"edits":[{"op":"group.expose","group":"g1","node":"n1","key":"wrap","name":"` + strings.Repeat("灯", 200) + `"}]}`},
	// Names that one place counted in letters and another in bytes; no letters at all.
	{`{"edits":[{"op":"section.gather","look":"look1","nodes":["n1","n2"],"name":"` + strings.Repeat("Ж", 51) + `"}]}`, `{"edits":[{"op":"section.gather","look":"look1","nodes":["n3"],"name":"` + strings.Repeat("灯", 34) + `"}]}`,
		"{\"edits\":[{\"op\":\"project.rename\",\"name\":\"\xff\xfe\"}]}", `{"edits":[{"op":"project.rename","name":"\u202egnp.exe\u0000"}]}`, `{"edits":[{"op":"look.rename","look":"look1","name":"` + strings.Repeat("n", 300_000) + `"}]}`},
	// Ports of two types swapped; wires of what went.
	{`{"edits":[{"op":"node.add","look":"look1","kind":"blend"},{"op":"wire","look":"look1","from":"n2.colour","to":"n5.base"},{"op":"wire","look":"look1","from":"n1.tone","to":"n5.amount"}]}`,
		`{"edits":[{"op":"node.swap","look":"look1","node":"n5","from":"base","to":"amount"}]}`, `{"edits":[{"op":"node.swap","look":"look1","node":"n5","from":"base","to":"over"}]}`,
		`{"edits":[{"op":"node.remove","look":"look1","nodes":["n1"]}]}`, `{"edits":[{"op":"dial.add","look":"look1","node":"n1","key":"wrap"}]}`},
	// A group within itself, and one within one within one.
	{`{"edits":[{"op":"group.make","look":"look1","nodes":["n1"],"name":"A"}]}`, `{"edits":[{"op":"node.add","group":"g1","kind":"group:g1"}]}`,
		`{"edits":[{"op":"group.make","look":"look1","nodes":["n5"],"name":"B"},{"op":"group.make","look":"look1","nodes":["n6"],"name":"C"}]}`, `{"edits":[{"op":"node.add","group":"g1","kind":"group:g3"}]}`, `{"edits":[{"op":"group.remove","group":"g1"}]}`},
	// No look, no model, no light.
	{`{"edits":[{"op":"look.remove","look":"look1"}]}`, `{"edits":[{"op":"model.remove","id":"model1"},{"op":"light.remove","id":"sun"}]}`, `{"edits":[{"op":"light.add","kind":"rectangle"},{"op":"camera.frame"}]}`},
	// Numbers at their ends and beyond.
	{`{"edits":[{"op":"camera.set","value":{"distance":1e-6,"target":[0,1e9,0]}}]}`, `{"edits":[{"op":"light.add","kind":"point"},{"op":"light.set","id":"light1","key":"height","value":1e308}]}`, `{"edits":[{"op":"model.set","id":"model1","key":"scale","value":1e-6}]}`,
		`{"edits":[{"op":"node.add","look":"look1","kind":"maths"},{"op":"node.set","look":"look1","node":"n5","key":"operation","value":"power"},{"op":"node.input","look":"look1","node":"n5","key":"a","value":1e6},{"op":"node.input","look":"look1","node":"n5","key":"b","value":4},{"op":"wire","look":"look1","from":"n5.value","to":"n2.tone"}]}`, `{"edits":[{"op":"time.set","value":"nan"}]}`,
		`{"edits":[{"op":"node.add","look":"look1","kind":"formula"},{"op":"node.set","look":"look1","node":"n6","key":"text","value":"exp(99.) * a"},{"op":"wire","look":"look1","from":"n5.value","to":"n6.a"}]}`},
	// Ids that were given before.
	{`{"edits":[{"op":"node.add","look":"look1","kind":"blend"},{"op":"node.remove","look":"look1","nodes":["n5"]},{"op":"node.add","look":"look1","kind":"range"},{"op":"node.rename","look":"look1","node":"n6","name":"Here"}]}`,
		`{"edits":[{"op":"node.rename","look":"look1","node":"n5","name":"Gone"}]}`, `{"edits":[{"op":"light.add","kind":"disc"},{"op":"light.remove","id":"light1"},{"op":"light.add","kind":"disc"}]}`, `{"edits":[{"op":"swatch.add","value":"#D4843F"},{"op":"swatch.remove","id":"c1"},{"op":"swatch.add","value":"#D4843F"}]}`},
	// Fields of the wrong kind, none at all, and many.
	{`{"edits":null}`, `{"edits":[{}]}`, `{"edits":[{"op":"look.add","network":{"nodes":[{"id":"","kind":""},{"id":"n1","kind":"finish"},{"id":"n1","kind":"finish"}]}}]}`, `{"edits":[{"op":"look.assign","id":"model1","part":"__proto__","look":"look1"}]}`, `{"edits":[{"op":"look.wear","look":"nothing"}]}`,
		`{"edits":[` + strings.Repeat(`{"op":"node.add","look":"look1","kind":"ramp"},`, 40) + `{"op":"node.duplicate","look":"look1","nodes":["n5","n6","n5"]}]}`},
}

// Edits as strangers send them: each line of the input is the body of a request, made
// on what the ones before left. The seeds are what once did harm, and their kin.
func FuzzRequests(f *testing.F) {
	for _, lines := range requestsThatDidHarm {
		f.Add([]byte(strings.Join(lines, "\n")))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		y := newTryout(chance{})
		for line := range bytes.Lines(data) {
			edits, err := received(line)
			if err != nil || slices.ContainsFunc(edits, func(e project.Edit) bool { return e.Op == "model.add" && e.Kind == "" }) {
				continue
			}
			_, err = y.try(edits, line)
			require.NoError(t, err)
		}
	})
}

// FuzzEdits makes edits by chance, out of what a project holds and does not. To search for long, give it
// -fuzzminimizetime=1s: an input is worth little less for being long.
func FuzzEdits(f *testing.F) {
	for seed := range 40 {
		r := rand.New(rand.NewPCG(uint64(seed), 8))
		data := make([]byte, 600)
		for i := range data {
			data[i] = byte(r.Uint32())
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		y := newTryout(chance{func(n int) int {
			if len(data) == 0 || n < 1 {
				return 0
			}
			v := int(data[0])
			if data = data[1:]; n > 256 && len(data) > 0 {
				v, data = v<<8|int(data[0]), data[1:]
			}
			return v % n
		}})
		for len(data) > 0 {
			_, err := y.step()
			require.NoError(t, err)
		}
	})
}

// A run of many edits. By default it is a short one; MOBANTA_EDITS=1000000 makes it
// as long as a project lives.
func TestManyRawEdits(t *testing.T) {
	total := 1_500
	if n, err := strconv.Atoi(os.Getenv("MOBANTA_EDITS")); err == nil {
		total = n
	}
	workers := runtime.GOMAXPROCS(0)
	var left, accepted atomic.Int64
	left.Store(int64(total))
	seed, _ := strconv.Atoi(os.Getenv("MOBANTA_SEED"))
	var wg sync.WaitGroup
	for w := range workers {
		wg.Go(func() {
			runtime.LockOSThread()
			r := rand.New(rand.NewPCG(uint64(seed), uint64(w)))
			y := newTryout(chance{r.IntN})
			if total > 100_000 {
				y.every = 5
			}
			for {
				n := left.Add(-1)
				if n < 0 {
					return
				}
				if n > 0 && n%100_000 == 0 {
					t.Logf("%d to go, %d accepted", n, accepted.Load())
				}
				ok, err := y.step()
				if err != nil {
					t.Error(err)
					left.Store(0)
					return
				}
				if ok {
					accepted.Add(1)
				}
			}
		})
	}
	wg.Wait()
	t.Logf("%d of %d edits accepted", accepted.Load(), total)
	if !t.Failed() {
		require.Greater(t, int(accepted.Load()), total/20)
	}
}
