package unwrap

import (
	"context"
	"fmt"
	"math"
	"slices"
)

// symmetric is a sparse symmetric matrix by rows while it is put together.
type symmetric struct{ row []map[int]float64 }

func newSymmetric(n int) *symmetric {
	s := &symmetric{make([]map[int]float64, n)}
	for i := range s.row {
		s.row[i] = map[int]float64{}
	}
	return s
}

// add adds v at (i, j) and (j, i).
func (s *symmetric) add(i, j int, v float64) {
	s.row[i][j] += v
	if i != j {
		s.row[j][i] += v
	}
}

// envelope is the Cholesky factor of a positive definite matrix, each row from its
// first entry on, in the order of Cuthill and McKee (1969), reversed, which keeps
// rows short.
type envelope struct {
	order []int // place in the factor → unknown
	first []int
	row   [][]float64
}

func (s *symmetric) factor(ctx context.Context) (*envelope, error) {
	n := len(s.row)
	e := &envelope{order: s.cuthillMcKee(), first: make([]int, n), row: make([][]float64, n)}
	place := make([]int, n)
	for p, i := range e.order {
		place[i] = p
	}
	for p, i := range e.order {
		e.first[p] = p
		for j := range s.row[i] {
			e.first[p] = min(e.first[p], place[j])
		}
		e.row[p] = make([]float64, p-e.first[p]+1)
		for j, v := range s.row[i] {
			if q := place[j]; q <= p {
				e.row[p][q-e.first[p]] = v
			}
		}
	}
	for p := range n {
		if p&63 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		rp, fp := e.row[p], e.first[p]
		for q := fp; q <= p; q++ {
			rq, fq := e.row[q], e.first[q]
			from := max(fp, fq)
			sum := rp[q-fp] - dot(rp[from-fp:q-fp], rq[from-fq:q-fq])
			if q < p {
				rp[q-fp] = sum / rq[q-fq]
			} else if sum <= 0 || math.IsNaN(sum) {
				return nil, fmt.Errorf("the matrix is not positive definite at %d of %d", p, n)
			} else {
				rp[q-fp] = math.Sqrt(sum)
			}
		}
	}
	return e, nil
}

func dot(a, b []float64) float64 {
	b = b[:len(a)]
	var s0, s1, s2, s3 float64
	i := 0
	for ; i+3 < len(a); i += 4 {
		s0 += a[i] * b[i]
		s1 += a[i+1] * b[i+1]
		s2 += a[i+2] * b[i+2]
		s3 += a[i+3] * b[i+3]
	}
	for ; i < len(a); i++ {
		s0 += a[i] * b[i]
	}
	return s0 + s1 + s2 + s3
}

// solve writes the solution for the right side b into x.
func (e *envelope) solve(b, x []float64) {
	n := len(e.order)
	y := make([]float64, n)
	for p, i := range e.order {
		r, f := e.row[p], e.first[p]
		y[p] = (b[i] - dot(r[:p-f], y[f:p])) / r[p-f]
	}
	for p := n - 1; p >= 0; p-- {
		r, f := e.row[p], e.first[p]
		y[p] /= r[p-f]
		v := y[p]
		for q := f; q < p; q++ {
			y[q] -= r[q-f] * v
		}
	}
	for p, i := range e.order {
		x[i] = y[p]
	}
}

func (s *symmetric) cuthillMcKee() []int {
	n := len(s.row)
	next := make([][]int, n)
	for i, r := range s.row {
		for j := range r {
			if j != i {
				next[i] = append(next[i], j)
			}
		}
		slices.Sort(next[i])
	}
	seen := make([]bool, n)
	var order []int
	walk := func(start int, mark []bool) []int {
		out := []int{start}
		mark[start] = true
		for k := 0; k < len(out); k++ {
			from := len(out)
			for _, j := range next[out[k]] {
				if !mark[j] {
					mark[j] = true
					out = append(out, j)
				}
			}
			slices.SortStableFunc(out[from:], func(a, b int) int { return len(next[a]) - len(next[b]) })
		}
		return out
	}
	for i := range n {
		if seen[i] {
			continue
		}
		// from an end of the graph: the last one reached from anywhere
		end := walk(i, slices.Clone(seen))
		order = append(order, walk(end[len(end)-1], seen)...)
	}
	slices.Reverse(order)
	return order
}

// gradients solves the matrix by conjugate gradients with the diagonal as
// preconditioner, from x on, for at most steps steps, or until the context ends.
func (s *symmetric) gradients(ctx context.Context, b, x []float64, steps int) {
	n := len(b)
	type entry struct {
		j int
		v float64
	}
	rows := make([][]entry, n)
	diag := make([]float64, n)
	for i, r := range s.row {
		for j, v := range r {
			rows[i] = append(rows[i], entry{j, v})
		}
		slices.SortFunc(rows[i], func(a, b entry) int { return a.j - b.j })
		diag[i] = max(r[i], 1e-30)
	}
	times := func(x, out []float64) {
		for i, r := range rows {
			sum := 0.0
			for _, e := range r {
				sum += e.v * x[e.j]
			}
			out[i] = sum
		}
	}
	r, z, p, q := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	times(x, r)
	for i := range r {
		r[i] = b[i] - r[i]
		z[i] = r[i] / diag[i]
	}
	copy(p, z)
	rz := dot(r, z)
	stop := rz * 1e-16
	for range steps {
		if rz <= stop || ctx.Err() != nil {
			return
		}
		times(p, q)
		a := rz / dot(p, q)
		for i := range x {
			x[i] += a * p[i]
			r[i] -= a * q[i]
			z[i] = r[i] / diag[i]
		}
		was := rz
		rz = dot(r, z)
		for i := range p {
			p[i] = z[i] + rz/was*p[i]
		}
	}
}
