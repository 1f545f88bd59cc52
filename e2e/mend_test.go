package e2e

import (
	"slices"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// A crate with a face that looks inward is brought in: that is said; checks name it and mend it at a press, with a link to before
// and after; on the stage panel it is left as it came, by the keyboard.
func TestAModelWithFaultsIsMended(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 1, 1})
	slices.Reverse(m.Face(2))
	d := broughtIn(t, m, "1 turned face")
	d.press(input.Digit5)
	toggle := `button.toggle[data-edit*='"mend"']`
	d.until("as they came", `s => document.querySelector(s)?.textContent.includes("as they came")`, toggle)

	d.press(input.KeyH)
	d.until("a check", `() => [...document.querySelectorAll(".check h3")].some(h => h.textContent === "A model with faults")`)
	assert.Contains(t, d.eval(`() => document.querySelector('.check a[href*="a=came"]')?.getAttribute("href") || ""`), "b=mended")
	v := d.version()
	d.click(`.check button[data-edits*='"mend"']`)
	d.stored(v)
	d.until("mended", `s => document.querySelector(s)?.getAttribute("aria-pressed") === "true"`, toggle)
	d.until("nothing is wrong any more", `() => ![...document.querySelectorAll(".check h3")].some(h => h.textContent === "A model with faults")`)
	d.press(input.Escape)
	last := `button.toggle[title^="Faces that look inward"]`
	d.until("what is mended", `s => document.querySelector(s)?.textContent.includes("turned faces")`, last)
	v = d.version()
	d.eval(`s => { document.querySelector(s).focus(); return "" }`, last)
	d.press(input.Enter)
	d.stored(v)
	d.until("left again", `s => document.querySelector(s)?.textContent.includes("as they came")`, toggle)
}
