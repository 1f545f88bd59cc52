package main

import (
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"mobanta/store"
	"mobanta/web"
)

func backupCommand() *cobra.Command {
	var out string
	var force bool
	c := &cobra.Command{
		Use:   "backup --out FILE",
		Short: "Save all projects, with their history and files, into one file",
		Long: `Saves a data folder as a ZIP, also while a studio serves it: the database as it is at one moment, and all files. Files that
are damaged or missing are told and left out; then the exit code is 3. The backup can be read by you alone.`,
		Args: cobra.NoArgs,
	}
	c.Flags().StringVar(&out, "out", "", "file to write, which must not be there yet")
	c.Flags().BoolVar(&force, "force", false, "write over a file that is there")
	if err := c.MarkFlagRequired("out"); err != nil {
		panic(err)
	}
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := existing(*data)
		if err != nil {
			return err
		}
		defer s.Close()
		lacking := 0
		err = writeNew(out, force, func(w io.Writer) error {
			return s.Backup(cmd.Context(), w, func(text string) {
				lacking++
				fmt.Fprintln(cmd.OutOrStdout(), text)
			})
		})
		if err == nil && lacking > 0 {
			err = &partly{fmt.Errorf("all else is saved in %s, but for %d files that are damaged or missing", out, lacking)}
		}
		return err
	}
	return c
}

func restoreCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "restore FILE --data NEW-FOLDER",
		Short: "Make a data folder of a backup",
		Long: `Makes a data folder of what "mobanta backup" saved. The folder must be new or empty: nothing is written over. Files that are
damaged in the backup are told and left out, and all else is restored; then the exit code is 3.`,
		Args: cobra.ExactArgs(1),
	}
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		h, err := store.Take(*data)
		if err != nil {
			return err
		}
		defer h.Release()
		lacking := 0
		err = store.Restore(cmd.Context(), args[0], *data, func(text string) {
			lacking++
			fmt.Fprintln(cmd.OutOrStdout(), text)
		})
		if err != nil {
			return err
		}
		err = verify(cmd, *data)
		if lacking > 0 {
			err = &partly{errors.Join(fmt.Errorf("all else is restored into %s, but for %d files that are damaged or missing", *data, lacking), err)}
		}
		return err
	}
	return c
}

func verifyCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "verify",
		Short: "Look through all that is stored for what cannot be read",
		Long:  "Reads the database, every state of every project and every file, and prints what is not as it should be. It changes nothing.",
		Args:  cobra.NoArgs,
	}
	data := dataFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error { return verify(cmd, *data) }
	return c
}

func verify(cmd *cobra.Command, dir string) error {
	s, err := existing(dir)
	if err != nil {
		return err
	}
	defer s.Close()
	wrong := 0
	v, err := s.Verify(cmd.Context(), func(text string) {
		wrong++
		fmt.Fprintln(cmd.OutOrStdout(), text)
	})
	if err != nil {
		return err
	}
	if wrong > 0 {
		return fmt.Errorf("of %d projects with %d states and %d files, %d things are not as they should be", v.Projects, v.Revisions, v.Files, wrong)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "All is well: %d projects with %d states, and %d files.\n", v.Projects, v.Revisions, v.Files)
	return nil
}

// existing opens a data folder that is there.
func existing(dir string) (*store.Store, error) {
	if _, err := os.Stat(dir); err != nil {
		return nil, fmt.Errorf("there is no data folder %s: name it with --data", dir)
	}
	return store.Open(dir)
}

func keyCommand() *cobra.Command {
	c := &cobra.Command{Use: "key", Short: "Make or remove the key to a studio that others can reach", Args: cobra.NoArgs}
	fresh := &cobra.Command{
		Use:   "new",
		Short: "Make a new key and print it; older ones, and whoever came in by them, are out",
		Args:  cobra.NoArgs,
	}
	data := dataFlag(fresh)
	fresh.RunE = func(cmd *cobra.Command, _ []string) error {
		key, err := web.NewKey(*data)
		if err == nil {
			fmt.Fprintln(cmd.OutOrStdout(), key)
		}
		return err
	}
	remove := &cobra.Command{
		Use:   "remove",
		Short: "Remove the key: whoever reaches the studio is let in",
		Args:  cobra.NoArgs,
	}
	from := dataFlag(remove)
	remove.RunE = func(cmd *cobra.Command, _ []string) error { return web.RemoveKey(*from) }
	c.AddCommand(fresh, remove)
	return c
}
