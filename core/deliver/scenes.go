package deliver

import (
	"encoding/json"
	"slices"

	"velvetgrime/core/eval"
	"velvetgrime/core/meshio"
	"velvetgrime/core/stack"
)

const opacity = stack.Opacity

// role is a picture that scenes want of a sheet.
type role struct {
	file         PresetFile
	held, beside bool
	to           func(*meshio.Maps, *meshio.Picture)
}

// alike reports whether two files hold the same in the same way.
func (f *PresetFile) alike(g *PresetFile) bool {
	a, b := *f, *g
	a.Map, b.Map = "", ""
	x, err := json.Marshal(a)
	y, err2 := json.Marshal(b)
	return err == nil && err2 == nil && string(x) == string(y)
}

// roles lists the pictures that scenes of some kinds want of a sheet: of the channels that are in use
// there.
func roles(p *eval.Program, sheet int, kinds []string) (list []role) {
	in := func(names ...string) (held, beside bool) {
		for _, k := range kinds {
			if slices.Contains(names, k) {
				within := k == "glb" || k == "usdz"
				held, beside = held || within, beside || !within
			}
		}
		return held, beside
	}
	add := func(on bool, file PresetFile, to func(*meshio.Maps, *meshio.Picture), kinds ...string) {
		if held, beside := in(kinds...); on && (held || beside) {
			list = append(list, role{file, held, beside, to})
		}
	}
	one := func(c stack.Channel, part int) *Component { return &Component{Source: string(c), Part: part} }
	rgb := func(name, source string) PresetFile {
		at := func(k int) *Component { return &Component{Source: source, Part: k} }
		return PresetFile{Map: name, Format: "png8", R: at(0), G: at(1), B: at(2)}
	}
	even := func(v float32) *Component { return &Component{Value: &v} }
	grey := func(c stack.Channel, name string) PresetFile {
		return PresetFile{Map: name, Format: "png8", R: one(c, 0)}
	}
	on := func(c stack.Channel) bool { return sets(p, sheet, c) }
	usual := []string{"glb", "gltf", "usda", "usdz", "mtlx"}
	pbr := []string{"glb", "gltf", "mtlx"}

	base := rgb("basecolor", string(stack.BaseColor))
	add(!on(opacity), base, func(m *meshio.Maps, k *meshio.Picture) { m.BaseColor = k }, "glb", "gltf", "usda", "usdz", "mtlx", "obj")
	if on(opacity) {
		clear := rgb("basecolor_opacity", string(stack.BaseColor))
		clear.A = one(opacity, 0)
		add(true, clear, func(m *meshio.Maps, k *meshio.Picture) { m.BaseColor = k }, usual...)
		if !slices.ContainsFunc(kinds, func(k string) bool { return slices.Contains(usual, k) }) {
			add(true, base, func(m *meshio.Maps, k *meshio.Picture) { m.BaseColor = k }, "obj")
		}
		add(true, grey(opacity, "opacity"), func(m *meshio.Maps, k *meshio.Picture) { m.Opacity = k }, "obj")
	}
	add(true, PresetFile{
		Map: "orm", Format: "png8", R: one(stack.Occlusion, 0), G: one(stack.Roughness, 0), B: one(stack.Metallic, 0),
	}, func(m *meshio.Maps, k *meshio.Picture) { m.ORM = k }, usual...)
	add(true, grey(stack.Roughness, "roughness"), func(m *meshio.Maps, k *meshio.Picture) { m.Roughness = k }, "obj")
	add(true, grey(stack.Metallic, "metallic"), func(m *meshio.Maps, k *meshio.Picture) { m.Metallic = k }, "obj")
	add(on(stack.Height) || on(stack.Normal), rgb("normal", "made.normal"),
		func(m *meshio.Maps, k *meshio.Picture) { m.Normal = k }, "glb", "gltf", "usda", "usdz", "mtlx", "obj")
	add(on(stack.Emissive), rgb("emissive", string(stack.Emissive)),
		func(m *meshio.Maps, k *meshio.Picture) { m.Emissive = k }, "glb", "gltf", "usda", "usdz", "mtlx", "obj")

	more := func(c stack.Channel) bool {
		_, has := p.Doc.Info(c)
		return has && on(c)
	}
	specular := PresetFile{Map: "specular", Format: "png8", R: even(1), G: even(1), B: even(1), A: one(stack.Specular, 0)}
	add(more(stack.Specular), specular, func(m *meshio.Maps, k *meshio.Picture) { m.Specular = k }, pbr...)
	add(more(stack.CoatWeight), PresetFile{
		Map: "coat", Format: "png8", R: one(stack.CoatWeight, 0), G: one(stack.CoatRoughness, 0), B: even(0),
	}, func(m *meshio.Maps, k *meshio.Picture) { m.Coat = k }, usual...)
	fuzz := rgb("fuzz", "made.fuzz")
	fuzz.A = even(0.5) // as rough as it is drawn here
	add(more(stack.Fuzz), fuzz, func(m *meshio.Maps, k *meshio.Picture) { m.Fuzz = k }, pbr...)
	add(more(stack.Transmission), PresetFile{
		Map: "transmission", Format: "png8", R: one(stack.Transmission, 0), G: even(0), B: even(0),
	}, func(m *meshio.Maps, k *meshio.Picture) { m.Transmission = k }, pbr...)
	add(more(stack.Scattering), grey(stack.Scattering, "scattering"),
		func(m *meshio.Maps, k *meshio.Picture) { m.Scattering = k }, "mtlx")
	add(more(stack.Anisotropy), PresetFile{ // along U
		Map: "anisotropy", Format: "png8", R: even(1), G: even(0.5), B: one(stack.Anisotropy, 0),
	}, func(m *meshio.Maps, k *meshio.Picture) { m.Anisotropy = k }, pbr...)
	return list
}

// sets reports whether a channel can be more than its default on a sheet: a visible layer
// that reaches it sets it, or a baked map lies under it.
func sets(p *eval.Program, sheet int, c stack.Channel) bool {
	if p.Underlaid(sheet, c) {
		return true
	}
	name := p.Scene.Model.Sheets[sheet].Name
	found := false
	p.Doc.Walk(func(l *stack.Layer, around []*stack.Layer) {
		shown := l.Visible && l.Kind != stack.Group && l.Channels[c].On
		for _, g := range around {
			shown = shown && g.Visible
		}
		only := len(l.Reach.Parts)+len(l.Reach.Islands)+len(l.Reach.Faces) == 0 && len(l.Reach.Sheets) > 0
		found = found || shown && (!only || slices.Contains(l.Reach.Sheets, name))
	})
	return found
}
