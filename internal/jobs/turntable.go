package jobs

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"strings"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/render"
	"velvetgrime/internal/store"
)

// turntable is a row of pictures all round that is being drawn; each is a part.
type turntable struct {
	parts
	w *stillAtWork
}

func (w *stillAtWork) turntable() *turntable {
	t := &turntable{w: w}
	t.parts = parts{w.r, w.job, "unit", w.by, w.o.Turntable, t.draw}
	return t
}

// draw draws the picture i and keeps it; it is shown while the others are drawn.
func (t *turntable) draw(ctx context.Context, i int, tell func(float64)) ([]byte, error) {
	o := t.w.o
	seen := t.w.traced.Turned(360 * float64(i) / float64(o.Turntable))
	f, err := seen.Trace(ctx, 0, o.Samples, tell)
	if err != nil {
		return nil, err
	}
	name := strings.TrimSuffix(fileName(o.Name), ".ora")
	blob, size, err := t.r.store.PutBlobOf(ctx, func(w io.Writer) error {
		return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(w, f.Develop(&o.Still))
	})
	if err != nil {
		return nil, err
	}
	if err := t.r.show(ctx, t.job, f, &seen.Still); err != nil {
		return nil, err
	}
	digits := len(fmt.Sprint(o.Turntable - 1))
	return json.Marshal(store.JobFile{Name: fmt.Sprintf("%s-%0*d.png", name, digits, i), Blob: blob, Size: size})
}

// drawTurntable is the work of the one that has the job.
func (r *Runner) drawTurntable(ctx context.Context, t *task, p *eval.Program, o StillOrder, begun time.Time) error {
	if _, err := r.begin(ctx, t.ID, p); err != nil {
		return err
	}
	still, err := r.ownStill(ctx, t, p, o)
	if err != nil {
		return err
	}
	w := still.turntable()
	var files []store.JobFile
	var all render.Animation
	for i := range o.Turntable {
		tell := func(s float64) {
			t.tell(0.1+0.85*(float64(i)+s)/float64(o.Turntable), fmt.Sprintf("picture %d of %d", i+1, o.Turntable))
		}
		tell(0)
		data, err := w.part(ctx, i, tell)
		if err != nil {
			return err
		}
		var f store.JobFile
		if err := json.Unmarshal(data, &f); err != nil {
			return err
		}
		b, err := r.store.Blob(ctx, f.Blob)
		if err != nil {
			return err
		}
		img, err := png.Decode(bytes.NewReader(b))
		if err != nil {
			return err
		}
		if err := all.Add(img); err != nil {
			return err
		}
		files = append(files, f)
	}
	t.tell(0.97, "putting the pictures together")
	name := strings.TrimSuffix(fileName(o.Name), ".ora") + ".webp"
	blob, size, err := r.store.PutBlobOf(ctx, func(w io.Writer) error { return all.Write(w, max(turn/o.Turntable, 20)) })
	if err != nil {
		return err
	}
	files = append(files, store.JobFile{Name: name, Blob: blob, Size: size})
	if t.Files, err = json.Marshal(files); err != nil {
		return err
	}
	t.Result, err = json.Marshal(StillFacts{Samples: o.Samples, Seconds: time.Since(begun).Seconds(), Rounds: o.Turntable})
	return err
}
