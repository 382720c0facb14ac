package sample

import (
	"velvetgrime/core/bake"
	"velvetgrime/core/blend"
	"velvetgrime/core/mesh"
	"velvetgrime/core/stack"
)

// TrialDocument shows one agent on the trial post: what it takes off is a coat of
// paint over iron, what it lays on lies on the paint. Its mask is in the layer
// "agent".
func TrialDocument(kind string, s *stack.Step) *stack.Document {
	d := stack.New([]string{"Trial"}, 1024)
	iron := layer("iron", "Iron", 1, nil, coats{stack.BaseColor: col("#5a5552"), stack.Roughness: num(0.45), stack.Metallic: num(0.9)})
	coat := layer("paint", "Paint", 1, nil, coats{stack.BaseColor: col("#2f4a52"), stack.Roughness: num(0.42), stack.Metallic: num(0)})
	agent := layer("agent", "Agent", 1, nil, nil)
	if s != nil {
		agent.Mask = stream(s)
	}
	switch kind {
	case "rub":
		agent.Channels = coats{stack.BaseColor: col("#6d6762"), stack.Roughness: num(0.36), stack.Metallic: num(0.95), stack.Height: mm(-0.2)}
	case "scour":
		agent.Channels = coats{stack.BaseColor: col("#9aa5a6"), stack.Roughness: num(0.55), stack.Height: mm(-0.12)}
	case "nook":
		agent.Channels = coats{stack.BaseColor: col("#1c1813"), stack.Roughness: num(0.85)}
	case "settle":
		agent.Channels = coats{stack.BaseColor: col("#a89d88"), stack.Roughness: num(0.95)}
	case "tide":
		agent.Channels = coats{stack.BaseColor: col("#6e5c44"), stack.Roughness: num(0.9), stack.Height: mm(0.3)}
	case "bleach":
		agent.Channels = coats{stack.BaseColor: col("#93aaae"), stack.Roughness: num(0.7)}
	case "run":
		agent.Channels = coats{stack.BaseColor: with(col("#5c3316"), blend.Normal, 0.85), stack.Roughness: num(0.7)}
	case "creep":
		agent.Channels = coats{stack.BaseColor: made(rustColours(180)...), stack.Roughness: num(0.88), stack.Metallic: num(0), stack.Height: scaled(0, 0.4, src("noise", blend.Normal, 1, noiseP("billow", 300, 5, 12)))}
	case "touch":
		agent.Channels = coats{stack.BaseColor: with(col("#1a1d1c"), "multiply", 0.6), stack.Roughness: num(0.16)}
	}
	d.Layers = []*stack.Layer{iron, coat, agent}
	c := stack.Usual()
	c.Touch = []stack.Touch{{Name: "Handle", Pos: [3]float32{0.068, 0.261, -0.005}, Radius: 0.06}, {Name: "Block edge", Pos: [3]float32{-0.02, 0.11, 0.07}, Radius: 0.05}}
	d.Conditions = c
	return d
}

// Bakes returns how a sample project is baked, and which maps.
func Bakes(name string) (bake.Settings, []string) {
	s := bake.Default()
	s.Size, s.Samples, s.Smooth, s.Match = 512, 32, 2, "exact"
	maps := []string{"ao", "curvature", "thickness", "sky"}
	switch name {
	case "bollard":
		s.Radius = 0.012
	case "gull":
		s.Radius = 0.006
	case "ferry":
		s.Radius = 0.02
	case "lantern":
		s.Front, s.Back, s.Radius = 0.003, 0.003, 0.003
		maps = append(maps, "normal", "height", "id")
	}
	return s, maps
}

// Dressed returns a sample project: its model, the dense one to bake from or nil, its
// document, and how it is baked.
func Dressed(name string) (m, dense *mesh.Model, d *stack.Document, s bake.Settings, maps []string) {
	s, maps = Bakes(name)
	switch name {
	case "bollard":
		return Bollard(), nil, BollardDocument(), s, maps
	case "gull":
		return Gull(), nil, GullDocument(), s, maps
	case "ferry":
		return Ferry(), nil, FerryDocument(), s, maps
	}
	return Lantern(), nil, LanternDocument(), s, []string{"ao", "curvature", "thickness", "sky"}
}
