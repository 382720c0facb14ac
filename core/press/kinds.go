package press

import "slices"

// Setting is one setting of a shape or treatment, as the page draws it. Name is its
// field in the recipe's JSON.
type Setting struct {
	Name    string   `json:"name"`
	Label   string   `json:"label"`
	Help    string   `json:"help"`
	Kind    string   `json:"kind" enum:"number,integer,choice,text,switch,outline,profile,file"`
	Min     float32  `json:"min"`
	Max     float32  `json:"max"`
	Default any      `json:"default"`
	Choices []string `json:"choices,omitempty"`
	Unit    string   `json:"unit,omitempty"`
	Scale   float32  `json:"scale" doc:"shown value = stored value × scale"`
	Nought  string   `json:"nought,omitempty" doc:"what 0 means, where it is no amount"`
}

// Described is a shape or a treatment.
type Described struct {
	Kind     string    `json:"kind"`
	Help     string    `json:"help"`
	Settings []Setting `json:"settings"`
}

func (k *Described) uses(name string) bool {
	return slices.ContainsFunc(k.Settings, func(s Setting) bool { return s.Name == name })
}

func share(name, label, help string, lo, hi, def float32) Setting {
	return Setting{name, label, help, "number", lo, hi, def, nil, "%", 100, ""}
}

func nought(says string, s Setting) Setting {
	s.Nought = says
	return s
}

func degrees(name, label, help string) Setting {
	return Setting{name, label, help, "number", -180, 180, float32(0), nil, "°", 1, ""}
}

func choice(name, label, help string, list []string) Setting {
	return Setting{name, label, help, "choice", 0, 0, list[0], list, "", 1, ""}
}

// shape puts together the settings that every shape has and those of its own.
func shape(kind, help string, own ...Setting) Described {
	list := []Setting{
		choice("combine", "laid", "how it meets what lies below it", Combines),
		share("level", "height", "of its top", 0, 1, 1),
		share("wide", "width", "from side to side; 200 % is the whole stamp", 0.01, 4, 1),
		nought("as wide", share("tall", "length", "from foot to head", 0, 4, 0)),
	}
	list = append(list, own...)
	return Described{kind, help, append(list,
		share("x", "to the right", "of the middle", -2, 2, 0), share("y", "up", "from the middle", -2, 2, 0), degrees("turn", "turn", "about its middle"))}
}

var (
	rise = []Setting{nought("upright", share("rise", "rise", "over which it rises from its border inward", 0, 2, 0)), choice("form", "of form", "of the rise", Forms)}
	bent = share("corner", "corners", "radius to which they are rounded", 0, 1, 0)
)

func count(label, help string, def int) Setting {
	return Setting{"sides", label, help, "integer", 3, 64, def, nil, "", 1, ""}
}

func with(a []Setting, more ...Setting) []Setting { return append(slices.Clone(more), a...) }

var shapes = []Described{
	shape("disc", "A round or oval plate.", rise...),
	shape("ring", "A plate with a hole.", with(rise, share("inner", "hole", "its share of the width", 0.02, 0.98, 0.6))...),
	shape("polygon", "A plate with even sides: nuts, bolt heads.", with(rise, count("sides", "how many", 6), bent)...),
	shape("star", "Points around a middle.", with(rise, count("points", "how many", 5), share("inner", "waist", "how deep it is cut between its points", 0.02, 0.98, 0.5), bent)...),
	shape("bar", "A plate with right angles.", rise...),
	shape("rounded bar", "A plate with round corners or ends.", with(rise, share("corner", "corners", "radius to which they are rounded", 0, 1, 0.2))...),
	shape("cross", "Two bars across each other.", with(rise, share("inner", "bars", "their width, of the whole", 0.02, 0.98, 0.35), bent)...),
	shape("dome", "A bowl turned over, steep at its rim: y = 1 − x²."),
	shape("cone", "It rises evenly to a point."),
	shape("gear", "A wheel with teeth.", with(rise, count("teeth", "how many", 12), share("inner", "root", "radius between the teeth, of the whole", 0.02, 0.98, 0.78), bent)...),
	shape("text", "Letters and numbers.", with(rise, Setting{"text", "text", "up to 24 letters", "text", 0, 24, "7", nil, "", 1, ""}, choice("font", "font", "shipped with the application", Fonts))...),
	shape("outline", "A shape that you draw.", with(rise, Setting{"points", "outline", "drag its points; a click on a line adds one", "outline", -1, 1, [][2]float32{{-0.7, -0.6}, {0.7, -0.6}, {0.7, 0.6}, {-0.7, 0.6}}, nil, "", 1, ""}, Setting{"curved", "curved", "it goes smoothly through its points", "switch", 0, 1, false, nil, "", 1, ""})...),
	shape("picture", "An SVG drawing or a picture of your own: white is high, clear is nothing.", Setting{"file", "picture", "SVG, PNG, JPEG, TIFF or WebP", "file", 0, 0, "", nil, "", 1, ""}),
}

var treats = []Described{
	{"soften", "Blurs all of it.", []Setting{share("amount", "radius", "of the stamp's half", 0, 1, 0.03)}},
	{"soften by", "Blurs it here more, there less, as another picture says.", []Setting{share("amount", "radius", "where most", 0, 1, 0.08), choice("by", "where", "white there is softened most", Bys),
		share("scale", "size", "of the clouds", 0.01, 2, 0.4), {"seed", "seed", "other clouds", "integer", 0, 9999, 1, nil, "", 1, ""}, {"file", "picture", "that says where", "file", 0, 0, "", nil, "", 1, ""}}},
	{"cut", "Makes what is higher than a level high, and the rest low.", []Setting{share("amount", "level", "at which it is cut", 0, 1, 0.5), share("sharp", "sharpness", "of the cut", 0, 1, 0.9)}},
	{"profile", "Gives every height another, by a curve.", []Setting{{"points", "profile", "in across, out upward", "profile", 0, 1, [][2]float32{{0, 0}, {0.5, 0.75}, {1, 1}}, nil, "", 1, ""}}},
	{"bevel", "Slopes the borders of all that stands up, inward.", []Setting{share("amount", "width", "of the slope", 0, 1, 0.1), choice("form", "of form", "of the slope", Forms)}},
	{"noise", "Roughens what stands up.", []Setting{share("amount", "strength", "up and down", 0, 1, 0.1), share("scale", "size", "of its marks", 0.01, 2, 0.15), {"seed", "seed", "another noise", "integer", 0, 9999, 1, nil, "", 1, ""}}},
	{"stretch", "Lets the heights use their whole range.", []Setting{}},
	{"invert", "High becomes low.", []Setting{}},
}

// Kinds lists the shapes, and what can be done to all of them.
func Kinds() (shape, treat []Described) { return shapes, treats }

func find(list []Described, kind string) *Described {
	for i := range list {
		if list[i].Kind == kind {
			return &list[i]
		}
	}
	return nil
}

func kindOf(kind string) *Described  { return find(shapes, kind) }
func treatOf(kind string) *Described { return find(treats, kind) }
