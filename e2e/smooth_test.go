package e2e

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
)

// broughtIn begins a project and brings a model into it, of which something is said.
func broughtIn(t *testing.T, m *mesh.Mesh, says string) *desk {
	var obj bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&obj, m))
	path := filepath.Join(t.TempDir(), "model.obj")
	require.NoError(t, os.WriteFile(path, obj.Bytes(), 0o600))
	d := begun(t, "Model")
	v := d.version()
	require.NoError(t, d.el(`#hint input[data-model]`).SetFiles([]string{path}))
	d.stored(v)
	d.until("it is said", `says => document.getElementById("said").textContent.includes(says)`, says)
	d.settled()
	return d
}

// A ball of few faces is brought in: it is drawn smooth, which is said; on the stage panel that is turned off and on, and undone.
func TestAModelOfFewFacesIsDrawnSmooth(t *testing.T) {
	d := broughtIn(t, mesh.Sphere(1, 14, 8), "drawn smooth")
	round := d.pixels("#26414D") // of the backdrop

	d.press(input.Digit5)
	toggle := `[data-edit*='"smooth"']`
	d.until("the toggle", `s => document.querySelector(s)?.getAttribute("aria-pressed") === "true"`, toggle)
	v := d.version()
	d.click(toggle)
	d.stored(v)
	d.settled()
	d.until("its polygons", `s => document.querySelector(s)?.textContent.includes("its polygons")`, toggle)
	assert.Greater(t, d.pixels("#26414D"), round, "chords lie within the circle")
	v = d.version()
	d.eval(`s => { document.querySelector(s).focus(); return "" }`, toggle)
	d.press(input.Enter)
	d.stored(v)
	d.settled()
	d.until("drawn smooth again", `s => document.querySelector(s)?.getAttribute("aria-pressed") === "true"`, toggle)
	assert.Equal(t, round, d.pixels("#26414D"))
}

// The forms of a soft form are shown as pictures of what each would do; one is taken by a press, and undone.
func TestEachSoftFormIsShown(t *testing.T) {
	d := broughtIn(t, mesh.Sphere(1, 14, 8), "drawn smooth")
	v := d.version()
	d.click("#add")
	d.typeText("Soft form")
	d.until("it is found", `() => document.querySelector("#results .result b")?.textContent === "Soft form"`)
	d.press(input.Enter)
	d.stored(v)
	d.settled()
	shown := `() => { const all = [...document.querySelectorAll("#bench .would-be canvas")]; return all.length === 5 && all.every((c) => c.getContext("2d").getImageData(0, 0, c.width, c.height).data.some((v) => v > 0)) }`
	d.until("a picture of each form", shown)
	v = d.version()
	d.click(`#bench .would-be[data-tried$="=plane"]`)
	d.stored(v)
	d.until("it is taken", `() => document.querySelector('#bench .would-be[aria-pressed="true"]')?.textContent === "A plane" && document.querySelector("#bench select[name=value]").value === "plane"`)
	d.settled()
	d.until("pictures anew", shown)
	v = d.version()
	d.chord(false, input.KeyZ)
	d.stored(v)
	d.until("it is undone", `() => document.querySelector('#bench .would-be[aria-pressed="true"]')?.textContent === "Itself, smoothed"`)
}
