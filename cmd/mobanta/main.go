// Command mobanta is the studio: it serves the interface, and renders, inspects and packs from the command line.
package main

import (
	"context"
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
		stop()
		os.Exit(1)
	}
}

func root() *cobra.Command {
	c := &cobra.Command{
		Use:   "mobanta",
		Short: "A studio for stylised rendering",
		Long: `Mobanta turns light on a 3D model into flat bands of colour, lines and patterns.

Exit codes: 0 done, 1 something went wrong; messages go to standard error.`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          cobra.NoArgs,
	}
	c.CompletionOptions.DisableDefaultCmd = true
	c.AddCommand(serveCommand(), demoCommand(), inspectCommand(), renderCommand(), bundleCommand(), nodesCommand(), checkCommand(),
		backupCommand(), restoreCommand(), verifyCommand(), keyCommand())
	return c
}

// dataFlag adds --data to a command.
func dataFlag(c *cobra.Command) *string {
	dir := ".mobanta"
	if d, err := os.UserConfigDir(); err == nil {
		dir = filepath.Join(d, "mobanta")
	}
	return c.Flags().String("data", dir, "folder with the projects")
}
