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
	d.until("what is found by all of the words", `w => document.getElementById("results").dataset.of === w`, words)
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

// The bench shows a texture at its size, and anew when that changes; wired to the Finish it moves
// the surface, and a model that is cut finer shows more of it.
func TestATextureAtItsSizeAndAsTheSurface(t *testing.T) {
	d := start(t, "serve", "/")
	d.open()
	d.find("noise", "Noise")
	v := d.version()
	d.press(input.Enter)
	d.stored(v)
	strip := `() => { const c = document.querySelector("[data-strip]"), p = c?.getContext("2d").getImageData(0, 0, c.width, c.height).data ?? []; let sum = 0; for (let i = 0; i < p.length; i += 4) sum = (sum * 31 + p[i]) % 1000003; return String(sum) }`
	d.until("the strip", `s => { const v = eval(s)(); return v !== "0" }`, strip)
	was := d.eval(strip)
	v = d.version()
	d.eval(`() => { const f = document.querySelector('#bench [aria-label="size"].field-value'); f.focus(); f.select(); return "" }`)
	d.typeText("0.3")
	d.press(input.Enter)
	d.stored(v)
	d.until("another strip", `(s, was) => eval(s)() !== was`, strip, was)

	d.click("#card-" + d.eval(`() => [...document.querySelectorAll("#net .card")].find((e) => e.getAttribute("aria-label").includes("finish"))?.dataset.card`))
	d.until("its bench", `() => Boolean(document.querySelector('#bench [data-pick$=".displace"]'))`)
	d.eval(`() => { document.querySelector('#bench [data-pick$=".displace"]').focus(); return "" }`)
	d.press(input.Enter)
	d.until("the sources", `() => document.getElementById("picker").open && document.querySelectorAll("#picks .pick").length > 2`)
	d.typeText("noise tone")
	d.until("those of that name", `() => document.getElementById("picks").dataset.of === "noise tone"`)
	before := d.pixels("#26414D")
	v = d.version()
	d.press(input.Enter)
	d.stored(v)
	d.settled()
	after := d.pixels("#26414D")
	assert.NotEqual(t, before, after, "the silhouette has moved")

	d.press(input.Digit5)
	d.until("the stage", `() => Boolean(document.querySelector('[aria-label^="Subdivide "]'))`)
	v = d.version()
	d.eval(`() => { const s = document.querySelector('[aria-label^="Subdivide "]'); s.value = "1"; s.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.stored(v)
	d.settled()
	d.until("nothing is said to be wrong", `() => !document.getElementById("said").textContent.includes("wrong")`)
	d.until("its creases", `() => Boolean(document.querySelector('[aria-label^="Creases of "]'))`)
}

// Dots are found by that word and go between the bands and the finish by one press; one more and
// they are in the ramp's own colours. The magnifier shows them as they are; the press puts the picture
// on plates, which are saved.
func TestDotsFromTheSearchToThePlates(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?node=bands")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	v := d.version()
	d.find("dots", "Halftone")
	d.press(input.Enter)
	d.stored(v)
	assert.Greater(t, d.pixels("#1A1B24"), 3000, "black dots")
	v = d.version()
	d.until("its bench", `() => document.querySelector("#bench [data-strip]") && [...document.querySelectorAll("#bench select")].some((s) => s.getAttribute("aria-label") === "Inks")`)
	before := d.pixels("#1A1B24")
	d.eval(`() => { const s = document.querySelector('#bench select[aria-label="Inks"]'); s.value = "ramp"; s.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.stored(v)
	assert.Less(t, d.pixels("#1A1B24"), before/2, "the ramp's own in their place")
	assert.Greater(t, d.pixels("#D4843F"), 1000)

	d.eval(`() => { document.activeElement.blur(); return "" }`)
	for _, want := range []string{"1:1", "4:1", ""} {
		d.press(input.Quote)
		d.until("magnified "+want, `w => document.getElementById("magnify-times").textContent === w && document.getElementById("loupe").hidden === (w === "")`, want)
		if want == "4:1" {
			same := d.eval(`() => {
				const g = document.getElementById("loupe"), c = document.getElementById("picture"), p = g.getContext("2d").getImageData(2, 2, 1, 1).data;
				const x = Math.round(c.width / 2 - 21), y = Math.round(c.height / 2 - 21), q = c.getContext("2d").getImageData(x, y, 1, 1).data;
				return String(p[0] === q[0] && p[1] === q[1] && p[2] === q[2]);
			}`)
			assert.Equal(t, "true", same, "a pixel is four wide")
		}
	}

	d.press(input.Digit5)
	d.until("the press", `() => [...document.querySelectorAll("#stage h2")].some((e) => e.textContent === "Press")`)
	v = d.version()
	d.eval(`() => { [...document.querySelectorAll("#stage button")].find((b) => b.textContent.trim() === "Three spot inks").click(); return "" }`)
	d.stored(v)
	d.until("its plates", `() => document.querySelectorAll("[data-plate]:not(:disabled)").length === 3`)
	d.eval(`() => { document.querySelector('[data-plate="dark"]').click(); return "" }`)
	d.until("a plate alone, black on white", `() => { const s = mobanta.picture.shown; if (!(s?.done && s.seq >= mobanta.live.seq)) return false; const p = document.getElementById("picture").getContext("2d").getImageData(0, 0, 200, 200).data; for (let i = 0; i < p.length; i += 4) if (p[i] !== p[i + 1] || p[i] !== p[i + 2]) return false; return true }`)
	assert.Equal(t, "Plate: Night", d.eval(`() => document.getElementById("rim-what").textContent`))
	d.eval(`() => { document.querySelector('[data-plate="dark"]').click(); return "" }`)
	d.settled()
	for as, begins := range map[string]string{"plates16": "PK", "plates8": "PK", "plates1": "PK", "platespdf": "%PDF-"} {
		got := d.eval(`async (as) => { const r = await (`+delivered+`)({ as, w: 120, h: 80, samples: 1 }); const b = new Uint8Array(await r.arrayBuffer()); return r.status + " " + String.fromCharCode(...b.slice(0, 5)) }`, as)
		assert.True(t, strings.HasPrefix(got, "200 "+begins), "%s: %q", as, got)
	}
}
