package main

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/vec"
)

// run runs the command line and returns what it printed.
func run(t *testing.T, args ...string) (string, error) {
	t.Helper()
	c := root()
	var out bytes.Buffer
	c.SetOut(&out)
	c.SetErr(&out)
	c.SetArgs(args)
	err := c.ExecuteContext(t.Context())
	return out.String(), err
}

func file(t *testing.T, name, body string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(body), 0o600))
	return path
}

const tent = "o tent\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0.5 0.5 1\nf 1 2 3 4\nf 1 2 5\nf 2 3 5\n"

func TestInspect(t *testing.T) {
	out, err := run(t, "inspect", file(t, "tent.obj", tent))
	require.NoError(t, err)
	note, out, _ := strings.Cut(out, "\n")
	assert.Equal(t, "mobanta: note: its faces have 1 turned face: render --mend mends that", note, "its floor looks into it; on standard error")
	assert.JSONEq(t, `{"format":"obj","bounds":{"min":[0,0,0],"max":[1,1,1]},"parts":[{"name":"tent","vertices":5,"faces":3,"triangles":4,"uv":false,"normals":false}]}`, out)
	_, err = run(t, "inspect", file(t, "tent.obj", "v 0 0 0\nf 1 1 7\n"))
	assert.ErrorContains(t, err, "line 2")
	_, err = run(t, "inspect", "/nowhere.obj")
	assert.Error(t, err)
}

func TestRender(t *testing.T) {
	model := file(t, "tent.obj", tent)
	out := filepath.Join(t.TempDir(), "tent.png")
	_, err := run(t, "render", "--model", model, "--size", "64x48", "--samples", "2", "--sun", "10,20", "--camera", "-30,10", "--out", out)
	require.NoError(t, err)
	f, err := os.Open(out)
	require.NoError(t, err)
	defer f.Close()
	img, err := png.Decode(f)
	require.NoError(t, err)
	assert.Equal(t, 64, img.Bounds().Dx())
	pfm := filepath.Join(t.TempDir(), "tent.pfm")
	_, err = run(t, "render", "--model", model, "--size", "16x8", "--peek", "Diffuse light.tone", "--out", pfm)
	require.NoError(t, err)
	data, err := os.ReadFile(pfm)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(data), "PF\n16 8\n-1.0\n"))
	assert.Len(t, data, len("PF\n16 8\n-1.0\n")+16*8*12)

	for _, tc := range []struct {
		args []string
		want string
	}{
		{[]string{"--out", "x.png"}, "at least one of the flags"},
		{[]string{"--model", model}, `required flag(s) "out"`},
		{[]string{"--model", model, "--out", "x.gif"}, "must end in .png or .pfm"},
		{[]string{"--model", model, "--out", "x.png", "--size", "0x9"}, "--size"},
		{[]string{"--model", model, "--out", "x.png", "--samples", "0"}, "--samples"},
		{[]string{"--model", model, "--out", "x.png", "--bits", "12"}, "--bits"},
		{[]string{"--model", model, "--out", "x.png", "--sun", "up"}, "--sun"},
		{[]string{"--model", model, "--out", "x.png", "--sun", "0,200"}, "elevation"},
		{[]string{"--model", model, "--out", "x.png", "--look", "Velvet"}, "no file and no look named"},
		{[]string{"--model", model, "--out", "x.png", "--peek", "Velvet"}, "no look that is worn has a node"},
		{[]string{"--bundle", model, "--out", "x.png"}, "not a bundle"},
	} {
		_, err := run(t, append([]string{"render"}, tc.args...)...)
		assert.ErrorContains(t, err, tc.want, "%v", tc.args)
	}
}

func TestTheSampleProjectGoesOutAndIn(t *testing.T) {
	data, dir := t.TempDir(), t.TempDir()
	_, err := run(t, "demo", "--make-only", "--data", data)
	require.NoError(t, err)
	_, err = run(t, "demo", "--make-only", "--data", data)
	require.NoError(t, err, "it is made once")
	bundle, again := filepath.Join(dir, "s.zip"), filepath.Join(dir, "t.zip")
	_, err = run(t, "bundle", "export", "saltlight", "--out", bundle, "--data", data)
	require.NoError(t, err)
	other := t.TempDir()
	out, err := run(t, "bundle", "import", bundle, "--data", other)
	require.NoError(t, err)
	id := strings.TrimSpace(out[strings.LastIndex(strings.TrimSpace(out), " ")+1:])
	_, err = run(t, "bundle", "export", id, "--out", again, "--data", other)
	require.NoError(t, err, out)
	a, err := os.ReadFile(bundle)
	require.NoError(t, err)
	b, err := os.ReadFile(again)
	require.NoError(t, err)
	assert.Equal(t, len(a), len(b))
	picture := filepath.Join(dir, "s.png")
	_, err = run(t, "render", "--bundle", bundle, "--look", "Stove iron", "--size", "96x60", "--samples", "1", "--out", picture)
	require.NoError(t, err)
}

func TestHelpIsComplete(t *testing.T) {
	out, err := run(t, "--help")
	require.NoError(t, err)
	for _, c := range root().Commands() {
		assert.Contains(t, out, c.Name())
		assert.NotEmpty(t, c.Short)
	}
}

// sample writes a bundle of one of the sample projects, which are made once.
func sample(t *testing.T, id string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), id+".zip")
	_, err := run(t, "bundle", "export", id, "--data", samples(t), "--out", path)
	require.NoError(t, err)
	return path
}

var (
	sampled    sync.Once
	samplesDir string
)

// samples returns a data folder with the sample projects, for all tests that only read it.
func samples(t *testing.T) string {
	t.Helper()
	sampled.Do(func() {
		var err error
		samplesDir, err = os.MkdirTemp("", "mobanta-samples-*")
		require.NoError(t, err)
		_, err = run(t, "demo", "--data", samplesDir, "--make-only")
		require.NoError(t, err)
	})
	return samplesDir
}

func TestMain(m *testing.M) {
	code := m.Run()
	if samplesDir != "" {
		os.RemoveAll(samplesDir)
	}
	os.Exit(code)
}

func TestTheMomentToShow(t *testing.T) {
	look := file(t, "l.json", `{"mobanta":"look","version":1,"nodes":[{"id":"time","kind":"Time"},{"id":"end","kind":"Finish","in":{"colour":"time.phase"}}]}`)
	grey := func(seconds string) uint32 {
		out := filepath.Join(t.TempDir(), "t.png")
		_, err := run(t, "render", "--model", file(t, "tent.obj", tent), "--look", look, "--size", "32x24", "--samples", "1", "--time", seconds, "--out", out)
		require.NoError(t, err)
		f, err := os.Open(out)
		require.NoError(t, err)
		defer f.Close()
		img, err := png.Decode(f)
		require.NoError(t, err)
		r, _, _, _ := img.At(16, 14).RGBA()
		return r
	}
	assert.Zero(t, grey("0"))
	assert.Greater(t, grey("3"), grey("1"))
	_, err := run(t, "render", "--model", file(t, "tent.obj", tent), "--time", "1e9", "--out", "x.png")
	assert.ErrorContains(t, err, "time")
}

func TestCheck(t *testing.T) {
	buoy := sample(t, "bell-buoy")
	out, err := run(t, "check", "--bundle", buoy)
	require.NoError(t, err)
	assert.Contains(t, out, "Boat torch is wide")
	assert.Contains(t, out, "mend: Make it narrow")
	out, err = run(t, "check", "--bundle", buoy, "--json")
	require.NoError(t, err)
	assert.Contains(t, out, `"key": "wide/torch"`)
	_, err = run(t, "check", "--bundle", buoy, "--strict")
	assert.ErrorContains(t, err, "remarks: 1")
	out, err = run(t, "check", "--bundle", sample(t, "keepers-lamp"), "--strict")
	require.NoError(t, err)
	assert.Contains(t, out, "Nothing looks like a mistake.")
	_, err = run(t, "check")
	assert.ErrorContains(t, err, "bundle")
	_, err = run(t, "check", "--bundle", file(t, "b.zip", "no bundle"))
	assert.ErrorContains(t, err, "not a bundle")
}

func TestALookFileWithAPicture(t *testing.T) {
	var buf bytes.Buffer
	img := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	copy(img.Pix, []byte{255, 0, 0, 255})
	require.NoError(t, png.Encode(&buf, img))
	hash := exchange.Hash(buf.Bytes())
	look := fmt.Sprintf(`{"mobanta":"look","version":1,"pictures":{%q:%q},"nodes":[{"id":"cap","kind":"Matcap","set":{"by":"picture","picture":%q}},{"id":"end","kind":"Finish","in":{"colour":"cap.colour"}}]}`,
		hash, base64.StdEncoding.EncodeToString(buf.Bytes()), hash)
	out := filepath.Join(t.TempDir(), "tent.png")
	_, err := run(t, "render", "--model", file(t, "tent.obj", tent), "--look", file(t, "l.json", look), "--size", "32x24", "--samples", "1", "--out", out)
	require.NoError(t, err)
	f, err := os.Open(out)
	require.NoError(t, err)
	defer f.Close()
	got, err := png.Decode(f)
	require.NoError(t, err)
	r, g, _, _ := got.At(16, 14).RGBA()
	assert.Equal(t, []uint32{0xffff, 0}, []uint32{r, g}, "the picture came along")
	_, err = run(t, "render", "--model", file(t, "tent.obj", tent), "--look", file(t, "l.json", strings.Replace(look, hash, strings.Repeat("0", 64), 1)), "--out", out)
	assert.ErrorContains(t, err, "damaged")
}

func TestTheSameBundleGivesTheSameBytes(t *testing.T) {
	buoy := sample(t, "bell-buoy")
	var first []byte
	for _, procs := range []int{1, 2, 2} {
		was := runtime.GOMAXPROCS(procs)
		out := filepath.Join(t.TempDir(), "b.png")
		_, err := run(t, "render", "--bundle", buoy, "--size", "192x120", "--samples", "4", "--out", out)
		runtime.GOMAXPROCS(was)
		require.NoError(t, err)
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		if first == nil {
			first = data
		}
		assert.True(t, bytes.Equal(first, data), "GOMAXPROCS %d", procs)
	}
}

// A bundle with stagings and frames, delivered in every way that needs no screen.
func TestDeliveringFromTheCommandLine(t *testing.T) {
	dir := t.TempDir()
	flare := sample(t, "signal-flare")
	at := func(name string) string { return filepath.Join(dir, name) }
	p, files, err := load(t.Context(), &renderFlags{bundle: flare})
	require.NoError(t, err)
	require.NotNil(t, files)
	require.NotEmpty(t, p.Stagings, "the samples have stagings")
	size := []string{"--size", "50x60", "--samples", "1"}
	for name, c := range map[string]struct {
		args []string
		head string
	}{
		"a.png":  {[]string{"--staging", p.Stagings[0].Name, "--dpi", "300"}, "\x89PNG"},
		"b.png":  {[]string{"--frames", "0-1"}, "\x89PNG"},
		"c.zip":  {[]string{"--frames", "2-3"}, "PK"},
		"d.gif":  {[]string{"--frames", "0-1"}, "GIF89a"},
		"e.webp": {[]string{"--frames", "0-1"}, "RIFF"},
		"f.ora":  {nil, "PK"},
		"g.zip":  {[]string{"--format", "passes"}, "PK"},
	} {
		out, err := run(t, append(append([]string{"render", "--bundle", flare, "--out", at(name), "--json"}, size...), c.args...)...)
		require.NoError(t, err, name)
		data, err := os.ReadFile(at(name))
		require.NoError(t, err)
		assert.True(t, bytes.HasPrefix(data, []byte(c.head)), name)
		assert.Contains(t, out, fmt.Sprintf(`"bytes":%d`, len(data)))
		if strings.Contains(strings.Join(c.args, " "), "--frames") {
			assert.Contains(t, out, "2 of 2 drawn")
			assert.Contains(t, out, `"frames":2`)
		}
	}
	for want, args := range map[string][]string{
		"there is no staging":        {"--staging", "No such", "--out", at("x.png")},
		"must end in .png, .zip":     {"--frames", "all", "--out", at("x.pfm")},
		"such as 0-47":               {"--frames", "early", "--out", at("x.gif")},
		"there are none from 5 to 2": {"--frames", "5-2", "--out", at("x.gif")},
		"--format must be one of":    {"--format", "bmp", "--out", at("x.bmp")},
		"goes with a moving picture": {"--format", "gif", "--out", at("x.gif")},
		"none of the others can be":  {"--frames", "all", "--time", "1", "--out", at("x.gif")},
	} {
		_, err := run(t, append([]string{"render", "--bundle", flare, "--size", "20x20"}, args...)...)
		require.ErrorContains(t, err, want)
		if want != "none of the others can be" {
			assert.Equal(t, 2, exitCode(t.Context(), err), want)
		}
	}
	left, err := filepath.Glob(at("*"))
	require.NoError(t, err)
	assert.Len(t, left, 7, "nothing half done is left")

	kettle := sample(t, "saltlight")
	out, err := run(t, "sheet", "--bundle", kettle, "--list")
	require.NoError(t, err)
	assert.Contains(t, out, "Key sun")
	_, err = run(t, "sheet", "--bundle", kettle, "--vary", "key sun=-60,60", "--size", "48x30", "--samples", "1", "--out", at("sheet.png"))
	require.NoError(t, err)
	_, err = run(t, "sheet", "--bundle", kettle, "--vary", "moon=1", "--out", at("y.png"))
	assert.ErrorContains(t, err, `no "moon" to vary`)
	_, err = run(t, "sheet", "--bundle", kettle, "--vary", "Key sun=soon", "--out", at("y.png"))
	assert.ErrorContains(t, err, "is not a number")
	assert.Equal(t, 2, exitCode(t.Context(), err))

	out, err = run(t, "version")
	require.NoError(t, err)
	assert.Contains(t, out, "Mobanta")
	_, err = run(t, "worker", "--jobs", "nats://127.0.0.1:1")
	assert.ErrorContains(t, err, "no NATS server answers")
	_, err = run(t, "worker")
	assert.ErrorContains(t, err, "jobs")
}

// However far from the origin a model is told, and however large, its picture is the same, and has the same strokes.
func TestWhereAndHowLargeAModelIsTold(t *testing.T) {
	t.Chdir(t.TempDir())
	ring := mesh.Torus(1, 0.4, 48, 24)
	ring.Join(mesh.Cuboid(vec.V{1, 1.2, 1}), vec.Identity())
	var first image.Image
	strokes := 0
	for k, c := range []struct{ away, size float64 }{{0, 1}, {6_000, 1}, {50_000, 1}, {1e7, 1}, {0, 1e-6}, {0, 1e7}} {
		var obj strings.Builder
		for _, p := range ring.Positions {
			fmt.Fprintf(&obj, "v %.17g %.17g %.17g\n", float64(p[0])*c.size+c.away, float64(p[1])*c.size-c.away, float64(p[2])*c.size+c.away/2)
		}
		for i := range ring.FaceEnd {
			obj.WriteString("f")
			for _, c := range ring.Face(i) {
				fmt.Fprintf(&obj, " %d", c.Pos+1)
			}
			obj.WriteString("\n")
		}
		model := file(t, "ring.obj", obj.String())
		for _, out := range []string{"ring.png", "ring.svg"} {
			_, err := run(t, "render", "--model", model, "--size", "240x180", "--samples", "4", "--out", out)
			require.NoError(t, err)
		}
		pic, err := png.Decode(bytes.NewReader(read(t, "ring.png")))
		require.NoError(t, err)
		n := strings.Count(string(read(t, "ring.svg")), "<path")
		if k == 0 {
			first, strokes = pic, n
			require.Positive(t, n)
			continue
		}
		assert.Equal(t, strokes, n, "%+v", c)
		differ := 0
		for y := range 180 {
			for x := range 240 {
				if first.At(x, y) != pic.At(x, y) {
					differ++
				}
			}
		}
		assert.Less(t, differ, 100, "%+v: of 43,200", c)
	}
}

func TestAModelIsRenderedMended(t *testing.T) {
	t.Chdir(t.TempDir())
	m := mesh.Cuboid(vec.V{1, 1, 1})
	var whole, turned bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&whole, m))
	for i := range m.FaceEnd {
		slices.Reverse(m.Face(i))
	}
	require.NoError(t, meshfile.WriteOBJ(&turned, m))
	for _, c := range []struct {
		out, model string
		args       []string
	}{{"whole.png", file(t, "whole.obj", whole.String()), nil}, {"turned.png", file(t, "turned.obj", turned.String()), nil}, {"mended.png", file(t, "again.obj", turned.String()), []string{"--mend"}}} {
		_, err := run(t, append([]string{"render", "--model", c.model, "--size", "64x48", "--samples", "1", "--out", c.out}, c.args...)...)
		require.NoError(t, err)
	}
	assert.True(t, bytes.Equal(read(t, "whole.png"), read(t, "mended.png")))
	_, err := run(t, "render", "--bundle", "x.zip", "--mend", "--out", "x.png")
	assert.ErrorContains(t, err, "--mend goes with --model")
}

func TestAModelIsRenderedSmooth(t *testing.T) {
	t.Chdir(t.TempDir())
	var ball bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&ball, mesh.Sphere(1, 10, 6)))
	model := file(t, "ball.obj", ball.String())
	for out, args := range map[string][]string{"plain.png": nil, "smooth.png": {"--smooth"}} {
		_, err := run(t, append([]string{"render", "--model", model, "--size", "64x48", "--samples", "1", "--out", out}, args...)...)
		require.NoError(t, err)
	}
	assert.False(t, bytes.Equal(read(t, "plain.png"), read(t, "smooth.png")))
	_, err := run(t, "render", "--model", model, "--smooth", "--subdivide", "1", "--out", "x.png")
	assert.ErrorContains(t, err, "in place of --subdivide")
}
