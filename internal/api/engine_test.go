package api_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"net/http"
	"strings"
	"testing"
)

// told is a message that the page gets besides the document.
type told struct {
	Ledger []struct {
		Seq   int64
		Kind  string
		Label string
		Mark  string
		On    bool
		After int64
	}
}

// ledger reads the newest state in which ok holds, with its ledger.
func (w *window) ledger(what string, ok func(state, told) bool) (state, told) {
	w.Helper()
	var t told
	s := w.untilRaw(what, func(s state, raw []byte) bool {
		if s.T != "doc" {
			return false
		}
		t = told{}
		if err := json.Unmarshal(raw, &t); err != nil {
			w.Fatal(err)
		}
		return ok(s, t)
	})
	return s, t
}

func amount(w *window, v string) {
	w.send(`{"t":"op","id":1,"op":{"kind":"layer.set","target":"coat","path":"amount","value":%s}}`, v)
}

// branches: 1 adds the coat, 2 and 3 change it; from 2 another branch grows.
func TestTheLedgerIsATree(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	amount(w, "0.5")
	amount(w, "0.25")
	w.until("three entries", func(s state) bool { return s.Seq == 3 })
	w.send(`{"t":"mark","seq":3,"name":"Faint"}`)
	w.send(`{"t":"jump","seq":2}`)
	got, led := w.ledger("the jump", func(s state, _ told) bool { return s.Seq == 4 })
	if got.Doc.Layers[1].Amount != 0.5 {
		t.Fatalf("after the jump the amount is %v", got.Doc.Layers[1].Amount)
	}
	on := map[int64]bool{}
	for _, l := range led.Ledger {
		on[l.Seq] = l.On
		if l.Seq == 3 && l.Mark != "Faint" {
			t.Errorf("entry 3 has the mark %q", l.Mark)
		}
	}
	if !on[2] || on[3] || !on[4] || !on[0] {
		t.Errorf("on the way to the state now: %v", on)
	}
	amount(w, "0.9")
	w.until("the new branch", func(s state) bool { return s.Seq == 5 })
	w.send(`{"t":"jump","seq":3}`)
	got, led = w.ledger("the newer branch again", func(s state, _ told) bool { return s.Seq == 6 })
	if got.Doc.Layers[1].Amount != 0.25 {
		t.Errorf("the old branch has the amount %v", got.Doc.Layers[1].Amount)
	}
	for _, l := range led.Ledger {
		if l.Seq == 5 && (l.On || l.After != 4) {
			t.Errorf("the branch left is told as %+v", l)
		}
	}
	// undo takes the jump back, and then what was done on the branch one is on again
	w.send(`{"t":"undo"}`)
	got = w.until("the jump undone", func(s state) bool { return s.Seq == 7 })
	if got.Doc.Layers[1].Amount != 0.9 || !strings.Contains(got.Undo, "0.5 → 0.9") {
		t.Errorf("after undoing the jump: %v, undo would take back %q", got.Doc.Layers[1].Amount, got.Undo)
	}
	w.send(`{"t":"undo"}`)
	got = w.until("the change undone", func(s state) bool { return s.Seq == 8 })
	if got.Doc.Layers[1].Amount != 0.5 {
		t.Errorf("after undoing the change: %v", got.Doc.Layers[1].Amount)
	}
	w.send(`{"t":"jump","seq":0}`)
	w.until("the beginning", layers(1))

	// all of it is there after a crash
	again := startService(t)
	v := again.open(id, "ann")
	got, led = v.ledger("the document in another server", func(s state, _ told) bool { return s.Seq == 9 })
	if len(got.Doc.Layers) != 1 || len(led.Ledger) != 10 {
		t.Errorf("%d layers, %d lines", len(got.Doc.Layers), len(led.Ledger))
	}
	v.send(`{"t":"jump","seq":3}`)
	if got = v.until("a jump there", func(s state) bool { return s.Seq == 10 }); got.Doc.Layers[1].Amount != 0.25 {
		t.Errorf("a jump in another server gives %v", got.Doc.Layers[1].Amount)
	}
}

// Two people undo their own changes only, and no jump takes the other's away by undo.
func TestUndoIsOnesOwn(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	ann, bob := s.open(id, "ann"), s.open(id, "bob")
	ann.until("the document", layers(1))
	ann.send(addCoat)
	bob.until("ann's coat", layers(2))
	bob.send("%s", strings.ReplaceAll(addCoat, `"id":"coat"`, `"id":"bobs"`))
	ann.until("bob's coat", layers(3))
	amount(ann, "0.5")
	bob.until("ann's change", func(s state) bool { return s.Seq == 3 })
	bob.send(`{"t":"undo"}`)
	got := bob.until("bob's undo", func(s state) bool { return s.Seq == 4 })
	if len(got.Doc.Layers) != 2 || got.Doc.Layers[1].Amount != 0.5 || got.Undo != "" {
		t.Fatalf("bob's undo left %d layers, amount %v, and would undo %q", len(got.Doc.Layers), got.Doc.Layers[1].Amount, got.Undo)
	}
	bob.send(`{"t":"jump","seq":1}`)
	ann.until("bob's jump", func(s state) bool { return s.Seq == 5 })
	amount(ann, "0.7")
	bob.until("ann's change after it", func(s state) bool { return s.Seq == 6 })
	bob.send(`{"t":"undo"}`)
	refused := bob.until("the refusal", func(s state) bool { return s.T == "error" })
	if !strings.Contains(refused.Message, "others") {
		t.Errorf("undoing the jump is refused with %q", refused.Message)
	}
}

func TestLayersGoToAnotherProject(t *testing.T) {
	s := startService(t)
	one, two := s.bollard(), s.bollard()
	w := s.open(one, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	w.until("the coat", layers(2))
	w.send(`{"t":"op","id":1,"op":{"kind":"channel.add","index":-1,"value":{"channel":"added.wet","label":"wetness","color":false}}}`)
	w.send(`{"t":"op","id":1,"op":{"kind":"layer.set","target":"coat","path":"channels.added.wet","value":{"on":true,"value":[0.5],"amount":1}}}`)
	w.send(`{"t":"op","id":1,"op":{"kind":"layer.set","target":"coat","path":"reach","value":{"parts":["Post","Nowhere"],"faces":[3,4]}}}`)
	w.send(`{"t":"stroke.begin","layer":"coat","step":"h","stroke":{"id":"st9","radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1]}`)
	w.send(`{"t":"stroke.end","id":3}`)
	w.until("the stroke", func(s state) bool { return s.Strokes["coat/h"] == 1 })
	w.send(`{"t":"copy","layers":["coat"]}`)
	w.untilRaw("the copy", func(s state, raw []byte) bool { return s.T == "clip" && strings.Contains(string(raw), "Tar") })

	v := s.open(two, "ann")
	v.until("the other project", layers(1))
	v.send(`{"t":"paste","parent":"","index":-1}`)
	got := v.until("the pasted layer", layers(2))
	pasted := got.Doc.Layers[1]
	if pasted.ID == "coat" || pasted.Name != "Tar" || got.Strokes[pasted.ID+"/h"] != 1 {
		t.Errorf("pasted %+v with strokes %v", pasted, got.Strokes)
	}
	v.send(`{"t":"undo"}`)
	if got = v.until("the paste undone", layers(1)); got.Seq != 2 {
		t.Errorf("the paste is %d entries", got.Seq-1)
	}
	if b := s.open(two, "bob"); true {
		b.until("the project for bob", layers(1))
		b.send(`{"t":"paste","index":-1}`)
		if got := b.until("bob has copied nothing", func(s state) bool { return s.T == "error" }); !strings.Contains(got.Message, "copy") {
			t.Error(got.Message)
		}
	}
}

func TestMergeAndItsRefusals(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	first := w.until("the document", layers(1)).Doc.Layers[0]
	w.send(`{"t":"op","id":1,"op":{"kind":"sheet.size","target":"Cast iron","value":128}}`)
	w.send(`{"t":"merge","layer":"%s"}`, first.ID)
	if got := w.until("nothing below", func(s state) bool { return s.T == "error" }); !strings.Contains(got.Message, "innermost") {
		t.Error(got.Message)
	}
	w.send(addCoat)
	w.until("the coat", layers(2))
	w.send(`{"t":"merge","layer":"coat"}`)
	got := w.until("merged", layers(1))
	if got.Doc.Layers[0].Name != "Tar, merged" || got.Undo != "Merge Tar" {
		t.Errorf("merged to %q, undo %q", got.Doc.Layers[0].Name, got.Undo)
	}
	w.send(`{"t":"undo"}`)
	if got = w.until("the merge undone", layers(2)); got.Doc.Layers[1].ID != "coat" {
		t.Errorf("after undo: %+v", got.Doc.Layers)
	}
	w.send(`{"t":"op","id":1,"op":{"kind":"layer.set","target":"coat","path":"visible","value":false}}`)
	w.send(`{"t":"merge","layer":"coat"}`)
	if got := w.until("hidden", func(s state) bool { return s.T == "error" }); !strings.Contains(got.Message, "hidden") {
		t.Error(got.Message)
	}
}

func TestPicturesComeInAndBadOnesDoNot(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 40, 20))); err != nil {
		t.Fatal(err)
	}
	post := func(name string, data []byte) (int, string) {
		a, err := http.Post(s.url+"/api/projects/"+id+"/pictures?name="+name, "image/png", bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		defer a.Body.Close()
		var out struct{ Picture, Detail string }
		_ = json.NewDecoder(a.Body).Decode(&out)
		return a.StatusCode, out.Picture + out.Detail
	}
	code, name := post("plank.png", b.Bytes())
	if code != 201 || len(name) != 64 {
		t.Fatal(code, name)
	}
	// a project that was never opened has no picture of itself, and that is no mistake
	if code, body := s.request("GET", "/api/projects/"+id+"/picture", nil); code != 204 || len(body) > 0 {
		t.Errorf("the picture of a project that was not opened: %d, %d bytes", code, len(body))
	}
	if code, _ := s.request("GET", "/api/projects/nobody/picture", nil); code != 404 {
		t.Errorf("the picture of no project: %d", code)
	}
	if code, body := s.request("GET", "/api/projects/"+id+"/pictures", nil); code != 200 || !strings.Contains(string(body), `"name":"plank.png","width":40,"height":20`) {
		t.Error(code, string(body))
	}
	if code, body := s.request("GET", "/api/projects/"+id+"/pictures/"+name, nil); code != 200 || !bytes.HasPrefix(body, []byte("\x89PNG")) {
		t.Error(code)
	}
	// a drawing is a picture, shown as fine as is asked for; a photograph's height and width keep their share
	code, name = post("mark.svg", []byte(`<svg viewBox="0 0 3 1"><path d="M0 0H3V1H0Z" fill="#123456"/></svg>`))
	if code != 201 {
		t.Fatal(code, name)
	}
	for edge, want := range map[string]image.Point{"": {128, 42}, "?edge=1024": {1024, 342}, "?edge=2048": {1024, 342}} {
		code, body := s.request("GET", "/api/projects/"+id+"/pictures/"+name+edge, nil)
		conf, err := png.DecodeConfig(bytes.NewReader(body))
		if at := (image.Point{conf.Width, conf.Height}); code != 200 || err != nil || at != want {
			t.Errorf("with %q it is %v: %d %v", edge, at, code, err)
		}
	}
	if code, body := s.request("GET", "/api/projects/"+id+"/pictures/"+name+"?edge=9000", nil); code != 422 {
		t.Error(code, string(body))
	}
	for what, data := range map[string][]byte{"nothing.png": nil, "cut.png": b.Bytes()[:40], "words.png": []byte("words")} {
		if code, detail := post(what, data); code != 422 || !strings.Contains(detail, what) {
			t.Errorf("%s: %d %s", what, code, detail)
		}
	}
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(`{"t":"pick","pos":[0,0.3,0.12],"nrm":[0,0,1]}`)
	w.untilRaw("what lies there", func(s state, raw []byte) bool {
		return s.T == "picked" && strings.Contains(string(raw), `"part":"Post"`) && strings.Contains(string(raw), `"roughness":[0.55]`)
	})
}
