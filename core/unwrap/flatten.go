package unwrap

import (
	"context"
	"math"
	"slices"
)

// rest is a triangle of a chart laid flat by itself, without distortion: the
// gradients of its corners' weights, and its area.
type rest struct {
	grad [3][2]float64
	area float64
}

// rests lays every triangle of the chart flat; those of next to no area are left
// out of account (area 0).
func (c *chart) rests() []rest {
	out := make([]rest, len(c.tris))
	mean := 0.0
	for i, v := range c.vert {
		a, b, d := c.pos[v[0]], c.pos[v[1]], c.pos[v[2]]
		e1, e2 := b.Sub(a), d.Sub(a)
		l := float64(e1.Length())
		area := float64(e1.Cross(e2).Length()) / 2
		if l < 1e-12 || area < 1e-14 {
			continue
		}
		x2 := float64(e1.Dot(e2)) / l
		y2 := 2 * area / l
		// corners at (0,0), (l,0), (x2,y2)
		p := [3][2]float64{{0, 0}, {l, 0}, {x2, y2}}
		for k := range 3 {
			o, q := p[(k+1)%3], p[(k+2)%3]
			out[i].grad[k] = [2]float64{(o[1] - q[1]) / (2 * area), (q[0] - o[0]) / (2 * area)}
		}
		out[i].area = area
		mean += area / float64(len(c.tris))
	}
	for i := range out {
		if out[i].area < mean*1e-6 {
			out[i].area = 0
		}
	}
	return out
}

// jacobian returns how uv maps triangle i: du/dx du/dy dv/dx dv/dy.
func (c *chart) jacobian(r *rest, i int, uv [][2]float64) (a, b, d, e float64) {
	for k, v := range c.vert[i] {
		a += uv[v][0] * r.grad[k][0]
		b += uv[v][0] * r.grad[k][1]
		d += uv[v][1] * r.grad[k][0]
		e += uv[v][1] * r.grad[k][1]
	}
	return
}

// direct is the most unknowns that are solved for by factoring; larger charts are
// solved step by step.
const direct = 12000

// flatten lays the chart, which must be a disc, flat: first with least angular
// distortion (least squares conformal maps: Lévy, Petitjean, Ray and Maillot 2002),
// or where that folds over, on a disc (Tutte 1963); then refined for area as well by
// descending the symmetric Dirichlet energy (Smith and Schaefer 2015) along the
// directions of a Laplacian proxy (Kovalsky, Galun and Lipman 2016). No triangle
// folds over. It returns false when it cannot be laid flat, and soon once the context ends.
func (c *chart) flatten(ctx context.Context, steps int) bool {
	r := c.rests()
	if !slices.ContainsFunc(r, func(t rest) bool { return t.area > 0 }) {
		c.uv = make([][2]float64, len(c.pos)) // nothing that could be seen
		return true
	}
	c.conformal(ctx, r)
	if !c.upright(r) {
		if !c.onDisc(ctx, r) || !c.upright(r) {
			return false
		}
	}
	c.toSize(r)
	c.refine(ctx, r, steps)
	c.settle(r)
	return true
}

// settle puts vertices that only triangles without area use to a vertex beside
// them.
func (c *chart) settle(r []rest) {
	live := make([]bool, len(c.pos))
	for i, v := range c.vert {
		for k := range 3 {
			live[v[k]] = live[v[k]] || r[i].area > 0
		}
	}
	for changed := true; changed; {
		changed = false
		for _, v := range c.vert {
			for k := range 3 {
				if live[v[k]] {
					continue
				}
				for _, o := range [2]int{v[(k+1)%3], v[(k+2)%3]} {
					if live[o] && !live[v[k]] {
						c.uv[v[k]], live[v[k]], changed = c.uv[o], true, true
					}
				}
			}
		}
	}
}

// upright turns a mirrored layout round, and reports whether no triangle is folded.
func (c *chart) upright(r []rest) bool {
	var plus, minus float64
	for i := range r {
		if r[i].area == 0 {
			continue
		}
		a, b, d, e := c.jacobian(&r[i], i, c.uv)
		if det := a*e - b*d; det > 1e-12 {
			plus += r[i].area
		} else if det < -1e-12 {
			minus += r[i].area
		} else {
			return false
		}
	}
	return plus > 0 && minus == 0
}

// toSize scales the layout to the chart's area.
func (c *chart) toSize(r []rest) {
	var flat, world float64
	for i := range r {
		a, b, d, e := c.jacobian(&r[i], i, c.uv)
		flat += (a*e - b*d) * r[i].area
		world += r[i].area
	}
	s := math.Sqrt(world / flat)
	for i := range c.uv {
		c.uv[i][0] *= s
		c.uv[i][1] *= s
	}
}

// conformal solves for least angular distortion with two border vertices held.
func (c *chart) conformal(ctx context.Context, r []rest) {
	n := len(c.pos)
	c.uv = make([][2]float64, n)
	loops, _ := c.loops()
	pinA, pinB, far := loops[0][0], loops[0][len(loops[0])/2], 0.0
	for range 2 { // two vertices of the border that are far apart
		for _, v := range loops[0] {
			if d := float64(c.pos[v].Sub(c.pos[pinA]).Length()); d > far {
				pinB, far = v, d
			}
		}
		pinA, pinB = pinB, pinA
	}
	c.uv[pinA], c.uv[pinB] = [2]float64{}, [2]float64{far, 0}
	index := make([]int, n)
	free := 0
	for v := range index {
		if index[v] = -1; v != pinA && v != pinB {
			index[v] = free
			free++
		}
	}
	s, rhs := newSymmetric(2*free), make([]float64, 2*free)
	for t := range r {
		w := math.Sqrt(r[t].area)
		if w == 0 {
			continue
		}
		// du/dx − dv/dy and du/dy + dv/dx are to vanish
		for eq := range 2 {
			var at [6]int
			var by [6]float64
			known, m := 0.0, 0
			for k, v := range c.vert[t] {
				gx, gy := r[t].grad[k][0]*w, r[t].grad[k][1]*w
				cu, cv := gx, -gy
				if eq == 1 {
					cu, cv = gy, gx
				}
				if index[v] < 0 {
					known += cu*c.uv[v][0] + cv*c.uv[v][1]
					continue
				}
				at[m], by[m], at[m+1], by[m+1] = 2*index[v], cu, 2*index[v]+1, cv
				m += 2
			}
			for i := range m {
				rhs[at[i]] -= by[i] * known
				for j := range i + 1 {
					s.add(at[i], at[j], by[i]*by[j])
				}
			}
		}
	}
	x := make([]float64, 2*free)
	for i := range x {
		s.row[i][i] += 1e-12
	}
	solved := false
	if 2*free <= direct {
		if f, err := s.factor(ctx); err == nil {
			f.solve(rhs, x)
			solved = true
		}
	}
	if !solved {
		s.gradients(ctx, rhs, x, 4000)
	}
	for v, i := range index {
		if i >= 0 {
			c.uv[v] = [2]float64{x[2*i], x[2*i+1]}
		}
	}
}

// onDisc lays the border on a circle and every other vertex in the mean of its
// neighbours: no fold is possible.
func (c *chart) onDisc(ctx context.Context, r []rest) bool {
	loops, euler := c.loops()
	if len(loops) != 1 || euler != 1 || len(loops[0]) < 3 {
		return false
	}
	n := len(c.pos)
	fixed := make([]bool, n)
	length := make([]float64, len(loops[0])+1)
	for i, v := range loops[0] {
		length[i+1] = length[i] + float64(c.pos[v].Sub(c.pos[loops[0][(i+1)%len(loops[0])]]).Length()) + 1e-12
	}
	for i, v := range loops[0] {
		sin, cos := math.Sincos(2 * math.Pi * length[i] / length[len(length)-1])
		c.uv[v], fixed[v] = [2]float64{cos, sin}, true
	}
	return c.harmonic(ctx, fixed, nil)
}

// harmonic puts every vertex that is not fixed in the mean of its neighbours.
func (c *chart) harmonic(ctx context.Context, fixed []bool, weight func(a, b int) float64) bool {
	index := make([]int, len(c.pos))
	free := 0
	for v := range index {
		if index[v] = -1; !fixed[v] {
			index[v] = free
			free++
		}
	}
	if free == 0 {
		return true
	}
	s := newSymmetric(free)
	rhs := [2][]float64{make([]float64, free), make([]float64, free)}
	seen := map[[2]int]bool{}
	for _, t := range c.vert {
		for k := range 3 {
			a, b := min(t[k], t[(k+1)%3]), max(t[k], t[(k+1)%3])
			if seen[[2]int{a, b}] || a == b {
				continue
			}
			seen[[2]int{a, b}] = true
			w := 1.0
			if weight != nil {
				w = weight(a, b)
			}
			for _, e := range [2][2]int{{a, b}, {b, a}} {
				i, j := index[e[0]], index[e[1]]
				if i < 0 {
					continue
				}
				s.row[i][i] += w
				if j >= 0 {
					s.row[i][j] -= w
				} else {
					rhs[0][i] += w * c.uv[e[1]][0]
					rhs[1][i] += w * c.uv[e[1]][1]
				}
			}
		}
	}
	f, err := s.factor(ctx)
	if err != nil {
		return false
	}
	x := make([]float64, free)
	for d := range 2 {
		f.solve(rhs[d], x)
		for v, i := range index {
			if i >= 0 {
				c.uv[v][d] = x[i]
			}
		}
	}
	return true
}

// energy is the symmetric Dirichlet energy over the area: 4 where nothing is
// distorted; +∞ when a triangle is folded.
func (c *chart) energy(r []rest, uv [][2]float64) float64 {
	sum, area := 0.0, 0.0
	for i := range r {
		if r[i].area == 0 {
			continue
		}
		a, b, d, e := c.jacobian(&r[i], i, uv)
		det := a*e - b*d
		if !(det > 0) {
			return math.Inf(1)
		}
		sum += r[i].area * (a*a + b*b + d*d + e*e) * (1 + 1/(det*det))
		area += r[i].area
	}
	if area == 0 {
		return 4
	}
	return sum / area
}

func (c *chart) refine(ctx context.Context, r []rest, steps int) {
	n := len(c.pos)
	s := newSymmetric(n)
	area := 0.0
	for t := range r {
		area += r[t].area
		for i := range 3 {
			for j := range i + 1 {
				g, h := r[t].grad[i], r[t].grad[j]
				s.add(c.vert[t][i], c.vert[t][j], r[t].area*(g[0]*h[0]+g[1]*h[1]))
			}
		}
	}
	for i := range n {
		s.row[i][i] += 1e-8 * (1 + s.row[i][i])
	}
	f, err := s.factor(ctx)
	if err != nil {
		return
	}
	const momentum = 0.8 // (1 − 1/√κ) / (1 + 1/√κ) at κ = 81
	grad := [2][]float64{make([]float64, n), make([]float64, n)}
	step := [2][]float64{make([]float64, n), make([]float64, n)}
	before := make([][2]float64, n)
	copy(before, c.uv)
	try, ahead := make([][2]float64, n), make([][2]float64, n)
	now := c.energy(r, c.uv)
	calm := 0
	for range steps {
		if ctx.Err() != nil {
			return
		}
		for v := range c.uv {
			for d := range 2 {
				ahead[v][d] = c.uv[v][d] + momentum*(c.uv[v][d]-before[v][d])
			}
		}
		if c.energy(r, ahead) > now {
			copy(ahead, c.uv)
		}
		c.slope(r, ahead, &grad)
		for d := range 2 {
			f.solve(grad[d], step[d])
		}
		start := c.energy(r, ahead)
		fall := -(dot(grad[0], step[0]) + dot(grad[1], step[1])) / area
		t := min(1, 0.9*c.unfolded(r, ahead, &step))
		better := false
		for range 24 {
			for v := range try {
				try[v] = [2]float64{ahead[v][0] - t*step[0][v], ahead[v][1] - t*step[1][v]}
			}
			if e := c.energy(r, try); e <= start+1e-4*t*fall && e < now {
				better = true
				if (now-e)/now < 1e-5 {
					calm++
				} else {
					calm = 0
				}
				now = e
				break
			}
			t /= 2
		}
		if !better || calm > 3 {
			return
		}
		before, c.uv, try = c.uv, try, before
	}
}

// slope writes the gradient of the energy times the area.
func (c *chart) slope(r []rest, uv [][2]float64, out *[2][]float64) {
	clear(out[0])
	clear(out[1])
	for i := range r {
		if r[i].area == 0 {
			continue
		}
		a, b, d, e := c.jacobian(&r[i], i, uv)
		det := a*e - b*d
		sq := a*a + b*b + d*d + e*e
		p, q := 2*(1+1/(det*det)), 2*sq/(det*det*det)
		// the derivative of the determinant by a, b, d, e is e, −d, −b, a
		ga, gb, gd, ge := p*a-q*e, p*b+q*d, p*d+q*b, p*e-q*a
		for k, v := range c.vert[i] {
			g := r[i].grad[k]
			out[0][v] += r[i].area * (ga*g[0] + gb*g[1])
			out[1][v] += r[i].area * (gd*g[0] + ge*g[1])
		}
	}
}

// unfolded returns how far one may go against step before a triangle folds.
func (c *chart) unfolded(r []rest, uv [][2]float64, step *[2][]float64) float64 {
	most := math.Inf(1)
	for i := range r {
		if r[i].area == 0 {
			continue
		}
		a, b, d, e := c.jacobian(&r[i], i, uv)
		var x, y, z, w float64
		for k, v := range c.vert[i] {
			g := r[i].grad[k]
			x -= step[0][v] * g[0]
			y -= step[0][v] * g[1]
			z -= step[1][v] * g[0]
			w -= step[1][v] * g[1]
		}
		// det(J + t·D) = q2·t² + q1·t + q0
		q2, q1, q0 := x*w-y*z, a*w+x*e-b*z-y*d, a*e-b*d
		if t := firstRoot(q2, q1, q0); t < most {
			most = t
		}
	}
	return most
}

// firstRoot returns the least root above 0 of a·t² + b·t + c, or +∞.
func firstRoot(a, b, c float64) float64 {
	if math.Abs(a) < 1e-30 {
		if t := -c / b; b != 0 && t > 0 {
			return t
		}
		return math.Inf(1)
	}
	d := b*b - 4*a*c
	if d < 0 {
		return math.Inf(1)
	}
	q := -0.5 * (b + math.Copysign(math.Sqrt(d), b))
	best := math.Inf(1)
	for _, t := range [2]float64{q / a, c / q} {
		if t > 0 && t < best {
			best = t
		}
	}
	return best
}
