package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/pkg/browser"
	"github.com/spf13/cobra"

	"mobanta/core/parallel"
	"mobanta/demo"
	"mobanta/store"
	"mobanta/web"
)

// door is how the studio can be reached.
type door struct {
	listen        string
	hosts         []string
	cert, certKey string
	proxied, open bool
	queue         queue
	idle, browser bool
}

func doorFlags(c *cobra.Command) *door {
	var d door
	c.Flags().StringVar(&d.listen, "listen", "127.0.0.1:7420", "address and port; port 0 takes a free one")
	c.Flags().StringArrayVar(&d.hosts, "host", nil, "a name under which browsers reach the studio; may be given several times")
	c.Flags().StringVar(&d.cert, "tls-cert", "", "certificate (PEM), to be reached over TLS")
	c.Flags().StringVar(&d.certKey, "tls-key", "", "the certificate's key (PEM)")
	c.Flags().BoolVar(&d.proxied, "proxied", false, "a proxy in front speaks TLS with browsers")
	c.Flags().BoolVar(&d.open, "open", false, "let in whoever reaches the studio, without a key")
	c.MarkFlagsRequiredTogether("tls-cert", "tls-key")
	c.MarkFlagsMutuallyExclusive("tls-cert", "proxied")
	d.queue.flags(c)
	c.Flags().BoolVar(&d.idle, "no-drawing", false, "leave drawing what is ordered to workers elsewhere")
	return &d
}

const doorHelp = `It answers on this machine only, unless --listen names another address. Beyond this machine, or under a name given
with --host, it asks for a key, which "mobanta key new" makes; --open does without. Once there is a key, everyone signs in.`

func serveCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the studio to a browser on this machine",
		Long:  "Serves the studio until it is interrupted. " + doorHelp,
		Example: `  mobanta serve
  mobanta serve --listen 0.0.0.0:7420 --host studio.example --tls-cert cert.pem --tls-key key.pem
  mobanta serve --host studio.example --proxied`,
		Args: cobra.NoArgs,
	}
	d, data := doorFlags(c), dataFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		return held(cmd.Context(), *data, func(s *store.Store, h *store.Hold) error {
			return serve(cmd.Context(), cmd.OutOrStdout(), *data, s, h, d, "")
		})
	}
	return c
}

func demoCommand() *cobra.Command {
	var make bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Make the sample projects that are not there, and serve",
		Long:  "Makes the sample projects and serves the studio until it is interrupted. " + doorHelp,
		Args:  cobra.NoArgs,
	}
	c.Flags().BoolVar(&make, "make-only", false, "make the project and stop")
	d, data := doorFlags(c), dataFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		return held(cmd.Context(), *data, func(s *store.Store, h *store.Hold) error {
			if err := makeDemo(cmd.Context(), s); err != nil || make {
				return err
			}
			return serve(cmd.Context(), cmd.OutOrStdout(), *data, s, h, d, "p/"+demoID)
		})
	}
	return c
}

// held opens a data folder that no other studio serves, swept of what kills left.
func held(ctx context.Context, dir string, f func(*store.Store, *store.Hold) error) error {
	h, err := store.Take(dir)
	if err != nil {
		return err
	}
	defer h.Release()
	if n, err := store.Sweep(dir); err != nil {
		return err
	} else if n > 0 {
		fmt.Fprintf(os.Stderr, "mobanta: note: %d unfinished files of an earlier run were removed\n", n)
	}
	s, err := store.Open(dir)
	if err != nil {
		return err
	}
	defer s.Close()
	return f(s, h)
}

// demoID is the id of the sample project that is opened.
var demoID = demo.Samples[0].ID

func makeDemo(ctx context.Context, s *store.Store) error {
	// The last on the list is made first, so that the first stands first on the shelf.
	for _, sample := range slices.Backward(demo.Samples) {
		if _, err := s.Load(ctx, sample.ID); err == nil {
			continue
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		p, files, err := sample.Make()
		if err != nil {
			return err
		}
		for _, f := range files {
			if _, err := s.PutFile(ctx, f); err != nil {
				return err
			}
		}
		if _, err = s.CreateAs(ctx, sample.ID, p); err != nil {
			return err
		}
	}
	return nil
}

func serve(ctx context.Context, out io.Writer, dir string, s *store.Store, h *store.Hold, d *door, path string) error {
	// What is being brought in lies in the data folder, where a kill leaves it to be swept.
	was := os.Getenv("TMPDIR")
	if err := os.Setenv("TMPDIR", store.TempDir(dir)); err != nil {
		return err
	}
	defer os.Setenv("TMPDIR", was)
	o := web.Options{Hosts: d.hosts, TLS: d.cert != "" || d.proxied}
	if !d.open {
		o.Key = web.KeyOf(dir)
	}
	l, err := net.Listen("tcp", d.listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w", d.listen, err)
	}
	defer l.Close()
	if err := d.closed(l, o.Key); err != nil {
		return err
	}
	scheme := "http"
	if d.cert != "" {
		cert, err := tls.LoadX509KeyPair(d.cert, d.certKey)
		if err != nil {
			return fmt.Errorf("the certificate cannot be used: %w", err)
		}
		l, scheme = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{cert}, MinVersion: tls.VersionTLS12, CipherSuites: ciphers, NextProtos: []string{"http/1.1"}}), "https"
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelInfo}))
	board, err := d.queue.board(ctx, filepath.Join(dir, "jobs"), log)
	switch {
	case err == nil:
		defer board.Close()
		o.Board, o.Idle = board, d.idle
	case d.queue.url != "":
		return err
	default: // all else can be done without
		fmt.Fprintln(os.Stderr, "mobanta: warning: nothing can be ordered:", err)
	}
	for _, text := range s.Damage() {
		fmt.Fprintln(os.Stderr, "mobanta: warning:", text)
	}
	parallel.Answer()
	v, err := web.New(s, log, o)
	if err != nil {
		return err
	}
	address := fmt.Sprintf("%s://%s/", scheme, l.Addr())
	if err := h.Say(fmt.Sprintf("process %d at %s, since %s", os.Getpid(), address, time.Now().Format("2006-01-02 15:04"))); err != nil {
		return err
	}
	fmt.Fprintf(out, "Mobanta is ready at %s%s\n", address, path)
	if d.browser {
		browser.Stdout, browser.Stderr = io.Discard, io.Discard
		if err := browser.OpenURL(address + path); err != nil {
			fmt.Fprintln(out, "Open that address in a browser.")
		}
	}
	return v.Serve(ctx, l)
}

// closed returns why the door must not stand open like that, or nil.
func (d *door) closed(l net.Listener, key *web.Key) error {
	a, ok := l.Addr().(*net.TCPAddr)
	beyond := ok && !a.IP.IsLoopback()
	for _, h := range d.hosts {
		beyond = beyond || !strings.EqualFold(h, "localhost")
	}
	stamp, err := key.Stamp()
	if !d.open && stamp != "" && (beyond || d.proxied) {
		key.Require()
	}
	switch {
	case err != nil:
		return err
	case d.open && beyond:
		fmt.Fprintln(os.Stderr, "mobanta: warning: whoever reaches", l.Addr(), "can see and change everything (--open)")
	case beyond && stamp == "":
		return fmt.Errorf("others could reach the studio at %s, and there is no key: make one with \"mobanta key new\", or say --open", l.Addr())
	case beyond && d.cert == "" && !d.proxied:
		fmt.Fprintln(os.Stderr, "mobanta: warning: the key and all work travel unprotected: give a certificate (--tls-cert), or put a proxy with TLS in front (--proxied)")
	}
	return nil
}

// ciphers are those of TLS 1.2 that are taken: authenticated ones, with keys that are let go of. Those of 1.3 are such.
var ciphers = []uint16{tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256, tls.TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256, tls.TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384, tls.TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384,
	tls.TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256, tls.TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256}

// endTime is how long it may take to end once that is asked for.
const endTime = 9 * time.Second

// deadline ends the program some time after ctx has ended, whatever still runs: what
// was acknowledged is on disk.
func deadline(ctx context.Context) {
	<-ctx.Done()
	time.AfterFunc(endTime, func() {
		fmt.Fprintln(os.Stderr, "mobanta: something did not end in time, so the program was ended; what was stored is safe")
		os.Exit(1)
	})
}
