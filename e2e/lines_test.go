package e2e

import (
	"encoding/json"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A pen is found by what an artist calls it, draws at once, is seen as it draws on the bench, and is held another way by
// one choice.
func TestAPenIsFoundAndHeldInAnotherWay(t *testing.T) {
	look := `async () => JSON.stringify(await (await fetch("/p/saltlight/look.json?look=copper")).json())`
	d := start(t, "demo", "/p/saltlight?node=ink")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	v := d.version()
	d.find("nib", "Pen lines")
	d.press(input.Enter)
	d.stored(v)
	d.until("its bench", `() => document.querySelector("#bench [data-strip]") && [...document.querySelectorAll("#bench select")].some((s) => s.getAttribute("aria-label") === "Contours")`)
	assert.Contains(t, d.eval(look), `"pen-lines"`)
	assert.Contains(t, d.eval(look), `"lines":["ink.lines","n1.lines"]`, "on the lines that are there")
	d.until("the pens on the bench", `() => { const c = document.querySelector("#bench [data-strip]"), p = c.getContext("2d").getImageData(0, 0, c.width, c.height).data; let n = 0; for (let i = 0; i < p.length; i += 4) if (p[i] < 90 && p[i + 3] === 255) n++; return n > 200 }`)
	strip := `() => { const c = document.querySelector("#bench [data-strip]"); return c.toDataURL() }`
	before := d.eval(strip)
	v = d.version()
	d.eval(`() => { const s = document.querySelector('#bench select[aria-label="Contours"]'); s.value = "brush"; s.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.stored(v)
	d.until("another stroke", `(was) => document.querySelector("#bench [data-strip]")?.toDataURL() !== was`, before)
	assert.Contains(t, d.eval(look), `"brush"`)
}

// The lines of a picture as vectors, opened in the browser and laid over the picture, lie on the drawn ones.
func TestVectorsLieOnThePicture(t *testing.T) {
	d := start(t, "demo", "/p/harbour")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	got := d.eval(`async () => {
		const w = 960, h = 600, draw = async (as, type) => {
			const r = await (` + delivered + `)({ as, w, h, samples: 16 }), data = await r.blob();
			const img = new Image(); img.src = URL.createObjectURL(new Blob([data], { type })); await img.decode();
			const c = document.createElement("canvas"); c.width = w; c.height = h;
			const x = c.getContext("2d"); x.drawImage(img, 0, 0, w, h);
			const p = x.getImageData(0, 0, w, h).data, dark = new Uint8Array(w * h); // 2 for ink, 1 for some
			for (let i = 0; i < w * h; i++) { const s = p[4 * i] + p[4 * i + 1] + p[4 * i + 2]; dark[i] = s < 300 ? 2 : s < 560 ? 1 : 0 }
			return { dark, size: data.size, xml: as === "svg" ? await data.text() : "" };
		};
		const a = await draw("svg", "image/svg+xml"), b = await draw("png8", "image/png");
		const near = (of, x, y) => { for (let j = -1; j <= 1; j++) for (let i = -1; i <= 1; i++) if (of[(y + j) * w + x + i]) return true; return false };
		let all = 0, off = 0;
		for (let y = 1; y < h - 1; y++) for (let x = 1; x < w - 1; x++) for (const [p, q] of [[a.dark, b.dark], [b.dark, a.dark]]) if (p[y * w + x] === 2) { all++; if (!near(q, x, y)) off++ }
		const doc = new DOMParser().parseFromString(a.xml, "image/svg+xml");
		return JSON.stringify({ all, part: off / all, size: a.size, broken: doc.querySelector("parsererror") !== null, groups: [...doc.querySelectorAll("svg > g > title")].map((e) => e.textContent) });
	}`)
	require.NotEmpty(t, got)
	var found struct {
		All    int
		Part   float64
		Size   int
		Broken bool
		Groups []string
	}
	require.NoError(t, json.Unmarshal([]byte(got), &found))
	assert.Greater(t, found.All, 5000)
	assert.LessOrEqual(t, found.Part, 0.01, "within a pixel for 99 of 100")
	assert.Less(t, found.Size, 1<<20)
	assert.False(t, found.Broken)
	assert.Equal(t, []string{"Pen drawing", "Sea in pen"}, found.Groups)
}
