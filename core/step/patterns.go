package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// number is a parameter with a plain range.
func number(name, label, help string, lo, hi, def float64) Param {
	return Param{Name: name, Label: label, Kind: "number", Min: lo, Max: hi, Default: def, Help: help}
}

func vary(def float64) Param {
	return number("vary", "variation", "how much the pieces differ in grey", 0, 1, def)
}

func joint(def float64) Param {
	return number("joint", "joint", "width of the dark between, in pieces", 0, 0.8, def)
}

func bevel(def float64) Param {
	return number("bevel", "bevel", "how softly a piece rises from the joint, in pieces", 0, 0.5, def)
}

func whole(v float32) (int32, float32) {
	n := noise.Floor(v)
	return n, v - float32(n)
}

func abs32(v float32) float32 { return max(v, -v) }

func length(x, y float32) float32 { return float32(math.Sqrt(float64(x*x + y*y))) }

func sin(v float32) float32 { return float32(math.Sin(float64(v))) }

// piece is the grey of one piece: light, less by a random share of the variation, at a
// distance d inside its border.
func piece(id uint32, d, joint, bevel, vary, texel float32) float32 {
	return edge(d-joint/2-bevel/2, bevel, texel) * (1 - vary*noise.Random(id, 3))
}

// rect is how far a place lies inside a w × h box.
func rect(x, y, w, h float32) float32 { return min(min(x, w-x), min(y, h-y)) }

func init() {
	flatPattern("stripes", "Stripes", "Bands side by side, hard or soft.", 0.02, []Param{
		number("share", "width", "the light share of a band", 0, 1, 0.5), number("blur", "softness", "of the edges, in bands", 0, 1, 0.02), vary(0)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			share, blur, vary := in.Number("share"), in.Number("blur"), in.Number("vary")
			return func(u, v float32) float32 {
				k, x := whole(u)
				return edge(min(x, 1-x)-(1-share)/2, blur, texel) * (1 - vary*noise.Random(noise.Hash(k, 0, 0, seed), 3))
			}
		})
	flatPattern("checks", "Checks", "Squares, light and dark in turn.", 0.02, []Param{vary(0)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			vary := in.Number("vary")
			return func(u, v float32) float32 {
				i, x := whole(u)
				j, y := whole(v)
				sign := float32(1)
				if (i+j)&1 != 0 {
					sign = -1
				}
				// the distance to the nearest line, signed by the square
				d := sign * min(x, 1-x, y, 1-y)
				return edge(d, 0, texel) * (1 - vary*noise.Random(noise.Hash(i, j, 0, seed), 3))
			}
		})
	flatPattern("bricks", "Bricks", "Courses of bricks, each set off against the one below.", 0.03, []Param{
		number("aspect", "length", "of a brick against its height", 0.5, 8, 2.6), joint(0.12), bevel(0.06),
		number("offset", "set off", "how far a course is moved against the next", 0, 1, 0.5), vary(0.35),
		number("rough", "disorder", "how unevenly the bricks lie", 0, 1, 0.2)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			aspect, j, b, off, vary, rough := in.Number("aspect"), in.Number("joint"), in.Number("bevel"), in.Number("offset"), in.Number("vary"), in.Number("rough")
			return func(u, v float32) float32 {
				row, y := whole(v)
				x := u/aspect + off*float32(row&1)
				col, x := whole(x)
				id := noise.Hash(col, row, 1, seed)
				dx, dy := (noise.Random(id, 4)-0.5)*rough*j, (noise.Random(id, 5)-0.5)*rough*j
				return piece(id, rect(x*aspect+dx, y+dy, aspect, 1), j, b, vary, texel)
			}
		})
	flatPattern("planks", "Planks", "Boards of random length with their grain and, if wished, nail heads.", 0.05, []Param{
		number("aspect", "length", "of a board against its width", 1, 40, 9), joint(0.05), bevel(0.04), vary(0.4), number("grain", "grain", "how strongly the grain shows", 0, 1, 0.35),
		{Name: "nails", Label: "nails", Kind: "switch", Default: false, Help: "two dark heads at each end"}},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			aspect, j, b, vary, grain, nails := in.Number("aspect"), in.Number("joint"), in.Number("bevel"), in.Number("vary"), in.Number("grain"), in.Switch("nails")
			fine := 1 - geom.Smoothstep(0.02, 0.08, texel)
			return func(u, v float32) float32 {
				row, y := whole(v)
				r := noise.Hash(row, 7, 2, seed)
				col, x := whole(u/aspect + noise.Random(r, 1))
				id := noise.Hash(col, row, 3, seed)
				out := piece(id, rect(x*aspect, y, aspect, 1), j, b, vary, texel)
				if grain > 0 {
					k := float32(id&1023) * 0.37
					w := noise.Simplex(x*aspect*0.35+k, y*1.4, k, seed)
					out *= 1 - grain*fine*(0.5+0.5*sin(28*(y+0.22*w)+7*w))*0.6 - grain*(1-fine)*0.3
				}
				if nails {
					e := min(x*aspect, (1-x)*aspect) - 0.3
					out *= 1 - edge(0.06-min(length(e, y-0.25), length(e, y-0.75)), 0.01, texel)
				}
				return out
			}
		})
	flatPattern("weave", "Weave", "Threads over and under each other, in several bindings.", 0.004, []Param{
		{Name: "binding", Label: "binding", Kind: "choice", Default: "plain", Choices: []string{"plain", "twill", "satin", "basket"}, Help: "one over one; steps to the side; long floats; two over two"},
		number("gap", "gap", "between threads", 0, 0.8, 0.12), vary(0.15), number("lift", "relief", "how much the upper thread stands above the lower", 0, 1, 0.6)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			binding, gap, vary, lift := in.Choice("binding"), in.Number("gap"), in.Number("vary"), in.Number("lift")
			over := func(i, j int32) bool { // the thread that runs along v lies above at this crossing
				switch binding {
				case "twill":
					return (i+j)&3 < 2
				case "satin":
					return ((i+2*j)%5+5)%5 != 0
				case "basket":
					return (i>>1+j>>1)&1 == 0
				}
				return (i+j)&1 == 0
			}
			return func(u, v float32) float32 {
				i, x := whole(u)
				j, y := whole(v)
				half := (1 - gap) / 2
				a, c := abs32(x-0.5)/half, abs32(y-0.5)/half
				warp := (1 - lift) + lift*(1-a*a)
				weft := (1 - lift) + lift*(1-c*c)
				top, low, ta, tb := warp, weft, a, c
				// a thread dips where it goes under its neighbours
				run := y
				if !over(i, j) {
					top, low, ta, tb = weft, warp, c, a
					run = x
				}
				bow := 0.75 + 0.25*sin(math.Pi*run)
				top *= bow * (1 - vary*noise.Random(noise.Hash(i, j, 5, seed), 1))
				lowIn := edge(1-tb, 0.1, texel/half)
				return max(top*edge(1-ta, 0.1, texel/half), low*0.45*lowIn)
			}
		})
	flatPattern("hexagons", "Hexagons", "Six-sided pieces in a honeycomb.", 0.02, []Param{joint(0.08), bevel(0.08), vary(0.3)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			j, b, vary := in.Number("joint"), in.Number("bevel"), in.Number("vary")
			const h = 1.7320508
			return func(u, v float32) float32 {
				// the nearer of two lattices of rectangles
				ai, ax := whole(u)
				aj, ay := whole(v / h)
				bi, bx := whole(u + 0.5)
				bj, by := whole(v/h + 0.5)
				ax, ay, bx, by = ax-0.5, (ay-0.5)*h, bx-0.5, (by-0.5)*h
				id := noise.Hash(ai, aj, 6, seed)
				if bx*bx+by*by < ax*ax+ay*ay {
					ax, ay, id = bx, by, noise.Hash(bi, bj, 7, seed)
				}
				ax, ay = abs32(ax), abs32(ay)
				return piece(id, 0.5-max(ax, ax*0.5+ay*h/2), j, b, vary, texel)
			}
		})
	flatPattern("dots", "Dots", "Round spots in rows or scattered.", 0.01, []Param{
		number("radius", "radius", "in pieces", 0.02, 0.5, 0.28), number("disorder", "disorder", "how far they leave their rows", 0, 1, 0), number("missing", "missing", "share of dots left out", 0, 1, 0),
		number("blur", "softness", "of the rim, in radii", 0, 1, 0.1), vary(0)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			r, dis, miss, blur, vary := in.Number("radius"), in.Number("disorder"), in.Number("missing"), in.Number("blur"), in.Number("vary")
			return func(u, v float32) float32 {
				i, x := whole(u)
				j, y := whole(v)
				var best float32
				for dj := int32(-1); dj <= 1; dj++ {
					for di := int32(-1); di <= 1; di++ {
						id := noise.Hash(i+di, j+dj, 8, seed)
						if noise.Random(id, 1) < miss {
							continue
						}
						cx := float32(di) + 0.5 + dis*(noise.Random(id, 2)-0.5) - x
						cy := float32(dj) + 0.5 + dis*(noise.Random(id, 3)-0.5) - y
						rr := r * (1 - vary*noise.Random(id, 4))
						best = max(best, edge(rr-length(cx, cy), blur*rr, texel))
					}
				}
				return best
			}
		})
	flatPattern("scales", "Scales", "Rounded shingles, each row over the next.", 0.02, []Param{number("depth", "relief", "how much a scale rises to its lower rim", 0, 1, 0.7), joint(0.05), vary(0.25)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			depth, j, vary := in.Number("depth"), in.Number("joint"), in.Number("vary")
			return func(u, v float32) float32 {
				v *= 1.6
				row := noise.Floor(v)
				// the row that hangs over this place: its scales reach one row further down
				for r := row - 1; r <= row+1; r++ {
					x := u + 0.5*float32(r&1)
					col, fx := whole(x)
					fx -= 0.5
					y := v - float32(r)
					d := 0.5 - length(fx, max(y-1, 0)*0.6)
					if d > 0 && y > 0 {
						id := noise.Hash(col, r, 9, seed)
						rim := 0.5 - abs32(fx)
						d = min(d, rim)
						return edge(d-j/2, 0, texel) * (1 - vary*noise.Random(id, 3)) * (1 - depth + depth*min(y/1.8, 1))
					}
				}
				return 0
			}
		})
	flatPattern("herringbone", "Herringbone", "Boards set at right angles to each other.", 0.02, []Param{number("count", "length", "of a board in widths", 2, 8, 4), joint(0.08), bevel(0.05), vary(0.35)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			n := int32(in.Number("count"))
			j, b, vary := in.Number("joint"), in.Number("bevel"), in.Number("vary")
			return func(u, v float32) float32 {
				i, x := whole(u)
				k, y := whole(v)
				// along the diagonal, n squares lie, then n stand
				m := ((i-k)%(2*n) + 2*n) % (2 * n)
				if m < n {
					return piece(noise.Hash(i-m, k, 10, seed), rect(float32(m)+x, y, float32(n), 1), j, b, vary, texel)
				}
				m = ((k-i)%(2*n)+2*n)%(2*n) - 1 // 0 at the upper end
				return piece(noise.Hash(i, k-m, 11, seed), rect(x, float32(m)+y, 1, float32(n)), j, b, vary, texel)
			}
		})
	flatPattern("net", "Net", "Threads crossing as a net, with knots.", 0.02, []Param{number("thread", "thread", "its width, in meshes", 0.01, 0.5, 0.08), number("knot", "knots", "their radius, in meshes", 0, 0.5, 0.14)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			t, k := in.Number("thread"), in.Number("knot")
			return func(u, v float32) float32 {
				_, x := whole(u + v)
				_, y := whole(u - v)
				x, y = abs32(x-0.5), abs32(y-0.5)
				x, y = 0.5-x, 0.5-y
				d := min(x, y) // to the nearest thread
				twist := 0.8 + 0.2*sin((u+v)*40)
				return max(edge(t/2-d, t*0.6, texel)*twist, edge(k-length(x, y), k*0.5, texel))
			}
		})
	flatPattern("knurl", "Knurl", "Small pyramids pressed into a grip.", 0.002, []Param{number("flat", "blunt", "how much of the tops is worn off", 0, 0.9, 0.2)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			blunt := in.Number("flat")
			return func(u, v float32) float32 {
				_, x := whole(u + v)
				_, y := whole(u - v)
				h := 1 - 2*max(abs32(x-0.5), abs32(y-0.5))
				return min(h/(1-blunt), 1)
			}
		})
	flatPattern("tread", "Tread plate", "Raised lozenges in turn, as on a gangway.", 0.03, []Param{number("long", "length", "of a lozenge", 0.2, 1, 0.8), number("thick", "width", "of a lozenge", 0.05, 0.6, 0.22), bevel(0.1), vary(0)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			l, w, b, vary := in.Number("long"), in.Number("thick"), in.Number("bevel"), in.Number("vary")
			return func(u, v float32) float32 {
				i, x := whole(u)
				j, y := whole(v)
				x, y = x-0.5, y-0.5
				if (i+j)&1 != 0 {
					x, y = y, x
				}
				// between two arcs that meet in points
				d := (w/2)*(1-4*x*x/(l*l)) - abs32(y)
				if abs32(x) > l/2 {
					d = -1
				}
				return piece(noise.Hash(i, j, 12, seed), d+b/2, 0, b, vary, texel)
			}
		})
	flatPattern("corrugation", "Corrugation", "Waves side by side, as in sheet iron.", 0.03, []Param{number("sharp", "form", "0 round waves, 1 flat bands with steep sides", 0, 1, 0)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			s := in.Number("sharp")
			return func(u, v float32) float32 {
				w := sin(2 * math.Pi * u)
				return 0.5 + 0.5*min(max(w*(1+4*s), -1), 1)
			}
		})
	flatPattern("knit", "Knit", "Rows of loops, as in a jersey.", 0.006, []Param{number("thread", "thread", "its width", 0.1, 0.9, 0.55), vary(0.15)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			t, vary := in.Number("thread"), in.Number("vary")
			return func(u, v float32) float32 {
				i, x := whole(u)
				x -= 0.5
				j, y := whole(v*1.3 + abs32(x)*1.5)
				d := length((abs32(x)-0.25)*1.5, (y-0.5)*0.9)
				ply := 0.85 + 0.15*sin(50*(y+x))
				return clamp01(1-d/(t*0.8)) * ply * (1 - vary*noise.Random(noise.Hash(i, j, 13, seed), 1))
			}
		})
	flatPattern("cobbles", "Cobbles", "Rounded stones, no two alike.", 0.05, []Param{joint(0.08), number("round", "roundness", "of their tops", 0, 1, 0.7), vary(0.4)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			j, round, vary := in.Number("joint"), in.Number("round"), in.Number("vary")
			return func(u, v float32) float32 {
				d, f1, id := borders(u, v, seed)
				top := 1 - round*min(f1*f1*1.8, 1)
				return edge(d-j/2, 0.06, texel) * top * (1 - vary*noise.Random(id, 3))
			}
		})
	flatPattern("ripples", "Ripples", "Long uneven waves, as in sand or water.", 0.015, []Param{number("uneven", "unevenness", "how the waves run together", 0, 2, 0.7), number("lean", "lean", "steeper on one side", 0, 0.9, 0.4)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			un, lean := in.Number("uneven"), in.Number("lean")
			return func(u, v float32) float32 {
				p := v + un*noise.Simplex(u*0.35, v*0.5, 1.7, seed) + 0.3*un*noise.Simplex(u*1.1, v*0.9, 5.1, seed)
				_, x := whole(p)
				a := 0.5 + lean/2
				if x < a {
					x = x / a
				} else {
					x = (1 - x) / (1 - a)
				}
				return x * x * (3 - 2*x)
			}
		})
	flatPattern("grid", "Grid", "Thin lines both ways.", 0.02, []Param{number("line", "line", "its width, in meshes", 0.005, 0.5, 0.06), number("every", "heavy every", "each so many lines one is twice as wide", 1, 20, 5)},
		func(in Input, texel float32, seed uint32) func(u, v float32) float32 {
			w, every := in.Number("line"), int32(in.Number("every"))
			one := func(c float32) float32 {
				k := noise.Floor(c + 0.5)
				d := abs32(c - float32(k))
				ww := w
				if every > 1 && k%every == 0 {
					ww *= 2
				}
				return edge(ww/2-d, 0, texel)
			}
			return func(u, v float32) float32 { return max(one(u), one(v)) }
		})
}

// borders looks at scattered points in a plane: how far the nearest border between two
// of them is, how far the nearest point, and a hash that names it (Quilez, "Voronoi
// borders", 2012: the distance to the bisector).
func borders(u, v float32, seed uint32) (border, f1 float32, id uint32) {
	i, x := whole(u)
	j, y := whole(v)
	point := func(di, dj int32) (float32, float32, uint32) {
		h := noise.Hash(i+di, j+dj, 14, seed)
		return float32(di) + 0.1 + 0.8*noise.Random(h, 1) - x, float32(dj) + 0.1 + 0.8*noise.Random(h, 2) - y, h
	}
	f1 = 1e9
	var nx, ny float32
	for dj := int32(-1); dj <= 1; dj++ {
		for di := int32(-1); di <= 1; di++ {
			if px, py, h := point(di, dj); px*px+py*py < f1 {
				f1, nx, ny, id = px*px+py*py, px, py, h
			}
		}
	}
	border = 1e9
	for dj := int32(-2); dj <= 2; dj++ {
		for di := int32(-2); di <= 2; di++ {
			px, py, h := point(di, dj)
			if h == id {
				continue
			}
			if ex, ey := px-nx, py-ny; ex*ex+ey*ey > 1e-9 {
				border = min(border, ((px+nx)*ex+(py+ny)*ey)/(2*length(ex, ey)))
			}
		}
	}
	return border, float32(math.Sqrt(float64(f1))), id
}
