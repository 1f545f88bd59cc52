package materialx_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/materialx"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/shader"
)

// cube is a stage with a cube, whose look takes the place of what is asked of it.
func cube(t *testing.T) scene.Job {
	cubeOnce.Do(func() {
		net := project.NewLook()
		var err error
		cubeJob, err = scene.Of(boxed(t, &net), meshfile.Files(nil), nil)
		require.NoError(t, err)
	})
	return cubeJob
}

// boxed is a project of a cube that wears a network.
func boxed(t *testing.T, net *network.Network) *project.Project {
	p := project.New("cube")
	_, err := p.Apply(&project.Edit{Op: "model.add", Kind: "cube", Look: "look1"})
	require.NoError(t, err)
	require.NoError(t, net.Settle(p.Catalogue()))
	p.Looks[0].Network = *net
	return p
}

var (
	cubeOnce sync.Once
	cubeJob  scene.Job
)

// come returns what a graph comes to: its nodes, of which the last one named "a" is of a type; whatever stands before it in the
// document, and attributes of the document.
func come(t *testing.T, kind, nodes, before, attributes string) (got [3]float64, remarks []string) {
	t.Helper()
	last := `<combine3 name="last" type="color3"><input name="in1" type="float" nodename="a"/></combine3>`
	switch kind {
	case "color3":
		last = `<add name="last" type="color3"><input name="in1" type="color3" nodename="a"/></add>`
	case "vector2", "vector3":
		last = `<convert name="last" type="color3"><input name="in" type="` + kind + `" nodename="a"/></convert>`
	}
	back, err := materialx.Read([]byte(`<materialx version="1.39" ` + attributes + `>` + before + `<nodegraph name="g">` + nodes + last + `<output name="out" type="color3" nodename="last"/></nodegraph></materialx>`))
	require.NoError(t, err, nodes)
	in := back.Network.Finish().In["colour"]
	if len(in.Wires) == 0 {
		v := network.Converted(in.Value, network.Color, network.Vector).([3]float64)
		return v, back.Remarks
	}
	job := cube(t)
	for look := range job.Looks {
		job.Looks = map[string]*network.Network{look: &back.Network}
	}
	v, err := shader.Mean(context.Background(), job, "look1", in.Wires[0], 1)
	require.NoError(t, err, nodes)
	for i := range got {
		got[i] = float64(v[min(i, len(v)-1)])
	}
	return got, back.Remarks
}

// given writes the inputs of a node: name, type and value with colons between, parted by semicolons.
func given(inputs string) string {
	var b strings.Builder
	for _, in := range strings.Split(inputs, ";") {
		if f := strings.SplitN(strings.TrimSpace(in), ":", 3); len(f) == 3 {
			fmt.Fprintf(&b, `<input name="%s" type="%s" value="%s"/>`, f[0], f[1], f[2])
		}
	}
	return b.String()
}

// Every row is a node of the standard with what its specification says that it comes to; inputs that are not named are what it
// says of them.
func TestTheStandardsFormulas(t *testing.T) {
	s, c := math.Sin, math.Cos
	rad := math.Pi / 180
	for _, row := range []struct {
		category, kind, inputs string
		want                   [3]float64
	}{
		{"add", "color3", "in1:color3:.1,.2,.3; in2:color3:.2,.2,.1", [3]float64{.3, .4, .4}},
		{"add", "color3", "in1:color3:.1,.2,.3; in2:float:.2", [3]float64{.3, .4, .5}},
		{"add", "float", "in1:float:.4", [3]float64{.4}},
		{"subtract", "vector3", "in1:vector3:.5,.6,.7; in2:float:.2", [3]float64{.3, .4, .5}},
		{"subtract", "color3", "in1:color3:.5,.6,.7", [3]float64{.5, .6, .7}},
		{"multiply", "color3", "in1:color3:.5,.6,.8", [3]float64{.5, .6, .8}},
		{"multiply", "color3", "in1:color3:.5,.6,.8; in2:color3:.5,.5,.25", [3]float64{.25, .3, .2}},
		{"multiply", "float", "in1:float:.5", [3]float64{.5}},
		{"divide", "color3", "in1:color3:.1,.2,.3", [3]float64{.1, .2, .3}},
		{"divide", "color3", "in1:color3:.1,.2,.3; in2:float:.5", [3]float64{.2, .4, .6}},
		{"modulo", "float", "in1:float:2.3", [3]float64{.3}},
		{"modulo", "vector3", "in1:vector3:2.3,-.3,.9; in2:float:.5", [3]float64{.3, .2, .4}},
		{"fract", "color3", "in:color3:1.25,-.25,.5", [3]float64{.25, .75, .5}},
		{"invert", "color3", "in:color3:.1,.2,.3", [3]float64{.9, .8, .7}},
		{"invert", "color3", "in:color3:.1,.2,.3; amount:float:.5", [3]float64{.4, .3, .2}},
		{"absval", "vector3", "in:vector3:-.5,.25,0", [3]float64{.5, .25, 0}},
		{"sign", "vector3", "in:vector3:-.5,.25,0", [3]float64{-1, 1, 0}},
		{"floor", "float", "in:float:-1.2", [3]float64{-2}},
		{"ceil", "float", "in:float:-1.2", [3]float64{-1}},
		{"round", "float", "in:float:1.6", [3]float64{2}},
		{"power", "color3", "in1:color3:.5,.25,1", [3]float64{.5, .25, 1}},
		{"power", "color3", "in1:color3:.5,.25,1; in2:float:2", [3]float64{.25, .0625, 1}},
		{"power", "color3", "in1:color3:.5,.25,.2; in2:color3:1,2,3", [3]float64{.5, .0625, .008}},
		{"safepower", "float", "in1:float:-.5; in2:float:2", [3]float64{-.25}},
		{"safepower", "color3", "in1:color3:-.5,.5,0; in2:color3:3,3,2", [3]float64{-.125, .125, 0}},
		{"sin", "float", "in:float:.7", [3]float64{s(.7)}},
		{"cos", "float", "in:float:.7", [3]float64{c(.7)}},
		{"tan", "float", "in:float:.7", [3]float64{math.Tan(.7)}},
		{"asin", "float", "in:float:.7", [3]float64{math.Asin(.7)}},
		{"acos", "float", "in:float:.7", [3]float64{math.Acos(.7)}},
		{"atan2", "float", "iny:float:.7", [3]float64{math.Atan2(.7, 1)}},
		{"atan2", "float", "iny:float:.7; inx:float:-.2", [3]float64{math.Atan2(.7, -.2)}},
		{"sqrt", "float", "in:float:.49", [3]float64{.7}},
		{"ln", "float", "in:float:.5", [3]float64{math.Log(.5)}},
		{"ln", "float", "", [3]float64{0}},
		{"exp", "float", "in:float:.5", [3]float64{math.Exp(.5)}},
		{"clamp", "color3", "in:color3:-.1,.9,1.3", [3]float64{0, .9, 1}},
		{"clamp", "color3", "in:color3:.1,.9,.3; low:color3:.2,.2,.2; high:float:.6", [3]float64{.2, .6, .3}},
		{"min", "color3", "in1:color3:.1,.9,.3; in2:float:.5", [3]float64{.1, .5, .3}},
		{"max", "color3", "in1:color3:.1,.9,.3; in2:color3:.5,.5,.5", [3]float64{.5, .9, .5}},
		{"trianglewave", "float", "in:float:.25", [3]float64{.5}},
		{"trianglewave", "float", "in:float:-.4", [3]float64{.8}},
		{"normalize", "vector3", "in:vector3:3,0,4", [3]float64{.6, 0, .8}},
		{"magnitude", "float", "in:vector3:3,0,4", [3]float64{5}},
		{"distance", "float", "in1:vector3:3,0,4; in2:vector3:0,0,4", [3]float64{3}},
		{"dotproduct", "float", "in1:vector3:.1,.2,.3; in2:vector3:1,2,3", [3]float64{1.4}},
		{"crossproduct", "vector3", "in1:vector3:1,0,0; in2:vector3:0,1,0", [3]float64{0, 0, 1}},
		{"reflect", "vector3", "in:vector3:1,-1,0; normal:vector3:0,1,0", [3]float64{1, 1, 0}},
		{"rotate2d", "vector2", "in:vector2:1,2; amount:float:30", [3]float64{c(30*rad) + 2*s(30*rad), 2*c(30*rad) - s(30*rad), 0}},
		{"rotate3d", "vector3", "in:vector3:1,0,0; amount:float:90; axis:vector3:0,0,1", [3]float64{0, -1, 0}},
		{"rotate3d", "vector3", "in:vector3:0,0,1; amount:float:90", [3]float64{-1, 0, 0}},
		{"place2d", "vector2", "texcoord:vector2:.75,.5; pivot:vector2:.5,.5; scale:vector2:.5,1", [3]float64{1, .5, 0}},
		{"place2d", "vector2", "texcoord:vector2:1,0; rotate:float:90; offset:vector2:.1,.2", [3]float64{-.1, -1.2, 0}},
		{"place2d", "vector2", "texcoord:vector2:1,0; rotate:float:90; offset:vector2:.1,.2; operationorder:integer:1", [3]float64{-.2, -.9, 0}},
		{"remap", "float", "in:float:.25; inlow:float:0; inhigh:float:.5; outlow:float:1; outhigh:float:3", [3]float64{2}},
		{"remap", "color3", "in:color3:.25,.5,.75", [3]float64{.25, .5, .75}},
		{"range", "float", "in:float:.25; gamma:float:2", [3]float64{.5}},
		{"range", "float", "in:float:2; outhigh:float:3", [3]float64{6}},
		{"range", "float", "in:float:2; outhigh:float:3; doclamp:boolean:true", [3]float64{3}},
		{"smoothstep", "color3", "in:color3:.25,.5,.75", [3]float64{.15625, .5, .84375}},
		{"smoothstep", "float", "in:float:.3; low:float:.2; high:float:.4", [3]float64{.5}},
		{"contrast", "color3", "in:color3:.25,.5,.75; amount:float:2", [3]float64{0, .5, 1}},
		{"contrast", "float", "in:float:.25", [3]float64{.25}},
		{"luminance", "color3", "in:color3:1,0,0", [3]float64{.2722287, .2722287, .2722287}},
		{"luminance", "color3", "in:color3:1,.5,0; lumacoeffs:color3:.2,.7,.1", [3]float64{.55, .55, .55}},
		{"saturate", "color3", "in:color3:1,.5,0; amount:float:0; lumacoeffs:color3:.2,.7,.1", [3]float64{.55, .55, .55}},
		{"saturate", "color3", "in:color3:1,.5,0; amount:float:.5; lumacoeffs:color3:.2,.7,.1", [3]float64{.775, .525, .275}},
		{"saturate", "color3", "in:color3:1,.5,0", [3]float64{1, .5, 0}},
		{"rgbtohsv", "color3", "in:color3:.2,.6,.4", [3]float64{(2 + .5) / 6, 2. / 3, .6}},
		{"rgbtohsv", "color3", "in:color3:.6,.2,.4", [3]float64{1 - .5/6, 2. / 3, .6}},
		{"rgbtohsv", "color3", "in:color3:.3,.3,.3", [3]float64{0, 0, .3}},
		{"hsvtorgb", "color3", "in:color3:.41666667,.66666667,.6", [3]float64{.2, .6, .4}},
		{"hsvadjust", "color3", "in:color3:.2,.6,.4", [3]float64{.2, .6, .4}},
		{"hsvadjust", "color3", "in:color3:.2,.6,.4; amount:vector3:.33333333,1,.5", [3]float64{.2, .1, .3}},
		{"plus", "color3", "fg:color3:.2,.2,.2; bg:color3:.1,.5,.9", [3]float64{.3, .7, 1.1}},
		{"plus", "color3", "fg:color3:.2,.2,.2; bg:color3:.1,.5,.9; mix:float:.5", [3]float64{.2, .6, 1}},
		{"minus", "color3", "fg:color3:.2,.2,.2; bg:color3:.1,.5,.9", [3]float64{-.1, .3, .7}},
		{"difference", "color3", "fg:color3:.2,.2,.2; bg:color3:.1,.5,.9", [3]float64{.1, .3, .7}},
		{"difference", "float", "fg:float:.2; bg:float:.9; mix:float:.5", [3]float64{.8}},
		{"burn", "color3", "fg:color3:.5,.5,0; bg:color3:.8,2,.5", [3]float64{.6, 3, 0}},
		{"burn", "color3", "fg:color3:.5,.5,.5; bg:color3:.8,.2,.5; mix:float:.5", [3]float64{.7, -.2, .25}},
		{"dodge", "color3", "fg:color3:.5,.5,1; bg:color3:.3,2,.5", [3]float64{.6, 4, 0}},
		{"dodge", "float", "fg:float:.5; bg:float:.3; mix:float:.5", [3]float64{.45}},
		{"screen", "color3", "fg:color3:.5,.5,0; bg:color3:.8,.2,.5", [3]float64{.9, .6, .5}},
		{"screen", "float", "fg:float:.5; bg:float:.8", [3]float64{.9}},
		{"overlay", "color3", "fg:color3:.5,.4,.3; bg:color3:.8,.2,.5", [3]float64{.8, .16, .3}},
		{"overlay", "float", "fg:float:.4; bg:float:.2", [3]float64{.16}},
		{"inside", "color3", "in:color3:.5,.4,.3; mask:float:.5", [3]float64{.25, .2, .15}},
		{"inside", "color3", "in:color3:.5,.4,.3", [3]float64{.5, .4, .3}},
		{"outside", "color3", "in:color3:.5,.4,.3; mask:float:.25", [3]float64{.375, .3, .225}},
		{"outside", "float", "in:float:.5", [3]float64{.5}},
		{"mix", "color3", "fg:color3:1,0,.5; bg:color3:0,1,.5; mix:float:.25", [3]float64{.25, .75, .5}},
		{"mix", "color3", "fg:color3:1,0,.5; bg:color3:0,1,.5", [3]float64{0, 1, .5}},
		{"mix", "color3", "fg:color3:1,0,.5; bg:color3:0,1,.5; mix:color3:.25,.5,1", [3]float64{.25, .5, .5}},
		{"mix", "vector3", "fg:vector3:1,0,.5; bg:vector3:0,1,.5; mix:vector3:.25,.5,1", [3]float64{.25, .5, .5}},
		{"mix", "float", "fg:float:1; bg:float:0; mix:float:.25", [3]float64{.25}},
		{"ifgreater", "color3", "value1:float:.5; value2:float:.4; in1:color3:1,0,0; in2:color3:0,1,0", [3]float64{1, 0, 0}},
		{"ifgreater", "color3", "in1:color3:1,0,0; in2:color3:0,1,0", [3]float64{1, 0, 0}},
		{"ifgreatereq", "float", "value1:float:.4; value2:float:.4; in1:float:.9; in2:float:.1", [3]float64{.9}},
		{"ifequal", "float", "value1:float:.4; value2:float:.5; in1:float:.9; in2:float:.1", [3]float64{.1}},
		{"ifequal", "float", "value1:boolean:true; value2:boolean:true; in1:float:.9; in2:float:.1", [3]float64{.9}},
		{"switch", "float", "in1:float:.1; in2:float:.2; in3:float:.3; which:float:1.5", [3]float64{.2}},
		{"switch", "color3", "in1:color3:.1,.1,.1; in10:color3:.2,.3,.4; which:integer:9", [3]float64{.2, .3, .4}},
		{"switch", "float", "in1:float:.1; which:float:12", [3]float64{0}},
		{"ramplr", "color3", "valuel:color3:1,0,0; valuer:color3:0,1,0; texcoord:vector2:.25,.5", [3]float64{.75, .25, 0}},
		{"ramptb", "float", "valuet:float:1; valueb:float:0; texcoord:vector2:.25,.8", [3]float64{.8}},
		{"ramp4", "float", "valuetl:float:1; valuetr:float:.5; valuebl:float:.2; valuebr:float:0; texcoord:vector2:.5,.75", [3]float64{.25*.1 + .75*.75}},
		{"splitlr", "color3", "valuel:color3:1,0,0; valuer:color3:0,1,0; texcoord:vector2:.25,.5", [3]float64{1, 0, 0}},
		{"splitlr", "float", "valuel:float:.1; valuer:float:.9; center:float:.2; texcoord:vector2:.25,.5", [3]float64{.9}},
		{"splittb", "float", "valuet:float:.1; valueb:float:.9; texcoord:vector2:.25,.8", [3]float64{.1}},
		{"checkerboard", "color3", "texcoord:vector2:.05,.05", [3]float64{1, 1, 1}},
		{"checkerboard", "color3", "texcoord:vector2:.2,.05; color1:color3:.1,.2,.3; color2:color3:.4,.5,.6", [3]float64{.4, .5, .6}},
		{"checkerboard", "color3", "texcoord:vector2:.3,.3; uvtiling:vector2:2,2; uvoffset:vector2:.7,0; color2:color3:.4,.5,.6", [3]float64{.4, .5, .6}},
		{"combine2", "vector2", "in1:float:.2; in2:float:.3", [3]float64{.2, .3, 0}},
		{"combine3", "color3", "in1:float:.2; in3:float:.3", [3]float64{.2, 0, .3}},
		{"extract", "float", "in:color3:.2,.3,.4; index:integer:1", [3]float64{.3}},
		{"extract", "float", "in:color3:.2,.3,.4", [3]float64{.2}},
		{"convert", "color3", "in:float:.3", [3]float64{.3, .3, .3}},
		{"constant", "color3", "value:color3:.3,.2,.1", [3]float64{.3, .2, .1}},
		{"constant", "float", "", [3]float64{0}},
		{"dot", "color3", "in:color3:.3,.2,.1", [3]float64{.3, .2, .1}},
	} {
		got, remarks := come(t, row.kind, `<`+row.category+` name="a" type="`+row.kind+`">`+given(row.inputs)+`</`+row.category+`>`, "", "")
		assert.Empty(t, remarks, "%s %s", row.category, row.inputs)
		for i := range row.want {
			assert.InDelta(t, row.want[i], got[i], 2e-4, "%s of %s, %s: %v", row.category, row.kind, row.inputs, got)
		}
	}
}

// Colours are in the space that they are said to be in: their own, the node's, the graph's, the document's.
func TestColourSpacesOfValues(t *testing.T) {
	value := func(space string) string {
		return `<constant name="a" type="color3"><input name="value" type="color3" value="0.5, 0.25, 0.1" ` + space + `/></constant>`
	}
	lin := func(v float64) float64 {
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	want := [3]float64{lin(.5), lin(.25), lin(.1)}
	for name, c := range map[string][2]string{"its own": {value(`colorspace="srgb_texture"`), ""}, "the document's": {value(""), `colorspace="srgb_texture"`}, "its own before": {value(`colorspace="srgb_texture"`), `colorspace="lin_rec709"`},
		"the node's": {strings.Replace(value(""), `type="color3">`, `type="color3" colorspace="srgb_texture">`, 1), ""}} {
		got, _ := come(t, "color3", c[0], "", c[1])
		for i := range want {
			assert.InDelta(t, want[i], got[i], 1e-4, name)
		}
	}
	got, _ := come(t, "color3", value(`colorspace="g22_rec709"`), "", "")
	assert.InDelta(t, math.Pow(.5, 2.2), got[0], 1e-4)
	got, _ = come(t, "color3", strings.Replace(value(`colorspace="acescg"`), "0.5, 0.25, 0.1", "0.5, 0.5, 0.5", 1), "", "")
	for i := range got { // white stays white
		assert.InDelta(t, .5, got[i], 1e-3)
	}
	got, remarks := come(t, "color3", value(`colorspace="somewhere"`), "", "")
	assert.InDelta(t, .5, got[0], 1e-4)
	require.Len(t, remarks, 1)
	assert.Contains(t, remarks[0], `"somewhere" is not known here`)
}

// What is no value is told, and the usual one stands in its place.
func TestWhatIsNoValue(t *testing.T) {
	for _, v := range []string{"abc", "1, 2", "", "nan"} {
		got, remarks := come(t, "float", `<multiply name="a" type="float"><input name="in1" type="float" value="0.5"/><input name="in2" type="float" value="`+v+`"/></multiply>`, "", "")
		assert.InDelta(t, .5, got[0], 1e-5, v)
		if v != "" {
			require.Len(t, remarks, 1, v)
			assert.Contains(t, remarks[0], "in2 of a is")
		}
	}
}

// Nodes that the document defines are what their graphs say, also within each other, with what is fed to them or what their
// definitions say.
func TestNodesThatADocumentDefines(t *testing.T) {
	defs := `<nodedef name="ND_tint" node="tint"><input name="c" type="color3" value="0.1, 0.2, 0.3"/><input name="by" type="float" value="2"/><output name="out" type="color3"/></nodedef>
	<nodegraph name="NG_tint" nodedef="ND_tint"><multiply name="m" type="color3"><input name="in1" type="color3" interfacename="c"/><input name="in2" type="float" interfacename="by"/></multiply><output name="out" type="color3" nodename="m"/></nodegraph>
	<nodedef name="ND_twice" node="twice"><input name="x" type="color3" value="0.5, 0, 0"/><output name="one" type="color3"/><output name="two" type="color3"/></nodedef>
	<nodegraph name="NG_twice" nodedef="ND_twice"><tint name="t" type="color3"><input name="c" type="color3" interfacename="x"/></tint><add name="s" type="color3"><input name="in1" type="color3" nodename="t"/><input name="in2" type="float" value="0.1"/></add><output name="one" type="color3" nodename="t"/><output name="two" type="color3" nodename="s"/></nodegraph>`
	got, remarks := come(t, "color3", `<tint name="a" type="color3"/>`, defs, "")
	assert.Empty(t, remarks)
	assert.InDeltaSlice(t, []float64{.2, .4, .6}, got[:], 1e-4)
	got, _ = come(t, "color3", `<constant name="k" type="float"><input name="value" type="float" value="3"/></constant><tint name="a" type="color3"><input name="by" type="float" nodename="k"/></tint>`, defs, "")
	assert.InDeltaSlice(t, []float64{.3, .6, .9}, got[:], 1e-4)
	got, _ = come(t, "color3", `<twice name="w" type="multioutput"><input name="x" type="color3" value="0.2, 0.1, 0"/></twice><dot name="a" type="color3"><input name="in" type="color3" nodename="w" output="two"/></dot>`, defs, "")
	assert.InDeltaSlice(t, []float64{.5, .3, .1}, got[:], 1e-4)

	// Circles and thickets end.
	_, err := materialx.Read([]byte(`<materialx version="1.39"><nodedef name="D" node="mine"><output name="out" type="color3"/></nodedef><nodegraph name="G" nodedef="D"><mine name="m" type="color3"/><output name="out" type="color3" nodename="m"/></nodegraph><nodegraph name="g"><mine name="a" type="color3"/><output name="out" type="color3" nodename="a"/></nodegraph></materialx>`))
	assert.ErrorContains(t, err, "16 deep")
	var b strings.Builder
	b.WriteString(`<materialx version="1.39">`)
	for i := range 14 {
		fmt.Fprintf(&b, `<nodedef name="D%d" node="n%d"><output name="out" type="color3"/></nodedef><nodegraph name="G%d" nodedef="D%d">`, i, i, i, i)
		for k := range 4 {
			if i == 0 {
				fmt.Fprintf(&b, `<constant name="m%d" type="color3"/>`, k)
			} else {
				fmt.Fprintf(&b, `<n%d name="m%d" type="color3"/>`, i-1, k)
			}
		}
		b.WriteString(`<add name="x" type="color3"><input name="in1" type="color3" nodename="m0"/><input name="in2" type="color3" nodename="m1"/></add><add name="y" type="color3"><input name="in1" type="color3" nodename="m2"/><input name="in2" type="color3" nodename="m3"/></add><add name="z" type="color3"><input name="in1" type="color3" nodename="x"/><input name="in2" type="color3" nodename="y"/></add><output name="out" type="color3" nodename="z"/></nodegraph>`)
	}
	b.WriteString(`<nodegraph name="g"><n13 name="a" type="color3"/><output name="out" type="color3" nodename="a"/></nodegraph></materialx>`)
	_, err = materialx.Read([]byte(b.String()))
	assert.ErrorContains(t, err, "more than 5000 nodes")
}

// A Formula goes out as nodes of the standard that come to the same, wherever they are read.
func TestFormulasGoOutAsNodes(t *testing.T) {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	r := rand.New(rand.NewPCG(26, 5))
	for _, text := range []string{
		"smoothstep(0.2, 0.8, a)", "a * v + vec3(0.1, 0.2, 0.3)", "mix(v, vec3(a), 0.25) - 0.1", "a > 0.5 ? v : v.zyx", "clamp(v * 2.0 - 0.5, 0.0, 1.0)", "pow(v, vec3(2.0, 0.5, a))", "normalize(v) * length(v)", "dot(v, v.yzx)", "cross(v, vec3(0.3, a, 0.1))",
		"sin(v) + cos(v * 3.0) - tan(a)", "atan(a, 0.3) + atan(v.x)", "asin(a) * acos(v.x)", "floor(v * 5.0) / 5.0 + fract(v * 3.0)", "ceil(a * 4.0) - round(a * 4.0) + trunc(v.y * -7.0)", "mod(v, 0.3)", "sqrt(v) + inversesqrt(a + 1.0)", "exp(-v) * exp2(a) + log(v + 1.0) - log2(a + 1.0)",
		"sign(v - 0.5) * abs(v - 0.5)", "step(0.5, v) + step(v, vec3(a))", "min(v, a) + max(v, vec3(0.4))", "(a < 0.3 || v.x >= 0.5) && v.y != 0.5 ? 1.0 : 0.25", "!(a <= 0.5) ? v.x : a == 0.5 ? 0.1 : 0.2", "sinh(a) + cosh(v.x) + tanh(v.y)", "reflect(v, vec3(0.0, 1.0, 0.0))", "v.xy.yx.x", "a",
	} {
		a, v := r.Float64(), [3]float64{r.Float64(), r.Float64(), r.Float64()}
		net := &network.Network{Nodes: []network.Node{
			{ID: "a", Kind: "maths", Set: map[string]any{"operation": "add"}, In: map[string]network.Input{"a": {Value: a}, "b": {Value: 0.0}}},
			{ID: "f", Kind: "formula", Set: map[string]any{"text": text, "inputs": []network.Argument{{Key: "a", Type: network.Tone}, {Key: "v", Type: network.Color}}}, In: map[string]network.Input{"a": wire("a.value"), "v": {Value: color.C{float32(v[0]), float32(v[1]), float32(v[2])}}}},
			{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("f.value")}},
		}}
		p := boxed(t, net)
		doc, made := written(t, p, meshfile.Files(nil), p.Looks[0].ID)
		assert.Empty(t, made.Remarks, text)
		back, err := materialx.Read([]byte(doc))
		require.NoError(t, err, text)
		assert.NotNil(t, back.Network.Node("f"), "it comes back as a Formula: %s", text)
		foreign, err := materialx.Read([]byte(strings.NewReplacer(" mobanta=", " other=", " mobanta_of=", " other_of=", " mobanta_sum=", " other_sum=").Replace(doc)))
		require.NoError(t, err, text)
		assert.Nil(t, foreign.Network.Node("f"), text)
		mean := func(n *network.Network) []float32 {
			job := cube(t)
			job.Looks = map[string]*network.Network{"look1": n}
			in := n.Finish().In["colour"]
			if len(in.Wires) == 0 {
				c := network.Converted(in.Value, network.Color, network.Vector).([3]float64)
				return []float32{float32(c[0]), float32(c[1]), float32(c[2])}
			}
			got, err := shader.Mean(context.Background(), job, "look1", in.Wires[0], 1)
			require.NoError(t, err, text)
			if len(got) == 1 {
				got = []float32{got[0], got[0], got[0]}
			}
			return got
		}
		want, got := mean(net), mean(&foreign.Network)
		for i := range want {
			assert.InDelta(t, want[i], got[i], 1e-4, "%s of %v, %v", text, a, v)
		}
	}
	// What works on bits stays, and says so.
	net := &network.Network{Nodes: []network.Node{
		{ID: "f", Kind: "formula", Set: map[string]any{"text": "float((int(a * 8.0) ^ 3) & 7) / 8.0", "inputs": []network.Argument{{Key: "a", Type: network.Tone}}}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("f.value")}},
	}}
	p := boxed(t, net)
	_, made := written(t, p, meshfile.Files(nil), p.Looks[0].ID)
	require.NotEmpty(t, made.Remarks)
	assert.Contains(t, made.Remarks[0], "whole numbers")
}

// A look whose groups hold groups, and nodes that are bypassed, comes back and shows the same.
func TestGroupsWithinGroupsComeBack(t *testing.T) {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	for _, off := range []bool{false, true} {
		net := &network.Network{Nodes: []network.Node{
			{ID: "light", Kind: "diffuse-light"},
			{ID: "soft", Kind: "soft-step", In: map[string]network.Input{"tone": wire("light.tone")}},
			{ID: "turn", Kind: "invert", In: map[string]network.Input{"tone": wire("soft.tone")}, Off: off},
			{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("turn.tone")}},
			{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("bands.colour")}},
		}}
		if (node.Catalogue{}).Kind("invert") == nil {
			net.Nodes[2] = network.Node{ID: "turn", Kind: "maths", Set: map[string]any{"operation": "invert"}, In: map[string]network.Input{"a": wire("soft.tone")}, Off: off}
			net.Nodes[3].In["tone"] = wire("turn.value")
		}
		p := ball(t, net)
		for _, of := range [][]string{{"soft", "turn"}, {"g1", "bands"}} {
			var nodes []string
			for _, id := range of {
				if id == "g1" {
					id = p.Looks[0].Nodes[slices.IndexFunc(p.Looks[0].Nodes, func(d network.Node) bool { return strings.HasPrefix(d.Kind, network.GroupPrefix) })].ID
				}
				nodes = append(nodes, id)
			}
			_, err := p.Apply(&project.Edit{Op: "group.make", Look: "look1", Nodes: nodes})
			require.NoError(t, err)
		}
		require.Len(t, p.Groups, 2)
		text, _ := written(t, p, meshfile.Files(nil), "look1")
		back, err := materialx.Read([]byte(text))
		require.NoError(t, err)
		assert.Empty(t, back.Remarks)
		if off { // what reads a node that is bypassed comes back as it was, reading what that hands on
			k := slices.IndexFunc(back.Network.Nodes, func(d network.Node) bool { return d.Kind == "ramp" })
			require.GreaterOrEqual(t, k, 0)
			require.Len(t, back.Network.Nodes[k].In["tone"].Wires, 1)
			assert.Equal(t, "soft-step", back.Network.Node(back.Network.Nodes[k].In["tone"].Wires[0].Node).Kind)
		}
		again := project.New("again")
		o, err := again.Apply(&project.Edit{Op: "look.add", Name: "Back", Network: &back.Network, Groups: back.Groups})
		require.NoError(t, err)
		_, err = again.Apply(&project.Edit{Op: "model.add", Kind: "sphere", Look: o.Created})
		require.NoError(t, err)
		again.Stage.Camera = p.Stage.Camera
		assert.True(t, bytes.Equal(drawn(t, p), drawn(t, again)), "bypassed: %v; %v", off, back.Network.Nodes)
	}
}
