package deliver

import (
	"strings"

	"velvetgrime/core/stack"
)

// Presets lists ours, named for the conventions that they follow.
func Presets() []FilePreset {
	ch := func(c stack.Channel, part int) *Component { return &Component{Source: string(c), Part: part} }
	not := func(c *Component) *Component { d := *c; d.Invert = true; return &d }
	rgb := func(name, format string, source string) PresetFile {
		at := func(k int) *Component { return &Component{Source: source, Part: k} }
		return PresetFile{Map: name, Format: format, R: at(0), G: at(1), B: at(2)}
	}
	one := func(name, format string, c *Component) PresetFile { return PresetFile{Map: name, Format: format, R: c} }
	base := func() PresetFile { return rgb("basecolor", "png8", string(stack.BaseColor)) }
	down := func(format string) PresetFile { // a normal whose Y goes down
		f := rgb("normal", format, "made.normal")
		f.G = not(f.G)
		return f
	}
	emissive := rgb("emissive", "png8", string(stack.Emissive))
	orm := PresetFile{
		Map: "orm", Format: "png8",
		R: ch(stack.Occlusion, 0), G: ch(stack.Roughness, 0), B: ch(stack.Metallic, 0),
	}
	with := func(f PresetFile, a *Component) PresetFile { f.A = a; return f }
	specular := with(rgb("specular_glossiness", "png8", "made.specular"), not(ch(stack.Roughness, 0)))
	list := []FilePreset{
		{
			Name: "glTF metal-rough", Note: "one GLB with its maps inside, and the maps beside it", Scenes: []string{"glb"},
			Files: []PresetFile{base(), orm, rgb("normal", "png8", "made.normal"), emissive},
		},
		{
			Name: "packed occlusion-roughness-metallic, normal Y−", Note: "three pictures a sheet; the normal's green goes down",
			Files: []PresetFile{base(), orm, down("png16")},
		},
		{
			Name: "metallic with smoothness in alpha", Note: "smoothness is one minus roughness",
			Files: []PresetFile{
				with(base(), ch(stack.Opacity, 0)),
				{
					Map: "metallic_smoothness", Format: "png8",
					R: ch(stack.Metallic, 0), G: ch(stack.Metallic, 0), B: ch(stack.Metallic, 0), A: not(ch(stack.Roughness, 0)),
				},
				rgb("normal", "png8", "made.normal"), one("occlusion", "png8", ch(stack.Occlusion, 0)), emissive,
			},
		},
		{
			Name: "specular-glossiness", Note: "the older way: what is matt and what mirrors apart",
			Files: []PresetFile{
				with(rgb("diffuse", "png8", "made.diffuse"), ch(stack.Opacity, 0)), specular,
				rgb("normal", "png8", "made.normal"), one("occlusion", "png8", ch(stack.Occlusion, 0)), emissive,
			},
		},
		{
			Name: "single picture with transparency", Note: "base color, premultiplied by opacity",
			Files: []PresetFile{func() PresetFile {
				f := with(base(), ch(stack.Opacity, 0))
				f.Premultiplied = true
				return f
			}()},
		},
		{
			Name: "film: one EXR a channel and UDIM", Note: "linear floats of 16 bits, named by tile",
			Pattern: "{project}_{map}.{udim}",
		},
		{Name: "every channel, 16 bit", Note: "each by itself, unchanged"},
	}
	for _, c := range stack.Channels {
		name := strings.ToLower(strings.ReplaceAll(c.Label, " ", "_"))
		source := string(c.Channel)
		if c.Channel == stack.Normal {
			source = "made.normal"
		}
		add := func(p *FilePreset, format string) {
			if c.Components == 3 {
				p.Files = append(p.Files, rgb(name, format, source))
				return
			}
			p.Files = append(p.Files, one(name, format, &Component{Source: source}))
		}
		add(&list[5], "exr16")
		add(&list[6], "png16")
	}
	return list
}

// FindPreset returns one of ours by its name.
func FindPreset(name string) (FilePreset, bool) {
	for _, p := range Presets() {
		if p.Name == name {
			return p, true
		}
	}
	return FilePreset{}, false
}

// isMore reports whether a source is one of the channels beyond the usual ones: where a project has it
// not, it is as it is without.
func isMore(id string) bool {
	_, ok := stack.MoreInfo(stack.Channel(id))
	return ok
}
