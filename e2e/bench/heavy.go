package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"time"

	"mobanta/demo"
	"mobanta/e2e/drive"
)

// heavy measures the samples as orders draw them, at 1920 × 1080 and 16 positions, on one core and on two, each in a program of its
// own. From both follows how much of the time only one core works (Amdahl's law), and what more cores would give.
func heavy() error {
	dir, err := os.MkdirTemp("", "heavy")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	bin, err := drive.Build(dir)
	if err != nil {
		return err
	}
	data := filepath.Join(dir, "data")
	if _, err := drive.Run(bin, "demo", "--make-only", "--data", data); err != nil {
		return err
	}
	draw := func(bundle, out, cores string) (took, cpu time.Duration, mb int64, err error) {
		cmd := exec.Command(bin, "render", "--bundle", bundle, "--size", "1920x1080", "--samples", "16", "--out", out)
		cmd.Env = append(os.Environ(), "GOMAXPROCS="+cores)
		began := time.Now()
		if text, err := cmd.CombinedOutput(); err != nil {
			return 0, 0, 0, fmt.Errorf("%w\n%s", err, text)
		}
		return time.Since(began), cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime(), cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss >> 10, nil
	}
	for _, s := range demo.Samples {
		bundle := filepath.Join(dir, s.ID+".zip")
		if _, err := drive.Run(bin, "bundle", "export", s.ID, "--data", data, "--out", bundle); err != nil {
			return err
		}
		one, oneCPU, _, err := draw(bundle, filepath.Join(dir, "one.png"), "1")
		if err != nil {
			return err
		}
		two, twoCPU, mb, err := draw(bundle, filepath.Join(dir, "two.png"), "2")
		if err != nil {
			return err
		}
		serial := max(0, min(1, 2*two.Seconds()/one.Seconds()-1))
		law := func(cores float64) float64 { return 1 / (serial + (1-serial)/cores) }
		fmt.Printf("%-13s 1080p × 16   one core %5.1f s, two %5.1f s: %.2f × (wanted ≥ 1.85); processor %.2f × (wanted ≤ 1.05); serial %2.0f %% (wanted ≤ 6), so on 4, 8, 16 cores %.1f, %.1f, %.1f ×; %d MB at most\n",
			s.ID, one.Seconds(), two.Seconds(), one.Seconds()/two.Seconds(), twoCPU.Seconds()/oneCPU.Seconds(), 100*serial, law(4), law(8), law(16), mb)
	}
	return nil
}
