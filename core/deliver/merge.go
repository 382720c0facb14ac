package deliver

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/budget"
	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Merge bakes neighbouring layers (of one group or of the stack, innermost first)
// to a picture layer: for each channel that any of them touches and each sheet that
// they reach, a 16-bit picture with coverage at the sheet's own size. keep stores
// a PNG and returns its name. The new layer meets what lies below as the innermost
// of them did; where that one covers only partly and the ones above it do not
// blend normally, the result differs from the layers', because these then met the
// stack below, too (W3C Compositing: an isolated group). progress gets the share done.
func Merge(
	ctx context.Context,
	p *eval.Program,
	ids []string,
	keep func(png []byte) (string, error),
	progress func(float64),
) (*stack.Layer, error) {
	var layers []*stack.Layer
	for _, id := range ids {
		l := p.Doc.Layer(id)
		if l == nil {
			return nil, fmt.Errorf("there is no layer with the id %q", id)
		}
		layers = append(layers, l)
	}
	if len(layers) == 0 {
		return nil, fmt.Errorf("there is nothing to merge")
	}
	out := &stack.Layer{
		Name:     layers[len(layers)-1].Name + ", merged",
		Kind:     stack.Picture,
		Visible:  true,
		Amount:   1,
		Channels: map[stack.Channel]stack.Coat{},
	}
	release, err := budget.Memory.Hold(ctx, mergeWeight(p))
	if err != nil {
		return nil, err
	}
	defer release()
	channels := touched(p.Doc, layers)
	total := len(channels) * len(p.Scene.Model.Sheets)
	done := 0
	for _, info := range channels {
		coat := stack.Coat{On: true, Blend: bottomMode(layers, info), Amount: 1, Pictures: map[string]string{}}
		value := append([]float32(nil), info.Default...)
		coat.Value = value
		var sheets []*merged
		for i, s := range p.Scene.Model.Sheets {
			if s.HasUV && p.Doc.Sheets[s.Name].Size > 0 {
				m, err := mergeSheet(ctx, p, ids, info, i, p.Doc.Sheets[s.Name].Size)
				if err != nil {
					return nil, err
				}
				if m != nil {
					sheets = append(sheets, m)
				}
			}
			done++
			progress(float64(done) / float64(total))
		}
		lo, hi := rangeOver(sheets, info)
		if info.Components == 1 {
			coat.Range = []float32{lo, hi}
		}
		for _, m := range sheets {
			b, err := PNG(m.image(info, lo, hi))
			if err != nil {
				return nil, err
			}
			name, err := keep(b)
			if err != nil {
				return nil, err
			}
			coat.Pictures[p.Scene.Model.Sheets[m.sheet].Name] = name
		}
		if len(sheets) > 0 {
			out.Channels[info.Channel] = coat
		}
	}
	return out, nil
}

// touched lists the channels that any of the layers has, in display order.
func touched(d *stack.Document, layers []*stack.Layer) []stack.ChannelInfo {
	has := map[stack.Channel]bool{}
	(&stack.Document{Layers: layers}).Walk(func(l *stack.Layer, _ []*stack.Layer) {
		for c, coat := range l.Channels {
			if coat.On && l.Kind != stack.Group {
				has[c] = true
			}
		}
	})
	return slices.DeleteFunc(d.Channels(), func(i stack.ChannelInfo) bool { return !has[i.Channel] })
}

// bottomMode returns how the innermost layer that has a channel meets what lies
// below.
func bottomMode(layers []*stack.Layer, info stack.ChannelInfo) (mode blend.Mode) {
	mode = info.Blend
	for _, l := range layers {
		if coat, ok := l.Channels[info.Channel]; ok && coat.On && l.Kind != stack.Group {
			if coat.Blend != "" {
				return coat.Blend
			}
			return mode
		}
		if l.Kind == stack.Group {
			return mode
		}
	}
	return mode
}

// merged is one channel of one sheet: components and coverage, planar.
type merged struct {
	sheet, size int
	v           [][]float32
	a           []float32
}

func mergeSheet(
	ctx context.Context,
	p *eval.Program,
	ids []string,
	info stack.ChannelInfo,
	sheet, size int,
) (*merged, error) {
	m := &merged{sheet: sheet, size: size, a: make([]float32, size*size)}
	for range info.Components {
		m.v = append(m.v, make([]float32, size*size))
	}
	covers := false
	for _, t := range surface.Tiles(sheet, size) {
		u := p.Scene.OnTile(t)
		if u.Empty() {
			continue
		}
		v, a, err := p.Merged(ctx, u, ids, info.Channel)
		if err != nil {
			return nil, err
		}
		f := u.Frame()
		for y := range min(pix.Size, size) {
			for x := range min(pix.Size, size) {
				i := (y+pix.Margin)*pix.Pitch + x + pix.Margin
				if f.Tri[i] < 0 {
					continue
				}
				o := (t.Y*pix.Size+y)*size + t.X*pix.Size + x
				m.a[o] = a.At(i)
				covers = covers || m.a[o] > 0
				for c := range m.v {
					m.v[c][o] = v[c].At(i)
				}
			}
		}
	}
	if !covers {
		return nil, nil
	}
	m.bleed()
	return m, nil
}

// bleed carries the values of covered texels outward, so that reading between
// texels at a border mixes in nothing foreign.
func (m *merged) bleed() {
	raw := make([]float32, len(m.a)*len(m.v))
	covered := make([]bool, len(m.a))
	for i, a := range m.a {
		covered[i] = a > 0
		for c := range m.v {
			raw[i*len(m.v)+c] = m.v[c][i]
		}
	}
	spread(raw, covered, m.size, len(m.v))
	for i := range m.a {
		for c := range m.v {
			m.v[c][i] = raw[i*len(m.v)+c]
		}
	}
}

// rangeOver returns what black and white of the pictures stand for: the channel's
// own 0..1, or all that a height takes on.
func rangeOver(sheets []*merged, info stack.ChannelInfo) (lo, hi float32) {
	if info.Channel != stack.Height {
		return 0, 1
	}
	lo, hi = float32(math.Inf(1)), float32(math.Inf(-1))
	for _, m := range sheets {
		for i, a := range m.a {
			if a > 0 {
				lo, hi = min(lo, m.v[0][i]), max(hi, m.v[0][i])
			}
		}
	}
	if !(hi > lo) {
		if math.IsInf(float64(lo), 0) {
			lo = 0
		}
		hi = lo + 1e-4
	}
	return max(lo, info.Min), min(hi, info.Max)
}

func (m *merged) image(info stack.ChannelInfo, lo, hi float32) image.Image {
	img := image.NewNRGBA64(image.Rect(0, 0, m.size, m.size))
	for i, a := range m.a {
		var v [4]float32
		for c := range 3 {
			x := m.v[min(c, len(m.v)-1)][i]
			switch {
			case info.Vector():
				x = 0.5 + 0.5*x
			case info.Components == 1:
				x = (x - lo) / (hi - lo)
			}
			v[c] = x
		}
		v[3] = a
		for c, x := range v {
			w := pix.Word(x)
			img.Pix[i*8+c*2], img.Pix[i*8+c*2+1] = uint8(w>>8), uint8(w)
		}
	}
	return img
}

// mergeWeight is what a merge takes at most, in bytes: one channel of three components of
// every sheet at a time, as numbers and as a picture of 16 bits.
func mergeWeight(p *eval.Program) (n int64) {
	for _, s := range p.Scene.Model.Sheets {
		size := int64(p.Doc.Sheets[s.Name].Size)
		n += size * size * (4*4 + 8)
	}
	return n
}
