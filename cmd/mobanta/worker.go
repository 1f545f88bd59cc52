package main

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"runtime"
	"runtime/debug"
	"time"

	"github.com/spf13/cobra"

	"mobanta/core/parallel"
	"mobanta/jobs"
)

// version is that of a release, set when it is built; "" for any other build.
var version string

// queue tells where orders wait to be filled.
type queue struct{ url, creds, ca, cert, key string }

func (q *queue) flags(c *cobra.Command) {
	c.Flags().StringVar(&q.url, "jobs", "", "a NATS server with JetStream by way of which orders are filled, nats://HOST:PORT; left out, one within this program")
	c.Flags().StringVar(&q.creds, "jobs-creds", "", "file of credentials for the NATS server")
	c.Flags().StringVar(&q.ca, "jobs-ca", "", "certificates (PEM) that the NATS server's is checked against")
	c.Flags().StringVar(&q.cert, "jobs-cert", "", "certificate (PEM) to show to the NATS server")
	c.Flags().StringVar(&q.key, "jobs-key", "", "its key (PEM)")
	c.MarkFlagsRequiredTogether("jobs-cert", "jobs-key")
}

// board opens the queue, for a studio whose folder for that is dir, or for one who only draws and has none.
func (q *queue) board(ctx context.Context, dir string, log *slog.Logger) (*jobs.Board, error) {
	return jobs.Open(ctx, jobs.Options{Dir: dir, URL: q.url, Creds: q.creds, CA: q.ca, Cert: q.cert, Key: q.key, Log: log, Maker: jobs.Maker(version), Studio: dir != ""})
}

func workerCommand() *cobra.Command {
	var q queue
	var cores int
	var asJSON bool
	c := &cobra.Command{
		Use:   "worker --jobs nats://HOST:PORT",
		Short: "Draw pieces of what is ordered at a studio elsewhere",
		Long: `Takes pieces of orders from a NATS server and draws them, until it is interrupted; a piece in hand is handed out again.
The studio is started with the same --jobs. Both have to be of one release, on processors of one kind: others are refused,
since their bytes could differ. What is drawn is told on standard error.`,
		Example: `  mobanta worker --jobs nats://studio.example:4222 --jobs-creds worker.creds
  mobanta worker --jobs nats://127.0.0.1:4222 --cores 2`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if cores < 0 || cores > 1024 {
				return fmt.Errorf("--cores must lie between 1 and 1024, or be left out for all, not %d", cores)
			}
			ctx := cmd.Context()
			b, err := q.board(ctx, "", slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})))
			if err != nil {
				return err
			}
			defer b.Close()
			if cores > 0 {
				runtime.GOMAXPROCS(cores)
				parallel.Use(cores)
			}
			debug.SetMemoryLimit(2 << 30) // nobody is at the desk here
			fmt.Fprintln(os.Stderr, "mobanta: draws pieces, until it is interrupted")
			return b.Work(ctx, jobs.Worker{Cores: cores, Drawn: func(j *jobs.Job, n int, took time.Duration) {
				if asJSON {
					_ = json.NewEncoder(cmd.OutOrStdout()).Encode(map[string]any{"job": j.ID, "name": j.Name, "piece": n, "of": j.Pieces, "seconds": took.Seconds()})
				} else {
					fmt.Fprintf(os.Stderr, "%s: piece %d of %d in %.2f s\n", j.Name, n+1, j.Pieces, took.Seconds())
				}
			}})
		},
	}
	q.flags(c)
	c.Flags().IntVar(&cores, "cores", 0, "how many cores to draw on; all if left out")
	c.Flags().BoolVar(&asJSON, "json", false, "tell each piece on standard output, as a line of JSON")
	if err := c.MarkFlagRequired("jobs"); err != nil {
		panic(err)
	}
	return c
}

func versionCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "version",
		Short: "Tell the version of this program",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			v := version
			if v == "" {
				v = "built from source"
			}
			if asJSON {
				return json.NewEncoder(cmd.OutOrStdout()).Encode(map[string]any{"version": v, "go": runtime.Version(), "system": runtime.GOOS, "processor": runtime.GOARCH, "draws": jobs.Maker(version)})
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "Mobanta %s, %s, %s/%s\n", v, runtime.Version(), runtime.GOOS, runtime.GOARCH)
			return err
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "as JSON")
	return c
}
