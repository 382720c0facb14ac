// Package stack is the document: layers, streams, reaches and strokes as plain
// data. A Document and everything that hangs from it is immutable; operations
// (see ops.go) make new documents that share what they did not touch.
package stack

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
)

// Channel names one output of the stack.
type Channel string

// The channels. Colours are sRGB-encoded 0..1; height is in metres around 0.
const (
	BaseColor Channel = "baseColor"
	Roughness Channel = "roughness"
	Metallic  Channel = "metallic"
	Height    Channel = "height"
	Occlusion Channel = "ambientOcclusion"
	Opacity   Channel = "opacity"
	Emissive  Channel = "emissive"
)

// ChannelInfo describes a channel to the interface and to the evaluation.
type ChannelInfo struct {
	Channel    Channel    `json:"channel"`
	Label      string     `json:"label"`
	Components int        `json:"components" doc:"1 or 3"`
	Default    []float32  `json:"default" doc:"what an empty stack holds"`
	Suggested  []float32  `json:"suggested" doc:"a first value when the channel is switched on"`
	Min        float32    `json:"min"`
	Max        float32    `json:"max"`
	Unit       string     `json:"unit" doc:"unit in which the interface shows it"`
	Scale      float32    `json:"scale" doc:"shown value = stored value × scale"`
	Blend      blend.Mode `json:"blend" doc:"blend mode a new layer starts with"`
}

// Channels lists all channels in display order.
var Channels = []ChannelInfo{
	{BaseColor, "base color", 3, []float32{0.5, 0.5, 0.5}, []float32{0.6, 0.55, 0.5}, 0, 1, "", 1, blend.Normal},
	{Roughness, "roughness", 1, []float32{0.6}, []float32{0.5}, 0, 1, "", 1, blend.Normal},
	{Metallic, "metallic", 1, []float32{0}, []float32{0}, 0, 1, "", 1, blend.Normal},
	{Height, "height", 1, []float32{0}, []float32{0.0002}, -0.02, 0.02, "mm", 1000, "add"},
	{Occlusion, "ambient occlusion", 1, []float32{1}, []float32{1}, 0, 1, "", 1, "multiply"},
	{Opacity, "opacity", 1, []float32{1}, []float32{1}, 0, 1, "", 1, blend.Normal},
	{Emissive, "emissive", 3, []float32{0, 0, 0}, []float32{1, 0.7, 0.4}, 0, 1, "", 1, "add"},
}

// Info returns the description of a channel.
func Info(c Channel) (ChannelInfo, bool) {
	for _, i := range Channels {
		if i.Channel == c {
			return i, true
		}
	}
	return ChannelInfo{}, false
}

// Document is the whole stack of a project.
type Document struct {
	Format  string               `json:"format" doc:"always velvetgrime.document"`
	Version int                  `json:"version" doc:"always 1"`
	Sheets  map[string]SheetSize `json:"sheets" doc:"texture size of each sheet by name"`
	Layers  []*Layer             `json:"layers" doc:"innermost first"`
}

// SheetSize is how many texels a sheet has along one side.
type SheetSize struct {
	Size int `json:"size" enum:"128,256,512,1024,2048,4096,8192"`
}

// Layer kinds.
const (
	Fill  = "fill"
	Paint = "paint"
)

// Layer is one coat.
type Layer struct {
	ID       string           `json:"id"`
	Name     string           `json:"name"`
	Kind     string           `json:"kind" enum:"fill,paint"`
	Visible  bool             `json:"visible"`
	Amount   float32          `json:"amount" minimum:"0" maximum:"1"`
	Reach    Reach            `json:"reach"`
	Channels map[Channel]Coat `json:"channels"`
	Mask     []*Step          `json:"mask" doc:"the stream of the mask; empty shows everything"`
	Strokes  []*brush.Stroke  `json:"-"`
	StrokeID []string         `json:"strokes,omitempty" doc:"strokes of a paint layer, oldest first"`
}

// Reach limits a layer to sheets or parts by name; empty lists do not limit.
type Reach struct {
	Sheets []string `json:"sheets,omitempty"`
	Parts  []string `json:"parts,omitempty"`
}

// Coat is what a layer does to one channel. Value is ignored in a paint layer.
type Coat struct {
	On     bool       `json:"on"`
	Value  []float32  `json:"value,omitempty"`
	Blend  blend.Mode `json:"blend"`
	Amount float32    `json:"amount" minimum:"0" maximum:"1"`
}

// Step is one thing in a stream.
type Step struct {
	ID       string          `json:"id"`
	Kind     string          `json:"kind"`
	On       bool            `json:"on"`
	Blend    blend.Mode      `json:"blend,omitempty" doc:"how a source meets what came before"`
	Amount   float32         `json:"amount" minimum:"0" maximum:"1"`
	Params   map[string]any  `json:"params,omitempty"`
	Strokes  []*brush.Stroke `json:"-"`
	StrokeID []string        `json:"strokes,omitempty" doc:"strokes of a hand step, oldest first"`
}

// New returns an empty document with the given sheets at size texels.
func New(sheets []string, size int) *Document {
	d := &Document{Format: "velvetgrime.document", Version: 1, Sheets: map[string]SheetSize{}, Layers: []*Layer{}}
	for _, s := range sheets {
		d.Sheets[s] = SheetSize{size}
	}
	return d
}

// Layer returns the index and the layer with an id, or −1.
func (d *Document) Layer(id string) (int, *Layer) {
	for i, l := range d.Layers {
		if l.ID == id {
			return i, l
		}
	}
	return -1, nil
}

// Step returns the index and the mask step with an id, or −1.
func (l *Layer) Step(id string) (int, *Step) {
	for i, s := range l.Mask {
		if s.ID == id {
			return i, s
		}
	}
	return -1, nil
}

// Strokes returns every stroke of the document by id.
func (d *Document) Strokes() map[string]*brush.Stroke {
	all := map[string]*brush.Stroke{}
	for _, l := range d.Layers {
		for _, s := range l.Strokes {
			all[s.ID] = s
		}
		for _, st := range l.Mask {
			for _, s := range st.Strokes {
				all[s.ID] = s
			}
		}
	}
	return all
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
func Decode(data []byte, lookup func(id string) *brush.Stroke) (*Document, error) {
	var f file
	if err := json.Unmarshal(data, &f); err != nil {
		return nil, fmt.Errorf("the document is not readable JSON: %w", err)
	}
	d := &f.Document
	if d.Format != "velvetgrime.document" || d.Version != 1 {
		return nil, fmt.Errorf("format %q version %d is not velvetgrime.document version 1", d.Format, d.Version)
	}
	find := func(where string, ids []string) ([]*brush.Stroke, error) {
		var out []*brush.Stroke
		for _, id := range ids {
			s := f.Strokes[id]
			if s == nil && lookup != nil {
				s = lookup(id)
			}
			if s == nil {
				return nil, fmt.Errorf("%s: stroke %q is missing", where, id)
			}
			s.ID = id
			out = append(out, s)
		}
		return out, nil
	}
	var err error
	for i, l := range d.Layers {
		if l == nil {
			return nil, fmt.Errorf("layer %d is null", i+1)
		}
		if l.Strokes, err = find(l.where(), l.StrokeID); err != nil {
			return nil, err
		}
		for k, s := range l.Mask {
			if s == nil {
				return nil, fmt.Errorf("%s: step %d is null", l.where(), k+1)
			}
			if s.Strokes, err = find(l.where(), s.StrokeID); err != nil {
				return nil, err
			}
		}
	}
	return d, d.Check()
}

func (l *Layer) where() string { return fmt.Sprintf("layer %q", l.Name) }

// CheckStep is set by package step: it checks a step's kind and parameters.
var CheckStep = func(*Step) error { return nil }

// Check returns the first thing in the document that cannot be, with its place.
func (d *Document) Check() error {
	for name, s := range d.Sheets {
		if s.Size < 128 || s.Size > 8192 || s.Size&(s.Size-1) != 0 {
			return fmt.Errorf("sheet %q: size %d is not a power of two from 128 to 8192", name, s.Size)
		}
	}
	seen := map[string]bool{}
	for _, l := range d.Layers {
		if err := l.check(); err != nil {
			return fmt.Errorf("%s: %w", l.where(), err)
		}
		if seen[l.ID] {
			return fmt.Errorf("%s: the id %q is used twice", l.where(), l.ID)
		}
		seen[l.ID] = true
	}
	return nil
}

func unit(what string, v float32) error {
	if !(v >= 0 && v <= 1) {
		return fmt.Errorf("%s is %v; it goes from 0 to 1", what, v)
	}
	return nil
}

func (l *Layer) check() error {
	if l.ID == "" || len(l.ID) > 64 || len(l.Name) > 200 {
		return fmt.Errorf("the id is empty, or id or name is too long")
	}
	if l.Kind != Fill && l.Kind != Paint {
		return fmt.Errorf("kind %q is neither fill nor paint", l.Kind)
	}
	if err := unit("amount", l.Amount); err != nil {
		return err
	}
	for c, coat := range l.Channels {
		info, ok := Info(c)
		if !ok {
			return fmt.Errorf("channel %q is unknown", c)
		}
		if err := unit(info.Label+": amount", coat.Amount); err != nil {
			return err
		}
		if err := blend.Check(coat.Blend, info.Components == 1); err != nil {
			return fmt.Errorf("%s: %w", info.Label, err)
		}
		if l.Kind == Fill && len(coat.Value) != info.Components {
			return fmt.Errorf("%s: %d numbers where %d are needed", info.Label, len(coat.Value), info.Components)
		}
		for _, v := range coat.Value {
			if math.IsNaN(float64(v)) || v < info.Min || v > info.Max {
				return fmt.Errorf("%s: %v lies outside %v to %v", info.Label, v, info.Min, info.Max)
			}
		}
	}
	for i, s := range l.Mask {
		err := CheckStep(s)
		if err == nil {
			err = unit("amount", s.Amount)
		}
		if err == nil {
			err = blend.Check(s.Blend, true)
		}
		if err == nil && slices.IndexFunc(l.Mask, func(o *Step) bool { return o.ID == s.ID }) != i {
			err = fmt.Errorf("the id %q is used twice", s.ID)
		}
		if err != nil {
			return fmt.Errorf("step %d (%s): %w", i+1, s.Kind, err)
		}
	}
	return nil
}
