package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Band edges that lie close together have handles that a hand finds: none lies on another, each is 24 pixels wide and high; and
// each is dragged by itself.
func TestCloseBandEdgesHaveHandlesApart(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?node=bands&size=320x200")
	d.until("the ramp", `() => document.querySelectorAll(".ramp-edge").length === 4 && Boolean(window.mobanta?.live.ws)`)
	d.settled()
	for k, at := range []float64{0.215, 0.24} {
		index, v := k+2, d.version()
		d.eval(`async (index, at) => { await fetch(location.pathname + "/edit", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ edits: [{ op: "ramp.stop", look: "copper", node: "bands", key: "stops", index, value: { at } }] }) }); return "" }`, index, at)
		d.stored(v)
	}
	d.until("handles of their own", `() => {
		const boxes = [...document.querySelectorAll(".ramp-edge")].map((e) => e.getBoundingClientRect());
		return boxes.every((b) => b.width >= 24 && b.height >= 24) && boxes.every((a, i) => boxes.every((b, k) => k <= i || a.right <= b.left + 0.5 || b.right <= a.left + 0.5 || a.bottom <= b.top + 0.5 || b.bottom <= a.top + 0.5));
	}`)
	x, y := d.middle(`.ramp-edge[data-edge="2"]`)
	v := d.version()
	d.drag(x, y, x+40, y)
	d.stored(v)
	d.until("the middle one stops at the next", `() => Number(document.querySelector('.ramp-edge[data-edge="2"]').dataset.at) > 0.215 && Number(document.querySelector('.ramp-edge[data-edge="3"]').dataset.at) === 0.24`)
}

// The word that was typed for a source goes on to the search for a new node.
func TestAWordGoesOnToANewNode(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?node=bands&size=320x200")
	d.until("the bench", `() => document.querySelector("#bench [data-pick]") && Boolean(window.mobanta?.live.ws)`)
	d.click(`#bench [data-pick]`)
	d.until("the sources", `() => document.querySelector("#picker[open] [data-add-to]")`)
	d.typeText("noise")
	d.until("what there is of it", `() => document.getElementById("picks").dataset.of === "noise"`)
	d.click(`#picker [data-add-to]`)
	d.until("the search for the same word", `() => document.getElementById("search").open && document.getElementById("search-text").value === "noise" && document.querySelector("#results .result b")?.textContent === "Noise"`)
}

// The page to order from shows what is ordered, and says it.
func TestThePageShowsWhatIsOrdered(t *testing.T) {
	d := start(t, "demo", "/p/saltlight/deliver")
	shown := func(kind, alone, says string) {
		t.Helper()
		d.eval(`(kind) => { document.querySelector('[name=kind][value="' + kind + '"]').click(); return "" }`, kind)
		d.until("the picture of a "+kind, `(alone, says) => { const still = document.getElementById("deliver-still"); return new URL(still.src || "http://x").searchParams.get("alone") === (alone || null) && still.complete && new RegExp(says).test(document.getElementById("deliver-what").textContent) }`, alone, says)
	}
	shown("picture", "", `^1280 × 800 pixels$`)
	whole := d.eval(`() => document.getElementById("deliver-still").src`)
	shown("texture", d.eval(`() => document.querySelector("[name=model]").value`), `^Kettle: 2048 × 2048 texels$`)
	shown("painted model", "worn", `^All models that wear a look: \d+ × \d+ texels$`)
	shown("look as code", "worn", `^A page that turns all models that wear a look$`)
	assert.NotEqual(t, whole, d.eval(`() => document.getElementById("deliver-still").src`))
}

// A sheet's columns fit beside its large picture.
func TestTheColumnsOfASheetFit(t *testing.T) {
	d := start(t, "demo", "/p/saltlight/sheet?axis=sun/key=0,60,120,180,240&axis=swatch/night=%231A1B24,%23D4843F")
	d.click(`#sheet-form [type=submit]`)
	d.until("all cells", `() => document.querySelectorAll(".sheet-cell img").length === 10 && [...document.querySelectorAll(".sheet-cell img")].every((e) => e.complete)`)
	d.until("the last column in view", `() => { const room = document.getElementById("sheet-scroll").getBoundingClientRect(); return [...document.querySelectorAll(".sheet-cell")].every((e) => e.getBoundingClientRect().right <= room.right + 1) }`)
	d.until("the first cell stands beside the grid", `() => document.getElementById("sheet-large").naturalWidth > 0`)
	require.NoError(t, d.Timeout(time.Minute).WaitLoad())
}
