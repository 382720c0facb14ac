package surface

import (
	"velvetgrime/core/mesh"
	"velvetgrime/core/stack"
)

// covers marks the triangles that a reach covers by sheets, parts, islands and faces, all when
// no list says so, but for what it leaves out.
func covers(m *mesh.Model, r stack.Reach) []bool {
	out := named(m, r)
	if r.Bare() {
		for i := range out {
			out[i] = true
		}
	}
	if left := r.Left(); !left.All() {
		for i, off := range named(m, left) {
			out[i] = out[i] && !off
		}
	}
	return out
}

// named marks the triangles that the lists of a reach name.
func named(m *mesh.Model, r stack.Reach) []bool {
	out := make([]bool, len(m.Tri))
	has := func(list []string) map[string]bool {
		out := map[string]bool{}
		for _, n := range list {
			out[n] = true
		}
		return out
	}
	sheets, parts := has(r.Sheets), has(r.Parts)
	islands := map[int32]bool{}
	for _, i := range r.Islands {
		islands[i] = true
	}
	for i := range m.Tri {
		out[i] = sheets[m.Sheets[m.TriSheet[i]].Name] || parts[m.Parts[m.TriPart[i]].Name] || islands[m.Island[i]]
	}
	for k := 0; k+1 < len(r.Faces); k += 2 {
		for i := max(int(r.Faces[k]), 0); i < min(int(r.Faces[k])+int(r.Faces[k+1]), len(m.Tri)); i++ {
			out[i] = true
		}
	}
	return out
}

// Triangles are triangles, and the islands that any of them belongs to.
type Triangles struct {
	On     []bool // by the triangle
	island []bool
}

// TrianglesOf returns the triangles that a reach names by sheets, parts, islands and faces.
func TrianglesOf(m *mesh.Model, r stack.Reach) *Triangles {
	c := &Triangles{covers(m, r), make([]bool, m.Islands)}
	for i, on := range c.On {
		if on {
			c.island[m.Island[i]] = true
		}
	}
	return c
}
