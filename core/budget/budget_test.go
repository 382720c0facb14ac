package budget

import (
	"context"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
)

// However many ask at once, no more than the bound is held; each gets its bytes, and what
// caches is told.
func TestNeverMoreThanTheBound(t *testing.T) {
	var b Budget
	most := atomic.Int64{}
	b.Set(100, func(held int64) { most.Store(max(most.Load(), held)) })
	var wait sync.WaitGroup
	for i := range 200 {
		wait.Go(func() {
			release, err := b.Take(context.Background(), "a picture", int64(10+i%90))
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
	wait.Wait()
	if b.Held() != 0 || most.Load() > 100 || most.Load() < 90 {
		t.Errorf("at the end %d are held; it was told of %d at most", b.Held(), most.Load())
	}
}

func TestWhatCanNeverBeHadIsRefused(t *testing.T) {
	var b Budget
	b.Set(100<<20, nil)
	if _, err := b.Take(context.Background(), "the picture", 200<<20); err == nil || !strings.Contains(err.Error(), "the picture needs about 200 MiB") || !strings.Contains(err.Error(), "--memory") {
		t.Errorf("too much: %v", err)
	}
	all, err := b.Take(context.Background(), "a", 100<<20)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := b.Take(ctx, "b", 1); err != context.Canceled {
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

// Work may decode pictures while it holds its own: it never waits for itself, and others wait
// until there is room beside both.
func TestWorkMayDecodeMeanwhile(t *testing.T) {
	most := atomic.Int64{}
	Share(800, func(held int64) { most.Store(max(most.Load(), held)) })
	t.Cleanup(func() { Share(0, nil) })
	work, err := Work.Hold(t.Context(), 300)
	if err != nil || Work.Held() != 300 {
		t.Fatalf("%d held, %v", Work.Held(), err)
	}
	inner, err := Memory.Take(t.Context(), "a picture within", 700) // nobody else decodes
	if err != nil {
		t.Fatal(err)
	}
	got := make(chan func())
	go func() {
		other, err := Memory.Take(context.Background(), "another", 100)
		if err != nil {
			t.Error(err)
		}
		got <- other
	}()
	select {
	case <-got:
		t.Fatal("another decodes although nothing is left")
	default:
	}
	inner()
	(<-got)()
	// 500 fit beside the work, and the next when the work has ended
	first, err := Memory.Take(t.Context(), "a", 500)
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		second, err := Memory.Take(context.Background(), "b", 200)
		if err != nil {
			t.Error(err)
		}
		got <- second
	}()
	work()
	(<-got)()
	first()
	if Memory.Held() != 0 || Work.Held() != 0 {
		t.Errorf("%d and %d are held at the end", Memory.Held(), Work.Held())
	}
	if most.Load() != 1000 {
		t.Errorf("caches were told of %d at most, want 300 and 700", most.Load())
	}
}

// What cannot be done in less is not refused, and done when nobody else does anything.
func TestWhatIsMoreThanThereIsComesAlone(t *testing.T) {
	var b Budget
	b.Set(100, nil)
	small, err := b.Take(t.Context(), "a", 10)
	if err != nil {
		t.Fatal(err)
	}
	got := make(chan func())
	go func() {
		large, err := b.Hold(context.Background(), 500)
		if err != nil {
			t.Error(err)
		}
		got <- large
	}()
	for b.waits() == 0 {
		runtime.Gosched()
	}
	small()
	large := <-got
	if b.Held() != 500 {
		t.Errorf("%d are held", b.Held())
	}
	go func() {
		next, _ := b.Take(context.Background(), "b", 1)
		got <- next
	}()
	for b.waits() == 0 {
		runtime.Gosched()
	}
	large()
	(<-got)()
}

func (b *Budget) waits() int { b.mu.Lock(); defer b.mu.Unlock(); return len(b.waiting) }
