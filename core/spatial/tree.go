// Package spatial answers where rays meet a mesh and which place of it is
// nearest: a bounding-volume hierarchy of eight children a node, built by the
// surface-area heuristic (Wald 2007, "On fast Construction of SAH-based Bounding
// Volume Hierarchies").
package spatial

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"

	"velvetgrime/core/geom"
	"velvetgrime/core/par"
)

// Tree is immutable and safe for many goroutines. Distances are in metres.
type Tree struct {
	nodes  []node
	blocks []block
	pos    []geom.Vec3
	tri    [][3]uint32
	Bounds geom.Box
}

// node holds the boxes of eight children, a bound at a time so that one wide
// register holds the same bound of all eight: low x, high x, low y, high y, low z,
// high z. A child that is not there has a box from +∞ to −∞, which no ray enters.
type node struct {
	bound [6][8]float32
	child [8]int32 // ≥ 0 a node, < 0 the block ^child
	// by octant of a ray: the children from the farthest to the nearest, a byte each
	order [8][8]uint8
	valid uint8 // a bit for each child that is there
}

// block holds up to eight triangles by corner and two edges; missing ones have
// edges of no length, which no ray meets.
type block struct {
	v0, e1, e2 [3][8]float32
	tri        [8]int32
	count      int32
}

const leafSize = 8

type prim struct {
	box geom.Box
	id  int32
}

// branch is a node while the tree is being built.
type branch struct {
	box   geom.Box
	prims []prim
	child []*branch
}

// Build makes the tree of the triangles that use selects, or of all when use is
// nil. It uses all processors; the result does not depend on their number. Its error names a
// triangle that is none, or is the context's.
func Build(ctx context.Context, pos []geom.Vec3, tri [][3]uint32, use func(i int) bool) (*Tree, error) {
	if len(tri) > math.MaxInt32 {
		return nil, fmt.Errorf("%d triangles are more than the ray tree holds", len(tri))
	}
	t := &Tree{pos: pos, tri: tri, Bounds: geom.EmptyBox()}
	prims := make([]prim, 0, len(tri))
	for i, c := range tri {
		if use != nil && !use(i) {
			continue
		}
		b := geom.EmptyBox()
		for _, v := range c {
			if int(v) >= len(pos) {
				return nil, fmt.Errorf("triangle %d uses vertex %d of %d", i, v, len(pos))
			}
			b = b.Grow(pos[v])
		}
		t.Bounds = t.Bounds.Union(b)
		prims = append(prims, prim{b, int32(i)})
	}
	root := &branch{box: t.Bounds, prims: prims}
	slots := make(chan struct{}, runtime.GOMAXPROCS(0)-1)
	root.grow(ctx, slots)
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	t.flatten(root)
	return t, nil
}

// Triangles returns how many triangles the tree holds.
func (t *Tree) Triangles() int {
	n := 0
	for i := range t.blocks {
		n += int(t.blocks[i].count)
	}
	return n
}

// Bytes returns the memory that the tree takes, without the mesh.
func (t *Tree) Bytes() int { return len(t.nodes)*288 + len(t.blocks)*324 }

// worthATurn is from how many triangles on, a millisecond's work, others may be let by first.
const worthATurn = 1024

// parallelSize is the least number of triangles for which another goroutine pays.
const parallelSize = 4096

func (b *branch) grow(ctx context.Context, slots chan struct{}) {
	if len(b.prims) <= leafSize || ctx.Err() != nil || len(b.prims) > worthATurn && par.Turn(ctx) != nil {
		return
	}
	open := []*branch{b}
	for len(open) < 8 {
		at, most := -1, float32(-1)
		for i, c := range open {
			if len(c.prims) > leafSize {
				if a := area(c.box); a > most {
					at, most = i, a
				}
			}
		}
		if at < 0 {
			break
		}
		l, r := open[at].split()
		open[at] = l
		open = append(open, r)
	}
	b.child, b.prims = open, nil
	var wait par.All
	for _, c := range open {
		if len(c.prims) >= parallelSize {
			select {
			case slots <- struct{}{}:
				wait.Go(func() { c.grow(ctx, slots); <-slots })
				continue
			default:
			}
		}
		c.grow(ctx, slots)
	}
	wait.Wait()
}

func area(b geom.Box) float32 {
	s := b.Size()
	return s.X*s.Y + s.Y*s.Z + s.Z*s.X
}

func along(v geom.Vec3, axis int) float32 {
	switch axis {
	case 0:
		return v.X
	case 1:
		return v.Y
	}
	return v.Z
}

const bins = 16

// cut is the best place to part triangles along one axis.
type cut struct {
	cost float32 // sum of area times count; +∞: none
	at   int     // the first bin of the right side
}

// grid sorts places along an axis into bins.
type grid struct {
	axis      int
	low, each float32
}

func (g grid) bin(p *prim) int {
	var c float32
	switch g.axis {
	case 0:
		c = p.box.Min.X + p.box.Max.X
	case 1:
		c = p.box.Min.Y + p.box.Max.Y
	default:
		c = p.box.Min.Z + p.box.Max.Z
	}
	return min(int((c*0.5-g.low)*g.each), bins-1)
}

func (g grid) best(prims []prim) cut {
	type bin struct {
		box geom.Box
		n   int
	}
	var all [bins]bin
	for k := range all {
		all[k].box = geom.EmptyBox()
	}
	for i := range prims {
		k := &all[g.bin(&prims[i])]
		widen(&k.box, &prims[i].box)
		k.n++
	}
	var cost [bins]float32
	left, n := geom.EmptyBox(), 0
	for k := 0; k < bins-1; k++ {
		left, n = left.Union(all[k].box), n+all[k].n
		if n > 0 {
			cost[k] = area(left) * float32(n)
		}
	}
	best := cut{cost: float32(math.Inf(1))}
	right, m := geom.EmptyBox(), 0
	for k := bins - 1; k > 0; k-- {
		right, m = right.Union(all[k].box), m+all[k].n
		if m == 0 || m == len(prims) {
			continue
		}
		if c := cost[k-1] + area(right)*float32(m); c < best.cost {
			best = cut{c, k}
		}
	}
	return best
}

// split parts the triangles where the sum of area times count is least.
func (b *branch) split() (l, r *branch) {
	cent := geom.EmptyBox()
	for i := range b.prims {
		c := b.prims[i].box.Center()
		widen(&cent, &geom.Box{Min: c, Max: c})
	}
	size := cent.Size()
	var grids [3]grid
	var cuts [3]cut
	var wait par.All
	for axis := range 3 {
		cuts[axis].cost = float32(math.Inf(1))
		if along(size, axis) <= 0 {
			continue
		}
		grids[axis] = grid{axis, along(cent.Min, axis), bins / along(size, axis)}
		if len(b.prims) > 16*parallelSize {
			wait.Go(func() { cuts[axis] = grids[axis].best(b.prims) })
		} else {
			cuts[axis] = grids[axis].best(b.prims)
		}
	}
	wait.Wait()
	best := 0
	for axis := range 3 {
		if cuts[axis].cost < cuts[best].cost {
			best = axis
		}
	}
	mid := len(b.prims) / 2 // all centres in one place: any halves will do
	if c := cuts[best]; c.at > 0 {
		mid = 0
		for i := range b.prims {
			if grids[best].bin(&b.prims[i]) < c.at {
				b.prims[i], b.prims[mid] = b.prims[mid], b.prims[i]
				mid++
			}
		}
	}
	return around(b.prims[:mid:mid]), around(b.prims[mid:])
}

// widen is Box.Union without the care for numbers that are none, which costs half
// of the time of building.
func widen(b, o *geom.Box) {
	if o.Min.X < b.Min.X {
		b.Min.X = o.Min.X
	}
	if o.Min.Y < b.Min.Y {
		b.Min.Y = o.Min.Y
	}
	if o.Min.Z < b.Min.Z {
		b.Min.Z = o.Min.Z
	}
	if o.Max.X > b.Max.X {
		b.Max.X = o.Max.X
	}
	if o.Max.Y > b.Max.Y {
		b.Max.Y = o.Max.Y
	}
	if o.Max.Z > b.Max.Z {
		b.Max.Z = o.Max.Z
	}
}

func around(p []prim) *branch {
	b := geom.EmptyBox()
	for i := range p {
		widen(&b, &p[i].box)
	}
	return &branch{box: b, prims: p}
}

func (t *Tree) flatten(b *branch) int32 {
	if b.child == nil {
		if b.prims == nil {
			b.prims = []prim{}
		}
		k := block{count: int32(len(b.prims))}
		for i := range k.tri {
			k.tri[i] = -1
		}
		for i, p := range b.prims {
			c := t.tri[p.id]
			v0 := t.pos[c[0]]
			e1, e2 := t.pos[c[1]].Sub(v0), t.pos[c[2]].Sub(v0)
			k.v0[0][i], k.v0[1][i], k.v0[2][i] = v0.X, v0.Y, v0.Z
			k.e1[0][i], k.e1[1][i], k.e1[2][i] = e1.X, e1.Y, e1.Z
			k.e2[0][i], k.e2[1][i], k.e2[2][i] = e2.X, e2.Y, e2.Z
			k.tri[i] = p.id
		}
		t.blocks = append(t.blocks, k)
		if len(t.nodes) == 0 { // a tree of one block still has a root
			n := emptyNode()
			n.set(0, b.box, ^int32(0))
			n.sort()
			t.nodes = append(t.nodes, n)
		}
		return ^int32(len(t.blocks) - 1)
	}
	at := int32(len(t.nodes))
	t.nodes = append(t.nodes, emptyNode())
	for i, c := range b.child {
		k := t.flatten(c)
		t.nodes[at].set(i, c.box, k)
	}
	t.nodes[at].sort()
	return at
}

func emptyNode() (n node) {
	inf := float32(math.Inf(1))
	for i := range 8 {
		for a := range 3 {
			n.bound[2*a][i], n.bound[2*a+1][i] = inf, -inf
		}
	}
	return
}

func (n *node) set(i int, b geom.Box, child int32) {
	n.child[i] = child
	if b.Empty() {
		return
	}
	n.valid |= 1 << i
	n.bound[0][i], n.bound[1][i] = b.Min.X, b.Max.X
	n.bound[2][i], n.bound[3][i] = b.Min.Y, b.Max.Y
	n.bound[4][i], n.bound[5][i] = b.Min.Z, b.Max.Z
}

// sort orders the children along the middle direction of each octant, so that
// rays look first where they come first.
func (n *node) sort() {
	for o := range n.order {
		var far [8]float32
		for i := range n.order[o] {
			n.order[o][i] = uint8(i)
			for a := range 3 {
				c := n.bound[2*a][i] + n.bound[2*a+1][i]
				if n.bound[2*a][i] > n.bound[2*a+1][i] {
					c = 0
				}
				if o>>a&1 == 1 {
					c = -c
				}
				far[i] += c
			}
		}
		slices.SortStableFunc(n.order[o][:], func(a, b uint8) int { return cmp.Compare(far[b], far[a]) })
	}
}
