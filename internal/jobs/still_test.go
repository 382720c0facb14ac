package jobs_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image/png"
	"strings"
	"testing"

	"velvetgrime/core/exr"
	"velvetgrime/core/light"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"
)

func still(w, h, samples int) jobs.StillOrder {
	return jobs.StillOrder{Name: "Bollard at noon", Still: render.Still{
		W: w, H: h, Samples: samples, Eye: [3]float64{0.6, 0.5, 1.4}, At: [3]float64{0, 0.25, 0}, Angle: 30,
		Light: "harbour-noon", Exposure: 1, Background: "light", Ground: true,
	}}
}

func (b *bench) files(j *store.Job) (map[string][]byte, jobs.StillFacts) {
	b.Helper()
	var files []store.JobFile
	var facts jobs.StillFacts
	if err := json.Unmarshal(j.Files, &files); err != nil {
		b.Fatal(err)
	}
	_ = json.Unmarshal(j.Result, &facts)
	out := map[string][]byte{}
	for _, f := range files {
		data, err := b.store.Blob(b.ctx, f.Blob)
		if err != nil {
			b.Fatal(err)
		}
		out[f.Name] = data
	}
	return out, facts
}

// TestAStillIsDrawnTheSameByOneAndByTwo: alone, stopped in the midst and taken up by another
// worker, and shared by two, a still has the same bytes.
func TestAStillIsDrawnTheSameByOneAndByTwo(t *testing.T) {
	b := start(t)
	server, _ := b.runner(jobs.Apply, false)
	defer server.Stop()
	done := func(j *store.Job) bool {
		if j.State == "failed" {
			t.Fatal(j.Note)
		}
		return j.State == "done"
	}
	draw := func(o jobs.StillOrder) *store.Job {
		j, err := server.OrderStill(b.ctx, b.project, "tester", o)
		if err != nil {
			t.Fatal(err)
		}
		return j
	}
	first, _ := b.runner(jobs.Work, true)
	j := draw(still(120, 90, 16))
	alone, facts := b.files(b.wait(j.ID, "a still", done))
	if facts.Helped != 0 || facts.Samples != 16 || !(facts.Error > 0) {
		t.Errorf("%+v", facts)
	}
	img, err := png.Decode(bytes.NewReader(alone["Bollard at noon.png"]))
	if err != nil || img.Bounds().Dx() != 120 {
		t.Fatalf("the picture: %v", err)
	}
	layers, err := exr.Decode(b.ctx, alone["Bollard at noon.exr"])
	if err != nil || layers.W != 120 || len(layers.Channels) != 4 {
		t.Fatalf("the layers: %v", err)
	}
	// stopped in the midst
	j = draw(still(120, 90, 64))
	b.wait(j.ID, "some rounds", func(j *store.Job) bool {
		n, _ := b.store.Piece(b.ctx, j.ID, "rounds")
		return len(n) > 0 && string(n) >= "3"
	})
	if seen, err := server.StillShown(b.ctx, j.ID); err != nil || !bytes.HasPrefix(seen, []byte("\x89PNG")) {
		t.Errorf("nothing is shown meanwhile: %v", err)
	}
	first.Stop()
	second, _ := b.runner(jobs.Work, true)
	stopped, _ := b.files(b.wait(j.ID, "the second worker", done))
	// shared by two
	third, _ := b.runner(jobs.Work, true)
	j = draw(still(120, 90, 64))
	shared, facts := b.files(b.wait(j.ID, "two workers", done))
	second.Stop()
	third.Stop()
	t.Logf("%d of %d rounds by the other worker", facts.Helped, facts.Rounds)
	if facts.Helped == 0 {
		t.Error("the second worker took no part of it")
	}
	for name, data := range stopped {
		if !bytes.Equal(data, shared[name]) {
			t.Errorf("%s: stopped and taken up it is another than shared", name)
		}
	}
}

// TestAStillIsCancelledResumedThrownAwayAndBack goes through what happens to one.
func TestAStillIsCancelledResumedThrownAwayAndBack(t *testing.T) {
	b := start(t)
	r, hub := b.runner(jobs.Work|jobs.Apply, false)
	defer r.Stop()
	j, err := r.OrderStill(b.ctx, b.project, "tester", still(160, 120, 16384))
	if err != nil {
		t.Fatal(err)
	}
	rounds := func() string { n, _ := b.store.Piece(b.ctx, j.ID, "rounds"); return string(n) }
	b.wait(j.ID, "some rounds", func(*store.Job) bool { return rounds() >= "3" })
	if err := b.store.Cancel(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "the end of its work", func(*store.Job) bool { return !r.AtWork(j.ID) })
	kept := rounds()
	if err := r.Again(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "another round", func(*store.Job) bool { return len(rounds()) > len(kept) || rounds() > kept })
	if err := b.store.Cancel(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "the end of its work", func(*store.Job) bool { return !r.AtWork(j.ID) })
	// of another state nothing is taken up
	s, err := hub.Open(b.ctx, b.project)
	if err != nil {
		t.Fatal(err)
	}
	before, _ := b.store.Piece(b.ctx, j.ID, "state")
	if err := s.Change("tester", "job:none", func(*stack.Document) (stack.Op, error) {
		return stack.SetLight{Light: stack.Linear}, nil
	}); err != nil {
		t.Fatal(err)
	}
	if err := r.Again(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "a new beginning", func(*store.Job) bool {
		now, _ := b.store.Piece(b.ctx, j.ID, "state")
		return len(now) > 0 && !bytes.Equal(now, before)
	})
	if err := b.store.Cancel(b.ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "the end of its work", func(*store.Job) bool { return !r.AtWork(j.ID) })
	// thrown away, and back
	list := func() int { l, _ := b.store.JobsOf(b.ctx, b.project, jobs.Still); return len(l) }
	if n := list(); n != 1 {
		t.Fatalf("%d stills", n)
	}
	if err := b.store.BinJob(b.ctx, j.ID, jobs.Still); err != nil || list() != 0 {
		t.Errorf("thrown away it is still there: %v", err)
	}
	if err := b.store.UnbinJob(b.ctx, j.ID, jobs.Still); err != nil || list() != 1 {
		t.Errorf("it does not come back: %v", err)
	}
	// what cannot be drawn is refused by name
	bad := still(320, 240, 16)
	bad.Light = strings.Repeat("0", 64)
	if _, err := r.OrderStill(b.ctx, b.project, "tester", bad); err == nil || !strings.Contains(err.Error(), "environment") {
		t.Errorf("an environment that is not here: %v", err)
	}
	bad = still(3, 240, 16)
	if _, err := r.OrderStill(b.ctx, b.project, "tester", bad); err == nil {
		t.Error("three pixels wide: not refused")
	}
}

// TestAKeptPanoramaLightsAStill: what was brought in is found by its hash.
func TestAKeptPanoramaLightsAStill(t *testing.T) {
	b := start(t)
	r, _ := b.runner(jobs.Work|jobs.Apply, false)
	defer r.Stop()
	e, _ := light.Find("plain-studio")
	p := e.Panorama().Smaller(64)
	var list []exr.Channel
	for k, n := range []string{"R", "G", "B"} {
		plane := make([]float32, p.W*p.H)
		for i := range plane {
			plane[i] = p.Data[3*i+k]
		}
		list = append(list, exr.Channel{Name: n, Data: plane})
	}
	file, err := exr.Encode(p.W, p.H, list, true)
	if err != nil {
		t.Fatal(err)
	}
	o := still(64, 48, 2)
	o.Relief = true
	if o.Light, err = b.store.PutBlob(b.ctx, file); err != nil {
		t.Fatal(err)
	}
	j, err := r.OrderStill(b.ctx, b.project, "tester", o)
	if err != nil {
		t.Fatal(err)
	}
	b.wait(j.ID, "a still", func(j *store.Job) bool {
		if j.State == "failed" {
			t.Fatal(j.Note)
		}
		return j.State == "done"
	})
}

// A turntable is a row of numbered pictures all round and one animated file of them; two workers share
// it, and what was drawn before a stop is not drawn again.
func TestATurntableGoesAllRound(t *testing.T) {
	b := start(t)
	server, _ := b.runner(jobs.Apply, false)
	defer server.Stop()
	first, _ := b.runner(jobs.Work, true)
	o := still(72, 54, 4)
	for _, n := range []int{1, -2, 361} {
		o.Turntable = n
		if _, err := server.OrderStill(b.ctx, b.project, "tester", o); err == nil {
			t.Errorf("a turntable of %d pictures is taken", n)
		}
	}
	o.Turntable = 12
	j, err := server.OrderStill(b.ctx, b.project, "tester", o)
	if err != nil {
		t.Fatal(err)
	}
	drawn := func() (names []string) {
		all, _ := b.store.Pieces(b.ctx, j.ID)
		for _, n := range all {
			if strings.HasPrefix(n, "unit-") {
				names = append(names, n)
			}
		}
		return names
	}
	b.wait(j.ID, "a picture", func(*store.Job) bool { return len(drawn()) > 0 })
	first.Stop()
	name := drawn()[0]
	was, _ := b.store.Piece(b.ctx, j.ID, name)
	one, _ := b.runner(jobs.Work, true)
	two, _ := b.runner(jobs.Work, true)
	defer two.Stop()
	files, _ := b.files(b.wait(j.ID, "all of them", func(j *store.Job) bool {
		if j.State == "failed" {
			t.Fatal(j.Note)
		}
		if now, err := b.store.Piece(b.ctx, j.ID, name); err == nil && !bytes.Equal(now, was) {
			t.Fatalf("%s was drawn again: it was %q, and is %q", name, was, now)
		}
		return j.State == "done"
	}))
	one.Stop()
	seen := map[string]bool{}
	for i := range 12 {
		data := files[fmt.Sprintf("Bollard at noon-%02d.png", i)]
		img, err := png.Decode(bytes.NewReader(data))
		if err != nil || img.Bounds().Dx() != 72 {
			t.Fatalf("picture %d: %v", i, err)
		}
		seen[string(data)] = true
	}
	if len(seen) != 12 || len(files) != 13 {
		t.Errorf("%d pictures differ of %d files", len(seen), len(files))
	}
	if data := files["Bollard at noon.webp"]; !bytes.HasPrefix(data, []byte("RIFF")) || bytes.Count(data, []byte("ANMF")) < 12 {
		t.Errorf("the animated file has %d bytes", len(data))
	}
}
