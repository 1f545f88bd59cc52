package main

import (
	"encoding/json"
	"fmt"

	"github.com/spf13/cobra"

	"mobanta/core/check"
	"mobanta/core/parallel"
	"mobanta/core/picture"
	"mobanta/core/scene"
)

func checkCommand() *cobra.Command {
	var f renderFlags
	var asJSON, strict bool
	c := &cobra.Command{
		Use:   "check --bundle FILE",
		Short: "Find what may be a mistake in a project",
		Long: `Looks through the stage and the looks of a bundle and prints what may be a mistake, with the mend that the studio offers.

With --strict the exit code is 1 if there is anything to say.`,
		Example: `  mobanta check --bundle saltlight.zip
  mobanta check --bundle saltlight.zip --json --strict`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			p, made, err := load(cmd.Context(), &f)
			if err != nil {
				return err
			}
			job, err := scene.Of(p, made, nil)
			if err != nil {
				return err
			}
			list, err := check.Run(cmd.Context(), p, job.Scene, job.Looks, picture.NewRenderer(parallel.Cores()))
			if err != nil {
				return err
			}
			out := cmd.OutOrStdout()
			if asJSON {
				type row struct {
					Key   string `json:"key"`
					Title string `json:"title"`
					Text  string `json:"text"`
					Look  string `json:"look,omitempty"`
					Node  string `json:"node,omitempty"`
					Light string `json:"light,omitempty"`
					Mend  string `json:"mend,omitempty"`
				}
				rows := []row{}
				for _, m := range list {
					rows = append(rows, row{m.Key, m.Title, m.Text, m.Look, m.Node, m.Light, m.Mend})
				}
				enc := json.NewEncoder(out)
				enc.SetIndent("", "  ")
				if err := enc.Encode(rows); err != nil {
					return err
				}
			} else {
				for _, m := range list {
					fmt.Fprintf(out, "%s: %s\n  mend: %s\n", m.Title, m.Text, m.Mend)
				}
				if len(list) == 0 {
					fmt.Fprintln(out, "Nothing looks like a mistake.")
				}
			}
			if strict && len(list) > 0 {
				return fmt.Errorf("remarks: %d", len(list))
			}
			return nil
		},
	}
	c.Flags().StringVar(&f.bundle, "bundle", "", "bundle to look through")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.Flags().BoolVar(&strict, "strict", false, "fail if there is anything to say")
	if err := c.MarkFlagRequired("bundle"); err != nil {
		panic(err)
	}
	return c
}
