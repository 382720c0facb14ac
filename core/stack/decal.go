package stack

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"velvetgrime/core/brush"
	"velvetgrime/core/warp"
)

// Decal is a picture or some words set on the surface at a place, with a direction, a size
// and a depth. It is not bound to islands, sheets or parts.
type Decal struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	Hidden  bool       `json:"hidden,omitempty"`
	Locked  bool       `json:"locked,omitempty" doc:"refuses every change but unlocking"`
	Picture string     `json:"picture,omitempty" doc:"a stored picture"`
	Text    string     `json:"text,omitempty" doc:"in place of a picture: words, in up to eight lines"`
	Font    string     `json:"font,omitempty" enum:",bold,regular,mono"`
	Apart   float32    `json:"apart,omitempty" minimum:"-0.3" maximum:"3" doc:"how much farther apart the letters of words lie, in heights of a capital"`
	Gaps    float32    `json:"gaps,omitempty" minimum:"0" maximum:"0.5" doc:"the bridges in the closed parts of letters, as cut for a stencil, in heights of a capital"`
	Color   [3]float32 `json:"color" doc:"of words and of what has no colours of its own, sRGB-encoded"`
	Cover   string     `json:"cover,omitempty" enum:",light,dark,key" doc:"what of a picture covers: what its alpha says, what is light, what is dark, or all that is not the key colour"`
	Key     [3]float32 `json:"key" doc:"the key colour, sRGB-encoded"`
	Pos     [3]float32 `json:"pos" doc:"its middle, metres"`
	Nrm     [3]float32 `json:"nrm" doc:"how the surface faces there"`
	Up      [3]float32 `json:"up" doc:"towards its head"`
	Wide    float32    `json:"wide" doc:"metres"`
	Tall    float32    `json:"tall,omitempty" doc:"metres; 0: as its picture or its words have it"`
	Depth   float32    `json:"depth" doc:"metres before and behind its middle within which it lies on the surface"`
	Corners []float32  `json:"corners,omitempty" doc:"none, or eight numbers: by how far its corners were pulled away from where they would lie, in shares of its width and height: upper left, upper right, lower right, lower left, each to the right and downward"`
	Facing  float32    `json:"facing" doc:"degrees by which the surface may turn away from it; 180: any"`
	Wrapped bool       `json:"wrapped,omitempty" doc:"it follows the surface around bends and keeps its size; otherwise it is flat and is cast along its normal"`
	Through bool       `json:"through,omitempty" doc:"what lies behind something else has it too"`
	Flip    bool       `json:"flip,omitempty" doc:"left is right"`
	Amount  float32    `json:"amount" minimum:"0" maximum:"1"`
	Worn    float32    `json:"worn,omitempty" minimum:"0" maximum:"1" doc:"how much of it has flaked off; of words each letter by itself, some more and some less"`
	Seed    int        `json:"seed,omitempty" minimum:"0" maximum:"9999" doc:"where it has flaked off"`
	Row     *DecalRow  `json:"row,omitempty" doc:"several of them"`
	Hand    *Step      `json:"hand,omitempty" doc:"a hand step, decal: and the decal's id, which begins white: where it is painted black the decal was taken off by hand"`
}

// Erased lists the strokes that took some of it off, or put it back, oldest first.
func (c *Decal) Erased() []*brush.Stroke {
	if c.Hand == nil {
		return nil
	}
	return c.Hand.Strokes
}

// handed returns the layer with a hand step on a decal that has none, to be painted in; the layer
// must be a copy already. ok is false when there is no such decal.
func (l *Layer) handed(step string) (s *Step, ok bool) {
	id, ok := strings.CutPrefix(step, InDecal)
	i, err := l.decal(id)
	if !ok || err != nil {
		return nil, false
	}
	s = &Step{ID: step, Kind: Hand, On: true, Amount: 1}
	l.setHand(i, s)
	return s, true
}

func (l *Layer) setHand(i int, s *Step) {
	c := *l.Decals[i]
	c.Hand = s
	l.Decals = slices.Clone(l.Decals)
	l.Decals[i] = &c
}

// attach gives the decal's hand the strokes that it names.
func (c *Decal) attach(strokes map[string]*brush.Stroke) error {
	if c.Hand == nil {
		return nil
	}
	n := *c.Hand
	c.Hand = &n
	return (&Layer{Name: c.Name, Mask: []*Step{c.Hand}}).attach(func(id string) *brush.Stroke { return strokes[id] })
}

// Pulled is by how far its corners were pulled; ok is false when they were not.
func (c *Decal) Pulled() (off [8]float32, ok bool) {
	return off, copy(off[:], c.Corners) == len(off)
}

// DecalRow sets a decal several times.
type DecalRow struct {
	Kind  string     `json:"kind" enum:"row,axis,line,mirror" doc:"beside each other, round an axis, along a line on the surface, or once more on the other side of a plane, where words stay readable"`
	Count int        `json:"count" minimum:"2" maximum:"64"`
	Step  float32    `json:"step" doc:"of a row metres from one to the next, to the right; round an axis degrees, 0: evenly all around; along a line metres, 0: evenly from end to end, or all round a closed one"`
	At    [3]float32 `json:"at" doc:"a place on the axis, or in the plane, metres"`
	Axis  [3]float32 `json:"axis" doc:"its direction, or how the plane faces"`
	Line  []float32  `json:"line,omitempty" doc:"of a row along a line its points, six numbers each: place and how the surface faces; one that ends where it begins is closed"`
}

// MaxLine is how many points the line of a row may have.
const MaxLine = 4096

// MaxDecals is how many a layer may hold.
const MaxDecals = 200

func (c *Decal) check() error {
	size := func(what string, v, lo float32) error {
		if !(v >= lo && v <= 1000) {
			return fmt.Errorf("its %s is %v m; it goes from %v to 1000", what, v, lo)
		}
		return nil
	}
	direction := func(what string, v [3]float32) error {
		l := math.Sqrt(float64(v[0])*float64(v[0]) + float64(v[1])*float64(v[1]) + float64(v[2])*float64(v[2]))
		if !(l > 1e-6 && l < 1e6) {
			return fmt.Errorf("%s is no direction: %v", what, v)
		}
		return nil
	}
	for _, v := range [][3]float32{c.Pos, c.Color, c.Key} {
		for _, x := range v {
			if !(x > -1e6 && x < 1e6) {
				return fmt.Errorf("%v is no usable number", x)
			}
		}
	}
	switch {
	case c.ID == "" || len(c.ID) > 64 || len(c.Name) > 200:
		return fmt.Errorf("the id %q is empty, or id or name is too long", c.ID[:min(len(c.ID), 70)])
	case c.Picture != "" && c.Text != "":
		return fmt.Errorf("it has a picture and words; it can have one of them")
	case utf8.RuneCountInString(c.Text) > 200 || strings.Count(c.Text, "\n") > 7:
		return fmt.Errorf("its words are longer than 200 letters or eight lines")
	case !slices.Contains([]string{"", "bold", "regular", "mono"}, c.Font):
		return fmt.Errorf("there is no font %q; there are bold, regular and mono", c.Font)
	case !slices.Contains([]string{"", "light", "dark", "key"}, c.Cover):
		return fmt.Errorf("what covers, %q, is none of light, dark, key", c.Cover)
	case !(c.Apart >= -0.3 && c.Apart <= 3):
		return fmt.Errorf("its letters lie %v heights farther apart; that goes from -0.3 to 3", c.Apart)
	case !(c.Gaps >= 0 && c.Gaps <= 0.5):
		return fmt.Errorf("its letters have bridges %v heights wide; that goes from 0 to 0.5", c.Gaps)
	case !(c.Worn >= 0 && c.Worn <= 1):
		return fmt.Errorf("%v of it has flaked off; that goes from 0 to 1", c.Worn)
	case len(c.Corners) != 0 && len(c.Corners) != 8:
		return fmt.Errorf("its corners are %d numbers; they are eight, or none", len(c.Corners))
	case c.Seed < 0 || c.Seed > 9999:
		return fmt.Errorf("its seed is %d; it goes from 0 to 9999", c.Seed)
	case c.Hand != nil && (c.Hand.Kind != Hand || c.Hand.ID != InDecal+c.ID || len(c.Hand.Steps) > 0):
		return fmt.Errorf("what was taken off it by hand is a %s step %q; it can be a hand step %q alone", c.Hand.Kind, c.Hand.ID, InDecal+c.ID)
	case !(c.Facing > 0 && c.Facing <= 180):
		return fmt.Errorf("it faces up to %v degrees away; it goes from above 0 to 180", c.Facing)
	}
	for _, err := range []error{
		size("width", c.Wide, 1e-5), size("height", c.Tall, 0), size("depth", c.Depth, 1e-6),
		direction("how the surface faces", c.Nrm), direction("what is up", c.Up), unit("amount", c.Amount),
	} {
		if err != nil {
			return err
		}
	}
	if off, ok := c.Pulled(); ok {
		if slices.ContainsFunc(c.Corners, func(v float32) bool { return !(v >= -4 && v <= 4) }) {
			return fmt.Errorf("its corners are pulled by %v; that goes from -4 to 4", c.Corners)
		}
		if _, err := warp.NewQuad(off); err != nil {
			return err
		}
	}
	if r := c.Row; r != nil {
		switch {
		case !slices.Contains([]string{"row", "axis", "line", "mirror"}, r.Kind):
			return fmt.Errorf("it is repeated as %q; it can be as row, axis, line or mirror", r.Kind)
		case len(r.Line)%6 != 0 || len(r.Line) > 6*MaxLine || r.Kind == "line" && len(r.Line) < 12:
			return fmt.Errorf("its line has %d numbers; it takes six a point, and 2 to %d points", len(r.Line), MaxLine)
		case slices.ContainsFunc(r.Line, func(v float32) bool { return !(v > -1e6 && v < 1e6) }):
			return fmt.Errorf("a point of its line is no usable place")
		case r.Count < 2 || r.Count > 64:
			return fmt.Errorf("it is repeated %d times; it can be 2 to 64", r.Count)
		case !(r.Step >= -1000 && r.Step <= 1000):
			return fmt.Errorf("from one to the next is %v; it goes to 1000", r.Step)
		case r.Kind == "axis" || r.Kind == "mirror":
			return direction("its axis", r.Axis)
		}
	}
	return nil
}

func (l *Layer) checkDecals() error {
	if len(l.Decals) > 0 && l.Kind != Decals {
		return fmt.Errorf("a %s layer cannot hold decals; only a decal layer can", l.Kind)
	}
	if len(l.Decals) > MaxDecals {
		return fmt.Errorf("it holds %d decals; at most %d are possible", len(l.Decals), MaxDecals)
	}
	seen := map[string]bool{}
	for i, c := range l.Decals {
		if c == nil {
			return fmt.Errorf("decal %d is null", i+1)
		}
		if err := c.check(); err != nil {
			return fmt.Errorf("decal %d (%s): %w", i+1, c.Name, err)
		}
		if seen[c.ID] {
			return fmt.Errorf("decal %d (%s): the id %q is used twice", i+1, c.Name, c.ID)
		}
		seen[c.ID] = true
	}
	return nil
}

// decal returns the place of a decal in a layer.
func (l *Layer) decal(id string) (int, error) {
	i := slices.IndexFunc(l.Decals, func(c *Decal) bool { return c.ID == id })
	if i < 0 {
		return 0, fmt.Errorf("layer %q has no decal %q", l.Name, id)
	}
	return i, nil
}

// withDecals changes the decals of a layer.
func (d *Document) withDecals(target string, f func(l *Layer, list []*Decal) ([]*Decal, error)) error {
	l, err := d.layerTo(target)
	if err != nil {
		return err
	}
	if l.Kind != Decals {
		return fmt.Errorf("layer %q is no decal layer", l.Name)
	}
	list, err := f(l, slices.Clone(l.Decals))
	if err != nil {
		return err
	}
	if len(list) == 0 {
		list = nil
	}
	d.Layers, _ = replace(d.Layers, l.ID, func(n *Layer) { n.Decals = list })
	return nil
}

// AddDecal sets a decal.
type AddDecal struct {
	Target string `json:"target" doc:"the decal layer's id"`
	Index  int    `json:"index,omitempty" doc:"lowest 0; -1 on top"`
	Decal  *Decal `json:"value"`

	Strokes map[string]*brush.Stroke `json:"-"`
}

// Kind implements Op.
func (AddDecal) Kind() string { return "decal.add" }

func (o AddDecal) layer() string { return o.Target }

func (o AddDecal) carry(strokes map[string]*brush.Stroke) Op { o.Strokes = strokes; return o }

func (o AddDecal) apply(d *Document) (Op, string, error) {
	if o.Decal == nil {
		return nil, "", fmt.Errorf("decal.add has no decal")
	}
	if err := o.Decal.check(); err != nil {
		return nil, "", fmt.Errorf("decal %q: %w", o.Decal.Name, err)
	}
	err := d.withDecals(o.Target, func(_ *Layer, list []*Decal) ([]*Decal, error) {
		i, err := slot(o.Index, len(list))
		if err != nil {
			return nil, err
		}
		c := *o.Decal
		return slices.Insert(list, i, &c), c.attach(o.Strokes)
	})
	return RemoveDecal{o.Target, o.Decal.ID}, "Set " + o.Decal.Name, err
}

// RemoveDecal takes a decal off.
type RemoveDecal struct {
	Target string `json:"target" doc:"the decal layer's id"`
	Decal  string `json:"decal" doc:"its id"`
}

// Kind implements Op.
func (RemoveDecal) Kind() string { return "decal.remove" }

func (o RemoveDecal) layer() string { return o.Target }

func (o RemoveDecal) apply(d *Document) (Op, string, error) {
	var back AddDecal
	err := d.withDecals(o.Target, func(l *Layer, list []*Decal) ([]*Decal, error) {
		i, err := l.decal(o.Decal)
		if err != nil {
			return nil, err
		}
		back = AddDecal{Target: o.Target, Index: i, Decal: list[i], Strokes: strokesOf(&Layer{Decals: list[i : i+1]})}
		return slices.Delete(list, i, i+1), nil
	})
	if err != nil {
		return nil, "", err
	}
	return back, "Take off " + back.Decal.Name, nil
}

// SetDecal changes a decal: where it lies, what it shows, how.
type SetDecal struct {
	Target string `json:"target" doc:"the decal layer's id"`
	Decal  *Decal `json:"value" doc:"all of it, under the id that it has; what was taken off it by hand stays as it is"`
	Whole  bool   `json:"whole,omitempty" doc:"what was taken off it by hand is put back"`
	Label  string `json:"label,omitempty" doc:"for the ledger"`

	Strokes map[string]*brush.Stroke `json:"-"`
}

// Kind implements Op.
func (SetDecal) Kind() string { return "decal.set" }

func (o SetDecal) layer() string { return o.Target }

func (o SetDecal) carry(strokes map[string]*brush.Stroke) Op { o.Strokes = strokes; return o }

func (o SetDecal) apply(d *Document) (Op, string, error) {
	if o.Decal == nil {
		return nil, "", fmt.Errorf("decal.set has no decal")
	}
	if err := o.Decal.check(); err != nil {
		return nil, "", fmt.Errorf("decal %q: %w", o.Decal.Name, err)
	}
	if len(o.Label) > 100 {
		return nil, "", fmt.Errorf("the line for the ledger is longer than 100 letters")
	}
	var was *Decal
	err := d.withDecals(o.Target, func(l *Layer, list []*Decal) ([]*Decal, error) {
		i, err := l.decal(o.Decal.ID)
		if err != nil {
			return nil, err
		}
		if was = list[i]; was.Locked && o.Decal.Locked {
			return nil, fmt.Errorf("the decal %q is locked; unlock it first", was.Name)
		}
		c := *o.Decal
		list[i] = &c
		if o.Whole {
			c.Hand = nil
		} else if was.Hand != nil {
			c.Hand = was.Hand
			return list, nil
		}
		return list, c.attach(o.Strokes)
	})
	if err != nil {
		return nil, "", err
	}
	label := o.Label
	if label == "" {
		label = "Change " + o.Decal.Name
	}
	back := SetDecal{Target: o.Target, Decal: was, Label: label, Strokes: strokesOf(&Layer{Decals: []*Decal{was}})}
	return back, label, nil
}

// MoveDecal puts a decal elsewhere in the order of its layer.
type MoveDecal struct {
	Target string `json:"target" doc:"the decal layer's id"`
	Decal  string `json:"decal" doc:"its id"`
	Index  int    `json:"index,omitempty" doc:"counted without it; -1 on top"`
}

// Kind implements Op.
func (MoveDecal) Kind() string { return "decal.move" }

func (o MoveDecal) layer() string { return o.Target }

func (o MoveDecal) apply(d *Document) (Op, string, error) {
	was, label := 0, ""
	err := d.withDecals(o.Target, func(l *Layer, list []*Decal) ([]*Decal, error) {
		i, err := l.decal(o.Decal)
		if err != nil {
			return nil, err
		}
		c := list[i]
		was, label = i, "Order of "+c.Name
		list = slices.Delete(list, i, i+1)
		to, err := slot(o.Index, len(list))
		if err != nil {
			return nil, err
		}
		return slices.Insert(list, to, c), nil
	})
	return MoveDecal{o.Target, o.Decal, was}, label, err
}
