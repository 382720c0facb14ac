package meshio

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// writeMaterialX writes the scene's materials as MaterialX 1.39 with OpenPBR surfaces (version 1.1);
// it carries no geometry. Ambient occlusion has no place there.
func (s *Scene) writeMaterialX(w io.Writer) error {
	b := bufio.NewWriter(w)
	line := func(depth int, format string, a ...any) {
		fmt.Fprintf(b, strings.Repeat("  ", depth)+format+"\n", a...)
	}
	quote := func(v string) string {
		var q strings.Builder
		_ = xml.EscapeText(&q, []byte(v)) // a Builder takes everything
		return q.String()
	}
	line(0, `<?xml version="1.0" encoding="UTF-8"?>`)
	line(0, `<materialx version="1.39" colorspace="lin_rec709">`)
	var sheets []string
	for _, sheet := range s.Model.Sheets {
		sheets = append(sheets, sheet.Name)
	}
	sheets = names(sheets)
	for i, m := range s.Maps {
		if m == nil {
			continue
		}
		type output struct{ input, kind, name string }
		var outputs []output
		line(1, `<nodegraph name="NG_%s">`, sheets[i])
		image := func(name, kind string, p *Picture, color bool) {
			space := ""
			if color {
				space = ` colorspace="srgb_texture"`
			}
			line(2, `<image name="%s" type="%s">`, name, kind)
			line(3, `<input name="file" type="filename" value="%s"%s />`, quote(p.Name), space)
			line(2, `</image>`)
		}
		part := func(name, from, kind string, index int, input string) {
			line(2, `<extract name="%s" type="float">`, name)
			line(3, `<input name="in" type="%s" nodename="%s" />`, kind, from)
			line(3, `<input name="index" type="integer" value="%d" />`, index)
			line(2, `</extract>`)
			outputs = append(outputs, output{input, "float", name})
		}
		if m.BaseColor != nil {
			if m.Transparent {
				image("base", "color4", m.BaseColor, true)
				line(2, `<convert name="base_color" type="color3">`)
				line(3, `<input name="in" type="color4" nodename="base" />`)
				line(2, `</convert>`)
				part("opacity", "base", "color4", 3, "geometry_opacity")
			} else {
				image("base_color", "color3", m.BaseColor, true)
			}
			outputs = append(outputs, output{"base_color", "color3", "base_color"})
		}
		if m.ORM != nil {
			image("packed", "vector3", m.ORM, false)
			part("roughness", "packed", "vector3", 1, "specular_roughness")
			part("metalness", "packed", "vector3", 2, "base_metalness")
		}
		if m.Normal != nil {
			image("normal_picture", "vector3", m.Normal, false)
			line(2, `<normalmap name="normal" type="vector3">`)
			line(3, `<input name="in" type="vector3" nodename="normal_picture" />`)
			line(2, `</normalmap>`)
			outputs = append(outputs, output{"geometry_normal", "vector3", "normal"})
		}
		if m.Emissive != nil {
			image("emission", "color3", m.Emissive, true)
			outputs = append(outputs, output{"emission_color", "color3", "emission"})
		}
		if m.Specular != nil {
			image("specular_picture", "vector4", m.Specular, false)
			part("specular", "specular_picture", "vector4", 3, "specular_weight")
		}
		if m.Coat != nil {
			image("coat_picture", "vector3", m.Coat, false)
			part("coat", "coat_picture", "vector3", 0, "coat_weight")
			part("coat_rough", "coat_picture", "vector3", 1, "coat_roughness")
		}
		if m.Fuzz != nil {
			image("fuzz_picture", "color3", m.Fuzz, true)
			part("fuzz", "fuzz_picture", "color3", 0, "fuzz_weight")
		}
		if m.Transmission != nil {
			image("transmission_picture", "vector3", m.Transmission, false)
			part("transmission", "transmission_picture", "vector3", 0, "transmission_weight")
		}
		if m.Scattering != nil {
			image("scattering", "float", m.Scattering, false)
			outputs = append(outputs, output{"subsurface_weight", "float", "scattering"})
		}
		if m.Anisotropy != nil {
			image("anisotropy_picture", "vector3", m.Anisotropy, false)
			part("anisotropy", "anisotropy_picture", "vector3", 2, "specular_roughness_anisotropy")
		}
		for _, o := range outputs {
			line(2, `<output name="%s_out" type="%s" nodename="%s" />`, o.input, o.kind, o.name)
		}
		line(1, `</nodegraph>`)
		line(1, `<open_pbr_surface name="SR_%s" type="surfaceshader">`, sheets[i])
		for _, o := range outputs {
			line(2, `<input name="%s" type="%s" nodegraph="NG_%s" output="%s_out" />`, o.input, o.kind, sheets[i], o.input)
		}
		if m.Emissive != nil {
			glow := m.Glow
			if glow == 0 {
				glow = 1
			}
			line(2, `<input name="emission_luminance" type="float" value="%g" />`, glow)
		}
		if m.Fuzz != nil {
			line(2, `<input name="fuzz_roughness" type="float" value="0.5" />`)
		}
		line(1, `</open_pbr_surface>`)
		line(1, `<surfacematerial name="%s" type="material">`, sheets[i])
		line(2, `<input name="surfaceshader" type="surfaceshader" nodename="SR_%s" />`, sheets[i])
		line(1, `</surfacematerial>`)
	}
	line(0, `</materialx>`)
	return b.Flush()
}
