package deliver

import (
	"context"
	"fmt"
	"runtime"

	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// Numbers evaluates a channel of one sheet as plain numbers, component by
// component, each size × size by rows: colours as linear light, height in metres,
// normals as unit vectors (+Y up), the others as they are. The channel "normal" is
// the final one, with the slope of the height. Texels outside the islands are
// filled outward from their edges.
func Numbers(ctx context.Context, p *eval.Program, sheet, size int, c stack.Channel) ([][]float32, error) {
	info, ok := p.Doc.Info(c)
	if !ok {
		return nil, fmt.Errorf("channel %q is unknown", c)
	}
	n := info.Components
	raw, covered := make([]float32, size*size*n), make([]bool, size*size)
	g, gctx := par.WithContext(ctx)
	g.SetLimit(runtime.NumCPU())
	for _, t := range surface.Tiles(sheet, size) {
		g.Go(func() error {
			u := p.Scene.OnTile(t)
			if u.Empty() {
				return nil
			}
			v, err := p.Channel(gctx, u, c)
			if c == stack.Normal {
				v, err = p.Normal(gctx, u)
			}
			if err == nil {
				place(u, t, v, raw, covered, n)
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	spread(raw, covered, size, n)
	out := make([][]float32, n)
	for k := range out {
		out[k] = make([]float32, size*size)
		for i := range out[k] {
			if out[k][i] = raw[i*n+k]; info.Color() {
				out[k][i] = pix.DecodeSRGB(out[k][i])
			}
		}
	}
	return out, nil
}

// EXR writes planes of size × size numbers as an OpenEXR file of 32-bit floats: one plane as Y,
// three as R, G, B.
func EXR(planes [][]float32, size int) ([]byte, error) {
	names := []string{"R", "G", "B"}
	if len(planes) == 1 {
		names = []string{"Y"}
	}
	if len(planes) != len(names) {
		return nil, fmt.Errorf("%d planes are neither a grey nor a colour", len(planes))
	}
	list := make([]exr.Channel, len(planes))
	for i, p := range planes {
		list[i] = exr.Channel{Name: names[i], Data: p}
	}
	return exr.Encode(size, size, list, false)
}
