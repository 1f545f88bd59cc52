package main

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"mobanta/core/network"
	"mobanta/core/node"
)

func nodesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "nodes [WORDS]",
		Short: "List the kinds of node with their inputs, outputs and settings",
		Long:  "Lists the kinds of node as look files name them; with words, those that the words could mean.",
		RunE: func(cmd *cobra.Command, args []string) error {
			found := node.Catalogue{}.Search(strings.Join(args, " "))
			if len(found) > 0 && found[0].Guess {
				var names []string
				for _, k := range found {
					names = append(names, k.Name)
				}
				return fmt.Errorf("nothing goes by %q; nearest come %s", strings.Join(args, " "), strings.Join(names, ", "))
			}
			for _, k := range found {
				describe(cmd.OutOrStdout(), &k.Spec)
			}
			return nil
		},
	}
}

func describe(w io.Writer, s *network.Spec) {
	fmt.Fprintf(w, "%s (%s, %s)\n  %s\n", s.Name, s.Kind, s.Family, s.Purpose)
	for _, p := range s.Inputs {
		fmt.Fprintf(w, "  in   %-12s %s\n", p.Key, p.Type)
	}
	for _, p := range s.Outputs {
		fmt.Fprintf(w, "  out  %-12s %s\n", p.Key, p.Type)
	}
	for _, v := range s.Settings {
		fmt.Fprintf(w, "  set  %-12s %s", v.Key, v.Type)
		switch v.Type {
		case network.Number:
			fmt.Fprintf(w, ", %v to %v, otherwise %v", v.Min, v.Max, v.Default)
		case network.Choice:
			var keys []string
			for _, o := range v.Choices {
				keys = append(keys, o.Key)
			}
			fmt.Fprintf(w, ": %s", strings.Join(keys, ", "))
		}
		fmt.Fprintln(w)
	}
}
