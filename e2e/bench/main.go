// Command bench prints the measured claims: how soon a dragged stop is drawn, how fast the model turns, what the network
// costs beside a loop written by hand, and how much memory the server takes.
package main

import (
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"

	"mobanta/e2e/drive"
)

func main() {
	run := run
	if len(os.Args) > 1 { // a part alone
		parts := map[string]func() error{"delivery": delivering, "handover": handingOver, "heavy": heavy}
		if run = parts[os.Args[1]]; run == nil {
			fmt.Fprintln(os.Stderr, "bench: delivery, handover or heavy, or nothing for all but that")
			os.Exit(2)
		}
	}
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run() error {
	if err := formulaAgainstNodes(); err != nil {
		return err
	}
	fused, err := networkAgainstFused()
	if err != nil {
		return err
	}
	fmt.Printf("network / hand-fused loop   %.2f × (%.0f ns against %.0f ns a sample, one core; wanted ≤ 1.2)\n", fused.ratio, fused.network, fused.hand)
	if err := everyKind(); err != nil {
		return err
	}
	if err := lineCosts(); err != nil {
		return err
	}
	if err := movingCosts(); err != nil {
		return err
	}
	if err := drive.Demo(1280, 800, inBrowser); err != nil {
		return err
	}
	if err := handingOver(); err != nil {
		return err
	}
	return delivering()
}

// delivering measures orders.
func delivering() error {
	if err := drive.Demo(1280, 800, func(s *drive.Server, b *rod.Browser) error { return proofSheet(b, s) }); err != nil {
		return err
	}
	if err := manyWorkers(); err != nil {
		return err
	}
	return eightK()
}

// inBrowser measures what an artist sees.
func inBrowser(s *drive.Server, b *rod.Browser) error {
	p, err := drive.Open(b, s.Address+"/p/saltlight?size=960x600", 1280, 800)
	if err != nil {
		return err
	}
	if err := drive.Settled(p); err != nil {
		return err
	}
	if err := dragStop(p, "dragged stop, 960×600      "); err != nil {
		return err
	}
	if err := turn(p, "turning, 960×600           "); err != nil {
		return err
	}
	rss, peak, err := memory(s.PID)
	if err != nil {
		return err
	}
	fmt.Printf("server memory               %d MB now, %d MB at most (demo open, after the drags; wanted ≤ 400)\n", rss, peak)
	if err := p.Close(); err != nil {
		return err
	}
	if err := moveLight(b, s.Address); err != nil {
		return err
	}
	if p, err = drive.Open(b, s.Address+"/p/harbour?size=960x600", 1280, 800); err != nil {
		return err
	}
	if err := drive.Settled(p); err != nil {
		return err
	}
	if err := turn(p, "turning the harbour in pen, 960×600"); err != nil {
		return err
	}
	if err := p.Close(); err != nil {
		return err
	}
	if err := play(b, s); err != nil {
		return err
	}
	if err := large(b, s.Address); err != nil {
		return err
	}
	if err := tenTabs(b, s); err != nil {
		return err
	}
	return eightClients(s.Address)
}

// tenTabs opens ten tabs on the three sample projects and drags in the last.
func tenTabs(b *rod.Browser, s *drive.Server) error {
	demos := []string{"bell-buoy", "keepers-lamp", "saltlight"}
	var last *rod.Page
	for k := range 10 {
		p, err := drive.Open(b, s.Address+"/p/"+demos[(k+2)%3]+"?size=960x600", 1280, 800)
		if err != nil {
			return err
		}
		defer p.Close()
		if err := drive.Settled(p); err != nil {
			return err
		}
		last = p
	}
	if err := dragStop(last, "the same in one of ten tabs"); err != nil {
		return err
	}
	rss, peak, err := memory(s.PID)
	if err != nil {
		return err
	}
	fmt.Printf("server memory, ten tabs     %d MB now, %d MB at most since it began (wanted < 500)\n", rss, peak)
	return nil
}

// dragStop drags a band edge and prints, under a name, how long it takes from the pointer event
// until the canvas is drawn.
func dragStop(p *rod.Page, name string) error {
	el, err := p.Element(`[data-edge="2"]`)
	if err != nil {
		return err
	}
	shape, err := el.Shape()
	if err != nil {
		return err
	}
	at := shape.Box()
	x, y := at.X+at.Width/2, at.Y+at.Height/2
	if _, err := p.Eval(`() => {
		window.waits = []; window.pending = [];
		document.addEventListener("pointermove", e => pending.push({ seq: mobanta.live.seq + 1, t: e.timeStamp }), true);
		mobanta.picture.onframe = f => {
			while (pending.length && pending[0].seq <= f.seq) waits.push(f.at - pending.shift().t);
		};
	}`); err != nil {
		return err
	}
	m := p.Mouse
	if err := m.MoveTo(proto.NewPoint(x, y)); err != nil {
		return err
	}
	if err := m.Down(proto.InputMouseButtonLeft, 1); err != nil {
		return err
	}
	if _, err := p.Eval(`() => { pending.length = 0 }`); err != nil {
		return err
	}
	for i := range 120 {
		dx := float64(i%40) * 2
		if i%80 >= 40 {
			dx = 80 - dx
		}
		if err := m.MoveTo(proto.NewPoint(x-40+dx+0.5*float64(i%2), y)); err != nil {
			return err
		}
		time.Sleep(40 * time.Millisecond)
	}
	time.Sleep(300 * time.Millisecond)
	if err := m.Up(proto.InputMouseButtonLeft, 1); err != nil {
		return err
	}
	r, err := p.Eval(`() => { mobanta.picture.onframe = null; return waits.join(" ") }`)
	if err != nil {
		return err
	}
	var waits []float64
	for _, f := range strings.Fields(r.Value.Str()) {
		v, err := strconv.ParseFloat(f, 64)
		if err != nil {
			return err
		}
		waits = append(waits, v)
	}
	if len(waits) < 60 {
		return fmt.Errorf("only %d of 120 movements were drawn", len(waits))
	}
	slices.Sort(waits)
	fmt.Printf("%s median %.0f ms, p95 %.0f ms from pointer event to drawn canvas, %d movements (wanted ≤ 30 and ≤ 60)\n",
		name, waits[len(waits)/2], waits[len(waits)*95/100], len(waits))
	return nil
}

// turn drags the model round and prints the pictures in a second, and how soon
// the full size is back.
func turn(p *rod.Page, name string) error {
	time.Sleep(1500 * time.Millisecond)
	h, err := follow(p, "#picture", func(i int) (dx, dy float64) { return float64(i), float64(i % 20) })
	if err != nil {
		return err
	}
	fmt.Printf("%s %.1f pictures a second at %.0f %% of the size along each side, full size %.0f ms after letting go (wanted ≥ 12, ≥ 50 and ≤ 200)\n", name, h.rate, h.scale, h.back)
	return nil
}

// moveLight drags one of three lights, one of them wide, over the ball.
func moveLight(b *rod.Browser, address string) error {
	p, err := drive.Open(b, address+"/p/bell-buoy?size=960x600", 1280, 800)
	if err != nil {
		return err
	}
	for _, id := range []string{"sun", "torch"} {
		if _, err := p.Eval(`id => { mobanta.state.light = id; mobanta.picture.tool("light"); mobanta.picture.showLight() }`, id); err != nil {
			return err
		}
		if err := drive.Settled(p); err != nil {
			return err
		}
		var rate, part, back, settled []float64
		for k := range 5 { // each ends elsewhere
			time.Sleep(time.Second)
			h, err := follow(p, "#ball", func(i int) (dx, dy float64) { return float64(i%40) - 20 + float64(k), float64(i%14) - 7 })
			if err != nil {
				return err
			}
			rate, part, back, settled = append(rate, h.rate), append(part, h.scale), append(back, h.back), append(settled, h.settled)
		}
		fmt.Printf("moving the %-5s of three lights, 960×600   %.1f pictures a second at %.0f %%, first full picture %.0f ms after letting go, settled at 16 positions %.0f ms, medians of 5 (wanted ≥ 12, ≥ 50, ≤ 250, ≤ 4000)\n",
			id, middle(rate), middle(part), middle(back), middle(settled))
	}
	return p.Close()
}

func middle(list []float64) float64 {
	slices.Sort(list)
	return list[len(list)/2]
}

// hand is what was measured while a hand moved.
type hand struct{ rate, scale, back, settled float64 }

// follow presses the middle of an element and moves about it, as move says.
func follow(p *rod.Page, selector string, move func(i int) (dx, dy float64)) (h hand, err error) {
	el, err := p.Element(selector)
	if err != nil {
		return h, err
	}
	shape, err := el.Shape()
	if err != nil {
		return h, err
	}
	b := shape.Box()
	x, y := b.X+b.Width/2, b.Y+b.Height/2
	m := p.Mouse
	to := func(i int) error {
		dx, dy := move(i)
		return m.MoveTo(proto.NewPoint(x+dx, y+dy))
	}
	if err := m.MoveTo(proto.NewPoint(x, y)); err != nil {
		return h, err
	}
	if err := m.Down(proto.InputMouseButtonLeft, 1); err != nil {
		return h, err
	}
	for i := range 30 { // warm up: the server learns how fast the machine is
		if err := to(i); err != nil {
			return h, err
		}
		time.Sleep(16 * time.Millisecond)
	}
	if _, err := p.Eval(`() => { window.from = performance.now(); window.count = mobanta.picture.frames }`); err != nil {
		return h, err
	}
	for i := range 180 {
		if err := to(30 + i); err != nil {
			return h, err
		}
		time.Sleep(12 * time.Millisecond)
	}
	r, err := p.Eval(`selector => {
		const rate = 1000 * (mobanta.picture.frames - count) / (performance.now() - from);
		const scale = mobanta.picture.shown.part;
		window.back = window.done = undefined;
		document.querySelector(selector).addEventListener("pointerup", e => {
			const up = performance.now();
			mobanta.picture.onframe = f => {
				if (f.part === 100) window.back ??= f.at - up;
				if (f.part === 100 && f.done) { window.done = f.at - up; mobanta.picture.onframe = null; }
			};
		}, { once: true, capture: true });
		return rate + " " + scale;
	}`, selector)
	if err != nil {
		return h, err
	}
	if err := m.Up(proto.InputMouseButtonLeft, 1); err != nil {
		return h, err
	}
	if err := p.Timeout(30 * time.Second).Wait(rod.Eval(`() => window.done !== undefined`)); err != nil {
		return h, err
	}
	back, err := p.Eval(`() => back + " " + done`)
	if err != nil {
		return h, err
	}
	fmt.Sscan(r.Value.Str()+" "+back.Value.Str(), &h.rate, &h.scale, &h.back, &h.settled)
	return h, nil
}

// memory returns the resident memory of a process and its peak, in MB.
func memory(pid int) (now, peak int, err error) {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, 0, err
	}
	for _, line := range strings.Split(string(data), "\n") {
		var kb int
		if n, _ := fmt.Sscanf(line, "VmRSS: %d kB", &kb); n == 1 {
			now = kb >> 10
		}
		if n, _ := fmt.Sscanf(line, "VmHWM: %d kB", &kb); n == 1 {
			peak = kb >> 10
		}
	}
	return now, peak, nil
}
