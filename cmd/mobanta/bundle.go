package main

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"mobanta/core/exchange"
	"mobanta/store"
	"mobanta/web"
)

func bundleCommand() *cobra.Command {
	c := &cobra.Command{Use: "bundle", Short: "Pack projects into single files, and unpack them", Args: cobra.NoArgs}
	c.AddCommand(exportCommand(), importCommand())
	return c
}

func exportCommand() *cobra.Command {
	var out string
	c := &cobra.Command{
		Use:   "export PROJECT --out FILE",
		Short: "Write a project with its models into one file",
		Long:  "Writes the project, named by its id or by its name, as a ZIP of JSON and model files.",
		Args:  cobra.ExactArgs(1),
	}
	c.Flags().StringVar(&out, "out", "", "file to write")
	if err := c.MarkFlagRequired("out"); err != nil {
		panic(err)
	}
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := store.Open(*data)
		if err != nil {
			return err
		}
		defer s.Close()
		id, err := findProject(cmd, s, args[0])
		if err != nil {
			return err
		}
		st, err := s.Load(cmd.Context(), id)
		if err != nil {
			return err
		}
		return write(out, func(w io.Writer) error {
			return exchange.WriteBundle(w, st.Project, func(hash string) (exchange.File, error) { return s.File(cmd.Context(), hash) })
		})
	}
	return c
}

func findProject(cmd *cobra.Command, s *store.Store, name string) (string, error) {
	list, err := s.Projects(cmd.Context(), false)
	if err != nil {
		return "", err
	}
	var found, names []string
	for _, p := range list {
		if p.ID == name {
			return p.ID, nil
		}
		if strings.EqualFold(p.Name, name) {
			found = append(found, p.ID)
		}
		names = append(names, p.Name+" ("+p.ID+")")
	}
	switch len(found) {
	case 1:
		return found[0], nil
	case 0:
		return "", fmt.Errorf("there is no project %q; there are: %s", name, strings.Join(names, ", "))
	}
	return "", fmt.Errorf("%d projects are named %q; use one of the ids %s", len(found), name, strings.Join(found, ", "))
}

func importCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "import FILE",
		Short: "Store the project of a bundle and print its id",
		Args:  cobra.ExactArgs(1),
	}
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		info, err := os.Stat(args[0])
		if err != nil {
			return err
		}
		if info.Size() > exchange.MaxBundleBytes {
			return fmt.Errorf("%s is larger than %d MB", args[0], exchange.MaxBundleBytes>>20)
		}
		f, err := os.Open(args[0])
		if err != nil {
			return err
		}
		defer f.Close()
		s, err := store.Open(*data)
		if err != nil {
			return err
		}
		defer s.Close()
		id, err := web.ImportBundle(cmd.Context(), s, f, info.Size())
		if err != nil {
			return err
		}
		fmt.Fprintln(cmd.OutOrStdout(), id)
		return nil
	}
	return c
}
