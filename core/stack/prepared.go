package stack

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
)

// Prepared is what was done to the model before the first layer: which file and
// which UV layout it has, its seams, its dense counterparts and baked maps. Blobs
// are named by their hash. Like the rest of a document it is never changed in place.
type Prepared struct {
	Model     string                      `json:"model,omitempty" doc:"blob of a newer version of the model; empty: the one the project began with"`
	ModelFile string                      `json:"modelFile,omitempty" doc:"file name of the model in that blob"`
	Layout    string                      `json:"layout,omitempty" doc:"blob of the UV layout; empty: the model's own"`
	Seams     []int32                     `json:"seams,omitempty" doc:"edges marked to be cut: 3·triangle + corner, rising"`
	Owners    [][2]int32                  `json:"owners,omitempty" doc:"chosen: where both islands have a texel, it is the first one's"`
	Dense     []Dense                     `json:"dense,omitempty" doc:"dense models to bake from"`
	Baked     map[string]map[string]Baked `json:"baked,omitempty" doc:"by sheet, then by map"`
	Settings  json.RawMessage             `json:"settings,omitempty" doc:"the last bake's"`
}

// Dense is a dense model to bake from.
type Dense struct {
	Name      string `json:"name"`
	Blob      string `json:"blob"`
	File      string `json:"file"`
	Triangles int    `json:"triangles"`
}

// Baked is one baked map of one sheet.
type Baked struct {
	Picture string     `json:"picture" doc:"blob of a picture of 16 bits"`
	Floats  string     `json:"floats,omitempty" doc:"blob of the same as EXR with every digit, when it was asked for"`
	Size    int        `json:"size"`
	Range   [2]float32 `json:"range" doc:"what black and white stand for"`
	From    string     `json:"from,omitempty" doc:"the dense model, or picture, that it was made from"`
	Missed  int        `json:"missed,omitempty" doc:"texels whose rays met nothing"`
}

// Limits of what is prepared.
const (
	maxSeams = 4 << 20
	maxDense = 32
)

func (p *Prepared) check() error {
	if p == nil {
		return nil
	}
	if len(p.Seams) > maxSeams || !slices.IsSorted(p.Seams) {
		return fmt.Errorf("the seams are not in order, or more than %d", maxSeams)
	}
	if len(p.Dense) > maxDense {
		return fmt.Errorf("there are %d dense models; at most %d are possible", len(p.Dense), maxDense)
	}
	for sheet, all := range p.Baked {
		for name, b := range all {
			if b.Picture == "" || b.Size < 1 || !(b.Range[1] > b.Range[0]) {
				return fmt.Errorf("sheet %q: the baked map %q has no picture or no range", sheet, name)
			}
		}
	}
	return nil
}

// Preparation returns what was prepared; never nil.
func (d *Document) Preparation() *Prepared {
	if d.Prepared == nil {
		return &Prepared{}
	}
	return d.Prepared
}

// Preparation is what the operation that sets what was prepared brings.
type Preparation struct {
	Prepared *Prepared            `json:"prepared"`
	Sheets   map[string]SheetSize `json:"sheets,omitempty" doc:"which sheets there are; none: the same"`
}

// SetPrepared sets what was prepared, and which sheets there are.
type SetPrepared struct {
	Value Preparation `json:"value"`
	Label string      `json:"label,omitempty" doc:"for the ledger"`
}

// Kind implements Op.
func (SetPrepared) Kind() string { return "prepare.set" }

// Prepare returns the operation that sets what is prepared and, when sheets is not
// nil, which sheets there are.
func Prepare(p *Prepared, sheets map[string]SheetSize, label string) Op {
	return SetPrepared{Preparation{p, sheets}, label}
}

func (o SetPrepared) apply(d *Document) (Op, string, error) {
	old := Preparation{d.Prepared, nil}
	if o.Value.Sheets != nil {
		old.Sheets = d.Sheets
		d.Sheets = o.Value.Sheets
	}
	d.Prepared = o.Value.Prepared
	return SetPrepared{old, o.Label}, cmp.Or(o.Label, "Prepare"), nil
}

// IDColor is a colour of the ID map that a reach covers.
type IDColor struct {
	Color     [3]float32 `json:"color" doc:"sRGB-encoded, 0..1"`
	Tolerance float32    `json:"tolerance" minimum:"0" maximum:"1" doc:"how far a component may be off"`
}

// Has reports whether a colour of the ID map is meant.
func (c IDColor) Has(r, g, b float32) bool {
	off := func(a, b float32) bool { return a-b > c.Tolerance+1.5/255 || b-a > c.Tolerance+1.5/255 }
	return !off(r, c.Color[0]) && !off(g, c.Color[1]) && !off(b, c.Color[2])
}

// WithBaked returns the operation that adds or replaces one baked map.
func (d *Document) WithBaked(sheet, name string, b Baked, label string) Op {
	p := *d.Preparation()
	all := maps.Clone(p.Baked)
	if all == nil {
		all = map[string]map[string]Baked{}
	}
	one := maps.Clone(all[sheet])
	if one == nil {
		one = map[string]Baked{}
	}
	one[name] = b
	all[sheet], p.Baked = one, all
	return Prepare(&p, nil, label)
}

// WithDense returns the operation that adds a dense model; one of the same name is
// replaced.
func (d *Document) WithDense(n Dense) Op {
	p := *d.Preparation()
	p.Dense = slices.DeleteFunc(slices.Clone(p.Dense), func(o Dense) bool { return o.Name == n.Name })
	p.Dense = append(p.Dense, n)
	return Prepare(&p, nil, "Dense model "+n.Name)
}
