package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"image/png"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/e2e/drive"
)

// delivered is JavaScript that orders, waits, and returns the answer with the file.
const delivered = `async (order) => {
	const base = location.pathname.split("/").slice(0, 3).join("/"), headers = { "Content-Type": "application/json", Accept: "application/json" };
	const a = await (await fetch(base + "/orders", { method: "POST", headers, body: JSON.stringify(order) })).json();
	if (a.error) throw new Error(a.error);
	for (;;) {
		const s = await (await fetch(base + "/orders/" + a.job, { headers })).json();
		if (s.state === "done") return fetch(base + "/orders/" + a.job + "/file");
		if (["failed", "cancelled"].includes(s.state)) throw new Error(s.state + " " + s.why);
		await new Promise((r) => setTimeout(r, 100));
	}
}`

// A staging is kept by a key, gone back to by a press, undone, and compared by a wipe.
func TestATakeIsKeptGoneBackToAndCompared(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?size=320x200")
	d.settled()
	first := d.shot()
	v := d.version()
	require.NoError(t, d.KeyActions().Press(input.ShiftLeft).Type(input.KeyT).Do())
	d.stored(v)
	d.until("its picture among the stagings", `() => !document.getElementById("stagings").hidden && [...document.querySelectorAll(".staging input[name=name]")].some((e) => e.value === "Staging 4")`)
	d.until("it is where the project is", `() => document.querySelector(".staging.is-here [name=name]")`)
	v = d.version()
	x, y := d.middle("#picture")
	d.drag(x, y, x+60, y+10)
	d.stored(v)
	d.settled()
	turned := d.shot()
	require.NotEqual(t, first, turned)
	d.until("the project is elsewhere", `() => ![...document.querySelectorAll(".staging.is-here [name=name]")].some((e) => e.value === "Staging 4")`)
	v = d.version()
	d.eval(`() => { [...document.querySelectorAll(".staging")].find((e) => e.querySelector("[name=name]")?.value === "Staging 4").querySelector("button.staging-face").click(); return "" }`)
	d.stored(v)
	d.settled()
	assert.Equal(t, first, d.shot(), "the very same picture")
	v = d.version()
	d.click("#undo")
	d.stored(v)
	d.settled()
	assert.Equal(t, turned, d.shot())

	kept := d.eval(`() => [...document.querySelectorAll(".staging")].find((e) => e.querySelector("[name=name]")?.value === "Staging 4").id.slice(5)`)
	require.NoError(t, d.Navigate(d.server.Address+"/p/saltlight/compare?a=staging/"+kept+"&b=now"))
	drawn := `() => /16 positions/.test(document.getElementById("compare-says").textContent)`
	d.until("both sides", drawn)
	at := func() string {
		return d.eval(`() => document.getElementById("wipe-line").getAttribute("aria-valuenow")`)
	}
	assert.Equal(t, "50", at())
	lx, ly := d.middle("#wipe-line")
	d.drag(lx, ly, lx/2, ly)
	assert.Equal(t, "25", at())
	d.eval(`() => { document.getElementById("compare-easel").focus(); return "" }`)
	d.press(input.ArrowRight)
	assert.Equal(t, "26", at())
	// What lies left of the line is the one side, right of it the other.
	sides := d.eval(`() => { const clip = (s) => getComputedStyle(document.querySelector(s)).clipPath; return clip(".side-a") + " " + clip(".side-b") }`)
	assert.Regexp(t, `^inset\(0px (74|73\.\d+)% 0px 0px\) inset\(0px 0px 0px 26(\.\d+)?%\)$`, sides)
	d.eval(`() => { document.querySelector('[data-way-of="difference"]').click(); const f = document.getElementById("compare-form").elements; f.b.value = f.a.value; f.b.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.until("both sides again", drawn)
	assert.Equal(t, "true", d.eval(`() => String(document.getElementById("side-a").src === document.getElementById("side-b").src)`))
	d.until("a pixel asked on both sides", `async () => {
		const r = document.getElementById("compare-easel").getBoundingClientRect(), el = document.getElementById("compare-easel");
		el.setPointerCapture = () => {};
		for (const type of ["pointerdown", "pointerup"]) el.dispatchEvent(new PointerEvent(type, { clientX: r.left + r.width / 2, clientY: r.top + r.height * 0.6, pointerId: 1, button: 0, bubbles: true }));
		await new Promise((done) => setTimeout(done, 2500));
		return !document.getElementById("compare-trails").hidden && document.querySelectorAll("#trail-a .trail-node").length > 3 && document.querySelectorAll("#trail-b .trail-node").length > 3;
	}`)
}

// A sheet is chosen, drawn and pressed; a cell of it is kept as a staging; it leaves as a picture.
func TestASheetIsDrawnAndPressed(t *testing.T) {
	d := start(t, "demo", "/p/saltlight/sheet")
	d.until("the page", `() => document.querySelectorAll("[data-axis]").length === 3`)
	pick := `(n, name, values) => {
		const axis = document.querySelectorAll("[data-axis]")[n], s = axis.querySelector("[data-of]");
		s.value = [...s.options].find((o) => o.textContent.includes(name)).value;
		s.dispatchEvent(new Event("change", { bubbles: true }));
		const f = axis.querySelector("input"); f.value = values; f.dispatchEvent(new Event("change", { bubbles: true })); return "";
	}`
	d.eval(pick, 0, "Key sun", "-60, 10, 80")
	d.eval(pick, 1, "Size of the spot", "0.2, 0.5")
	d.eval(`() => { document.getElementById("cell-size").value = "160x100"; document.getElementById("sheet-form").requestSubmit(); return "" }`)
	d.until("all cells", `() => document.querySelectorAll(".sheet-cell img").length === 6 && document.getElementById("sheet-says").textContent === "6 pictures"`)
	assert.Equal(t, "0.2, 10°", d.eval(`() => document.querySelector('[data-cell="1"]').getAttribute("aria-label")`))
	d.eval(`() => { document.querySelector('[data-cell="0"]').focus(); return "" }`)
	d.press(input.ArrowDown)
	assert.Equal(t, "0.5, -60°", d.eval(`() => document.getElementById("sheet-name").textContent`), "by keys")
	d.eval(`() => { document.querySelector("[data-keep-cell]").click(); return "" }`)
	d.until("it is kept", `() => /is kept as a staging/.test(document.getElementById("said").textContent)`)
	d.click(`[data-cell="2"]`)
	d.until("it is taken", `() => /is now as 0.2, 80°/.test(document.getElementById("said").textContent)`)
	d.eval(`() => { document.querySelector('[data-sheet-as="sheetpng"]').click(); return "" }`)
	d.until("its file", `() => document.querySelector("#sheet-file a")`)
	size := d.eval(`async () => { const b = await createImageBitmap(await (await fetch(document.querySelector("#sheet-file a").href)).blob()); return b.width + " " + b.height }`)
	assert.Regexp(t, `^5\d\d 3\d\d$`, size)

	require.NoError(t, d.Navigate(d.server.Address+"/p/saltlight"))
	d.until("the desk", `() => window.mobanta?.picture.shown?.done`)
	d.eval(`() => { document.querySelector("[data-tab=stagings]").click(); return "" }`)
	d.until("the staging of the cell", `() => [...document.querySelectorAll(".staging [name=name]")].some((e) => e.value === "0.5, -60°")`)
	assert.Contains(t, d.eval(`() => document.getElementById("undo").textContent`), "changed")
}

// A picture is ordered, watched and saved; its bytes are those of the command line.
func TestAPictureIsOrderedWatchedAndSaved(t *testing.T) {
	d := start(t, "demo", "/p/saltlight/deliver")
	d.until("what it takes", `() => /^About /.test(document.getElementById("order-says").textContent)`)
	dir := t.TempDir()
	require.NoError(t, proto.BrowserSetDownloadBehavior{Behavior: proto.BrowserSetDownloadBehaviorBehaviorAllow, DownloadPath: dir, BrowserContextID: d.window.BrowserContextID}.Call(browser))
	d.eval(`() => { const f = document.getElementById("order-form").elements; f.w.value = 300; f.h.value = 400; f.clear.value = "1"; f.samples.value = "4"; document.querySelector("[name=as]:not(:disabled)").value = "png16"; f.w.dispatchEvent(new Event("input", { bubbles: true })); f.w.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.until("the size", `() => document.getElementById("deliver-what").textContent === "300 × 400 pixels" && document.getElementById("order-form").elements.size.value === "own"`)
	d.until("what that takes", `() => /^About /.test(document.getElementById("order-says").textContent)`)
	d.click("#order-go")
	d.until("it is done", `() => document.querySelector('.order-job[data-state="done"] a[download]')`)
	d.click(`.order-job[data-state="done"] a[download]`)
	var data []byte
	require.Eventually(t, func() bool {
		files, _ := filepath.Glob(filepath.Join(dir, "*.png"))
		if len(files) == 1 {
			data, _ = os.ReadFile(files[0])
		}
		return len(data) > 0
	}, 20*time.Second, 50*time.Millisecond)
	bundle, out := filepath.Join(dir, "s.zip"), filepath.Join(dir, "out.png.cli")
	_, err := drive.Run(binary, "bundle", "export", "saltlight", "--data", d.server.Data(), "--out", bundle)
	require.NoError(t, err)
	_, err = drive.Run(binary, "render", "--bundle", bundle, "--size", "300x400", "--samples", "4", "--format", "png16", "--transparent", "--out", out)
	require.NoError(t, err)
	want, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(want, data))

	d.eval(`() => { const f = document.getElementById("order-form").elements; f.w.value = "0"; f.w.dispatchEvent(new Event("change", { bubbles: true })); return "" }`)
	d.until("what is wrong", `() => /1 to 32768 pixels/.test(document.getElementById("order-says").textContent) && document.getElementById("order-go").disabled`)
	d.eval(`() => { document.querySelector("[data-forget]").click(); return "" }`)
	d.until("an empty list", `() => !document.querySelector(".order-job")`)
}

// A job goes on when the studio is ended in its midst, and stops when it is cancelled.
func TestAJobOutlivesAKillAndIsCancelled(t *testing.T) {
	d := start(t, "demo", "/p/keepers-lamp/deliver")
	d.until("what it takes", `() => /^About /.test(document.getElementById("order-says").textContent)`)
	order := `(as) => { document.querySelector('[value="moving picture"]').click(); const f = document.getElementById("order-form").elements; f.w.value = 480; f.h.value = 300; f.samples.value = "16"; f.last.value = "23"; document.querySelector("[name=as]:not(:disabled)").value = as; document.getElementById("order-form").requestSubmit(); return "" }`
	d.eval(order, "frames")
	d.until("some of it", `() => Number(document.querySelector(".order-job progress")?.value) >= 10`)
	made := d.eval(`() => document.querySelector(".order-job progress").value`)
	d.server.Kill()
	again, err := d.server.Again()
	require.NoError(t, err)
	d.server = again
	d.until("it is done", `() => document.querySelector('.order-job[data-state="done"] a[download]')`)
	assert.NotEqual(t, "100", made)
	got := d.eval(`async () => { const b = new Uint8Array(await (await fetch(document.querySelector(".order-job a[download]").href)).arrayBuffer()); let s = ""; for (let i = 0; i < b.length; i += 30000) s += String.fromCharCode(...b.subarray(i, i + 30000)); return btoa(s) }`)
	var data []byte
	require.NoError(t, json.Unmarshal([]byte(`"`+got+`"`), &data))
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Len(t, z.File, 24)
	seen := map[string]bool{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		img, err := png.Decode(r)
		require.NoError(t, err)
		assert.Equal(t, 480, img.Bounds().Dx())
		seen[f.Name] = true
	}
	assert.Len(t, seen, 24)

	d.eval(order, "gif")
	d.until("it is drawn", `() => document.querySelector("[data-cancel]")`)
	d.click("[data-cancel]")
	d.until("it is cancelled", `() => document.querySelector('.order-job[data-state="cancelled"]')`)
}

// Moving pictures are read by the browser: as many frames as there are, each as long as it lasts.
func TestMovingPicturesPlayInTheBrowser(t *testing.T) {
	d := start(t, "demo", "/p/signal-flare/deliver")
	d.until("the page", `() => document.getElementById("order-form")`)
	for as, type_ := range map[string]string{"apng": "image/png", "gif": "image/gif", "webp": "image/webp"} {
		got := d.eval(`async (as, type) => {
			const r = await (`+delivered+`)({ as, w: 80, h: 90, samples: 1, first: 2, last: 9 });
			const dec = new ImageDecoder({ data: await r.arrayBuffer(), type });
			await dec.tracks.ready; await dec.completed;
			const n = dec.tracks.selectedTrack.frameCount; let lasts = 0, wide = 0;
			for (let k = 0; k < n; k++) { const { image } = await dec.decode({ frameIndex: k }); lasts += image.duration; wide = image.codedWidth + " " + image.codedHeight; image.close() }
			return n + " frames, " + Math.round(lasts / 10000) + " hundredths, " + wide + ", " + dec.tracks.selectedTrack.repetitionCount;
		}`, as, type_)
		assert.Regexp(t, `^8 frames, 6[67] hundredths, 80 90, Infinity$`, got, as) // two thirds of a second
	}
}
