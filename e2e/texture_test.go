package e2e

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
)

// find opens the search by its key and waits for an entry of that name.
func (d *desk) find(words, name string) {
	d.t.Helper()
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.Slash)
	d.until("the search", `() => document.getElementById("search").open`)
	d.typeText(words)
	d.until(name+" is found", `n => [...document.querySelectorAll(".result b")].some((e) => e.textContent === n)`, name)
	for range 12 {
		if d.eval(`() => document.querySelector(".result[aria-selected=true] b")?.textContent`) == name {
			return
		}
		d.press(input.ArrowDown)
	}
	d.t.Fatalf("%s is not reached by arrows", name)
}

func TestOcclusionIsMultipliedInByTwoPresses(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?node=bands")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	before := d.eval(`() => mobanta.picture.shown.version + ""`)
	v := d.version()
	d.find("crevices", "Occlusion, multiplied in")
	d.press(input.Enter)
	d.stored(v)
	d.settled()
	assert.NotEqual(t, before, d.eval(`() => mobanta.picture.shown.version + ""`))
	d.until("a section of three", `() => [...document.querySelectorAll(".frame-name .link")].some((e) => e.textContent === "Occlusion") && document.querySelectorAll("#net .card").length === 12`)
	d.until("its bench", `() => document.getElementById("bench").textContent.includes("Occlusion")`)

	// Its ramp says how strong it is.
	ramp := d.eval(`() => [...document.querySelectorAll("#net .card")].find((e) => e.getAttribute("aria-label").startsWith("Ramp"))?.dataset.card`)
	d.click(`#card-` + ramp)
	d.until("the ramp", `() => document.querySelectorAll("#ramp [data-stop], #ramp .band").length > 0`)
	v = d.version()
	d.eval(`id => { fetch(location.pathname + "/edit", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ edits: [{ op: "ramp.stop", look: mobanta.state.look, node: id, key: "stops", index: 0, value: { color: "#200010" } }] }) }); return "" }`, ramp)
	d.stored(v)

	// One undo for each press.
	for range 2 {
		v = d.version()
		d.eval(`() => { document.activeElement.blur(); return "" }`)
		d.chord(false, input.KeyZ)
		d.stored(v)
	}
	d.until("as before", `() => document.querySelectorAll("#net .card").length === 9`)
}

func TestBarkFromAnEmptyLookByKeyboard(t *testing.T) {
	d := start(t, "serve", "/")
	d.open()
	for _, c := range [][2]string{{"bark", "Noise, as relief"}, {"clouds", "Noise, as a mask"}, {"stripes", "Waves, varying the tone"}} {
		v := d.version()
		d.find(c[0], c[1])
		d.press(input.Enter)
		d.stored(v)
		d.settled()
	}
	nodes := d.eval(`async () => JSON.stringify((await (await fetch(location.pathname + "/look.json?look=" + mobanta.state.look)).json()).nodes.map((n) => n.kind))`)
	for _, kind := range []string{"noise", "bump", "soft-step", "blend", "waves", "range", "maths"} {
		assert.Contains(t, nodes, `"`+kind+`"`)
	}
	assert.Equal(t, 2, strings.Count(nodes, `"noise"`))
	// What changes a tone goes behind the chosen node; with Shift beside it.
	d.eval(`() => { mobanta.state.node = ""; document.querySelector("#card-n1")?.click(); return "" }`)
	d.until("the light is chosen", `() => mobanta.state.node === "n1"`)
	v := d.version()
	d.find("tone adjust", "Tone adjust")
	d.press(input.Enter)
	d.stored(v)
	wired := d.eval(`async () => JSON.stringify((await (await fetch(location.pathname + "/look.json?look=" + mobanta.state.look)).json()).nodes.filter((n) => n.kind === "tone-adjust"))`)
	assert.Contains(t, wired, "n1.tone")
}
