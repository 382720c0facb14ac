package eval

import (
	"fmt"
	"strings"

	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

// missingNote begins the note of a step that wants baked maps; the page offers to bake
// them.
const missingNote = "not baked yet: "

// Notes tells what in the document cannot give what the sheets' sizes ask for:
// pictures whose texels are more than half again as large as those of the sheets
// that they lie on. Keys are layer ids, or layer/step ids.
func (p *Program) Notes() map[string]string {
	out := map[string]string{}
	for id, pl := range p.all {
		for _, c := range pl.coats {
			for sheet, name := range c.coat.Pictures {
				if w := p.width(name); w > 0 && w < p.Doc.Sheets[sheet].Size {
					out[id] = fmt.Sprintf(
						"its picture for %s has %d texels a side, the sheet %d: merge again if it is of merged layers, else bring in a larger picture, to have it sharp",
						sheet,
						w,
						p.Doc.Sheets[sheet].Size,
					)
				}
			}
		}
		pl.layer.EachStep(func(s *stack.Step) {
			if d, ok := step.Get(s.Kind); ok && s.On && d.Role == agentRole {
				if m := p.missing(pl, d); len(m) > 0 {
					out[id+"/"+s.ID] = missingNote + strings.Join(m, ", ")
				}
			}
			if s.Kind != "picture" || !s.On {
				return
			}
			if k := p.coarseness(pl, s); k > 1.5 {
				out[id+"/"+s.ID] = fmt.Sprintf(
					"its texels are %.1f times as large as the sheet's: bring in a larger picture, or lay it smaller",
					k,
				)
			}
		})
	}
	return out
}

func (p *Program) width(name string) int {
	pic, err := p.Scene.Stored(name)
	if err != nil {
		return 0
	}
	w, _ := pic.Size()
	return w
}

// coarseness returns how many times as large a picture's texels are as the finest
// that the layer lies on; 0 when there is no picture.
func (p *Program) coarseness(pl *layerPlan, s *stack.Step) float32 {
	in, _ := step.NewInput(s, nil, noBox)
	w := p.width(in.Text("picture"))
	if w == 0 {
		return 0
	}
	var worst float32
	for i, sheet := range p.Scene.Model.Sheets {
		if pl.sheets != nil && !pl.sheets[i] || !sheet.HasUV {
			continue
		}
		size := max(p.Doc.Sheets[sheet.Name].Size, pix.Size)
		k := float32(size) / (in.Number("repeat") * float32(w))
		if in.Choice("laid") != "by UVs" {
			k = in.Number("size") / float32(w) / (p.Scene.Index(i).Scale() / float32(size))
		}
		worst = max(worst, k)
	}
	return worst
}
