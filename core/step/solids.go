package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
)

// knotReach is how far a knot bends the rings, in its sizes: beyond it is less than a hundredth
// of a ring.
const knotReach = 6.5

func init() {
	solidPattern("hammered", "Hammered", "Dents of a hammer side by side, as on beaten copper.", patterns, 0.012, []Param{number("deep", "depth", "how deep the dents go", 0, 1, 0.9), number("soft", "softness", "of the ridges between", 0, 1, 0.4)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			deep, soft := in.Number("deep"), max(in.Number("soft"), 0.02)*0.5
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 1, most: 4} // all that there are
			return func(p geom.Vec3, _ int) float32 {
				// a smooth least of parabolas
				least := float32(4)
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, _ uint32) { least = min(least, to.Dot(to)) })
				sum := 0.0 // those that are not much farther than the nearest
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, _ uint32) {
					if d := (to.Dot(to) - least) / soft * 1.6; d < 6 {
						sum += math.Exp(float64(-d))
					}
				})
				h := least - float32(math.Log(sum))*soft/1.6
				return 1 - deep + deep*clamp01(h)
			}
		})
	solidPattern("brushed", "Brushed metal", "Fine strokes of a brush or a file, all one way.", patterns, 0.0012, []Param{number("length", "length", "of a stroke against its width", 2, 200, 60), number("broken", "unevenness", "how much the strokes come and go", 0, 1, 0.5)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			long, broken, axis := in.Number("length"), in.Number("broken"), vec(in.Row("along"))
			var b noise.Batch
			return func(p geom.Vec3, _ int) float32 {
				q := p.Sub(axis.Mul(axis.Dot(p) * (1 - 1/long)))
				b.Clear()
				b.Add(q.X, q.Y, q.Z, seed)
				b.Add(q.X*2.3, q.Y*2.3, q.Z*2.3, seed+1)
				b.Add(q.X*0.3, q.Y*0.3, q.Z*0.3, seed+2)
				b.Run()
				v := 0.6*b.Value[0] + 0.3*b.Value[1]
				w := b.Value[2]
				return clamp01(0.5 + 0.62*v*(1-broken*0.8*(0.5+0.5*w)))
			}
		})
	solidPattern("cracks", "Cracks", "A net of cracks that run out, as in old paint or dried mud.", patterns, 0.03, []Param{
		number("width", "width", "of a crack, in pieces", 0.002, 0.4, 0.03), number("wander", "wander", "how crooked they run", 0, 1, 0.45), number("broken", "breaks", "share of the net that is not open", 0, 1, 0.25), number("finer", "finer net", "how much of a second, finer net shows", 0, 1, 0.3)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			width, wander, broken, finer := in.Number("width"), in.Number("wander"), in.Number("broken"), in.Number("finer")
			net := func(p geom.Vec3, s uint32, w float32) float32 {
				f1, f2, _, _ := noise.Cellular(p.X, p.Y, p.Z, s, noise.Euclidean, 1)
				return edge(w-(f2-f1), w, texel)
			}
			var b noise.Batch
			return func(p geom.Vec3, _ int) float32 {
				b.Clear()
				b.Add(p.X*0.8, p.Y*0.8, p.Z*0.8, seed+10)
				b.Add(p.X*0.6+7, p.Y*0.6, p.Z*0.6, seed+11)
				if wander > 0 {
					b.Add(p.X*2, p.Y*2, p.Z*2, seed+5)
					b.Add(p.X*2+9, p.Y*2, p.Z*2, seed+6)
					b.Add(p.X*2, p.Y*2+9, p.Z*2, seed+7)
					b.Add(p.X*7, p.Y*7, p.Z*7, seed+8)
					b.Add(p.X*7, p.Y*7+3, p.Z*7, seed+9)
				}
				b.Run()
				q := p
				if v := &b.Value; wander > 0 {
					q = q.Add(geom.V3(v[2], v[3], v[4]).Mul(0.28 * wander))
					q = q.Add(geom.V3(v[5], v[6], 0).Mul(0.06 * wander))
				}
				open := 0.5 + 0.5*b.Value[0]
				// a crack closes to nothing where it is not open
				w := width * (1 - geom.Smoothstep(1-broken-0.25, 1-broken+0.1, open)*geom.Smoothstep(0, 0.05, broken))
				v := float32(0)
				if w > width*0.02 {
					v = net(q, seed, w)
				}
				if finer > 0 {
					if g := geom.Smoothstep(1-finer, 1.25-finer, 0.5+0.5*b.Value[1]); g > 0.02 {
						v = max(v, net(q.Mul(2.7), seed+12, width*1.6*g)*g)
					}
				}
				return v
			}
		})
	solidPattern("woodgrain", "Wood grain", "Year rings round an axis, fibres along it, and knots.", patterns, 0.006, []Param{
		number("wander", "wander", "how uneven the rings lie", 0, 3, 1), number("fibres", "fibres", "how strongly they show", 0, 1, 0.35), number("knots", "knots", "how many", 0, 1, 0.35), number("late", "late wood", "how sharp the dark line of a ring is", 0, 1, 0.6)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			wander, fibres, knots, late, axis := in.Number("wander"), in.Number("fibres"), in.Number("knots"), in.Number("late"), vec(in.Row("along"))
			right, ahead := axis.Tangents()
			pith := right.Mul(4.3).Add(ahead.Mul(6.1)) // the trunk's middle lies outside of the board
			lost := float32(0)                         // what fibres finer than a texel take away on average
			if texel > 0.02 {
				seen := 1 - geom.Smoothstep(0.02, 0.2, texel)
				lost, fibres = fibres*(1-seen)*0.075, fibres*seen
			}
			// a knot of the largest size, as far as it bends a ring
			sc := scatter{seed: seed + 3, shift: cellsFor(texel / 22), count: 1, most: knotReach * 2.8 / 22, share: knots}
			var b noise.Batch
			return func(p geom.Vec3, _ int) float32 {
				q := p.Sub(pith)
				l := axis.Dot(q)
				q = q.Sub(axis.Mul(l))
				n := q.Mul(0.12).Add(axis.Mul(l * 0.02))
				b.Clear()
				b.Add(n.X, n.Y, n.Z, seed)
				b.Add(n.X*5, n.Y*5, n.Z*5, seed+1)
				if fibres > 0 {
					f := q.Mul(9).Add(axis.Mul(l * 0.35))
					b.Add(f.X, f.Y, f.Z, seed+2)
					f = f.Mul(2.3)
					b.Add(f.X, f.Y, f.Z, seed+4)
				}
				b.Run()
				r := q.Length() + wander*1.6*b.Value[0] + wander*0.2*b.Value[1]
				dark := float32(0)
				if knots > 0 {
					// branches leave the pith: rings bend round them
					k := p.Sub(axis.Mul(axis.Dot(p) * 0.55)).Mul(1.0 / 22)
					sc.near(k, geom.Vec3{}, func(to geom.Vec3, id uint32) {
						if noise.Random(id, 1) > knots {
							return
						}
						d := to.Length() * 22
						size := 1.2 + 1.6*noise.Random(id, 2)
						if d > knotReach*size {
							return
						}
						r += size * 2.2 * float32(math.Exp(float64(-d*d/(size*size*7))))
						dark = max(dark, 1-geom.Smoothstep(size*0.35, size*0.8, d))
					})
				}
				_, ring := whole(r)
				v := 1 - ring*ring*(0.35+0.4*late) - late*0.3*geom.Smoothstep(0.82, 0.97, ring)*(1-geom.Smoothstep(0.97, 1, ring))
				if fibres > 0 {
					v -= fibres * 0.4 * max(b.Value[2], 0)
					v -= fibres * 0.2 * abs32(b.Value[3])
				}
				return clamp01(v - lost - 0.5*dark)
			}
		})
	solidPattern("speckle", "Speckle", "Small spots of many sizes, as on an egg or in spattered paint.", marks, 0.008, []Param{number("amount", "density", "how many spots", 0, 1, 0.5), number("least", "least size", "of a spot against the largest", 0.02, 1, 0.15), number("ragged", "ragged", "how uneven their rims are", 0, 1, 0.4)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, least, ragged := in.Number("amount"), in.Number("least"), in.Number("ragged")
			// the largest spot with the most of its rim, and what a texel blurs it to
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 2, most: 0.45*(1+0.48) + 0.07 + 2*texel, share: amount}
			return func(p geom.Vec3, _ int) float32 {
				var best float32
				wob := ragged * 0.12 * noise.Simplex(p.X*6, p.Y*6, p.Z*6, seed+1)
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, id uint32) {
					if noise.Random(id, 1) > amount {
						return
					}
					u := noise.Random(id, 2)
					r := 0.45 * (least + (1-least)*u*u*u)
					best = max(best, edge(r*(1+wob*4)-to.Length(), r*0.15, texel))
				})
				return best
			}
		})
	solidPattern("pits", "Pits", "Round pits of many sizes eaten into the surface.", marks, 0.006, []Param{number("amount", "density", "how many pits", 0, 1, 0.5), number("clump", "clumping", "how much they keep together", 0, 1, 0.5)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, clump := in.Number("amount"), in.Number("clump")
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 2, most: 0.5, share: amount * (1 + clump)} // the widest
			return func(p geom.Vec3, _ int) float32 {
				a := float32(-1) // how many there are here, when it is known
				var deep float32
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, id uint32) {
					u := noise.Random(id, 2)
					r := 0.1 + 0.4*u*u
					d := to.Length() / r
					if d >= 1 {
						return
					}
					if a < 0 {
						a = amount * (1 - clump + clump*2*geom.Smoothstep(-0.2, 0.6, noise.Simplex(p.X*0.3, p.Y*0.3, p.Z*0.3, seed+1)))
					}
					if noise.Random(id, 1) <= a {
						deep = max(deep, (1-d*d)*(0.4+0.6*u))
					}
				})
				return deep
			}
		})
	solidPattern("veins", "Veins", "Thin lines that branch and fade, as in marble or old varnish.", patterns, 0.05, []Param{number("width", "width", "of a vein", 0.01, 1, 0.12), number("wander", "wander", "how crooked they run", 0, 3, 1.2)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			width, wander := in.Number("width"), in.Number("wander")
			fbm := noise.FBM{Kind: noise.Clouds, Seed: seed, Frequency: 1.3, Octaves: 5, Lacunarity: 2, Persistence: 0.5}.Sampler(texel)
			var lines noise.Batch
			return func(p geom.Vec3, _ int) float32 {
				w := wander * 0.8
				q := geom.V3(p.X+w*(fbm.At(p.X, p.Y, p.Z)-0.5)*2, p.Y+w*(fbm.At(p.X+5, p.Y, p.Z)-0.5)*2, p.Z+w*(fbm.At(p.X, p.Y+5, p.Z)-0.5)*2)
				lines.Clear()
				lines.Add(q.X*0.7, q.Y*0.7, q.Z*0.7, seed+1)
				lines.Add(q.X*1.9, q.Y*1.9, q.Z*1.9, seed+2)
				lines.Add(p.X*0.5, p.Y*0.5, p.Z*0.5, seed+3)
				lines.Run()
				a, b := abs32(lines.Value[0]), abs32(lines.Value[1])
				v := 1 - geom.Smoothstep(0, max(width, texel), a)
				fade := geom.Smoothstep(-0.3, 0.5, lines.Value[2])
				return clamp01(v*(0.35+0.65*fade) + 0.5*fade*(1-geom.Smoothstep(0, max(width*0.5, texel), b)))
			}
		})
	solidPattern("terrazzo", "Chippings", "Angular chips of stone set in a bed.", patterns, 0.012, []Param{number("amount", "density", "how many chips", 0, 1, 0.7), joint(0.12), vary(0.7)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, j, vary := in.Number("amount"), in.Number("joint"), in.Number("vary")
			return func(p geom.Vec3, _ int) float32 {
				f1, f2, id, _ := noise.Cellular(p.X, p.Y, p.Z, seed, noise.Chebyshev, 1)
				if noise.Random(id, 5) > amount {
					return 0
				}
				return edge(f2-f1-j, 0.02, texel) * (1 - vary*noise.Random(id, 3))
			}
		})
	solidPattern("crystals", "Crystals", "Flat facets at all angles, as frost, zinc or mica have them.", patterns, 0.008, []Param{vary(0.8), number("slope", "facets", "how much each leans", 0, 1, 0.5)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			vary, slope := in.Number("vary"), in.Number("slope")
			return func(p geom.Vec3, _ int) float32 {
				_, _, id, to := noise.Cellular(p.X, p.Y, p.Z, seed, noise.Manhattan, 1)
				lean := (noise.Random(id, 1)-0.5)*to[0] + (noise.Random(id, 2)-0.5)*to[1] + (noise.Random(id, 4)-0.5)*to[2]
				return clamp01(0.5 + vary*(noise.Random(id, 3)-0.5) + slope*1.6*lean)
			}
		})
	solidPattern("bubbles", "Bubbles", "Round shells side by side, large and small: foam, blistered paint.", patterns, 0.01, []Param{number("amount", "density", "how many", 0, 1, 0.6), number("rim", "rim", "0 a full dome, 1 the rim alone", 0, 1, 0.3)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, rim := in.Number("amount"), in.Number("rim")
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 2, most: 0.48, share: amount} // the largest
			return func(p geom.Vec3, _ int) float32 {
				var best float32
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, id uint32) {
					if noise.Random(id, 1) > amount {
						return
					}
					r := 0.12 + 0.36*noise.Random(id, 2)*noise.Random(id, 3)
					if d := to.Length() / r; d < 1 {
						dome := float32(math.Sqrt(float64(1 - d*d)))
						best = max(best, (1-rim)*dome+rim*geom.Smoothstep(0.72, 0.9, d)*(1-geom.Smoothstep(0.94, 1, d)))
					}
				})
				return best
			}
		})
	solidPattern("barnacles", "Barnacles", "Ribbed cones with a mouth, in colonies.", marks, 0.007, []Param{number("amount", "density", "how many", 0, 1, 0.55), number("mouth", "mouth", "its share of the cone", 0, 0.8, 0.3), number("clump", "clumping", "how much they keep together", 0, 1, 0.7)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, mouth, clump := in.Number("amount"), in.Number("mouth"), in.Number("clump")
			frame := in.Frame
			// the widest cone has a radius of 0.52, and none counts beyond 0.6 from the plane
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 1, most: 0.8, slab: 0.6, share: amount * (1 + 1.2*clump)}
			return func(p geom.Vec3, i int) float32 {
				var best float32
				n := frame.Nrm[i]
				t, b := n.Tangents()
				a := float32(-1) // how many there are here, when it is known
				sc.near(p, n, func(to geom.Vec3, id uint32) {
					r := 0.22 + 0.3*noise.Random(id, 2)
					x, y := to.Dot(t), to.Dot(b)
					d := length(x, y) / r
					if d >= 1 || abs32(to.Dot(n)) > 0.6 {
						return
					}
					if a < 0 {
						a = amount * (1 - clump + clump*2.2*geom.Smoothstep(-0.1, 0.5, noise.Simplex(p.X*0.22, p.Y*0.22, p.Z*0.22, seed+1)))
					}
					if noise.Random(id, 1) > a {
						return
					}
					ribs := 0.08 * sin(float32(math.Atan2(float64(y), float64(x)))*(8+float32(id&3)))
					m := mouth * (0.8 + 0.4*noise.Random(id, 4))
					h := (1 - d) / (1 - m) * (1 + ribs)
					if d < m {
						h = 1 - 0.9*geom.Smoothstep(m, m*0.55, d)
					}
					best = max(best, min(h, 1))
				})
				return best
			}
		})
	solidPattern("whorls", "Whorls", "Lines that swirl like the skin of a fingertip, in patches.", marks, 0.02, []Param{
		number("lines", "lines", "across one print", 6, 60, 22), number("amount", "density", "how many prints", 0, 1, 0.5), number("smudge", "smudge", "how much is rubbed out", 0, 1, 0.35)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			lines, amount, smudge := in.Number("lines"), in.Number("amount"), in.Number("smudge")
			frame := in.Frame
			seen := 1 - geom.Smoothstep(0.25, 0.6, texel*lines)
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 1, most: 0.71, slab: 0.5, share: amount} // half of one is 0.5 long
			return func(p geom.Vec3, i int) float32 {
				var best float32
				n := frame.Nrm[i]
				t, b := n.Tangents()
				sc.near(p, n, func(to geom.Vec3, id uint32) {
					if noise.Random(id, 1) > amount || abs32(to.Dot(n)) > 0.5 {
						return
					}
					a := float64(noise.Random(id, 2)) * 2 * math.Pi
					s, c := float32(math.Sin(a)), float32(math.Cos(a))
					x0, y0 := to.Dot(t), to.Dot(b)
					x, y := (c*x0+s*y0)/0.36, (c*y0-s*x0)/0.5
					d := x*x + y*y
					if d >= 1 {
						return
					}
					// loops about a core, pulled to one side
					k := float32(id&1023) * 0.13
					swirl := length(x*1.1+0.25*y, y*0.8-0.35) + 0.1*noise.Simplex(x*1.6+k, y*1.6, k, seed+1)
					v := 0.5 + seen*0.5*sin(2*math.Pi*lines*0.5*swirl)
					press := (1 - geom.Smoothstep(0.55, 1, d)) * (1 - smudge*geom.Smoothstep(0, 0.9, 0.5+0.5*noise.Simplex(x*2+k, y*2+4, k, seed+2)))
					best = max(best, clamp01(v*1.2-0.1)*press)
				})
				return best
			}
		})
	solidPattern("flakes", "Flakes", "Patches that have come off, whole cells at a time, with ragged rims.", marks, 0.02, []Param{number("amount", "share", "of the surface that is off", 0, 1, 0.35), number("ragged", "ragged", "how uneven their rims are", 0, 1, 0.6), number("clump", "clumping", "how much they keep together", 0, 1, 0.7)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, ragged, clump := in.Number("amount"), in.Number("ragged"), in.Number("clump")
			fbm := noise.FBM{Kind: noise.Clouds, Seed: seed + 2, Frequency: 2, Octaves: 4, Lacunarity: 2.1, Persistence: 0.55}.Sampler(texel)
			return func(p geom.Vec3, _ int) float32 {
				q := p
				if ragged > 0 {
					w := ragged * 0.5
					q = geom.V3(p.X+w*(fbm.At(p.X, p.Y, p.Z)-0.5), p.Y+w*(fbm.At(p.X+3, p.Y, p.Z)-0.5), p.Z+w*(fbm.At(p.X, p.Y+3, p.Z)-0.5))
				}
				f1, f2, id, to := noise.Cellular(q.X, q.Y, q.Z, seed, noise.Euclidean, 1)
				// a cell is off as the field at its own point says, so that it goes as a whole
				c := geom.V3(q.X+to[0], q.Y+to[1], q.Z+to[2]).Mul(0.28)
				field := clump*(0.5+0.75*noise.Simplex(c.X, c.Y, c.Z, seed+1)) + (1-clump)*noise.Random(id, 1)
				off := geom.Smoothstep(amount+0.02, amount-0.02, field)
				return off * edge(f2-f1-0.03, 0.03, texel)
			}
		})
	solidPattern("blooms", "Blooms", "Spots that spread in rings, as rust or lichen does.", marks, 0.03, []Param{number("amount", "density", "how many", 0, 1, 0.5), number("rings", "rings", "how strongly they show", 0, 1, 0.5), number("ragged", "ragged", "how uneven their rims are", 0, 1, 0.6)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, rings, ragged := in.Number("amount"), in.Number("rings"), in.Number("ragged")
			fbm := noise.FBM{Kind: noise.Clouds, Seed: seed + 2, Frequency: 3.1, Octaves: 5, Lacunarity: 2.1, Persistence: 0.6}.Sampler(texel)
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 1, most: 0.55 * (1 + 0.9*ragged), share: amount} // the largest, torn as far as can be
			return func(p geom.Vec3, _ int) float32 {
				wob := ragged * 0.9 * (fbm.At(p.X, p.Y, p.Z) - 0.5)
				var best float32
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, id uint32) {
					if noise.Random(id, 1) > amount {
						return
					}
					r := 0.15 + 0.4*noise.Random(id, 2)*noise.Random(id, 3)
					d := to.Length()/r + wob
					if d > 1 {
						return
					}
					ring := 0.5 + 0.5*sin(d*(9+6*noise.Random(id, 4)))
					v := geom.Smoothstep(1, 0.75, d) * (1 - rings*0.6*ring)
					best = max(best, v*(0.55+0.45*noise.Random(id, 5)))
				})
				return best
			}
		})
	solidPattern("contours", "Contours", "Lines of equal height of a noise: rings of dried water, worn layers of paint.", patterns, 0.05, []Param{number("lines", "lines", "how many", 1, 40, 7), number("width", "width", "of a line against the gap", 0.02, 1, 0.2), number("step", "steps", "0 lines, 1 plateaus", 0, 1, 0)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			lines, width, st := in.Number("lines"), in.Number("width"), in.Number("step")
			fbm := noise.FBM{Kind: noise.Clouds, Seed: seed, Frequency: 0.7, Octaves: 3, Lacunarity: 2, Persistence: 0.4}.Sampler(texel)
			blur := texel * lines * 1.2
			return func(p geom.Vec3, _ int) float32 {
				v := fbm.At(p.X, p.Y, p.Z) * lines
				k, x := whole(v)
				line := edge(width/2-min(x, 1-x), 0.08, blur)
				flat := (float32(k) + geom.Smoothstep(0.5-max(blur, 0.1), 0.5+max(blur, 0.1), x)) / lines
				return line*(1-st) + flat*st
			}
		})
	solidPattern("sponge", "Sponge", "The open pores of a sponge, or a dab of paint with one.", marks, 0.02, []Param{number("open", "open", "share of pores", 0, 1, 0.5), number("soft", "softness", "of their rims", 0, 1, 0.2)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			open, soft := in.Number("open"), in.Number("soft")
			fbm := noise.FBM{Kind: noise.Turbulence, Seed: seed, Frequency: 1, Octaves: 4, Lacunarity: 2.1, Persistence: 0.45}.Sampler(texel)
			return func(p geom.Vec3, _ int) float32 {
				w := soft*0.3 + 0.02 + 0.45*min(texel, 1) // octaves that faded would have spread the greys
				return geom.Smoothstep(open*0.7+0.12-w, open*0.7+0.12+w, fbm.At(p.X, p.Y, p.Z))
			}
		})
	solidPattern("splatter", "Splatter", "Drops of all sizes with satellites round the large ones.", marks, 0.04, []Param{number("amount", "density", "how many", 0, 1, 0.45), number("satellites", "satellites", "how many small drops lie round a large one", 0, 1, 0.6), number("burst", "burst", "how much the rims are torn outward", 0, 1, 0.5)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, sat, burst := in.Number("amount"), in.Number("satellites"), in.Number("burst")
			frame := in.Frame
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 1, most: 0.71, slab: 0.5, share: amount} // satellites lie within 0.5
			return func(p geom.Vec3, i int) float32 {
				var best float32
				n := frame.Nrm[i]
				t, b := n.Tangents()
				sc.near(p, n, func(to geom.Vec3, id uint32) {
					if noise.Random(id, 1) > amount || abs32(to.Dot(n)) > 0.5 {
						return
					}
					u := noise.Random(id, 2)
					r := 0.03 + 0.17*u*u
					x, y := to.Dot(t), to.Dot(b)
					d := length(x, y)
					if d > 0.5 {
						return
					}
					a := float32(math.Atan2(float64(y), float64(x)))
					k := float32(id&255) * 0.3
					rim := r * (1 + burst*0.5*max(noise.Simplex(sin(a)*1.7+k, sin(a+1.57)*1.7, k, seed+1), -0.3))
					best = max(best, edge(rim-d, r*0.1, texel))
					if sat > 0 {
						for c := range uint32(8) {
							if noise.Random(id, 20+c) > sat {
								continue
							}
							angle := float64(noise.Random(id, 30+c)) * 2 * math.Pi
							far := r * (1.15 + 2.2*noise.Random(id, 40+c)*noise.Random(id, 60+c))
							small := r * (0.05 + 0.2*noise.Random(id, 50+c)*noise.Random(id, 51+c))
							if far+small < 0.5 {
								best = max(best, edge(small-length(x-far*float32(math.Cos(angle)), y-far*float32(math.Sin(angle))), small*0.2, texel))
							}
						}
					}
				})
				return best
			}
		})
	solidPattern("tufts", "Tufts", "Cushions of moss or mould that grow into each other.", marks, 0.01, []Param{number("amount", "density", "how much is overgrown", 0, 1, 0.5), number("fuzz", "fuzz", "fineness of the surface", 0, 1, 0.5)},
		func(in Input, texel float32, seed uint32) func(p geom.Vec3, i int) float32 {
			amount, fuzz := in.Number("amount"), in.Number("fuzz")
			fbm := noise.FBM{Kind: noise.Clouds, Seed: seed + 2, Frequency: 5, Octaves: 4, Lacunarity: 2.2, Persistence: 0.6}.Sampler(texel)
			sc := scatter{seed: seed, shift: cellsFor(texel), count: 1, most: 0.7} // the largest
			var b noise.Batch
			return func(p geom.Vec3, _ int) float32 {
				b.Clear()
				b.Add(p.X*0.3, p.Y*0.3, p.Z*0.3, seed+1)
				b.Add(p.X*0.9, p.Y*0.9, p.Z*0.9, seed+3)
				b.Run()
				field := 0.5 + 0.6*b.Value[0] + 0.2*b.Value[1]
				var h float32
				sc.near(p, geom.Vec3{}, func(to geom.Vec3, id uint32) {
					r := 0.35 + 0.35*noise.Random(id, 1)
					if field+0.4*(noise.Random(id, 2)-0.5) < 1-amount {
						return
					}
					if d := to.Length() / r; d < 1 {
						h = max(h, float32(math.Sqrt(float64(1-d*d)))*(0.6+0.4*noise.Random(id, 3)))
					}
				})
				if h == 0 {
					return 0
				}
				return clamp01(h * (1 - fuzz*0.9*(1-fbm.At(p.X, p.Y, p.Z))))
			}
		})
}
