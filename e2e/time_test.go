package e2e

import (
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shot returns what the picture shows.
func (d *desk) shot() string {
	d.t.Helper()
	return d.eval(`() => document.getElementById("picture").toDataURL()`)
}

// Play, pause, step, scrub and marks, by key and by mouse, on the lamp that turns.
func TestTheLampIsPlayedPausedAndScrubbed(t *testing.T) {
	d := start(t, "demo", "/p/keepers-lamp?size=320x200")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	first := d.shot()
	d.press(input.Space)
	d.until("it plays", `() => mobanta.time.plays && mobanta.time.frame > 3`)
	assert.Contains(t, d.eval(`() => document.getElementById("rim-state").textContent`), "a second")
	v := d.version()
	d.press(input.Space)
	d.stored(v)
	assert.Equal(t, "false", d.eval(`() => document.getElementById("play").getAttribute("aria-pressed")`))
	paused := d.eval(`() => String(mobanta.time.frame)`)
	assert.NotEqual(t, "0", paused)
	assert.NotEqual(t, first, d.shot(), "another side of the lamp")
	v = d.version()
	d.press(input.Key('.'))
	d.stored(v)
	d.until("one frame on", `was => mobanta.time.frame === Number(was) + 1`, paused)

	x, y := d.middle("#scrubber")
	v = d.version()
	require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x, y)))
	require.NoError(t, d.Mouse.Click(proto.InputMouseButtonLeft, 1))
	d.stored(v)
	d.until("half-way round", `() => Math.abs(mobanta.time.frame - 36) <= 1`)
	half := d.shot()
	assert.NotEqual(t, first, half)
	v = d.version()
	d.press(input.Home)
	d.stored(v)
	d.until("the beginning", `() => mobanta.time.frame === 0`)
	assert.Equal(t, first, d.shot(), "the same picture as at first")

	// Marks: what is played lies between them.
	v = d.version()
	mx, my := d.middle(`[data-mark="last"]`)
	box := d.el("#scrubber").MustShape().Box()
	d.drag(mx, my, box.X+box.Width/8, my)
	d.stored(v)
	d.until("the mark", `() => mobanta.time.num("last") > 0.5 && mobanta.time.num("last") < 1`)
	d.press(input.Space)
	d.until("round and round before the mark", `() => { const at = (window.most = Math.max(window.most ?? 0, mobanta.time.frame)); window.shownFrames = (window.shownFrames ?? new Set()).add(mobanta.time.frame); return window.shownFrames.size >= 8 && at <= 9 }`)
	d.press(input.Space)
	d.until("it stands", `() => !mobanta.time.plays`)
}

// A move is made by hand: chosen from the list, its end set by moving the light itself, and seen as it plays.
func TestAMoveIsMadeByHandAndSeen(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?size=320x200&light=key")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	assert.Equal(t, "null", d.eval(`() => String(document.querySelector("[data-time]"))`), "nothing moves: no strip")
	d.press(input.Key('5'))
	d.until("the stage", `() => Boolean(document.querySelector("[data-add-move]"))`)
	v := d.version()
	d.eval(`() => { const s = document.querySelector("[data-add-move]"); s.value = "light/key/azimuth"; s.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.stored(v)
	d.until("the strip and the move", `() => document.querySelector("[data-time]") && document.querySelector("[data-move-row]")`)
	first, from := d.shot(), d.eval(`() => document.querySelector('[data-move-row] input[aria-label^="from of"]').value`)
	v = d.version()
	d.click(`[data-move-row] [data-goto]:nth-of-type(1)`)
	d.stored(v)
	v = d.version()
	d.eval(`() => { [...document.querySelectorAll("[data-move-row] [data-goto]")].at(-1).click(); return "" }`)
	d.stored(v)
	d.until("its far end", `() => mobanta.time.frame === 24 && document.querySelector("[data-move-row] .is-here [data-goto]")?.textContent === "to"`)
	was := d.eval(`() => document.querySelector('[data-move-row] input[aria-label^="to of"]').value`)
	// The light itself is moved, over the ball.
	x, y := d.middle("#ball")
	v = d.version()
	d.drag(x, y, x+25, y-12)
	d.stored(v)
	d.until("the end where the hand left it", `was => document.querySelector('[data-move-row] input[aria-label^="to of"]').value !== was`, was)
	assert.NotEqual(t, first, d.shot())
	v = d.version()
	d.press(input.Home)
	d.stored(v)
	assert.Equal(t, from, d.eval(`() => document.querySelector('[data-move-row] input[aria-label^="from of"]').value`), "its beginning is where it was")

	// Its course, drawn by hand.
	v = d.version()
	d.eval(`() => { const s = document.querySelector('[data-move-row] select[aria-label^="How"]'); s.value = "drawn"; s.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.stored(v)
	d.until("the curve", `() => document.querySelectorAll(".curve button").length === 3`)
	d.eval(`() => { document.querySelector(".curve").scrollIntoView({ block: "center" }); return "" }`)
	box := d.el(".curve").MustShape().Box()
	v = d.version()
	d.drag(box.X+box.Width*0.75, box.Y+box.Height*0.5, box.X+box.Width*0.8, box.Y+box.Height*0.2)
	d.stored(v)
	d.until("a point more", `() => document.querySelectorAll(".curve button").length === 4`)
	v = d.version()
	d.eval(`() => { document.querySelector('.curve [data-k="2"]').focus(); return "" }`)
	d.eval(`async () => { await fetch(location.pathname + "/edit", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ edits: [{ op: "time.set", key: "length", value: 3 }] }) }); return "" }`)
	d.stored(v)
	d.until("the panel that came since", `() => document.querySelector('[data-time]').dataset.length === "3" && document.querySelector('[aria-label="Length of the loop"]').value === "3"`)
	assert.Equal(t, "2", d.eval(`() => String(document.activeElement.dataset.k)`), "the point that has the focus keeps it when the panel comes anew")
	v = d.version()
	d.press(input.Delete)
	d.stored(v)
	d.until("and gone", `() => document.querySelectorAll(".curve button").length === 3`)
	d.press(input.Space)
	d.until("it is seen", `() => { (window.seen ??= new Set()).add(document.getElementById("picture").toDataURL()); return window.seen.size > 4 }`)
	d.press(input.Space)
	d.until("it stands", `() => !mobanta.time.plays`)
}

// The flare from an empty project, by keyboard alone: blobs, a look by facing, a glow, and it burns.
func TestAFlareFromNothingByKeyboard(t *testing.T) {
	d := start(t, "serve", "/")
	d.eval(`() => { document.querySelector("main form input[name=name]").focus(); return "" }`)
	d.typeText("Flare")
	d.press(input.Enter)
	d.until("an empty desk", `() => Boolean(window.mobanta?.live.ws) && Boolean(document.querySelector(".hint"))`)
	d.settled()
	focus := func(js string) {
		d.until("something to press", `() => Boolean(`+js+`)`)
		d.eval(`() => { ` + js + `.focus(); return "" }`)
	}
	v := d.version()
	focus(`[...document.querySelectorAll(".hint button")].find((b) => b.textContent.includes("Flame"))`)
	d.press(input.Enter)
	d.stored(v)
	d.until("its strip", `() => Boolean(document.querySelector("[data-time]"))`)
	// The light gives way to facing.
	focus(`document.querySelector('[data-card="n1"]')`)
	d.press(input.Enter)
	d.until("it is chosen", `() => mobanta.state.node === "n1"`)
	focus(`document.querySelector('[data-card="n1"]')`)
	v = d.version()
	d.press(input.KeyR)
	d.until("the search", `() => document.getElementById("search").open`)
	d.typeText("facing")
	d.until("what is found", `() => document.querySelector("#results [role=option] b, #results button b")?.textContent.includes("Facing")`)
	d.press(input.Enter)
	d.stored(v)
	v = d.version()
	focus(`[...document.querySelectorAll("#bench select")].find((s) => s.getAttribute("aria-label")?.includes("Measure"))`)
	d.press(input.ArrowDown)
	d.stored(v)
	look := d.lookFile()
	assert.Contains(t, look, `"fresnel"`)
	// Glow, after all is drawn.
	corner := `() => { const c = document.getElementById("picture"), p = c.getContext("2d").getImageData(0, 0, c.width, c.height).data; let s = 0; for (let i = 0; i < p.length; i += 4) s += p[i] + p[i + 1] + p[i + 2]; return String(s) }`
	dark := d.eval(corner)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.Key('5'))
	v = d.version()
	focus(`document.querySelector('[aria-label="Glow, on or off"]')`)
	d.press(input.Enter)
	d.stored(v)
	v = d.version()
	focus(`document.querySelector('input[aria-label="Threshold of the glow"]')`)
	d.chord(false, input.KeyA)
	d.typeText("0.2")
	d.press(input.Enter)
	d.stored(v)
	assert.NotEqual(t, dark, d.eval(corner), "it shines")
	assert.Contains(t, d.eval(`() => document.getElementById("rim-view").textContent`), "glow")
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.Space)
	d.until("it burns", `() => { (window.seen ??= new Set()).add(document.getElementById("picture").toDataURL()); return mobanta.time.plays && window.seen.size > 5 }`)
	// The hand turns it meanwhile.
	before := time.Now()
	x, y := d.middle("#picture")
	v = d.version()
	d.drag(x, y, x+60, y)
	d.until("it is stored while it plays", `v => mobanta.state.version > v && mobanta.time.plays`, v)
	t.Logf("turned and stored in %v", time.Since(before).Round(time.Millisecond))
	d.press(input.Space)
	d.until("it stands", `() => !mobanta.time.plays`)
}
