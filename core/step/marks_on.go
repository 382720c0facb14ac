package step

import (
	"math"

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
	list   []nearMark // of all blocks
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

// nearMark is a mark that can touch a block: its cube, its place in it, how it is turned and
// bent, as nearMarks works them out.
type nearMark struct {
	x, y, z       int32
	ux, uy, uz    float32
	sin, cos, bow float32
	id            uint32
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
	p, n := o.frame.Pos[i].Mul(o.inv), o.frame.Nrm[i]
	if b.state == blockPlain {
		nearMarks(p, n, o.axis, o.seed, o.count, share, o.spread, o.bow, f)
		return
	}
	if b.from == b.to {
		return
	}
	t, side := marksRun(n, o.axis)
	few := uint32(min(float64(share), 1) * (1 << 31))
	ci, cj, ck := noise.Floor(p.X), noise.Floor(p.Y), noise.Floor(p.Z)
	for k := range o.list[b.from:b.to] {
		q := &o.list[int(b.from)+k]
		if q.id*0x9e3779b9>>1 > few || q.x-ci > 1 || ci-q.x > 1 || q.y-cj > 1 || cj-q.y > 1 || q.z-ck > 1 || ck-q.z > 1 {
			continue
		}
		cx, cy, cz := float32(q.x)-p.X, float32(q.y)-p.Y, float32(q.z)-p.Z
		base := cx*n.X + cy*n.Y + cz*n.Z
		if d := base + q.ux*n.X + q.uy*n.Y + q.uz*n.Z; d > markDepth || d < -markDepth {
			continue
		}
		to := geom.V3(cx+q.ux, cy+q.uy, cz+q.uz)
		a, c := -to.Dot(t), -to.Dot(side)
		along, across := q.cos*a+q.sin*c, q.cos*c-q.sin*a
		if along > 0.5 || along < -0.5 {
			continue
		}
		across += q.bow * along * along * 2
		f(mark{2 * along, 2 * across, q.id})
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
					o.list = append(o.list, nearMark{x, y, z, u.X, u.Y, u.Z, s, co, bow, id})
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
