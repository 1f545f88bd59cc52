package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"runtime/debug"
	"slices"

	"github.com/spf13/cobra"

	"mobanta/demo"
	"mobanta/store"
	"mobanta/web"
)

func serveCommand() *cobra.Command {
	var listen string
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the studio to a browser on this machine",
		Long:  "Serves the studio until it is interrupted. It answers on this machine only, unless --listen names another address.",
		Args:  cobra.NoArgs,
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:7420", "address and port; port 0 takes a free one")
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := store.Open(*data)
		if err != nil {
			return err
		}
		defer s.Close()
		return serve(cmd.Context(), cmd.OutOrStdout(), s, listen, "")
	}
	return c
}

func demoCommand() *cobra.Command {
	var listen string
	var make bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Make the sample projects that are not there, and serve",
		Args:  cobra.NoArgs,
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:7420", "address and port; port 0 takes a free one")
	c.Flags().BoolVar(&make, "make-only", false, "make the project and stop")
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := store.Open(*data)
		if err != nil {
			return err
		}
		defer s.Close()
		if err := makeDemo(cmd.Context(), s); err != nil || make {
			return err
		}
		return serve(cmd.Context(), cmd.OutOrStdout(), s, listen, "p/"+demoID)
	}
	return c
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

func serve(ctx context.Context, out io.Writer, s *store.Store, listen, path string) error {
	// Pictures come and go quickly: collect often enough to stay small.
	debug.SetMemoryLimit(360 << 20)
	v, err := web.New(s, slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})))
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w", listen, err)
	}
	if a, ok := l.Addr().(*net.TCPAddr); ok && !a.IP.IsLoopback() {
		fmt.Fprintln(os.Stderr, "mobanta: warning: the studio has no passwords, and others on the network can reach it at", l.Addr())
	}
	fmt.Fprintf(out, "Mobanta is ready at http://%s/%s\n", l.Addr(), path)
	return v.Serve(ctx, l)
}
