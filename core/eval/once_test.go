package eval

import (
	"fmt"
	"runtime"
	"slices"
	"sync"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
)

// What several ask for at the same time is found by one of them: a mask that the maps of a tile
// share, its normal, a channel. All get the very same values.
func TestWhatIsAskedForAtOnceIsFoundOnce(t *testing.T) {
	b := newBench(t, sample.Bollard(), 128)
	d := b.around(st("rub", nil))
	s := b.scene()
	p := Compile(s, d, "", "")
	asked := map[string]func() ([]pix.Plane, error){
		"mask": func() ([]pix.Plane, error) {
			m, err := p.Mask(t.Context(), s.OnTile(b.tiles[0]), "top")
			return []pix.Plane{m}, err
		},
		"normal":     func() ([]pix.Plane, error) { return p.Normal(t.Context(), s.OnTile(b.tiles[0])) },
		"base color": func() ([]pix.Plane, error) { return p.Channel(t.Context(), s.OnTile(b.tiles[0]), stack.BaseColor) },
	}
	const askers = 6
	got := map[string]*[askers][]pix.Plane{}
	var all sync.WaitGroup
	for name, ask := range asked {
		list := &[askers][]pix.Plane{}
		got[name] = list
		for i := range askers {
			all.Go(func() {
				v, err := ask()
				if err != nil {
					t.Errorf("%s: %v", name, err)
				}
				list[i] = v
			})
		}
	}
	all.Wait()
	for name, list := range got {
		for i, v := range list {
			if len(v) == 0 || v[0].Data == nil {
				t.Fatalf("%s is %v; the test shows nothing", name, v)
			}
			if &v[0].Data[0] != &list[0][0].Data[0] {
				t.Errorf("%s was found again for the one that asked as number %d", name, i)
			}
		}
	}
}

// However many ask at once, for the maps of a tile, in whichever order, every value is
// what one alone finds.
func TestSideBySideIsTheSame(t *testing.T) {
	b := newBench(t, sample.Bollard(), 256)
	b.tiles = b.tiles[:1]
	list := []*stack.Step{st("rub", nil), st("creep", nil), st("blur", map[string]any{"radius": 0.01})}
	for i, s := range list {
		s.ID = fmt.Sprint("s", i)
	}
	d := b.around(list[0])
	d.Layers[2].Mask = list
	channels := []stack.Channel{stack.BaseColor, stack.Roughness, stack.Height, stack.Metallic}
	find := func(limit int) (out map[string][]pix.Plane) {
		out = map[string][]pix.Plane{}
		s := b.scene()
		p := Compile(s, d, "", "")
		var mu sync.Mutex
		var all sync.WaitGroup
		room := make(chan bool, limit)
		for _, tile := range b.tiles {
			for _, c := range channels {
				all.Go(func() {
					room <- true
					defer func() { <-room }()
					v, err := p.Channel(t.Context(), s.OnTile(tile), c)
					if err != nil {
						t.Errorf("%v of %v: %v", c, tile, err)
					}
					mu.Lock()
					defer mu.Unlock()
					out[fmt.Sprint(tile, c)] = v
				})
			}
		}
		all.Wait()
		return out
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(4))
	one := find(1)
	for name, v := range find(8) {
		if k := different(one[name], v); k != 0 {
			t.Errorf("%s: %d values differ", name, k)
		}
	}
}

// Masks finds the masks of layers that lay something in the channels that are asked for, and of no others;
// not those within a group that shows nothing.
func TestMasksAheadAreThoseThatCount(t *testing.T) {
	b := newBench(t, sample.Bollard(), 128)
	d := b.around(st("rub", nil))
	again := *d.Layers[2]
	turned := &stack.Step{ID: "o2", Kind: "invert", On: true, Amount: 1}
	d.Layers[1].Mask = append(d.Layers[1].Mask, turned)
	again.ID, again.Mask = "within", row(&stack.Step{ID: "w", Kind: "noise", On: true, Amount: 1}, &stack.Step{ID: "w2", Kind: "invert", On: true, Amount: 1})
	black := &stack.Layer{ID: "black", Name: "Black", Kind: stack.Group, Visible: true, Amount: 1, Layers: []*stack.Layer{&again},
		Mask: row(&stack.Step{ID: "b", Kind: "even", On: true, Amount: 1, Params: map[string]any{"value": 0.0}}, &stack.Step{ID: "b2", Kind: "levels", On: true, Amount: 1})}
	d.Layers = append(d.Layers, black)
	s := b.scene()
	p := Compile(s, d, "", "")
	u := s.OnTile(b.tiles[0])
	found := func() (out []string) {
		for _, id := range []string{"other", "top", "within"} {
			pl := p.all[id]
			if _, ok := s.Cache.Get(cache.Join(p.streamKey(u, pl.mask, len(pl.mask.steps), 0), pl.reach, 77)); ok {
				out = append(out, id)
			}
		}
		return
	}
	for _, c := range []struct {
		channel stack.Channel
		want    []string
	}{
		{stack.Emissive, nil},
		{stack.BaseColor, []string{"top"}},
		{stack.Roughness, []string{"other", "top"}},
	} {
		p.Masks(t.Context(), s.OnTile(b.tiles[0]), []stack.Channel{c.channel})
		if got := found(); !slices.Equal(got, c.want) {
			t.Errorf("for %s, and what was asked for before, the masks of %v are there, not of %v", c.channel, got, c.want)
		}
	}
}
