// Package exchange brings things of the stock and whole projects out of a database as .grime
// files (core/grime), and into one; what comes in is checked as if it were typed by hand.
package exchange

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"io"
	"maps"
	"regexp"
	"slices"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/budget"
	"velvetgrime/core/deliver"
	"velvetgrime/core/grime"
	"velvetgrime/core/material"
	"velvetgrime/core/pix"
	"velvetgrime/core/press"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

// KeptMaterial is what is stored of a material in the stock.
type KeptMaterial struct {
	Made     float64         `json:"made"`
	Tags     []string        `json:"tags"`
	Group    *stack.Layer    `json:"group"`
	Pictures []store.Picture `json:"pictures"`
	Version  int             `json:"version,omitempty" doc:"kept again under the same name it is one higher; 0: 1"`
}

// OwnKind is the kind of the materials that artists keep.
const OwnKind = "kept"

// KeptMask is what is stored of a mask in the stock.
type KeptMask struct {
	Steps    []*stack.Step   `json:"steps"`
	Pictures []store.Picture `json:"pictures"`
}

// HexColor matches a colour of a palette.
var HexColor = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// blobHash matches the name of a blob.
var blobHash = regexp.MustCompile(`^[0-9a-f]{64}$`)

// kinds says for each kind of the stock whether data are what is stored of one.
var kinds = map[string]func(name string, data []byte) error{
	"material": func(name string, data []byte) error {
		var v KeptMaterial
		if err := json.Unmarshal(data, &v); err != nil {
			return err
		}
		if v.Group == nil {
			return errors.New("it has no group")
		}
		_, err := material.New(name, OwnKind, v.Made, v.Tags, v.Group)
		return err
	},
	"mask": func(_ string, data []byte) error {
		var v KeptMask
		if err := json.Unmarshal(data, &v); err != nil {
			return err
		}
		if len(v.Steps) == 0 {
			return errors.New("it has no step")
		}
		d := stack.New(nil, 512)
		d.Layers = []*stack.Layer{{ID: "mask", Name: "mask", Kind: stack.Fill, Visible: true, Amount: 1, Mask: v.Steps}}
		return step.Rules.Check(d)
	},
	"stamp": func(_ string, data []byte) error {
		var r press.Recipe
		if err := json.Unmarshal(data, &r); err != nil {
			return err
		}
		return r.Check()
	},
	"brush": func(_ string, data []byte) error {
		var m brush.Made
		if err := json.Unmarshal(data, &m); err != nil {
			return err
		}
		return m.Check()
	},
	"delivery preset": func(_ string, data []byte) error {
		var v deliver.FilePreset
		if err := json.Unmarshal(data, &v); err != nil {
			return err
		}
		return v.Check()
	},
	"environment": func(_ string, data []byte) error {
		var v struct{ Blob string }
		if err := json.Unmarshal(data, &v); err != nil {
			return err
		}
		if !blobHash.MatchString(v.Blob) {
			return errors.New("it names no panorama")
		}
		return nil
	},
	"palette": func(_ string, data []byte) error {
		var colors []string
		if err := json.Unmarshal(data, &colors); err != nil {
			return err
		}
		if len(colors) == 0 || len(colors) > 256 {
			return fmt.Errorf("it has %d colours; 1 to 256 are possible", len(colors))
		}
		for i, c := range colors {
			if !HexColor.MatchString(c) {
				return fmt.Errorf("its colour %d is %q; one is written as # and six digits", i+1, c)
			}
		}
		return nil
	},
}

// Kinds lists the kinds of the stock.
func Kinds() []string { return slices.Sorted(maps.Keys(kinds)) }

// Shipped is a material that ships as an item to be written.
func Shipped(m *material.Material) (grime.Item, error) {
	data, err := json.Marshal(KeptMaterial{Made: m.Made, Tags: m.Tags, Group: m.Group("material", 0)})
	return grime.Item{Kind: "material", Name: m.Name, Tags: m.Tags, Data: data}, err
}

// Material returns the material that an item is.
func Material(it grime.Item) (*material.Material, error) {
	var v KeptMaterial
	if err := json.Unmarshal(it.Data, &v); err != nil {
		return nil, err
	}
	return material.New(it.Name, OwnKind, v.Made, v.Tags, v.Group)
}

// source gives what is written its blobs: those of the store, and pictures that are but in
// memory.
type source struct {
	ctx   context.Context
	store *store.Store
	own   map[string][]byte
}

func (s source) blob(hash string) ([]byte, error) {
	if b := s.own[hash]; b != nil {
		return b, nil
	}
	return s.store.Blob(s.ctx, hash)
}

func (s source) keep(b []byte) string {
	if len(b) == 0 {
		return ""
	}
	h := grime.HashOf(b)
	s.own[h] = b
	return h
}

func missing(err error) bool { return errors.Is(err, store.ErrNotFound) }

// WriteItems writes things of the stock, by their ids, and others that are at hand.
func WriteItems(ctx context.Context, s *store.Store, w io.Writer, name string, ids []string, more []grime.Item) error {
	src := source{ctx, s, map[string][]byte{}}
	out := grime.Out{Name: name, Blob: src.blob, Missing: missing}
	for _, id := range ids {
		i, err := s.StockByID(ctx, id)
		if err != nil {
			return fmt.Errorf("the item %s of the stock: %w", id, err)
		}
		it := grime.Item{Kind: i.Kind, Name: i.Name, Data: i.Data, Picture: src.keep(i.Picture)}
		var steps []*stack.Step
		if i.Kind == "mask" && json.Unmarshal(i.Data, &steps) == nil { // the first ones were stored so
			if it.Data, err = json.Marshal(KeptMask{Steps: steps}); err != nil {
				return err
			}
		}
		if i.Kind == "material" {
			var v KeptMaterial
			if err := json.Unmarshal(i.Data, &v); err == nil {
				it.Tags = v.Tags
			}
		}
		out.Items = append(out.Items, it)
	}
	out.Items = append(out.Items, more...)
	return grime.Write(w, out)
}

// WriteProject writes a whole project: its model, bakes, pictures, strokes and ledger.
func WriteProject(ctx context.Context, s *store.Store, w io.Writer, id string) error {
	src := source{ctx, s, map[string][]byte{}}
	p, err := s.Project(ctx, id)
	if err != nil {
		return err
	}
	all, err := s.Everything(ctx, id)
	if err != nil {
		return err
	}
	out := &grime.Project{
		Name: p.Name, ModelName: p.ModelName, ModelBlob: p.ModelBlob, Created: p.CreatedAt.UTC(), Picture: src.keep(p.Picture),
	}
	for _, n := range all.Snapshots {
		out.Snapshots = append(out.Snapshots, grime.Snapshot{Seq: n.Seq, Document: n.Doc})
	}
	for _, e := range all.Entries {
		out.Entries = append(out.Entries, grime.Entry{
			Seq: e.Seq, Actor: e.Actor, Kind: e.Kind, Ref: e.Ref, Label: e.Label, Op: e.Op, Inverse: e.Inverse, At: e.At.UTC(), Request: e.Request,
		})
	}
	for _, m := range all.Marks {
		out.Marks = append(out.Marks, grime.Mark{Seq: m.Seq, Name: m.Name})
	}
	for _, d := range all.Deliveries {
		var n deliver.Note
		if err := json.Unmarshal(d.Note, &n); err != nil {
			return fmt.Errorf("a delivery note: %w", err)
		}
		n.ID = "" // its job is of this server
		note, err := json.Marshal(n)
		if err != nil {
			return err
		}
		out.Deliveries = append(out.Deliveries, grime.Delivery{At: d.At.UTC(), Note: note})
	}
	for _, k := range all.Pictures {
		out.Pictures = append(
			out.Pictures,
			grime.Picture{Blob: k.Blob, Name: k.Name, Width: k.Width, Height: k.Height, At: k.At.UTC()},
		)
	}
	slices.SortFunc(out.Pictures, func(a, b grime.Picture) int { return bytes.Compare([]byte(a.Blob), []byte(b.Blob)) })
	return grime.Write(w, grime.Out{
		Name: p.Name, Project: out, Strokes: slices.Collect(maps.Values(all.Strokes)), Blob: src.blob, Missing: missing,
	})
}

// Check looks at every item of an archive; its error names the first that is none.
func Check(a *grime.Archive) error {
	for i, it := range a.Items {
		if err := check(a, it); err != nil {
			return fmt.Errorf("item %d, the %s %q: %w", i+1, it.Kind, it.Name, err)
		}
	}
	return nil
}

func check(a *grime.Archive, it grime.Item) error {
	ok := kinds[it.Kind]
	if ok == nil {
		return fmt.Errorf("there is no such kind; there are %v", Kinds())
	}
	if err := stack.CheckNesting(it.Data); err != nil {
		return err
	}
	if err := ok(it.Name, it.Data); err != nil {
		return err
	}
	if it.Picture != "" {
		if err := isPicture(a, it.Picture); err != nil {
			return fmt.Errorf("its picture: %w", err)
		}
	}
	for _, p := range picturesOf(it) {
		if err := isPicture(a, p.Blob); err != nil {
			return fmt.Errorf("the picture %q that it shows: %w", p.Name, err)
		}
	}
	return nil
}

func picturesOf(it grime.Item) []store.Picture {
	var v struct{ Pictures []store.Picture }
	_ = json.Unmarshal(it.Data, &v) // of other kinds it is something else
	return v.Pictures
}

func isPicture(a *grime.Archive, hash string) error {
	b, err := a.Blob(hash)
	if err != nil {
		return err
	}
	_, err = pix.DecodePicture(bytes.NewReader(b))
	return err
}

// TakeItems puts items of an archive, by their numbers, into the stock; nil: all. What is
// already there under the same kind, name and data is not put in twice.
func TakeItems(
	ctx context.Context,
	s *store.Store,
	a *grime.Archive,
	which []int,
) (taken []store.StockItem, err error) {
	if which == nil {
		for i := range a.Items {
			which = append(which, i)
		}
	}
	for _, n := range which {
		if n < 0 || n >= len(a.Items) {
			return nil, fmt.Errorf("there is no item %d; the file holds %d", n+1, len(a.Items))
		}
		if err := check(a, a.Items[n]); err != nil {
			return nil, fmt.Errorf("item %d, the %s %q: %w", n+1, a.Items[n].Kind, a.Items[n].Name, err)
		}
	}
	for _, n := range which {
		it := a.Items[n]
		i := store.StockItem{ID: uuid.NewString(), Kind: it.Kind, Name: it.Name, Data: it.Data, At: time.Now()}
		if there, err := s.SameStock(ctx, &i); err != nil {
			return taken, err
		} else if there != nil {
			taken = append(taken, *there)
			continue
		}
		if it.Picture != "" {
			b, err := a.Blob(it.Picture)
			if err == nil {
				_, err = png.DecodeConfig(bytes.NewReader(b))
			}
			if err != nil {
				return taken, err
			}
			i.Picture = b
		}
		for _, p := range picturesOf(it) {
			if err := putBlob(ctx, s, a, p.Blob); err != nil {
				return taken, err
			}
		}
		if err := s.PutStock(ctx, &i); err != nil {
			return taken, err
		}
		taken = append(taken, i)
	}
	return taken, nil
}

func putBlob(ctx context.Context, s *store.Store, a *grime.Archive, hash string) error {
	b, err := a.Blob(hash)
	if err != nil {
		return err
	}
	_, err = s.PutBlob(ctx, b)
	return err
}

// TakeProject makes a project of the one in an archive; an empty name is its own. Nothing is
// kept when anything in it is wrong.
func TakeProject(ctx context.Context, s *store.Store, a *grime.Archive, name string) (*store.Project, error) {
	p, strokes, err := a.Whole()
	if err != nil {
		return nil, err
	}
	last, err := replay(p, strokes)
	if err != nil {
		return nil, err
	}
	if err := readable(ctx, a, p, last); err != nil {
		return nil, err
	}
	out := &store.Project{
		ID:        uuid.NewString(),
		Name:      p.Name,
		ModelName: p.ModelName,
		ModelBlob: p.ModelBlob,
		CreatedAt: p.Created,
	}
	if name != "" {
		out.Name = name
	}
	if p.Picture != "" {
		if out.Picture, err = a.Blob(p.Picture); err != nil {
			return nil, err
		}
	}
	for _, b := range a.Blobs {
		if err := putBlob(ctx, s, a, b.SHA256); err != nil {
			return nil, err
		}
	}
	all := store.Everything{Strokes: map[string]*brush.Stroke{}}
	for _, n := range p.Snapshots {
		all.Snapshots = append(all.Snapshots, store.Snapshot{ProjectID: out.ID, Seq: n.Seq, Doc: n.Document})
	}
	for _, e := range p.Entries {
		all.Entries = append(all.Entries, store.Entry{
			ProjectID: out.ID, Seq: e.Seq, Actor: e.Actor, Kind: e.Kind, Ref: e.Ref, Label: e.Label, Op: e.Op, Inverse: e.Inverse, At: e.At, Request: e.Request,
		})
	}
	for _, m := range p.Marks {
		all.Marks = append(all.Marks, store.Mark{ProjectID: out.ID, Seq: m.Seq, Name: m.Name})
	}
	for _, d := range p.Deliveries {
		var n deliver.Note
		if err := json.Unmarshal(d.Note, &n); err != nil {
			return nil, fmt.Errorf("a delivery note: %w", err)
		}
		n.ID = uuid.NewString()
		note, err := json.Marshal(n)
		if err != nil {
			return nil, err
		}
		all.Deliveries = append(all.Deliveries, store.Delivery{ID: n.ID, ProjectID: out.ID, At: d.At, Note: note})
	}
	for _, k := range p.Pictures {
		all.Pictures = append(
			all.Pictures,
			store.Picture{ProjectID: out.ID, Blob: k.Blob, Name: k.Name, Width: k.Width, Height: k.Height, At: k.At},
		)
	}
	for _, st := range strokes {
		all.Strokes[st.ID] = st
	}
	return out, s.PutProject(ctx, out, all)
}

// replay carries the ledger out from the beginning, as a server does, and returns the last
// document.
func replay(p *grime.Project, strokes []*brush.Stroke) (*stack.Document, error) {
	by := make(map[string]*brush.Stroke, len(strokes))
	for _, s := range strokes {
		by[s.ID] = s
	}
	read := func(n grime.Snapshot) (*stack.Document, error) {
		err := stack.CheckNesting(n.Document)
		var d *stack.Document
		if err == nil {
			d, err = step.Rules.Decode(n.Document, func(id string) *brush.Stroke { return by[id] })
		}
		if err != nil {
			return nil, fmt.Errorf("the document after entry %d: %w", n.Seq, err)
		}
		return d, nil
	}
	d, err := read(p.Snapshots[0])
	if err != nil {
		return nil, err
	}
	next := 1
	for _, e := range p.Entries {
		op, err := stack.DecodeOp(e.Op, by)
		if err == nil {
			d, _, _, err = step.Rules.Apply(d, op)
		}
		if err == nil {
			_, err = stack.DecodeOp(e.Inverse, by)
		}
		if err != nil {
			return nil, fmt.Errorf("entry %d of the ledger, %q: %w", e.Seq, e.Label, err)
		}
		for next < len(p.Snapshots) && p.Snapshots[next].Seq == e.Seq {
			if d, err = read(p.Snapshots[next]); err != nil {
				return nil, err
			}
			next++
		}
	}
	return d, nil
}

// readable looks whether the model, the pictures and what was prepared can be read.
func readable(ctx context.Context, a *grime.Archive, p *grime.Project, d *stack.Document) error {
	prep := d.Preparation()
	blob, file := p.ModelBlob, p.ModelName
	if prep.Model != "" {
		blob, file = prep.Model, prep.ModelFile
	}
	zipped, err := a.Blob(blob)
	if err != nil {
		return fmt.Errorf("the model: %w", err)
	}
	m, err := intake.Read(ctx, zipped, file, nil)
	if err != nil {
		return fmt.Errorf("the model: %w", err)
	}
	if prep.Layout != "" {
		data, err := a.Blob(prep.Layout)
		var l *unwrap.Layout
		if err == nil {
			l, err = unwrap.ParseLayout(data)
		}
		if err == nil {
			_, err = l.Apply(m)
		}
		if err != nil {
			return fmt.Errorf("the UV layout: %w", err)
		}
	}
	release, err := budget.Memory.Hold(ctx, 64<<20)
	if err != nil {
		return err
	}
	defer release()
	for sheet, maps := range prep.Baked {
		for name, b := range maps {
			if err := isPicture(a, b.Picture); err != nil {
				return fmt.Errorf("the map %q baked for the sheet %q: %w", name, sheet, err)
			}
		}
	}
	for _, k := range p.Pictures {
		if err := isPicture(a, k.Blob); err != nil {
			return fmt.Errorf("the picture %q: %w", k.Name, err)
		}
	}
	if p.Picture != "" {
		return isPicture(a, p.Picture)
	}
	return nil
}
