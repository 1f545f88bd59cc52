package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sphere opens a project with a ball on a dark backdrop and stores edits, as JSON.
func sphere(t *testing.T, edits string) *desk {
	d := start(t, "demo", "/")
	d.eval(`async () => {
		const r = await fetch("/projects", { method: "POST", headers: { "Content-Type": "application/x-www-form-urlencoded" }, body: "name=Ball" });
		location.href = r.url;
	}`)
	d.until("the desk", `() => window.mobanta?.picture.shown && location.pathname.startsWith("/p/")`)
	v := d.version()
	d.edit(`{"op":"model.add","kind":"sphere","look":"look1"},{"op":"backdrop.set","key":"color","value":"#000000"},{"op":"camera.frame","aspect":1.5}` + edits)
	d.stored(v)
	return d
}

// edit stores edits, as JSON.
func (d *desk) edit(edits string) {
	d.t.Helper()
	assert.Equal(d.t, "200", d.eval(`async edits => String((await fetch(location.pathname + "/edit", { method: "POST", headers: { "Content-Type": "application/json" }, body: '{"edits":[' + edits + ']}' })).status)`, edits), edits)
}

// on returns where on the page a place of the picture lies, in parts of its size.
func (d *desk) on(u, v float64) (x, y float64) {
	d.t.Helper()
	var r struct{ X, Y, W, H float64 }
	require.NoError(d.t, json.Unmarshal([]byte(d.eval(`() => { const r = document.getElementById("picture").getBoundingClientRect(); return JSON.stringify({ x: r.x, y: r.y, w: r.width, h: r.height }) }`)), &r))
	return r.X + u*r.W, r.Y + v*r.H
}

// bright returns the middle, on the page, of the pixels brighter than the given
// part of the brightest.
func (d *desk) bright(part float64) (x, y float64) {
	d.t.Helper()
	var r [2]float64
	require.NoError(d.t, json.Unmarshal([]byte(d.eval(`part => {
		const c = document.getElementById("picture"), p = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
		let top = 0, sx = 0, sy = 0, n = 0;
		for (let i = 0; i < p.length; i += 4) top = Math.max(top, p[i]);
		for (let i = 0; i < p.length; i += 4) if (p[i] >= top * part) { sx += (i / 4) % c.width; sy += Math.floor(i / 4 / c.width); n++; }
		const b = c.getBoundingClientRect();
		return JSON.stringify([b.x + (sx / n + 0.5) / c.width * b.width, b.y + (sy / n + 0.5) / c.height * b.height]);
	}`, part)), &r))
	return r[0], r[1]
}

func TestTheHighlightLandsUnderThePointer(t *testing.T) {
	d := sphere(t, `,{"op":"node.add","look":"look1","kind":"highlight"},{"op":"node.set","look":"look1","node":"n5","key":"roughness","value":0.2},{"op":"wire","look":"look1","from":"n5.tone","to":"n4.colour"},{"op":"unwire","look":"look1","from":"n3.lines","to":"n4.lines"}`)
	for _, kind := range []string{"sun", "point"} {
		if kind == "point" {
			v := d.version()
			d.edit(`{"op":"light.set","id":"sun","key":"kind","value":"point"}`)
			d.stored(v)
		}
		d.press('l')
		if d.eval(`() => mobanta.picture.way`) != "highlight" {
			d.click(`[data-way="highlight"]`)
		}
		d.until("the hand knows what it points into", `() => mobanta.picture.placed`)
		d.settled()
		for _, to := range [][2]float64{{0.56, 0.38}, {0.42, 0.6}} {
			v := d.version()
			x0, y0 := d.on(0.5, 0.45)
			x, y := d.on(to[0], to[1])
			d.drag(x0, y0, x, y)
			d.stored(v)
			bx, by := d.bright(0.97)
			assert.Less(t, math.Hypot(bx-x, by-y), 3.0, "%s dragged to %v: its highlight is at %.1f, %.1f, the pointer at %.1f, %.1f", kind, to, bx, by, x, y)
		}
	}
}

func TestTheShadowsEdgeLandsUnderThePointer(t *testing.T) {
	// The form's own edge: where the light grazes it the tone is 0.
	d := sphere(t, `,{"op":"ramp.stop","look":"look1","node":"n2","index":1,"value":{"at":0.01}},{"op":"ramp.stop","look":"look1","node":"n2","index":0,"value":{"color":"#000000"}},{"op":"ramp.stop","look":"look1","node":"n2","index":1,"value":{"color":"#FFFFFF"}},{"op":"ramp.stop","look":"look1","node":"n2","index":2,"value":{"color":"#FFFFFF"}},{"op":"ramp.stop","look":"look1","node":"n2","index":3,"value":{"color":"#FFFFFF"}},{"op":"unwire","look":"look1","from":"n3.lines","to":"n4.lines"}`)
	d.press('l')
	d.click(`[data-way="shadow"]`)
	d.until("the hand knows what it points into", `() => mobanta.picture.placed`)
	v := d.version()
	x0, y0 := d.on(0.5, 0.5)
	x, y := d.on(0.47, 0.44)
	d.drag(x0, y0, x, y)
	d.stored(v)
	assert.True(t, d.edgeAt(x, y), "black meets white under the pointer")
}

// edgeAt tells whether two colours, each of at least eight pixels, meet within 3
// pixels of a place on the page.
func (d *desk) edgeAt(x, y float64) bool {
	d.t.Helper()
	return d.eval(`(x, y) => {
		const c = document.getElementById("picture"), b = c.getBoundingClientRect();
		const px = Math.floor((x - b.x) / b.width * c.width), py = Math.floor((y - b.y) / b.height * c.height);
		const p = c.getContext("2d").getImageData(px - 3, py - 3, 7, 7).data;
		const count = new Map();
		for (let i = 0; i < p.length; i += 4) { const k = p.slice(i, i + 3).join(); count.set(k, (count.get(k) ?? 0) + 1); }
		return [...count.values()].filter(n => n >= 8).length >= 2;
	}`, x, y) == "true"
}

func TestABandEdgeDraggedOnThePictureLandsUnderThePointer(t *testing.T) {
	// Between light and ramp the tone is bent; the ramp follows all the same.
	d := sphere(t, `,{"op":"node.add","look":"look1","kind":"tone-adjust","to":"n2.tone"},{"op":"node.input","look":"look1","node":"n5","key":"gamma","value":1.7},{"op":"unwire","look":"look1","from":"n3.lines","to":"n4.lines"}`)
	d.press('j')
	// An edge crosses the line from the middle towards the lower right.
	x0, y0 := 0.0, 0.0
	for f := 0.0; f < 0.25 && x0 == 0; f += 0.004 {
		if x, y := d.on(0.45+f, 0.45+f); d.edgeAt(x, y) {
			x0, y0 = x, y
		}
	}
	require.NotZero(t, x0, "a band edge to hold")
	for _, to := range [][2]float64{{14, 10}, {-16, 8}} {
		v := d.version()
		x, y := x0+to[0], y0+to[1]
		d.drag(x0, y0, x, y)
		d.stored(v)
		assert.True(t, d.edgeAt(x, y), "after a drag by %v", to)
		x0, y0 = x, y
	}
	// On the backdrop there is nothing to hold, and nothing is stored.
	v := d.version()
	x, y := d.on(0.5, 0.03)
	d.drag(x, y, x+20, y)
	d.until("a word on it", `() => document.getElementById("doing").textContent.includes("No band edge")`)
	assert.Equal(t, v, d.version())
}

func TestTheTrailEndsInThePixelsColour(t *testing.T) {
	d := start(t, "demo", "/p/bell-buoy")
	d.settled()
	d.press('q')
	for _, at := range [][2]float64{{0.46, 0.75}, {0.5, 0.55}, {0.2, 0.9}, {0.3, 0.1}, {0.53, 0.18}} {
		x, y := d.on(at[0], at[1])
		require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x, y)))
		require.NoError(t, d.Mouse.Click(proto.InputMouseButtonLeft, 1))
		d.until("its trail", `(x, y) => {
			const c = document.getElementById("picture"), b = c.getBoundingClientRect();
			const px = Math.floor((x - b.x) / b.width * c.width), py = Math.floor((y - b.y) / b.height * c.height);
			return document.getElementById("trail").textContent.includes("pixel " + px + ", " + py);
		}`, x, y)
		want := d.eval(`(x, y) => mobanta.picture.colorAt({ clientX: x, clientY: y })`, x, y)
		assert.Equal(t, want, d.eval(`() => document.getElementById("trail-hex").textContent`), "at %v", at)
		d.press(input.Escape) // it may lie over the next
		d.until("the trail closed", `() => document.getElementById("trail").hidden`)
	}
	// From there to a node of the trail, in its own look.
	x, y := d.on(0.46, 0.75)
	require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x, y)))
	require.NoError(t, d.Mouse.Click(proto.InputMouseButtonLeft, 1))
	d.until("the trail of the hull", `() => document.getElementById("trail").textContent.includes("Torch bands")`)
	d.eval(`() => [...document.querySelectorAll(".trail-node")].find(b => b.textContent.includes("Torch bands")).click()`)
	d.until("its settings on the bench", `() => document.getElementById("node-name")?.value === "Torch bands"`)
	d.press('c')
	v := d.version()
	require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x, y)))
	want := d.eval(`(x, y) => mobanta.picture.colorAt({ clientX: x, clientY: y })`, x, y)
	require.NoError(t, d.Mouse.Click(proto.InputMouseButtonLeft, 1))
	d.stored(v)
	assert.Contains(t, d.eval(`() => [...document.querySelectorAll("#bench [data-color-of]")].map(e => e.value).join(" ")`), want, "picked for the band")
	// And to a node of another look.
	d.press('q')
	x, y = d.on(0.2, 0.9)
	require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x, y)))
	require.NoError(t, d.Mouse.Click(proto.InputMouseButtonLeft, 1))
	d.until("the trail of the water", `() => document.getElementById("trail").textContent.includes("Water bands")`)
	d.eval(`() => [...document.querySelectorAll(".trail-node")].find(b => b.textContent.includes("Water bands")).click()`)
	d.until("the other look", `() => mobanta.state.look === "swell" && document.getElementById("node-name")?.value === "Water bands"`)
}

func TestTheToolsOfThePictureByKeyboardAlone(t *testing.T) {
	d := sphere(t, `,{"op":"unwire","look":"look1","from":"n3.lines","to":"n4.lines"}`)
	d.press('q', 'v', input.ArrowRight, input.Enter)
	d.until("a trail", `() => document.getElementById("trail").textContent.includes("falls into band")`)
	d.press(input.Escape, 'j', 'v')
	// Down from the middle until an edge is held.
	held := false
	for range 40 {
		d.press(input.ArrowDown, input.Enter)
		d.until("an answer", `() => document.getElementById("doing").textContent !== ""`)
		if d.eval(`() => String(document.getElementById("doing").textContent.startsWith("Holding"))`) == "true" {
			held = true
			break
		}
		d.press(input.Enter)
		d.eval(`() => { document.getElementById("doing").textContent = "" }`)
	}
	require.True(t, held, "an edge below the middle")
	v := d.version()
	for range 6 {
		d.press(input.ArrowDown)
	}
	d.press(input.Enter)
	d.stored(v)
	d.press('c', 'v', input.Enter)
	d.until("a colour picked", `() => document.getElementById("said").textContent.startsWith("Picked #")`)
}

func TestLightsAndChecksByHand(t *testing.T) {
	d := sphere(t, "")
	d.press('5')
	v := d.version()
	d.until("the stage panel", `() => document.querySelector('#stage [data-then-light]')`)
	d.eval(`() => [...document.querySelectorAll("#stage [data-then-light]")].find(b => b.textContent.includes("Disc")).click()`)
	d.stored(v)
	d.until("the new light in hand", `() => mobanta.state.light === "light1" && document.getElementById("ball-name").textContent.startsWith("Disc")`)
	// It stands in the picture, and is dragged there.
	d.edit(`{"op":"light.set","id":"light1","key":"at","value":[0.9,0.9,1.2]}`)
	d.settled()
	d.press('l')
	d.until("its handle", `() => document.querySelector('[data-lamp="light1"]')`)
	x, y := d.middle(`[data-lamp="light1"] i`)
	v = d.version()
	d.drag(x, y, x-30, y-20)
	d.stored(v)
	nx, ny := d.middle(`[data-lamp="light1"] i`)
	assert.InDelta(t, x-30, nx, 3)
	assert.InDelta(t, y-20, ny, 3)
	px, py := d.on(0.5, 0.03)
	require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(px, py)))
	require.NoError(t, d.Mouse.Click(proto.InputMouseButtonLeft, 1))
	assert.Equal(t, "light1", d.eval(`() => mobanta.state.light`), "a press elsewhere leaves the light in hand")
	require.NoError(t, d.Reload())
	d.until("the desk again", `() => Boolean(window.mobanta?.live.ws) && mobanta.state.light === "light1" && document.getElementById("ball-name").textContent === "Disc"`)
	d.settled()
	// A strong light is told of; the mend is one press, and undo takes it back.
	v = d.version()
	d.edit(`{"op":"light.set","id":"sun","key":"strength","value":4}`)
	d.stored(v)
	d.until("a remark", `() => Number(document.getElementById("checks-count").textContent) > 0`)
	d.press('h')
	d.until("what is said", `() => document.getElementById("checks").textContent.includes("lies above 1")`)
	v = d.version()
	d.eval(`() => [...document.querySelectorAll("#checks [data-edits]")].find(b => b.textContent.includes("Weaken")).click()`)
	d.stored(v)
	d.until("that it is gone", `() => !document.getElementById("checks").textContent.includes("lies above 1")`)
	// Fit to light, and a band set for two ramps.
	d.edit(`{"op":"node.add","look":"look1","kind":"ramp","from":"n1.tone"}`)
	d.settled()
	d.eval(`() => mobanta.choose?.("n2")`)
	d.press('1')
	d.until("the ramp on the bench", `() => document.querySelector('.ramp[data-ramp="n2"] [data-fit]')`)
	v = d.version()
	d.until("its tones", `() => document.querySelector("#ramp [data-share]").textContent !== ""`)
	d.click(`#ramp [data-fit]`)
	d.stored(v)
	shares := d.eval(`() => [...document.querySelectorAll("#ramp [data-share]")].map(e => e.textContent).join(" ")`)
	var a, b, c, e int
	fmt.Sscanf(shares, "%d %% %d %% %d %% %d %%", &a, &b, &c, &e)
	for _, s := range []int{a, b, c, e} {
		assert.InDelta(t, 25, s, 12, "every band takes its part: %s", shares)
	}
	v = d.version()
	d.eval(`() => { const s = document.querySelector("#ramp [data-bands]"); s.value = "+"; s.dispatchEvent(new Event("change", { bubbles: true })) }`)
	d.stored(v)
	d.until("a band set", `() => document.querySelector('#ramp [aria-label="Name of the band set"]')?.value === "Bands 1"`)
}
