package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"mobanta/core/delivery"
	"mobanta/core/project"
	"mobanta/core/proof"
)

func sheetCommand() *cobra.Command {
	var bundle, size, out string
	var vary []string
	var samples int
	var list, asJSON bool
	c := &cobra.Command{
		Use:   "sheet --bundle FILE --vary NAME=VALUE,VALUE… --out FILE",
		Short: "Draw a proof sheet: every combination of a few things",
		Long: `Draws every combination of one to three things of a project, with their names, into a .png or a .pdf: the first across,
the second down, the third in blocks. --list tells what can be varied, and the values that it has or may have.`,
		Example: `  mobanta sheet --bundle saltlight.zip --list
  mobanta sheet --bundle saltlight.zip --vary "Key sun=-60,0,60" --vary "Copper=#D4843F,#5B7A6A" --out sheet.png`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			p, files, err := load(cmd.Context(), &renderFlags{bundle: bundle})
			if err != nil {
				return err
			}
			if list {
				return offers(cmd.OutOrStdout(), p, asJSON)
			}
			o := delivery.Order{As: delivery.SheetPNG, Samples: samples, Sheet: &proof.Sheet{}}
			switch strings.ToLower(filepath.Ext(out)) {
			case ".png":
			case ".pdf":
				o.As = delivery.SheetPDF
			default:
				return asked("--out must end in .png or .pdf, not %q", filepath.Ext(out))
			}
			if o.W, o.H, err = pair(size, "x", strconv.Atoi); err != nil {
				return asked("--size must be such as 240x150, not %q", size)
			}
			for _, v := range vary {
				axis, err := axisOf(p, v)
				if err != nil {
					return err
				}
				o.Sheet.Axes = append(o.Sheet.Axes, axis)
			}
			if err := o.Check(p); err != nil {
				return &wrong{err}
			}
			d := delivery.NewDrawer(p, files, 0, nil)
			return written(out, func(name string) error {
				return d.Fill(context.WithoutCancel(cmd.Context()), &o, name, progress(cmd.ErrOrStderr()))
			})
		},
	}
	c.Flags().StringVar(&bundle, "bundle", "", "bundle of the project")
	c.Flags().StringArrayVar(&vary, "vary", nil, "what varies, by its name, and its values; up to three times")
	c.Flags().StringVar(&size, "size", "240x150", "width and height of each picture in pixels")
	c.Flags().IntVar(&samples, "samples", 4, "positions in a pixel")
	c.Flags().StringVar(&out, "out", "", "file to write, .png or .pdf")
	c.Flags().BoolVar(&list, "list", false, "tell what can be varied")
	c.Flags().BoolVar(&asJSON, "json", false, "with --list: as JSON")
	if err := c.MarkFlagRequired("bundle"); err != nil {
		panic(err)
	}
	c.MarkFlagsOneRequired("list", "out")
	return c
}

// offers tells what can be varied.
func offers(w io.Writer, p *project.Project, asJSON bool) error {
	all := proof.Offers(p)
	if asJSON {
		return json.NewEncoder(w).Encode(all)
	}
	t := tabwriter.NewWriter(w, 2, 2, 2, ' ', 0)
	for _, o := range all {
		var values []string
		for _, v := range o.Given {
			values = append(values, v.Key)
		}
		fmt.Fprintf(t, "%s\t%s\tnow %s\t%s\n", o.Group, o.Name, o.Now, strings.Join(values, ","))
	}
	return t.Flush()
}

// axisOf reads NAME=VALUES; the values of choices may be named as they are shown.
func axisOf(p *project.Project, s string) (a proof.Axis, err error) {
	i := strings.LastIndexByte(s, '=')
	if i < 0 {
		return a, asked("--vary must be such as %q, not %q", "Key sun=-60,0,60", s)
	}
	all := proof.Offers(p)
	k := slices.IndexFunc(all, func(o proof.Offer) bool { return o.Of == s[:i] || strings.EqualFold(o.Name, strings.TrimSpace(s[:i])) })
	if k < 0 {
		return a, asked("--vary: there is no %q to vary; --list tells what there is", s[:i])
	}
	a.Of = all[k].Of
	for _, v := range strings.Split(s[i+1:], ",") {
		v = strings.TrimSpace(v)
		for _, g := range all[k].Given {
			if strings.EqualFold(g.Name, v) && all[k].Kind == proof.Choices {
				v = g.Key
			}
		}
		a.Values = append(a.Values, v)
	}
	return a, nil
}
