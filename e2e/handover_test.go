package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/bake"
	"mobanta/core/materialx"
	"mobanta/core/meshfile"
	"mobanta/core/painted"
	"mobanta/demo"
)

// validated holds a GLB against the validator of glTF's makers: no error and no warning.
func validated(t *testing.T, data []byte) {
	t.Helper()
	name := filepath.Join(t.TempDir(), "model.glb")
	require.NoError(t, os.WriteFile(name, data, 0o600))
	modules, err := filepath.Abs("../web/node_modules")
	require.NoError(t, err)
	if _, err := os.Stat(filepath.Join(modules, "gltf-validator")); err != nil {
		t.Fatal("gltf-validator is missing: run make test, which brings it, or make node_modules")
	}
	out, err := exec.Command("node", "-e", `const v = require(process.argv[1] + "/gltf-validator");
v.validateBytes(new Uint8Array(require("fs").readFileSync(process.argv[2]))).then((r) => console.log(JSON.stringify({ errors: r.issues.numErrors, warnings: r.issues.numWarnings, first: r.issues.messages.filter((m) => m.severity < 2).slice(0, 5) })));`, modules, name).Output()
	require.NoError(t, err)
	var said struct {
		Errors, Warnings int
		First            []json.RawMessage
	}
	require.NoError(t, json.Unmarshal(out, &said))
	assert.Zero(t, said.Errors+said.Warnings, "%s", said.First)
}

// Painted models are right by glTF's own validator: one that moves, those that stand, with outlines and without.
func TestPaintedModelsAreValid(t *testing.T) {
	p, files, err := demo.Keep()
	require.NoError(t, err)
	made := meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })
	for _, outline := range []float64{0, 5} {
		o := painted.Order{Outline: outline, Eye: bake.LeftOut}
		require.NoError(t, o.Check(p, 32, 32))
		pl, err := painted.NewPlan(context.Background(), p, made, o, nil)
		require.NoError(t, err)
		var pics [][]byte
		for k := range pl.Pictures() {
			x, err := pl.Draw(context.Background(), k, 32, 32, 1, 2, nil)
			require.NoError(t, err)
			var buf bytes.Buffer
			require.NoError(t, x.WritePNG(&buf, 8))
			pics = append(pics, buf.Bytes())
		}
		var buf bytes.Buffer
		require.NoError(t, pl.WriteGLB(&buf, pics))
		validated(t, buf.Bytes())
	}
}

// A texture is ordered by the form, and held against the live look by a wipe; the same bytes come from the command line.
func TestATextureIsOrderedAndWiped(t *testing.T) {
	d := start(t, "demo", "/p/saltlight/deliver")
	d.until("the page", `() => document.getElementById("order-says").textContent.startsWith("About")`)
	d.eval(`() => { document.querySelector("[name=kind][value=texture]").click(); return "" }`)
	d.until("sizes of textures", `() => document.querySelector("[name=w]").value === "2048" && document.querySelector("[name=samples]").value === "4" && !document.querySelector("[name=model]").closest("[hidden]")`)
	d.eval(`() => { const f = document.getElementById("order-form").elements; f.w.value = f.h.value = 256; f.eye.value = "camera"; f.eye.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.until("what to mind is told", `() => /as the camera sees it/.test(document.getElementById("order-remarks").textContent)`)
	d.eval(`() => { document.getElementById("order-form").requestSubmit(); return "" }`)
	d.until("it is baked", `() => document.querySelector('.order-job[data-state=done] a[href*="compare?a=baked/"]')`)
	baked, err := base64.StdEncoding.DecodeString(d.eval(`async () => { const b = await (await fetch(document.querySelector(".order-job a[download]").href)).arrayBuffer(); return btoa(Array.from(new Uint8Array(b), (c) => String.fromCharCode(c)).join("")) }`))
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(baked))
	require.NoError(t, err)
	assert.Equal(t, 256, img.Bounds().Dx())

	bundle, err := base64.StdEncoding.DecodeString(d.eval(`async () => { const b = await (await fetch("/p/saltlight/bundle")).arrayBuffer(); return btoa(Array.from(new Uint8Array(b), (c) => String.fromCharCode(c)).join("")) }`))
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "s.zip"), bundle, 0o600))
	require.NoError(t, exec.Command(binary, "bake", "--bundle", filepath.Join(dir, "s.zip"), "--eye", "camera", "--size", "256x256", "--out", filepath.Join(dir, "s.png")).Run())
	same, err := os.ReadFile(filepath.Join(dir, "s.png"))
	require.NoError(t, err)
	assert.Equal(t, same, baked, "the same bytes")

	d.eval(`() => { document.querySelector('.order-job a[href*="compare?a=baked/"]').click(); return "" }`)
	d.until("both sides", `() => /16 positions/.test(document.getElementById("compare-says")?.textContent ?? "")`)
	assert.Equal(t, "true", d.eval(`() => String(document.querySelector("[name=a]").selectedOptions[0].closest("optgroup").label === "Baked")`))
}

// A look goes out as a page that shows it, as shaders and as MaterialX; the last is brought in again by the desk.
func TestALookGoesOutAsCode(t *testing.T) {
	d := start(t, "demo", "/p/saltlight/deliver")
	fetchAs := func(order string) []byte {
		t.Helper()
		s := d.eval(`async (order) => { const b = await (await (`+delivered+`)(JSON.parse(order))).arrayBuffer(); let s = ""; for (const c of new Uint8Array(b)) s += String.fromCharCode(c); return btoa(s) }`, order)
		data, err := base64.StdEncoding.DecodeString(s)
		require.NoError(t, err)
		return data
	}
	html := fetchAs(`{"as":"html","w":100,"h":100,"code":{"outline":4}}`)
	text := string(html)
	assert.NotContains(t, text, "http://")
	assert.NotContains(t, strings.ReplaceAll(text, "https://www.w3.org", ""), "https://")
	name := filepath.Join(t.TempDir(), "kettle.html")
	require.NoError(t, os.WriteFile(name, html, 0o600))
	mtlx := fetchAs(`{"as":"mtlx","w":100,"h":100,"code":{}}`)
	doc, err := materialx.Parse(mtlx)
	require.NoError(t, err)
	require.NoError(t, doc.Check())
	glsl := fetchAs(`{"as":"glsl","w":100,"h":100,"code":{}}`)
	z, err := zip.NewReader(bytes.NewReader(glsl), int64(len(glsl)))
	require.NoError(t, err)
	assert.Len(t, z.File, 3)
	glb := fetchAs(`{"as":"glb","w":64,"h":64,"samples":1,"painted":{"eye":"out","outline":4}}`)
	validated(t, glb)

	// The desk reads the document as a look.
	look := filepath.Join(t.TempDir(), "look.mtlx")
	require.NoError(t, os.WriteFile(look, mtlx, 0o600))
	require.NoError(t, d.Navigate(d.server.Address+"/p/saltlight?size=320x200"))
	d.until("the desk", `() => window.mobanta?.picture`)
	d.settled()
	v := d.version()
	d.el("[data-look-file]").MustSetFiles(look)
	d.stored(v)
	d.until("a look more", `() => [...document.querySelectorAll("*")].some((e) => e.children.length === 0 && e.textContent.trim() === "kettle_copper")`)

	// The page shows it, turns, and follows its dials.
	require.NoError(t, d.Navigate("file://"+name))
	d.until("it is drawn", `() => window.shown && shown.errors.length === 0`)
	seen := `async () => { const p = await shown.pixels(120, 90), set = new Set(); for (let i = 0; i < p.length; i += 4) if (p[i + 3]) set.add(p[i] << 16 | p[i + 1] << 8 | p[i + 2]); let s = 0; for (const b of p) s = (s * 31 + b) | 0; return set.size + " " + s }`
	first := d.eval(seen)
	assert.NotEqual(t, "0", strings.Fields(first)[0])
	d.eval(`() => { document.querySelector("canvas").focus(); return "" }`)
	d.eval(`() => { document.querySelector("canvas").dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowLeft" })); return "" }`)
	assert.NotEqual(t, first, d.eval(seen), "it turns")
	d.eval(`() => { document.querySelector("canvas").dispatchEvent(new KeyboardEvent("keydown", { key: "0" })); return "" }`)
	assert.Equal(t, first, d.eval(seen))
	d.eval(`() => { const i = [...document.querySelectorAll("input[type=range]")].at(-1); i.value = -60; i.dispatchEvent(new Event("input")); return "" }`)
	assert.NotEqual(t, first, d.eval(seen), "its light moves")
}

// A model without texture coordinates is unwrapped from its panel, and shown as a checker.
func TestUnwrappingFromTheStage(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?size=320x200")
	d.settled()
	d.press(input.Digit5)
	d.until("the stage panel", `() => document.querySelector('[aria-label^="Texture coordinates of"]')`)
	v := d.version()
	d.eval(`() => { const s = document.querySelector('[aria-label^="Texture coordinates of"]'); s.value = "anew"; s.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.stored(v)
	d.until("where it is cut", `() => document.querySelector('[aria-label="Cone of charts"]')?.value === "60"`)
	require.NoError(t, d.Navigate(d.server.Address+"/p/saltlight/compare?a=checker&b=now"))
	d.until("both sides", `() => /16 positions/.test(document.getElementById("compare-says").textContent)`)
	assert.Equal(t, "UV as a checker", d.eval(`() => document.getElementById("name-a").textContent`))
}
