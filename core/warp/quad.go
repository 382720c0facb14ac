package warp

import (
	"fmt"
	"math"
)

// Quad is a picture whose corners were pulled away from those of its rectangle: the projective map
// that takes them there, so that straight lines stay straight (P. Heckbert, Fundamentals of Texture
// Mapping and Image Warping, 1989, section 2.2.3). Places are 0..1 from the upper left corner, to
// the right and downward, as decals have them.
type Quad struct {
	back [9]float64 // from where a place lies to which of the picture it is, row by row
}

// leastTurn is by how much a quad must turn at each corner: twice the area of the triangle there,
// in shares of the rectangle.
const leastTurn = 0.02

// NewQuad makes the map for corners that lie by off beside those of the rectangle, in shares of its
// width and its height: upper left, upper right, lower right, lower left, each to the right and
// downward. It fails where the corners do not go round the picture.
func NewQuad(off [8]float32) (*Quad, error) {
	var x, y [4]float64
	for k, c := range [4][2]float64{{0, 0}, {1, 0}, {1, 1}, {0, 1}} {
		x[k], y[k] = c[0]+float64(off[2*k]), c[1]+float64(off[2*k+1])
	}
	names := [4]string{"upper left", "upper right", "lower right", "lower left"}
	for k := range 4 {
		a, b := (k+3)%4, (k+1)%4
		turn := (x[k]-x[a])*(y[b]-y[k]) - (y[k]-y[a])*(x[b]-x[k])
		if !(turn >= leastTurn) || math.IsInf(turn, 0) {
			return nil, fmt.Errorf("its %s corner lies within the line of the two beside it; pull it outward", names[k])
		}
	}
	// from the unit square to the quad
	dx1, dx2, sx := x[1]-x[2], x[3]-x[2], x[0]-x[1]+x[2]-x[3]
	dy1, dy2, sy := y[1]-y[2], y[3]-y[2], y[0]-y[1]+y[2]-y[3]
	den := dx1*dy2 - dx2*dy1
	g, h := (sx*dy2-dx2*sy)/den, (dx1*sy-sx*dy1)/den
	a, b, c := x[1]-x[0]+g*x[1], x[3]-x[0]+h*x[3], x[0]
	d, e, f := y[1]-y[0]+g*y[1], y[3]-y[0]+h*y[3], y[0]
	// the adjoint goes back
	return &Quad{[9]float64{
		e - f*h, c*h - b, b*f - c*e,
		f*g - d, a - c*g, c*d - a*f,
		d*h - e*g, b*g - a*h, a*e - b*d,
	}}, nil
}

// Back returns which place of the picture lies at a place of the rectangle, and how fast that
// changes there: the gradients of x and of y over u and v. ok is false where nothing of the picture can lie.
func (q *Quad) Back(u, v float32) (x, y float32, ofX, ofY [2]float32, ok bool) {
	m, s, t := &q.back, float64(u), float64(v)
	w := m[6]*s + m[7]*t + m[8]
	if w < 1e-9 {
		return 0, 0, ofX, ofY, false
	}
	px, py := (m[0]*s+m[1]*t+m[2])/w, (m[3]*s+m[4]*t+m[5])/w
	ofX = [2]float32{float32((m[0] - px*m[6]) / w), float32((m[1] - px*m[7]) / w)}
	ofY = [2]float32{float32((m[3] - py*m[6]) / w), float32((m[4] - py*m[7]) / w)}
	return float32(px), float32(py), ofX, ofY, true
}

// QuadReach is how far a quad's corners lie from the middle of its rectangle at most, in halves of its
// width and of its height; at least 1.
func QuadReach(off [8]float32) (wide, tall float32) {
	wide, tall = 1, 1
	for k, c := range [4][2]float32{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
		x, y := c[0]+2*off[2*k], c[1]+2*off[2*k+1]
		wide, tall = max(wide, x, -x), max(tall, y, -y)
	}
	return wide, tall
}
