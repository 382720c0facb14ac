// Package stack is the document: layers, streams, reaches and strokes as plain
// data. A Document and everything that hangs from it is immutable; operations
// (see op.go) make new documents that share what they did not touch.
package stack

import (
	"encoding/json"
	"fmt"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
)

// Document is the whole stack of a project.
type Document struct {
	Format  string               `json:"format" doc:"always velvetgrime.document"`
	Version int                  `json:"version" doc:"always 1"`
	Light   string               `json:"light,omitempty" enum:"encoded,linear" doc:"how colours are mixed: as their sRGB encoding (default) or as linear light"`
	Sheets  map[string]SheetSize `json:"sheets" doc:"texture size of each sheet by name"`
	Added   []AddedChannel       `json:"addedChannels,omitempty" doc:"channels that this project adds"`
	Layers  []*Layer             `json:"layers" doc:"innermost first"`

	Conditions *Conditions `json:"conditions,omitempty" doc:"what all agents read"`

	Palette []string `json:"palette,omitempty" doc:"colours kept with the project, as #rrggbb"`
	Judged  []Judged `json:"judged,omitempty" doc:"looks and views kept with the project"`

	Prepared *Prepared `json:"prepared,omitempty" doc:"what was done to the model before the first layer"`
}

// Linear is the Light of a project that mixes colours as linear light.
const Linear = "linear"

// SheetSize is how many texels a sheet has along one side.
type SheetSize struct {
	Size int `json:"size" enum:"128,256,512,1024,2048,4096,8192"`
}

// Layer kinds.
const (
	Fill  = "fill"
	Paint = "paint"
	Group = "group"
	// Picture is a layer whose channels were baked, a picture a sheet with coverage.
	Picture = "picture"
	// Decals is a layer of pictures and words set on the surface.
	Decals = "decals"
)

// Layer is one coat, or a group of them.
type Layer struct {
	ID       string           `json:"id"`
	Name     string           `json:"name"`
	Kind     string           `json:"kind" enum:"fill,paint,group,picture,decals"`
	Visible  bool             `json:"visible"`
	Locked   bool             `json:"locked,omitempty" doc:"refuses every change but unlocking"`
	Amount   float32          `json:"amount" minimum:"0" maximum:"1"`
	Blend    blend.Mode       `json:"blend,omitempty" doc:"of a group, for channels that have no coat of their own"`
	Isolated bool             `json:"isolated,omitempty" doc:"of a group: its layers meet each other alone before they meet what lies below (W3C Compositing, section 9)"`
	Reach    Reach            `json:"reach"`
	Channels map[Channel]Coat `json:"channels"`
	Mask     []*Step          `json:"mask" doc:"the stream of the mask; empty shows everything"`
	Layers   []*Layer         `json:"layers,omitempty" doc:"of a group, innermost first"`
	Dials    []Dial           `json:"dials,omitempty" doc:"of a group"`
	Made     *Origin          `json:"made,omitempty" doc:"of a group that was a material when it was put down"`
	Strokes  []*brush.Stroke  `json:"-"`
	StrokeID []string         `json:"strokes,omitempty" doc:"strokes of a paint layer, oldest first"`
	Decals   []*Decal         `json:"decals,omitempty" doc:"of a decal layer, lowest first"`
	Slides   []*Slide         `json:"slides,omitempty" doc:"placements of pictures through which its strokes were painted"`
}

// Origin tells what a group was made from.
type Origin struct {
	Name string `json:"name" doc:"of the material"`
	Seed int    `json:"seed" doc:"by which its noises were seeded"`
	// of one's own materials
	Item    string `json:"item,omitempty" doc:"its item in the stock; empty: it ships"`
	Version int    `json:"version,omitempty" doc:"which version of it was taken"`
}

// Reach limits a layer to what any of its lists names; with all lists empty it
// covers the whole model.
type Reach struct {
	Sheets  []string  `json:"sheets,omitempty"`
	Parts   []string  `json:"parts,omitempty"`
	Islands []int32   `json:"islands,omitempty" doc:"UV islands by number"`
	Faces   []int32   `json:"faces,omitempty" doc:"runs of triangles: first, count, first, count …"`
	IDs     []IDColor `json:"ids,omitempty" doc:"colours of the ID map"`
	Off     *Off      `json:"off,omitempty" doc:"what of all that it leaves out"`
}

// Off is what a reach leaves out.
type Off struct {
	Sheets  []string `json:"sheets,omitempty"`
	Parts   []string `json:"parts,omitempty"`
	Islands []int32  `json:"islands,omitempty"`
	Faces   []int32  `json:"faces,omitempty" doc:"runs of triangles: first, count, first, count …"`
}

// All reports whether the reach is the whole model.
func (r Reach) All() bool { return r.Bare() && r.Left().Bare() }

// Bare reports whether no list says what the reach covers: it is the whole model but for what
// it leaves out.
func (r Reach) Bare() bool {
	return len(r.Sheets)+len(r.Parts)+len(r.Islands)+len(r.Faces)+len(r.IDs) == 0
}

// Left returns what the reach leaves out, as one that covers that; it is All when that is
// nothing.
func (r Reach) Left() Reach {
	if r.Off == nil {
		return Reach{}
	}
	return Reach{Sheets: r.Off.Sheets, Parts: r.Off.Parts, Islands: r.Off.Islands, Faces: r.Off.Faces}
}

// But returns the reach without what another one covers by sheets, parts, islands and faces.
func (r Reach) But(left Reach) Reach {
	r.Off = nil
	if len(left.Sheets)+len(left.Parts)+len(left.Islands)+len(left.Faces) > 0 {
		r.Off = &Off{left.Sheets, left.Parts, left.Islands, left.Faces}
	}
	return r
}

// Coat is what a layer does to one channel. Value is ignored in a paint layer, a picture layer
// and a group; what these hold goes on through Stream.
type Coat struct {
	On       bool              `json:"on"`
	Value    []float32         `json:"value,omitempty"`
	Stream   []*Step           `json:"stream,omitempty" doc:"of a fill layer its source when not empty, the value otherwise; of all others what they hold goes on through it"`
	Range    []float32         `json:"range,omitempty" doc:"what black and white of the stream mean in a channel of one component"`
	Pictures map[string]string `json:"pictures,omitempty" doc:"of a picture layer: picture by sheet name"`
	Source   string            `json:"source,omitempty" enum:",value,color,grey,coverage" doc:"of a decal layer: its value, the picture's colour, its grey, or how much it covers; empty: a colour's colour, a number's value"`
	Blend    blend.Mode        `json:"blend"`
	Amount   float32           `json:"amount" minimum:"0" maximum:"1"`
	Bevel    float32           `json:"bevel,omitempty" minimum:"0" maximum:"1" doc:"of height: metres over which the coat rises from its border, in from where the mask is half; 0: as the mask"`
	Lip      float32           `json:"lip,omitempty" minimum:"0" maximum:"1" doc:"of a bevelled height: how far its border stands above the coat, in coats"`
}

// Step is one thing in a stream.
type Step struct {
	ID       string          `json:"id"`
	Kind     string          `json:"kind"`
	Name     string          `json:"name,omitempty" doc:"given by the artist; the kind's label when empty"`
	On       bool            `json:"on"`
	Blend    blend.Mode      `json:"blend,omitempty" doc:"how a source meets what came before"`
	Amount   float32         `json:"amount" minimum:"0" maximum:"1"`
	Params   map[string]any  `json:"params,omitempty"`
	Steps    []*Step         `json:"steps,omitempty" doc:"of a bundle, its stream; of a warp, the stream that pushes"`
	Strokes  []*brush.Stroke `json:"-"`
	StrokeID []string        `json:"strokes,omitempty" doc:"strokes of a hand step, oldest first"`
}

// Kinds of steps that the document itself has to know.
const (
	Hand   = "hand"
	Follow = "follow"
	Bundle = "bundle"
	// BakedStep reads a baked map, IDStep picks colours of the ID map.
	BakedStep = "baked"
	IDStep    = "id"
	// OtherSide brings what came before it to the counterparts of faces.
	OtherSide = "other-side"
)

// Below is the layer parameter of a follow step that reads all that lies below.
const Below = "below"

// MaskStream names a layer's mask where a stream is asked for; the others are
// named by their channel, or by InStep and the id of the step that holds them.
const MaskStream = "mask"

// InStep begins the name of a stream that lies inside a step.
const InStep = "step:"

// InDecal begins the name of the stream, of one hand step, that says what was taken off a decal;
// the decal's id follows.
const InDecal = "decal:"

// New returns an empty document with the given sheets at size texels.
func New(sheets []string, size int) *Document {
	d := &Document{Format: "velvetgrime.document", Version: 1, Sheets: map[string]SheetSize{}, Layers: []*Layer{}}
	for _, s := range sheets {
		d.Sheets[s] = SheetSize{size}
	}
	return d
}

// Strokes returns every stroke of the document by id.
func (d *Document) Strokes() map[string]*brush.Stroke {
	all := map[string]*brush.Stroke{}
	d.Walk(func(l *Layer, _ []*Layer) {
		for _, s := range l.Strokes {
			all[s.ID] = s
		}
		l.EachStep(func(st *Step) {
			for _, s := range st.Strokes {
				all[s.ID] = s
			}
		})
	})
	return all
}

// Pictures lists every picture that the document names, in no order.
func (d *Document) Pictures() []string {
	seen := map[string]bool{}
	tips := func(list []*brush.Stroke) {
		for _, s := range list {
			if s != nil && s.Kit != nil && s.Kit.Picture != "" {
				seen[s.Kit.Picture] = true
			}
			if s != nil && s.Stencil != nil {
				seen[s.Stencil.Picture] = true
			}
		}
	}
	d.Walk(func(l *Layer, _ []*Layer) {
		tips(l.Strokes)
		for _, s := range l.Slides {
			seen[s.Stencil.Picture] = true
		}
		for _, c := range l.Decals {
			if c.Picture != "" {
				seen[c.Picture] = true
			}
		}
		for _, c := range l.Channels {
			for _, h := range c.Pictures {
				seen[h] = true
			}
		}
		l.EachStep(func(s *Step) {
			tips(s.Strokes)
			if h, ok := s.Params["picture"].(string); ok && h != "" {
				seen[h] = true
			}
		})
	})
	var out []string
	for h := range seen {
		out = append(out, h)
	}
	return out
}

// file is the form of a document on disk: with its strokes.
type file struct {
	Document
	Strokes map[string]*brush.Stroke `json:"strokes,omitempty"`
}

// Encode writes the document as indented JSON; withStrokes adds the strokes.
func (d *Document) Encode(withStrokes bool) ([]byte, error) {
	f := file{Document: *d}
	if withStrokes {
		f.Strokes = d.Strokes()
	}
	return json.MarshalIndent(f, "", " ")
}

// Decode reads a document and checks it. Strokes that the JSON does not hold are
// asked from lookup, which may be nil.
func (r Rules) Decode(data []byte, lookup func(id string) *brush.Stroke) (*Document, error) {
	d, err := decode(data, lookup)
	if err != nil {
		return nil, err
	}
	return d, r.Check(d)
}

// DecodeLoose reads layers that were taken out of a document: what they follow
// need not be there.
func DecodeLoose(data []byte) (*Document, error) { return decode(data, nil) }

func decode(data []byte, lookup func(id string) *brush.Stroke) (*Document, error) {
	var f file
	if err := json.Unmarshal(data, &f); err != nil {
		return nil, fmt.Errorf("the document is not readable JSON: %w", err)
	}
	d := &f.Document
	if d.Format != "velvetgrime.document" || d.Version != 1 {
		return nil, fmt.Errorf("format %q version %d is not velvetgrime.document version 1", d.Format, d.Version)
	}
	find := func(id string) *brush.Stroke {
		s := f.Strokes[id]
		if s == nil && lookup != nil {
			s = lookup(id)
		}
		if s != nil {
			s.ID = id
		}
		return s
	}
	for _, l := range d.Layers {
		if err := l.attach(find); err != nil {
			return nil, err
		}
	}
	return d, nil
}

// attach fills in, in place, the strokes that the JSON names.
func (l *Layer) attach(find func(id string) *brush.Stroke) error {
	if l == nil {
		return fmt.Errorf("a layer is null")
	}
	get := func(ids []string, have []*brush.Stroke) ([]*brush.Stroke, error) {
		if len(have) == len(ids) {
			return have, nil
		}
		var out []*brush.Stroke
		for _, id := range ids {
			s := find(id)
			if s == nil {
				return nil, fmt.Errorf("%s: stroke %q is missing", l.where(), id)
			}
			out = append(out, s)
		}
		return out, nil
	}
	if len(l.Mask) == 0 { // one way to write what is empty, so that documents can be compared
		l.Mask = nil
	}
	if len(l.Channels) == 0 {
		l.Channels = nil
	}
	var err error
	if l.Strokes, err = get(l.StrokeID, l.Strokes); err != nil {
		return err
	}
	l.EachStep(func(s *Step) {
		if err != nil {
			return
		}
		if s == nil {
			err = fmt.Errorf("%s: a step is null", l.where())
			return
		}
		s.Strokes, err = get(s.StrokeID, s.Strokes)
	})
	if err != nil {
		return err
	}
	for _, k := range l.Layers {
		if err := k.attach(find); err != nil {
			return err
		}
	}
	return nil
}

func (l *Layer) where() string { return fmt.Sprintf("layer %q", l.Name) }
