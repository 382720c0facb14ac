package picset

import (
	"context"
	"image"
	"math"

	"velvetgrime/core/par"
	"velvetgrime/core/pix"

	"gonum.org/v1/gonum/dsp/fourier"
)

// slopes are those of the surface that a normal map describes: height a texel, to the right and
// down, with green going up.
func slopes(pic *pix.Picture, most int) (right, down []float64, w, h int) {
	pic = pic.AsNumbers()
	w, h = pic.Size()
	for w > most || h > most {
		w, h = max(w/2, 1), max(h/2, 1)
	}
	right, down = make([]float64, w*h), make([]float64, w*h)
	at := pic.At(1 / float32(w))
	for y := range h {
		for x := range w {
			v := at.Sample((float32(x)+0.5)/float32(w), (float32(y)+0.5)/float32(h))
			nx, ny, nz := float64(2*v[0]-1), float64(2*v[1]-1), float64(2*v[2]-1)
			nz = max(nz, 0.05) // no steeper than 87°
			right[y*w+x], down[y*w+x] = -nx/nz, ny/nz
		}
	}
	return
}

// GreenDown guesses whether the green of a normal map goes down: a surface's slopes have no
// curl, so the sign with less of it is the likelier. sure is 0 where both have as much, 1 where
// one has none.
func GreenDown(pic *pix.Picture) (down bool, sure float64) {
	p, q, w, h := slopes(pic, 1024)
	var up, turned float64
	for y := range h {
		for x := range w {
			// over the edges as well: most such pictures repeat
			py := p[((y+1)%h)*w+x] - p[((y+h-1)%h)*w+x]
			qx := q[y*w+(x+1)%w] - q[y*w+(x+w-1)%w]
			up += (py - qx) * (py - qx)
			turned += (py + qx) * (py + qx)
		}
	}
	if up+turned == 0 {
		return false, 0
	}
	return turned < up, math.Abs(up-turned) / (up + turned)
}

// Heights makes a height of a normal map, as if it repeated: the surface whose slopes come
// nearest to it (Frankot and Chellappa, "A Method for Enforcing Integrability in Shape from
// Shading Algorithms", 1988). Black is the lowest place, white the highest; relief is what lies
// between them, in widths of the picture. An error is ctx's.
func Heights(ctx context.Context, pic *pix.Picture, greenDown bool) (img *image.Gray16, relief float64, err error) {
	z, w, h, err := heights(ctx, pic, greenDown)
	if err != nil {
		return nil, 0, err
	}
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, v := range z {
		lo, hi = min(lo, v), max(hi, v)
	}
	img = image.NewGray16(image.Rect(0, 0, w, h))
	if hi-lo < 1e-9 {
		return img, 0, nil
	}
	for i, v := range z {
		g := uint16(math.Round((v - lo) / (hi - lo) * 65535))
		img.Pix[2*i], img.Pix[2*i+1] = byte(g>>8), byte(g)
	}
	return img, (hi - lo) / float64(w), nil
}

// heights returns them in texels.
func heights(ctx context.Context, pic *pix.Picture, greenDown bool) (z []float64, w, h int, err error) {
	p, q, w, h := slopes(pic, 2048)
	if greenDown {
		for i := range q {
			q[i] = -q[i]
		}
	}
	a, b := make([]complex128, w*h), make([]complex128, w*h)
	for i := range p {
		a[i], b[i] = complex(p[i], 0), complex(q[i], 0)
	}
	for _, c := range [][]complex128{a, b} {
		if err := transform(ctx, c, w, h, false); err != nil {
			return nil, 0, 0, err
		}
	}
	for y := range h {
		wy := wave(y, h)
		for x := range w {
			wx := wave(x, w)
			i := y*w + x
			if s := wx*wx + wy*wy; s > 0 {
				a[i] = (complex(0, -wx)*a[i] + complex(0, -wy)*b[i]) / complex(s, 0)
			} else {
				a[i] = 0
			}
		}
	}
	if err := transform(ctx, a, w, h, true); err != nil {
		return nil, 0, 0, err
	}
	for i := range p {
		p[i] = real(a[i])
	}
	return p, w, h, nil
}

// wave is how fast the k-th of n waves goes, radians a texel; the fastest has no direction.
func wave(k, n int) float64 {
	if 2*k == n {
		return 0
	}
	if 2*k > n {
		k -= n
	}
	return 2 * math.Pi * float64(k) / float64(n)
}

// transform does a Fourier transform of rows, then of columns, in place.
func transform(ctx context.Context, c []complex128, w, h int, back bool) error {
	one := func(f *fourier.CmplxFFT, row []complex128) {
		if back {
			f.Sequence(row, row)
			for i := range row {
				row[i] /= complex(float64(len(row)), 0)
			}
			return
		}
		f.Coefficients(row, row)
	}
	const some = 64
	for _, rows := range []bool{true, false} {
		n := h
		if !rows {
			n = w
		}
		g, _ := par.WithContext(ctx)
		for from := 0; from < n; from += some {
			g.Go(func() error {
				if rows {
					f := fourier.NewCmplxFFT(w)
					for y := from; y < min(from+some, h); y++ {
						one(f, c[y*w:(y+1)*w])
					}
					return ctx.Err()
				}
				f, col := fourier.NewCmplxFFT(h), make([]complex128, h)
				for x := from; x < min(from+some, w); x++ {
					for y := range h {
						col[y] = c[y*w+x]
					}
					one(f, col)
					for y := range h {
						c[y*w+x] = col[y]
					}
				}
				return ctx.Err()
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
	}
	return nil
}

// Relief returns how high a height picture stands by a normal map of the same surface, in widths
// of the picture from black to white: that with which its slopes come nearest to the map's. 0: the
// two have nothing in common.
func Relief(ctx context.Context, height, normal *pix.Picture, greenDown bool) (float64, error) {
	z, w, h, err := heights(ctx, normal, greenDown)
	if err != nil {
		return 0, err
	}
	var mean, same, own float64
	g := make([]float64, len(z))
	at := height.At(1 / float32(w))
	for i := range g {
		g[i] = float64(at.Gray((float32(i%w)+0.5)/float32(w), (float32(i/w)+0.5)/float32(h)))
		mean += g[i] / float64(len(g))
	}
	for i, v := range z {
		same += (g[i] - mean) * v
		own += (g[i] - mean) * (g[i] - mean)
	}
	if own == 0 || same <= 0 {
		return 0, nil
	}
	return same / own / float64(w), nil
}
