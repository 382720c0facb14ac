package par

import (
	"context"
	"errors"
	"strings"
	"testing"
)

func TestAPanicIsMetByWhoWaits(t *testing.T) {
	g, ctx := WithContext(context.Background())
	g.Go(func() error { var p *int; *p = 1; return nil })
	err := g.Wait()
	var p *Panic
	if !errors.As(err, &p) || !strings.Contains(err.Error(), "nil pointer") || !strings.Contains(string(p.Stack), "par_test.go") || ctx.Err() == nil {
		t.Errorf("the group gives %v", err)
	}
	err = Contain(func() error {
		var a All
		done := 0
		a.Go(func() { panic("one") })
		a.Go(func() { done++ })
		a.Wait()
		return nil
	})
	if !errors.As(err, &p) || p.Value != "one" {
		t.Errorf("work without errors gives %v", err)
	}
	if err := Contain(func() error { return context.Canceled }); err != context.Canceled {
		t.Errorf("an error becomes %v", err)
	}
}
