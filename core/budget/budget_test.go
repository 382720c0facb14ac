package budget

import (
	"context"
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
