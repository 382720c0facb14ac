package deliver

import (
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"

	"github.com/zeebo/xxh3"
)

// Note is the delivery note: what was delivered, when and of which state.
type Note struct {
	ID      string     `json:"id" doc:"of the job that wrote it"`
	At      time.Time  `json:"at"`
	Seq     int64      `json:"seq" doc:"of the ledger's entry after which it was made"`
	Order   Order      `json:"order"`
	Files   []NoteFile `json:"files"`
	Seconds float64    `json:"seconds"`
	Folder  string     `json:"folder,omitempty" doc:"where the files were put besides"`
}

// NoteFile is a file of a note.
type NoteFile struct {
	Written
	Of string `json:"of" doc:"tells apart what the file was made of"`
}

// keySize is the size of the sheets at which is looked whether they would be the same.
const keySize = 256

// Of tells, by file, apart what an order's files are made of: two that are made of the same are the
// same. It evaluates nothing.
func (w *Work) Of() map[string]string {
	out := map[string]string{}
	all := xxh3.New()
	m := w.p.Scene.Model
	_, _ = all.Write(m.Hash[:])
	for sheet, list := range w.plan.pictures {
		keys := map[string][]byte{}
		for _, k := range list {
			h := xxh3.New()
			f := *k.file
			f.Map = "" // it has the name that it has
			spec, _ := json.Marshal(f)
			fmt.Fprintf(h, "%s %d %d %q ", spec, k.line.Size, w.plan.preset.Padding, k.line.Sheet)
			for _, c := range k.file.components() {
				if c.Source != "" {
					if keys[c.Source] == nil {
						keys[c.Source] = sourceKey(w.p, sheet, c.Source)
					}
					_, _ = h.Write(keys[c.Source])
				}
			}
			sum := h.Sum128().Bytes()
			out[k.line.Name] = hex.EncodeToString(sum[:])
			_, _ = all.Write(sum[:])
		}
	}
	for _, f := range w.plan.files {
		if out[f.Name] == "" {
			h := xxh3.New()
			sum := all.Sum128().Bytes()
			fmt.Fprintf(h, "%s %x %v", f.Name, sum, w.plan.preset.Glow)
			own := h.Sum128().Bytes()
			out[f.Name] = hex.EncodeToString(own[:])
		}
	}
	return out
}

// sourceKey tells apart what a source is on a sheet.
func sourceKey(p *eval.Program, sheet int, id string) []byte {
	channels := []stack.Channel{stack.Channel(id)}
	switch id {
	case "made.normal":
		channels = []stack.Channel{stack.Normal, stack.Height}
	case "made.diffuse", "made.specular":
		channels = []stack.Channel{stack.BaseColor, stack.Metallic}
	case "made.fuzz":
		channels = []stack.Channel{stack.Fuzz}
	}
	var b []byte
	for _, t := range surface.Tiles(sheet, keySize) {
		u := p.Scene.OnTile(t)
		for _, c := range channels {
			if _, ok := p.Doc.Info(c); !ok {
				continue // off: as it is without it
			}
			k := p.Key(u, c).Bytes()
			b = append(b, k[:]...)
		}
	}
	return b
}

// Change is how a file of a delivery would differ from what was delivered.
type Change struct {
	Name  string `json:"name"`
	State string `json:"state" enum:"same,changed,new,gone"`
}

// Since tells, file by file, what would change were the order of a note carried out once more.
func (n *Note) Since(w *Work) (list []Change) {
	of := w.Of()
	was := map[string]string{}
	for _, f := range n.Files {
		was[f.Name] = f.Of
	}
	for _, f := range w.Files() {
		state := "same"
		if before, ok := was[f.Name]; !ok {
			state = "new"
		} else if before != of[f.Name] {
			state = "changed"
		}
		list = append(list, Change{f.Name, state})
	}
	for _, f := range n.Files {
		if !slices.ContainsFunc(list, func(c Change) bool { return c.Name == f.Name }) {
			list = append(list, Change{f.Name, "gone"})
		}
	}
	return list
}
