// Package press makes stamps: greyscale height pictures from shapes that are moved,
// turned, repeated and combined, then shaped as a whole. A recipe is drawn at any size;
// lengths in it are in halves of the stamp, which goes from −1 to 1 both ways, y up.
package press

import (
	"fmt"
	"math"
	"slices"
)

// Recipe is how a stamp is made.
type Recipe struct {
	Name   string  `json:"name" doc:"of the stamp"`
	Shapes []Shape `json:"shapes" doc:"laid one on the other"`
	After  []Treat `json:"after" doc:"what is done to all of it then, in this order"`
}

// Shape is one shape of a recipe, or a row or circle of them. Each kind reads only some
// of the settings: Kinds tells which.
type Shape struct {
	Kind    string  `json:"kind" doc:"what it is"`
	Off     bool    `json:"off,omitempty" doc:"left out"`
	Combine string  `json:"combine,omitempty" doc:"how it meets what lies below: highest (usual), add, subtract, multiply, lowest, difference"`
	Level   float32 `json:"level" doc:"its height, 0..1"`
	X       float32 `json:"x,omitempty" doc:"to the right, −2..2"`
	Y       float32 `json:"y,omitempty" doc:"up, −2..2"`
	Turn    float32 `json:"turn,omitempty" doc:"degrees, anticlockwise"`
	Wide    float32 `json:"wide,omitempty" doc:"from side to side, 0.01..4"`
	Tall    float32 `json:"tall,omitempty" doc:"from foot to head, 0.01..4; 0: as wide"`
	Rise    float32 `json:"rise,omitempty" doc:"over which it rises from its border inward, 0..2; 0: upright"`
	Form    string  `json:"form,omitempty" doc:"of the rise: straight (usual), round, hollow, soft"`
	Sides   int     `json:"sides,omitempty" doc:"of a polygon, points of a star, teeth of a gear, 3..64"`
	Inner   float32 `json:"inner,omitempty" doc:"share: a ring's hole, a star's and a gear's inner radius, the bars of a cross, 0.02..0.98"`
	Corner  float32 `json:"corner,omitempty" doc:"radius of rounded corners, 0..1"`
	Text    string  `json:"text,omitempty" doc:"up to 24 letters"`
	Font    string  `json:"font,omitempty" doc:"bold (usual), regular, mono"`
	// Points is a drawn outline in −1..1, closed; Curved rounds it through its points.
	Points [][2]float32 `json:"points,omitempty" doc:"of a drawn outline, −1..1"`
	Curved bool         `json:"curved,omitempty" doc:"the outline goes smoothly through its points"`
	// File is an SVG, PNG, JPEG, TIFF or WebP picture that belongs to the recipe.
	File   []byte  `json:"file,omitempty" doc:"the picture itself, base64"`
	Repeat *Repeat `json:"repeat,omitempty" doc:"a row, a circle or a field of it"`
}

// Repeat lays a shape several times.
type Repeat struct {
	Kind  string  `json:"kind" enum:"row,circle,field"`
	Count int     `json:"count" doc:"2..64; of a field, along a row"`
	Rows  int     `json:"rows,omitempty" doc:"of a field, 1..32"`
	Step  float32 `json:"step" doc:"from one to the next, or the circle's radius, 0.01..2"`
	Turn  bool    `json:"turn,omitempty" doc:"on a circle each is turned outward"`
	Angle float32 `json:"angle,omitempty" doc:"degrees that the row is turned, or at which the circle begins"`
}

// Treat is something done to the whole.
type Treat struct {
	Kind   string       `json:"kind" doc:"what is done"`
	Off    bool         `json:"off,omitempty" doc:"left out"`
	Amount float32      `json:"amount,omitempty" doc:"soften: radius, 0..1; bevel: width, 0..1; noise: strength, 0..1; cut: level, 0..1"`
	Sharp  float32      `json:"sharp,omitempty" doc:"of a cut, 0 soft .. 1 sharp"`
	Scale  float32      `json:"scale,omitempty" doc:"size of the noise's marks, 0.01..2"`
	Seed   int          `json:"seed,omitempty" doc:"another noise"`
	Form   string       `json:"form,omitempty" doc:"of a bevel: straight (usual), round, hollow, soft"`
	By     string       `json:"by,omitempty" doc:"soften by: clouds (usual), middle, rim, left to right, foot to head, heights, picture"`
	Points [][2]float32 `json:"points,omitempty" doc:"of a profile: (in, out), 0..1"`
	File   []byte       `json:"file,omitempty" doc:"the picture that says how much is softened where, base64"`
}

// Limits of a recipe.
const (
	MaxShapes = 64
	MaxTreats = 32
	MaxFile   = 4 << 20
	MaxSize   = 4096
)

// Combines are the ways in which a shape meets what lies below it.
var Combines = []string{"highest", "add", "subtract", "multiply", "lowest", "difference"}

// Forms are the forms of a rise.
var Forms = []string{"straight", "round", "hollow", "soft"}

// Fonts are the fonts that text can be set in.
var Fonts = []string{"bold", "regular", "mono"}

// Bys are the pictures by which softening goes.
var Bys = []string{"clouds", "middle", "rim", "left to right", "foot to head", "heights", "picture"}

// Check returns why a recipe cannot be made, naming the shape or treatment.
func (r *Recipe) Check() error {
	if len(r.Name) > 80 {
		return fmt.Errorf("the stamp's name is longer than 80 letters")
	}
	if len(r.Shapes) > MaxShapes || len(r.After) > MaxTreats {
		return fmt.Errorf(
			"a stamp has at most %d shapes and %d treatments; this one has %d and %d",
			MaxShapes,
			MaxTreats,
			len(r.Shapes),
			len(r.After),
		)
	}
	for i := range r.Shapes {
		if err := r.Shapes[i].check(); err != nil {
			return fmt.Errorf("shape %d (%s): %w", i+1, r.Shapes[i].Kind, err)
		}
	}
	for i := range r.After {
		if err := r.After[i].check(); err != nil {
			return fmt.Errorf("treatment %d (%s): %w", i+1, r.After[i].Kind, err)
		}
	}
	return nil
}

func within(name string, v, lo, hi float32) error {
	if !(v >= lo && v <= hi) { // also of what is no number
		return fmt.Errorf("its %s is %v; it goes from %v to %v", name, v, lo, hi)
	}
	return nil
}

func oneOf(name, v string, list []string) error {
	if v != "" && !slices.Contains(list, v) {
		return fmt.Errorf("there is no %s %q; there are %q", name, v, list)
	}
	return nil
}

func first(list ...error) error {
	for _, err := range list {
		if err != nil {
			return err
		}
	}
	return nil
}

func (s *Shape) check() error {
	k := kindOf(s.Kind)
	if k == nil {
		return fmt.Errorf("there is no such shape")
	}
	if err := first(
		oneOf("way to combine", s.Combine, Combines), oneOf("form", s.Form, Forms), oneOf("font", s.Font, Fonts),
		within("height", s.Level, 0, 1), within("x", s.X, -2, 2), within("y", s.Y, -2, 2), within("turn", s.Turn, -360, 360),
		within("width", s.Wide, 0, 4), within("height from foot to head", s.Tall, 0, 4), within("rise", s.Rise, 0, 2),
		within("inner share", s.Inner, 0, 0.98), within("corner", s.Corner, 0, 1)); err != nil {
		return err
	}
	if k.uses("sides") && s.Sides != 0 && (s.Sides < 3 || s.Sides > 64) {
		return fmt.Errorf("it has %d sides; 3 to 64 are possible", s.Sides)
	}
	if n := len([]rune(s.Text)); n > 24 {
		return fmt.Errorf("its text has %d letters; at most 24 are possible", n)
	}
	if k.uses("points") && (len(s.Points) < 3 || len(s.Points) > 256) {
		return fmt.Errorf("its outline has %d points; 3 to 256 are possible", len(s.Points))
	}
	for _, p := range s.Points {
		if err := first(within("outline", p[0], -4, 4), within("outline", p[1], -4, 4)); err != nil {
			return err
		}
	}
	if len(s.File) > MaxFile {
		return fmt.Errorf("its picture has %d bytes; at most %d are possible", len(s.File), MaxFile)
	}
	if r := s.Repeat; r != nil {
		if err := first(oneOf("repeat", r.Kind, []string{"row", "circle", "field"}), within("step", r.Step, 0.001, 2), within("angle", r.Angle, -360, 360)); err != nil {
			return err
		}
		if r.Count < 1 || r.Count > 64 || r.Rows < 0 || r.Rows > 32 {
			return fmt.Errorf("it is repeated %d times in %d rows; at most 64 in 32 are possible", r.Count, r.Rows)
		}
	}
	return nil
}

func (t *Treat) check() error {
	k := treatOf(t.Kind)
	if k == nil {
		return fmt.Errorf("there is no such treatment")
	}
	if err := first(oneOf("form", t.Form, Forms), oneOf("picture to go by", t.By, Bys),
		within("amount", t.Amount, 0, 1), within("sharpness", t.Sharp, 0, 1), within("scale", t.Scale, 0, 2)); err != nil {
		return err
	}
	if len(t.File) > MaxFile {
		return fmt.Errorf("its picture has %d bytes; at most %d are possible", len(t.File), MaxFile)
	}
	if len(t.Points) > 32 || k.Kind == "profile" && len(t.Points) < 2 {
		return fmt.Errorf("its profile has %d points; 2 to 32 are possible", len(t.Points))
	}
	last := float32(math.Inf(-1))
	for _, p := range t.Points {
		if err := first(within("profile", p[0], 0, 1), within("profile", p[1], 0, 1)); err != nil {
			return err
		}
		if p[0] <= last {
			return fmt.Errorf("the points of its profile do not go from left to right")
		}
		last = p[0]
	}
	return nil
}

func (s *Shape) size() (w, h float32) {
	w = s.Wide
	if w == 0 {
		w = 1
	}
	if h = s.Tall; h == 0 {
		h = w
	}
	return w, h
}
