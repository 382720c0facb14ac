package step

import (
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
)

var axes = map[string]geom.Vec3{
	"up": {Y: 1}, "down": {Y: -1}, "east": {X: 1}, "west": {X: -1}, "south": {Z: 1}, "north": {Z: -1},
}

var axisNames = []string{"up", "down", "east", "west", "south", "north"}

// point is a place in model space.
func point(name, label string, x, y, z float64) Param {
	return Param{Name: name, Label: label, Kind: "point", Default: []any{x, y, z}, Help: "pick it on the model"}
}

// metres is a length shown in millimetres.
func metres(name, label, help string, def float64) Param {
	return Param{Name: name, Label: label, Kind: "number", Min: 0, Max: 100, Default: def, Unit: "mm", Scale: 1000, Help: help}
}

func at(v []float32) geom.Vec3 { return geom.V3(v[0], v[1], v[2]) }

func init() {
	register(Description{
		Kind: "gradient", Label: "Gradient", Role: "source", Group: gradients, Place: "axis",
		Help: "Grey by the place on the model: black at one end of an axis, white at the other.",
		Params: []Param{
			{Name: "axis", Label: "towards", Kind: "choice", Default: "up", Choices: axisNames, Help: "where it grows white"},
			{Name: "start", Label: "black until", Kind: "number", Min: -0.5, Max: 1.5, Default: 0.0, Unit: "%", Scale: 100, Help: "share of the model's length"},
			{Name: "end", Label: "white from", Kind: "number", Min: -0.5, Max: 1.5, Default: 1.0, Unit: "%", Scale: 100, Help: "share of the model's length"},
		},
		Run: func(in Input, out []float32) {
			a := axes[in.Choice("axis")]
			from, to := in.Bounds.Min, in.Bounds.Max
			if a.X+a.Y+a.Z < 0 {
				from, to = to, from
			}
			length := to.Sub(from).Dot(a)
			if length <= 0 {
				length = 1
			}
			s, e := in.Number("start"), in.Number("end")
			for i, p := range in.Frame.Pos {
				out[i] = p.Sub(from).Dot(a) / length
			}
			pix.Smoothstep(out, s, e)
		},
	})
	register(Description{
		Kind: "facing", Label: "Facing", Role: "source", Group: gradients,
		Help: "White where the surface faces a direction, black where it turns away: by light, wind or view.",
		Params: []Param{
			{Name: "axis", Label: "direction", Kind: "choice", Default: "up", Choices: append(append([]string(nil), axisNames...), "as set"), Help: "what white faces"},
			{Name: "start", Label: "black until", Kind: "number", Min: -1, Max: 1, Default: 0.2, Help: "cosine of the angle to the direction"},
			{Name: "end", Label: "white from", Kind: "number", Min: -1, Max: 1, Default: 0.9, Help: "cosine of the angle to the direction"},
			{Name: "towards", Label: "as set", Kind: "direction", Default: []any{0.4, 0.8, 0.4}, Help: "the direction when it is set freely"},
		},
		Run: func(in Input, out []float32) {
			a, ok := axes[in.Choice("axis")]
			if !ok {
				a = vec(in.Row("towards"))
			}
			s, e := in.Number("start"), in.Number("end")
			for i, n := range in.Frame.Nrm {
				out[i] = n.Dot(a)
			}
			pix.Smoothstep(out, s, e)
		},
	})
	register(Description{
		Kind: "gradient-line", Label: "Between two points", Role: "source", Group: gradients, Place: "line",
		Help:   "Black at one point in space, white at the other.",
		Params: []Param{point("from", "black at", 0, 0, 0), point("to", "white at", 0, 0.3, 0), {Name: "soft", Label: "ends", Kind: "choice", Default: "soft", Choices: []string{"soft", "straight"}, Help: "how it begins and ends"}},
		Run: func(in Input, out []float32) {
			a, b := at(in.Row("from")), at(in.Row("to"))
			d := b.Sub(a)
			l2 := max(d.Dot(d), 1e-12)
			straight := in.Choice("soft") == "straight"
			for i, p := range in.Frame.Pos {
				t := clamp01(p.Sub(a).Dot(d) / l2)
				if !straight {
					t = geom.Smooth(t)
				}
				out[i] = t
			}
		},
	})
	register(Description{
		Kind: "gradient-radial", Label: "Round a point", Role: "source", Group: gradients, Place: "ball",
		Help:   "White within a ball in space, fading outward.",
		Params: []Param{point("at", "middle", 0, 0.1, 0), metres("radius", "radius", "where it has become black", 0.1), number("core", "core", "share of the radius that is white throughout", 0, 1, 0.2)},
		Run: func(in Input, out []float32) {
			c, r, core := at(in.Row("at")), in.Number("radius"), in.Number("core")
			for i, p := range in.Frame.Pos {
				out[i] = 1 - geom.Smoothstep(min(core, 0.999), 1, p.Sub(c).Length()/r)
			}
		},
	})
	register(Description{
		Kind: "gradient-box", Label: "In a box", Role: "source", Group: gradients, Place: "box",
		Help: "White within a box in space, fading outward from its sides.",
		Params: []Param{point("at", "middle", 0, 0.1, 0), metres("width", "width", "along x", 0.2), metres("tall", "height", "along y", 0.2), metres("deep", "depth", "along z", 0.2),
			metres("fade", "fade", "width of the soft border outside of it", 0.02), {Name: "turn", Label: "turn", Kind: "number", Min: -180, Max: 180, Default: 0.0, Unit: "°", Help: "turned about its upright axis"}},
		Run: func(in Input, out []float32) {
			c, fade := at(in.Row("at")), max(in.Number("fade"), 1e-7)
			half := geom.V3(in.Number("width"), in.Number("tall"), in.Number("deep")).Mul(0.5)
			sin, cos := math.Sincos(float64(in.Number("turn")) * math.Pi / 180)
			for i, p := range in.Frame.Pos {
				d := p.Sub(c)
				x, z := abs32(float32(cos)*d.X-float32(sin)*d.Z)-half.X, abs32(float32(sin)*d.X+float32(cos)*d.Z)-half.Z
				o := geom.V3(max(x, 0), max(abs32(d.Y)-half.Y, 0), max(z, 0))
				out[i] = 1 - geom.Smoothstep(0, fade, o.Length())
			}
		},
	})
	register(Description{
		Kind: "gradient-uv", Label: "Along the UVs", Role: "source", Group: gradients,
		Help: "Black at one side of the sheet, white at the other.",
		Params: []Param{{Name: "side", Label: "towards", Kind: "choice", Default: "right", Choices: []string{"right", "left", "up", "down"}, Help: "where it grows white"},
			number("start", "black until", "share of the sheet", -0.5, 1.5, 0), number("end", "white from", "share of the sheet", -0.5, 1.5, 1)},
		Run: func(in Input, out []float32) {
			side, s, e := in.Choice("side"), in.Number("start"), in.Number("end")
			in.each(out, 0, func(i int) float32 {
				if in.Sheet == nil {
					return 0
				}
				uv := in.Sheet(i)
				t := uv.X
				switch side {
				case "left":
					t = 1 - uv.X
				case "down":
					t = uv.Y
				case "up":
					t = 1 - uv.Y
				}
				return geom.Smoothstep(s, e, t)
			})
		},
	})
	register(Description{
		Kind: "gradient-distance", Label: "Distance", Role: "source", Group: gradients, Surface: func(Input) []string { return []string{"distance"} },
		Help: "White near marked points, a part, or the borders of parts, measured along the surface or through the air.",
		Params: []Param{
			{Name: "from", Label: "from", Kind: "choice", Default: "points", Choices: []string{"points", "parts", "borders of parts", "sharp edges"}, Help: "what the distance is measured from"},
			{Name: "points", Label: "points", Kind: "points", Default: []any{}, Help: "marked on the model"},
			{Name: "parts", Label: "parts", Kind: "names", Default: []any{}, Help: "distance to these parts, through the air"},
			metres("near", "white until", "this near it is white throughout", 0), metres("far", "black from", "this far it is black", 0.05)},
		Run: func(in Input, out []float32) {
			near, far := in.Number("near"), in.Number("far")
			d := in.Read["distance"]
			for i := range out {
				out[i] = 0
				if d != nil {
					out[i] = 1 - geom.Smoothstep(near, max(far, near+1e-6), d[i])
				}
			}
		},
	})
	register(Description{
		Kind: "even", Label: "Even grey", Role: "source", Group: readings, Help: "One grey everywhere.",
		Params: []Param{{Name: "value", Label: "grey", Kind: "number", Min: 0, Max: 1, Default: 1.0, Help: "0 hides, 1 shows"}},
		Run: func(in Input, out []float32) {
			v := in.Number("value")
			for i := range out {
				out[i] = v
			}
		},
	})
	register(Description{
		Kind: stack.Hand, Label: "Hand", Role: "source", Group: readings, Hand: true, Special: true, Params: []Param{},
		Help: "Painted by hand over what came before; erasing brings that back.",
	})
}
