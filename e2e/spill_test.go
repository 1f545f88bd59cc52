package e2e

import "testing"

// Nothing that one presses or reads stands out of its own box, in any view of the
// sample projects.
func TestNothingSpillsOutOfItsBox(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?node=shine")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	tight := func(view string) {
		t.Helper()
		d.until(view+" without spilling", `() => {
			const spilt = [...document.querySelectorAll("button, label, summary, h2, h3, .field, .field-name, .chip, .band-name")].filter((e) => {
				if (!e.checkVisibility() || getComputedStyle(e).overflowX === "hidden") return false;
				const box = e.getBoundingClientRect(), walk = document.createTreeWalker(e, NodeFilter.SHOW_TEXT);
				for (let n; (n = walk.nextNode()); ) {
					if (n.parentElement.closest(".sr-only, select, option, textarea") || getComputedStyle(n.parentElement).overflowX === "hidden") continue;
					const text = document.createRange();
					text.selectNodeContents(n);
					if ([...text.getClientRects()].some((r) => r.width > 1 && (r.right > box.right + 1 || r.bottom > box.bottom + 3))) return true;
				}
				return false;
			});
			document.getElementById("said").textContent = spilt.map((e) => e.className + ": " + e.textContent.trim().slice(0, 40)).join("; ");
			return spilt.length === 0;
		}`)
	}
	for tab, holds := range map[string]string{"network": ".card-text", "list": ".list-port", "front": ".dial-name", "colours": "#colours button", "stage": "[data-light-block] .field"} {
		d.click(`[data-tab="` + tab + `"]`)
		d.until(tab, `holds => document.querySelector(holds)?.checkVisibility()`, holds)
		tight(tab)
	}
	d.click("#checks-button")
	tight("the checks")
}
