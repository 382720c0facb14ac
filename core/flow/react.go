package flow

import (
	"context"
	"math"
	"runtime"

	"velvetgrime/core/par"
)

// A growth u eats what is sound, v, spreads, and dies off where it finds too little:
//
//	∂u/∂t = D·Δu + k·s²·u·v − m·u
//	∂v/∂t =      − k·s²·u·v
//
// the equations of a wave that leaves a crust behind (W. O. Kermack and A. G.
// McKendrick, "A contribution to the mathematical theory of epidemics", 1927, with
// diffusion; its fronts have the speed 2·√(D·(k·s²−m)), J. D. Murray, "Mathematical
// Biology II", ch. 13). Lengths are in spacings; D, k and m give a front the speed 1
// where s is 1 (with fewest, which holds it up a little), and none where s is below
// √(m/k), about 0.3.
const (
	diffusion = 0.33
	eats      = 0.95
	dies      = 0.08
	eaten     = 0.1  // of v: what counts as reached
	fewest    = 1e-3 // of u: less does not take hold, or dry ground would be leapt over in time
	stirs     = 1e-5 // of u: wakes the points around
	spent     = 0.02 // of v: nothing more happens
	quickest  = 2.5
	instant   = 0.2 // of the time in which a front at even speed goes one spacing
)

// React returns when a growth that begins at the seeds has taken hold of each point,
// in metres that a front at even speed would have gone; +Inf where it has not by most.
// speed[i] is its speed about point i, 0..2.5, where 1 is even; nil: 1 everywhere.
// Where it is below about 0.3 the growth dies. Fronts that meet become one, are drawn
// out by quick places and held up by slow ones; a seed among sound ground is slower to
// begin than a row of them.
//
// The result is the same for any number of processors. An error is ctx's.
func (c *Cloud) React(ctx context.Context, seeds []Seed, speed []float32, most float32) ([]float32, error) {
	n := len(c.Pos)
	out := make([]float32, n)
	for i := range out {
		out[i] = float32(math.Inf(1))
	}
	if len(seeds) == 0 || n == 0 {
		return out, nil
	}
	links, whole := c.laplacian()
	u, v := make([]float32, n), make([]float32, n)
	next, begins := make([]float32, n), make([]float32, n)
	rate := make([]float32, n) // k·s²
	for i := range n {
		v[i], begins[i], rate[i] = 1, out[i], eats
		if speed != nil {
			s := min(max(speed[i], 0), quickest)
			rate[i] = eats * s * s
		}
	}
	for _, s := range seeds {
		begins[s.At] = min(begins[s.At], s.When/c.Spacing)
	}
	// only the band that the front goes through is computed: points wake when something
	// comes near them, and rest again when all is eaten
	awake := make([]int32, 0, n)
	state := make([]uint8, n) // asleep, awake, awake with its neighbours, at rest
	for _, s := range seeds {
		state[s.At] = 1
	}
	var rests []int32 // points at rest that die off
	for k := 0; float32(k)*instant*c.Spacing <= most; k++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		now := float32(k) * instant
		// in the order of memory: who shares a line of it with another processor waits for it
		awake = awake[:0]
		for i, s := range state {
			if s == 1 || s == 2 {
				awake = append(awake, int32(i))
			}
		}
		if len(awake) == 0 {
			break
		}
		inParts(len(awake), func(from, to int) {
			for _, p := range awake[from:to] {
				i := int(p)
				if begins[i] <= now {
					out[i] = min(out[i], begins[i]*c.Spacing)
					next[i], v[i] = 1, 0
					continue
				}
				spread := near(links[c.first[i]:c.first[i+1]], u) - whole[i]*u[i]
				left := v[i]
				if u[i] > fewest {
					left /= 1 + instant*rate[i]*u[i]
				}
				if v[i] > 1-eaten && left <= 1-eaten {
					part := (v[i] - (1 - eaten)) / (v[i] - left)
					out[i] = min(out[i], (now+instant*part)*c.Spacing)
				}
				next[i] = max(u[i]+instant*(diffusion*spread-dies*u[i])+v[i]-left, 0)
				v[i] = left
			}
		})
		for _, i := range rests {
			u[i] *= 1 - instant*dies
		}
		for _, i := range awake {
			u[i] = next[i]
			if state[i] == 1 && u[i] > stirs {
				state[i] = 2
				for _, j := range c.Around(int(i)) {
					state[j] = max(state[j], 1)
				}
			}
			if state[i] == 2 && v[i] < spent {
				state[i] = 3 // what is there goes on feeding its neighbours
				if begins[i] > now {
					rests = append(rests, i)
				}
			}
		}
	}
	return out, nil
}

// link is a neighbour with its weight: side by side, since all are read again at every step.
type link struct {
	at     uint32
	weight float32
}

// near is the sum of what lies about a point by its weights. In a function of its own it keeps all that
// it needs in registers; of several sums none waits for another.
//
//go:noinline
func near(links []link, u []float32) float32 {
	var a, b, c, d float32
	for len(links) >= 4 {
		l := (*[4]link)(links)
		a += l[0].weight * u[l[0].at]
		b += l[1].weight * u[l[1].at]
		c += l[2].weight * u[l[2].at]
		d += l[3].weight * u[l[3].at]
		links = links[4:]
	}
	for _, l := range links {
		a += l.weight * u[l.at]
	}
	return (a + c) + (b + d)
}

// laplacian returns the weight of every neighbour in Δu(i) ≈ Σ g·(u(j)−u(i)), in
// spacings: the sum over neighbours that is exact for what bends alike in all
// directions; and the sum of each point's weights.
func (c *Cloud) laplacian() (links []link, whole []float32) {
	links, whole = make([]link, len(c.near)), make([]float32, len(c.Pos))
	r2 := c.Spacing * c.Spacing * far * far
	for i, p := range c.Pos {
		var second float32 // Σ w·d²: four times what w bends
		list := links[c.first[i]:c.first[i+1]]
		for k, j := range c.Around(i) {
			d := c.Pos[j].Sub(p)
			l := d.Dot(d)
			list[k] = link{uint32(j), (1 - l/r2) * (1 - l/r2)}
			second += list[k].weight * l
		}
		scale := float32(0)
		if second > 0 {
			scale = 4 * c.Spacing * c.Spacing / second
		}
		for k := range list {
			list[k].weight *= scale
			whole[i] += list[k].weight
		}
	}
	return links, whole
}

// inParts calls f for parts of 0..n on all processors.
func inParts(n int, f func(from, to int)) {
	workers := min(runtime.GOMAXPROCS(0), n)
	var wg par.All
	for k := range workers {
		wg.Go(func() { f(k*n/workers, (k+1)*n/workers) })
	}
	wg.Wait()
}
