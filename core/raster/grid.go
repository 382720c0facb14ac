package raster

import (
	"velvetgrime/core/geom"
	"velvetgrime/core/pix"
)

const cells = 64 // the grid over a sheet's UV square that finds triangles, cells a side

// grid finds triangles by the cells of the UV square that they, and what continues them over
// their borders, lie in.
type grid struct {
	list    []listed
	starts  [cells*cells + 1]int32
	members []int32           // indexes of list, by cell
	island  map[int32][]int32 // indexes of list, by island
}

// listed is an entry with the cells that it lies in, from (x0, y0) to (x1, y1), and the box
// of its UVs, a little wider than hold allows.
type listed struct {
	entry
	x0, y0, x1, y1 uint8
	lo, hi         geom.Vec2
}

// beside reports whether a UV lies beside the triangle's box.
func (l *listed) beside(uv geom.Vec2) bool {
	return uv.X < l.lo.X || uv.X > l.hi.X || uv.Y < l.lo.Y || uv.Y > l.hi.Y
}

func cell(v float32) int { return min(max(int(v*cells), 0), cells-1) }

// makeGrid fills the index's grid with entries.
func (x *Index) makeGrid(all []entry) {
	g := &x.grid
	g.list, g.island = make([]listed, len(all)), map[int32][]int32{}
	pad := float32(Reach+1) / pix.Size
	for i, e := range all {
		a, b, c := x.moved(e)
		lx, hx := min(a.X, b.X, c.X), max(a.X, b.X, c.X)
		ly, hy := min(a.Y, b.Y, c.Y), max(a.Y, b.Y, c.Y)
		sx, sy := 1e-5*(hx-lx), 1e-5*(hy-ly)
		l := listed{
			entry: e,
			lo:    geom.Vec2{X: lx - sx, Y: ly - sy},
			hi:    geom.Vec2{X: hx + sx, Y: hy + sy},
			x0:    uint8(cell(min(a.X, b.X, c.X) - pad)),
			x1:    uint8(cell(max(a.X, b.X, c.X) + pad)),
			y0:    uint8(cell(min(a.Y, b.Y, c.Y) - pad)),
			y1:    uint8(cell(max(a.Y, b.Y, c.Y) + pad)),
		}
		g.list[i] = l
		for cy := int(l.y0); cy <= int(l.y1); cy++ {
			for cx := int(l.x0); cx <= int(l.x1); cx++ {
				g.starts[cy*cells+cx+1]++
			}
		}
		k := x.m.Island[e.tri]
		g.island[k] = append(g.island[k], int32(i))
	}
	for c := range cells * cells {
		g.starts[c+1] += g.starts[c]
	}
	g.members = make([]int32, g.starts[cells*cells])
	next := g.starts
	for i, l := range g.list {
		for cy := int(l.y0); cy <= int(l.y1); cy++ {
			for cx := int(l.x0); cx <= int(l.x1); cx++ {
				g.members[next[cy*cells+cx]] = int32(i)
				next[cy*cells+cx]++
			}
		}
	}
}

// at lists what lies in a cell, as indexes of the grid's list.
func (g *grid) at(cell int) []int32 { return g.members[g.starts[cell]:g.starts[cell+1]] }

// window is a rectangle of cells.
type window struct{ x0, y0, x1, y1 int }

func windowOf(x0, y0, x1, y1, size float32) window {
	return window{cell(x0 / size), cell(y0 / size), cell(x1 / size), cell(y1 / size)}
}

// each calls f once for everything in a window.
func (g *grid) each(w window, f func(l *listed)) {
	for cy := w.y0; cy <= w.y1; cy++ {
		for cx := w.x0; cx <= w.x1; cx++ {
			for _, i := range g.at(cy*cells + cx) {
				// of the cells that it lies in, the first in the window tells of it
				if l := &g.list[i]; max(int(l.x0), w.x0) == cx && max(int(l.y0), w.y0) == cy {
					f(l)
				}
			}
		}
	}
}

// eachOf calls f once for everything of an island in a window.
func (g *grid) eachOf(island int32, w window, f func(l *listed)) {
	for _, i := range g.island[island] {
		l := &g.list[i]
		if int(l.x0) <= w.x1 && int(l.x1) >= w.x0 && int(l.y0) <= w.y1 && int(l.y1) >= w.y0 {
			f(l)
		}
	}
}
