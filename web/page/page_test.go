package page

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/delivery"
	"mobanta/core/layout"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/store"
)

// open returns what the desk shows of a project; a is what is asked of it.
func open(t *testing.T, pages *Pages, p *project.Project, a Asked) *Desk {
	t.Helper()
	d, err := pages.Desk(&store.State{ID: "x", Project: p, Version: 3}, a)
	require.NoError(t, err)
	return d
}

func fresh(t *testing.T) *Pages {
	t.Helper()
	p, err := New()
	require.NoError(t, err)
	return p
}

// change makes edits on the first look and returns what the last one created.
func change(t *testing.T, p *project.Project, edits ...project.Edit) string {
	t.Helper()
	made := ""
	for _, e := range edits {
		if e.Look == "" && e.Group == "" {
			e.Look = p.Looks[0].ID
		}
		o, err := p.Apply(&e)
		require.NoError(t, err, "%+v", e)
		made = o.Created
	}
	return made
}

// A new project's look is light → bands → finish, with lines beside them; a blend is put
// between the bands and the finish, and a highlight that nothing reads.
func sampleLook(t *testing.T) (p *project.Project, blend, loose string) {
	p = project.New("Sample")
	blend = change(t, p, project.Edit{Op: "node.add", Kind: "blend", To: "n4.colour"})
	loose = change(t, p, project.Edit{Op: "node.add", Kind: "highlight"})
	return p, blend, loose
}

func TestTheDeskChoosesWhatIsNotAskedFor(t *testing.T) {
	pages := fresh(t)
	p, blend, _ := sampleLook(t)
	d := open(t, pages, p, Asked{})
	assert.Equal(t, p.Looks[0].ID, d.Look.ID)
	assert.Equal(t, "n2", d.Node.ID, "the bands are touched most")
	assert.Equal(t, "ramp", d.Spec.Kind)
	assert.Equal(t, p.Stage.Lights[0].ID, d.Light)
	assert.Equal(t, blend, open(t, pages, p, Asked{Node: blend}).Node.ID)

	second := change(t, p, project.Edit{Op: "look.add", Name: "Second"})
	lamp := change(t, p, project.Edit{Op: "light.add", Kind: "point"})
	d = open(t, pages, p, Asked{Look: second, Light: lamp, Path: "n9/n2"})
	assert.Equal(t, []string{"Second", lamp, ""}, []string{d.Look.Name, d.Light, d.Path}, "a way that leads nowhere ends at the look")
	assert.Equal(t, p.Looks[0].ID, open(t, pages, p, Asked{Look: "gone", Light: "gone"}).Look.ID)

	_, err := pages.Desk(&store.State{Project: &project.Project{}}, Asked{})
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestTheDeskWithinAGroup(t *testing.T) {
	pages := fresh(t)
	p, blend, _ := sampleLook(t)
	change(t, p, project.Edit{Op: "group.make", Nodes: []string{"n2", blend}, Name: "Bands and more"})
	g := &p.Groups[0]
	var stands string
	for i := range p.Looks[0].Nodes {
		if n := &p.Looks[0].Nodes[i]; n.Kind == network.GroupPrefix+g.ID {
			stands = n.ID
		}
	}
	d := open(t, pages, p, Asked{Path: stands})
	require.NotNil(t, d.Group)
	assert.Equal(t, []crumb{{stands, "Bands and more"}}, d.Crumbs)
	assert.Equal(t, "used once", d.Uses())
	text, err := d.Vals("node.off", "node", "n2")
	require.NoError(t, err)
	assert.JSONEq(t, `{"op":"node.off","node":"n2","group":"`+g.ID+`"}`, text)
	change(t, p, project.Edit{Op: "node.add", Kind: network.GroupPrefix + g.ID})
	assert.Equal(t, "used 2 times: "+p.Looks[0].Name+" (2). A change here changes all of them.", open(t, pages, p, Asked{Path: stands}).Uses())
	d = open(t, pages, p, Asked{})
	assert.Empty(t, d.Uses())
	assert.Equal(t, "2 nodes", d.Brief(d.Net.Node(stands)))
	text, err = d.Vals("node.off", "node", "n2")
	require.NoError(t, err)
	assert.JSONEq(t, `{"op":"node.off","node":"n2","look":"`+p.Looks[0].ID+`"}`, text)
}

func TestCardsShowTheOutputThatIsRead(t *testing.T) {
	p, _, loose := sampleLook(t)
	d := open(t, fresh(t), p, Asked{})
	assert.Equal(t, "n2.colour", d.Main("n2"))
	assert.Equal(t, loose+".tone", d.Main(loose), "the first where none is")
	assert.Equal(t, "n4.", d.Main("n4"))
	assert.Empty(t, d.Main("gone"))
	change(t, p, project.Edit{Op: "node.add", Kind: "soft-step", From: "n2.tone"}, project.Edit{Op: "unwire", From: "n2.colour", To: "n5.base"})
	assert.Equal(t, "n2.tone", open(t, fresh(t), p, Asked{}).Main("n2"))
}

func TestTheListStandsAsTheNetworkReads(t *testing.T) {
	p, blend, loose := sampleLook(t)
	change(t, p, project.Edit{Op: "wire", From: "n1.tone", To: blend + ".amount"})
	var got []string
	for _, r := range open(t, fresh(t), p, Asked{}).Rows() {
		line := fmt.Sprint(strings.Repeat("  ", r.Depth), r.Node.ID, " ", r.Port)
		if r.Again {
			line += " again"
		}
		got = append(got, line)
	}
	assert.Equal(t, []string{"n4 ", "  " + blend + " colour", "    n2 base", "      n1 tone", "    n1 amount again", "  n3 lines", loose + " "}, got)
}

func TestCardsAndWiresThatThePageHasAreLeftOut(t *testing.T) {
	pages := fresh(t)
	p, blend, _ := sampleLook(t)
	draw := func(have string) string {
		out, err := pages.Render("network", open(t, pages, p, Asked{Cards: have}))
		require.NoError(t, err)
		return string(out)
	}
	stamps := func(html string) (have string) {
		for _, m := range regexp.MustCompile(`id="box-(\w+)" data-stamp="(\w+)"`).FindAllStringSubmatch(html, -1) {
			have += m[1] + "=" + m[2] + " "
		}
		for _, m := range regexp.MustCompile(`<g class="wire" data-stamp="(\w+)"`).FindAllStringSubmatch(html, -1) {
			have += m[1] + "=" + m[1] + " "
		}
		return have
	}
	whole := draw("")
	require.Equal(t, 6, strings.Count(whole, `class="card-box"`))
	require.Equal(t, 4, strings.Count(whole, `class="wire"`))
	assert.Zero(t, strings.Count(whole, "data-same"))
	assert.Equal(t, whole, draw("n1=other w0=w1"), "an old stamp is not the same")
	have := stamps(whole)
	again := draw(have)
	assert.Equal(t, 10, strings.Count(again, "data-same"))
	assert.NotContains(t, again, "card-box")
	change(t, p, project.Edit{Op: "node.rename", Node: blend, Name: "Glaze"})
	after := draw(have)
	assert.Equal(t, 2, strings.Count(after, `class="card-box"`), "its own, and that of what says that it reads it")
	assert.Contains(t, after, ">Glaze</b>")
	assert.Equal(t, 8, strings.Count(after, "data-same"))
	change(t, p, project.Edit{Op: "unwire", From: "n3.lines", To: "n4.lines"})
	after = draw(have)
	assert.NotContains(t, after, `data-wire-from="n3.lines"`)

	// What is prepared is what is drawn.
	other := fresh(t)
	other.Prepare(open(t, other, p, Asked{}))
	assert.Len(t, other.cards.kept, 6)
	out, err := other.Render("network", open(t, other, p, Asked{}))
	require.NoError(t, err)
	assert.Len(t, other.cards.kept, 6)
	assert.Equal(t, draw(""), string(out))
}

func TestWires(t *testing.T) {
	assert.Equal(t, `d="M10 20L10 60"`, wirePath([][2]int{{10, 20}, {10, 60}}))
	assert.Equal(t, `d="M10 20L10 35Q10 40 15 40L85 40Q90 40 90 45L90 60"`, wirePath([][2]int{{10, 20}, {10, 40}, {90, 40}, {90, 60}}))
	assert.Equal(t, `d="M0 0L0 2Q0 4 2 4L4 4"`, wirePath([][2]int{{0, 0}, {0, 4}, {4, 4}}), "a corner is no rounder than its sides are long")
	d := &Desk{Have: map[string]string{}}
	plain := layout.Path{From: network.ParseRef("a.tone"), To: network.ParseRef("b.tone"), FromCard: "a", ToCard: "b", Points: [][2]int{{10, 20}, {10, 60}}}
	m := regexp.MustCompile(`^<g class="wire" data-stamp="(w[0-9a-f]+)" data-from="a" data-to="b" data-wire-from="a.tone" data-wire-to="b.tone"><path class="wire-hit" d="M10 20L10 60"/><path class="wire-line" d="M10 20L10 60"/></g>$`)
	require.Regexp(t, m, string(wire(d, plain)))
	stamp := m.FindStringSubmatch(string(wire(d, plain)))[1]
	d.Have[stamp] = stamp
	assert.Equal(t, `<g data-stamp="`+stamp+`" data-same></g>`, string(wire(d, plain)))
	plain.How = "by <luminance>"
	text := string(wire(d, plain))
	assert.Contains(t, text, `<title>by &lt;luminance&gt;</title>`)
	assert.Contains(t, text, `<text x="15" y="57">by &lt;luminance&gt;</text>`)
}

func TestLongTextsAreCutOff(t *testing.T) {
	for text, room := range map[string]int{"tone": 28, "amount": 49, "WWW": 39, "ガラス": 39, "lift": 16} {
		assert.Empty(t, long(text, room), text)
		assert.Equal(t, "is-long", long(text, room-1), text)
	}
	assert.Empty(t, long("", 0))
	in := string(inPort(layout.Spot{Port: network.Port{Name: "a name for a port"}, Ref: network.ParseRef("a.b"), W: 64, Wired: true}))
	assert.Contains(t, in, `class="port in is-wired is-long"`)
	assert.Contains(t, string(inPort(layout.Spot{Port: network.Port{Name: "tone"}, W: 64})), `class="port in"`)
	assert.Contains(t, string(outPort(layout.Spot{Port: network.Port{Name: "a name for a port"}, W: 64}, false)), `class="port out is-long"`)
	assert.Contains(t, string(outPort(layout.Spot{Port: network.Port{Name: "a name for a port"}, W: 64}, true)), `class="port out is-tall"`)
	assert.Contains(t, string(outPort(layout.Spot{Port: network.Port{Name: "a"}, W: 64, X: 20}, true)), `style="left:25px;width:64px"`)
}

func TestBandsOnTheStrip(t *testing.T) {
	dark, mid, light := color.MustHex("#202020"), color.MustHex("#808080"), color.MustHex("#F0F0F0")
	stops := []color.Stop{{At: 0.1, Color: dark, Edge: color.Step}, {At: 0.25, Color: mid, Edge: color.Step}, {At: 0.75, Color: light, Edge: color.Soft, Softness: 0.1}}
	b := bands(stops)
	require.Len(t, b, 3)
	assert.Equal(t, []float64{0, 25, 25, 50, 75, 25}, []float64{b[0].From, b[0].Width, b[1].From, b[1].Width, b[2].From, b[2].Width})
	assert.Equal(t, []string{"#202020", "#808080", "#F0F0F0"}, []string{b[0].Hex, b[1].Hex, b[2].Hex})
	low, high := color.Room(stops, 1)
	assert.Equal(t, [2]float32{low, high}, [2]float32{b[1].Low, b[1].High})

	css := string(strip(stops[:2], color.MixLinear))
	assert.Equal(t, "linear-gradient(to right,#202020 0.000%,#202020 10.000%,#202020 10.000%,#202020 25.000%,#808080 25.000%,#808080 100.000%)", css)
	css = string(strip(stops[1:], color.MixLinear))
	assert.Equal(t, 17+2+2, strings.Count(css, "%"), "a soft edge in sixteen steps")
	assert.Contains(t, css, "#808080 70.000%,")
	assert.Contains(t, css, "#F0F0F0 80.000%,")
	assert.Contains(t, css, " 75.000%,")
	sloped := []color.Stop{{Color: dark}, {At: 0.5, Color: mid, Edge: color.Linear}, {At: 1, Color: light, Edge: color.Linear}}
	css = string(strip(sloped, color.MixLinear))
	assert.Equal(t, 2+2*17+1, strings.Count(css, "%"))
	assert.Contains(t, css, "#808080 50.000%")
	assert.True(t, strings.HasSuffix(css, "#F0F0F0 100.000%)"))
}

func TestSearchingForANode(t *testing.T) {
	pages := fresh(t)
	p, blend, _ := sampleLook(t)
	d := open(t, pages, p, Asked{})
	all, err := d.Find(Search{Words: "", To: "n4.colour"}, []store.Entry{{ID: "k1", Name: "Kept thing"}})
	require.NoError(t, err)
	fits := true
	kinds := map[string]Result{}
	for _, r := range all {
		assert.False(t, r.Fits && !fits, "%s: what fits comes first", r.Name)
		fits = r.Fits
		kinds[r.Key] = r
		assert.NotEqual(t, network.FinishKind, r.Key)
	}
	assert.True(t, kinds["blend"].Fits)
	assert.False(t, kinds["edge-lines"].Fits, "lines are no colour")
	assert.JSONEq(t, `{"op":"node.add","kind":"blend","from":"","to":"n4.colour","look":"`+d.Look.ID+`"}`, kinds["blend"].Edit)
	assert.JSONEq(t, `{"op":"group.bring","from":"","to":"n4.colour","kind":"library:k1","look":"`+d.Look.ID+`"}`, kinds["k1"].Edit)

	put, err := d.Find(Search{Words: "ramp", Replace: blend}, []store.Entry{{ID: "k1", Name: "Ramp"}})
	require.NoError(t, err)
	require.NotEmpty(t, put)
	assert.JSONEq(t, `{"op":"node.replace","kind":"ramp","node":"`+blend+`","look":"`+d.Look.ID+`"}`, put[0].Edit)
	for _, r := range put {
		assert.NotEqual(t, "k1", r.Key, "what is in the library is brought, not put in a place")
	}

	change(t, p, project.Edit{Op: "group.make", Nodes: []string{"n2", blend}, Name: "Glazing"})
	var stands string
	for i := range p.Looks[0].Nodes {
		if p.Looks[0].Nodes[i].Kind == network.GroupPrefix+p.Groups[0].ID {
			stands = p.Looks[0].Nodes[i].ID
		}
	}
	found, err := open(t, pages, p, Asked{}).Find(Search{Words: "glaz GROUP"}, []store.Entry{{ID: "k1", Name: "Glaze"}, {ID: "k2", Name: "Other"}})
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.Equal(t, []string{"Glazing", "Glaze"}, []string{found[0].Name, found[1].Name})
	assert.False(t, found[0].Guess)
	found, err = open(t, pages, p, Asked{Path: stands}).Find(Search{Words: "glazing group"}, nil)
	require.NoError(t, err)
	for _, r := range found {
		assert.NotEqual(t, "Glazing", r.Name, "a group cannot stand in itself")
		assert.True(t, r.Guess, "nothing typed finds nothing")
	}

	// With a node chosen, what changes its tone goes behind it, and what gives a mask has its ways in.
	d = open(t, pages, p, Asked{})
	found, err = d.Find(Search{Words: "tone adjust", Chosen: "n1"}, nil)
	require.NoError(t, err)
	assert.JSONEq(t, `{"op":"node.add","kind":"tone-adjust","from":"n1.tone","after":true,"look":"`+d.Look.ID+`"}`, found[0].Edit)
	assert.JSONEq(t, `{"op":"node.add","kind":"tone-adjust","from":"","to":"","look":"`+d.Look.ID+`"}`, found[0].Loose)
	found, err = d.Find(Search{Words: "crevices", Chosen: "n1"}, nil)
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.Equal(t, []string{"Occlusion", "Occlusion, multiplied in"}, []string{found[0].Name, found[1].Name})
	assert.Empty(t, found[0].Loose)
	assert.JSONEq(t, `{"op":"way.add","kind":"occlusion","key":"multiply","from":"n1.tone","look":"`+d.Look.ID+`"}`, found[1].Edit)
	assert.True(t, found[1].Fits)
	found, err = d.Find(Search{Words: "noise", From: "n1.tone", Chosen: "n1"}, nil)
	require.NoError(t, err)
	for _, r := range found {
		assert.NotContains(t, r.Key, "/", "pulled from a wire it has its place")
	}
	assert.Empty(t, d.behind("end"), "nothing goes behind the end")
	assert.Empty(t, d.behind("n3"), "nor behind lines")

	assert.True(t, matches("Soft  STEP", "a step that is soft"))
	assert.False(t, matches("soft step", "a soft edge"))
	assert.True(t, matches("", "anything"))
}

func TestWhatCouldFeedAnInput(t *testing.T) {
	pages := fresh(t)
	p, blend, loose := sampleLook(t)
	change(t, p, project.Edit{Op: "node.rename", Node: loose, Name: "Colour of shine"})
	d := open(t, pages, p, Asked{})
	pick := d.Picker(blend+".base", "")
	require.NotNil(t, pick)
	assert.True(t, pick.Wired)
	assert.Equal(t, "Blend", pick.Title)
	byRef := map[string]Source{}
	for _, s := range pick.Sources {
		byRef[s.Ref] = s
	}
	assert.True(t, byRef["n2.colour"].Wired)
	assert.Empty(t, byRef["n2.colour"].How)
	assert.NotEmpty(t, byRef["n1.tone"].How, "a tone becomes a grey")
	assert.NotContains(t, byRef, blend+".colour", "no circle")
	assert.NotContains(t, byRef, "n3.lines", "lines are no colour")
	assert.Equal(t, "n2.colour", pick.Sources[0].Ref, "the nearest of its own type first")
	for i, s := range pick.Sources[1:] {
		assert.False(t, s.How == "" && pick.Sources[i].How != "", "%s needs no conversion and stands behind one that does", s.Ref)
	}
	assert.Equal(t, "n1.tone", pick.Sources[slices.IndexFunc(pick.Sources, func(s Source) bool { return s.How != "" && s.Port == "tone" && !strings.HasPrefix(s.Ref, "n2.") })].Ref, "what is wired to it by more before what hangs on nothing")
	named := d.Picker(blend+".base", "colour").Sources
	require.Greater(t, len(named), 2)
	assert.Equal(t, "Colour of shine", named[0].Name, "a node of that name before an output of that name")
	assert.Equal(t, "Colour of shine", named[1].Name)
	assert.False(t, d.Picker(blend+".amount", "").Wired)
	assert.Nil(t, d.Picker("gone.base", ""))
	assert.Nil(t, d.Picker(blend+".gone", ""))
	assert.Nil(t, d.Sources("gone", "base"))
	assert.Nil(t, d.Sources(blend, "gone"))
	assert.Equal(t, []Source{{Ref: "n2.colour", Name: d.Net.Node("n2").Title(d.Cat), Port: "colour", Wired: true}}, d.Feeds(d.Net.Node(blend), "base"))
	assert.Equal(t, "Blend, colour, Normal; base from "+d.Net.Node("n2").Title(d.Cat), d.Describe(d.Net.Node(blend)))
	change(t, p, project.Edit{Op: "node.rename", Node: blend, Name: "Glaze"}, project.Edit{Op: "node.off", Node: blend, Value: true})
	d = open(t, pages, p, Asked{})
	assert.True(t, strings.HasPrefix(d.Describe(d.Net.Node(blend)), "Glaze, Blend, bypassed; base from"))
}

func TestTheTrailSaysWhatLiesBetweenFinishAndPixel(t *testing.T) {
	p, _, _ := sampleLook(t)
	tr := &picture.Trail{X: 3, Y: 4, Shown: [4]byte{255, 128, 0, 51}, Finish: color.C{1, 1, 1}, Cover: 1, Passes: 1}
	tr.Part = stage.Part{Name: "body", Look: p.Looks[0].ID}
	v := trailView(p, tr)
	assert.Equal(t, trailPage{X: 3, Y: 4, Part: "body", Look: p.Looks[0].Name, ID: p.Looks[0].ID, Hex: "#FF8000", Alpha: 20, Notes: []string{"Finish: #FFFFFF."}}, v)
	tr.Cover, tr.Lines, tr.Passes = 0.4, 0.256, 16
	assert.Equal(t, []string{"Finish: #FFFFFF, 40 % over the backdrop.", "Lines cover 26 % of the pixel.", "An edge runs through: the mean of 16 positions in the pixel."}, trailView(p, tr).Notes)
	tr.Part, tr.Lines, tr.Passes = stage.Part{}, 0.004, 1
	assert.Equal(t, []string{"No model here: the backdrop, #FFFFFF."}, trailView(p, tr).Notes)
}

func TestKeysOfOneSign(t *testing.T) {
	for key, single := range map[string]bool{"T": true, "Shift D": true, "/": true, "Ctrl C": false, "F2": false, "Shift F2": false, "Escape": false, "Shift ": false} {
		assert.Equal(t, single, Command{Key: key}.Single(), key)
	}
}

func TestEveryKindOfOrderHasItsPlace(t *testing.T) {
	for _, k := range delivery.Kinds() {
		shown, ok := orderables[k]
		assert.Equal(t, k != delivery.Proof, ok && shown.icon != "", "%s: all but proof sheets, which have their own page", k)
	}
}
