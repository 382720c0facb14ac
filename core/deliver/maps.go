package deliver

import (
	"context"
	"slices"
	"strings"
	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Map is one kind of picture that can be delivered.
type Map struct {
	Name     string `json:"name"`
	Suffix   string `json:"suffix" doc:"end of the file name"`
	Packing  string `json:"packing" doc:"what its channels hold"`
	Encoding string `json:"encoding" enum:"sRGB,linear"`
	Channels int    `json:"channels"`
	// Depth16 marks maps that are worth 16 bit.
	Depth16 bool `json:"depth16"`

	of      []stack.Channel // whose components it packs, in this order
	sources []Source        // the same, as presets name them
}

// HeightRange is the height in metres that a height map's black and white stand
// for: −HeightRange to +HeightRange, so that middle grey is 0.
const HeightRange = 0.005

// Maps lists every map in table order.
var Maps = []Map{
	{"base color", "basecolor", "R G B = base color", "sRGB", 3, false, []stack.Channel{stack.BaseColor}, nil},
	{"base color with opacity", "basecolor_opacity", "R G B = base color, A = opacity", "sRGB", 4, false, []stack.Channel{stack.BaseColor, stack.Opacity}, nil},
	{"occlusion roughness metallic", "orm", "R = ambient occlusion, G = roughness, B = metallic", "linear", 3, false, []stack.Channel{stack.Occlusion, stack.Roughness, stack.Metallic}, nil},
	{"normal", "normal", "R G B = tangent-space normal, Y+", "linear", 3, true, []stack.Channel{stack.Normal}, nil},
	{"height", "height", "grey: −5 mm black, 0 middle, +5 mm white", "linear", 1, true, []stack.Channel{stack.Height}, nil},
	{"emissive", "emissive", "R G B = emissive", "sRGB", 3, false, []stack.Channel{stack.Emissive}, nil},
}

func init() {
	for i, m := range Maps {
		for _, c := range m.of {
			info, _ := stack.Info(c)
			Maps[i].sources = append(Maps[i].sources, sourceOf(info))
		}
	}
}

// sourceOf is a channel as presets name it: the normal is the whole one.
func sourceOf(info stack.ChannelInfo) Source {
	s := Source{ID: string(info.Channel), Parts: info.Components}
	if info.Channel == stack.Normal {
		s.ID = "made.normal"
	}
	return s
}

// Find returns a map by its name.
func Find(name string) (Map, bool) {
	for _, m := range Maps {
		if m.Name == name {
			return m, true
		}
	}
	return Map{}, false
}

// Alone returns the map that shows a channel alone, its name the channel's.
func Alone(c stack.Channel) (Map, bool) {
	info, ok := stack.Info(c)
	if !ok {
		return Map{}, false
	}
	m := Map{
		Name: info.Label, Suffix: string(c), Packing: "the channel alone", Encoding: "linear",
		Channels: info.Components, of: []stack.Channel{c}, sources: []Source{sourceOf(info)},
	}
	if info.Color() {
		m.Encoding, m.Suffix = "sRGB", strings.ToLower(m.Suffix)
	}
	return m, true
}

// Planes returns the components of a map on a surface, 0..1.
func Planes(ctx context.Context, p *eval.Program, u *surface.Surface, m Map) ([]pix.Plane, error) {
	var out []pix.Plane
	for _, c := range m.of {
		part := Shown
		if c == stack.Normal {
			part = whole
		}
		v, err := part(ctx, p, u, c)
		if err != nil {
			return nil, err
		}
		out = append(out, v...)
	}
	return out, nil
}

// whole is Shown for the normal as it comes out of what is baked, painted, and the slope of
// the height.
func whole(ctx context.Context, p *eval.Program, u *surface.Surface, _ stack.Channel) ([]pix.Plane, error) {
	v, err := p.Normal(ctx, u)
	if err != nil {
		return nil, err
	}
	return scaled(v, 0.5), nil
}

// Shown returns a channel as a picture shows it, 0..1: height around middle grey
// by HeightRange, normals from −1..1.
func Shown(ctx context.Context, p *eval.Program, u *surface.Surface, c stack.Channel) ([]pix.Plane, error) {
	v, err := p.Channel(ctx, u, c)
	switch {
	case err != nil:
		return nil, err
	case c == stack.Height:
		return scaled(v, 0.5/HeightRange), nil
	case c == stack.Normal:
		return scaled(v, 0.5), nil
	}
	return v, nil
}

// scaled returns 0.5 + v·s for every plane.
func scaled(in []pix.Plane, s float32) []pix.Plane {
	out := slices.Clone(in)
	for i, p := range in {
		out[i].Value = 0.5 + p.Value*s
		if p.Data != nil {
			out[i].Data = make([]float32, len(p.Data))
			pix.Linear(out[i].Data, p.Data, s, 0.5)
		}
	}
	return out
}
