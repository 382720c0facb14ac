package main

import (
	"context"
	"fmt"
	"math"
	"time"

	"velvetgrime/core/bake"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/sample"
)

// boulder is a closed body with two sizes of bumps: 4·n² triangles, one island.
func boulder(n int) *mesh.Model {
	m := &mesh.Model{Name: "Boulder", Parts: []mesh.Part{{Name: "Boulder"}}, Sheets: []mesh.Sheet{{Name: "Stone", Source: "Stone", HasUV: true}}}
	for j := 0; j <= n; j++ {
		for i := 0; i <= 2*n; i++ {
			a, b := math.Pi*float64(j)/float64(n), math.Pi*float64(i)/float64(n)
			r := 1 + 0.15*math.Sin(9*a)*math.Sin(11*b)*math.Sin(a) + 0.03*math.Sin(53*a)*math.Sin(61*b)*math.Sin(a)
			m.Pos = append(m.Pos, geom.V3(float32(r*math.Sin(a)*math.Cos(b)), float32(r*math.Cos(a)), float32(-r*math.Sin(a)*math.Sin(b))))
			m.UV = append(m.UV, geom.Vec2{X: float32(i) / float32(2*n), Y: float32(j) / float32(n)})
			m.Nrm = append(m.Nrm, geom.Vec3{})
		}
	}
	id := func(i, j int) uint32 { return uint32(j*(2*n+1) + i) }
	for j := range n {
		for i := range 2 * n {
			m.Tri = append(m.Tri, [3]uint32{id(i, j), id(i, j+1), id(i+1, j+1)}, [3]uint32{id(i, j), id(i+1, j+1), id(i+1, j)})
			m.TriPart, m.TriSheet = append(m.TriPart, 0, 0), append(m.TriSheet, 0, 0)
		}
	}
	m.SmoothNormals(180)
	if err := m.Finish(); err != nil {
		panic(err) // the bench's own mistake
	}
	return m
}

func benchBake(ctx context.Context, r *report) error {
	one := func(label string, m *mesh.Model, size int) (rate, build float64, err error) {
		s := bake.Default()
		s.Size, s.Samples, s.Smooth = size, 64, 1
		b, err := bake.New(ctx, m, nil, s, []string{"ao"})
		if err != nil {
			return 0, 0, err
		}
		start := time.Now()
		for _, p := range b.Pieces() {
			if _, err := b.Bake(ctx, p); err != nil {
				return 0, 0, err
			}
		}
		sec := time.Since(start).Seconds()
		rate, build = float64(b.Rays())/sec/1e6, b.Built().Seconds()
		r.Results = append(r.Results, result{"bake", fmt.Sprintf("occlusion, %s, %d triangles, sheet %d, 64 rays", label, len(m.Tri), size), "million rays/s", rate, 0, 0})
		r.Results = append(r.Results, result{"bake", fmt.Sprintf("ray trees of %s, each part's too", label), "s", build, 0, 0})
		return rate, build, nil
	}
	if _, _, err := one("lantern", sample.Lantern(), 256); err != nil {
		return err
	}
	rays, trees := sweep{Name: "bake", Over: "triangles", Unit: "µs a ray"}, sweep{Name: "bake-tree", Over: "triangles", Unit: "s"}
	for _, n := range []int{53, 106, 250, 500} {
		m := boulder(n)
		rate, build, err := one("boulder", m, 256)
		if err != nil {
			return err
		}
		rays.Points = append(rays.Points, [2]float64{float64(len(m.Tri)), 1 / rate})
		trees.Points = append(trees.Points, [2]float64{float64(len(m.Tri)), build})
	}
	rays.Exponent, trees.Exponent = exponent(rays.Points), exponent(trees.Points)
	r.Sweeps = append(r.Sweeps, rays, trees)
	return nil
}
