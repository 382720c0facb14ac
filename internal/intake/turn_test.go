package intake

import (
	"bytes"
	"context"
	"errors"
	"testing"

	"velvetgrime/core/meshio"
	"velvetgrime/core/par"
	"velvetgrime/core/sample"
)

// A model that is read for work that nobody waits for gives way on the way, and ends with
// what ends the wait.
func TestReadingAModelGivesWay(t *testing.T) {
	var glb bytes.Buffer
	if err := meshio.WriteGLB(&glb, sample.Bollard(), meshio.Options{}); err != nil {
		t.Fatal(err)
	}
	zipped, file, err := Pack(map[string][]byte{"bollard.glb": glb.Bytes()})
	if err != nil {
		t.Fatal(err)
	}
	turns, last := 0, 1<<30
	gone := errors.New("gone")
	ctx := par.Yielding(t.Context(), func(context.Context) error {
		if turns++; turns > last {
			return gone
		}
		return nil
	})
	m, err := Read(ctx, zipped, file, nil)
	if err != nil || len(m.Tri) == 0 {
		t.Fatal(err)
	}
	if turns < 3 {
		t.Errorf("it gave way %d times", turns)
	}
	for last = range turns {
		turns = 0
		if _, err := Read(ctx, zipped, file, nil); !errors.Is(err, gone) {
			t.Errorf("after %d turns: %v", last, err)
		}
	}
}
