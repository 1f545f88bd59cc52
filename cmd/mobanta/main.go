// Command mobanta is the studio: it serves the interface, and renders, inspects and packs from the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"syscall"

	"github.com/spf13/cobra"

	"mobanta/store"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	// What is read and drawn comes and goes quickly: collect often enough to stay small.
	debug.SetMemoryLimit(360 << 20)
	go deadline(ctx)
	context.AfterFunc(ctx, stop) // a second signal ends the program at once
	if err := root().ExecuteContext(ctx); err != nil {
		if cause := store.Cause(err); cause != err {
			err = fmt.Errorf("%w (%w)", err, cause)
		}
		fmt.Fprintln(os.Stderr, "mobanta:", err)
		code := exitCode(ctx, err)
		stop()
		os.Exit(code)
	}
}

func root() *cobra.Command {
	c := &cobra.Command{
		Use:   "mobanta",
		Short: "A studio for stylised rendering",
		Long: `Mobanta turns light on a 3D model into flat bands of colour, lines and patterns.

Without a command it serves the studio, with the sample projects if there are no others, and opens the browser.

Exit codes: 0 done, 1 something went wrong, 2 what was asked for cannot be, 3 done but for what was damaged, 130 interrupted; messages go to standard error.`,
		RunE:          start,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          cobra.NoArgs,
	}
	c.CompletionOptions.DisableDefaultCmd = true
	c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return &wrong{err} })
	c.AddCommand(serveCommand(), demoCommand(), inspectCommand(), renderCommand(), bundleCommand(), nodesCommand(), checkCommand(),
		backupCommand(), restoreCommand(), verifyCommand(), keyCommand(), workerCommand(), versionCommand(), sheetCommand(), bakeCommand(), handOverCommand())
	return c
}

// wrong is an error of those who ask: what they ask for cannot be.
type wrong struct{ error }

func (w *wrong) Unwrap() error { return w.error }

// asked returns an error of those who ask.
func asked(format string, of ...any) error { return &wrong{fmt.Errorf(format, of...)} }

// partly is an error of what was done but for a part of it.
type partly struct{ error }

func (p *partly) Unwrap() error { return p.error }

// exitCode returns what the program ends with.
func exitCode(ctx context.Context, err error) int {
	var w *wrong
	var p *partly
	switch {
	case errors.As(err, &w):
		return 2
	case errors.As(err, &p):
		return 3
	case ctx.Err() != nil:
		return 130
	}
	return 1
}

// start is what is done without a command: it serves, and opens the browser.
func start(cmd *cobra.Command, _ []string) error {
	dir, err := dataDir()
	if err != nil {
		return err
	}
	return held(cmd.Context(), dir, func(s *store.Store, h *store.Hold) error {
		list, err := s.Projects(cmd.Context(), false)
		if err != nil {
			return err
		}
		if len(list) == 0 {
			fmt.Fprintln(cmd.OutOrStdout(), "Making the sample projects…")
			if err := makeDemo(cmd.Context(), s); err != nil {
				return err
			}
		}
		return serve(cmd.Context(), cmd.OutOrStdout(), dir, s, h, &door{listen: "127.0.0.1:7420", browser: true}, "")
	})
}

// dataDir returns the folder with the projects, unless another is named.
func dataDir() (string, error) {
	d, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(d, "mobanta"), nil
}

// dataFlag adds --data to a command.
func dataFlag(c *cobra.Command) *string {
	dir, err := dataDir()
	if err != nil {
		dir = ".mobanta"
	}
	return c.Flags().String("data", dir, "folder with the projects")
}
