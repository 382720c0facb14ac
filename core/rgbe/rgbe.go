// Package rgbe reads Radiance pictures (.hdr, .pic): three colours with one exponent, as the
// Radiance file formats describe them (Ward, "The RADIANCE Picture File Format").
package rgbe

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"velvetgrime/core/budget"
)

// MaxPixels bounds a picture.
const MaxPixels = 1 << 26

// Picture is a picture of linear colours, in the units of the file: radiance, as a rule.
type Picture struct {
	W, H int
	// Data are red, green and blue by rows from the upper left corner
	Data []float32
	// Primaries are the chromaticities of red, green, blue and white, x and y each
	Primaries [8]float32
	// XYZ: the components are CIE XYZ, not colours
	XYZ bool
}

// usual are the primaries of a file that says nothing (Radiance, color.h).
var usual = [8]float32{0.640, 0.330, 0.290, 0.600, 0.150, 0.060, 0.3333, 0.3333}

// head is what stands before the texels.
type head struct {
	w, h       int
	flipX      bool // rows go from right to left
	flipY      bool // from the lowest
	byColumn   bool // columns come one after the other
	exposure   float64
	colorscale [3]float64
	primaries  [8]float32
	xyz        bool
}

// Is reports whether a file begins as such a picture.
func Is(b []byte) bool {
	return bytes.HasPrefix(b, []byte("#?RADIANCE")) || bytes.HasPrefix(b, []byte("#?RGBE")) || bytes.HasPrefix(b, []byte("#?AUTOPANO"))
}

func line(r *bufio.Reader) (string, error) {
	s, err := r.ReadSlice('\n')
	if err != nil {
		return "", errors.New("its header does not end")
	}
	return strings.TrimRight(string(s), "\r\n"), nil
}

func readHead(r *bufio.Reader) (*head, error) {
	h := &head{exposure: 1, colorscale: [3]float64{1, 1, 1}, primaries: usual}
	for n := 0; ; n++ {
		s, err := line(r)
		if err != nil {
			return nil, err
		}
		if n > 1000 {
			return nil, errors.New("its header is longer than a thousand lines")
		}
		if s == "" {
			break
		}
		name, value, _ := strings.Cut(s, "=")
		value = strings.TrimSpace(value)
		numbers := func(to int) ([]float64, error) {
			var out []float64
			for _, f := range strings.Fields(value) {
				v, err := strconv.ParseFloat(f, 64)
				if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
					break
				}
				out = append(out, v)
			}
			if len(out) != to {
				return nil, fmt.Errorf("its header says %q, where %d numbers should stand", s, to)
			}
			return out, nil
		}
		switch strings.TrimSpace(name) {
		case "FORMAT":
			switch value {
			case "32-bit_rle_rgbe":
			case "32-bit_rle_xyze":
				h.xyz = true
			default:
				return nil, fmt.Errorf("it is of the form %q; 32-bit_rle_rgbe and 32-bit_rle_xyze are read", value)
			}
		case "EXPOSURE": // several multiply
			v, err := numbers(1)
			if err != nil {
				return nil, err
			}
			if v[0] > 0 {
				h.exposure *= v[0]
			}
		case "COLORCORR":
			v, err := numbers(3)
			if err != nil {
				return nil, err
			}
			for k := range 3 {
				if v[k] > 0 {
					h.colorscale[k] *= v[k]
				}
			}
		case "PRIMARIES":
			v, err := numbers(8)
			if err != nil {
				return nil, err
			}
			for k := range h.primaries {
				h.primaries[k] = float32(v[k])
			}
		}
	}
	s, err := line(r)
	if err != nil {
		return nil, err
	}
	var axes [2]string
	var sizes [2]int
	if n, err := fmt.Sscanf(s, "%2s %d %2s %d", &axes[0], &sizes[0], &axes[1], &sizes[1]); n != 4 || err != nil {
		return nil, fmt.Errorf("its size is %q, not like “-Y 512 +X 1024”", s)
	}
	for k, a := range axes {
		switch a {
		case "-Y", "+Y":
			h.h, h.flipY = sizes[k], a == "+Y"
			h.byColumn = k == 1
		case "+X", "-X":
			h.w, h.flipX = sizes[k], a == "-X"
		default:
			return nil, fmt.Errorf("its size is %q, not like “-Y 512 +X 1024”", s)
		}
	}
	if h.w < 1 || h.h < 1 || h.w > MaxPixels/h.h {
		return nil, fmt.Errorf("it has %d × %d texels; 1 to %d in all are possible", h.w, h.h, MaxPixels)
	}
	return h, nil
}

// Config returns a picture's size without reading its texels.
func Config(r io.Reader) (w, h int, err error) {
	k, err := readHead(bufio.NewReader(r))
	if err != nil {
		return 0, 0, err
	}
	return k.w, k.h, nil
}

// Decode reads a picture. Errors say where it is damaged.
func Decode(ctx context.Context, r io.Reader) (*Picture, error) {
	b := bufio.NewReaderSize(r, 1<<16)
	h, err := readHead(b)
	if err != nil {
		return nil, err
	}
	release, err := budget.Memory.Brief(ctx, fmt.Sprintf("the picture of %d × %d texels", h.w, h.h), 12*int64(h.w)*int64(h.h))
	if err != nil {
		return nil, err
	}
	defer release()
	p := &Picture{W: h.w, H: h.h, Data: make([]float32, 3*h.w*h.h), Primaries: h.primaries, XYZ: h.xyz}
	length, count := h.w, h.h
	if h.byColumn {
		length, count = h.h, h.w
	}
	row := make([]byte, 4*length)
	var scale [3]float64
	for k := range scale {
		scale[k] = 1 / (h.exposure * h.colorscale[k])
	}
	for n := range count {
		if n%64 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err := readRow(b, row); err != nil {
			return nil, fmt.Errorf("line %d of %d: %w", n+1, count, err)
		}
		for i := range length {
			x, y := i, n
			if h.byColumn {
				x, y = n, i
			}
			if h.flipX {
				x = h.w - 1 - x
			}
			if h.flipY {
				y = h.h - 1 - y
			}
			t, o := row[4*i:4*i+4], 3*(y*h.w+x)
			if t[3] == 0 {
				continue
			}
			f := math.Ldexp(1, int(t[3])-128-8)
			for k := range 3 {
				p.Data[o+k] = float32((float64(t[k]) + 0.5) * f * scale[k])
			}
		}
	}
	return p, nil
}

// readRow reads one line of texels, four bytes each.
func readRow(b *bufio.Reader, row []byte) error {
	length := len(row) / 4
	start, err := b.Peek(4)
	if err != nil {
		return errors.New("the file ends before it")
	}
	if length >= 8 && length < 1<<15 && start[0] == 2 && start[1] == 2 && start[2] < 128 {
		if int(start[2])<<8|int(start[3]) != length {
			return fmt.Errorf("it says that it is %d texels long, not %d", int(start[2])<<8|int(start[3]), length)
		}
		_, _ = b.Discard(4)
		for k := range 4 { // component after component
			for i := 0; i < length; {
				n, err := b.ReadByte()
				if err != nil {
					return errors.New("the file ends in the midst of it")
				}
				run := n > 128
				if run {
					n -= 128
				}
				if n == 0 || i+int(n) > length {
					return errors.New("a run in it is too long")
				}
				var v byte
				for j := range int(n) {
					if j == 0 || !run {
						if v, err = b.ReadByte(); err != nil {
							return errors.New("the file ends in the midst of it")
						}
					}
					row[4*i+k] = v
					i++
				}
			}
		}
		return nil
	}
	// as it is, or in the older way: 1 1 1 n repeats the last texel
	shift := 0
	for i := 0; i < length; {
		var t [4]byte
		if _, err := io.ReadFull(b, t[:]); err != nil {
			return errors.New("the file ends in the midst of it")
		}
		if t[0] == 1 && t[1] == 1 && t[2] == 1 {
			if shift > 24 {
				return errors.New("a run in it is too long")
			}
			n := int(t[3]) << shift
			if i == 0 || i+n > length {
				return errors.New("a run in it is too long")
			}
			for range n {
				copy(row[4*i:4*i+4], row[4*i-4:4*i])
				i++
			}
			shift += 8
			continue
		}
		shift = 0
		copy(row[4*i:], t[:])
		i++
	}
	return nil
}
