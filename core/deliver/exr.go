package deliver

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"runtime"
	"slices"

	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"

	"github.com/klauspost/compress/zlib"
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

// EXR writes planes of size × size numbers as a scan-line OpenEXR file of 32-bit
// floats, ZIP-compressed: one plane as Y, three as R, G, B. See "OpenEXR File
// Layout" (openexr.com).
func EXR(planes [][]float32, size int) ([]byte, error) {
	names := []string{"R", "G", "B"}
	if len(planes) == 1 {
		names = []string{"Y"}
	}
	if len(planes) != len(names) {
		return nil, fmt.Errorf("%d planes are neither a grey nor a colour", len(planes))
	}
	order := make([]int, len(names)) // channels are written by name
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return bytes.Compare([]byte(names[a]), []byte(names[b])) })

	var b bytes.Buffer
	put := func(v any) { _ = binary.Write(&b, binary.LittleEndian, v) }
	attribute := func(name, kind string, data []byte) {
		b.WriteString(name + "\x00" + kind + "\x00")
		put(int32(len(data)))
		b.Write(data)
	}
	le := func(v ...any) []byte {
		var d bytes.Buffer
		for _, x := range v {
			_ = binary.Write(&d, binary.LittleEndian, x)
		}
		return d.Bytes()
	}
	put(uint32(20000630))
	put(uint32(2))
	var list []byte
	for _, i := range order {
		list = append(list, names[i]+"\x00"...)
		list = append(list, le(int32(2), [4]uint8{}, int32(1), int32(1))...) // FLOAT, every texel
	}
	attribute("channels", "chlist", append(list, 0))
	attribute("compression", "compression", []byte{3}) // ZIP, 16 lines a block
	window := le(int32(0), int32(0), int32(size-1), int32(size-1))
	attribute("dataWindow", "box2i", window)
	attribute("displayWindow", "box2i", window)
	attribute("lineOrder", "lineOrder", []byte{0})
	attribute("pixelAspectRatio", "float", le(float32(1)))
	attribute("screenWindowCenter", "v2f", le(float32(0), float32(0)))
	attribute("screenWindowWidth", "float", le(float32(1)))
	b.WriteByte(0)

	const lines = 16
	var blocks [][]byte
	for y := 0; y < size; y += lines {
		var data []byte
		for row := y; row < min(y+lines, size); row++ {
			for _, i := range order {
				for _, v := range planes[i][row*size : (row+1)*size] {
					data = binary.LittleEndian.AppendUint32(data, math.Float32bits(v))
				}
			}
		}
		packed, err := zipBlock(data)
		if err != nil {
			return nil, err
		}
		blocks = append(blocks, append(le(int32(y), int32(len(packed))), packed...))
	}
	at := uint64(b.Len() + 8*len(blocks))
	for _, k := range blocks {
		put(at)
		at += uint64(len(k))
	}
	for _, k := range blocks {
		b.Write(k)
	}
	return b.Bytes(), nil
}

// zipBlock compresses as OpenEXR does: bytes at even places before those at odd
// ones, each then as its difference from the one before, and that deflated. A block
// that does not get smaller is kept as it is.
func zipBlock(data []byte) ([]byte, error) {
	half := (len(data) + 1) / 2
	t := make([]byte, len(data))
	for i, v := range data {
		t[i/2+i%2*half] = v
	}
	for i := len(t) - 1; i > 0; i-- {
		t[i] = t[i] - t[i-1] + 128
	}
	var out bytes.Buffer
	w := zlib.NewWriter(&out)
	if _, err := w.Write(t); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	if out.Len() >= len(data) {
		return data, nil
	}
	return out.Bytes(), nil
}
