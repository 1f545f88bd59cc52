// Package e2e uses the real interface in a real browser.
package e2e

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/e2e/drive"
	_ "mobanta/web" // so that a change there runs these tests anew
)

var (
	binary  string
	browser *rod.Browser
	samples string // a data folder with the samples, which tests copy: making it takes seconds
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "mobanta-e2e-*")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		if binary, err = drive.Build(dir); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		b, stop, err := drive.Browser(filepath.Join(dir, "profile"), 1280, 800)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer stop()
		browser = b
		samples = filepath.Join(dir, "samples")
		s, err := drive.Serve(binary, "demo", samples, "")
		if err == nil {
			err = s.Stop()
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		return m.Run()
	}())
}

// desk is a page of the studio under test, in a window of its own.
type desk struct {
	t *testing.T
	*rod.Page
	server *drive.Server
	window *rod.Browser
}

var besides sync.Map // tests that run beside others

// start serves a data folder of its own, with the samples if the command is demo, and opens a page of it. Tests that start so run
// beside each other.
func start(t *testing.T, command, path string) *desk {
	t.Helper()
	if _, again := besides.LoadOrStore(t.Name(), true); !again {
		t.Parallel()
	}
	data := t.TempDir()
	if command == "demo" {
		require.NoError(t, os.CopyFS(data, os.DirFS(samples)))
	}
	s, err := drive.Serve(binary, command, data, "")
	require.NoError(t, err)
	d := &desk{t: t, server: s}
	t.Cleanup(func() { d.server.Stop() })
	d.window, err = browser.Incognito()
	require.NoError(t, err)
	d.Page, err = drive.Open(d.window, s.Address+path, 1280, 800)
	require.NoError(t, err)
	t.Cleanup(func() { d.window.Close() })
	return d
}

func (d *desk) el(selector string) *rod.Element {
	d.t.Helper()
	e, err := d.Timeout(patience).Element(selector)
	require.NoError(d.t, err, selector)
	return e
}

func (d *desk) click(selector string) {
	d.t.Helper()
	require.NoError(d.t, d.el(selector).Click(proto.InputMouseButtonLeft, 1), selector)
}

func (d *desk) eval(js string, args ...any) string {
	d.t.Helper()
	r, err := d.Eval(js, args...)
	require.NoError(d.t, err, js)
	return r.Value.String()
}

// until waits for a condition in the page. What fails in it, as on a page that is not there yet, does not hold yet.
func (d *desk) until(what, js string, args ...any) {
	d.t.Helper()
	end := time.Now().Add(patience)
	for {
		r, err := d.Evaluate(rod.Eval("async (...a) => Boolean(await ("+js+")(...a))", args...).ByPromise())
		if err == nil && r.Value.Bool() {
			return
		}
		if time.Now().After(end) {
			state, _ := d.Eval(`() => document.getElementById("said")?.textContent + " | " + JSON.stringify(window.mobanta?.state) + " | " + JSON.stringify(window.mobanta?.picture.shown) + document.getElementById("network")?.textContent.replace(/\s+/g, " ").slice(0, 400)`)
			require.FailNow(d.t, what+" does not come about", "%v: %v", err, state)
		}
		time.Sleep(10 * time.Millisecond)
	}
}

// version is the stored version that the page has been told.
func (d *desk) version() int {
	d.t.Helper()
	r, err := d.Eval(`() => mobanta.state.version`)
	require.NoError(d.t, err)
	return r.Value.Int()
}

// stored waits until the page has been told of a version after v, and its
// picture has settled.
func (d *desk) stored(v int) {
	d.t.Helper()
	d.until(fmt.Sprintf("something stored after version %d", v), `v => mobanta.state.version > v`, v)
	d.settled()
}

// settled waits for a settled picture of what was asked for last.
func (d *desk) settled() {
	d.t.Helper()
	d.until("a settled picture", `() => {
		const s = mobanta.picture.shown;
		return s?.done && s.part === 100 && s.version >= mobanta.state.version && s.seq >= mobanta.live.seq;
	}`)
}

// pixels counts the pixels of the canvas that have exactly this colour.
func (d *desk) pixels(hex string) int {
	d.t.Helper()
	r, err := d.Eval(`hex => {
		const c = document.getElementById("picture"), n = parseInt(hex.slice(1), 16);
		const p = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
		let count = 0;
		for (let i = 0; i < p.length; i += 4) if ((p[i] << 16 | p[i + 1] << 8 | p[i + 2]) === n && p[i + 3] === 255) count++;
		return count;
	}`, hex)
	require.NoError(d.t, err)
	return r.Value.Int()
}

func (d *desk) drag(x0, y0, x1, y1 float64) {
	d.t.Helper()
	m := d.Mouse
	require.NoError(d.t, m.MoveTo(proto.NewPoint(x0, y0)))
	require.NoError(d.t, m.Down(proto.InputMouseButtonLeft, 1))
	for i := 1; i <= 8; i++ {
		f := float64(i) / 8
		require.NoError(d.t, m.MoveTo(proto.NewPoint(x0+(x1-x0)*f, y0+(y1-y0)*f)))
		time.Sleep(20 * time.Millisecond)
	}
	require.NoError(d.t, m.Up(proto.InputMouseButtonLeft, 1))
}

func (d *desk) middle(selector string) (x, y float64) {
	d.t.Helper()
	for range 200 {
		s, err := d.el(selector).Shape()
		require.NoError(d.t, err)
		if b := s.Box(); b != nil {
			return b.X + b.Width/2, b.Y + b.Height/2
		}
		time.Sleep(10 * time.Millisecond) // what has just come is not laid out before the next frame
	}
	d.t.Fatalf("%s is not seen", selector)
	return 0, 0
}

func (d *desk) press(keys ...input.Key) {
	d.t.Helper()
	for _, k := range keys {
		require.NoError(d.t, d.Keyboard.Type(k))
	}
}

func (d *desk) typeText(s string) {
	d.t.Helper()
	require.NoError(d.t, d.InsertText(s))
}

// chord presses a key while Control (and Shift) are held.
func (d *desk) chord(shift bool, k input.Key) {
	d.t.Helper()
	a := d.KeyActions().Press(input.ControlLeft)
	if shift {
		a = a.Press(input.ShiftLeft)
	}
	require.NoError(d.t, a.Type(k).Do())
}

// ballGLB writes a sphere as GLB and returns its path.
func ballGLB(t *testing.T) string {
	t.Helper()
	s, err := mesh.NewSurface(mesh.Sphere(1, 96, 48), 180)
	require.NoError(t, err)
	doc := gltf.NewDocument()
	var pos, normal [][3]float32
	var index []uint32
	for i := range s.Pos {
		pos, normal = append(pos, s.Pos[i]), append(normal, s.Normal[i])
	}
	for _, tri := range s.Tri {
		index = append(index, uint32(tri[0]), uint32(tri[1]), uint32(tri[2]))
	}
	doc.Meshes = []*gltf.Mesh{{Name: "buoy float", Primitives: []*gltf.Primitive{{
		Indices:    gltf.Index(modeler.WriteIndices(doc, index)),
		Attributes: gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(doc, pos), gltf.NORMAL: modeler.WriteNormal(doc, normal)},
	}}}}
	doc.Nodes = []*gltf.Node{{Name: "buoy float", Mesh: gltf.Index(0)}}
	doc.Scenes[0].Nodes = []int{0}
	var buf bytes.Buffer
	require.NoError(t, gltf.NewEncoder(&buf).Encode(doc))
	path := filepath.Join(t.TempDir(), "float.glb")
	require.NoError(t, os.WriteFile(path, buf.Bytes(), 0o600))
	return path
}

// begun is the desk of a new project, made on the shelf of an empty studio.
func begun(t *testing.T, name string) *desk {
	t.Helper()
	d := start(t, "serve", "/")
	d.click(`input[name=name]`)
	d.typeText(name)
	d.click(`main form button.strong`)
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	return d
}

func TestTheJobByMouse(t *testing.T) {
	d := begun(t, "Night harbour")

	v := d.version()
	require.NoError(t, d.el(`#hint input[data-model]`).SetFiles([]string{ballGLB(t)}))
	d.stored(v)
	base := d.pixels("#9AA5B1")
	assert.Greater(t, base, 1000, "the model wears a look, and its base band shows its very colour")
	assert.Equal(t, "0", d.eval(`() => String(document.querySelectorAll("#hint .hint").length)`))

	v = d.version()
	x, y := d.middle("#ball")
	d.drag(x, y, x+20, y-10)
	d.stored(v)
	assert.NotEqual(t, base, d.pixels("#9AA5B1"), "the bands travelled with the light")
	assert.Contains(t, d.eval(`() => document.getElementById("undo").textContent`), "moved Key sun")

	v = d.version()
	d.click(`#ramp [data-edit*="ramp.add"]`)
	d.stored(v)
	d.until("five edges", `() => document.querySelectorAll("[data-edge]").length === 5`)

	v = d.version()
	d.click(`[data-edge="2"]`)
	hex := d.el(`[data-stop="2"] input.hex`)
	require.NoError(t, hex.SelectAllText())
	d.typeText("#C0FFEE")
	d.press(input.Enter)
	d.stored(v)
	painted := d.pixels("#C0FFEE")
	assert.Greater(t, painted, 500, "the typed colour is on the canvas, byte for byte")

	v = d.version()
	d.click("#undo")
	d.stored(v)
	assert.Zero(t, d.pixels("#C0FFEE"))
	v = d.version()
	d.click("#redo")
	d.stored(v)
	assert.Equal(t, painted, d.pixels("#C0FFEE"))

	d.server.Kill()
	d.until("the page says that the studio is gone", `() => !document.getElementById("lost").hidden`)
	again, err := d.server.Again()
	require.NoError(t, err)
	d.server = again
	d.until("the page is back by itself", `() => document.getElementById("lost").hidden && Boolean(mobanta.live.ws)`)
	require.NoError(t, d.Reload())
	require.NoError(t, d.WaitLoad())
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	assert.Equal(t, painted, d.pixels("#C0FFEE"), "the same picture after a restart")
	v = d.version()
	d.click("#undo")
	d.stored(v)
	assert.Zero(t, d.pixels("#C0FFEE"), "undo survives the restart")
}

func TestTheJobByKeyboardAlone(t *testing.T) {
	d := start(t, "serve", "/")
	focus := func(match string) {
		t.Helper()
		trail := ""
		for range 80 {
			d.press(input.Tab)
			trail += d.eval(`() => (document.activeElement?.outerHTML ?? "").slice(0, 60)`) + "\n"
			if d.eval(`s => String(document.activeElement?.matches(s))`, match) == "true" {
				return
			}
		}
		t.Fatalf("Tab never reaches %s:\n%s", match, trail)
	}
	focus(`input[name=name]`)
	d.typeText("By hand")
	d.press(input.Enter)
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()

	v := d.version()
	focus(`#hint button[data-edit*=sphere]`)
	d.press(input.Enter)
	d.stored(v)
	base := d.pixels("#9AA5B1")
	assert.Greater(t, base, 1000)

	v = d.version()
	d.press(input.KeyV, input.KeyL, input.ArrowRight, input.ArrowRight, input.ArrowRight, input.ArrowUp)
	d.stored(v)
	assert.NotEqual(t, base, d.pixels("#9AA5B1"), "arrows move the light")

	// A node between light and bands: search, add, wire by list, remove and heal.
	v = d.version()
	d.press(input.Slash)
	d.typeText("threshold")
	d.until("the search finds it", `() => document.querySelector(".result")?.textContent.includes("Soft step")`)
	d.press(input.Enter)
	d.stored(v)
	d.until("its settings are on the bench", `() => document.querySelector(".bench-title").value === "Soft step"`)
	v = d.version()
	focus(`#bench [data-pick$=".tone"]`)
	d.press(input.Enter)
	d.until("the list of sources", `() => document.querySelectorAll("#picks .pick").length > 2`)
	d.typeText("Diffuse")
	d.until("two sources are left", `() => document.querySelectorAll("#picks .pick img").length === 2`)
	d.press(input.Enter)
	d.stored(v)
	d.until("it is wired", `() => document.querySelectorAll('.wire[data-wire-to$=".tone"]').length === 2`)
	v = d.version()
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.KeyN)
	d.until("its card has the focus", `() => document.activeElement.matches("[data-card]")`)
	d.press(input.Delete)
	d.stored(v)

	v = d.version()
	d.press(input.KeyN)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	focus(`[data-edge="1"]`)
	d.press(input.Insert)
	d.stored(v)
	d.until("five edges", `() => document.querySelectorAll("[data-edge]").length === 5`)
	v = d.version()
	focus(`[data-edge="2"]`)
	d.press(input.ArrowRight, input.ArrowRight)
	d.stored(v)
	v = d.version()
	focus(`[data-stop]:not([hidden]) input.hex`)
	d.chord(false, input.KeyA)
	d.typeText("#C0FFEE")
	d.press(input.Enter)
	d.stored(v)
	painted := d.pixels("#C0FFEE")
	assert.Greater(t, painted, 500)

	v = d.version()
	d.chord(false, input.KeyZ)
	d.stored(v)
	assert.Zero(t, d.pixels("#C0FFEE"))
	v = d.version()
	d.chord(true, input.KeyZ)
	d.stored(v)
	assert.Equal(t, painted, d.pixels("#C0FFEE"))
}

// What the browser was told is stored survives a crash in the middle of edits.
func TestACrashLosesNothingThatWasToldStored(t *testing.T) {
	d := start(t, "serve", "/")
	d.click(`main form button.strong`)
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	d.eval(`() => { window.told = []; (async () => {
		for (let i = 1; i <= 500; i++) {
			const r = await fetch(location.pathname + "/edit", { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" },
				body: JSON.stringify({ edits: [{ op: "project.rename", name: "tide " + i }] }) }).catch(() => null);
			if (!r?.ok) break;
			told.push(i);
		}
	})(); return "" }`)
	d.until("a few edits", `() => told.length >= 20`)
	d.server.Kill()
	d.until("the page says that the studio is gone", `() => !document.getElementById("lost").hidden`)
	told := d.eval(`() => "tide " + told.at(-1)`)
	again, err := d.server.Again()
	require.NoError(t, err)
	d.server = again
	d.until("the page goes on by itself", `() => document.getElementById("lost").hidden && Boolean(mobanta.live.ws)`)
	d.until("with what was stored", `name => Number(document.querySelector(".bar-name").value.slice(5)) >= Number(name.slice(5))`, told)
	v := d.version()
	d.click("#undo")
	d.until("an undo after the crash", `v => mobanta.state.version > v`, v)
}

// A project is opened with the picture that was kept of it, until one is drawn.
func TestAProjectOpensWithItsKeptPicture(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?size=800x500")
	d.settled()
	d.until("it is kept, as large as it was drawn", `async () => { const i = new Image(); i.src = "/p/saltlight/picture.png?" + Math.random(); await i.decode().catch(() => 0); return i.naturalWidth === 800 && i.naturalHeight === 500 }`)
	assert.Empty(t, d.eval(`() => document.getElementById("picture").style.backgroundImage`), "what is drawn stands alone")
	p, err := d.window.Page(proto.TargetCreateTarget{})
	require.NoError(t, err)
	_, err = p.EvalOnNewDocument(`window.WebSocket = class { send() {} close() {} }`) // nothing will be drawn
	require.NoError(t, err)
	require.NoError(t, p.Navigate(d.server.Address+"/p/saltlight?size=800x500"))
	require.NoError(t, p.WaitLoad())
	res, err := p.Eval(`() => [document.getElementById("picture").style.backgroundImage, document.getElementById("rim-state").textContent].join(" ")`)
	require.NoError(t, err)
	assert.Regexp(t, `url\("/p/saltlight/picture.png\?v=\d+"\) kept from before`, res.Value.Str())
}
