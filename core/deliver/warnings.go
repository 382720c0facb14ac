package deliver

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/meshio"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Warning is what an artist would want to know before a delivery.
type Warning struct {
	Kind    string        `json:"kind" enum:"tangents,height,density,unpainted,format,origin"`
	Text    string        `json:"text"`
	Sheet   string        `json:"sheet,omitempty"`
	Channel stack.Channel `json:"channel,omitempty"`
	Files   []string      `json:"files,omitempty" doc:"that it is about"`
	Place   *[3]float32   `json:"place,omitempty" doc:"on the model, in metres"`
}

// lookSize is the size of the sheets at which warnings look at what the channels hold.
const lookSize = 256

// Warnings looks at an order before it is carried out: channels that nobody paints, heights beyond
// what a picture holds, sheets with fewer texels than they have here, what a kind of file has no word
// for, a normal map for a model without tangents.
func (w *Work) Warnings(ctx context.Context) (list []Warning, err error) {
	m := w.p.Scene.Model
	forms := strings.Join(w.plan.preset.Scenes, " ")
	for sheet, pics := range w.plan.pictures {
		name := m.Sheets[sheet].Name
		files := map[stack.Channel][]string{}
		normal, tooSmall := []string{}, []string{}
		for _, k := range pics {
			if !k.out {
				continue
			}
			float := k.file.float()
			for _, c := range k.file.components() {
				if c.Source == "" {
					continue
				}
				if c.Source == "made.normal" {
					normal = once(normal, k.line.Name)
				}
				ch := stack.Channel(c.Source)
				if _, ok := w.p.Doc.Info(ch); !ok || ch == stack.Height && float {
					continue
				}
				files[ch] = once(files[ch], k.line.Name)
			}
			if own := sizeOf(w.p, name); k.line.Size < own && w.plan.preset.Size > 0 {
				tooSmall = once(tooSmall, k.line.Name)
			}
		}
		for _, info := range w.p.Doc.Channels() {
			c := info.Channel
			if len(files[c]) == 0 {
				continue
			}
			if !sets(w.p, sheet, c) {
				list = joined(list, Warning{Kind: "unpainted", Sheet: name, Channel: c, Files: files[c]},
					"nobody paints the "+info.Label+" of %s: it is "+shown(info)+" everywhere")
				continue
			}
			if c == stack.Height {
				warn, err := w.heights(ctx, sheet, files[c])
				if err != nil {
					return nil, err
				}
				list = append(list, warn...)
			}
		}
		if len(tooSmall) > 0 {
			own := sizeOf(w.p, name)
			list = append(list, Warning{
				Kind: "density", Sheet: name, Files: tooSmall,
				Text: fmt.Sprintf("%q is painted at %d texels and written at %d: fine marks of its masks and strokes are lost", name, own, w.plan.preset.Size),
			})
		}
		if len(normal) > 0 && forms == "" && !w.tangents() {
			list = joined(list, Warning{Kind: "tangents", Sheet: name, Channel: stack.Normal, Files: normal},
				"the normal map of %s follows tangents by MikkTSpace, and the model's file carries none: have the receiver make them that way, or deliver a GLB with them")
		}
		list = append(list, w.words(sheet, name)...)
	}
	if s := (&meshio.Scene{Model: m, Original: w.o.Original}); (strings.Contains(forms, "glb") || strings.Contains(forms, "gltf")) && s.Keeps() && !s.Fits() {
		list = append(list, Warning{
			Kind: "origin",
			Text: "the model is another one than in the file that came in: it is written anew, without skins, animations and what else that file has",
		})
	}
	return list, nil
}

// joined adds a warning, or joins it to one that says the same of other sheets; %s in what it says are
// the sheets' names.
func joined(list []Warning, w Warning, says string) []Warning {
	head, tail, _ := strings.Cut(says, "%s")
	for i, o := range list {
		if o.Kind == w.Kind && o.Channel == w.Channel && strings.HasPrefix(o.Text, head) && strings.HasSuffix(o.Text, tail) {
			names := strings.TrimSuffix(strings.TrimPrefix(o.Text, head), tail)
			list[i].Text = head + names + fmt.Sprintf(", %q", w.Sheet) + tail
			list[i].Files = append(o.Files, w.Files...)
			return list
		}
	}
	w.Text = head + fmt.Sprintf("%q", w.Sheet) + tail
	return append(list, w)
}

func once(list []string, s string) []string {
	for _, k := range list {
		if k == s {
			return list
		}
	}
	return append(list, s)
}

// shown is a channel's default in words.
func shown(info stack.ChannelInfo) string {
	var v []string
	for _, x := range info.Default {
		v = append(v, strings.TrimSpace(fmt.Sprintf("%.3g %s", x*max(info.Scale, 1e-9), info.Unit)))
	}
	if len(slices.Compact(slices.Clone(v))) == 1 {
		return v[0]
	}
	return strings.Join(v, ", ")
}

// tangents reports whether the file that came in has tangents.
func (w *Work) tangents() bool { return w.o.Original != nil && meshio.HasTangents(*w.o.Original) }

// words warns of channels that a kind of scene has no word for.
func (w *Work) words(sheet int, name string) (list []Warning) {
	no := map[string][]stack.Channel{
		"glb": {stack.Scattering, stack.Height}, "gltf": {stack.Scattering, stack.Height},
		"obj":  {stack.Scattering, stack.Specular, stack.CoatWeight, stack.Fuzz, stack.Transmission, stack.Anisotropy, stack.Occlusion},
		"usda": {stack.Scattering, stack.Specular, stack.Fuzz, stack.Transmission, stack.Anisotropy},
		"usdz": {stack.Scattering, stack.Specular, stack.Fuzz, stack.Transmission, stack.Anisotropy},
		"mtlx": {stack.Occlusion},
	}
	for _, kind := range w.plan.preset.Scenes {
		var lost []string
		for _, c := range no[kind] {
			if info, ok := w.p.Doc.Info(c); ok && c != stack.Height && sets(w.p, sheet, c) {
				lost = append(lost, info.Label)
			}
		}
		if len(lost) > 0 {
			list = append(list, Warning{
				Kind: "format", Sheet: name,
				Text: fmt.Sprintf("%s has no word for the %s of %q", strings.ToUpper(kind), strings.Join(lost, ", "), name),
			})
		}
	}
	return list
}

// heights warns of heights that a picture's range does not hold, and says where they go farthest
// beyond.
func (w *Work) heights(ctx context.Context, sheet int, files []string) ([]Warning, error) {
	over, far := 0, float32(0)
	count := 0
	var place geom.Vec3
	for _, t := range surface.Tiles(sheet, lookSize) {
		u := w.p.Scene.OnTile(t)
		if u.Empty() {
			continue
		}
		v, err := w.p.Channel(ctx, u, stack.Height)
		if err != nil {
			return nil, err
		}
		f := u.Frame()
		u.EachTexel(func(at, _ int) {
			count++
			x := v[0].At(at)
			if d := float32(math.Abs(float64(x))); d > HeightRange {
				over++
				if d > far {
					far, place = d, f.Pos[at]
				}
			}
		})
	}
	if over == 0 {
		return nil, nil
	}
	name := w.p.Scene.Model.Sheets[sheet].Name
	return []Warning{{
		Kind: "height", Sheet: name, Channel: stack.Height, Files: files, Place: &[3]float32{place.X, place.Y, place.Z},
		Text: fmt.Sprintf("the height of %q reaches %.1f mm, its picture holds ±%.0f mm: %s of it is cut off; take EXR or TIFF of floats",
			name, far*1000, HeightRange*1000, percent(over, count)),
	}}, nil
}

func percent(n, of int) string {
	p := 100 * float64(n) / float64(max(of, 1))
	if p < 0.1 {
		return "less than 0.1 %"
	}
	return fmt.Sprintf("%.1f %%", p)
}
