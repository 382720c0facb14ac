package render

import (
	"context"
	"math"
	"runtime"
	"sync"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// skin is what the texels of a sheet are made of, for rays that meet it anywhere.
type skin struct {
	size   int
	texels []texel
}

// texel is kept small: there are millions. Colours are kept as the root of linear light.
type texel struct {
	color, emits        [3]uint16
	bend                [2]int16 // x and y of the normal in tangent space
	rough, metal, solid uint8
	more                [moreCount]uint8
}

// moreUsual is what the channels of stack.More hold in a project that has not got them.
var moreUsual = func() (v [moreCount]uint8) {
	for i, m := range stack.More {
		v[i] = pix.Byte(m.Default[0])
	}
	return v
}()

// usualMore is that as shares.
var usualMore = func() (v [moreCount]float32) {
	for i, u := range moreUsual {
		v[i] = float32(u) / 255
	}
	return v
}()

const (
	moreSpecular = iota
	moreCoat
	moreCoatRough
	moreFuzz
	moreTransmission
	moreScattering
	moreAniso
	moreCount
)

// SkinTexel is how many bytes a texel of a still takes.
const SkinTexel = 28

// skinSizes are the sizes at which sheets are evaluated: their own, halved until all sheets together
// have at most so many texels.
func skinSizes(p *eval.Program, most int) []int {
	sizes := make([]int, len(p.Scene.Model.Sheets))
	total := 0
	for i, s := range p.Scene.Model.Sheets {
		sizes[i] = max(p.Doc.Sheets[s.Name].Size, 64)
		total += sizes[i] * sizes[i]
	}
	for total > most {
		big := 0
		for i, s := range sizes {
			if s > sizes[big] {
				big = i
			}
		}
		if sizes[big] <= 64 {
			break
		}
		total -= sizes[big] * sizes[big] * 3 / 4
		sizes[big] /= 2
	}
	return sizes
}

// skins evaluates all sheets with at most so many texels together.
func skins(ctx context.Context, p *eval.Program, most int, tell func(share float64)) ([]skin, error) {
	sizes := skinSizes(p, most)
	out := make([]skin, len(sizes))
	var all []surface.Tile
	for i, size := range sizes {
		out[i] = skin{size, make([]texel, size*size)}
		all = append(all, surface.Tiles(i, size)...)
	}
	covered := make([][]bool, len(out))
	for i, s := range out {
		covered[i] = make([]bool, s.size*s.size)
	}
	var mu sync.Mutex
	done := 0
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	for _, t := range all {
		g.Go(func() error {
			if err := out[t.Sheet].fill(gctx, p, t, covered[t.Sheet]); err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			if done++; tell != nil {
				tell(float64(done) / float64(len(all)))
			}
			return gctx.Err()
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	for i, s := range out {
		for k, from := range pix.Nearest(covered[i], s.size) {
			if from >= 0 && int(from) != k {
				s.texels[k] = s.texels[from]
			}
		}
	}
	return out, nil
}

// fill evaluates one tile.
func (s *skin) fill(ctx context.Context, p *eval.Program, t surface.Tile, covered []bool) error {
	u := p.Scene.OnTile(t)
	if u.Empty() {
		return nil
	}
	of := func(c stack.Channel) ([]pix.Plane, error) { return p.Channel(ctx, u, c) }
	base, err := of(stack.BaseColor)
	if err != nil {
		return err
	}
	emits, err := of(stack.Emissive)
	if err != nil {
		return err
	}
	normal, err := p.Normal(ctx, u)
	if err != nil {
		return err
	}
	var plain [3]pix.Plane
	for i, c := range []stack.Channel{stack.Roughness, stack.Metallic, stack.Opacity} {
		v, err := of(c)
		if err != nil {
			return err
		}
		plain[i] = v[0]
	}
	var more [moreCount]pix.Plane
	var has [moreCount]bool
	for i, m := range stack.More {
		if _, ok := p.Doc.Info(m.Channel); !ok {
			continue
		}
		v, err := of(m.Channel)
		if err != nil {
			return err
		}
		more[i], has[i] = v[0], true
	}
	u.EachTexel(func(at, i int) {
		covered[i] = true
		x := &s.texels[i]
		for k := range 3 {
			x.color[k], x.emits[k] = root(base[k].At(at)), root(emits[k].At(at))
		}
		x.bend = [2]int16{whole15(normal[0].At(at)), whole15(normal[1].At(at))}
		x.rough, x.metal, x.solid = pix.Byte(plain[0].At(at)), pix.Byte(plain[1].At(at)), pix.Byte(plain[2].At(at))
		x.more = moreUsual
		for k := range more {
			if has[k] {
				x.more[k] = pix.Byte(more[k].At(at))
			}
		}
	})
	return nil
}

// root is the root of the linear light of an sRGB value, in 16 bits.
func root(v float32) uint16 {
	l := pix.DecodeSRGB(min(max(v, 0), 1))
	return uint16(math.Sqrt(float64(l))*65535 + 0.5)
}

func whole15(v float32) int16 { return int16(min(max(v, -1), 1) * 32767) }

// place is what a place of a sheet is made of: colours linear, all others shares.
type place struct {
	color, emits        [3]float32
	bend                geom.Vec3
	rough, metal, solid float32
	more                [moreCount]float32
}

// look finds out whether light passes anywhere, and whether a channel beyond the usual ones changes
// anything.
func (s *skin) look(solid, usual *bool) {
	for i := range s.texels {
		t := &s.texels[i]
		if t.solid != 255 || t.more[moreTransmission] != 0 {
			*solid = false
		}
		if t.more != moreUsual {
			*usual = false
		}
	}
}

// at reads between four texels; usual: all of them have the usual ones of the channels beyond.
func (s *skin) at(uv geom.Vec2, p *place, usual bool) {
	size := float32(s.size)
	x, y := (uv.X-floor(uv.X))*size-0.5, (uv.Y-floor(uv.Y))*size-0.5
	fx, fy := floor(x), floor(y)
	ax, ay := x-fx, y-fy
	x0, y0 := int(fx)&(s.size-1), int(fy)&(s.size-1)
	x1, y1 := (x0+1)&(s.size-1), (y0+1)&(s.size-1)
	*p = place{}
	var bend [2]float32
	for i, w := range [4]float32{(1 - ax) * (1 - ay), ax * (1 - ay), (1 - ax) * ay, ax * ay} {
		t := &s.texels[[4]int{y0*s.size + x0, y0*s.size + x1, y1*s.size + x0, y1*s.size + x1}[i]]
		for k := range 3 {
			c, e := float32(t.color[k])*(1.0/65535), float32(t.emits[k])*(1.0/65535)
			p.color[k] += w * c * c
			p.emits[k] += w * e * e
		}
		bend[0] += w * float32(t.bend[0])
		bend[1] += w * float32(t.bend[1])
		b := w * (1.0 / 255)
		p.rough += b * float32(t.rough)
		p.metal += b * float32(t.metal)
		p.solid += b * float32(t.solid)
		if usual {
			continue
		}
		for k := range p.more {
			p.more[k] += b * float32(t.more[k])
		}
	}
	if usual {
		p.more = usualMore
	}
	bx, by := bend[0]*(1.0/32767), bend[1]*(1.0/32767)
	p.bend = geom.V3(bx, by, sqrt32(max(1-bx*bx-by*by, 0.01)))
}

func floor(v float32) float32 { return float32(math.Floor(float64(v))) }

func sqrt32(v float32) float32 { return float32(math.Sqrt(float64(v))) }
