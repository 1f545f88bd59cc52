package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"sort"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// barriers runs axe-core over what the page shows now, or over the part of it that has changed, and returns what it finds
// against WCAG 2.2 at levels A and AA. What is dim differs in its colours alone: their contrast is measured there too.
func (d *desk) barriers(where, part string) []string {
	d.t.Helper()
	var out []string
	for _, theme := range []string{"light", "dim"} {
		d.eval(`t => { document.documentElement.dataset.theme = t; document.documentElement.classList.toggle("dim", t === "dim") }`, theme)
		text := d.eval(`async (part) => {
			const only = document.documentElement.dataset.theme === "dim" ? { type: "rule", values: ["color-contrast"] } : { type: "tag", values: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"] };
			const r = await axe.run(part === "body" ? document : document.querySelector(part), { resultTypes: ["violations"], runOnly: only });
			return JSON.stringify(r.violations.map(v => ({ id: v.id, help: v.help, nodes: v.nodes.map(n => n.target.join(" ") + " " + (n.any[0] ?? n.all[0] ?? n.none[0])?.message) })));
		}`, part)
		var found []struct {
			ID, Help string
			Nodes    []string
		}
		require.NoError(d.t, json.Unmarshal([]byte(text), &found))
		for _, f := range found {
			out = append(out, fmt.Sprintf("%s, %s: %s (%s) at %d places:\n    %s", where, theme, f.ID, f.Help, len(f.Nodes), strings.Join(f.Nodes[:min(4, len(f.Nodes))], "\n    ")))
		}
	}
	return out
}

// Every page, panel and dialog is looked over by a checker.
func TestNoBarriers(t *testing.T) {
	source, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal("axe-core is missing: run make test, which brings it, or make node_modules")
	}
	d := start(t, "demo", "/")
	var found []string
	part := func(where, of string) { found = append(found, d.barriers(where, of)...) }
	look := func(where string) { part(where, "body") }
	at := func(path string) {
		require.NoError(t, d.Navigate(d.server.Address+path))
		require.NoError(t, d.WaitLoad())
		_, err := d.Eval("() => {" + string(source) + "}")
		require.NoError(t, err)
	}
	at("/")
	look("shelf")
	at("/bin")
	look("bin")
	at("/help")
	look("help")
	at("/settings")
	look("settings")
	at("/p/saltlight/deliver")
	d.until("the page to order from", `() => /^About /.test(document.getElementById("order-says").textContent)`)
	d.eval(`() => { document.getElementById("order-go").click(); return "" }`)
	d.until("a job", `() => document.querySelector(".order-job")`)
	look("deliver")
	at("/p/saltlight/compare")
	d.until("both sides", `() => /16 positions/.test(document.getElementById("compare-says").textContent)`)
	look("compare")
	at("/p/saltlight/sheet?axis=sun/key=0,60&axis=swatch/night=%231A1B24,%23D4843F")
	look("sheet")
	at("/p/nobody")
	look("a page that is not there")
	at("/p/saltlight")
	d.settled()
	look("desk")
	for _, tab := range []string{"list", "front", "colours", "stage"} {
		d.eval(`async t => { document.querySelector("[data-tab=" + t + "]").click(); for (let i = 0; i < 100 && !document.getElementById(t).textContent.trim(); i++) await new Promise(r => setTimeout(r, 50)) }`, tab)
		part("tab "+tab, "#"+tab)
	}
	d.eval(`() => document.querySelector("[data-tab=network]").click()`)
	open := func(what, js, shown string) {
		t.Helper()
		d.eval(js)
		d.el(shown)
		look(what)
		require.NoError(t, d.Keyboard.Press(input.Escape))
		d.eval(`() => { for (const e of document.querySelectorAll("dialog[open]")) e.close(); document.getElementById("menu").hidePopover?.() }`)
	}
	open("search", `() => document.getElementById("add").click()`, "#search[open] .result")
	open("sources", `() => document.querySelector("#bench [data-pick]").click()`, "#picker[open] .pick")
	open("starting points", `() => document.querySelector("[data-starts]").click()`, "#starts[open] [data-start]")
	d.eval(`() => document.querySelector("[data-tab=stagings]").click()`)
	d.el("#stagings .staging")
	part("stagings", "#stagings")
	d.eval(`() => document.querySelector("[data-tab=network]").click()`)
	open("menu", `() => document.querySelector("[data-menu]").click()`, "#menu:popover-open button")
	d.eval(`() => document.querySelector("[data-checks]").click()`)
	look("checks")
	d.eval(`() => document.querySelector("[data-checks]").click()`)
	d.eval(`() => mobanta.picture.tool("light")`)
	look("light tool")
	// The bench of every kind that the sample projects hold, and of a group.
	kinds := map[string]bool{}
	for _, p := range []string{"saltlight", "bell-buoy", "keepers-lamp"} {
		at("/p/" + p)
		d.el("#network [data-card]") // cards and benches are there before the picture has settled
		var nodes []struct{ ID, Kind string }
		require.NoError(t, json.Unmarshal([]byte(d.eval(`() => JSON.stringify([...document.querySelectorAll("#network [data-card]")].map(e => ({ id: e.dataset.card, kind: e.querySelector(".card-kind, .quiet")?.textContent ?? "" })))`)), &nodes))
		for _, n := range nodes {
			if kinds[n.Kind] {
				continue
			}
			kinds[n.Kind] = true
			d.eval(`async id => { document.querySelector('#network [data-card="' + id + '"]').click(); for (let i = 0; i < 100 && document.getElementById("bench-of")?.dataset.node !== id; i++) await new Promise(r => setTimeout(r, 30)) }`, n.ID)
			part("bench of "+n.Kind, "#bench")
		}
	}
	at("/")
	d.eval(`() => document.querySelector("form[action='/projects'] button, [data-new]")?.click()`)
	d.el("#easel")
	_, err = d.Eval("() => {" + string(source) + "}")
	require.NoError(t, err)
	look("an empty project")
	sort.Strings(found)
	assert.Empty(t, found, strings.Join(found, "\n"))
}
