package bsdf

import (
	"math"
	"sync"

	"velvetgrime/core/geom"
)

// The albedo of GGX for light from one direction, by its cosine and by roughness: of facets that
// mirror everything (all), and apart by Schlick's term: share F₀ takes (straight) and what is
// mirrored at grazing (grazing); all = straight + grazing.
type entry struct{ all, straight, grazing float32 }

// nodes along the cosine (as its root: it changes fast at grazing) and along roughness.
const nodes = 40

type albedos struct {
	of   [nodes][nodes]entry // by roughness, by root of the cosine
	over [nodes]entry        // means over all directions, weighed by the cosine
}

var table = sync.OnceValue(func() *albedos {
	t := &albedos{}
	var rows sync.WaitGroup
	for r := range nodes {
		rows.Go(func() {
			rough := float32(r) / (nodes - 1)
			a := max(rough*rough, narrowest)
			for c := range nodes {
				root := max(float32(c)/(nodes-1), 0.01)
				t.of[r][c] = measure(root*root, a)
			}
			// ∫ 2μ E(μ) dμ with μ = x²: ∫ 4x³ E dx, by Simpson's rule between the nodes
			const steps = 400
			var sum [3]float64
			for i := range steps + 1 {
				x := float32(i) / steps
				w := 4.0
				if i == 0 || i == steps {
					w = 1
				} else if i%2 == 0 {
					w = 2
				}
				e := t.row(r, x)
				w *= 4 * float64(x) * float64(x) * float64(x) / (3 * steps)
				sum[0] += w * float64(e.all)
				sum[1] += w * float64(e.straight)
				sum[2] += w * float64(e.grazing)
			}
			t.over[r] = entry{float32(sum[0]), float32(sum[1]), float32(sum[2])}
		})
	}
	rows.Wait()
	return t
})

// Prepare makes the tables that surfaces are looked up in, which the first surface would wait for.
func Prepare() {
	table()
	fuzzTable()
}

// measured is how many visible facets an entry is the mean of.
const measured = 4096

// measure is the albedo at one cosine: the mean over visible facets of G₂/G₁.
func measure(cos, a float32) entry {
	wo := geom.V3(sqrt(max(1-cos*cos, 0)), 0, cos)
	lo := lambda(wo, a, a)
	var sum [2]float64
	for i := range measured {
		u, v := r2(i)
		h := visible(wo, a, a, float32(u), float32(v))
		wi := mirror(wo, h)
		if wi.Z <= 0 {
			continue
		}
		w := float64((1 + lo) / (1 + lo + lambda(wi, a, a)))
		f := float64(pow5(1 - min(max(h.Dot(wo), 0), 1)))
		sum[0] += w * (1 - f)
		sum[1] += w * f
	}
	s, g := float32(sum[0]/measured), float32(sum[1]/measured)
	return entry{min(s+g, 0.99999), s, g}
}

// r2 is an even sequence of points in a square (Roberts 2018).
func r2(i int) (u, v float64) {
	_, u = math.Modf(0.5 + float64(i)*0.7548776662466927)
	_, v = math.Modf(0.5 + float64(i)*0.5698402909980532)
	return u, v
}

// row is an entry of one roughness between the nodes, by the root of the cosine.
func (t *albedos) row(r int, root float32) entry {
	x := root * (nodes - 1)
	i := min(int(x), nodes-2)
	return between(t.of[r][i], t.of[r][i+1], x-float32(i))
}

func between(a, b entry, k float32) entry {
	return entry{a.all + (b.all-a.all)*k, a.straight + (b.straight-a.straight)*k, a.grazing + (b.grazing-a.grazing)*k}
}

// at is the entry of a cosine and a width of slopes.
func (t *albedos) at(cos, a float32) entry {
	y := sqrt(a) * (nodes - 1)
	j := min(int(y), nodes-2)
	root := sqrt(min(max(cos, 0), 1))
	return between(t.row(j, root), t.row(j+1, root), y-float32(j))
}

// mean is that over all directions.
func (t *albedos) mean(a float32) entry {
	y := sqrt(a) * (nodes - 1)
	j := min(int(y), nodes-2)
	return between(t.over[j], t.over[j+1], y-float32(j))
}

// fuzzes is the albedo of the fuzz by cosine and roughness.
type fuzzes [nodes][nodes]float32

var fuzzTable = sync.OnceValue(func() *fuzzes {
	t := &fuzzes{}
	for r := range nodes {
		rough := max(float32(r)/(nodes-1), 0.07)
		for c := range nodes {
			cos := max(float32(c)/(nodes-1), 0.01)
			wo := geom.V3(sqrt(1-cos*cos), 0, cos)
			const n = 512
			sum := 0.0
			for i := range n {
				u, v := r2(i)
				// even over the hemisphere
				z := float32(u)
				s, k := math.Sincos(2 * math.Pi * v)
				sin := sqrt(max(1-z*z, 0))
				wi := geom.V3(sin*float32(k), sin*float32(s), z)
				h := wo.Add(wi).Unit()
				sum += float64(charlie(h.Z, cos, z, rough)) * float64(z) * 2 * math.Pi / n
			}
			t[r][c] = float32(min(sum, 1))
		}
	}
	return t
})

func (t *fuzzes) at(cos, rough float32) float32 {
	x, y := min(max(cos, 0), 1)*(nodes-1), min(max(rough, 0), 1)*(nodes-1)
	i, j := min(int(x), nodes-2), min(int(y), nodes-2)
	a := t[j][i] + (t[j][i+1]-t[j][i])*(x-float32(i))
	b := t[j+1][i] + (t[j+1][i+1]-t[j+1][i])*(x-float32(i))
	return a + (b-a)*(y-float32(j))
}
