package main

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/material"
	"velvetgrime/core/mesh"
	"velvetgrime/core/press"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"

	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"
)

// pictures writes contact sheets to a folder: every source, every agent at three
// strengths, and the sample projects from several sides. only limits them to names.
func pictures(ctx context.Context, dir string, only []string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	wanted := func(name string) bool {
		if len(only) == 0 {
			return true
		}
		for _, o := range only {
			if strings.HasPrefix(name, o) {
				return true
			}
		}
		return false
	}
	var trial *render.Baked
	if wanted("sources") || wanted("agents") || wanted("materials") {
		var err error
		if trial, err = render.Trial(ctx, 512, cache.New(cliCache)); err != nil {
			return err
		}
	}
	if wanted("sources") {
		if err := sourceSheets(ctx, trial, dir); err != nil {
			return err
		}
	}
	if wanted("agents") {
		if err := agentSheet(ctx, trial, dir); err != nil {
			return err
		}
	}
	if wanted("materials") {
		if err := materialSheets(ctx, trial, dir); err != nil {
			return err
		}
	}
	if wanted("stamps") {
		if err := stampSheet(ctx, dir); err != nil {
			return err
		}
	}
	if wanted("brushes") {
		if err := brushSheet(dir); err != nil {
			return err
		}
	}
	for _, name := range []string{"lantern", "bollard", "gull", "ferry"} {
		if wanted(name) {
			if err := demoSheet(ctx, name, dir); err != nil {
				return err
			}
		}
	}
	return nil
}

// contact puts pictures of one size side by side, each with a line of text.
type contact struct {
	img        *image.RGBA
	w, h, cols int
	n          int
}

func newContact(count, cols, w, h int) *contact {
	rows := (count + cols - 1) / cols
	c := &contact{image.NewRGBA(image.Rect(0, 0, cols*(w+6)+6, rows*(h+20)+6)), w, h, cols, 0}
	draw.Draw(c.img, c.img.Bounds(), image.NewUniform(color.Gray{40}), image.Point{}, draw.Src)
	return c
}

func (c *contact) add(img image.Image, text string) {
	x, y := 6+c.n%c.cols*(c.w+6), 4+c.n/c.cols*(c.h+20)
	draw.Draw(c.img, image.Rect(x, y, x+c.w, y+c.h), img, image.Point{}, draw.Src)
	d := font.Drawer{Dst: c.img, Src: image.NewUniform(color.Gray{220}), Face: basicfont.Face7x13, Dot: fixed.P(x, y+c.h+13)}
	d.DrawString(text)
	c.n++
}

func (c *contact) write(file string) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	defer f.Close()
	return png.Encode(f, c.img)
}

func sourceSheets(ctx context.Context, t *render.Baked, dir string) error {
	var list []step.Description
	for _, d := range step.Descriptions() {
		if d.Role == "source" && !d.Hand && (!d.Special || d.Kind == stack.BakedStep) {
			list = append(list, d)
		}
	}
	const perSheet = 30
	cam := render.TrialCamera(t.Model.Bounds)
	for k := 0; k < len(list); k += perSheet {
		part := list[k:min(k+perSheet, len(list))]
		c := newContact(len(part), 6, 200, 190)
		for _, d := range part {
			doc := t.MaskDocument([]*stack.Step{{ID: "s", Kind: d.Kind, On: true, Amount: 1}})
			p := eval.Compile(t.Scene, doc, "", "")
			img, err := render.Mask(ctx, p, "mask", "s", cam, c.w, c.h)
			if err != nil {
				return fmt.Errorf("%s: %w", d.Kind, err)
			}
			c.add(img, d.Label)
		}
		if err := c.write(filepath.Join(dir, fmt.Sprintf("sources-%d.png", k/perSheet+1))); err != nil {
			return err
		}
	}
	return nil
}

// brushSheet shows a stroke of every brush of the shelf.
func brushSheet(dir string) error {
	list := brush.Shelf()
	c := newContact(len(list), 3, 400, 88)
	for _, m := range list {
		c.add(brush.Preview(m.Stroke(), c.w, c.h), m.Name)
	}
	return c.write(filepath.Join(dir, "brushes.png"))
}

// stampSheet shows every stamp of the shelf as a lit relief.
func stampSheet(ctx context.Context, dir string) error {
	list := press.Shelf()
	c := newContact(len(list), 10, 124, 124)
	for _, m := range list {
		st, err := press.Draw(ctx, &m.Recipe, c.w)
		if err != nil {
			return fmt.Errorf("stamp %q: %w", m.Recipe.Name, err)
		}
		c.add(st.Image("relief"), m.Recipe.Name)
	}
	return c.write(filepath.Join(dir, "stamps.png"))
}

// agentSheet shows each agent alone at three strengths: its mask, and a coat of paint
// that it takes off or dirt that it lays on.
func agentSheet(ctx context.Context, t *render.Baked, dir string) error {
	var list []step.Description
	for _, d := range step.Descriptions() {
		if d.Role == "agent" {
			list = append(list, d)
		}
	}
	cam := render.TrialCamera(t.Model.Bounds)
	for part := 0; part < len(list); part += 3 {
		some := list[part:min(part+3, len(list))]
		c := newContact(len(some)*6, 6, 250, 240)
		for _, d := range some {
			for _, shaded := range []bool{false, true} {
				for _, much := range []float64{0.25, 0.5, 0.8} {
					s := &stack.Step{ID: "s", Kind: d.Kind, On: true, Amount: 1, Params: map[string]any{"much": much}}
					doc := sample.TrialDocument(d.Kind, s)
					doc.Prepared = t.Prepared
					p := eval.Compile(t.Scene, doc, "", "")
					var img image.Image
					var err error
					if shaded {
						img, err = render.Sketch(ctx, p, cam, c.w, c.h)
					} else {
						img, err = render.Mask(ctx, p, "agent", "s", cam, c.w, c.h)
					}
					if err != nil {
						return fmt.Errorf("%s: %w", d.Kind, err)
					}
					c.add(img, fmt.Sprintf("%s %.2f", d.Label, much))
				}
			}
		}
		if err := c.write(filepath.Join(dir, fmt.Sprintf("agents-%d.png", part/3+1))); err != nil {
			return err
		}
	}
	return nil
}

func demoSheet(ctx context.Context, name, dir string) error {
	m, dense, doc, s, maps := sample.Dressed(name)
	b, err := render.BakeInMemory(ctx, m, dense, s, maps, cache.New(512<<20))
	if err != nil {
		return err
	}
	doc.Prepared = b.Prepared
	p := eval.Compile(b.Scene, doc, "", "")
	c := newContact(2, 2, 420, 480)
	whole := render.Around(m.Bounds, geom.V3(0.55, 0.28, 1), 30)
	near := whole
	near.Eye, near.At = near.At.Add(near.Eye.Sub(near.At).Mul(0.34)), near.At.Add(geom.V3(0, -m.Bounds.Size().Y*0.2, 0))
	if name == "gull" { // its wing
		wing := geom.V3(-0.05, 0.135, 0)
		near.At, near.Eye = wing, wing.Add(geom.V3(0.05, 0.10, 0.34))
	}
	for k, cam := range []render.Camera{whole, near} {
		img, err := render.Sketch(ctx, p, cam, c.w, c.h)
		if err != nil {
			return err
		}
		c.add(img, []string{"whole", "near"}[k])
	}
	return c.write(filepath.Join(dir, name+".png"))
}

// closeUp looks at 100 × 75 mm of a model from a direction, about the middle of what it shows there.
func closeUp(ctx context.Context, m *mesh.Model, c render.Camera) (render.Camera, error) {
	tree, err := spatial.Build(ctx, m.Pos, m.Tri, nil)
	if err != nil {
		return c, err
	}
	var b spatial.Bundle
	to := c.At.Sub(c.Eye)
	if hit := tree.Ray(&b, c.Eye, to.Unit(), 0, 2*to.Length()); hit.Tri >= 0 {
		c.At = c.Eye.Add(to.Unit().Mul(hit.T))
	}
	c.Eye = c.At.Sub(to.Unit().Mul(0.0375 / float32(math.Tan(c.Angle*math.Pi/360))))
	return c, nil
}

// materialSheets shows the materials of each kind on the trial object: young, as they are and
// old, and close up; and once more 100 × 75 mm of each, large.
func materialSheets(ctx context.Context, t *render.Baked, dir string) error {
	kinds := map[string][]*material.Material{}
	for _, m := range material.All() {
		kinds[m.Kind] = append(kinds[m.Kind], m)
	}
	whole := render.TrialCamera(t.Model.Bounds)
	near := whole
	near.Eye, near.At = near.At.Add(near.Eye.Sub(near.At).Mul(0.36)), near.At.Add(geom.V3(0, -t.Model.Bounds.Size().Y*0.12, 0))
	closer, err := closeUp(ctx, t.Model, near)
	if err != nil {
		return err
	}
	only, named := os.Getenv("VELVETGRIME_BENCH_KINDS"), os.Getenv("VELVETGRIME_BENCH_NAMES") // some of them, with commas
	for kind, list := range kinds {
		if named != "" {
			list = slices.DeleteFunc(list, func(m *material.Material) bool { return !strings.Contains(","+named+",", ","+m.Name+",") })
		}
		if len(list) == 0 {
			continue
		}
		if only != "" && !slices.Contains(strings.Split(only, ","), kind) {
			continue
		}
		c, large := newContact(4*len(list), 4, 300, 250), newContact(len(list), 3, 480, 360)
		for _, m := range list {
			for _, shot := range []struct {
				age float32
				cam render.Camera
			}{{2, whole}, {15, whole}, {50, whole}, {15, near}} {
				d := stack.New([]string{t.Model.Sheets[0].Name}, 2048)
				d.Layers, d.Prepared, d.Conditions = []*stack.Layer{m.Group("m", 0)}, t.Prepared, render.TrialConditions()
				d.Conditions.Age = shot.age
				img, err := render.Sketch(ctx, eval.Compile(t.Scene, d, "", ""), shot.cam, c.w, c.h)
				if err != nil {
					return fmt.Errorf("%s: %w", m.Name, err)
				}
				c.add(img, fmt.Sprintf("%s, %.0f years", m.Name, shot.age))
			}
			d := stack.New([]string{t.Model.Sheets[0].Name}, 2048)
			d.Layers, d.Prepared, d.Conditions = []*stack.Layer{m.Group("m", 0)}, t.Prepared, render.TrialConditions()
			d.Conditions.Age = 15
			img, err := render.Sketch(ctx, eval.Compile(t.Scene, d, "", ""), closer, large.w, large.h)
			if err != nil {
				return fmt.Errorf("%s: %w", m.Name, err)
			}
			large.add(img, m.Name)
		}
		if err := c.write(filepath.Join(dir, "materials-"+kind+".png")); err != nil {
			return err
		}
		if err := large.write(filepath.Join(dir, "materials-"+kind+"-near.png")); err != nil {
			return err
		}
	}
	return nil
}
