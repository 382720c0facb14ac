package deliver

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"velvetgrime/core/eval"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// FilePreset says which files a delivery has, as data: what each component of each file holds, and how
// it is written. Artists change ours, and keep their own.
type FilePreset struct {
	Name  string       `json:"name" minLength:"1" maxLength:"80"`
	Note  string       `json:"note,omitempty" doc:"what it is for"`
	Files []PresetFile `json:"files" maxItems:"32"`
	// Pattern names the files: {project} {model} {sheet} {udim} {map} {size}.
	Pattern string `json:"pattern,omitempty" doc:"of the names of files, without their ends: {project} {model} {sheet} {udim} {map} {size}; absent: {model}_{sheet}_{map}"`
	Size    int    `json:"size,omitempty" doc:"texels a side; 0: each sheet's own"`
	Share   int    `json:"share,omitempty" enum:"0,2,4,8" doc:"a part of each sheet's own size: half, quarter, eighth"`
	Padding int    `json:"padding,omitempty" doc:"texels that are filled around islands; 0: all, to the border of the sheet; −1: none"`
	// Scenes are files that carry the model with its maps: see meshio.SceneForms.
	Scenes []string `json:"scenes,omitempty" maxItems:"6" enum:"glb,gltf,obj,usda,usdz,mtlx" doc:"also the model with its maps, as these kinds of file"`
	Glow   float32  `json:"glow,omitempty" minimum:"0" maximum:"10000" doc:"in scenes: how much brighter than white the emissive channel's white is; 0: as white"`
}

// UnmarshalJSON also reads what was kept before there were kinds of scenes.
func (p *FilePreset) UnmarshalJSON(data []byte) error {
	type now FilePreset
	var before struct{ GLB bool }
	if err := json.Unmarshal(data, (*now)(p)); err != nil {
		return err
	}
	if json.Unmarshal(data, &before) == nil && before.GLB && len(p.Scenes) == 0 {
		p.Scenes = []string{"glb"}
	}
	return nil
}

// PresetFile is one picture of a sheet.
type PresetFile struct {
	Map           string     `json:"map" minLength:"1" maxLength:"60" doc:"{map} in its name"`
	Format        string     `json:"format" enum:"png8,png16,tiff8,tiff16,tiff32,exr16,exr32,webp,jpeg" doc:"WebP without loss"`
	Linear        bool       `json:"linear,omitempty" doc:"colours are written as linear light; always so in EXR and in TIFF of floats"`
	R             *Component `json:"r" doc:"alone: a picture of one component"`
	G             *Component `json:"g,omitempty"`
	B             *Component `json:"b,omitempty"`
	A             *Component `json:"a,omitempty"`
	Premultiplied bool       `json:"premultiplied,omitempty" doc:"by the fourth component"`
	Dithered      bool       `json:"dithered,omitempty" doc:"8 bits: rounded by an even pattern, so that slopes do not band"`
	Quality       int        `json:"quality,omitempty" doc:"of JPEG, 1 to 100; absent: 92"`
	// More are further channels of an EXR: one file for many.
	More []NamedComponent `json:"more,omitempty" maxItems:"28" doc:"further channels of an EXR, each under a name of its own"`
}

// NamedComponent is a further channel of an EXR.
type NamedComponent struct {
	Name string `json:"name" pattern:"^[A-Za-z][A-Za-z0-9_.]{0,60}$" doc:"layers are parted by dots, as EXR has it"`
	Component
}

// Component is what one component of a picture holds.
type Component struct {
	Source string   `json:"source,omitempty" doc:"a channel, or one of the made ones; empty: a constant"`
	Part   int      `json:"part,omitempty" minimum:"0" maximum:"2" doc:"of a colour or a normal"`
	Invert bool     `json:"invert,omitempty" doc:"one minus it: gloss of roughness, a normal whose Y goes down"`
	Value  *float32 `json:"value,omitempty" doc:"a constant"`
}

// Source is what a component can hold.
type Source struct {
	ID    string `json:"id"`
	Label string `json:"label"`
	Parts int    `json:"parts" doc:"1 or 3"`
	Color bool   `json:"color" doc:"it is sRGB-encoded where the file is"`
	Help  string `json:"help,omitempty"`
}

// made are sources that are worked out of channels.
var made = []Source{
	{"made.diffuse", "diffuse color", 3, true, "base color of what is no metal; black of metals"},
	{"made.specular", "specular color", 3, true, "what is mirrored straight on: 4 % of what is no metal, the base color of metals"},
	{"made.normal", "normal, whole", 3, false, "baked, painted, and the slope of the height; Y up"},
	{"made.fuzz", "fuzz color", 3, true, "of fine fibres: white, as strong as the fuzz"},
}

// Sources lists what the components of a document's files can hold.
func Sources(d *stack.Document) []Source {
	var out []Source
	for _, c := range d.Channels() {
		if c.Channel == stack.Normal {
			continue // what is painted alone is of no use to others
		}
		out = append(out, Source{ID: string(c.Channel), Label: c.Label, Parts: c.Components, Color: c.Color()})
	}
	return append(out, made...)
}

// formats lists how files are written.
var formats = map[string]struct {
	ext   string
	bits  int  // a component; 32: floats
	float bool // colours are linear
	alpha bool
	media string
}{
	"png8": {".png", 8, false, true, "image/png"}, "png16": {".png", 16, false, true, "image/png"},
	"tiff8": {".tif", 8, false, true, "image/tiff"}, "tiff16": {".tif", 16, false, true, "image/tiff"},
	"tiff32": {".tif", 32, true, true, "image/tiff"},
	"exr16":  {".exr", 32, true, true, "image/x-exr"}, "exr32": {".exr", 32, true, true, "image/x-exr"},
	"webp": {".webp", 8, false, true, "image/webp"},
	"jpeg": {".jpg", 8, false, false, "image/jpeg"},
}

const usualPattern = "{model}_{sheet}_{map}"

var field = regexp.MustCompile(`\{[^}]*\}`)

// Check says what of a preset cannot be done, by file and component.
func (p *FilePreset) Check() error {
	fail := func(format string, a ...any) error {
		return fmt.Errorf("preset %q: "+format, append([]any{p.Name}, a...)...)
	}
	if strings.TrimSpace(p.Name) == "" || len(p.Name) > 80 {
		return errors.New("a preset has no name, or one longer than 80 letters")
	}
	if len(p.Files)+len(p.Scenes) == 0 || len(p.Files) > 32 {
		return fail("it has %d files; 1 to 32 are possible", len(p.Files))
	}
	if p.Size != 0 && (p.Size < 128 || p.Size > 8192 || p.Size&(p.Size-1) != 0) {
		return fail("size %d is not a power of two from 128 to 8192", p.Size)
	}
	if !slices.Contains([]int{0, 2, 4, 8}, p.Share) || p.Share != 0 && p.Size != 0 {
		return fail("a share of 1/%d is none, or a size is given, too", p.Share)
	}
	if p.Padding < -1 || p.Padding > 1024 {
		return fail("padding of %d texels; −1 to 1024 are possible", p.Padding)
	}
	for i, k := range p.Scenes {
		if !slices.Contains(meshio.SceneForms, k) || slices.Contains(p.Scenes[:i], k) {
			return fail("a model is not written as %q, or twice; there are %s", k, strings.Join(meshio.SceneForms, ", "))
		}
	}
	if !(p.Glow >= 0 && p.Glow <= 10000) {
		return fail("its emissive is %v times as bright as white; 0 to 10000 are possible", p.Glow)
	}
	for _, f := range field.FindAllString(p.Pattern, -1) {
		if !slices.Contains([]string{"{project}", "{model}", "{sheet}", "{udim}", "{map}", "{size}"}, f) {
			return fail("its names have %s; there are {project} {model} {sheet} {udim} {map} {size}", f)
		}
	}
	seen := map[string]bool{}
	for i := range p.Files {
		f := &p.Files[i]
		if err := f.check(); err != nil {
			return fail("file %d, %q: %w", i+1, f.Map, err)
		}
		if k := f.Map + formats[f.Format].ext; seen[k] {
			return fail("two files are named %q", f.Map)
		} else {
			seen[k] = true
		}
	}
	return nil
}

func (f *PresetFile) check() error {
	form, ok := formats[f.Format]
	switch {
	case strings.TrimSpace(f.Map) == "" || len(f.Map) > 60:
		return errors.New("it has no name, or one longer than 60 letters")
	case !ok:
		return fmt.Errorf("format %q is none of png8, png16, tiff8, tiff16, tiff32, exr16, exr32, webp, jpeg", f.Format)
	case f.R == nil:
		return errors.New("its first component holds nothing")
	case (f.G == nil) != (f.B == nil):
		return errors.New("it has two of three components; take one, or all of them")
	case f.A != nil && f.G == nil:
		return errors.New("it has a fourth component without the second and third")
	case f.A != nil && !form.alpha:
		return errors.New("JPEG has no fourth component; take PNG")
	case f.Premultiplied && f.A == nil:
		return errors.New("it is premultiplied, and has no fourth component")
	case f.Quality < 0 || f.Quality > 100:
		return fmt.Errorf("quality %d; 1 to 100 are possible", f.Quality)
	}
	if len(f.More) > 0 && form.ext != ".exr" || len(f.More) > 28 {
		return fmt.Errorf("it has %d further channels; up to 28 are possible in EXR alone", len(f.More))
	}
	names := map[string]bool{"Y": true, "A": true}
	for _, c := range f.components() {
		if (c.Source == "") == (c.Value == nil) {
			return fmt.Errorf("component %s holds neither a source nor a constant, or both", c.Name)
		}
		if c.Part < 0 || c.Part > 2 {
			return fmt.Errorf("component %s takes part %d; 0 to 2 are possible", c.Name, c.Part)
		}
		if c.Value != nil && (*c.Value < 0 || *c.Value > 1 || *c.Value != *c.Value) {
			return fmt.Errorf("component %s is %v; a constant is from 0 to 1", c.Name, *c.Value)
		}
	}
	for _, c := range f.More {
		if !channelName.MatchString(c.Name) || names[c.Name] || strings.Contains("RGB", c.Name) {
			return fmt.Errorf("a channel is named %q; letters, digits, dots and underlines are possible, each name once, and R, G, B, A, Y are taken", c.Name)
		}
		names[c.Name] = true
	}
	return nil
}

// components lists what a file holds, in order.
func (f *PresetFile) components() (list []NamedComponent) {
	for k, c := range []*Component{f.R, f.G, f.B, f.A} {
		if c != nil {
			list = append(list, NamedComponent{"RGBA"[k : k+1], *c})
		}
	}
	return append(list, f.More...)
}

// names are those of a file's channels, as EXR has them.
func (f *PresetFile) names() (list []string) {
	for _, c := range f.components() {
		list = append(list, c.Name)
	}
	if f.G == nil {
		list[0] = "Y"
	}
	return list
}

var channelName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_.]{0,60}$`)

// count is how many of the usual components a file has: 1, 3 or 4.
func (f *PresetFile) count() int {
	switch {
	case f.G == nil:
		return 1
	case f.A == nil:
		return 3
	}
	return 4
}

// float reports whether a file holds floats, and colours as linear light.
func (f *PresetFile) float() bool { return formats[f.Format].float }

// Packing tells in words what the components hold.
func (f *PresetFile) Packing(sources []Source) string {
	label := func(c *Component) string {
		if c.Value != nil {
			return fmt.Sprint(*c.Value)
		}
		s := c.Source
		for _, k := range sources {
			if k.ID != c.Source {
				continue
			}
			if s = k.Label; k.Parts == 3 {
				s += " " + []string{"red", "green", "blue"}[c.Part]
				if strings.HasPrefix(k.ID, "made.normal") {
					s = k.Label + " " + "XYZ"[c.Part:c.Part+1]
				}
			}
		}
		if c.Invert {
			s = "1 − " + s
		}
		return s
	}
	var more string
	for _, m := range f.More {
		more += ", " + m.Name + " = " + label(&m.Component)
	}
	c := [4]*Component{f.R, f.G, f.B, f.A}
	if f.count() == 1 {
		return "grey = " + label(f.R) + more
	}
	whole := true
	for k := range 3 {
		whole = whole && c[k].Source != "" && c[k].Source == c[0].Source && c[k].Part == k && c[k].Invert == (k == 1 && c[1].Invert)
	}
	var out []string
	if whole {
		s := strings.TrimSuffix(strings.TrimSuffix(label(c[0]), " red"), " X")
		if c[1].Invert {
			s += ", Y−"
		}
		out = append(out, "R G B = "+s)
	} else {
		for k := range 3 {
			out = append(out, "RGB"[k:k+1]+" = "+label(c[k]))
		}
	}
	if c[3] != nil {
		out = append(out, "A = "+label(c[3]))
	}
	return strings.Join(out, ", ") + more
}

// planes evaluates the components of a file on a surface: 0..1 as they are written, of floats the
// numbers themselves: linear light, height in metres.
func (f *PresetFile) planes(ctx context.Context, p *eval.Program, u *surface.Surface, n int) ([]pix.Plane, error) {
	known := map[string][]pix.Plane{}
	out := make([]pix.Plane, 0, 4)
	for _, c := range f.components() {
		if c.Value != nil {
			out = append(out, pix.Plane{Value: *c.Value})
			continue
		}
		v, ok := known[c.Source]
		if !ok {
			var err error
			if v, err = f.source(ctx, p, u, c.Source, n); err != nil {
				return nil, fmt.Errorf("component %s: %w", c.Name, err)
			}
			known[c.Source] = v
		}
		one := v[min(c.Part, len(v)-1)]
		if c.Invert {
			one = mapped(one, n, func(x float32) float32 { return 1 - x })
		}
		out = append(out, one)
	}
	if f.Premultiplied {
		a := out[3]
		for k := range 3 {
			c := out[k]
			out[k] = filled(n, func(i int) float32 { return c.At(i) * a.At(i) })
		}
	}
	return out, nil
}

// source evaluates what a component holds.
func (f *PresetFile) source(ctx context.Context, p *eval.Program, u *surface.Surface, id string, n int) ([]pix.Plane, error) {
	linear := f.Linear || f.float()
	switch id {
	case "made.normal":
		v, err := p.Normal(ctx, u)
		if err != nil || f.float() && f.Format != "tiff32" {
			return v, err // −1..1, as floats hold them
		}
		return scaled(v, 0.5), nil
	case "made.fuzz":
		v, err := f.source(ctx, p, u, string(stack.Fuzz), n)
		if err != nil || linear {
			return v, err
		}
		return []pix.Plane{mapped(v[0], n, pix.EncodeSRGB)}, nil
	case "made.diffuse", "made.specular":
		base, err := p.Channel(ctx, u, stack.BaseColor)
		if err != nil {
			return nil, err
		}
		metal, err := p.Channel(ctx, u, stack.Metallic)
		if err != nil {
			return nil, err
		}
		out := make([]pix.Plane, 3)
		for k := range out {
			b, m := base[k], metal[0]
			out[k] = filled(n, func(i int) float32 {
				c, share := pix.DecodeSRGB(min(max(b.At(i), 0), 1)), m.At(i)
				if id == "made.diffuse" {
					c *= 1 - share
				} else {
					c = 0.04 + share*(c-0.04)
				}
				if linear {
					return c
				}
				return pix.EncodeSRGB(c)
			})
		}
		return out, nil
	}
	c := stack.Channel(id)
	info, ok := p.Doc.Info(c)
	if !ok {
		if m, known := stack.MoreInfo(c); known { // off: as it is without it
			return []pix.Plane{{Value: m.Default[0]}}, nil
		}
		return nil, fmt.Errorf("the project has no channel %q", id)
	}
	v, err := p.Channel(ctx, u, c)
	switch {
	case err != nil:
		return nil, err
	case c == stack.Height && !f.float():
		return scaled(v, 0.5/HeightRange), nil
	case info.Vector() && !f.float():
		return scaled(v, 0.5), nil
	case info.Color() && linear:
		out := make([]pix.Plane, len(v))
		for k := range v {
			out[k] = mapped(v[k], n, func(x float32) float32 { return pix.DecodeSRGB(min(max(x, 0), 1)) })
		}
		return out, nil
	}
	return v, nil
}

// mapped is a plane of n texels with a function over each.
func mapped(p pix.Plane, n int, f func(float32) float32) pix.Plane {
	if p.Uniform() {
		return pix.Plane{Value: f(p.Value)}
	}
	return filled(n, func(i int) float32 { return f(p.At(i)) })
}

func filled(n int, f func(i int) float32) pix.Plane {
	d := make([]float32, n)
	for i := range d {
		d[i] = f(i)
	}
	return pix.Plane{Data: d}
}

// name makes a file's name by the pattern.
func (p *FilePreset) name(project, model, sheet string, index int, f *PresetFile, size int) string {
	pattern := p.Pattern
	if pattern == "" {
		pattern = usualPattern
	}
	udim := ""
	if tile := udimName.FindStringSubmatch(sheet); tile != nil {
		udim, sheet = tile[2], tile[1]
	} else if strings.Contains(pattern, "{udim}") { // as if its sheets were tiles, ten in a row
		udim = fmt.Sprint(1001 + index)
	}
	if !strings.Contains(pattern, "{udim}") && udim != "" {
		sheet += "_" + udim
	}
	s := strings.NewReplacer("{project}", clean(project), "{model}", clean(model), "{sheet}", clean(sheet),
		"{udim}", udim, "{map}", clean(f.Map), "{size}", fmt.Sprint(size)).Replace(pattern)
	s = strings.Trim(strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, s), ". ")
	if s == "" {
		s = clean(f.Map)
	}
	return s + formats[f.Format].ext
}

// udimName is the name of a sheet that is a tile of several.
var udimName = regexp.MustCompile(`^(.*?)[ ._-]?(1[0-9]{3})$`)

// clean is a name as every file system takes it.
func clean(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-':
			return r
		}
		return '_'
	}, s)
}
