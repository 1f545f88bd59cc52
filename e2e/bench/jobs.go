package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/go-rod/rod"
	"github.com/nats-io/nats-server/v2/server"

	"mobanta/e2e/drive"
)

// client orders at a studio as a page does.
type client struct{ address, project string }

func (c client) post(path, body string) (map[string]any, error) {
	r, err := http.NewRequest("POST", c.address+"/p/"+c.project+path, strings.NewReader(body))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Accept", "application/json")
	return answer(r)
}

func (c client) get(path string) (map[string]any, error) {
	r, err := http.NewRequest("GET", c.address+"/p/"+c.project+path, nil)
	if err != nil {
		return nil, err
	}
	r.Header.Set("Accept", "application/json")
	return answer(r)
}

func answer(r *http.Request) (map[string]any, error) {
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	if err != nil {
		return nil, err
	}
	if res.StatusCode != 200 {
		return nil, fmt.Errorf("%s: %d: %.200s", r.URL.Path, res.StatusCode, data)
	}
	var out map[string]any
	return out, json.Unmarshal(data, &out)
}

// follow waits for a job to be done; heard is called with how many of its pieces are drawn.
func (c client) follow(job string, every time.Duration, heard func(made int)) error {
	for {
		s, err := c.get("/orders/" + job)
		if err != nil {
			return err
		}
		made, _ := s["made"].([]any)
		heard(len(made))
		switch s["state"] {
		case "done":
			return nil
		case "failed", "cancelled":
			return fmt.Errorf("the job has %v: %v", s["state"], s["why"])
		}
		time.Sleep(every)
	}
}

// place places an order and returns its job.
func (c client) place(order string) (string, error) {
	a, err := c.post("/orders", order)
	if err != nil {
		return "", err
	}
	return fmt.Sprint(a["job"]), nil
}

// proofSheet draws a sheet of 5 × 8 of the kettle, alone and while a stop is dragged.
func proofSheet(b *rod.Browser, s *drive.Server) error {
	c := client{s.Address, "saltlight"}
	order := func(add int) string {
		var sun, spot []string
		for k := range 8 {
			sun = append(sun, fmt.Sprintf("%q", fmt.Sprint(k*45+add)))
		}
		for k := range 5 {
			spot = append(spot, fmt.Sprintf("%q", fmt.Sprint(0.2+0.1*float64(k)+0.001*float64(add))))
		}
		dial := "dial/copper//shine/roughness"
		return fmt.Sprintf(`{"as":"sheet","w":240,"h":150,"samples":4,"sheet":{"axes":[{"of":%q,"values":[%s]},{"of":"sun/key","values":[%s]}]}}`, dial, strings.Join(spot, ","), strings.Join(sun, ","))
	}
	p, err := drive.Open(b, s.Address+"/p/saltlight?size=960x600", 1280, 800)
	if err != nil {
		return err
	}
	defer p.Close()
	if err := drive.Settled(p); err != nil {
		return err
	}
	run := func(add int) (first, all time.Duration, err error) {
		began := time.Now()
		job, err := c.place(order(add))
		if err != nil {
			return 0, 0, err
		}
		err = c.follow(job, 10*time.Millisecond, func(made int) {
			if made > 0 && first == 0 {
				first = time.Since(began)
			}
		})
		return first, time.Since(began), err
	}
	first, all, err := run(0)
	if err != nil {
		return err
	}
	fmt.Printf("proof sheet, 5 × 8 at 240×150   first cell %.2f s, all %.1f s (wanted ≤ 0.3 and ≤ 6)\n", first.Seconds(), all.Seconds())
	_, again, err := run(0)
	if err != nil {
		return err
	}
	fmt.Printf("the same sheet once more        %.2f s, from what is kept\n", again.Seconds())
	done := make(chan error, 1)
	go func() {
		for add := 1; add < 4; add++ {
			if _, _, err := run(add); err != nil {
				done <- err
				return
			}
		}
		done <- nil
	}()
	if err := dragStop(p, "dragged stop while sheets are drawn"); err != nil {
		return err
	}
	return <-done
}

// manyWorkers has sixty frames drawn by one and by two programs of one core each, and by two that are ended again and again.
func manyWorkers() error {
	dir, err := os.MkdirTemp("", "mobanta-bench-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	bin, err := drive.Build(dir)
	if err != nil {
		return err
	}
	queue, err := server.NewServer(&server.Options{Host: "127.0.0.1", Port: -1, JetStream: true, StoreDir: filepath.Join(dir, "nats"), NoLog: true, NoSigs: true})
	if err != nil {
		return err
	}
	queue.Start()
	defer queue.Shutdown()
	if !queue.ReadyForConnections(10 * time.Second) {
		return fmt.Errorf("the NATS server does not start")
	}
	url := "nats://" + queue.Addr().String()
	if out, err := drive.Run(bin, "demo", "--make-only", "--data", filepath.Join(dir, "data")); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	s, err := drive.Serve(bin, "serve", filepath.Join(dir, "data"), "127.0.0.1:0", "--jobs", url, "--no-drawing")
	if err != nil {
		return err
	}
	defer s.Kill()
	c := client{s.Address, "saltlight"}
	for _, e := range []string{`{"op":"move.turntable"}`, `{"op":"time.set","key":"length","value":5}`} {
		if _, err := c.post("/edit", `{"edits":[`+e+`]}`); err != nil {
			return err
		}
	}
	worker := func() (*exec.Cmd, error) {
		w := exec.Command(bin, "worker", "--jobs", url, "--cores", "1")
		w.Env = append(os.Environ(), "GOMAXPROCS=1")
		return w, w.Start()
	}
	run := func(n, kills int) (took time.Duration, file []byte, err error) {
		var workers []*exec.Cmd
		stop := func(k int) {
			_ = workers[k].Process.Kill()
			_ = workers[k].Wait()
		}
		for range n {
			w, err := worker()
			if err != nil {
				return 0, nil, err
			}
			workers = append(workers, w)
		}
		time.Sleep(800 * time.Millisecond) // they are there
		began := time.Now()
		job, err := c.place(`{"as":"frames","w":640,"h":400,"samples":8}`)
		if err != nil {
			return 0, nil, err
		}
		killed := 0
		err = c.follow(job, 20*time.Millisecond, func(made int) {
			if killed < kills && made >= 4*(killed+1) {
				k := killed % n
				stop(k)
				killed++
				if w, err := worker(); err == nil {
					workers[k] = w
				}
			}
		})
		took = time.Since(began)
		for k := range workers {
			stop(k)
		}
		if err != nil {
			return took, nil, err
		}
		if killed < kills {
			return took, nil, fmt.Errorf("only %d of %d were ended", killed, kills)
		}
		res, err := http.Get(c.address + "/p/saltlight/orders/" + job + "/file")
		if err != nil {
			return took, nil, err
		}
		defer res.Body.Close()
		file, err = io.ReadAll(res.Body)
		return took, file, err
	}
	one, a, err := run(1, 0)
	if err != nil {
		return err
	}
	two, b, err := run(2, 0)
	if err != nil {
		return err
	}
	ended, e, err := run(2, 10)
	if err != nil {
		return err
	}
	fmt.Printf("60 frames, two programs of one core   %.2f × the time of one (%.1f s against %.1f s; wanted ≤ 0.55), the same bytes: %v\n",
		two.Seconds()/one.Seconds(), two.Seconds(), one.Seconds(), bytes.Equal(a, b))
	fmt.Printf("the same, ten times one was ended     %.1f s, the same bytes: %v\n", ended.Seconds(), bytes.Equal(a, e))
	return nil
}

// eightK draws the kettle at 7680 × 4320 with 16 positions and tells how much memory that took.
func eightK() error {
	dir, err := os.MkdirTemp("", "mobanta-bench-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	bin, err := drive.Build(dir)
	if err != nil {
		return err
	}
	data, bundle := filepath.Join(dir, "data"), filepath.Join(dir, "s.zip")
	for _, args := range [][]string{{"demo", "--make-only", "--data", data}, {"bundle", "export", "saltlight", "--data", data, "--out", bundle}} {
		if out, err := drive.Run(bin, args...); err != nil {
			return fmt.Errorf("%w: %s", err, out)
		}
	}
	began := time.Now()
	cmd := exec.Command(bin, "render", "--bundle", bundle, "--size", "7680x4320", "--samples", "16", "--out", filepath.Join(dir, "out.png"))
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	usage, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	if !ok {
		return fmt.Errorf("the system does not tell how much memory was used")
	}
	fmt.Printf("7680×4320, 16 positions         %d MB at most, %.0f s (wanted ≤ 2560 MB)\n", usage.Maxrss>>10, time.Since(began).Seconds())
	return nil
}
