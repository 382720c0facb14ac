package press

// stencils are pictures to be held before the view while one paints: what is light lets paint
// through. As stamps they are flat.
func stencils(add func(name string, after []Treat, shapes ...Shape)) {
	pt := func(list ...float32) (out [][2]float32) {
		for i := 0; i+1 < len(list); i += 2 {
			out = append(out, [2]float32{list[i], list[i+1]})
		}
		return out
	}
	drawn := func(curved bool, p [][2]float32) laid { return line(curved, p...) }
	edge := []Treat{smooth(0.004)}
	torn := func(v, scale float32, seed int) []Treat {
		return []Treat{pitted(v, scale, seed), {Kind: "cut", Amount: 0.5, Sharp: 0.96}, smooth(0.004)}
	}
	spread := func(n int, x, y, least, most float32, seed uint32) (list []Shape) { // drops of many sizes
		for i := range n {
			r := func(k uint32) float32 {
				h := (seed*2654435761 + uint32(i)*40503 + k*97) * 2246822519
				h ^= h >> 15
				return float32(h*3266489917>>8) / (1 << 24)
			}
			u := r(3)
			list = append(list, made("disc", least+(most-least)*u*u*u, at(x*(2*r(1)-1), y*(2*r(2)-1))))
		}
		return list
	}

	// torn edges
	add("Torn edge", torn(1, 0.16, 21), made("bar", 4, tall(2.6), at(0, -0.85), soft(0.9)))
	add("Torn edge, coarse", torn(1, 0.5, 22), made("bar", 4, tall(3), at(0, -0.75), soft(1.4)))
	add("Torn corner", torn(1, 0.3, 23), made("bar", 4, tall(3), turned(-45), at(-1, -1), soft(1.2)))
	add("Torn strip", torn(1, 0.22, 24), made("bar", 4, tall(1.3), soft(0.5)))

	// what runs down
	hang := func(list ...[3]float32) []Shape {
		out := []Shape{made("bar", 4, tall(0.7), at(0, 0.95))}
		for _, d := range list { // place, width, length
			out = append(out, made("rounded bar", d[1], tall(d[2]+0.5), corner(d[1]/2), at(d[0], 0.85-d[2]/2)), made("disc", d[1]*1.35, tall(d[1]*1.7), at(d[0], 0.62-d[2])))
		}
		return out
	}
	add("Drips", append([]Treat{smooth(0.02)}, Treat{Kind: "cut", Amount: 0.5, Sharp: 0.95}, smooth(0.004)), hang([3]float32{-0.86, 0.1, 0.5}, [3]float32{-0.62, 0.14, 0.95}, [3]float32{-0.42, 0.08, 0.3}, [3]float32{-0.2, 0.12, 1.25}, [3]float32{0.03, 0.09, 0.55}, [3]float32{0.22, 0.15, 0.8}, [3]float32{0.45, 0.08, 0.22}, [3]float32{0.62, 0.12, 1.05}, [3]float32{0.86, 0.1, 0.4})...)
	add("Long drips", append([]Treat{smooth(0.02)}, Treat{Kind: "cut", Amount: 0.5, Sharp: 0.95}, smooth(0.004)), hang([3]float32{-0.7, 0.06, 1.45}, [3]float32{-0.5, 0.05, 0.6}, [3]float32{-0.28, 0.07, 1.1}, [3]float32{0.08, 0.06, 1.5}, [3]float32{0.3, 0.05, 0.4}, [3]float32{0.52, 0.07, 1.3}, [3]float32{0.78, 0.05, 0.85})...)

	// meshes
	add("Wire mesh", edge, made("bar", 4, tall(0.05), row(11, 0.2, 90)), made("bar", 0.05, tall(4), row(11, 0.2, 0)))
	add("Fishing net", edge, made("bar", 4, tall(0.028), turned(45), row(13, 0.283, 135)), made("bar", 4, tall(0.028), turned(-45), row(13, 0.283, 45)), made("disc", 0.09, field(11, 11, 0.283, 45)))
	add("Chain mesh", edge, made("ring", 0.42, hole(0.74), field(7, 7, 0.34, 0)), made("ring", 0.42, hole(0.74), at(0.17, 0.17), field(7, 7, 0.34, 0)))
	add("Holes", edge, made("bar", 4), made("disc", 0.2, field(9, 9, 0.3, 0), cutOut), made("disc", 0.2, at(0.15, 0.15), field(9, 9, 0.3, 0), cutOut))

	// letters, with the bridges that hold their middles
	bridged := func(name, text string, wide float32, at1 ...float32) {
		list := []Shape{made("text", wide, says(text, "bold"))}
		for _, x := range at1 {
			list = append(list, made("bar", 0.016*wide, tall(1.6), at(x, 0), cutOut))
		}
		add(name, edge, list...)
	}
	bridged("Letters: number", "27", 1.5)
	bridged("Letters: berth", "BERTH", 1.9, -0.76, 0.01)
	bridged("Letters: keep clear", "KEEP CLEAR", 1.94, -0.262, 0.665, 0.868)

	// splashes
	add("Splash", torn(0.5, 0.2, 31), append([]Shape{made("star", 1.25, sides(13), hole(0.62), corner(0.05), soft(0.3)), made("disc", 0.8, soft(0.3))}, spread(60, 0.98, 0.98, 0.02, 0.16, 5)...)...)
	add("Spatter", edge, spread(64, 1, 1, 0.02, 0.2, 9)...)
	add("Burst", torn(0.45, 0.16, 33), append([]Shape{made("star", 1.95, sides(17), hole(0.34), soft(0.14)), made("star", 1.5, sides(11), hole(0.5), turned(17), soft(0.2))}, spread(40, 1, 1, 0.015, 0.09, 17)...)...)

	// leaves
	blade := func(wide, long float32) Shape {
		return made("outline", wide, tall(long), drawn(true, pt(0, 1, 0.5, 0.45, 0.95, -0.1, 0.6, -0.75, 0, -1, -0.6, -0.75, -0.95, -0.1, -0.5, 0.45)))
	}
	vein := func(wide, long, x, y, turn float32) Shape {
		return made("bar", wide, tall(long), at(x, y), turned(turn), cutOut)
	}
	leaf := []Shape{blade(1.15, 1.9), vein(0.035, 1.7, 0, -0.1, 0)}
	for i := range 5 {
		y := 0.42 - 0.26*float32(i)
		leaf = append(leaf, vein(0.018, 0.5, 0.2, y, -48), vein(0.018, 0.5, -0.2, y, 48))
	}
	add("Leaf", edge, leaf...)
	fern := []Shape{made("bar", 0.025, tall(1.85))}
	for i := range 13 {
		t := float32(i) / 12
		long := 0.62 * (1 - 0.86*t) * min(1, 0.55+2*t)
		y := -0.72 + 1.58*t
		for _, side := range []float32{-1, 1} {
			b := blade(0.11*(1-0.6*t), long)
			b.X, b.Y, b.Turn = side*long*0.43, y+long*0.22, -side*62
			fern = append(fern, b)
		}
	}
	add("Fern", edge, fern...)
	var reeds []Shape
	for i, x := range []float32{-0.75, -0.5, -0.3, -0.05, 0.15, 0.42, 0.6, 0.8} {
		k := float32(i%3) - 1
		r := made("outline", 0.2, tall(1.35+0.5*float32((i*5)%4)/3), drawn(true, pt(k*0.9, 1, 0.35+0.5*k, 0.2, 0.5, -1, -0.5, -1, -0.3+0.5*k, 0.2)))
		r.X, r.Y, r.Turn = x, -0.3+0.1*k, -7*k
		reeds = append(reeds, r)
	}
	add("Reeds", edge, reeds...)

	// ropes
	add("Rope", edge, made("disc", 0.3, tall(0.62), turned(58), row(16, 0.17, 0)), made("rounded bar", 4, tall(0.42), how("lowest")), made("bar", 0.025, tall(0.7), turned(-58), at(0.085, 0), row(16, 0.17, 0), cutOut))
	add("Rope ring", edge, made("disc", 0.13, tall(0.34), turned(40), circle(34, 0.8, 0)), made("ring", 1.82, hole(0.76), how("lowest")))

	// ripples
	rings := func(list ...float32) (out []Shape) {
		for _, r := range list {
			out = append(out, made("ring", r, hole(max(1-0.13/r, 0.1)), slope(0.012)))
		}
		return out
	}
	add("Rings on water", edge, rings(0.3, 0.66, 1.05, 1.46, 1.9)...)
	wavy := func(tallness, thick, phase float32) [][2]float32 {
		var up, down [][2]float32
		for i := range 17 {
			x := float32(i)/8 - 1
			y := tallness * []float32{0, 0.7, 1, 0.7, 0, -0.7, -1, -0.7}[(i+int(phase*8))%8]
			up = append(up, [2]float32{x, y + thick})
			down = append([][2]float32{{x, y - thick*0.4}}, down...)
		}
		return append(up, down...)
	}
	add("Waves", edge, made("outline", 2.1, tall(0.5), drawn(true, wavy(0.34, 0.3, 0)), row(7, 0.32, 90)))
	add("Ripples in sand", torn(0.6, 0.3, 41), made("outline", 2.2, tall(0.3), drawn(true, wavy(0.3, 0.42, 0.25)), row(13, 0.17, 82), soft(0.05)))

	// marks
	add("Warning stripes", edge, made("bar", 0.28, tall(4), turned(-45), row(9, 0.56, 0)))
	add("Chequers", edge, made("bar", 0.25, tall(0.25), field(8, 8, 0.5, 0)), made("bar", 0.25, tall(0.25), at(0.25, 0.25), field(8, 8, 0.5, 0)))
	add("Arrow", edge, made("outline", 1.9, drawn(false, pt(1, 0, 0.25, 0.62, 0.25, 0.24, -1, 0.24, -1, -0.24, 0.25, -0.24, 0.25, -0.62))))
	add("Compass", edge, made("star", 1.9, sides(4), hole(0.2)), made("star", 1.3, sides(4), hole(0.24), turned(45)), made("disc", 0.2, cutOut), made("ring", 1.98, hole(0.94)))
	var dots []Shape
	for i := range 9 {
		d := 0.02 + 0.021*float32(i)
		dots = append(dots, made("disc", d, at(-0.92+0.23*float32(i), 0), row(9, 0.23, 90)))
	}
	add("Dots, growing", edge, dots...)
	var scales []Shape
	for j := range 11 { // each row lies over the one below it
		x, y := 0.2*float32(j%2), -1.1+0.2*float32(j)
		scales = append(scales, made("disc", 0.46, at(x, y), row(7, 0.4, 0), cutOut), made("disc", 0.39, at(x, y), row(7, 0.4, 0)))
	}
	add("Scales", edge, scales...)
	add("Bricks", edge, made("rounded bar", 0.46, tall(0.2), corner(0.02), field(5, 5, 0.5, 0)), made("rounded bar", 0.46, tall(0.2), corner(0.02), at(0.25, 0.25), field(5, 5, 0.5, 0)))
}
