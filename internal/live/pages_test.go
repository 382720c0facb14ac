package live

import (
	"math/rand"
	"slices"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// lookedAt is a pusher for a page that looks at the bollard, whose one sheet has 1024 texels.
func lookedAt(t *testing.T, w wish) (*pusher, *eval.Program) {
	t.Helper()
	m := sample.Bollard()
	p := eval.Compile(eval.NewScene(m, cache.New(1<<20)), &stack.Document{}, "", "")
	return &pusher{wish: w, have: map[slot]sent{}, keys: map[slot]eval.Key{}, v: &viewer{posts: make(chan any, 8)}}, p
}

// To a page that never tells what it sees everything goes, coarse before fine; each coarser
// tile is over finer ones, and none of the finest is.
func TestAPageThatNeverTellsGetsAll(t *testing.T) {
	u, p := lookedAt(t, wish{})
	w := u.wanted(p)
	if want := 1 + 4 + 64; len(w.seen) != want || len(w.aside) != 0 {
		t.Fatalf("%d tiles are seen, %d lie aside; %d and 0 are right", len(w.seen), len(w.aside), want)
	}
	if !slices.IsSortedFunc(w.seen, func(a, b surface.Tile) int { return a.Size - b.Size }) {
		t.Fatal("a finer tile comes before a coarser one")
	}
	for _, tile := range w.seen {
		if w.over[tile] != (tile.Size < 1024) {
			t.Errorf("%+v is over others: %v", tile, w.over[tile])
		}
	}
	var slots []slot
	for _, tile := range w.seen {
		slots = append(slots, slot{tile, 0})
	}
	fine, over := apart(slots, w)
	if len(fine) != 64 || len(over) != 5 {
		t.Fatalf("%d finest, %d over them", len(fine), len(over))
	}
	if a, b, c := u.rank(over[0], w), u.rank(over[4], w), u.rank(fine[0], w); a >= b || b >= c || c != 0 {
		t.Fatalf("the ranks from coarse to fine are %d, %d, %d", a, b, c)
	}
}

// What a page tells is what it gets, in its order; what the model does not have, or not as
// fine, is left out.
func TestAPageGetsWhatItTold(t *testing.T) {
	near := surface.Tile{Size: 1024, X: 3, Y: 5}
	coarse := surface.Tile{Size: 256, X: 0, Y: 1}
	other := surface.Tile{Size: 1024, X: 7, Y: 7}
	u, p := lookedAt(t, wish{told: true, seen: 4, pages: []page{
		{Tile: near}, {Tile: surface.Tile{Sheet: 1, Size: 256}}, {Tile: surface.Tile{Size: 4096}}, {Tile: coarse}, {Tile: other},
	}})
	w := u.wanted(p)
	if !slices.Equal(w.seen, []surface.Tile{near, coarse}) || !slices.Equal(w.aside, []surface.Tile{other}) {
		t.Fatalf("seen %+v, aside %+v", w.seen, w.aside)
	}
	if !w.over[coarse] || w.over[near] {
		t.Fatalf("over others: %+v", w.over)
	}
}

// The server never believes that a page holds what it does not say that it holds, but for what
// was sent since; of what there is no room for it knows nothing.
func TestWhatAPageHoldsIsWhatItTold(t *testing.T) {
	r := rand.New(rand.NewSource(8))
	for range 200 {
		tiles := surface.Tiles(0, 512)
		u, _ := lookedAt(t, wish{told: true, heard: 40})
		told := map[surface.Tile]byte{}
		for _, tile := range tiles {
			if r.Intn(3) > 0 {
				told[tile] = byte(r.Intn(1 << mapCount))
				u.wish.pages = append(u.wish.pages, page{tile, told[tile]})
			}
			for k := range mapCount {
				if r.Intn(2) == 0 {
					u.have[slot{tile, k}] = sent{number: int64(r.Intn(80))}
					u.keys[slot{tile, k}] = eval.Key{}
				}
			}
		}
		before := map[slot]sent{}
		for s, h := range u.have {
			before[s] = h
		}
		u.forgetDropped()
		for s, h := range before {
			bits, room := told[s.Tile]
			keeps := room && (bits&(1<<s.kind) != 0 || h.number > 40)
			if _, there := u.have[s]; there != keeps {
				t.Fatalf("%+v: held %v, believed %v", s, keeps, there)
			}
			if _, there := u.keys[s]; there != room {
				t.Fatalf("%+v: room %v, its key is known %v", s, room, there)
			}
		}
	}
	u, _ := lookedAt(t, wish{})
	u.have[slot{surface.Tile{Size: 128}, 0}] = sent{}
	if u.forgetDropped(); len(u.have) != 1 {
		t.Fatal("a page that told nothing lost what it has")
	}
}

// The numbers of a message become pages and nothing else does.
func TestNumbersOfPages(t *testing.T) {
	got, err := readPages([]int{0, 1024, 3, 7, 5, 2, 128, 0, 0, 0})
	if err != nil || len(got) != 2 || got[0].Tile != (surface.Tile{Size: 1024, X: 3, Y: 7}) || got[0].held != 5 || got[1].Sheet != 2 {
		t.Fatalf("%+v, %v", got, err)
	}
	for what, n := range map[string][]int{
		"four numbers":        {0, 1024, 3, 7},
		"a sheet below 0":     {-1, 1024, 0, 0, 0},
		"1000 texels":         {0, 1000, 0, 0, 0},
		"64 texels":           {0, pix.Size / 2, 0, 0, 0},
		"16384 texels":        {0, 2 * maxSize, 0, 0, 0},
		"x beyond the sheet":  {0, 1024, 8, 0, 0},
		"y below 0":           {0, 1024, 0, -1, 0},
		"a map too many":      {0, 1024, 0, 0, 1 << mapCount},
		"more than an atlas":  make([]int, pageNumbers*(mostPages+1)),
		"the second is wrong": {0, 1024, 3, 7, 5, 0, 1024, 9, 0, 0},
	} {
		if _, err := readPages(n); err == nil {
			t.Errorf("%s: taken", what)
		}
	}
}

// What waits longest goes first; of those, what is wanted first.
func TestNothingStarves(t *testing.T) {
	u, p := lookedAt(t, wish{})
	w := u.wanted(p)
	slots := []slot{{w.seen[9], 0}, {w.seen[3], 0}, {w.seen[5], 0}, {w.seen[4], 0}}
	u.have[slots[0]], u.have[slots[1]] = sent{when: 2}, sent{when: 7}
	u.order(slots, w)
	for i, want := range []surface.Tile{w.seen[4], w.seen[5], w.seen[9], w.seen[3]} {
		if slots[i].Tile != want {
			t.Fatalf("place %d has %+v, want %+v", i, slots[i].Tile, want)
		}
	}
}

// Each failure is told once, and its end; what a page no longer holds fails no more.
func TestFailuresAreToldOnce(t *testing.T) {
	u, _ := lookedAt(t, wish{})
	told := func() []eval.Failure {
		t.Helper()
		u.failures.tell(u)
		select {
		case m := <-u.v.posts:
			return m.(Failures).List
		default:
			return nil
		}
	}
	a, b := slot{surface.Tile{Size: 128}, 0}, slot{surface.Tile{Size: 256, X: 1}, 1}
	u.keys[a], u.keys[b] = eval.Key{}, eval.Key{}
	x, y := eval.Failure{Layer: "l", Step: "s", Why: "no room"}, eval.Failure{Layer: "k", Why: "no map"}
	if told() != nil {
		t.Fatal("nothing failed, and something was told")
	}
	u.failures.note(a, []eval.Failure{x})
	u.failures.note(b, []eval.Failure{x, y})
	if got := told(); !slices.Equal(got, []eval.Failure{y, x}) {
		t.Fatalf("told %+v", got)
	}
	u.failures.note(a, []eval.Failure{x})
	if got := told(); got != nil {
		t.Fatalf("told again: %+v", got)
	}
	delete(u.keys, b) // the page dropped it
	if got := told(); !slices.Equal(got, []eval.Failure{x}) {
		t.Fatalf("of what is left %+v is told", got)
	}
	u.failures.note(a, nil)
	if got := told(); got == nil || len(got) != 0 {
		t.Fatalf("the end is told as %+v", got)
	}
}
