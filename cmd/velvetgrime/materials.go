package main

import (
	"encoding/json"
	"fmt"
	"strings"
	"text/tabwriter"

	"velvetgrime/core/material"
	"velvetgrime/core/stack"

	"github.com/spf13/cobra"
)

// materialsCommand lists what ships, for people and for programs.
func materialsCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use: "materials", Short: "List the materials that ship, with their dials and needs", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			type entry struct {
				*material.Material
				Dials []stack.Dial `json:"dials"`
				Needs []string     `json:"needs"`
			}
			var list []entry
			for _, m := range material.All() {
				list = append(list, entry{m, m.Dials(), m.Needs()})
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
	return c
}
