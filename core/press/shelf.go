package press

import "fmt"

// Shipped is a stamp that comes with the application.
type Shipped struct {
	Group  string `json:"group"`
	Recipe Recipe `json:"recipe"`
}

// laid changes a shape: pieces of what follows.
type laid func(*Shape)

func made(kind string, wide float32, list ...laid) Shape {
	s := Shape{Kind: kind, Wide: wide, Level: 1}
	for _, f := range list {
		f(&s)
	}
	return s
}

func tall(v float32) laid      { return func(s *Shape) { s.Tall = v } }
func high(v float32) laid      { return func(s *Shape) { s.Level = v } }
func slope(v float32) laid     { return func(s *Shape) { s.Rise = v } }
func rounded(v float32) laid   { return func(s *Shape) { s.Rise, s.Form = v, "round" } }
func hollow(v float32) laid    { return func(s *Shape) { s.Rise, s.Form = v, "hollow" } }
func soft(v float32) laid      { return func(s *Shape) { s.Rise, s.Form = v, "soft" } }
func at(x, y float32) laid     { return func(s *Shape) { s.X, s.Y = x, y } }
func turned(v float32) laid    { return func(s *Shape) { s.Turn = v } }
func hole(v float32) laid      { return func(s *Shape) { s.Inner = v } }
func sides(n int) laid         { return func(s *Shape) { s.Sides = n } }
func corner(v float32) laid    { return func(s *Shape) { s.Corner = v } }
func how(v string) laid        { return func(s *Shape) { s.Combine = v } }
func says(v, font string) laid { return func(s *Shape) { s.Text, s.Font = v, font } }
func line(curved bool, p ...[2]float32) laid {
	return func(s *Shape) { s.Points, s.Curved = p, curved }
}
func row(n int, step, angle float32) laid {
	return func(s *Shape) { s.Repeat = &Repeat{Kind: "row", Count: n, Step: step, Angle: angle} }
}
func circle(n int, radius, angle float32) laid {
	return func(s *Shape) { s.Repeat = &Repeat{Kind: "circle", Count: n, Step: radius, Angle: angle, Turn: true} }
}
func field(n, rows int, step, angle float32) laid {
	return func(s *Shape) { s.Repeat = &Repeat{Kind: "field", Count: n, Rows: rows, Step: step, Angle: angle} }
}

var (
	cutOut = how("subtract")
	on     = how("add")
	smooth = func(v float32) Treat { return Treat{Kind: "soften", Amount: v} }
	pitted = func(v, scale float32, seed int) Treat {
		return Treat{Kind: "noise", Amount: v, Scale: scale, Seed: seed}
	}
	uneven = func(v float32) Treat { return Treat{Kind: "soften by", Amount: v, By: "clouds", Scale: 0.5, Seed: 3} }
)

// Shelf returns the stamps that come with the application, group by group.
func Shelf() []Shipped {
	var out []Shipped
	add := func(group, name string, after []Treat, shapes ...Shape) {
		out = append(out, Shipped{group, Recipe{name, shapes, append([]Treat{}, after...)}})
	}
	little := []Treat{smooth(0.012)}
	worn := []Treat{smooth(0.015), pitted(0.02, 0.16, 4), uneven(0.03)}

	add("rivets", "Snap rivet", little, made("disc", 1.9, high(0.16), rounded(0.1)), made("dome", 1.5))
	add("rivets", "Pan rivet", worn, made("disc", 1.7, rounded(0.34)), made("disc", 0.9, cutOut, high(0.06), soft(0.2)))
	add("rivets", "Flush rivet", little, made("disc", 1.7, high(0.45), soft(0.08)), made("ring", 1.9, hole(0.86), high(0.3), slope(0.06)), made("disc", 0.34, cutOut, high(0.14), soft(0.15)))
	add("rivets", "Cone rivet", worn, made("disc", 1.85, high(0.14), rounded(0.08)), made("disc", 1.5, slope(0.62)))
	add("rivets", "Rivet on a rove", worn, made("polygon", 1.95, sides(4), turned(45), corner(0.1), high(0.3), slope(0.12)), made("dome", 0.85, on, high(0.7)))

	add("bolts", "Hexagon bolt", worn, made("polygon", 1.62, sides(6), high(0.85), slope(0.04)), made("disc", 1.6, how("lowest"), rounded(0.3)), made("disc", 1.96, high(0.22), rounded(0.07)))
	add("bolts", "Square bolt", worn, made("polygon", 1.7, sides(4), turned(45), corner(0.04), high(0.9), slope(0.07)), made("disc", 1.75, how("lowest"), rounded(0.4)), made("disc", 1.96, high(0.16), rounded(0.06)))
	add("bolts", "Coach bolt", worn, made("disc", 1.9, rounded(0.75), high(0.8)), made("polygon", 0.5, sides(4), turned(45), on, high(0.08), slope(0.05)))
	add("bolts", "Slotted screw", worn, made("disc", 1.8, rounded(0.45), high(0.85)), made("bar", 2, tall(0.24), turned(28), cutOut, high(0.6), slope(0.03)))
	add("bolts", "Cross-cut screw", worn, made("disc", 1.8, rounded(0.5), high(0.85)), made("cross", 1.05, hole(0.26), turned(14), cutOut, high(0.6), slope(0.07)))
	add("bolts", "Socket screw", little, made("disc", 1.8, slope(0.08), high(0.85)), made("polygon", 0.95, sides(6), cutOut, high(0.7), slope(0.05)), made("gear", 1.8, sides(40), hole(0.95), how("lowest"), slope(0.06)))
	add("bolts", "Six-lobe screw", little, made("disc", 1.8, rounded(0.4), high(0.85)), made("star", 0.95, sides(6), hole(0.72), corner(0.05), cutOut, high(0.65), slope(0.06)))
	add("bolts", "Two-hole screw", little, made("disc", 1.8, slope(0.16), high(0.8)), made("disc", 0.3, row(2, 0.85, 30), cutOut, high(0.7), slope(0.05)))
	add("bolts", "Thread end", worn, made("disc", 1.1, high(0.95), slope(0.1)), made("polygon", 1.75, sides(6), turned(11), high(0.62), slope(0.1)), made("ring", 1.12, hole(0.9), cutOut, high(0.25), soft(0.03)))

	add("washers", "Washer", little, made("ring", 1.85, hole(0.48), high(0.5), rounded(0.06)))
	add("washers", "Split washer", little, made("ring", 1.8, hole(0.62), high(0.7), rounded(0.12)), made("bar", 0.7, tall(0.1), at(0.7, 0.08), turned(52), cutOut, slope(0.02)))
	add("washers", "Toothed washer", little, made("star", 1.9, sides(16), hole(0.8), high(0.55), slope(0.05)), made("disc", 0.95, cutOut, slope(0.05)))
	add("washers", "Hexagon nut", worn, made("polygon", 1.8, sides(6), high(0.85), slope(0.05)), made("disc", 1.76, how("lowest"), rounded(0.3)), made("disc", 0.86, cutOut, slope(0.08)), made("ring", 0.98, hole(0.86), on, high(0.05), soft(0.05)))
	add("washers", "Wing nut", worn, made("outline", 1.9, line(true, [2]float32{-1, 0.34}, [2]float32{-0.55, 0.4}, [2]float32{0, 0.2}, [2]float32{0.55, 0.4}, [2]float32{1, 0.34}, [2]float32{0.92, -0.12}, [2]float32{0.3, -0.22}, [2]float32{-0.3, -0.22}, [2]float32{-0.92, -0.12}), high(0.6), rounded(0.25)), made("disc", 0.72, high(0.95), rounded(0.15)), made("disc", 0.36, cutOut, high(0.7), slope(0.04)))

	add("vents", "Slotted vent", little, made("rounded bar", 1.9, corner(0.18), high(0.45), rounded(0.07)), made("rounded bar", 1.4, tall(0.14), corner(0.07), row(5, 0.29, 90), cutOut, high(0.45), slope(0.03)))
	add("vents", "Louvre", little, made("rounded bar", 1.9, corner(0.12), high(0.25), rounded(0.05)), made("outline", 1.62, line(false, [2]float32{-1, -0.18}, [2]float32{1, -0.18}, [2]float32{0.94, 0.2}, [2]float32{-0.94, 0.2}), row(4, 0.42, 90), on, high(0.7), hollow(0.3)))
	add("vents", "Hole grille", little, made("disc", 1.92, high(0.5), rounded(0.08)), made("disc", 0.17, field(9, 9, 0.21, 45), how("subtract"), high(0.5), slope(0.02)), made("ring", 1.92, hole(0.82), high(0.56), rounded(0.08)))
	add("vents", "Bar grille", little, made("ring", 1.95, hole(0.84), high(0.9), rounded(0.08)), made("rounded bar", 1.62, tall(0.12), corner(0.06), row(6, 0.26, 90), high(0.6), rounded(0.06)), made("disc", 1.95, how("lowest")))
	add("vents", "Woven grille", little, made("rounded bar", 2.6, tall(0.1), corner(0.05), turned(45), row(9, 0.28, 135), high(0.5), rounded(0.05)), made("rounded bar", 2.6, tall(0.1), corner(0.05), turned(-45), row(9, 0.28, 45), on, high(0.35), rounded(0.05)),
		made("disc", 1.8, how("lowest")), made("ring", 1.95, hole(0.86), high(0.9), rounded(0.07)))
	add("vents", "Ring grille", little, made("ring", 1.9, hole(0.86), high(0.8), rounded(0.06)), made("ring", 1.36, hole(0.82), high(0.6), rounded(0.06)), made("ring", 0.84, hole(0.72), high(0.6), rounded(0.06)), made("bar", 1.7, tall(0.09), high(0.7), rounded(0.04)), made("bar", 0.09, tall(1.7), high(0.7), rounded(0.04)), made("disc", 0.36, high(0.9), rounded(0.12)))

	plate := func(w, h, c float32) []Shape {
		return []Shape{made("rounded bar", w, tall(h), corner(c), high(0.42), rounded(0.05)), made("rounded bar", w-0.16, tall(h-0.16), corner(max(c-0.08, 0)), cutOut, high(0.12), slope(0.03))}
	}
	add("plates", "Blank plate", worn, append(plate(1.95, 1.3, 0.14), made("dome", 0.18, at(-0.79, 0.47), how("highest"), high(0.7)), made("dome", 0.18, at(0.79, 0.47), high(0.7)), made("dome", 0.18, at(-0.79, -0.47), high(0.7)), made("dome", 0.18, at(0.79, -0.47), high(0.7)))...)
	add("plates", "Berth plate", worn, append(plate(1.95, 1.5, 0.2), made("text", 1.1, says("12", "bold"), tall(0.85), on, high(0.4), rounded(0.06)), made("dome", 0.2, row(2, 1.62, 0), high(0.75)))...)
	add("plates", "Landing plate", worn, append(plate(1.96, 0.8, 0.1), made("text", 1.62, says("LOW WICK", "bold"), on, high(0.4), rounded(0.03)))...)
	add("plates", "Oval plate", worn, made("disc", 1.9, tall(1.25), high(0.42), rounded(0.07)), made("disc", 1.66, tall(1.02), cutOut, high(0.14), slope(0.03)), made("star", 0.75, sides(8), hole(0.45), on, high(0.35), slope(0.12)))
	add("plates", "Chequer plate", little, made("disc", 0.6, tall(0.14), turned(45), field(4, 4, 0.5, 0), high(0.8), rounded(0.06)), made("disc", 0.6, tall(0.14), turned(-45), at(0.25, 0.25), field(4, 4, 0.5, 0), high(0.8), rounded(0.06)))
	add("plates", "Patch plate", worn, made("polygon", 1.9, sides(8), turned(22.5), corner(0.08), high(0.4), rounded(0.06)), made("dome", 0.2, circle(8, 0.72, 0), high(0.8)))

	add("fittings", "Strap hinge", worn, made("outline", 1.95, line(true, [2]float32{-0.62, 0.3}, [2]float32{0.3, 0.16}, [2]float32{0.86, 0.12}, [2]float32{0.98, 0}, [2]float32{0.86, -0.12}, [2]float32{0.3, -0.16}, [2]float32{-0.62, -0.3}), high(0.4), rounded(0.06)), made("rounded bar", 0.3, tall(1), at(-0.72, 0), corner(0.14), high(0.85), rounded(0.15)), made("bar", 0.4, tall(0.04), at(-0.72, 0), row(2, 0.36, 90), cutOut, high(0.5), slope(0.015)), made("dome", 0.2, at(0.16, 0), row(3, 0.5, 0), high(0.8)))
	add("fittings", "Butt hinge", worn, made("rounded bar", 1.7, tall(1.5), corner(0.08), high(0.35), rounded(0.04)), made("rounded bar", 0.26, tall(1.5), corner(0.12), high(0.9), rounded(0.13)), made("bar", 0.4, tall(0.035), row(4, 0.3, 90), cutOut, high(0.6), slope(0.015)), made("disc", 0.2, at(-0.52, 0), row(3, 0.46, 90), cutOut, high(0.2), slope(0.08)), made("disc", 0.2, at(0.52, 0), row(3, 0.46, 90), cutOut, high(0.2), slope(0.08)))
	add("fittings", "Keyhole", worn, made("disc", 1.1, tall(1.9), high(0.5), rounded(0.1)), made("disc", 0.42, at(0, 0.22), cutOut, slope(0.05)), made("outline", 0.3, tall(0.9), at(0, -0.18), line(false, [2]float32{-0.5, 0.7}, [2]float32{0.5, 0.7}, [2]float32{0.95, -0.7}, [2]float32{-0.95, -0.7}), cutOut, slope(0.05)), made("dome", 0.14, row(2, 1.6, 90), high(0.7)))
	add("fittings", "Lock plate", worn, append(plate(1.5, 1.9, 0.3), made("disc", 0.5, at(0, 0.15), high(0.62), rounded(0.12)), made("disc", 0.24, at(0, 0.2), cutOut, slope(0.03)), made("bar", 0.1, tall(0.4), at(0, 0), cutOut, slope(0.03)), made("dome", 0.16, row(2, 1.55, 90), high(0.7)))...)
	add("fittings", "Horn cleat", worn, made("rounded bar", 0.9, tall(0.56), corner(0.26), high(0.4), rounded(0.14)), made("outline", 1.95, line(true, [2]float32{-1, 0.02}, [2]float32{-0.5, 0.17}, [2]float32{0, 0.25}, [2]float32{0.5, 0.17}, [2]float32{1, 0.02}, [2]float32{0.98, -0.1}, [2]float32{0.5, -0.15}, [2]float32{0, -0.22}, [2]float32{-0.5, -0.15}, [2]float32{-0.98, -0.1}), high(0.95), rounded(0.2)), made("disc", 0.17, row(2, 0.5, 0), cutOut, high(0.4), slope(0.03)))
	add("fittings", "Ring bolt", worn, made("disc", 0.8, at(0, 0.5), high(0.4), rounded(0.08)), made("ring", 1.3, at(0, -0.25), hole(0.66), high(0.85), rounded(0.11)), made("rounded bar", 0.34, tall(0.5), at(0, 0.42), corner(0.15), high(1), rounded(0.16)))
	add("fittings", "Valve wheel", worn, made("ring", 1.9, hole(0.8), high(0.9), rounded(0.1)), made("rounded bar", 0.2, tall(0.9), corner(0.1), circle(5, 0.42, 0), high(0.6), rounded(0.1)), made("disc", 0.55, high(0.85), rounded(0.12)), made("polygon", 0.3, sides(4), cutOut, high(0.5), slope(0.03)))
	add("fittings", "Cog", worn, made("gear", 1.92, sides(14), high(0.6), slope(0.05)), made("ring", 1.2, hole(0.7), cutOut, high(0.25), slope(0.06)), made("disc", 0.6, high(0.85), slope(0.06)), made("disc", 0.28, cutOut, slope(0.03)))
	add("fittings", "Deck drain", worn, made("disc", 1.92, high(0.55), rounded(0.08)), made("rounded bar", 0.13, tall(0.62), corner(0.06), circle(8, 0.52, 0), cutOut, high(0.55), slope(0.02)), made("disc", 0.3, cutOut, high(0.3), slope(0.05)), made("ring", 1.9, hole(0.9), on, high(0.12), slope(0.04)))

	add("joints", "Spot weld", []Treat{pitted(0.06, 0.25, 8), smooth(0.02)}, made("disc", 1.5, tall(1.4), high(0.5), soft(0.35)), made("disc", 0.8, cutOut, high(0.4), soft(0.35)), made("ring", 1.6, hole(0.7), high(0.6), soft(0.18)))
	add("joints", "Weld dot", []Treat{pitted(0.05, 0.3, 5), smooth(0.015)}, made("disc", 1.6, tall(1.45), high(0.75), rounded(0.7)), made("ring", 1.1, hole(0.72), on, high(0.12), soft(0.12)), made("disc", 0.24, at(0.05, 0.1), cutOut, high(0.2), soft(0.12)))
	add("joints", "Weld ripple", []Treat{pitted(0.04, 0.2, 6), smooth(0.012)}, made("disc", 1.7, tall(1.2), rounded(0.6), high(0.7)), made("disc", 1.7, tall(1.2), at(0.42, 0), cutOut, high(0.35), soft(0.25)), made("ring", 1.5, tall(1), at(-0.1, 0), hole(0.82), on, high(0.15), soft(0.08)))
	add("joints", "Solder drop", []Treat{smooth(0.02)}, made("outline", 1.5, tall(1.9), line(true, [2]float32{0, 0.95}, [2]float32{0.2, 0.2}, [2]float32{0.7, -0.3}, [2]float32{0.5, -0.9}, [2]float32{-0.5, -0.9}, [2]float32{-0.7, -0.3}, [2]float32{-0.2, 0.2}), high(0.9), rounded(0.5)))

	strand := func(n int, wide, tl, step, lean float32) Shape {
		return made("disc", wide, tall(tl), turned(lean), row(n, step, 0), rounded(tl*0.5), high(0.9))
	}
	add("rope", "Whipping", []Treat{pitted(0.05, 0.06, 2), smooth(0.01)}, made("rounded bar", 0.15, tall(1.5), corner(0.07), turned(-4), row(12, 0.15, 0), high(0.9), rounded(0.075)), made("rounded bar", 1.9, tall(1.5), corner(0.1), how("multiply"), rounded(0.7)), made("rounded bar", 0.16, tall(1.7), turned(-62), corner(0.08), high(0.95), rounded(0.08)))
	add("rope", "Rope end", []Treat{pitted(0.06, 0.05, 3), smooth(0.012)}, made("disc", 0.86, circle(3, 0.44, 0), high(0.9), rounded(0.4)), made("bar", 0.03, tall(0.8), field(9, 1, 0.12, 0), cutOut, high(0.12), soft(0.015)), made("ring", 1.9, hole(0.84), high(0.6), rounded(0.08)))
	add("rope", "Coil", []Treat{pitted(0.05, 0.05, 9), smooth(0.01)}, made("ring", 1.92, hole(0.78), high(0.85), rounded(0.11)), made("ring", 1.48, hole(0.71), high(0.88), rounded(0.11)), made("ring", 1.03, hole(0.58), high(0.9), rounded(0.11)), made("disc", 0.58, high(0.95), rounded(0.2)), made("bar", 0.03, tall(0.26), turned(38), circle(40, 0.85, 0), cutOut, high(0.22), soft(0.015)), made("bar", 0.03, tall(0.26), turned(38), circle(30, 0.63, 0), cutOut, high(0.22), soft(0.015)), made("bar", 0.03, tall(0.26), turned(38), circle(20, 0.4, 0), cutOut, high(0.22), soft(0.015)))
	add("rope", "Laid strand", []Treat{pitted(0.05, 0.06, 7), smooth(0.012)}, strand(5, 1.25, 0.5, 0.42, 58), made("rounded bar", 2.4, tall(1.15), corner(0.5), how("multiply"), rounded(0.55)))

	add("shells", "Limpet", []Treat{pitted(0.05, 0.1, 11), smooth(0.012)}, made("disc", 1.8, tall(1.6), slope(0.85), high(0.95)), made("bar", 0.05, tall(0.75), circle(22, 0.48, 0), cutOut, high(0.14), soft(0.025)))
	add("shells", "Cockle", []Treat{smooth(0.012), pitted(0.02, 0.1, 12)}, made("outline", 1.9, line(true, [2]float32{0, -0.95}, [2]float32{0.5, -0.62}, [2]float32{0.95, 0.1}, [2]float32{0.72, 0.68}, [2]float32{0, 0.92}, [2]float32{-0.72, 0.68}, [2]float32{-0.95, 0.1}, [2]float32{-0.5, -0.62}), high(0.9), rounded(0.75)), func() Shape {
		s := made("bar", 0.045, tall(1.5), cutOut, high(0.16), soft(0.022), at(0, -0.9))
		s.Repeat = &Repeat{Kind: "circle", Count: 40, Step: 0.85, Turn: true}
		return s
	}())
	add("shells", "Barnacle shell", []Treat{pitted(0.05, 0.12, 13), smooth(0.012)}, made("star", 1.9, sides(9), hole(0.78), corner(0.06), high(0.9), slope(0.62)), made("disc", 0.62, tall(0.5), cutOut, high(0.9), slope(0.1)), made("bar", 0.05, tall(0.5), circle(18, 0.6, 0), cutOut, high(0.12), soft(0.02)))
	add("shells", "Mussel", []Treat{smooth(0.015)}, made("outline", 1.2, tall(1.95), turned(18), line(true, [2]float32{-0.1, 0.98}, [2]float32{0.62, 0.5}, [2]float32{0.92, -0.3}, [2]float32{0.3, -0.96}, [2]float32{-0.5, -0.7}, [2]float32{-0.62, 0.1}), high(0.9), rounded(0.55)), made("ring", 1.5, at(0.05, -0.9), hole(0.95), cutOut, high(0.05), soft(0.02)), made("ring", 2.2, at(0.05, -0.9), hole(0.965), cutOut, high(0.05), soft(0.02)))
	add("shells", "Sea star", []Treat{pitted(0.08, 0.07, 14), smooth(0.012)}, made("star", 1.95, sides(5), hole(0.36), corner(0.1), high(0.85), rounded(0.32)), made("dome", 0.12, circle(5, 0.3, 0), on, high(0.2)), made("dome", 0.1, circle(5, 0.55, 0), on, high(0.2)))

	stencils(func(name string, after []Treat, shapes ...Shape) { add("stencils", name, after, shapes...) })
	for n := range 10 {
		add("numbers", fmt.Sprintf("Number %d", n), little, made("text", 1.7, says(fmt.Sprint(n), "bold"), high(0.8), rounded(0.09)))
	}
	return out
}

// ByName returns a stamp of the shelf, or nil.
func ByName(name string) *Recipe {
	for _, s := range Shelf() {
		if s.Recipe.Name == name {
			return &s.Recipe
		}
	}
	return nil
}
