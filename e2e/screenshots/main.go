// Command screenshots takes the pictures of docs/screenshots from the sample project.
package main

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/go-rod/rod"

	"mobanta/e2e/drive"
)

// view is one picture: where to go and what to do there.
type view struct {
	name, path string
	desk       bool          // wait for the picture to settle
	do         string        // JavaScript to run before
	wait       time.Duration // for what comes late
}

var views = []view{
	{name: "desk", path: "/p/saltlight", desk: true},
	{name: "stage", path: "/p/bell-buoy?light=torch", desk: true, do: `document.querySelector('[data-tab="stage"]').click(); setTimeout(() => document.getElementById("stage").scrollTop = document.querySelector("[data-light-block]").offsetTop - 90, 900)`},
	{name: "search", path: "/p/saltlight", desk: true, do: `document.getElementById("add").click(); const i = document.getElementById("search-text"); i.value = "crevices"; i.dispatchEvent(new Event("input", { bubbles: true }))`},
	{name: "play", path: "/p/signal-flare", desk: true, do: `document.getElementById("moment").click()`, wait: 5 * time.Second},
	{name: "front", path: "/p/saltlight?node=shine", desk: true, do: `document.querySelector('[data-tab="front"]').click()`},
	{name: "starts", path: "/p/saltlight", desk: true, do: `document.querySelector("[data-starts]").click()`, wait: 6 * time.Second},
	{name: "stagings", path: "/p/saltlight", desk: true, do: `document.querySelector('[data-tab="stagings"]').click()`, wait: 4 * time.Second},
	{name: "compare", path: "/p/bell-buoy/compare?a=staging/staging1&b=staging/staging2", wait: 5 * time.Second},
	{name: "sheet", path: "/p/saltlight/sheet", do: `const pick = (n, name, values) => { const a = document.querySelectorAll("[data-axis]")[n], s = a.querySelector("[data-of]"); s.value = [...s.options].find((o) => o.textContent.includes(name)).value;
			s.dispatchEvent(new Event("change", { bubbles: true })); const f = a.querySelector("input"); f.value = values; f.dispatchEvent(new Event("change", { bubbles: true })) };
		pick(0, "Key sun", "-70, -20, 30, 80, 130"); pick(1, "Size of the spot", "0.2, 0.4, 0.6"); document.getElementById("cell-size").value = "160x100"; setTimeout(() => document.getElementById("sheet-form").requestSubmit(), 100)`, wait: 6 * time.Second},
	{name: "deliver", path: "/p/signal-flare/deliver", do: `const form = document.getElementById("order-form"), f = form.elements, set = (n, v) => { f[n].value = v; f[n].dispatchEvent(new Event("change", { bubbles: true })) };
		form.requestSubmit(); setTimeout(() => { document.querySelector('[value="moving picture"]').click(); document.querySelector("[name=as]:not(:disabled)").value = "webp"; set("size", "1080x1080@0"); setTimeout(() => form.requestSubmit(), 500) }, 1500)`, wait: 12 * time.Second},
	{name: "light", path: "/p/bell-buoy?node=torchcut&light=torch", desk: true, do: `mobanta.picture.tool("light")`},
	{name: "trail", path: "/p/bell-buoy?look=hull-paint", desk: true, do: `mobanta.picture.tool("ask"); const c = document.getElementById("picture"), r = c.getBoundingClientRect(); c.setPointerCapture = () => {};
		for (const t of ["pointerdown", "pointerup"]) c.dispatchEvent(new PointerEvent(t, { clientX: r.left + 0.4 * r.width, clientY: r.top + 0.74 * r.height, pointerId: 1, bubbles: true }))`},
	{name: "checks", path: "/p/bell-buoy?look=swell", desk: true, do: `document.getElementById("checks-button").click()`},
	{name: "comic", path: "/p/comic-page?node=dots", desk: true},
	{name: "press", path: "/p/printed-buoy", desk: true, do: `document.querySelector('[data-tab="stage"]').click(); setTimeout(() => (document.getElementById("stage").scrollTop = 1e5), 900)`},
	{name: "keeper", path: "/p/the-keeper?node=dark", desk: true},
	{name: "dim", path: "/p/harbour?node=ink", desk: true, do: `document.querySelector("[data-theme-toggle]").click()`},
	{name: "shelf", path: "/", do: `document.querySelector("[data-theme-toggle]").click()`},
	{name: "help", path: "/help"},
}

func main() {
	if err := run(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run(out string) error {
	return drive.Demo(1280, 800, func(s *drive.Server, b *rod.Browser) error {
		for _, v := range views {
			if len(os.Args) > 2 && !slices.Contains(os.Args[2:], v.name) { // those that are named alone
				continue
			}
			if err := take(b, s.Address, v, filepath.Join(out, v.name+".png")); err != nil {
				return fmt.Errorf("%s: %w", v.name, err)
			}
			fmt.Println(v.name)
		}
		return nil
	})
}

func take(b *rod.Browser, address string, v view, file string) error {
	p, err := drive.Open(b, address+v.path, 1280, 800)
	if err != nil {
		return err
	}
	defer p.Close()
	p = p.Timeout(time.Minute)
	settle := func() error {
		if !v.desk {
			return nil
		}
		return drive.Settled(p)
	}
	if err := settle(); err != nil {
		return err
	}
	if v.do != "" {
		if _, err := p.Eval("() => { " + v.do + " }"); err != nil {
			return err
		}
	}
	time.Sleep(1800 * time.Millisecond)
	if err := settle(); err != nil {
		return err
	}
	time.Sleep(1500*time.Millisecond + v.wait) // the cards come after the picture
	data, err := p.Screenshot(false, nil)
	if err != nil {
		return err
	}
	return os.WriteFile(file, data, 0o644)
}
