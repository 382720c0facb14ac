package step

import (
	"math"
	"math/bits"

	"velvetgrime/core/geom"
	"velvetgrime/core/noise"
	"velvetgrime/core/raster"
)

// Texels that lie beside each other are near the same marks, and near very few: a mark is a
// thin line. MarksOn looks for the marks that can touch a small block of texels once, and
// passes each texel only those; nearMarks (marks.go) is the plain way and gives the same, as
// marks_test.go holds.

// MarksOn finds the marks near the points of a frame. It is of one goroutine.
type MarksOn struct {
	frame  *raster.Frame
	inv    float32 // lengths a metre
	axis   geom.Vec3
	seed   uint32
	count  int
	spread float32
	bow    float32
	// the caller does nothing with marks farther across than this, in half lengths
	most float32

	w, h   int // points in a row and in a column
	wide   int // blocks in a row
	blocks []markBlock
	list   []eightMarks // of all blocks
}

// markBlock is a block of blockEdge × blockEdge points of a frame.
type markBlock struct {
	state    uint8
	from, to int32 // in the list
}

const (
	blockNew   = iota
	blockMade  // its marks are in the list
	blockPlain // its points lie too far apart, or there is no telling where marks run
)

const (
	markEdge  = 8
	markDepth = 0.3 // a mark keeps to the surface that it was made on, in lengths
	// markFar is the radius of a block, in lengths, from which the plain way costs as much
	markFar = 0.4
)

// eightMarks are marks that can touch a block, side by side: their cubes, their places in
// these, how they are turned and bent, as nearMarks works them out.
type eightMarks struct {
	corner, in    [3][8]float32
	sin, cos, bow [8]float32
	id            [8]uint32
}

// emptyMarks are none.
var emptyMarks = func() (q eightMarks) {
	for l := range q.id {
		q.corner[0][l] = nowhere
	}
	return q
}()

func (q *eightMarks) set(l int, corner, in geom.Vec3, sin, cos, bow float32, id uint32) {
	q.corner[0][l], q.corner[1][l], q.corner[2][l] = corner.X, corner.Y, corner.Z
	q.in[0][l], q.in[1][l], q.in[2][l] = in.X, in.Y, in.Z
	q.sin[l], q.cos[l], q.bow[l], q.id[l] = sin, cos, bow, id
}

// markPlace is a place on a surface at which it is looked for marks: where it is, the surface's
// normal, the way of marks and across it, the corner of the place's cube, all in lengths, and how
// far across marks count, in half lengths.
type markPlace [2][8]float32

func placeOfMarks(p, n, t, side geom.Vec3, most float32) markPlace {
	return markPlace{
		{p.X, p.Y, p.Z, n.X, n.Y, n.Z, t.X, t.Y},
		{t.Z, side.X, side.Y, side.Z, float32(noise.Floor(p.X)), float32(noise.Floor(p.Y)), float32(noise.Floor(p.Z)), most},
	}
}

// nearPlain says which of eight marks touch a place, as bits, and gives the place as seen from
// each: along and across, in half lengths. eight_simd.go does the same at once, to the bit:
// marks_test.go holds them against each other.
func (q *eightMarks) nearPlain(at *markPlace, along, across *[8]float32) (found uint32) {
	a, b := &at[0], &at[1]
	for l := range 8 {
		x, y, z := q.corner[0][l], q.corner[1][l], q.corner[2][l]
		next := abs32(x-b[4]) <= 1 && abs32(y-b[5]) <= 1 && abs32(z-b[6]) <= 1
		x, y, z = x-a[0], y-a[1], z-a[2]
		ux, uy, uz := q.in[0][l], q.in[1][l], q.in[2][l]
		deep := x*a[3] + y*a[4] + z*a[5] + ux*a[3] + uy*a[4] + uz*a[5]
		x, y, z = x+ux, y+uy, z+uz
		u, v := -(x*a[6] + y*a[7] + z*b[0]), -(x*b[1] + y*b[2] + z*b[3])
		m, w := q.cos[l]*u+q.sin[l]*v, q.cos[l]*v-q.sin[l]*u
		w += q.bow[l] * m * m * 2
		along[l], across[l] = 2*m, 2*w
		if next && abs32(deep) <= markDepth && abs32(m) <= 0.5 && abs32(2*w) <= b[7] {
			found |= 1 << l
		}
	}
	return found
}

// newMarksOn prepares a search: see nearMarks for what the numbers mean; size is the longest
// mark in metres.
func newMarksOn(f *raster.Frame, size float32, axis geom.Vec3, seed uint32, count int, spread, bow, most float32) *MarksOn {
	w, h := f.W, f.H
	if w*h != len(f.Pos) { // points that lie in no order
		w, h = len(f.Pos), 1
	}
	wide := (w + markEdge - 1) / markEdge
	return &MarksOn{
		frame: f, w: w, h: h, inv: 1 / size, axis: axis, seed: seed, count: count, spread: spread, bow: bow, most: most,
		wide: wide, blocks: make([]markBlock, wide*((h+markEdge-1)/markEdge)),
	}
}

// near calls f for the marks near point i that can matter to the caller, of share of them, in
// the order of nearMarks.
func (o *MarksOn) near(i int, share float32, f func(m mark)) {
	x, y := i%o.w/markEdge, i/o.w/markEdge
	b := &o.blocks[y*o.wide+x]
	if b.state == blockNew {
		o.make(b, x, y)
	}
	if b.state == blockMade && b.from == b.to {
		return
	}
	p, n := o.frame.Pos[i].Mul(o.inv), o.frame.Nrm[i]
	if b.state == blockPlain {
		nearMarks(p, n, o.axis, o.seed, o.count, share, o.spread, o.bow, o.most, f)
		return
	}
	t, side := marksRun(n, o.axis)
	few := shareOfMarks(share)
	at := placeOfMarks(p, n, t, side, o.most)
	var along, across [8]float32
	for k := b.from; k < b.to; k++ {
		q := &o.list[k]
		for found := q.near(&at, &along, &across); found != 0; found &= found - 1 {
			if l := bits.TrailingZeros32(found) & 7; markRank(q.id[l]) <= few {
				f(mark{along[l], across[l], q.id[l]})
			}
		}
	}
}

// make lists the marks that can touch a block.
func (o *MarksOn) make(b *markBlock, bx, by int) {
	f := o.frame
	box, normal := geom.EmptyBox(), geom.Vec3{}
	each := func(g func(i int)) {
		for y := by * markEdge; y < min((by+1)*markEdge, o.h); y++ {
			for x := bx * markEdge; x < min((bx+1)*markEdge, o.w); x++ {
				if i := y*o.w + x; f.Tri[i] >= 0 {
					g(i)
				}
			}
		}
	}
	each(func(i int) {
		box = box.Grow(f.Pos[i].Mul(o.inv))
		normal = normal.Add(f.Nrm[i])
	})
	b.state = blockPlain
	n := normal.Unit()
	if n == (geom.Vec3{}) {
		return
	}
	middle := box.Center()
	var far, turned float32 // of its points from the middle, and of their normals from n
	each(func(i int) {
		far = max(far, f.Pos[i].Mul(o.inv).Sub(middle).Length())
		turned = max(turned, f.Nrm[i].Sub(n).Length())
	})
	// by how much the way of marks is turned at most, as a vector: the part of the axis in the
	// surface moves by 2·turned·|axis|, and is flat long
	flat := o.axis.Sub(n.Mul(n.Dot(o.axis))).Length()
	moves := 2 * turned * o.axis.Length()
	if far > markFar || turned > 0.3 || flat-moves < 0.03 {
		return
	}
	turn := 2*moves/flat + turned
	b.state, b.from = blockMade, int32(len(o.list))
	o.fill(box, middle, n, far, turned, turn)
	b.to = int32(len(o.list))
}

// fill lists the marks that come near any point within far of the middle.
func (o *MarksOn) fill(box geom.Box, middle, n geom.Vec3, far, turned, turn float32) {
	t, side := marksRun(n, o.axis)
	lo := [3]int32{noise.Floor(box.Min.X) - 1, noise.Floor(box.Min.Y) - 1, noise.Floor(box.Min.Z) - 1}
	hi := [3]int32{noise.Floor(box.Max.X) + 1, noise.Floor(box.Max.Y) + 1, noise.Floor(box.Max.Z) + 1}
	half := 0.5 * (abs32(n.X) + abs32(n.Y) + abs32(n.Z))
	// no mark that matters is farther than this from a point: half as long, and as deep
	longest := 0.5 + markDepth + abs32(o.bow)*0.25 + o.most
	thick := markDepth + far + (longest+far)*turned + spare
	last := 8 // in the last eight of the list
	for z := lo[2]; z <= hi[2]; z++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for x := lo[0]; x <= hi[0]; x++ {
				c := geom.V3(float32(x), float32(y), float32(z)).Sub(middle)
				base := c.Dot(n)
				if m := base + 0.5*(n.X+n.Y+n.Z); m > thick+half || m < -thick-half {
					continue
				}
				for k := range o.count {
					id := noise.Hash(x, y, z, o.seed+uint32(k)*7919)
					u := geom.V3(float32(id&1023)*(1.0/1024), float32(id>>10&1023)*(1.0/1024), float32(id>>20&1023)*(1.0/1024))
					to := c.Add(u)
					if d := to.Dot(n); d > thick || d < -thick {
						continue
					}
					s, co := markTurn(o.spread, id)
					bow := o.bow * (noise.Random(id, 4) - 0.5)
					slack := far + (to.Length()+far)*turn + spare
					a, b := -to.Dot(t), -to.Dot(side)
					along, across := co*a+s*b, co*b-s*a
					if along > 0.5+slack || along < -0.5-slack {
						continue
					}
					across += bow * along * along * 2
					slack += 2 * abs32(bow) * (2*abs32(along) + slack) * slack
					if across > 0.5*o.most+slack || across < -0.5*o.most-slack {
						continue
					}
					if last == 8 {
						o.list, last = append(o.list, emptyMarks), 0
					}
					o.list[len(o.list)-1].set(last, geom.V3(float32(x), float32(y), float32(z)), u, s, co, bow, id)
					last++
				}
			}
		}
	}
}

// marksRun returns the way of marks along a surface with a normal, and across it.
func marksRun(n, axis geom.Vec3) (t, side geom.Vec3) {
	t = axis.Sub(n.Mul(n.Dot(axis)))
	if flat := t.Length(); flat < 0.02 {
		t, _ = n.Tangents()
	} else {
		t = t.Mul(1 / flat)
	}
	return t, n.Cross(t)
}

// markTurn returns sine and cosine of the angle by which a mark leaves the way of all: within
// a quarter turn, by the sine's series, off by 2e-4 at most.
func markTurn(spread float32, id uint32) (sin, cos float32) {
	a := spread * (noise.Random(id, 3) - 0.5) * math.Pi
	a2 := a * a
	s := a * (1 - a2*(1.0/6-a2*(1.0/120-a2/5040)))
	return s, float32(math.Sqrt(float64(max(1-s*s, 0))))
}
