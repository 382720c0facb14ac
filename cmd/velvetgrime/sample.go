package main

import (
	"bytes"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"

	"github.com/spf13/cobra"
)

// sampleModels are the models of Low Wick landing by name.
var sampleModels = map[string]func() *mesh.Model{
	"lantern": sample.Lantern, "lantern-dense": sample.LanternDense, "bollard": sample.Bollard, "gull": sample.Gull, "cleat": sample.Cleat,
}

func sampleCommand() *cobra.Command {
	var out string
	var tangents bool
	names := slices.Sorted(maps.Keys(sampleModels))
	c := &cobra.Command{Use: "sample NAME", Short: "Write a model of Low Wick landing as GLB: " + strings.Join(names, ", "), Args: cobra.ExactArgs(1), ValidArgs: names,
		RunE: func(c *cobra.Command, args []string) error {
			f := sampleModels[args[0]]
			if f == nil {
				return fmt.Errorf("there is no sample %q; there are %s", args[0], strings.Join(names, ", "))
			}
			var b bytes.Buffer
			if err := meshio.WriteGLB(&b, f(), meshio.Options{Tangents: tangents}); err != nil {
				return err
			}
			if out == "" {
				out = args[0] + ".glb"
			}
			return os.WriteFile(out, b.Bytes(), 0o644)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write")
	c.Flags().BoolVar(&tangents, "tangents", false, "also write the tangents (MikkTSpace)")
	return c
}
