package api

import (
	"context"
	"errors"
	"os"
	"sync"
	"testing"

	"velvetgrime/internal/store"
)

// A picture is made once by a build, however many ask for it, is there after a restart,
// and goes when another build makes its own.
func TestPicturesAreMadeOnce(t *testing.T) {
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Fatal("VELVETGRIME_TEST_DATABASE is not set; run 'make test-go', which starts a database")
	}
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	made := 0
	draw := func() ([]byte, error) { made++; return []byte("a picture"), nil }
	first := &shots{store: st, build: t.Name() + "1"}
	if _, err := first.get(ctx, "a step", func() ([]byte, error) { return nil, errors.New("no room") }); err == nil {
		t.Error("a failure was taken for a picture")
	}
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() {
			if b, err := first.get(ctx, "a step", draw); err != nil || string(b) != "a picture" {
				t.Errorf("%q %v", b, err)
			}
		})
	}
	wg.Wait()
	again := &shots{store: st, build: t.Name() + "1"} // after a restart
	if b, err := again.get(ctx, "a step", draw); err != nil || string(b) != "a picture" || made != 1 {
		t.Errorf("made %d times: %q %v", made, b, err)
	}
	other := &shots{store: st, build: t.Name() + "2"}
	if _, err := other.get(ctx, "a step", draw); err != nil || made != 2 {
		t.Errorf("another build made it %d times in all: %v", made, err)
	}
	if _, err := st.Made(ctx, t.Name()+"1", "a step"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the older build's is still there: %v", err)
	}
}
