package mesh

import (
	"fmt"
	"math"
)

// Facts are what inspect prints and Prepare shows.
type Facts struct {
	Name      string       `json:"name"`
	Parts     []PartFacts  `json:"parts"`
	Sheets    []SheetFacts `json:"sheets"`
	Triangles int          `json:"triangles"`
	Vertices  int          `json:"vertices"`
	Islands   int          `json:"islands"`
	Size      [3]float32   `json:"size" doc:"extent in metres"`
	OpenEdges int          `json:"openEdges"`
	Problems  []string     `json:"problems"`
}

// PartFacts count one part.
type PartFacts struct {
	Name      string `json:"name"`
	Triangles int    `json:"triangles"`
}

// SheetFacts describe one sheet and its UVs.
type SheetFacts struct {
	Name      string  `json:"name"`
	HasUV     bool    `json:"hasUV"`
	Triangles int     `json:"triangles"`
	Islands   int     `json:"islands"`
	Coverage  float64 `json:"coverage" doc:"share of the unit square that islands fill, 0..1"`
	Density   float64 `json:"density" doc:"texels a metre at 1024"`
	Mirrored  int     `json:"mirrored" doc:"triangles whose UVs run the other way round"`
	Outside   int     `json:"outside" doc:"triangles that leave the unit square"`
}

// Facts measures the model.
func (m *Model) Facts() Facts {
	f := Facts{Name: m.Name, Triangles: len(m.Tri), Vertices: len(m.Pos), Islands: m.Islands, Problems: []string{}}
	s := m.Bounds.Size()
	f.Size = [3]float32{s.X, s.Y, s.Z}
	for _, p := range m.Parts {
		f.Parts = append(f.Parts, PartFacts{Name: p.Name})
	}
	islands := make([]map[int32]bool, len(m.Sheets))
	world, flat := make([]float64, len(m.Sheets)), make([]float64, len(m.Sheets))
	for i, sh := range m.Sheets {
		f.Sheets = append(f.Sheets, SheetFacts{Name: sh.Name, HasUV: sh.HasUV})
		islands[i] = map[int32]bool{}
	}
	degenerate := 0
	for i, t := range m.Tri {
		f.Parts[m.TriPart[i]].Triangles++
		k := m.TriSheet[i]
		sh := &f.Sheets[k]
		sh.Triangles++
		islands[k][m.Island[i]] = true
		area := float64(m.FaceNormal(i).Length()) / 2
		if area < 1e-14 {
			degenerate++
		}
		a, b, c := m.UV[t[0]], m.UV[t[1]], m.UV[t[2]]
		uv := (float64(b.X-a.X)*float64(c.Y-a.Y) - float64(b.Y-a.Y)*float64(c.X-a.X)) / 2
		world[k] += area
		flat[k] += math.Abs(uv)
		if uv > 0 { // V grows downward: a face seen from outside runs clockwise
			sh.Mirrored++
		}
		for _, v := range t {
			if w := m.UV[v]; w.X < -1e-5 || w.Y < -1e-5 || w.X > 1.00001 || w.Y > 1.00001 {
				sh.Outside++
				break
			}
		}
		for e := range 3 {
			if m.Neighbor[i][e].Tri < 0 {
				f.OpenEdges++
			}
		}
	}
	for i := range f.Sheets {
		sh := &f.Sheets[i]
		sh.Islands, sh.Coverage = len(islands[i]), flat[i]
		if world[i] > 0 {
			sh.Density = 1024 * math.Sqrt(flat[i]/world[i])
		}
		if !sh.HasUV {
			f.Problems = append(
				f.Problems,
				fmt.Sprintf(
					"sheet %q has no UVs: it is shown, but nothing can be laid on it until it is unwrapped",
					sh.Name,
				),
			)
		}
		if sh.Outside > 0 {
			f.Problems = append(
				f.Problems,
				fmt.Sprintf("sheet %q: %d triangles leave the unit square of the UVs", sh.Name, sh.Outside),
			)
		}
		if sh.Coverage > 1.02 {
			f.Problems = append(
				f.Problems,
				fmt.Sprintf(
					"sheet %q: the islands fill %.0f %% of the sheet, so some overlap",
					sh.Name,
					sh.Coverage*100,
				),
			)
		}
	}
	if degenerate > 0 {
		f.Problems = append(f.Problems, fmt.Sprintf("%d triangles have no area", degenerate))
	}
	return f
}
