package pix

import "slices"

// Rows are the values of some points, a row a component: what streams are evaluated in,
// where every point has its own value.
type Rows [][]float32

// NewRows returns rows of zeros: so many components of n points.
func NewRows(components, n int) Rows { return Rows(nil).Widened(components, n) }

// Bytes returns the memory that the rows hold.
func (r Rows) Bytes() (n int) {
	for _, v := range r {
		n += 24 + 4*len(v)
	}
	return n
}

// Clone returns rows that may be written.
func (r Rows) Clone() Rows {
	out := make(Rows, len(r))
	for c := range r {
		out[c] = slices.Clone(r[c])
	}
	return out
}

// Widened returns the rows with at least so many components; the new ones are as the
// first, since what has one row so far is grey, or zeros of n points.
func (r Rows) Widened(components, n int) Rows {
	for len(r) < components {
		row := make([]float32, n)
		if len(r) > 0 {
			copy(row, r[0])
		}
		r = append(r, row)
	}
	return r
}

// Colored returns three rows; those that a grey gets may be written.
func (r Rows) Colored() Rows {
	if len(r) == 3 {
		return r
	}
	return r[:1:1].Widened(3, len(r[0]))
}

// Gray returns one row: of colours their luma.
func (r Rows) Gray() []float32 {
	if len(r) == 1 {
		return r[0]
	}
	out := make([]float32, len(r[0]))
	for i := range out {
		out[i] = Luma(r[0][i], r[1][i], r[2][i])
	}
	return out
}

// Three returns the rows for functions that take three components.
func (r Rows) Three() [3][]float32 { return [3][]float32(r) }

// Luma returns the grey of a colour, with the weights of the W3C Compositing
// recommendation, section 10.2.
func Luma(r, g, b float32) float32 { return 0.3*r + 0.59*g + 0.11*b }

// Planes are the components of a channel. One that has the same value everywhere costs
// nothing: what a stack is composited in.
type Planes []Plane

// Bytes returns the memory that the planes hold.
func (p Planes) Bytes() (n int) {
	for _, q := range p {
		n += q.Bytes()
	}
	return n
}

// Rows returns the planes as rows of n points; those that have data share it.
func (p Planes) Rows(n int) Rows {
	out := make(Rows, len(p))
	for c, q := range p {
		if out[c] = q.Data; q.Data == nil {
			out[c] = make([]float32, n)
			q.Fill(out[c])
		}
	}
	return out
}

// Map returns the planes with f applied to every value.
func (p Planes) Map(f func(float32) float32) Planes {
	out := make(Planes, len(p))
	for c, q := range p {
		out[c].Value = f(q.Value)
		if q.Data != nil {
			out[c].Data = make([]float32, len(q.Data))
			for k, x := range q.Data {
				out[c].Data[k] = f(x)
			}
		}
	}
	return out
}

// Planes returns the rows as planes that share their data.
func (r Rows) Planes() Planes {
	out := make(Planes, len(r))
	for c := range r {
		out[c].Data = r[c]
	}
	return out
}

// Shrunk returns a plane of a row: an even one when all its values are the same.
func Shrunk(row []float32) Plane {
	for _, v := range row {
		if v != row[0] {
			return Plane{Data: row}
		}
	}
	return Plane{Value: row[0]}
}
