package live

import (
	"fmt"

	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/surface"
)

// page is a tile for which a page of the browser has room, and of which maps it holds.
type page struct {
	surface.Tile
	held byte // a bit a map
}

// pageNumbers is how many numbers tell one page in a message, mostPages how many pages a
// message may tell: an atlas of 8192 texels has fewer.
const (
	pageNumbers = 5
	mostPages   = 1 << 13
)

// readPages reads the pages of a message; its error names the first that is none.
func readPages(n []int) ([]page, error) {
	if len(n)%pageNumbers != 0 || len(n) > pageNumbers*mostPages {
		return nil, fmt.Errorf(
			"pages are told by %d numbers each, at most %d of them; %d numbers came",
			pageNumbers,
			mostPages,
			len(n),
		)
	}
	out := make([]page, 0, len(n)/pageNumbers)
	for i := 0; i < len(n); i += pageNumbers {
		sheet, size, x, y, held := n[i], n[i+1], n[i+2], n[i+3], n[i+4]
		side := size / pix.Size
		if sheet < 0 || size < pix.Size || size > maxSize || size&(size-1) != 0 || x < 0 || y < 0 || x >= side ||
			y >= side ||
			held < 0 ||
			held >= 1<<mapCount {
			return nil, fmt.Errorf(
				"page %d (sheet %d, %d texels a side, %d and %d, holding %d) is none",
				i/pageNumbers,
				sheet,
				size,
				x,
				y,
				held,
			)
		}
		out = append(out, page{surface.Tile{Sheet: sheet, Size: size, X: x, Y: y}, byte(held)})
	}
	return out, nil
}

// maxSize is the largest sheet, in texels a side.
const maxSize = 8192

// wanted is what a page of the browser is to hold: what its camera sees, in the order in
// which it is to come, and what it holds besides.
type wanted struct {
	seen, aside []surface.Tile
	// over marks those of seen that have finer ones of seen within them: they are what is
	// to be seen until these come
	over map[surface.Tile]bool
}

// wanted returns what a page of the browser wants of a program. Before it has told, and to one
// that never tells, that is every tile, and two coarser sizes of it.
func (u *pusher) wanted(p *eval.Program) wanted {
	w := wanted{over: map[surface.Tile]bool{}}
	if !u.wish.told {
		for _, coarse := range []int{draftQuick, draftSize, 0} {
			for sheet := range p.Scene.Model.Sheets {
				if full := size(p, sheet); coarse == 0 {
					w.seen = append(w.seen, surface.Tiles(sheet, full)...)
				} else if coarse < full {
					w.seen = append(w.seen, surface.Tiles(sheet, coarse)...)
				}
			}
		}
	}
	for i, k := range u.wish.pages {
		switch {
		case k.Sheet >= len(p.Scene.Model.Sheets) || k.Size > size(p, k.Sheet):
		case i < u.wish.seen:
			w.seen = append(w.seen, k.Tile)
		default:
			w.aside = append(w.aside, k.Tile)
		}
	}
	known := make(map[surface.Tile]bool, len(w.seen))
	for _, t := range w.seen {
		known[t] = true
	}
	for _, t := range w.seen {
		for up := parent(t); up.Size >= pix.Size; up = parent(up) {
			if known[up] {
				w.over[up] = true
			}
		}
	}
	return w
}

// parent is the tile that shows a tile at half its size.
func parent(t surface.Tile) surface.Tile {
	return surface.Tile{Sheet: t.Sheet, Size: t.Size / 2, X: t.X / 2, Y: t.Y / 2}
}

// size returns how many texels a side a sheet has.
func size(p *eval.Program, sheet int) int {
	if n := p.Doc.Sheets[p.Scene.Model.Sheets[sheet].Name].Size; n > 0 {
		return n
	}
	return 1024
}

// forgetDropped forgets what the page of the browser does not hold any more, or has no room for: of
// what was sent up to the tile that it had when it told.
func (u *pusher) forgetDropped() {
	if !u.wish.told {
		return
	}
	held := make(map[surface.Tile]byte, len(u.wish.pages))
	for _, k := range u.wish.pages {
		held[k.Tile] = k.held
	}
	for s, h := range u.have {
		bits, room := held[s.Tile]
		if !room || h.number <= u.wish.heard && bits&(1<<s.kind) == 0 {
			delete(u.have, s)
		}
	}
	for s := range u.keys { // of what there is no room for nothing is asked
		if _, room := held[s.Tile]; !room {
			delete(u.keys, s)
		}
	}
}
