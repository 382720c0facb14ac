package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"velvetgrime/core/meshio"
	"velvetgrime/core/unwrap"

	"github.com/spf13/cobra"
)

func unwrapCommand() *cobra.Command {
	o := unwrap.Defaults()
	var out string
	var asJSON bool
	c := &cobra.Command{Use: "unwrap MODEL", Short: "Cut a model, lay it flat and pack its sheets", Args: cobra.ExactArgs(1),
		Long: "Find seams, lay the charts flat (least squares conformal maps, refined for area by the\nsymmetric Dirichlet energy) and pack them. Writes .glb or .obj.",
		RunE: func(c *cobra.Command, args []string) error {
			m, err := readModel(args[0])
			if err != nil {
				return err
			}
			if out == "" {
				out = strings.TrimSuffix(filepath.Base(args[0]), filepath.Ext(args[0])) + "_unwrapped.glb"
			}
			start := time.Now()
			l, err := unwrap.Unwrap(c.Context(), m, o, func(float64, string) {})
			if err != nil {
				return err
			}
			after, err := l.Apply(m)
			if err != nil {
				return err
			}
			seconds := time.Since(start).Seconds()
			var b bytes.Buffer
			_, err = meshio.Write(&b, after, out)
			if err == nil {
				err = os.WriteFile(out, b.Bytes(), 0o644)
			}
			if err != nil {
				return err
			}
			report := struct {
				File    string         `json:"file"`
				Seconds float64        `json:"seconds"`
				Before  *unwrap.Report `json:"before"`
				After   *unwrap.Report `json:"after"`
			}{out, seconds, unwrap.Measure(m, unwrap.Same(o.Size)), unwrap.Measure(after, unwrap.Same(o.Size))}
			for _, r := range []*unwrap.Report{report.Before, report.After} {
				for i := range r.Findings {
					r.Findings[i].Tris = r.Findings[i].Tris[:0] // places are for the page
				}
			}
			w := c.OutOrStdout()
			if asJSON {
				e := json.NewEncoder(w)
				e.SetIndent("", "  ")
				return e.Encode(report)
			}
			for _, s := range report.After.Sheets {
				fmt.Fprintf(w, "%-20s %4d islands  %3.0f %% filled  angle %.3f (95 %%: %.3f)  area %.3f (95 %%: %.3f)  density %.0f  padding %d  overlap %d\n",
					s.Sheet, s.Islands, s.Space*100, s.Stretch.Angle.Mean, s.Stretch.Angle.P95, s.Stretch.Area.Mean, s.Stretch.Area.P95, s.Density[1], s.Padding, s.Overlap)
			}
			for _, f := range report.After.Findings {
				fmt.Fprintln(w, "finding:", f.Text)
			}
			fmt.Fprintf(w, "%s  %.1f s\n", out, seconds)
			return nil
		}}
	f := c.Flags()
	f.StringVarP(&out, "out", "o", "", "file to write: .glb or .obj")
	f.IntVar(&o.Size, "sheet-size", o.Size, "texels a side that the margin is meant for")
	f.IntVar(&o.Margin, "margin", o.Margin, "texels between islands")
	f.Float64Var(&o.Angle, "angle", o.Angle, "degrees above which an edge is cut")
	f.Float64Var(&o.Bend, "bend", o.Bend, "how far charts may be from developable ones")
	f.StringSliceVar(&o.Sheets, "sheet", nil, "only these sheets")
	f.StringSliceVar(&o.Parts, "part", nil, "only these parts")
	f.StringVar(&o.Sheet, "onto", "", "put everything on this sheet")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return c
}
