package cache

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"
)

// together runs f in n goroutines.
func together(n int, f func(i int)) {
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() { f(i) })
	}
	all.Wait()
}

// What several ask for at once is found by one of them, and nothing remains of the finding.
func TestOnceIsFoundOnce(t *testing.T) {
	c := New(1 << 20)
	var found, asking atomic.Int32
	k := Key{Lo: 1}
	together(8, func(int) {
		asking.Add(1)
		v, err := Once(t.Context(), c, k, func() (weight, bool, error) {
			for asking.Load() < 8 { // the others are about to ask
				runtime.Gosched()
			}
			v := weight(found.Add(1))
			c.Put(k, v)
			return v, true, nil
		})
		if v != 1 || err != nil {
			t.Errorf("%d, %v", v, err)
		}
	})
	if found.Load() != 1 || len(c.finding) != 0 {
		t.Errorf("found %d times, %d findings left", found.Load(), len(c.finding))
	}
	// what is not kept is shared among those who wait, and found again later
	for want := range weight(3) {
		v, _ := Once(t.Context(), c, Key{Lo: 2}, func() (weight, bool, error) { return want, true, nil })
		if v != want {
			t.Errorf("%d in place of %d", v, want)
		}
	}
}

// Who fails, is cut off, panics or finds only a part leaves the finding to the next.
func TestOnceIsLeftToTheNext(t *testing.T) {
	ended, end := context.WithCancel(t.Context())
	end()
	for name, fails := range map[string]func() (weight, bool, error){
		"an error":  func() (weight, bool, error) { return 0, true, errors.New("no") },
		"cut off":   func() (weight, bool, error) { return 0, true, ended.Err() },
		"a part":    func() (weight, bool, error) { return 7, false, nil },
		"a mistake": func() (weight, bool, error) { panic("ours") },
	} {
		c := New(1 << 20)
		k := Key{Lo: 1}
		begun := make(chan bool)
		var all sync.WaitGroup
		all.Go(func() {
			defer func() { _ = recover() }()
			v, err := Once(t.Context(), c, k, func() (weight, bool, error) { close(begun); return fails() })
			if name == "a part" && (v != 7 || err != nil) {
				t.Errorf("%s: its own finder gets %d, %v", name, v, err)
			}
		})
		<-begun
		for range 4 {
			all.Go(func() {
				v, err := Once(t.Context(), c, k, func() (weight, bool, error) { c.Put(k, weight(3)); return 3, true, nil })
				if v != 3 || err != nil {
					t.Errorf("%s: the next gets %d, %v", name, v, err)
				}
			})
		}
		all.Wait()
		if len(c.finding) != 0 {
			t.Errorf("%s: a finding is left", name)
		}
	}
}

// Who waits goes when its own context ends; the finding goes on.
func TestWhoWaitsForAnotherMayGo(t *testing.T) {
	c := New(1 << 20)
	k := Key{Lo: 1}
	begun, goOn := make(chan bool), make(chan bool)
	var all sync.WaitGroup
	all.Go(func() {
		v, err := Once(t.Context(), c, k, func() (weight, bool, error) { close(begun); <-goOn; return 5, true, nil })
		if v != 5 || err != nil {
			t.Errorf("%d, %v", v, err)
		}
	})
	<-begun
	ctx, end := context.WithCancel(t.Context())
	end()
	if _, err := Once(ctx, c, k, func() (weight, bool, error) { t.Error("found twice"); return 0, true, nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("who waits and is cut off gets %v", err)
	}
	close(goOn)
	all.Wait()
}
