package jobs_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/geom"
	"velvetgrime/core/ora"
	"velvetgrime/core/paintover"
	"velvetgrime/core/render"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"
)

// viewOrder is a view of the bollard, small.
func viewOrder(name string, folder bool) jobs.ViewOrder {
	c := render.Around(sample.Bollard().Bounds, geom.V3(0.4, 0.3, 1), 30)
	o := jobs.ViewOrder{W: 96, H: 64, Name: name, Folder: folder}
	o.Aspect = 1.5
	for _, v := range c.Matrix(1.5) {
		o.View = append(o.View, float32(v))
	}
	o.Eye, o.Target = [3]float32{c.Eye.X, c.Eye.Y, c.Eye.Z}, [3]float32{c.At.X, c.At.Y, c.At.Z}
	return o
}

// painted is a picture that went out with one layer, of one colour, in the place of all others;
// note is whether it still says where it was seen from.
func painted(t *testing.T, file []byte, name string, c color.NRGBA, note bool) []byte {
	t.Helper()
	p, err := ora.Open(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		t.Fatal(err)
	}
	extra := map[string][]byte{}
	if note {
		if extra["velvetgrime/view.json"], err = p.Extra("velvetgrime/view.json"); err != nil {
			t.Fatal(err)
		}
	}
	img := image.NewNRGBA(image.Rect(0, 0, 20, 20))
	for i := range img.Pix {
		img.Pix[i] = [4]uint8{c.R, c.G, c.B, c.A}[i%4]
	}
	p.Layers = []*ora.Layer{{Name: name, X: 40, Y: 20, Opacity: 1, Image: img}}
	p.Merged = image.NewNRGBA(image.Rect(0, 0, p.W, p.H))
	var b bytes.Buffer
	if err := p.Write(&b, extra, nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func (b *bench) file(j *store.Job) []byte {
	b.Helper()
	var files []store.JobFile
	if err := json.Unmarshal(j.Files, &files); err != nil || len(files) != 1 {
		b.Fatalf("it made %s (%v)", j.Files, err)
	}
	data, err := b.store.Blob(b.ctx, files[0].Blob)
	if err != nil {
		b.Fatal(err)
	}
	return data
}

func ended(j *store.Job) bool { return j.State == "done" || j.State == "failed" }

// What is saved over a picture in the exchange folder comes back, twice into one group; so it does
// under a server that was started anew; what is none is told beside the file.
func TestTheExchangeFolder(t *testing.T) {
	b := start(t)
	dir := filepath.Join(t.TempDir(), "exchange")
	serve := func() (*jobs.Runner, func() *stack.Document, func()) {
		r, hub := b.runner(jobs.Apply|jobs.Work, false)
		f, err := jobs.NewFolder(dir)
		if err != nil {
			t.Fatal(err)
		}
		r.Exchange(f)
		return r, func() *stack.Document {
			s, err := hub.Open(b.ctx, b.project)
			if err != nil {
				t.Fatal(err)
			}
			return s.Document()
		}, func() { r.Stop(); hub.Close() }
	}
	r, doc, stop := serve()
	if _, err := r.SendView(b.ctx, b.project, "tester", jobs.ViewOrder{W: 5, H: 5, Name: "Too small"}); err == nil {
		t.Error("a view without a camera is ordered")
	}
	j, err := r.SendView(b.ctx, b.project, "tester", viewOrder("Seen: from/the quay", true))
	if err != nil {
		t.Fatal(err)
	}
	if j = b.wait(j.ID, "the view", ended); j.State != "done" {
		t.Fatalf("it is %s: %s", j.State, j.Note)
	}
	path := filepath.Join(dir, "Seen- from-the quay.ora")
	if !strings.Contains(j.Note, path) {
		t.Errorf("its note is %q", j.Note)
	}
	out, err := os.ReadFile(path)
	if err != nil || !bytes.Equal(out, b.file(j)) {
		t.Fatalf("in the folder lie %d bytes (%v)", len(out), err)
	}
	var n paintover.Note
	if err := json.Unmarshal(j.Result, &n); err != nil || n.ID == "" {
		t.Fatalf("its note is %s", j.Result)
	}
	group := func() *stack.Layer { return doc().Layer(paintover.GroupID(n.ID)) }
	until := func(what string, ok func() bool) {
		t.Helper()
		for end := time.Now().Add(15 * time.Minute); !ok(); time.Sleep(50 * time.Millisecond) {
			if time.Now().After(end) {
				t.Fatalf("%s never comes", what)
			}
		}
	}
	save := func(name string, data []byte) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	save("Seen- from-the quay.ora", painted(t, out, "Rust", color.NRGBA{150, 70, 30, 255}, true))
	until("the first layer", func() bool { return group() != nil })
	first := *group().Layers[0].Slides[0]
	if len(group().Layers) != 1 || group().Layers[0].Name != "Rust" {
		t.Fatalf("the group holds %+v", group().Layers)
	}
	// another program saved it under another name, and left out what it does not know
	save("copy.ora", painted(t, out, "Taken back: base color · "+n.ID, color.NRGBA{20, 90, 30, 255}, false))
	until("the second layer", func() bool { return group() != nil && group().Layers[0].Name == paintover.Back })
	if len(group().Layers) != 1 {
		t.Errorf("the group holds %d layers", len(group().Layers))
	}
	save("stranger.ora", []byte("no picture at all"))
	why := filepath.Join(dir, "stranger was not taken.txt")
	until("the reason", func() bool { _, err := os.Stat(why); return err == nil })
	if text, _ := os.ReadFile(why); !strings.Contains(string(text), "save it as .ora") {
		t.Errorf("it says %q", text)
	}
	stop()
	// saved while nothing served
	save("Seen- from-the quay.ora", painted(t, out, "Rust", color.NRGBA{200, 70, 30, 255}, true))
	r, doc, stop = serve()
	defer stop()
	until("what was saved meanwhile", func() bool { return group().Layers[0].Name == "Rust" })
	if s := group().Layers[0].Slides[0]; s.Stencil.Picture == first.Stencil.Picture {
		t.Error("it shows the picture that it had at first")
	}
	// nothing is taken twice: the ledger stays as it is
	jobsNow, _ := b.store.Jobs(b.ctx, b.project)
	time.Sleep(1500 * time.Millisecond) // three looks
	if again, _ := b.store.Jobs(b.ctx, b.project); len(again) != len(jobsNow) {
		t.Errorf("%d jobs became %d", len(jobsNow), len(again))
	}
	_ = r
}

// A picture of another project, or one that holds nothing new, is refused with where it belongs.
func TestAViewThatIsNotThisProjects(t *testing.T) {
	b := start(t)
	r, hub := b.runner(jobs.Apply|jobs.Work, false)
	defer hub.Close()
	defer r.Stop()
	j, err := r.SendView(b.ctx, b.project, "tester", viewOrder("View 1", false))
	if err != nil {
		t.Fatal(err)
	}
	j = b.wait(j.ID, "the view", ended)
	if _, err := r.SendView(b.ctx, b.project, "tester", viewOrder("View 2", true)); err == nil || !strings.Contains(err.Error(), "--exchange") {
		t.Errorf("without a folder: %v", err)
	}
	other := start(t)
	put := func(project string, file []byte) *store.Job {
		t.Helper()
		blob, err := b.store.PutBlob(b.ctx, file)
		if err != nil {
			t.Fatal(err)
		}
		k, err := r.TakeView(b.ctx, project, "tester", blob, "View 1.ora")
		if err != nil {
			t.Fatal(err)
		}
		return b.wait(k.ID, "its end", ended)
	}
	file := b.file(j)
	if k := put(b.project, file); k.State != "failed" || !strings.Contains(k.Note, "nothing was added") {
		t.Errorf("as it went out: %s, %s", k.State, k.Note)
	}
	over := painted(t, file, "Rust", color.NRGBA{150, 70, 30, 255}, true)
	if k := put(other.project, over); k.State != "failed" || !strings.Contains(k.Note, "Bollard of the jobs") {
		t.Errorf("of another project: %s, %s", k.State, k.Note)
	}
	if k := put(b.project, over); k.State != "done" || k.Note != "" {
		t.Errorf("its own: %s, %s", k.State, k.Note)
	}
	if k := put(b.project, over); k.State != "done" || !strings.Contains(k.Note, "nothing in it has changed") {
		t.Errorf("once more: %s, %s", k.State, k.Note)
	}
	s, err := hub.Open(b.ctx, b.project)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(s.Document().Layers); n != 2 {
		t.Errorf("the stack has %d layers", n)
	}
}
