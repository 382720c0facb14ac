package spatial

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"velvetgrime/core/geom"
)

// soup returns n small triangles in a unit cube.
func soup(n int, size float32) ([]geom.Vec3, [][3]uint32) {
	r := rand.New(rand.NewPCG(1, 2))
	v := func() geom.Vec3 { return geom.V3(r.Float32(), r.Float32(), r.Float32()) }
	var pos []geom.Vec3
	var tri [][3]uint32
	for range n {
		c := v()
		k := uint32(len(pos))
		for range 3 {
			pos = append(pos, c.Add(v().Sub(geom.V3(0.5, 0.5, 0.5)).Mul(size)))
		}
		tri = append(tri, [3]uint32{k, k + 1, k + 2})
	}
	return pos, tri
}

func brute(pos []geom.Vec3, tri [][3]uint32, o, d geom.Vec3, near, far float32) Hit {
	best := Hit{Tri: -1, T: far}
	for i, c := range tri {
		h := meet(o, d, pos[c[0]], pos[c[1]], pos[c[2]])
		e1, e2 := pos[c[1]].Sub(pos[c[0]]), pos[c[2]].Sub(pos[c[0]])
		rim := rimOf(o.Sub(pos[c[0]]), e1, e2, e2.Cross(e1))
		if h.U >= -rim && h.V >= -rim && h.U+h.V <= 1+rim && h.T >= near && h.T <= best.T {
			if h.T < best.T || best.Tri < 0 {
				best = Hit{int32(i), h.T, h.U, h.V}
			}
		}
	}
	return best
}

// The tree finds what looking at every triangle finds, on both paths.
func TestRaysAgainstEveryTriangle(t *testing.T) {
	for _, n := range []int{0, 1, 7, 9, 300, 3000} {
		pos, tri := soup(n, 0.15)
		tree, err := Build(t.Context(), pos, tri, nil)
		if err != nil {
			t.Fatal(err)
		}
		if tree.Triangles() != n {
			t.Fatalf("the tree of %d triangles holds %d", n, tree.Triangles())
		}
		r := rand.New(rand.NewPCG(3, uint64(n)))
		var wideB, plainB Bundle
		for range 40 {
			o := geom.V3(r.Float32(), r.Float32(), r.Float32())
			dirs := make([]geom.Vec3, 1+r.IntN(MaxRays))
			for i := range dirs {
				dirs[i] = geom.V3(r.Float32()-0.5, r.Float32()-0.5, r.Float32()-0.5).Unit()
			}
			dirs[0] = geom.V3(0, 0, 1) // along an axis
			far := float32(0.8)
			wideB.Set(o, dirs, 1e-4, far)
			plainB.Set(o, dirs, 1e-4, far)
			any, anyPlain := tree.Any(&wideB), tree.castPlain(&plainB, true)
			if any != anyPlain {
				t.Fatalf("%d triangles: the paths differ: %b, %b", n, any, anyPlain)
			}
			tree.Nearest(&wideB)
			tree.castPlain(&plainB, false)
			for i, d := range dirs {
				want := brute(pos, tri, o, d, 1e-4, far)
				got, plain := tree.At(&wideB, i), tree.At(&plainB, i)
				if got != plain {
					t.Fatalf("ray %d: wide %v, plain %v", i, got, plain)
				}
				if got.Tri != want.Tri && math.Abs(float64(got.T-want.T)) > 1e-6 {
					t.Fatalf("%d triangles, ray %d: %v, want %v", n, i, got, want)
				}
				if (any>>i&1 == 1) != (want.Tri >= 0) {
					t.Fatalf("ray %d: any says %v, nearest %v", i, any>>i&1, want)
				}
			}
		}
	}
}

// A ray alone meets what it meets in a bundle, to the bit, where many triangles lie equally far, too:
// on a board cut into shared squares, doubled, rays go through corners and edges.
func TestARayAlone(t *testing.T) {
	board := func() (pos []geom.Vec3, tri [][3]uint32) {
		const n = 12
		for y := range n + 1 {
			for x := range n + 1 {
				pos = append(pos, geom.V3(float32(x)/n, float32(y)/n, 0.5))
			}
		}
		for range 2 {
			for y := range uint32(n) {
				for x := range uint32(n) {
					k := y*(n+1) + x
					tri = append(tri, [3]uint32{k, k + 1, k + n + 2}, [3]uint32{k, k + n + 2, k + n + 1})
				}
			}
		}
		return pos, tri
	}
	r := rand.New(rand.NewPCG(9, 1))
	for name, mesh := range map[string]func() ([]geom.Vec3, [][3]uint32){
		"none": func() ([]geom.Vec3, [][3]uint32) { return soup(0, 1) }, "board": board,
		"few": func() ([]geom.Vec3, [][3]uint32) { return soup(9, 0.5) }, "soup": func() ([]geom.Vec3, [][3]uint32) { return soup(4000, 0.2) },
	} {
		pos, tri := mesh()
		tree, err := Build(t.Context(), pos, tri, nil)
		if err != nil {
			t.Fatal(err)
		}
		var alone, bundle Bundle
		met := 0
		for i := range 4000 {
			o, to := geom.V3(r.Float32(), r.Float32(), 0), geom.V3(r.Float32(), r.Float32(), 1)
			if i%2 == 0 { // through a corner of the board
				o.X, o.Y = float32(r.IntN(13))/12, float32(r.IntN(13))/12
				if to = o; i%4 == 0 {
					to.X = 1 - to.X
				}
				to.Z = 1
			}
			dir, far := to.Sub(o), []float32{0.3, 0.5, 2, float32(math.Inf(1))}[i%4]
			bundle.Set(o, []geom.Vec3{dir}, 1e-5, far)
			tree.Nearest(&bundle)
			want := tree.At(&bundle, 0)
			got := tree.Ray(&alone, o, dir, 1e-5, far)
			if got != want {
				t.Fatalf("%s: from %v along %v: %+v alone, %+v in a bundle", name, o, dir, got, want)
			}
			if got := tree.Blocked(&alone, o, dir, 1e-5, far); got != (want.Tri >= 0) {
				t.Fatalf("%s: from %v along %v: blocked alone: %v, met in a bundle: %v", name, o, dir, got, want)
			}
			if want.Tri >= 0 {
				met++
			}
		}
		if name != "none" && met < 200 {
			t.Errorf("%s: only %d of 4000 met anything", name, met)
		}
	}
}

// A fan turned into a frame is the same rays one by one.
func TestFan(t *testing.T) {
	pos, tri := soup(500, 0.2)
	tree, _ := Build(t.Context(), pos, tri, nil)
	f := NewFan(Cosine(50, 4))
	n := geom.V3(0.3, -0.8, 0.2).Unit()
	x, y := n.Tangents()
	var a, b Bundle
	a.SetFan(geom.V3(0.5, 0.5, 0.5), f, x, y, n, 0, 1)
	b.setFanPlain(geom.V3(0.5, 0.5, 0.5), f, x, y, n, 0, 1)
	if g, w := tree.Any(&a), tree.castPlain(&b, true); g != w {
		t.Errorf("fan %b, one by one %b", g, w)
	}
	for i := range f.Len() {
		if c := f.Dir(i, x, y, n).Dot(n); c < -1e-6 {
			t.Errorf("direction %d lies below the surface: %v", i, c)
		}
	}
}

// The mean cosine of directions that are dense by the cosine is 2/3 (the integral
// of cos² over the hemisphere divided by π).
func TestCosine(t *testing.T) {
	sum := 0.0
	dirs := Cosine(4096, 9)
	for _, d := range dirs {
		sum += float64(d.Z) / float64(len(dirs))
	}
	if math.Abs(sum-2.0/3) > 2e-3 {
		t.Errorf("mean cosine %v, want 2/3", sum)
	}
}

func TestClosestAgainstEveryTriangle(t *testing.T) {
	pos, tri := soup(800, 0.2)
	tree, _ := Build(t.Context(), pos, tri, nil)
	r := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		p := geom.V3(r.Float32()*2-0.5, r.Float32()*2-0.5, r.Float32()*2-0.5)
		want := float32(math.Inf(1))
		for _, c := range tri {
			q, u, v := onTriangle(p, pos[c[0]], pos[c[1]], pos[c[2]])
			same := pos[c[0]].Mul(1 - u - v).Add(pos[c[1]].Mul(u)).Add(pos[c[2]].Mul(v))
			if same.Sub(q).Length() > 1e-5 {
				t.Fatalf("the place %v is not that of its shares %v", q, same)
			}
			want = min(want, q.Sub(p).Length())
		}
		got := tree.Closest(p, 10, nil)
		if math.Abs(float64(got.Distance-want)) > 1e-6 {
			t.Fatalf("from %v: %v, want %v", p, got.Distance, want)
		}
		for _, guess := range []int32{0, got.Tri, int32(r.IntN(len(tri)))} {
			if again := tree.ClosestFrom(p, 10, nil, guess); again != got {
				t.Fatalf("from %v with the guess %d: %v, without %v", p, guess, again, got)
			}
			odd := func(t int32) bool { return t%2 == 1 }
			if a, b := tree.ClosestFrom(p, 10, odd, guess), tree.Closest(p, 10, odd); a != b || a.Tri%2 == 0 {
				t.Fatalf("from %v with the guess %d among some: %v, without %v", p, guess, a, b)
			}
		}
		if far := tree.Closest(p, want/2, nil); far.Tri >= 0 && want > 0 {
			t.Fatalf("found %v farther than the limit %v", far, want/2)
		}
	}
}

// The wide path finds the distances from boxes that the plain one does, to the last bit.
func TestDistancesFromBoxesWideAndPlain(t *testing.T) {
	pos, tri := soup(300, 0.2)
	tree, _ := Build(t.Context(), pos, tri, nil)
	r := rand.New(rand.NewPCG(2, 9))
	for range 200 {
		place := [3][8]float32{all(r.Float32()*3 - 1), all(r.Float32()*3 - 1), all(r.Float32()*3 - 1)}
		n := &tree.nodes[r.IntN(len(tree.nodes))]
		var a, b [8]float32
		n.away(&place, &a)
		n.awayPlain(&place, &b)
		if a != b {
			t.Fatalf("wide %v, plain %v", a, b)
		}
	}
}

// Triangles in one place cannot be parted; the tree must still end.
func TestSameTriangles(t *testing.T) {
	pos := []geom.Vec3{{}, {X: 1}, {Y: 1}}
	tri := make([][3]uint32, 1000)
	for i := range tri {
		tri[i] = [3]uint32{0, 1, 2}
	}
	tree, err := Build(t.Context(), pos, tri, nil)
	if err != nil {
		t.Fatal(err)
	}
	var b Bundle
	if h := tree.Ray(&b, geom.V3(0.2, 0.2, 1), geom.V3(0, 0, -1), 0, 10); h.Tri != 0 || h.T != 1 {
		t.Errorf("hit %v, want triangle 0 at 1", h)
	}
}

func TestTreeRefusesMissingVertices(t *testing.T) {
	if _, err := Build(t.Context(), []geom.Vec3{{}}, [][3]uint32{{0, 0, 4}}, nil); err == nil {
		t.Error("a triangle of missing vertices was taken")
	}
}

// A tree whose context has ended is not built: who waits for a million triangles hears so.
func TestBuildingStops(t *testing.T) {
	pos, tri := soup(60_000, 0.01)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if tree, err := Build(ctx, pos, tri, nil); !errors.Is(err, context.Canceled) || tree != nil {
		t.Errorf("it gives %v, %v", tree, err)
	}
}
