package e2e

import (
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/e2e/drive"
)

// lookFile returns the look as its file.
func (d *desk) lookFile() string {
	d.t.Helper()
	res, err := http.Get(d.server.Address + d.eval(`() => location.pathname`) + "/look.json?look=look1")
	require.NoError(d.t, err)
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	require.NoError(d.t, err)
	return string(data)
}

// open starts a project with a sphere on its stage.
func (d *desk) open() {
	d.t.Helper()
	d.click(`main form button.strong`)
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	v := d.version()
	d.click(`#hint button[data-edit*=sphere]`)
	d.stored(v)
}

// chosen waits until a node's settings are on the bench.
func (d *desk) chosen(id string) {
	d.t.Helper()
	d.until(id+" is on the bench", `id => mobanta.state.node === id && document.querySelector("#bench [hx-vals*='\"node\":\"" + id + "\"']") !== null && document.getElementById("card-" + id) !== null`, id)
}

func TestTheSameNetworkByKeyboardAndByMouse(t *testing.T) {
	byKeys := keyboardLook(t)
	byMouse := mouseLook(t)
	assert.Equal(t, byKeys, byMouse)
	assert.Equal(t, 12, strings.Count(byKeys, `"id":`), byKeys)
}

func keyboardLook(t *testing.T) string {
	d := start(t, "serve", "/")
	d.open()
	reach := func(selector string) {
		t.Helper()
		for range 60 {
			if d.eval(`s => String(Boolean(document.activeElement?.matches(s)))`, selector) == "true" {
				return
			}
			d.press(input.Tab)
		}
		t.Fatalf("Tab never reaches %s", selector)
	}
	// pick chooses a source for an input of the chosen node: by name, or a new node.
	pick := func(to, name string) {
		t.Helper()
		v := d.version()
		d.eval(`() => { document.activeElement.blur(); return "" }`)
		d.press(input.KeyW)
		reach(`#bench [data-pick="` + to + `"]`)
		d.press(input.Enter)
		d.until("the sources", `() => document.getElementById("picker").open && document.querySelectorAll("#picks .pick").length > 0`)
		if name != "" {
			d.typeText(name)
			d.until("the source is first", `n => document.querySelector("#picks .pick[aria-selected=true]")?.textContent.includes(n)`, name)
			d.press(input.Enter)
			d.stored(v)
			return
		}
		for d.eval(`() => String(document.querySelector("#picks .pick[aria-selected=true]")?.dataset.addTo !== undefined)`) != "true" {
			d.press(input.ArrowDown)
		}
		d.press(input.Enter)
	}
	add := func(words, id string) {
		t.Helper()
		v := d.version()
		d.until("the search", `() => document.getElementById("search").open`)
		d.typeText(words)
		d.until("it is found", `w => document.querySelector(".result[aria-selected=true] b")?.textContent === w`, words)
		d.press(input.Enter)
		d.stored(v)
		d.chosen(id)
	}
	find := func(name, id string) {
		t.Helper()
		d.eval(`() => { document.activeElement.blur(); return "" }`)
		d.chord(false, input.KeyF)
		d.typeText(name)
		d.press(input.Enter)
		d.chosen(id)
	}
	find("Ramp", "n2")
	pick("n2.tone", "")
	add("Tone adjust", "n5")
	d.press(input.Slash)
	add("Highlight", "n6")
	d.press(input.Slash)
	add("Soft step", "n7")
	pick("n7.tone", "Highlight")
	find("Finish", "n4")
	pick("n4.colour", "")
	add("Blend", "n8")
	pick("n8.amount", "Soft step")
	v := d.version()
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.KeyB)
	reach(`#bench input[aria-label="over, hex"]`)
	d.chord(false, input.KeyA)
	d.typeText("#FFF6DC")
	d.press(input.Enter)
	d.stored(v)
	v = d.version()
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.F2)
	d.chord(false, input.KeyA)
	d.typeText("Glint")
	d.press(input.Enter)
	d.stored(v)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.Slash)
	add("Outline", "n9")
	find("Finish", "n4")
	pick("n4.colour", "")
	add("Blend", "n10")
	pick("n10.amount", "Outline")
	v = d.version()
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.KeyB)
	reach(`#bench select[aria-label="Mode"]`)
	d.press(input.Key('M'), input.Key('u'), input.Key('l'))
	d.stored(v)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.Slash)
	add("Colour", "n11")
	find("Blend", "n10")
	pick("n10.over", "Colour")
	d.press(input.Slash)
	add("Facing", "n12")
	return d.lookFile()
}

func mouseLook(t *testing.T) string {
	d := start(t, "serve", "/")
	d.open()
	add := func(name, id string) {
		t.Helper()
		v := d.version()
		d.until("the search", `() => document.getElementById("search").open`)
		d.until("it is listed", `n => [...document.querySelectorAll(".result b")].some((b) => b.textContent === n)`, name)
		kind := d.eval(`n => [...document.querySelectorAll(".result")].find((r) => r.querySelector("b").textContent === n).dataset.tried`, name)
		d.click(`.result[data-tried="` + kind + `"]`)
		d.stored(v)
		d.chosen(id)
	}
	pull := func(from, to string) {
		t.Helper()
		v := d.version()
		x0, y0 := d.middle(`[data-out="` + from + `"]`)
		x1, y1 := d.middle(to)
		d.drag(x0, y0, x1, y1)
		d.stored(v)
		time.Sleep(200 * time.Millisecond) // the panels follow
	}
	into := func(input, name, id string) {
		t.Helper()
		// The middle of a wire's last, upright piece, once it lies still.
		place := `to => { const p = document.querySelector('.wire[data-wire-to="' + to + '"] .wire-hit'), at = p.getPointAtLength(p.getTotalLength() - 4), m = p.getScreenCTM();
			return [at.x * m.a + m.e, at.y * m.d + m.f]; }`
		d.until("a wire that lies still", `async to => {
			const place = `+place+`, was = place(to);
			await new Promise((r) => setTimeout(r, 150));
			const [x, y] = place(to);
			return was[0] === x && was[1] === y && document.elementFromPoint(x, y)?.closest(".wire")?.dataset.wireTo === to;
		}`, input)
		r, err := d.Eval(place, input)
		require.NoError(t, err)
		at := r.Value.Arr()
		x, y := at[0].Num(), at[1].Num()
		d.drag(x, y, x, y)
		add(name, id)
	}
	into("n2.tone", "Tone adjust", "n5")
	d.click("#add")
	add("Highlight", "n6")
	// Pulled into the open: a place of the panel with nothing on it.
	x0, y0 := d.middle(`[data-out="n6.tone"]`)
	x1, y1 := d.middle(`.net-head .grow`)
	_ = y1
	d.drag(x0, y0, x1+30, y0+260)
	add("Soft step", "n7")
	into("n4.colour", "Blend", "n8")
	pull("n7.tone", `[data-in="n8.amount"]`)
	v := d.version()
	d.click(`[data-card="n8"]`)
	d.chosen("n8")
	hex := d.el(`#bench input[aria-label="over, hex"]`)
	require.NoError(t, hex.SelectAllText())
	d.typeText("#FFF6DC")
	d.press(input.Enter)
	d.stored(v)
	v = d.version()
	name := d.el("#node-name")
	require.NoError(t, name.SelectAllText())
	d.typeText("Glint")
	d.press(input.Enter)
	d.stored(v)
	d.click("#add")
	add("Outline", "n9")
	into("n4.colour", "Blend", "n10")
	pull("n9.tone", `[data-in="n10.amount"]`)
	d.click(`[data-card="n10"]`)
	d.chosen("n10")
	v = d.version()
	require.NoError(t, d.el(`#bench select[aria-label="Mode"]`).Select([]string{"Multiply"}, true, "text"))
	d.stored(v)
	d.click("#add")
	add("Colour", "n11")
	pull("n11.colour", `[data-in="n10.over"]`)
	d.click("#add")
	add("Facing", "n12")
	return d.lookFile()
}

func TestSectionsGroupsAndTwoTabs(t *testing.T) {
	d := start(t, "demo", "/p/saltlight")
	d.settled()
	other, err := drive.Open(d.window, d.server.Address+"/p/saltlight", 1280, 800)
	require.NoError(t, err)
	defer other.Close()
	_, err = d.Activate() // a page in the background does not paint
	require.NoError(t, err)

	v := d.version()
	d.click(`[data-card="light"]`)
	d.chosen("light")
	d.eval(`() => { document.querySelector("#card-bands").dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey: true })); return "" }`)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.press(input.KeyE)
	d.stored(v)
	d.until("a frame round both", `() => document.querySelectorAll(".frame").length >= 2 && document.getElementById("card-s1")`)
	v = d.version()
	d.click(`.frame-name:has(#card-s1) .fold`)
	d.stored(v)
	d.until("one card", `() => document.querySelector(".is-section") && !document.getElementById("card-light")`)
	v = d.version()
	d.click(`.is-section .fold`)
	d.stored(v)
	d.until("open again", `() => document.getElementById("card-light")`)

	v = d.version()
	d.click(`[data-card="rim"]`)
	d.chosen("rim")
	d.eval(`() => { document.querySelector("#card-rounded").dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey: true })); return "" }`)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.settled()
	before := d.pixels("#D4843F")
	d.press(input.KeyU)
	d.stored(v)
	assert.Equal(t, before, d.pixels("#D4843F"), "a group changes nothing")
	d.until("the group's card", `() => document.querySelector(".card.is-group")`)
	d.eval(`() => { document.querySelector(".card.is-group").dispatchEvent(new MouseEvent("dblclick", { bubbles: true })); return "" }`)
	d.until("the group is open", `() => document.querySelectorAll("#net .card-box").length === 2 && mobanta.state.group !== ""`)
	v = d.version()
	d.click(`[data-card="rim"]`)
	d.until("rim", `() => document.getElementById("node-name").value === "Rim shade"`)
	d.click(`#bench .field-lift`)
	d.stored(v)
	d.eval(`() => { document.activeElement.blur(); return "" }`)
	d.chord(true, input.KeyI)
	d.press(input.ShiftLeft)
	d.eval(`() => { document.querySelector("[data-out-of]")?.click(); return "" }`)
	d.until("back in the look", `() => mobanta.state.path === "" && document.querySelector(".card.is-group")`)
	d.click(".card.is-group")
	d.until("its input is on the bench", `() => document.querySelector('#bench input[aria-label="thickness"]')`)

	got, err := other.Eval(`() => new Promise((done) => { const look = () => document.querySelector(".card.is-group") ? done(mobanta.state.version) : setTimeout(look, 50); look(); })`)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, got.Value.Int(), v, "the other tab is in step")
}
