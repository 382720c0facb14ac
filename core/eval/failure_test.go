package eval

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/surface"
)

// A step that fails gives what came before it, is told once with its reason, and the rest
// is evaluated; a layer that fails lays nothing. Where failures are not passed over the
// first ends the evaluation. Nothing of it is kept: when what was missing is there again,
// it shows.
func TestAFailingStepCostsItself(t *testing.T) {
	s := NewScene(whole(t), cache.New(1<<26))
	there := false
	s.Picture = func(name string) (*pix.Picture, error) {
		if there {
			return picture(name), nil
		}
		return nil, fmt.Errorf("it is not in the stock")
	}
	broken := st("picture", map[string]any{"picture": "rope.png", "laid": "by UVs"})
	top := fill("top", 1, coats{stack.Roughness: met("normal", 1, 0.9)}, even(0.25), broken, st("invert", nil))
	under := fill("under", 1, coats{stack.Roughness: met("normal", 1, 0.1)})
	baked := &stack.Layer{ID: "baked", Name: "Baked", Kind: stack.Picture, Visible: true, Amount: 1, Channels: coats{stack.Roughness: {On: true, Amount: 1, Blend: "normal", Pictures: map[string]string{"Sheet 1": "gone"}}}}
	p := Compile(s, doc(under, baked, top), "top", "")
	tile := surface.Tile{Sheet: 0, Size: 512, X: 0, Y: 0}
	if _, err := p.Channel(t.Context(), s.OnTile(tile), stack.Roughness); err == nil || !strings.Contains(err.Error(), "Baked") {
		t.Errorf("without passing over, the error is %v", err)
	}
	ctx, failed := PassOver(t.Context())
	v, err := p.Channel(ctx, s.OnTile(tile), stack.Roughness)
	if err != nil {
		t.Fatal(err)
	}
	// the picture step gives what came before it, 0.25; inverted 0.75 of 0.9 over 0.1
	if got := v[0].At(64*pix.Pitch + 64); got < 0.699 || got > 0.701 {
		t.Errorf("roughness is %v, want 0.7", got)
	}
	list := failed.List()
	if len(list) != 2 || list[0].Layer != "baked" || list[0].Step != "" || list[1].Step != broken.ID || !strings.Contains(list[1].Why, "rope.png") {
		t.Errorf("passed over: %+v", list)
	}
	there = true
	ctx, failed = PassOver(t.Context())
	if v, err = p.Channel(ctx, s.OnTile(tile), stack.Roughness); err != nil || len(failed.List()) != 0 {
		t.Fatal(err, failed.List())
	}
	if got := v[0].At(64*pix.Pitch + 64); got > 0.699 && got < 0.701 {
		t.Error("when the picture is there again it does not show")
	}
	// a context that has ended is no failure of a step
	done, cancel := context.WithCancel(t.Context())
	cancel()
	ctx, failed = PassOver(done)
	if _, err := Compile(NewScene(whole(t), cache.New(1<<20)), doc(top), "", "").Channel(ctx, s.OnTile(tile), stack.Roughness); err == nil || len(failed.List()) != 0 {
		t.Errorf("cancelled: %v, %v", err, failed.List())
	}
}
