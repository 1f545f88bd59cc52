package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/network"
	"mobanta/core/node"
)

// From whichever node one goes to whichever other, the bench shows the values of that one: of every field, after each of them has
// been typed into before. Kinds whose fields are of the same types in the same order stand for each other.
func TestTheBenchShowsTheNodeThatIsChosen(t *testing.T) {
	d := start(t, "serve", "")
	res, err := http.Post(d.server.Address+"/projects", "application/x-www-form-urlencoded", strings.NewReader("name=Fields"))
	require.NoError(t, err)
	res.Body.Close()
	at := res.Request.URL.Path
	seen := map[string]bool{}
	var edits []string
	n := 0
	for _, k := range (node.Catalogue{}).All() {
		if k.Spec.Kind == network.FinishKind {
			continue
		}
		sign := ""
		for _, in := range k.Spec.Inputs {
			sign += fmt.Sprint(in.Type, in.Hidden, " ")
		}
		for _, s := range k.Spec.Settings {
			sign += fmt.Sprint(s.Type, " ")
		}
		if !seen[sign] {
			seen[sign] = true
			edits = append(edits, fmt.Sprintf(`{"op":"node.add","look":"look1","kind":%q}`, k.Spec.Kind))
			n++
		}
	}
	require.Greater(t, n, 25)
	res, err = http.Post(d.server.Address+at+"/edit", "application/json", strings.NewReader(`{"edits":[`+strings.Join(edits, ",")+`]}`))
	require.NoError(t, err)
	res.Body.Close()
	require.Equal(t, 200, res.StatusCode)
	require.NoError(t, d.Navigate(d.server.Address+at))
	d.until("the network", `() => window.mobanta && document.querySelectorAll("#net > .card-box").length > 20`)
	found := d.eval(`async () => {
		const at = performance.getEntriesByType("resource").map((r) => r.name).find((n) => /\/studio\.js/.test(n));
		const studio = await import(at);
		const ids = document.getElementById("bench-of").dataset.nodes.trim().split(/ +/).filter((id) => id !== "n4");
		const said = (root) => [...root.querySelectorAll("input, textarea, select")].filter((el) => el.type !== "file").map((el) =>
			[el.getAttribute("aria-label"), el.type, el.type === "checkbox" ? el.checked : el.localName === "select" && !el.options.length ? "" : el.value].join("|"));
		const fresh = {};
		const line = new MessageChannel(); // a task of its own, without the least time of setTimeout
		const pause = () => new Promise((r) => { line.port1.onmessage = r; line.port2.postMessage(""); });
		const bench = document.getElementById("bench");
		const kept = new Map(), real = window.fetch; // each panel is asked for once: what is tested is how one takes another's place
		window.fetch = async (url, more) => {
			if (!String(url).includes("/panel/bench?")) return real(url, more);
			if (!kept.has(url)) kept.set(url, await (await real(url, more)).text());
			return new Response(kept.get(url));
		};
		const show = async (id) => {
			for (const el of bench.querySelectorAll("input, textarea")) if (el.type !== "file") el.value = el.value; // as if it had been typed
			studio.state.node = id;
			studio.refresh("bench");
			const until = performance.now() + 10000;
			while (document.getElementById("bench-of")?.dataset.node !== id && performance.now() < until) await pause();
			await pause();
			await pause();
			const now = said(bench);
			if (!fresh[id]) { // as a page that begins with it shows it
				const res = await fetch(studio.base + "/panel/bench?" + studio.query());
				fresh[id] = said(new DOMParser().parseFromString("<div>" + await res.text() + "</div>", "text/html"));
			}
			return JSON.stringify(now) === JSON.stringify(fresh[id]) ? "" : now.filter((v, i) => v !== fresh[id][i]).join("; ") + " for " + fresh[id].filter((v, i) => v !== now[i]).join("; ");
		};
		document.documentElement.style.display = "none"; // the panel is not laid out each time
		const bad = [];
		let count = 0;
		for (let i = 0; i < ids.length; i++)
			for (let j = i + 1; j < ids.length; j++) {
				for (const id of [ids[i], ids[j]]) {
					const wrong = await show(id);
					count++;
					if (wrong && bad.length < 5) bad.push(ids[i] + ", " + ids[j] + ": " + wrong);
				}
			}
		return JSON.stringify({ bad, count });
	}`)
	var got struct {
		Bad   []string
		Count int
	}
	require.NoError(t, json.Unmarshal([]byte(found), &got), found)
	assert.Empty(t, got.Bad)
	assert.Greater(t, got.Count, 1000)
	t.Logf("%d nodes, %d swaps", n, got.Count)
}
