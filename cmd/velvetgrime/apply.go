package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"velvetgrime/core/bake"
	"velvetgrime/core/cache"
	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/grime"
	"velvetgrime/core/material"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/exchange"

	"github.com/spf13/cobra"
)

// applying is what apply was asked for.
type applying struct {
	models, parts, sets []string
	seed, size          int
	unwrap, glb         bool
	bake, out, maps     string
	item                string
	file                *grime.Archive // that the material comes from; nil: it ships
}

// applyCommand puts a material on models and delivers them, as the page does.
func applyCommand() *cobra.Command {
	var o applying
	c := &cobra.Command{
		Use: "apply MATERIAL|FILE.grime", Short: "Put a material on models and deliver them", Args: cobra.ExactArgs(1),
		Long: "Put a material on any number of models and deliver each: its maps and, with --glb, the model.\n" +
			"'velvetgrime materials' lists the materials and their dials.",
		RunE: func(c *cobra.Command, args []string) error {
			m, err := o.find(args[0])
			if err != nil {
				return err
			}
			if len(o.models) == 0 {
				return fmt.Errorf("no model is given; name one or more with --model FILE")
			}
			if o.bake != "auto" && o.bake != "none" {
				return fmt.Errorf("--bake %s: there is auto and none", o.bake)
			}
			for _, file := range o.models {
				if err := o.on(c.Context(), m, file, c.OutOrStdout()); err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringArrayVar(&o.models, "model", nil, "a model file; may be given again")
	f.StringArrayVar(&o.parts, "part", nil, "a part that it lies on; may be given again; none: the whole model")
	f.StringArrayVar(&o.sets, "set", nil, "dial=value, 0 to 1; may be given again")
	f.IntVar(&o.seed, "seed", 0, "of its noises; 0: as it was made")
	f.IntVar(&o.size, "size", 1024, "texels a side of every sheet")
	f.BoolVar(&o.unwrap, "unwrap", false, "unwrap the model first, where it has no UVs")
	f.BoolVar(&o.glb, "glb", true, "also write the GLB")
	f.StringVar(&o.item, "item", "", "name of the material in the file; none: its first")
	f.StringVar(&o.bake, "bake", "auto", "auto: what the material reads is baked; none: it does with less")
	f.StringVar(&o.maps, "maps", "base color,occlusion roughness metallic,normal", "maps by name, with commas")
	f.StringVarP(&o.out, "out", "o", ".", "folder to write to")
	return c
}

// find returns a material that ships, or one of a .grime file.
func (o *applying) find(name string) (*material.Material, error) {
	if !strings.HasSuffix(strings.ToLower(name), ".grime") {
		return material.Find(name)
	}
	a, _, err := openGrime(name) // it is read until the program ends
	if err != nil {
		return nil, err
	}
	for _, it := range a.Items {
		if it.Kind == "material" && (o.item == "" || strings.EqualFold(it.Name, o.item)) {
			o.file = a
			return exchange.Material(it)
		}
	}
	return nil, fmt.Errorf("%s: it holds no material %q; 'velvetgrime grime look' lists what it holds", name, o.item)
}

// picture gives a scene the pictures of the file, beside its own.
func (o *applying) picture(own func(string) (*pix.Picture, error)) func(string) (*pix.Picture, error) {
	return func(name string) (*pix.Picture, error) {
		if o.file != nil && o.file.Has(name) {
			b, err := o.file.Blob(name)
			if err != nil {
				return nil, err
			}
			return pix.DecodePicture(bytes.NewReader(b))
		}
		if own == nil {
			return nil, fmt.Errorf("there is no picture %s", name)
		}
		return own(name)
	}
}

// document is the material with its dials as asked for, on a model.
func (o *applying) document(mat *material.Material, m *mesh.Model) (*stack.Document, error) {
	var sheets []string
	for _, s := range m.Sheets {
		sheets = append(sheets, s.Name)
	}
	d := stack.New(sheets, o.size)
	g := mat.Placed("material", o.seed, m.Extent(o.parts, nil))
	for _, name := range o.parts {
		if !slices.ContainsFunc(m.Parts, func(p mesh.Part) bool { return p.Name == name }) {
			return nil, fmt.Errorf("the model has no part %q; 'velvetgrime inspect' lists its parts", name)
		}
	}
	g.Reach.Parts = o.parts
	d.Layers = []*stack.Layer{g}
	if err := step.Rules.Check(d); err != nil {
		return nil, err
	}
	for _, set := range o.sets {
		dial, text, ok := strings.Cut(set, "=")
		v, err := strconv.ParseFloat(text, 64)
		if !ok || err != nil {
			return nil, fmt.Errorf("--set %s: it reads dial=value, such as \"how worn=0.7\"", set)
		}
		if d, _, _, err = step.Rules.Apply(d, stack.TurnDial{Target: g.ID, Dial: strings.TrimSpace(dial), Value: v}); err != nil {
			return nil, err
		}
	}
	return d, nil
}

func (o *applying) on(ctx context.Context, mat *material.Material, file string, out io.Writer) error {
	m, err := readModel(file)
	if err != nil {
		return err
	}
	if o.unwrap && slices.ContainsFunc(m.Sheets, func(s mesh.Sheet) bool { return !s.HasUV }) {
		s := unwrap.Defaults()
		s.Size = o.size
		l, err := unwrap.Unwrap(ctx, m, s, func(float64, string) {})
		if err != nil {
			return err
		}
		if m, err = l.Apply(m); err != nil {
			return err
		}
	}
	if !slices.ContainsFunc(m.Sheets, func(s mesh.Sheet) bool { return s.HasUV }) {
		return fmt.Errorf("it has no UVs; add --unwrap")
	}
	d, err := o.document(mat, m)
	if err != nil {
		return err
	}
	scene := eval.NewScene(m, cache.New(cliCache))
	if needs := mat.Needs(); o.bake == "auto" && len(needs) > 0 {
		s := bake.Default()
		s.Size, s.Samples, s.Radius = min(o.size, 512), 32, float64(m.Bounds.Size().Length())/120
		b, err := render.BakeInMemory(ctx, m, nil, s, []string{"ao", "curvature", "sky", "thickness"}, cache.New(cliCache))
		if err != nil {
			return fmt.Errorf("baking: %w", err)
		}
		scene, d.Prepared = b.Scene, b.Prepared
	}
	scene.Picture = o.picture(scene.Picture)
	order := deliver.Order{Size: o.size, GLB: o.glb, Original: originalOf(file)}
	if o.maps != "" {
		order.Maps = strings.Split(o.maps, ",")
	}
	folder := o.out
	if len(o.models) > 1 {
		folder = filepath.Join(folder, m.Name)
	}
	return deliver.Write(ctx, eval.Compile(scene, d, "", ""), order, func(float64, string) {},
		func(name string, write func(io.Writer) error) error { return writeFile(folder, name, write, out) })
}
