package shader_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/shader"
)

// ball is a project of a ball that wears a network.
func ball(t testing.TB, nodes ...network.Node) (*project.Project, scene.Job) {
	t.Helper()
	p := project.New("ball")
	_, err := p.Apply(&project.Edit{Op: "model.add", Kind: "sphere"})
	require.NoError(t, err)
	p.Looks[0].Network = network.Network{Nodes: nodes}
	return p, ready(t, p)
}

func ready(t testing.TB, p *project.Project) scene.Job {
	t.Helper()
	require.NoError(t, p.Settle())
	job, err := scene.Of(p, meshfile.Files(nil), nil)
	require.NoError(t, err)
	return job
}

func wire(ref string) network.Input {
	return network.Input{Wires: []network.Ref{network.ParseRef(ref)}}
}

// Whatever an artist calls things, names are names and comments end with their line.
func TestNamesAreNames(t *testing.T) {
	for _, name := range []string{`ends with \`, "gl", "webgl", "3 bands", "Überzug", "if", "a  --  b", "__", "look", "p"} {
		p, _ := ball(t, network.Node{ID: "light", Kind: "diffuse-light", Name: name}, network.Node{ID: "bands", Kind: "ramp", Name: name, In: map[string]network.Input{"tone": wire("light.tone")}},
			network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("bands.colour")}})
		p.Looks[0].Name = name
		prog, err := shader.Of(p, ready(t, p), p.Looks[0].ID)
		require.NoError(t, err, name)
		for _, line := range strings.Split(prog.Fragment, "\n") {
			assert.False(t, strings.HasSuffix(line, `\`), line)
		}
		code := regexp.MustCompile(`//.*`).ReplaceAllString(prog.Fragment, "")
		for _, id := range regexp.MustCompile(`[A-Za-z_]\w*`).FindAllString(code, -1) {
			assert.NotContains(t, id, "__")
			assert.False(t, strings.HasPrefix(id, "webgl_") || strings.HasPrefix(id, "gl_") && id != "gl_FragCoord" && id != "gl_FrontFacing", id)
		}
		assert.Equal(t, strings.Count(code, "{"), strings.Count(code, "}"))
	}
}

// Dials and swatches are uniforms, under the artist's names, with what they are set to.
func TestDialsAndSwatchesAreUniforms(t *testing.T) {
	p, _ := ball(t, network.Node{ID: "light", Kind: "diffuse-light"}, network.Node{ID: "step", Kind: "soft-step", In: map[string]network.Input{"tone": wire("light.tone"), "threshold": {Value: 0.3}}},
		network.Node{ID: "ink", Kind: "blend", In: map[string]network.Input{"over": {Value: color.MustHex("#22262E")}, "amount": wire("step.tone")}}, network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("ink.colour")}})
	p.Looks[0].Dials = []network.Dial{{ID: "d1", Name: "Where light begins", Node: "step", Key: "threshold", Min: 0.1, Max: 0.9}}
	p.Swatches = []project.Swatch{{ID: "s1", Name: "Soot", Color: color.MustHex("#22262E")}}
	p.Looks[0].Network.Node("ink").Swatches = map[string]string{"over": "s1"}
	prog, err := shader.Of(p, ready(t, p), p.Looks[0].ID)
	require.NoError(t, err)
	require.Len(t, prog.Uniforms, 2)
	byLabel := map[string]shader.Uniform{}
	for _, u := range prog.Uniforms {
		byLabel[u.Label] = u
		assert.Contains(t, prog.Fragment, "uniform "+u.Type+" "+u.Name+";")
		assert.GreaterOrEqual(t, strings.Count(prog.Fragment, u.Name), 2, "it is read")
	}
	assert.Equal(t, shader.Uniform{Name: "dial_whereLightBegins", Label: "Where light begins", Type: "float", Value: []float64{0.3}, Min: 0.1, Max: 0.9}, byLabel["Where light begins"])
	assert.Equal(t, "swatch_soot", byLabel["Soot"].Name)
}

// What does not travel is worked out at the vertices, and told.
func TestWhatStaysIsAnAttribute(t *testing.T) {
	p, job := ball(t, network.Node{ID: "open", Kind: "occlusion"}, network.Node{ID: "lines", Kind: "edge-lines"},
		network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("open.tone"), "lines": wire("lines.lines")}})
	prog, err := shader.Of(p, job, p.Looks[0].ID)
	require.NoError(t, err)
	require.Len(t, prog.Baked, 1)
	assert.Contains(t, prog.Vertex, "in vec3 baked0;")
	assert.Contains(t, prog.Fragment, "vBaked0.x")
	said := strings.Join(prog.Remarks, "\n")
	assert.Contains(t, said, "Occlusion stays as it is now")
	assert.Contains(t, said, "lines are drawn on pictures")
	pg, err := shader.NewPage(context.Background(), p, meshfile.Files(nil), shader.Order{}, 2)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pg.Write(&buf))
	assert.Contains(t, buf.String(), `"baked":["`)
	v, err := shader.Mean(context.Background(), job, p.Looks[0].ID, network.Ref{Node: "open", Port: "tone"}, 2)
	require.NoError(t, err)
	assert.InDelta(t, 1, v[0], 0.01, "a ball alone is open")
}

// A page holds nothing that a name could end: markup in names stays text.
func TestNamesDoNotGetOutOfThePage(t *testing.T) {
	p, _ := ball(t, network.Node{ID: "red", Kind: "colour"}, network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("red.colour")}})
	p.Name, p.Looks[0].Name = `</script><img src=x onerror=alert(1)>`, `</script><script>alert(2)</script>`
	pg, err := shader.NewPage(context.Background(), p, meshfile.Files(nil), shader.Order{}, 2)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pg.Write(&buf))
	text := buf.String()
	assert.Equal(t, 2, strings.Count(text, "</script>"))
	assert.NotContains(t, text, "<img src=x")
	assert.Contains(t, text, "default-src 'none'")
}

func TestShadersAsFiles(t *testing.T) {
	p, job := ball(t, network.Node{ID: "red", Kind: "colour"}, network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("red.colour")}})
	prog, err := shader.Of(p, job, p.Looks[0].ID)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, prog.WriteZIP(&buf, meshfile.Files(nil)))
	z, err := zip.NewReader(bytes.NewReader(buf.Bytes()), int64(buf.Len()))
	require.NoError(t, err)
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name[strings.LastIndexByte(f.Name, '.'):])
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		if strings.HasSuffix(f.Name, ".frag") || strings.HasSuffix(f.Name, ".vert") {
			assert.True(t, bytes.HasPrefix(data, []byte("#version 300 es\n")))
		}
	}
	assert.ElementsMatch(t, []string{".vert", ".frag", ".json"}, names)
}

func TestWhatIsRefused(t *testing.T) {
	p, job := ball(t, network.Node{ID: "end", Kind: network.FinishKind})
	for says, o := range map[string]shader.Order{"thousandths": {Outline: -1}, "look is not": {Look: "none"}, "model is not": {Models: []string{"none"}}} {
		assert.ErrorContains(t, o.Check(p), says)
	}
	_, err := shader.Of(p, job, "none")
	assert.ErrorContains(t, err, "no look")
	q := project.New("empty")
	assert.ErrorContains(t, (&shader.Order{}).Check(q), "no model wears a look")
}

func ExampleLampCode() {
	fmt.Println(shader.LampCode("sun"), shader.LampCode("sky"))
	// Output: 0 4
}
