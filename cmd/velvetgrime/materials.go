package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"

	"velvetgrime/core/grime"
	"velvetgrime/core/material"
	"velvetgrime/core/stack"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/store"

	"github.com/spf13/cobra"
)

// materialsCommand lists what ships, for people and for programs.
func materialsCommand() *cobra.Command {
	var asJSON bool
	var dsn string
	c := &cobra.Command{
		Use: "materials", Short: "List the materials that ship, and those of a stock, with their dials and needs", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			type entry struct {
				*material.Material
				Dials []stack.Dial `json:"dials"`
				Needs []string     `json:"needs"`
			}
			var list []entry
			add := func(m *material.Material) { list = append(list, entry{m, m.Dials(), m.Needs()}) }
			if dsn != "" {
				err := withStore(c.Context(), dsn, func(ctx context.Context, s *store.Store) error {
					kept, err := s.Stock(ctx, "material")
					for _, i := range kept {
						if m, e := exchange.Material(grime.Item{Name: i.Name, Data: i.Data}); e == nil {
							add(m)
						}
					}
					return err
				})
				if err != nil {
					return err
				}
			}
			for _, m := range material.All() {
				add(m)
			}
			if asJSON {
				e := json.NewEncoder(c.OutOrStdout())
				e.SetIndent("", "  ")
				return e.Encode(list)
			}
			w := tabwriter.NewWriter(c.OutOrStdout(), 0, 4, 2, ' ', 0)
			fmt.Fprintln(w, "name\tkind\ttags\tdials (usual)\tneeds")
			for _, m := range list {
				var dials []string
				for _, d := range m.Dials {
					dials = append(dials, fmt.Sprintf("%s %.2g", d.Name, d.Usual))
				}
				fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\n", m.Name, m.Kind, strings.Join(m.Tags, ", "), strings.Join(dials, ", "), strings.Join(m.Needs, ", "))
			}
			return w.Flush()
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.Flags().StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "also list what this database's stock holds (or VELVETGRIME_DATABASE)")
	return c
}
