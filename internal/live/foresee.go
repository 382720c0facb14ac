package live

import (
	"context"
	"runtime"

	"velvetgrime/core/eval"
	"velvetgrime/core/par"
	"velvetgrime/core/surface"
)

const (
	firstSize = 128 // texels of the coarsest tile, which shows a sheet whole
	mostFirst = 16  // sheets of which one is made ahead
)

// foresee evaluates what any page asks for first, the coarsest tile of every sheet, while the
// page still reads the model and finds what it sees. It ends when the page has told.
func (u *pusher) foresee(ctx context.Context) {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ctx, _ = eval.PassOver(ctx) // what fails is told where its tiles are
	p := u.program()
	var slots []slot
	made := 0
	for i, sheet := range p.Scene.Model.Sheets {
		if !sheet.HasUV || made == mostFirst {
			continue
		}
		made++
		for kind := range packed {
			slots = append(slots, slot{surface.Tile{Sheet: i, Size: firstSize}, kind})
		}
	}
	keys := map[slot]eval.Key{}
	for _, s := range slots {
		if u.newer() {
			return
		}
		keys[s] = u.key(p, p.Scene.OnTile(s.Tile), s.kind)
	}
	g, ctx := par.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for _, maps := range byTile(u.store.missing(slots, keys)) {
		g.Go(func() error {
			t := p.Scene.OnTile(maps[0].Tile)
			for _, s := range maps {
				if u.newer() {
					return nil
				}
				if _, err := u.planes(ctx, p, t, s.kind); err != nil {
					return err // it will be met, and told, when the tile is asked for
				}
			}
			return nil
		})
	}
	_ = g.Wait()
}
