package materialx_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/materialx"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/shader"
	"mobanta/core/stage"
	"mobanta/demo"
)

// written writes a look and returns the document as text.
func written(t *testing.T, p *project.Project, files stage.Files, look string) (string, *materialx.Look) {
	t.Helper()
	job, err := scene.Of(p, files, nil)
	require.NoError(t, err)
	made, err := materialx.Of(p, job, look, func(ref network.Ref) []float32 {
		v, err := shader.Mean(context.Background(), job, look, ref, 2)
		require.NoError(t, err)
		return v
	})
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, made.Document.Write(&buf))
	return buf.String(), made
}

var solids = meshfile.Kept(meshfile.Files(nil))

// ball is a project of a ball that wears a network.
func ball(t *testing.T, net *network.Network) *project.Project {
	t.Helper()
	p := project.New("ball")
	_, err := p.Apply(&project.Edit{Op: "model.add", Kind: "sphere"})
	require.NoError(t, err)
	require.NoError(t, net.Settle(p.Catalogue()))
	p.Looks[0].Network = *net
	p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, solids), 1)
	return p
}

// drawn is the picture of a project, in bytes.
func drawn(t *testing.T, p *project.Project) []byte {
	t.Helper()
	job, err := scene.Of(p, solids, nil)
	require.NoError(t, err)
	job.W, job.H, job.Samples = 60, 60, 1
	var pix []byte
	require.NoError(t, picture.NewRenderer(2).Render(context.Background(), job, func(res *picture.Result) {
		if res.Done {
			pix = make([]byte, 4*60*60)
			res.RGBA(pix, image.Rect(0, 0, 60, 60))
		}
	}))
	return pix
}

// What is written is what the standard has, for every kind that says that it travels; and read again it is the same network.
func TestKindsTravelToMaterialX(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, k := range (node.Catalogue{}).All() {
		if k.MaterialX == nil {
			if k.Spec.Kind != network.FinishKind {
				assert.NotEmpty(t, k.Stays, "%s says why it stays", k.Spec.Kind)
			}
			continue
		}
		net, ref := node.Catalogue{}.Example(k, "")
		if ref.Node != "" {
			net.Node("end").In["colour"] = network.Input{Wires: []network.Ref{ref}}
		}
		p := ball(t, net)
		text, made := written(t, p, solids, p.Looks[0].ID)
		require.NoError(t, made.Document.Check(), k.Spec.Kind)
		d, err := materialx.Parse([]byte(text))
		require.NoError(t, err, k.Spec.Kind)
		require.NoError(t, d.Check(), "%s: %s", k.Spec.Kind, text)
		back, err := materialx.Read([]byte(text))
		require.NoError(t, err, k.Spec.Kind)
		for _, r := range made.Remarks {
			if strings.Contains(r, "stays as its mean") {
				back = nil
			}
		}
		if back != nil {
			same(t, k.Spec.Kind, net, &back.Network)
		}
	}
}

// same holds the nodes that the finish depends on against each other.
func same(t *testing.T, name string, want, got *network.Network) {
	t.Helper()
	behind := func(n *network.Network) map[string]string {
		out := map[string]string{}
		var walk func(id string)
		walk = func(id string) {
			d := n.Node(id)
			if d == nil || out[id] != "" {
				return
			}
			e := *d
			if d.Kind == network.FinishKind {
				e.ID = "end"
				e.In = map[string]network.Input{}
				for _, key := range []string{"colour", "opacity"} {
					if in, ok := d.In[key]; ok {
						e.In[key] = in
					}
				}
			}
			data, err := json.Marshal(e)
			require.NoError(t, err)
			out[id] = string(data)
			for _, in := range e.In {
				for _, w := range in.Wires {
					walk(w.Node)
				}
			}
		}
		for _, d := range n.Nodes {
			if d.Kind == network.FinishKind {
				walk(d.ID)
				out["end"] = out[d.ID]
				if d.ID != "end" {
					delete(out, d.ID)
				}
			}
		}
		return out
	}
	assert.Equal(t, behind(want), behind(got), name)
}

// Without our marks, as another program would write it, a document is read piece by piece, and shows the same.
func TestPiecesComputeTheSame(t *testing.T) {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	net := &network.Network{Nodes: []network.Node{
		{ID: "light", Kind: "diffuse-light"},
		{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("light.tone")}},
		{ID: "rim", Kind: "outline", In: map[string]network.Input{"thickness": {Value: 0.4}, "softness": {Value: 0.2}}},
		{ID: "ink", Kind: "blend", Set: map[string]any{"mode": "screen"}, In: map[string]network.Input{"base": wire("bands.colour"), "amount": wire("rim.tone")}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("ink.colour")}},
	}}
	p := ball(t, net)
	text, _ := written(t, p, solids, p.Looks[0].ID)
	bare := strings.NewReplacer(" mobanta=", " other=", " mobanta_of=", " other_of=", " mobanta_sum=", " other_sum=").Replace(text)
	back, err := materialx.Read([]byte(bare))
	require.NoError(t, err)
	assert.Greater(t, len(back.Network.Nodes), 6)
	q := ball(t, &back.Network)
	a, b := drawn(t, p), drawn(t, q)
	require.Len(t, b, len(a))
	sum := 0
	for i := range a {
		d := int(a[i]) - int(b[i])
		sum += max(d, -d)
	}
	assert.Less(t, float64(sum)/float64(len(a)), 1.0, strings.Join(back.Remarks, "\n"))
}

func TestAChangedPieceIsReadAsItIs(t *testing.T) {
	net, ref := node.Catalogue{}.Example(node.Catalogue{}.Kind("soft-step"), "")
	net.Node("end").In["colour"] = network.Input{Wires: []network.Ref{ref}}
	p := ball(t, net)
	text, _ := written(t, p, solids, p.Looks[0].ID)
	changed := strings.Replace(text, `<ifgreatereq name="soft_step"`, `<ifgreater name="soft_step"`, 1)
	changed = strings.Replace(changed, "</ifgreatereq>", "</ifgreater>", 1)
	require.NotEqual(t, text, changed)
	back, err := materialx.Read([]byte(changed))
	require.NoError(t, err)
	assert.Contains(t, strings.Join(back.Remarks, "\n"), "was changed")
	kinds := map[string]int{}
	for _, d := range back.Network.Nodes {
		kinds[d.Kind]++
	}
	assert.Zero(t, kinds["soft-step"])
	assert.Equal(t, 1, kinds["diffuse-light"], "what was not changed is what it was")
}

// All looks of the demo, with their groups, dials and swatches.
func TestTheDemosLooks(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, build := range map[string]func() (*project.Project, map[string]exchange.File, error){"saltlight": demo.Saltlight, "dusk": demo.Dusk, "keep": demo.Keep, "lamp": demo.Lamp} {
		p, files, err := build()
		require.NoError(t, err)
		made := meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })
		for i := range p.Looks {
			l := &p.Looks[i]
			if !p.Worn(l.ID) {
				continue
			}
			text, doc := written(t, p, made, l.ID)
			d, err := materialx.Parse([]byte(text))
			require.NoError(t, err)
			require.NoError(t, d.Check(), "%s: %s", name, l.Name)
			back, err := materialx.Read([]byte(text))
			require.NoError(t, err, "%s: %s", name, l.Name)
			assert.NotEmpty(t, back.Network.Nodes)
			again := project.New("again")
			_, err = again.Apply(&project.Edit{Op: "look.add", Name: l.Name, Network: &back.Network, Groups: back.Groups})
			require.NoError(t, err, "%s: %s", name, l.Name)
			_ = doc
		}
	}
}

func TestWhatIsRefusedToBeRead(t *testing.T) {
	graph := func(nodes string) string {
		return `<?xml version="1.0"?><materialx version="1.39"><nodegraph name="g">` + nodes + `<output name="out" type="color3" nodename="a"/></nodegraph></materialx>`
	}
	cases := map[string]struct{ text, says string }{
		"nothing":       {"", "version"},
		"no XML":        {"<materialx", "no XML"},
		"other":         {`<svg version="1"/>`, "begins with"},
		"entities":      {`<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><materialx version="1.39">&b;</materialx>`, "of its own"},
		"deep":          {`<materialx version="1.39">` + strings.Repeat("<a>", 100) + strings.Repeat("</a>", 100) + `</materialx>`, "deep"},
		"cycle":         {graph(`<mix name="a" type="color3"><input name="fg" type="color3" nodename="b"/></mix><mix name="b" type="color3"><input name="fg" type="color3" nodename="a"/></mix>`), "reads itself"},
		"from nowhere":  {graph(`<mix name="a" type="color3"><input name="fg" type="color3" nodename="b"/></mix>`), "no node"},
		"without nodes": {`<materialx version="1.39"></materialx>`, "neither"},
		"billions":      {graph(strings.Repeat(`<constant name="a" type="color3"/>`, 6000)), "more than"},
	}
	for name, c := range cases {
		_, err := materialx.Read([]byte(c.text))
		assert.ErrorContains(t, err, c.says, name)
	}
	_, err := materialx.Read(make([]byte, materialx.MaxBytes+1))
	assert.ErrorIs(t, err, materialx.ErrLarge)
	back, err := materialx.Read([]byte(graph(`<hextilednormalmap name="a" type="color3"/>`)))
	require.NoError(t, err)
	assert.Contains(t, strings.Join(back.Remarks, "\n"), "a, a hextilednormalmap, is not known here")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(`<?xml version="1.0"?><materialx version="1.39"><nodegraph name="g"><mix name="a" type="color3"><input name="fg" type="color3" value="1, 0, 0.5"/><input name="mix" type="float" value="0.3"/></mix><output name="out" type="color3" nodename="a"/></nodegraph></materialx>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		back, err := materialx.Read(data)
		if err == nil && back.Network.Finish() == nil {
			t.Fatal("a network without a Finish")
		}
	})
}

func ExampleRead() {
	n, err := materialx.Read([]byte(`<materialx version="1.39"><nodegraph name="NG_tin"><constant name="a" type="color3"><input name="value" type="color3" value="1, 0, 0"/></constant><output name="out" type="color3" nodename="a"/></nodegraph></materialx>`))
	fmt.Println(err, n.Name, len(n.Network.Nodes))
	// Output: <nil> tin 2
}

// A noise of others gives a tone or a colour about nothing.
func TestForeignNoise(t *testing.T) {
	for kind, port := range map[string]string{"float": "tone", "color3": "colour"} {
		text := `<materialx version="1.39"><nodegraph name="g"><fractal3d name="a" type="` + kind + `"><input name="octaves" type="integer" value="4"/></fractal3d><mix name="b" type="` + kind + `"><input name="fg" type="` + kind + `" nodename="a"/><input name="mix" type="float" value="1"/></mix>`
		if kind == "float" {
			text += `<convert name="c" type="color3"><input name="in" type="float" nodename="b"/></convert><output name="out" type="color3" nodename="c"/>`
		} else {
			text += `<output name="out" type="color3" nodename="b"/>`
		}
		back, err := materialx.Read([]byte(text + `</nodegraph></materialx>`))
		require.NoError(t, err, kind)
		found := false
		for _, d := range back.Network.Nodes {
			if d.Kind == "noise" {
				assert.EqualValues(t, 4, d.Set["octaves"], kind)
			}
			for _, e := range d.In {
				for _, w := range e.Wires {
					if n := back.Network.Node(w.Node); n.Kind == "noise" {
						found = true
						assert.Equal(t, port, w.Port, kind)
						assert.Equal(t, "formula", d.Kind)
					}
				}
			}
		}
		assert.True(t, found, kind)
	}
}

// What is wrong with a document is said: of what type an input is and by what it is fed, in its graph, from about it, by another graph.
func TestCheckSaysWhatIsWrong(t *testing.T) {
	document := func(nodes, input string) string {
		return `<?xml version="1.0"?><materialx version="1.39"><nodegraph name="g"><input name="mine" type="color3" value="1, 0, 0"/>` + nodes +
			`<constant name="c" type="color3"><input name="value" type="color3" value="1, 0, 0"/></constant>` +
			`<constant name="f" type="float"><input name="value" type="float" value="1"/></constant>` +
			`<dot name="a" type="color3"><input name="in" type="color3" ` + input + `/></dot><output name="out" type="color3" nodename="a"/></nodegraph></materialx>`
	}
	for _, c := range []struct{ nodes, input, says string }{
		{"", `nodename="c"`, ""},
		{"", `interfacename="mine"`, ""},
		{"", `value="0, 0, 1"`, ""},
		{"", `nodename="f"`, `is fed a "float" by f`},
		{"", `nodename="gone"`, "by gone"},
		{"", `interfacename="gone"`, "no input \"gone\""},
		{"", `nodegraph="gone" output="out"`, "no output"},
		{"", ``, "has no value"},
		{"", `nodename="a"`, "reads itself"},
		{`<dot name="c" type="color3"><input name="in" type="color3" value="1, 1, 1"/></dot>`, `nodename="c"`, "there twice"},
		{`<sparkle name="s" type="color3"/>`, `nodename="c"`, "which the standard does not have"},
		{`<dot name="s" type="color3"><input name="glitter" type="color3" value="1, 1, 1"/></dot>`, `nodename="c"`, "has no input"},
		{`<dot name="s" type="color3"><input name="in" type="float" value="1"/></dot>`, `nodename="c"`, "is a color3, not a float"},
	} {
		d, err := materialx.Parse([]byte(document(c.nodes, c.input)))
		require.NoError(t, err)
		if c.says == "" {
			assert.NoError(t, d.Check(), c.input)
		} else {
			assert.ErrorContains(t, d.Check(), c.says, "%s %s", c.nodes, c.input)
		}
	}
}
