package main

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"velvetgrime/core/cache"
	"velvetgrime/core/deliver"
	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/mesh"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"

	"github.com/spf13/cobra"
)

// stillReport is what render tells of a picture with --json.
type stillReport struct {
	File    string  `json:"file"`
	Samples int     `json:"samples"`
	Ready   float64 `json:"ready" doc:"seconds until rays could start"`
	Traced  float64 `json:"traced" doc:"seconds of tracing"`
	Error   float64 `json:"error" doc:"relative standard error of the light"`

	picture image.Image
}

func renderCommand() *cobra.Command {
	var project, doc, model, dsn, demo, out, size, from, environment string
	var focal, fStop float64
	var turntable int
	var animated string
	var asJSON bool
	s := render.Still{Samples: 64, Exposure: 1, Background: "light", Denoise: true, Ground: true}
	c := &cobra.Command{
		Use: "render", Short: "Draw a still of a project or of a document by tracing paths", Args: cobra.NoArgs,
		Long: "Draw a still by tracing paths of light: a PNG of 16 bits, or an EXR with layers (light, albedo,\n" +
			"normal, depth, id). Environments: " + strings.Join(environmentIDs(), ", ") + ",\nor a file (.hdr, .exr).",
		RunE: func(c *cobra.Command, _ []string) error {
			ctx := c.Context()
			if _, err := fmt.Sscanf(size, "%dx%d", &s.W, &s.H); err != nil {
				return fmt.Errorf("size %q is not like 1280x800", size)
			}
			p, done, err := programOrDemo(ctx, project, doc, model, dsn, demo)
			if err != nil {
				return err
			}
			defer done()
			sky, err := panorama(ctx, environment)
			if err != nil {
				return err
			}
			s.Light = environment
			dir, err := direction(from)
			if err != nil {
				return err
			}
			views := max(turntable, 1)
			if animated != "" && turntable < 2 {
				return fmt.Errorf("--animated needs the pictures of a --turntable")
			}
			var all render.Animation
			for i := range views {
				view(&s, p.Scene.Model, turned(dir, 360*float64(i)/float64(views)), focal)
				if fStop > 0 { // the opening of a lens of that focal length
					s.Aperture = focal / 1000 / fStop
				}
				name := out
				if turntable > 0 {
					ext := filepath.Ext(out)
					name = fmt.Sprintf("%s-%0*d%s", strings.TrimSuffix(out, ext), len(strconv.Itoa(views-1)), i, ext)
				}
				r, err := renderStill(ctx, p, s, sky, name, c.OutOrStdout(), asJSON)
				if err != nil {
					return err
				}
				if asJSON {
					if err := json.NewEncoder(c.OutOrStdout()).Encode(r); err != nil {
						return err
					}
				}
				if animated != "" {
					if err := all.Add(r.picture); err != nil {
						return err
					}
				}
			}
			if animated == "" {
				return nil
			}
			text := c.OutOrStdout()
			if asJSON {
				text = io.Discard
			}
			return writeFile(filepath.Dir(animated), filepath.Base(animated), func(w io.Writer) error { return all.Write(w, max(4000/views, 20)) }, text)
		}}
	f := c.Flags()
	f.StringVar(&project, "project", "", "name or id of a project in the database")
	f.StringVar(&doc, "document", "", "document file, instead of a project")
	f.StringVar(&model, "model", "", "model file for --document")
	f.StringVar(&demo, "sample", "", "one of the sample objects: lantern, bollard, gull, ferry")
	f.StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string")
	f.StringVarP(&out, "out", "o", "still.png", "file to write, .png or .exr")
	f.StringVar(&size, "size", "1280x800", "pixels")
	f.IntVar(&s.Samples, "samples", s.Samples, "paths a pixel")
	f.StringVar(&from, "from", "0.45,0.35,1", "direction from the model to the eye")
	f.Float64Var(&focal, "focal", 50, "focal length, mm of a picture 24 mm high; 0: without perspective")
	f.Float64Var(&fStop, "f-stop", 0, "opening of the lens, focal length over diameter; 0: all is sharp")
	f.Float64Var(&s.Focus, "focus", 0, "metres from the eye to what is sharp; 0: the middle")
	f.StringVar(&environment, "light", "quay-evening", "environment, by id, or a panorama's file")
	f.Float64Var(&s.Turn, "turn", 0, "degrees by which the environment is turned")
	f.Float64Var(&s.Tilt, "tilt", 0, "degrees by which it is tilted")
	f.Float64Var(&s.Exposure, "exposure", s.Exposure, "1: white is about white")
	f.Float64Var(&s.Glow, "glow", 0, "how bright what is emissive is, by white; 0: as white")
	f.StringVar(&s.Background, "background", s.Background, "light, plain, clear")
	f.Float64Var(&s.Blur, "blur", 0, "of the environment behind, 0..1")
	f.BoolVar(&s.Ground, "ground", s.Ground, "a matt floor below")
	f.StringVar(&s.Tone, "tone", "", "filmic, neutral, none")
	f.BoolVar(&s.Relief, "relief", false, "heights move the surface, instead of bending its light alone")
	f.BoolVar(&s.Denoise, "denoise", s.Denoise, "take noise away")
	f.IntVar(&s.Bounces, "bounces", 0, "how often light is sent on at most; 0: 8")
	f.IntVar(&turntable, "turntable", 0, "so many pictures all round, numbered")
	f.StringVar(&animated, "animated", "", "file (.webp) in which the pictures of a turntable follow one another")
	f.BoolVar(&asJSON, "json", false, "tell seconds and error of each picture")
	return c
}

func environmentIDs() (ids []string) {
	for _, e := range light.Environments() {
		ids = append(ids, e.ID)
	}
	return ids
}

// panorama is an environment of ours, or one from a file.
func panorama(ctx context.Context, name string) (*light.Panorama, error) {
	if e, ok := light.Find(name); ok {
		return e.Panorama(), nil
	}
	b, err := os.ReadFile(name)
	if os.IsNotExist(err) {
		return nil, fmt.Errorf("%q is neither an environment (%s) nor a file", name, strings.Join(environmentIDs(), ", "))
	}
	if err != nil {
		return nil, err
	}
	p, err := light.Read(ctx, b)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return p, nil
}

// programOrDemo opens a project, a document, or a sample object with its bakes.
func programOrDemo(ctx context.Context, project, doc, model, dsn, demo string) (*eval.Program, func(), error) {
	if demo == "" {
		p, _, done, err := program(ctx, project, doc, model, dsn)
		return p, done, err
	}
	known := []string{"lantern", "bollard", "gull", "ferry"}
	for _, k := range known {
		if k == demo {
			m, dense, d, s, maps := sample.Dressed(demo)
			b, err := render.BakeInMemory(ctx, m, dense, s, maps, cache.New(cliCache))
			if err != nil {
				return nil, nil, err
			}
			with := *d
			with.Prepared = b.Prepared
			return eval.Compile(b.Scene, &with, "", ""), func() {}, nil
		}
	}
	return nil, nil, fmt.Errorf("sample %q is none of %s", demo, strings.Join(known, ", "))
}

func direction(s string) (geom.Vec3, error) {
	var v [3]float64
	parts := strings.Split(s, ",")
	for i := range v {
		var err error
		if i < len(parts) {
			v[i], err = strconv.ParseFloat(strings.TrimSpace(parts[i]), 32)
		}
		if err != nil || len(parts) != 3 {
			return geom.Vec3{}, fmt.Errorf("direction %q is not like 0.4,0.3,1", s)
		}
	}
	d := geom.V3(float32(v[0]), float32(v[1]), float32(v[2])).Unit()
	if d == (geom.Vec3{}) {
		return d, fmt.Errorf("direction %q leads nowhere", s)
	}
	return d, nil
}

// turned turns a direction about the vertical.
func turned(d geom.Vec3, degrees float64) geom.Vec3 {
	return geom.TRS([3]float64{}, render.Upright(degrees), [3]float64{1, 1, 1}).Normal(d)
}

// view looks at the whole model from a direction.
func view(s *render.Still, m *mesh.Model, from geom.Vec3, focal float64) {
	angle := render.AngleOf(focal)
	c := render.Around(m.Bounds, from, max(angle, 20))
	s.Angle = angle
	if angle == 0 {
		s.Height = float64(m.Bounds.Size().Length()) * 1.02
	}
	s.Eye = [3]float64{float64(c.Eye.X), float64(c.Eye.Y), float64(c.Eye.Z)}
	s.At = [3]float64{float64(c.At.X), float64(c.At.Y), float64(c.At.Z)}
}

func renderStill(
	ctx context.Context, p *eval.Program, s render.Still, sky *light.Panorama, out string, tell io.Writer, quiet bool,
) (r stillReport, err error) {
	begun := time.Now()
	t, err := render.NewTraced(ctx, p, s, sky, 1, nil)
	if err != nil {
		return r, err
	}
	r.Ready = time.Since(begun).Seconds()
	begun = time.Now()
	f, err := t.Trace(ctx, 0, s.Samples, nil)
	if err != nil {
		return r, err
	}
	r.Traced, r.Samples, r.Error, r.File = time.Since(begun).Seconds(), s.Samples, f.Error(), out
	var b []byte
	r.picture = f.Develop(&s)
	if strings.EqualFold(filepath.Ext(out), ".exr") {
		b, err = exr.Encode(s.W, s.H, f.Layers(&s), false)
	} else {
		b, err = deliver.PNG(r.picture)
	}
	if err != nil {
		return r, err
	}
	if quiet {
		tell = io.Discard
	}
	return r, write(filepath.Dir(out), filepath.Base(out), b, tell)
}
