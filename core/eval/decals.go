package eval

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"sync"

	"velvetgrime/core/cache"
	"velvetgrime/core/cast"
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/press"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
	"velvetgrime/core/warp"
)

// decalPlan is a decal, or one of its repeats, with what its key holds.
type decalPlan struct {
	*stack.Decal
	frame cast.Frame
	key   Key // of all that it is
	own   Key // of what lies on the surface there, without its amount

	words *lettering // nil: it has a picture
}

// lettering is the words of a decal as outlines, set when first needed.
type lettering struct {
	once sync.Once
	*press.Lettering
	err error
}

func (l *lettering) set(d *stack.Decal) (*press.Lettering, error) {
	l.once.Do(func() { l.Lettering, l.err = press.NewLettering(wordsOf(d)) })
	return l.Lettering, l.err
}

func wordsOf(d *stack.Decal) press.Words {
	return press.Words{Text: d.Text, Font: d.Font, Apart: d.Apart, Gaps: d.Gaps}
}

// planDecals plans the decals of a layer that show, lowest first.
func planDecals(list []*stack.Decal) (out []*decalPlan) {
	for _, d := range list {
		if d.Hidden || d.Amount == 0 || d.Picture == "" && d.Text == "" {
			continue
		}
		var words *lettering
		if d.Text != "" {
			words = &lettering{}
		}
		for i, f := range decalFrames(d) {
			bare := *d
			bare.Name, bare.ID, bare.Locked, bare.Amount, bare.Row, bare.Hand = "", "", false, 0, nil, nil
			b, _ := json.Marshal(bare)
			own := cache.NewHash("decal").Str(string(b)).Str(fmt.Sprint(i, f)).Sum()
			amount := Key{Lo: uint64(math.Float32bits(d.Amount))}
			out = append(out, &decalPlan{d, f, cache.Join(own, amount, 61), own, words})
		}
	}
	return out
}

// decalFrames are the frames of a decal and its repeats.
func decalFrames(d *stack.Decal) []cast.Frame {
	vec := func(v [3]float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }
	f := cast.NewFrame(vec(d.Pos), vec(d.Nrm), vec(d.Up))
	out := []cast.Frame{f}
	r := d.Row
	if r == nil {
		return out
	}
	if r.Kind == "line" {
		if list := cast.Along(r.Line, f, r.Count, r.Step); len(list) > 0 {
			return list
		}
		return out // a line of no length
	}
	if r.Kind == "mirror" {
		return append(out, f.Reflected(vec(r.At), vec(r.Axis)))
	}
	for i := 1; i < r.Count; i++ {
		switch r.Kind {
		case "axis":
			step := cmp.Or(float64(r.Step), 360/float64(r.Count))
			out = append(out, f.Turned(vec(r.At), vec(r.Axis), float64(i)*step*math.Pi/180))
		default:
			out = append(out, f.Shifted(float32(i)*r.Step))
		}
	}
	return out
}

// decalPicture is the picture of a decal as fine as a footprint asks for, and its height in metres.
func (p *Program) decalPicture(d *decalPlan, footprint float32) (pic *pix.Picture, tall float32, err error) {
	if d.words == nil {
		if pic, err = p.Scene.StoredFor(d.Picture, max(d.Wide, d.Tall)/footprint); err != nil {
			return nil, 0, err
		}
		w, h := pic.Size()
		return pic, cmp.Or(d.Tall, d.Wide*float32(h)/float32(w)), nil
	}
	l, err := d.words.set(d.Decal)
	if err != nil {
		return nil, 0, err
	}
	tall = cmp.Or(d.Tall, d.Wide/l.Aspect())
	rows := 64 // texels of the words as fine as those of the surface, in steps of two
	for rows < 4096 && tall/float32(rows) > footprint {
		rows *= 2
	}
	key := cache.NewHash("lettering").Str(fmt.Sprintf("%+v", wordsOf(d.Decal))).Str(fmt.Sprint(rows)).Sum()
	if v, ok := p.Scene.Cache.Get(key); ok {
		return v.(*pix.Picture), tall, nil
	}
	if pic, err = l.Picture(rows); err == nil {
		p.Scene.Cache.Put(key, pic)
	}
	return pic, tall, err
}

// box is around all that a decal can reach.
func (d *decalPlan) box(tall float32) geom.Box {
	wide, tall := d.spans(tall)
	if d.Wrapped {
		r := float32(math.Hypot(float64(wide), float64(tall))) / 2
		return geom.Box{Min: d.frame.At, Max: d.frame.At}.Pad(r)
	}
	f := cast.Flat{Frame: d.frame, Wide: wide, Tall: tall, Depth: d.Depth, Facing: d.Facing}
	return f.Box()
}

// spans are the edges of the rectangle about its middle that holds a decal so tall, its corners
// pulled or not.
func (d *decalPlan) spans(tall float32) (float32, float32) {
	if off, ok := d.Pulled(); ok {
		x, y := warp.QuadReach(off)
		return d.Wide * x, tall * y
	}
	return d.Wide, tall
}

// tallest is how tall a decal is; as tall as wide while its picture cannot be read.
func (p *Program) tallest(d *decalPlan) float32 {
	if d.Tall > 0 {
		return d.Tall
	}
	if d.words != nil {
		if l, err := d.words.set(d.Decal); err == nil {
			return d.Wide / l.Aspect()
		}
		return d.Wide
	}
	if _, tall, err := p.decalPicture(d, math.MaxFloat32); err == nil {
		return tall
	}
	return d.Wide // it will be told where it is drawn
}

// decalsAt returns the decals of a layer that may lie within pad metres of a surface, and the
// key of them all.
func (p *Program) decalsAt(u *surface.Surface, pl *layerPlan, pad float32) (list []*decalPlan, k Key) {
	for _, d := range pl.decals {
		if u.Within(d.box(p.tallest(d)).Pad(pad)) {
			list, k = append(list, d), cache.Join(k, d.key, 62)
			if d.Hand == nil {
				continue
			}
			if _, taken := p.strokes.Touching(u, p.handing(d.Hand), stack.MaskStream, pad); len(taken) > 0 {
				k = cache.Join(k, taken[len(taken)-1], 65)
			}
		}
	}
	return list, k
}

// decaled evaluates what the decals of a layer bring to a channel, and how much they cover.
func (p *Program) decaled(
	ctx context.Context,
	u *surface.Surface, pl *layerPlan,
	info stack.ChannelInfo,
) (pix.Planes, pix.Plane, error) {
	list, _ := p.decalsAt(u, pl, 0)
	coat := pl.coats[info.Channel].coat
	out := make(pix.Planes, info.Components)
	for c, v := range p.value(info, coat.Value) {
		out[c].Value = v
	}
	if len(list) == 0 {
		return out, pix.Plane{}, nil
	}
	source := coat.Source
	if source == "" && info.Color() {
		source = "color"
	}
	n := len(u.Frame().Pos)
	cover := make([]float32, n)
	reads := source != "" && source != "value" && !info.Vector()
	if reads {
		for c := range out {
			out[c].Data = make([]float32, n)
		}
	}
	r := rangeOf(info, coat)
	for _, d := range list {
		v, err := p.decalRows(u, d)
		if err != nil {
			return nil, pix.Plane{}, fmt.Errorf("decal %q: %w", d.Name, err)
		}
		if v == nil {
			continue
		}
		left, err := p.leftOf(ctx, u, d)
		if err != nil {
			return nil, pix.Plane{}, fmt.Errorf("decal %q: %w", d.Name, err)
		}
		for i, a := range v[3] {
			a *= d.Amount * left.At(i)
			if a <= 0 {
				continue
			}
			sum := a + cover[i]*(1-a)
			cover[i] = sum
			if !reads {
				continue
			}
			share := a / sum
			grey := pix.Luma(v[0][i], v[1][i], v[2][i])
			for c := range out {
				var x float32
				switch {
				case source == "coverage":
					x = v[3][i]
				case source == "grey" || info.Components == 1:
					x = grey
				default:
					x = v[c][i]
				}
				if info.Components == 1 {
					x = r[0] + x*(r[1]-r[0])
				}
				out[c].Data[i] += share * (x - out[c].Data[i])
			}
		}
	}
	if reads && info.Color() && p.Doc.Light == stack.Linear {
		out = out.Map(pix.DecodeSRGB)
	}
	return out, pix.Plane{Data: cover}, nil
}

// leftOf is how much of a decal is left where it was erased by hand.
func (p *Program) leftOf(ctx context.Context, u *surface.Surface, d *decalPlan) (pix.Plane, error) {
	if d.Hand == nil || p.hands[d.Hand] == nil {
		return pix.Plane{Value: 1}, nil
	}
	row := make([]float32, len(u.Frame().Pos))
	for i := range row {
		row[i] = 1
	}
	err := p.hand(ctx, u, d.Hand, pix.Rows{row})
	return pix.Plane{Data: row}, err
}

// decalRows draws a decal on a surface: red, green and blue, sRGB-encoded, and how much it
// covers; nil where it does not lie. All channels of its layer share it.
func (p *Program) decalRows(u *surface.Surface, d *decalPlan) (pix.Rows, error) {
	key := cache.Join(u.Key, d.own, 63)
	named := u.Key != (Key{})
	if named {
		if v, ok := p.Scene.Cache.Get(key); ok {
			return v.(pix.Rows), nil
		}
	}
	f := u.Frame()
	fine := f.Footprint
	if off, ok := d.Pulled(); ok { // what is larger than it would be
		x, y := warp.QuadReach(off)
		fine /= max(x, y)
	}
	pic, tall, err := p.decalPicture(d, fine)
	if err != nil {
		return nil, err
	}
	out := pix.NewRows(4, len(f.Pos))
	place, err := p.decalPlace(u, d, tall)
	if err != nil {
		return nil, err
	}
	w, h := pic.Size()
	pw, ph := float32(w), float32(h)
	if d.Text != "" { // a texel of nothing lies all around words
		pw, ph = pw-2, ph-2
	}
	across := pw / float32(w)
	sample := pic.At(f.Footprint / d.Wide * across)
	worn := p.decalWear(d, tall, f.Footprint)
	shows := false
	for i, t := range f.Tri {
		if t < 0 {
			continue
		}
		x, y, share, edge := place(i)
		if share <= 0 {
			continue
		}
		if d.Corners != nil {
			sample = pic.At(edge * across)
		}
		if d.Flip {
			x = 1 - x
		}
		ownX, ownY := x, y
		if d.Text != "" {
			x, y = (1+x*pw)/float32(w), (1+y*ph)/float32(h)
		}
		v := sample.Sample(min(max(x, 0.5/float32(w)), 1-0.5/float32(w)), min(max(y, 0.5/float32(h)), 1-0.5/float32(h)))
		a := share * d.covers(v, pic)
		if a <= 0 {
			continue
		}
		if worn != nil {
			if a *= worn(ownX, ownY); a <= 0 {
				continue
			}
		}
		shows = true
		if d.Text != "" || pic.Gray && d.Cover != "" {
			copy(v[:3], d.Color[:])
		}
		out[0][i], out[1][i], out[2][i], out[3][i] = v[0], v[1], v[2], a
	}
	if shows && !d.Through {
		p.hideBehind(f, d, out[3])
	}
	if !shows {
		out = nil
	}
	if named {
		p.Scene.Cache.Put(key, out)
	}
	return out, nil
}

// decalWear returns how much of a decal is left where it flakes off, by the place in it, 0..1 from
// its upper left corner; nil where it does not.
func (p *Program) decalWear(d *decalPlan, tall, footprint float32) func(x, y float32) float32 {
	if d.Worn == 0 {
		return nil
	}
	size, letter := min(d.Wide, tall), func(x, y float32) int { return 0 }
	if d.words != nil && d.words.Lettering != nil {
		size, letter = tall*d.words.Capital(), d.words.Letter
	}
	flakes := cast.NewFlakes(size, d.Seed, footprint)
	return func(x, y float32) float32 { return flakes.Left(x*d.Wide, y*tall, d.Worn, letter(x, y)) }
}

// inBorder is how much of a texel at a place lies between 0 and an edge.
func inBorder(at, edge, texel float32) float32 {
	return min(max(at/texel+0.5, 0), 1) * min(max((edge-at)/texel+0.5, 0), 1)
}

// covers is how much of a decal a value of its picture covers.
func (d *decalPlan) covers(v [4]float32, pic *pix.Picture) float32 {
	switch d.Cover {
	case "light":
		return v[3] * pix.Luma(v[0], v[1], v[2])
	case "dark":
		return v[3] * (1 - pix.Luma(v[0], v[1], v[2]))
	case "key":
		far := float32(0)
		for c := range 3 {
			far = max(far, max(v[c]-d.Key[c], d.Key[c]-v[c]))
		}
		return v[3] * geom.Smoothstep(0.08, 0.2, far)
	}
	return v[3]
}

// decalPlace returns where the points of a surface lie in a decal, 0..1 from its upper left
// corner, how much of it they may get (its border runs through texels), and how wide a texel is
// there, in shares of the picture's width.
func (p *Program) decalPlace(u *surface.Surface, d *decalPlan, tall float32) (func(i int) (x, y, share, edge float32), error) {
	texel := u.Frame().Footprint
	lies := p.decalLies(u, d, tall)
	off, pulled := d.Pulled()
	if !pulled {
		return func(i int) (x, y, share, edge float32) {
			if x, y, share = lies(i); share > 0 {
				share *= inBorder(x*d.Wide, d.Wide, texel) * inBorder(y*tall, tall, texel)
			}
			return x, y, share, texel / d.Wide
		}, nil
	}
	quad, err := warp.NewQuad(off)
	if err != nil {
		return nil, err
	}
	edgeOf := func(gradient [2]float32) float32 {
		return texel * float32(math.Hypot(float64(gradient[0]/d.Wide), float64(gradient[1]/tall)))
	}
	return func(i int) (x, y, share, edge float32) {
		s, t, share := lies(i)
		if share <= 0 {
			return 0, 0, 0, 0
		}
		x, y, ofX, ofY, ok := quad.Back(s, t)
		if !ok {
			return 0, 0, 0, 0
		}
		edge = edgeOf(ofX)
		return x, y, share * inBorder(x, 1, edge) * inBorder(y, 1, edgeOf(ofY)), edge
	}, nil
}

// decalLies is where points lie in the rectangle of a decal, and how much they may get there.
func (p *Program) decalLies(u *surface.Surface, d *decalPlan, tall float32) func(i int) (x, y, share float32) {
	f := u.Frame()
	if !d.Wrapped {
		flat := cast.Flat{Frame: d.frame, Wide: d.Wide, Tall: tall, Depth: d.Depth, Facing: d.Facing}
		box := d.box(tall).Pad(2 * f.Footprint)
		return func(i int) (x, y, share float32) {
			if q := f.Pos[i]; !box.Overlaps(geom.Box{Min: q, Max: q}) {
				return 0, 0, 0
			}
			return flat.Place(f.Pos[i], f.Nrm[i])
		}
	}
	roll := p.unrolled(d, tall)
	m := p.Scene.Model
	return func(i int) (x, y, share float32) {
		at, ok := roll.At(m, f.Tri[i], f.Pos[i])
		// nothing lies nearer along the surface than through space: what comes out so was laid
		// over what was laid before, around a bend both ways
		if chord := f.Pos[i].Sub(d.frame.At).Length(); !ok || at.X*at.X+at.Y*at.Y < 0.9*chord*chord {
			return 0, 0, 0
		}
		return at.X/d.Wide + 0.5, 0.5 - at.Y/tall, 1
	}
}

type unrolledSurface struct{ cast.Unrolled }

// Bytes implements cache.Sized.
func (u unrolledSurface) Bytes() int { return 60 * len(u.Unrolled) }

// unrolled lays the surface out around a wrapped decal.
func (p *Program) unrolled(d *decalPlan, tall float32) cast.Unrolled {
	key := cache.Join(p.Scene.Base, d.own, 64)
	if v, ok := p.Scene.Cache.Get(key); ok {
		return v.(unrolledSurface).Unrolled
	}
	wide, long := d.spans(tall)
	reach := float32(math.Hypot(float64(wide), float64(long))) / 2
	out := cast.Unrolled{}
	if tri := p.Scene.nearestTriangle(d.frame.At, d.frame.Out); tri >= 0 {
		out = cast.Unroll(p.Scene.Model, tri, d.frame, reach)
	}
	p.Scene.Cache.Put(key, unrolledSurface{out})
	return out
}

// hideBehind takes from a coverage the points behind which, towards where a decal is cast from,
// something else lies within its depth.
func (p *Program) hideBehind(f *raster.Frame, d *decalPlan, cover []float32) {
	if d.Wrapped {
		return
	}
	tree := p.Scene.Ground().Tree
	out := d.frame.Out
	var dirs [spatial.MaxRays]geom.Vec3
	var b spatial.Bundle
	for i, c := range cover {
		if c <= 0 {
			continue
		}
		// from a little above the surface, so that its own triangle does not hide it
		from := f.Pos[i].Add(f.Nrm[i].Mul(2 * f.Footprint))
		ahead := d.Depth - from.Sub(d.frame.At).Dot(out)
		if ahead <= 0 {
			continue
		}
		dirs[0] = out
		b.Set(from, dirs[:1], 0, ahead)
		if tree.Any(&b)&1 != 0 {
			cover[i] = 0
		}
	}
}

// nearestTriangle is the triangle at a place that faces about as a normal, or −1.
func (s *Scene) nearestTriangle(at, nrm geom.Vec3) int32 {
	m := s.Model
	return s.Ground().Tree.Closest(at, m.Bounds.Size().Length(), func(tri int32) bool {
		return m.FaceNormal(int(tri)).Unit().Dot(nrm) > 0.2
	}).Tri
}

// DecalsAt lists the decals of a layer that lie at a point, topmost first.
func (p *Program) DecalsAt(u *surface.Surface, layer string) (ids []string) {
	pl := p.all[layer]
	if pl == nil {
		return nil
	}
	for _, d := range slices.Backward(pl.decals) {
		if v, err := p.decalRows(u, d); err == nil && v != nil && v[3][0] > 0.02 && !slices.Contains(ids, d.ID) {
			ids = append(ids, d.ID)
		}
	}
	return ids
}
