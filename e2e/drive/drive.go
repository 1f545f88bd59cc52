// Package drive runs the real interface: the program as a process of its own, and a headless Chromium that uses it as a
// person would.
package drive

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/proto"
	"github.com/go-rod/rod/lib/utils"
)

// Server is a running program.
type Server struct {
	Address string // http://127.0.0.1:PORT
	PID     int
	cmd     *exec.Cmd
	bin     string
	data    string
}

// Build builds the program into dir and returns its path.
func Build(dir string) (string, error) {
	bin := filepath.Join(dir, "mobanta")
	cmd := exec.Command("go", "build", "-o", bin, "mobanta/cmd/mobanta")
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("drive: build: %w\n%s", err, out)
	}
	return bin, nil
}

// Serve starts the program over a data folder; command is "serve" or "demo". An
// empty listen takes a free port; more are further flags.
func Serve(bin, command, data, listen string, more ...string) (*Server, error) {
	if listen == "" {
		listen = "127.0.0.1:0"
	}
	cmd := exec.Command(bin, append([]string{command, "--data", data, "--listen", listen}, more...)...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, fmt.Errorf("drive: %w", err)
	}
	if err := startTied(cmd); err != nil {
		return nil, fmt.Errorf("drive: %w", err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		cmd.Process.Kill()
		return nil, fmt.Errorf("drive: the program did not say where it serves: %w", errors.Join(err, cmd.Wait()))
	}
	go io.Copy(io.Discard, out)
	at := strings.Index(line, "http://")
	if at < 0 {
		return nil, fmt.Errorf("drive: no address in %q", line)
	}
	address := strings.TrimSpace(line[at:])
	if i := strings.Index(address[len("http://"):], "/"); i >= 0 {
		address = address[:len("http://")+i]
	}
	return &Server{Address: address, PID: cmd.Process.Pid, cmd: cmd, bin: bin, data: data}, nil
}

// startTied starts a program that ends when this process does, however that ends: the
// kernel kills it with the thread that started it, so that thread is kept.
func startTied(cmd *exec.Cmd) error {
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		started <- cmd.Start()
		select {}
	}()
	return <-started
}

// Run runs the program and returns what it printed.
func Run(bin string, args ...string) (string, error) {
	out, err := exec.Command(bin, args...).Output()
	if err != nil {
		return "", fmt.Errorf("drive: %v: %w", args, err)
	}
	return string(out), nil
}

// Data returns the folder that the program serves.
func (s *Server) Data() string { return s.data }

// Stop asks the program to end and waits for it.
func (s *Server) Stop() error {
	s.cmd.Process.Signal(syscall.SIGTERM)
	return s.cmd.Wait()
}

// Kill ends the program at once, as a crash would.
func (s *Server) Kill() {
	s.cmd.Process.Kill()
	s.cmd.Wait()
}

// Again starts the program anew over the same data, at the same address.
func (s *Server) Again() (*Server, error) {
	return Serve(s.bin, "serve", s.data, strings.TrimPrefix(s.Address, "http://"))
}

// Browser starts a headless Chromium of the given window size, with its profile
// in dir. close ends it.
func Browser(dir string, w, h int) (b *rod.Browser, close func(), err error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, fmt.Errorf("drive: Debian's chromium is needed: %w", err)
	}
	l := launcher.New().Bin(path).Leakless(true).NoSandbox(true).HeadlessNew(true).UserDataDir(dir).
		Set("disable-quic").Set("disable-component-update").Set("disable-background-networking").
		Set("window-size", fmt.Sprintf("%d,%d", w, h)).Set("hide-scrollbars").Set("force-color-profile", "srgb")
	url, err := l.Launch()
	if err != nil {
		return nil, nil, fmt.Errorf("drive: %w", err)
	}
	b = rod.New().ControlURL(url)
	if err := b.Connect(); err != nil {
		l.Kill()
		return nil, nil, fmt.Errorf("drive: %w", err)
	}
	return b, func() {
		b.Close()
		l.Kill()
	}, nil
}

// Open opens an address in a page of exactly w × h pixels.
func Open(b *rod.Browser, url string, w, h int) (*rod.Page, error) {
	p, err := b.Page(proto.TargetCreateTarget{})
	if err != nil {
		return nil, err
	}
	p = p.Sleeper(func() utils.Sleeper { return utils.BackoffSleeper(5*time.Millisecond, 50*time.Millisecond, nil) })
	if err := p.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: w, Height: h, DeviceScaleFactor: 1}); err != nil {
		return nil, err
	}
	if err := (proto.EmulationSetFocusEmulationEnabled{Enabled: true}).Call(p); err != nil { // others may be open beside it
		return nil, err
	}
	if err := p.Navigate(url); err != nil {
		return nil, err
	}
	return p, p.WaitLoad()
}

// Settled waits until the picture on the desk has settled.
func Settled(p *rod.Page) error {
	return p.Wait(rod.Eval(`() => window.mobanta?.picture.shown?.done && window.mobanta.picture.shown.part === 100`))
}

// Demo builds the program, serves the demo project from a directory of its own and
// calls fn with a browser of w by h pixels; afterwards all of it is gone.
func Demo(w, h int, fn func(*Server, *rod.Browser) error) error {
	dir, err := os.MkdirTemp("", "mobanta-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	bin, err := Build(dir)
	if err != nil {
		return err
	}
	s, err := Serve(bin, "demo", filepath.Join(dir, "data"), "")
	if err != nil {
		return err
	}
	defer s.Stop()
	b, stop, err := Browser(filepath.Join(dir, "profile"), w, h)
	if err != nil {
		return err
	}
	defer stop()
	return fn(s, b)
}
