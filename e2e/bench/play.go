package main

import (
	"fmt"
	"time"

	"github.com/go-rod/rod"

	"mobanta/core/blob"
	"mobanta/core/finish"
	"mobanta/core/mesh"
	"mobanta/core/parallel"
	"mobanta/core/trace"
	"mobanta/core/vec"
	"mobanta/e2e/drive"
)

// median returns the median of how long f takes, in milliseconds, over some runs.
func median(runs int, f func()) float64 {
	var list []float64
	for range runs {
		start := time.Now()
		f()
		list = append(list, float64(time.Since(start).Microseconds())/1000)
	}
	return middle(list)
}

// movingCosts prints what moving things cost by themselves, on two cores.
func movingCosts() error {
	balls := (&blob.Blobs{Spring: blob.Flame()}).Alive(0.3, 2)
	const fine = 109
	m := blob.Mesh(balls, 0, fine, 2)
	fmt.Printf("blobs                       %d triangles of %d balls in %.0f ms (wanted 100,000 in ≤ 150)\n", len(m.FaceEnd), len(balls), median(9, func() { blob.Mesh(balls, 0, fine, 2) }))
	s, err := mesh.NewSurface(mesh.Sphere(1, 320, 157), mesh.DefaultCrease)
	if err != nil {
		return err
	}
	pos := make([]vec.V, len(s.Pos))
	for i, p := range s.Pos {
		pos[i] = vec.V{p[0] + 0.3*p[1]*p[1], p[1] * 1.2, p[2]}
	}
	rest := trace.NewTree(s.Pos, s.Tri, 2)
	fmt.Printf("trees of rays refitted      %d triangles in %.1f ms, built anew in %.0f ms (wanted ≤ 15)\n", len(s.Tri), median(15, func() { rest.Refit(pos, s.Tri, 2) }), median(5, func() { trace.NewTree(pos, s.Tri, 2) }))
	const w, h = 960, 600
	src := make([]float32, 3*w*h)
	for i := range src {
		src[i] = float32(i%17) / 17
	}
	for _, radius := range []float64{10, 30, 120} {
		g := finish.Glow{On: true, Radius: radius, Strength: 1}
		ms := median(15, func() {
			l := g.Spread(w, h, 2, func(y int, row []float32) { copy(row, src[3*w*y:]) })
			parallel.Do(2, h/10, func(job int) {
				row := make([]float32, 3*w)
				for y := range 10 {
					l.Row(row, 0, 10*job+y)
				}
			})
		})
		fmt.Printf("glow of all of 960×600      radius %.0f ‰ in %.1f ms (wanted ≤ 25)\n", radius, ms)
	}
	return nil
}

// play plays the flare at 640×400: the first round, the second, and how soon the hand is answered meanwhile.
func play(b *rod.Browser, s *drive.Server) error {
	p, err := drive.Open(b, s.Address+"/p/signal-flare?size=640x400", 1280, 800)
	if err != nil {
		return err
	}
	defer p.Close()
	if err := drive.Settled(p); err != nil {
		return err
	}
	time.Sleep(3 * time.Second)
	r, err := p.Timeout(3 * time.Minute).Eval(`async () => {
		const time = mobanta.time, told = time.told.bind(time), rounds = [];
		let last = -1, from = 0, count = 0, mb = 0;
		time.told = (m) => {
			told(m);
			if (!m.on) return;
			mb = m.mb;
			if (m.frame < last || last < 0) {
				if (last >= 0) rounds.push((1000 * count) / (performance.now() - from));
				from = performance.now();
				count = 0;
			}
			last = m.frame;
			count++;
		};
		time.play();
		while (rounds.length < 3) await new Promise((r) => setTimeout(r, 20));
		// The hand turns it: from each movement to the first picture that answers it or a later one.
		const c = document.getElementById("picture"), box = c.getBoundingClientRect(), waits = [];
		c.setPointerCapture = () => {};
		const at = (type, k) => c.dispatchEvent(new PointerEvent(type, { clientX: box.left + box.width / 2 + k, clientY: box.top + box.height / 2, pointerId: 1, bubbles: true }));
		at("pointerdown", 0);
		for (let k = 1; k <= 40; k++) {
			const sent = performance.now();
			at("pointermove", k);
			await new Promise((r) => requestAnimationFrame(r));
			const seq = mobanta.live.seq;
			while (mobanta.picture.shown.seq < seq) await new Promise((r) => setTimeout(r, 1));
			if (k > 10) waits.push(performance.now() - sent);
		}
		at("pointerup", 40);
		time.play();
		waits.sort((a, b) => a - b);
		return [rounds[0], rounds[1], rounds[2], waits[waits.length >> 1], waits[Math.floor(waits.length * 0.95)], mb].map((v) => v.toFixed(1)).join(" ");
	}`)
	if err != nil {
		return err
	}
	var first, second, third, hand, late, mb float64
	fmt.Sscan(r.Value.Str(), &first, &second, &third, &hand, &late, &mb)
	rss, peak, err := memory(s.PID)
	if err != nil {
		return err
	}
	fmt.Printf("playing the flare, 640×400  %.1f frames a second in the first round, %.1f in the second, %.1f in the third (its rate is 12; wanted ≥ 4 and ≥ 12)\n", first, second, third)
	fmt.Printf("the hand meanwhile          median %.0f ms, 95 of 100 within %.0f ms (wanted ≤ 100); frames take %.0f MB, the server %d MB, %d at most\n", hand, late, mb, rss, peak)
	return nil
}
