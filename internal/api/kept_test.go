package api_test

import (
	"bytes"
	"context"
	"testing"
	"time"

	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"

	"github.com/coder/websocket"
)

// frames reads until everything is settled and returns the newest of each tile, by
// its place, without the flags.
func (w *window) frames() map[string][]byte {
	w.Helper()
	out := map[string][]byte{}
	w.settling(0, func(data []byte) {
		if data[0] == 1 {
			out[string(data[1:3])+string(data[4:10])] = data[10:]
		}
	})
	return out
}

func TestFinishedTilesAreKeptAndShownWithoutEvaluation(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	first := w.frames()
	_ = w.conn.Close(websocket.StatusNormalClosure, "")
	var keys [][]byte
	for until := time.Now().Add(15 * time.Minute); len(keys) < len(first) && time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		var err error
		if keys, err = s.store.TileKeys(context.Background(), id); err != nil {
			t.Fatal(err)
		}
	}
	if len(keys) < len(first) || len(first) == 0 {
		t.Fatalf("%d of %d tiles are kept", len(keys), len(first))
	}

	// one that is kept is exchanged: a page that shows it did not evaluate it
	kept, err := s.store.Tiles(context.Background(), id, keys)
	if err != nil {
		t.Fatal(err)
	}
	var marked string
	for key, b := range kept {
		if len(b) > 10 && b[2] == 0 { // a base color
			marked = string(b[1:3]) + string(b[4:10])
			b = bytes.Clone(b)
			b[11] ^= 255
			row := store.FinishedTile{ProjectID: id, Key: []byte(key), Data: store.PackTile(b)}
			if err := s.store.KeepTiles(context.Background(), id, nil, [][]byte{[]byte(key)}); err != nil {
				t.Fatal(err)
			}
			if err := s.store.KeepTiles(context.Background(), id, []store.FinishedTile{row}, nil); err != nil {
				t.Fatal(err)
			}
			break
		}
	}
	s2 := startService(t)
	v := s2.open(id, "ann")
	again := v.frames()
	if len(again) != len(first) {
		t.Fatalf("%d tiles at first, %d from what is kept", len(first), len(again))
	}
	for place, b := range first {
		if same := bytes.Equal(b, again[place]); same == (place == marked) {
			t.Fatalf("tile %x, marked %v: the same as evaluated %v", place, place == marked, same)
		}
	}

	// what is changed is evaluated, whatever is kept
	v.send(addCoat)
	v.until("the coat", layers(2))
	changed := v.frames()
	if b, ok := changed[marked]; !ok || bytes.Equal(b, again[marked]) {
		t.Fatalf("tile %x was not drawn anew: %v", marked, ok)
	}
}

// What a page asks for first of a project that was changed while no page looked at it is drawn
// and kept before anybody opens it.
func TestWhatIsShownFirstIsDrawnAhead(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); s.hub.DrawFirst(ctx) }()
	p, err := s.hub.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	err = p.Change("nobody", "", func(d *stack.Document) (stack.Op, error) {
		facts := *d.Facts()
		facts.Age = 17
		return stack.SetConditions{Conditions: &facts}, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	var keys [][]byte
	for until := time.Now().Add(15 * time.Minute); len(keys) < 4 && time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		if keys, err = s.store.TileKeys(t.Context(), id); err != nil {
			t.Fatal(err)
		}
	}
	stop()
	<-ended
	kept, err := s.store.Tiles(t.Context(), id, keys)
	if err != nil || len(kept) != 4 {
		t.Fatalf("%d tiles are kept, want the four maps of one sheet: %v", len(kept), err)
	}
	w := s.open(id, "ann")
	shown := 0
	for place, b := range w.frames() {
		if place[2] == pix.Size && place[3] == 0 {
			shown++
			same := false
			for _, k := range kept {
				same = same || len(k) > 10 && bytes.Equal(k[10:], b)
			}
			if !same {
				t.Errorf("tile %x is shown otherwise than it was kept", place)
			}
		}
	}
	if shown != 4 {
		t.Errorf("%d maps of the coarsest tile are shown, want 4", shown)
	}
}
