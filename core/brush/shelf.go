package brush

import "velvetgrime/core/blend"

// Made is a brush of the shelf: how it is set, and what it is meant to lay. Strength and
// Hardness are 0..1; Values are as in Stroke (colours sRGB-encoded, height in metres).
type Made struct {
	ID       string               `json:"id,omitempty" doc:"of one that was kept in the stock"`
	Name     string               `json:"name"`
	Group    string               `json:"group"`
	Help     string               `json:"help"`
	Radius   float32              `json:"radius" doc:"metres; 0: as it was"`
	Strength float32              `json:"strength"`
	Hardness float32              `json:"hardness"`
	Blend    blend.Mode           `json:"blend,omitempty"`
	Does     string               `json:"does,omitempty"`
	PenSize  bool                 `json:"penSize,omitempty"`
	PenFlow  bool                 `json:"penFlow,omitempty"`
	Kit      *Kit                 `json:"kit,omitempty" doc:"none: the stroke is swept"`
	Values   map[string][]float32 `json:"values,omitempty" doc:"what it suggests, by channel"`
}

func byPressure(what string, from float32) Drive {
	return Drive{By: "pressure", What: what, From: from, To: 1}
}

func pen(list ...Drive) []Drive { return list }

func grainOf(kind string, mm, amount float32) *Grain { return &Grain{kind, mm / 1000, amount, ""} }

// lineGrain is a grain that runs along the stroke.
func lineGrain(kind string, mm, amount float32) *Grain {
	return &Grain{kind, mm / 1000, amount, GrainLine}
}

func tone(r, g, b float32) map[string][]float32 { return map[string][]float32{"baseColor": {r, g, b}} }

// with adds another channel's value.
func with(m map[string][]float32, channel string, v float32) map[string][]float32 {
	m[channel] = []float32{v}
	return m
}

// Shelf lists the brushes that ship with the application.
func Shelf() []Made {
	size, strength, flow := byPressure("size", 0.3), byPressure("strength", 0), byPressure("flow", 0.1)
	return []Made{
		{Name: "Round", Group: "plain", Help: "An even line with a soft border; pressure gives the strength.", Strength: 1, Hardness: 0.4, PenFlow: true},
		{Name: "Marker", Group: "plain", Help: "Hard and even.", Strength: 1, Hardness: 0.92, Kit: &Kit{Spacing: 0.06, Flow: 1, Pen: pen(size)}},
		{Name: "Mist", Group: "plain", Help: "A very soft spot that builds up slowly.", Strength: 0.8, Kit: &Kit{Spacing: 0.08, Flow: 0.07, Build: true, Falloff: even(1, 0.82, 0.45, 0.17, 0.04, 0), Pen: pen(flow)}},
		{Name: "Writing nib", Group: "plain", Help: "A flat nib held at a slant: thick one way, thin the other.", Strength: 1, Hardness: 0.9, Kit: &Kit{Spacing: 0.03, Flow: 1, Round: 0.16, Angle: 38, Pen: pen(size)}},
		{Name: "Edge hatch", Group: "plain", Help: "Fine lines beside each other along the stroke.", Strength: 0.9, Kit: &Kit{Tip: "comb", Spacing: 0.12, Flow: 0.55, Along: true, Pen: pen(strength)}},

		{Name: "Wall chalk", Group: "dry", Help: "Chalk that catches on the hills of the surface.", Strength: 0.95, Kit: &Kit{Tip: "chalk", Spacing: 0.14, Flow: 0.5, AngleJitter: 1, StrengthJitter: 0.3, Grain: grainOf("cloud", 1.2, 0.9), Pen: pen(strength)}, Values: tone(0.88, 0.87, 0.82)},
		{Name: "Dry bristle", Group: "dry", Help: "A worn brush with little paint: its hairs leave lines.", Strength: 1, Kit: &Kit{Tip: "bristle", Spacing: 0.035, Flow: 0.5, Along: true, Grain: lineGrain("fibre", 2, 0.6), Pen: pen(byPressure("flow", 0.05), size)}},
		{Name: "Loaded bristle", Group: "dry", Help: "Full of paint; hairs show in colour at the borders.", Strength: 1, Kit: &Kit{Tip: "bristle", Spacing: 0.02, Flow: 0.8, Along: true, LightJitter: 0.12, Pen: pen(size)}},
		{Name: "Sea sponge", Group: "dry", Help: "Dabbed on, turned each time.", Strength: 0.9, Kit: &Kit{Tip: "sponge", Spacing: 0.45, Flow: 0.75, AngleJitter: 1, SizeJitter: 0.25, LightJitter: 0.12, Pen: pen(strength)}},
		{Name: "Rag", Group: "dry", Help: "Soft cloth pattern, for wiping dirt in or off.", Strength: 0.7, Kit: &Kit{Tip: "cloud", Spacing: 0.3, Flow: 0.4, AngleJitter: 1, Grain: grainOf("weave", 1.4, 0.75), Pen: pen(strength)}},
		{Name: "Scraper", Group: "dry", Help: "A straight blade drawn over the surface.", Strength: 1, Kit: &Kit{Tip: "slab", Spacing: 0.05, Flow: 0.12, Along: true, Angle: 90, Grain: grainOf("cloud", 1.8, 0.95), Pen: pen(flow)}},

		{Name: "Salt spatter", Group: "specks", Help: "Drops of all sizes, thrown.", Strength: 1, Kit: &Kit{Tip: "spatter", Spacing: 0.55, Flow: 0.9, AngleJitter: 1, SizeJitter: 0.6, Scatter: 0.5, StrengthJitter: 0.3, Pen: pen(size)}, Values: tone(0.86, 0.86, 0.83)},
		{Name: "Tar flick", Group: "specks", Help: "Few heavy drops.", Strength: 1, Hardness: 0.85, Kit: &Kit{Spacing: 1.3, Flow: 1, SizeJitter: 0.92, Scatter: 2.2, Count: 2, Round: 0.8, AngleJitter: 1}, Values: with(tone(0.05, 0.045, 0.04), "roughness", 0.35)},
		{Name: "Loose dust", Group: "specks", Help: "Soft specks that lie about.", Strength: 0.7, Kit: &Kit{Tip: "dust", Spacing: 0.3, Flow: 0.9, AngleJitter: 1, Scatter: 0.4, LightJitter: 0.15, Pen: pen(flow)}, Values: with(tone(0.7, 0.65, 0.56), "roughness", 0.95)},
		{Name: "Hard grit", Group: "specks", Help: "Grains, for sand and cast skin.", Strength: 1, Kit: &Kit{Tip: "grit", Spacing: 0.4, Flow: 0.9, AngleJitter: 1, SizeJitter: 0.3, Scatter: 0.3}},
		{Name: "Foam", Group: "specks", Help: "Rings of bubbles that dried.", Strength: 0.8, Kit: &Kit{Tip: "ring", Spacing: 0.5, Flow: 0.7, SizeJitter: 0.8, Scatter: 1.2, Count: 3, StrengthJitter: 0.5}},

		{Name: "Paint chip", Group: "damage", Help: "Broken pieces with corners, hard as enamel.", Strength: 1, Kit: &Kit{Tip: "flake", Spacing: 0.6, Flow: 1, AngleJitter: 1, SizeJitter: 0.7, Scatter: 0.5, Pen: pen(size)}},
		{Name: "Chip edge", Group: "damage", Help: "Small chips close together, for working along an edge.", Strength: 1, Kit: &Kit{Tip: "flake", Spacing: 0.22, Flow: 1, AngleJitter: 1, SizeJitter: 0.55, Scatter: 0.25, Pen: pen(size)}},
		{Name: "Single scratch", Group: "damage", Help: "Thin broken lines along the stroke.", Strength: 1, Kit: &Kit{Tip: "scratch", Spacing: 0.75, Flow: 0.9, Along: true, AngleJitter: 0.03, StrengthJitter: 0.4, SizeJitter: 0.3, Pen: pen(strength)}},
		{Name: "Scuff", Group: "damage", Help: "Many scratches about one direction.", Strength: 0.9, Kit: &Kit{Tip: "scratch", Spacing: 0.12, Flow: 0.7, Along: true, AngleJitter: 0.12, SizeJitter: 0.6, Scatter: 0.7, StrengthJitter: 0.7, Pen: pen(strength)}},
		{Name: "Fine cracks", Group: "damage", Help: "Jagged lines that branch.", Strength: 1, Kit: &Kit{Tip: "crack", Spacing: 0.8, Flow: 1, Along: true, AngleJitter: 0.06, SizeJitter: 0.25}},
		{Name: "Dent", Group: "damage", Help: "Pressed in softly; for height.", Strength: 1, Blend: "add", Kit: &Kit{Spacing: 1.2, Flow: 1, SizeJitter: 0.5, Scatter: 0.4, Falloff: even(1, 0.96, 0.82, 0.55, 0.25, 0.06, 0)}, Values: map[string][]float32{"height": {-0.0006}}},

		{Name: "Rust bloom", Group: "growth", Help: "Ragged spots with a dense middle and grains around them.", Strength: 0.95, Kit: &Kit{Tip: "bloom", Spacing: 0.55, Flow: 0.85, AngleJitter: 1, SizeJitter: 0.6, Scatter: 0.6, HueJitter: 0.03, LightJitter: 0.3, Pen: pen(size)}, Values: with(with(tone(0.42, 0.19, 0.07), "roughness", 0.9), "metallic", 0)},
		{Name: "Verdigris bloom", Group: "growth", Help: "The same in the green of old copper.", Strength: 0.9, Kit: &Kit{Tip: "bloom", Spacing: 0.5, Flow: 0.7, AngleJitter: 1, SizeJitter: 0.6, Scatter: 0.6, HueJitter: 0.05, LightJitter: 0.2, Pen: pen(size)}, Values: with(tone(0.36, 0.6, 0.52), "roughness", 0.85)},
		{Name: "Moss", Group: "growth", Help: "Small cushions that stand up.", Strength: 1, Kit: &Kit{Tip: "tuft", Spacing: 0.4, Flow: 0.9, AngleJitter: 1, SizeJitter: 0.6, Scatter: 0.7, HueJitter: 0.06, LightJitter: 0.35, Pen: pen(size)}, Values: with(with(tone(0.21, 0.29, 0.09), "roughness", 1), "height", 0.0009)},
		{Name: "Leaf litter", Group: "growth", Help: "Pointed leaves, any way round.", Strength: 1, Kit: &Kit{Tip: "leaf", Spacing: 0.9, Flow: 1, AngleJitter: 1, SizeJitter: 0.5, Scatter: 1.1, HueJitter: 0.08, LightJitter: 0.3}},
		{Name: "Plumage", Group: "growth", Help: "Feathers that lie along the stroke, each over the last.", Strength: 1, Kit: &Kit{Tip: "plume", Spacing: 0.35, Flow: 0.95, Along: true, AngleJitter: 0.05, SizeJitter: 0.2, Scatter: 0.35, LightJitter: 0.28, Pen: pen(size)}},

		{Name: "Grease", Group: "wet", Help: "Dark and smooth, thick in the middle.", Strength: 0.85, Kit: &Kit{Tip: "cloud", Spacing: 0.12, Flow: 0.22, AngleJitter: 1, SizeJitter: 0.3, Scatter: 0.15, Pen: pen(flow)}, Values: with(tone(0.06, 0.05, 0.04), "roughness", 0.22)},
		{Name: "Gull mark", Group: "wet", Help: "A drop that has begun to run, white.", Strength: 1, Kit: &Kit{Tip: "drop", Spacing: 2.5, Flow: 1, AngleJitter: 0.04, SizeJitter: 0.4}, Values: with(tone(0.9, 0.89, 0.85), "roughness", 0.6)},
		{Name: "Damp patch", Group: "wet", Help: "Darker where the surface is wet.", Strength: 0.55, Blend: "multiply", Kit: &Kit{Tip: "cloud", Spacing: 0.25, Flow: 0.3, AngleJitter: 1, Scatter: 0.25, Pen: pen(flow)}, Values: with(tone(0.45, 0.43, 0.4), "roughness", 0.3)},

		{Name: "Stitches", Group: "rows", Help: "One thread after the other; for height.", Strength: 1, Kit: &Kit{Tip: "stitch", Spacing: 0.95, Flow: 1, Along: true, Round: 0.55}, Values: map[string][]float32{"height": {0.0008}}},
		{Name: "Weld", Group: "rows", Help: "A round bead with the ripples that it set in; for height.", Strength: 1, Kit: &Kit{Spacing: 0.06, Flow: 0.13, Along: true, SizeJitter: 0.05, Falloff: even(1, 0.97, 0.88, 0.72, 0.45, 0), Grain: lineGrain("ripple", 2.4, 0.5)}, Values: with(map[string][]float32{"height": {0.0016}}, "roughness", 0.45)},
		{Name: "Rope", Group: "rows", Help: "Strands of a laid rope; for height.", Strength: 1, Kit: &Kit{Tip: "strand", Spacing: 0.3, Flow: 1, Along: true}, Values: with(map[string][]float32{"height": {0.002}}, "roughness", 0.9)},
		{Name: "Rivets", Group: "rows", Help: "Round heads at even distances; for height.", Strength: 1, Kit: &Kit{Tip: "dome", Spacing: 2.2, Flow: 1}, Values: with(with(map[string][]float32{"height": {0.0015}}, "roughness", 0.35), "metallic", 1)},

		{Name: "Lift", Group: "over paint", Help: "Makes what is painted lighter or higher.", Strength: 0.25, Does: Lighten, Hardness: 0.1, Kit: &Kit{Spacing: 0.1, Flow: 0.2, Pen: pen(flow)}},
		{Name: "Sink", Group: "over paint", Help: "Makes what is painted darker or lower.", Strength: 0.25, Does: Darken, Hardness: 0.1, Kit: &Kit{Spacing: 0.1, Flow: 0.2, Pen: pen(flow)}},
		{Name: "Blunt", Group: "over paint", Help: "Softens what is painted, over seams too.", Strength: 0.9, Does: Soften, Hardness: 0.3, Kit: &Kit{Spacing: 0.1, Flow: 0.25, Pen: pen(flow)}},
		{Name: "Gather", Group: "over paint", Help: "Draws what is painted together: folds and creases become narrower.", Strength: 0.7, Does: Pinch, Hardness: 0.1},
		{Name: "Level", Group: "over paint", Help: "Takes heights to the one where the stroke began.", Strength: 0.6, Does: Flatten, Hardness: 0.4},
		{Name: "Whet", Group: "over paint", Help: "Sharpens what is painted.", Strength: 0.6, Does: Sharpen, Hardness: 0.3, Kit: &Kit{Spacing: 0.1, Flow: 0.2, Pen: pen(flow)}},
	}
}
