package budget

import (
	"context"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
)

// However many ask at once, and for whatever, no more than the bound is held; each gets its
// bytes, and what caches is told.
func TestNeverMoreThanTheBound(t *testing.T) {
	var b Budget
	most := atomic.Int64{}
	b.Share(160, func(held int64) { most.Store(max(most.Load(), held)) })
	first, err := b.Take(t.Context(), "all", 100)
	if err != nil {
		t.Fatal(err)
	}
	var wait sync.WaitGroup
	for i := range 300 {
		wait.Go(func() {
			n := int64(5 + i%35)
			ask := []func() (func(), error){
				func() (func(), error) { return b.Take(context.Background(), "a model", n) },
				func() (func(), error) { return b.Hold(context.Background(), n) },
			}[i%2]
			release, err := ask()
			if err != nil {
				t.Error(err)
				return
			}
			if b.Held() > 100 {
				t.Errorf("%d bytes are held", b.Held())
			}
			release()
			release() // twice is once
		})
	}
	for b.waits() < 300 {
		runtime.Gosched()
	}
	most.Store(0)
	first()
	wait.Wait()
	if b.Held() != 0 || most.Load() > 100 || most.Load() < 60 {
		t.Errorf("at the end %d are held; it was told of %d at most", b.Held(), most.Load())
	}
}

func TestWhatCanNeverBeHadIsRefused(t *testing.T) {
	var b Budget
	b.Share(100<<20, nil)
	for _, ask := range []func(context.Context, string, int64) (func(), error){b.Take, b.Brief} {
		if _, err := ask(t.Context(), "the picture", 200<<20); err == nil ||
			!strings.Contains(err.Error(), "the picture needs about 200 MiB") || !strings.Contains(err.Error(), "--memory") {
			t.Errorf("too much: %v", err)
		}
	}
	all, err := b.Take(context.Background(), "a", 100<<20)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := b.Take(ctx, "b", 1<<20); err != context.Canceled {
		t.Errorf("who does not wait any longer gets %v", err)
	}
	all()
	if release, err := b.Take(context.Background(), "c", 100<<20); err != nil {
		t.Error(err)
	} else {
		release()
	}
	if b.Held() != 0 {
		t.Errorf("%d are held", b.Held())
	}
}

// asked starts asking in the background, waits until it is waiting, and returns where what
// gives back arrives.
func asked(t *testing.T, b *Budget, ask func() (func(), error)) chan func() {
	t.Helper()
	got := make(chan func(), 1)
	before := b.waits()
	go func() {
		release, err := ask()
		if err != nil {
			t.Error(err)
		}
		got <- release
	}()
	for b.waits() == before {
		runtime.Gosched()
	}
	return got
}

func none(t *testing.T, what string, got chan func()) {
	t.Helper()
	select {
	case <-got:
		t.Fatal(what)
	default:
	}
}

// Work decodes pictures while it holds its own, also when a model waits for that work: it
// never waits for itself. A model does not come beside work for which there is no room.
func TestWorkMayDecodeMeanwhile(t *testing.T) {
	var b Budget
	most := atomic.Int64{}
	b.Share(800, func(held int64) { most.Store(max(most.Load(), held)) })
	release, err := b.Hold(t.Context(), 700) // more than work gets: alone
	if err != nil {
		t.Fatal(err)
	}
	m := asked(t, &b, func() (func(), error) { return b.Take(context.Background(), "a model", 400) })
	inner, err := b.Brief(t.Context(), "a picture within", 300)
	if err != nil {
		t.Fatal(err)
	}
	other := asked(t, &b, func() (func(), error) { return b.Brief(context.Background(), "another", 100) })
	none(t, "a model is read although nothing is left", m)
	inner()
	(<-other)()
	none(t, "a model is read beside work that leaves no room", m)
	// work that asks later comes later
	next := asked(t, &b, func() (func(), error) { return b.Hold(context.Background(), 300) })
	release()
	read := <-m
	none(t, "work begins beside a model that leaves no room", next)
	read()
	(<-next)()
	if b.Held() != 0 {
		t.Errorf("%d are held at the end", b.Held())
	}
	if most.Load() != 1000 {
		t.Errorf("caches were told of %d at most, want 300 and 700", most.Load())
	}
}

// Work takes no more than its share together, so that pictures and models get on.
func TestWorkLeavesRoom(t *testing.T) {
	var b Budget
	b.Share(800, nil)
	first, _ := b.Hold(t.Context(), 200)
	second := asked(t, &b, func() (func(), error) { return b.Hold(context.Background(), 200) })
	none(t, "work takes more than its share", second)
	first()
	(<-second)()
}

// What cannot be done in less is not refused, and done when nobody else does anything.
func TestWhatIsMoreThanThereIsComesAlone(t *testing.T) {
	var b Budget
	b.Share(100, nil)
	small, err := b.Take(t.Context(), "a", 10)
	if err != nil {
		t.Fatal(err)
	}
	got := asked(t, &b, func() (func(), error) { return b.Hold(context.Background(), 500) })
	small()
	large := <-got
	if b.Held() != 500 {
		t.Errorf("%d are held", b.Held())
	}
	got = asked(t, &b, func() (func(), error) { return b.Take(context.Background(), "b", 1) })
	large()
	(<-got)()
}

// Who goes away while he waits lets those behind him come.
func TestWhoGoesAwayBlocksNobody(t *testing.T) {
	var b Budget
	b.Share(160, nil)
	held, _ := b.Take(t.Context(), "a", 60)
	ctx, cancel := context.WithCancel(t.Context())
	gone := make(chan error)
	go func() {
		_, err := b.Hold(ctx, 70)
		gone <- err
	}()
	for b.waits() == 0 {
		runtime.Gosched()
	}
	behind := asked(t, &b, func() (func(), error) { return b.Take(context.Background(), "b", 40) })
	none(t, "the later one overtook", behind)
	cancel()
	if err := <-gone; err != context.Canceled {
		t.Errorf("who went away got %v", err)
	}
	(<-behind)()
	held()
}

func (b *Budget) waits() int { b.mu.Lock(); defer b.mu.Unlock(); return len(b.waiting) }
