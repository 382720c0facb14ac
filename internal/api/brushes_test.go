package api_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/internal/api"
)

func TestBrushesAreListedKeptShownAndDropped(t *testing.T) {
	s := startService(t)
	list := func() api.Brushes {
		code, b := s.request("GET", "/api/brushes", nil)
		var out api.Brushes
		if err := json.Unmarshal(b, &out); code != 200 || err != nil {
			t.Fatal(code, err)
		}
		return out
	}
	first := list()
	if len(first.List) < 30 || len(first.Tips) < 20 {
		t.Fatalf("%d brushes, %d tips", len(first.List), len(first.Tips))
	}
	mine := brush.Made{Name: "Quay moss", Group: "x", Help: "", Strength: 1, Kit: &brush.Kit{Tip: "tuft", Spacing: 0.4, Flow: 1}}
	code, b := s.request("POST", "/api/stock/brushes", mine)
	var got brush.Made
	if err := json.Unmarshal(b, &got); code != 200 || err != nil || got.ID == "" {
		t.Fatal(code, string(b), err)
	}
	again := list()
	last := again.List[len(again.List)-1]
	if len(again.List) != len(first.List)+1 || last.Name != "Quay moss" || last.Group != "kept" || last.Kit.Tip != "tuft" {
		t.Fatalf("kept as %+v", last)
	}
	for _, name := range []string{got.ID, "Wall%20chalk"} {
		code, b = s.request("GET", "/api/brushes/"+name+"/picture", nil)
		img, err := png.Decode(bytes.NewReader(b))
		if code != 200 || err != nil || img.Bounds().Dx() != 200 {
			t.Fatalf("picture of %s: %d %v", name, code, err)
		}
	}
	mine.Kit.Spacing = 0
	if code, b = s.request("POST", "/api/stock/brushes", mine); code < 400 || !strings.Contains(string(b), "spacing") {
		t.Errorf("a brush without spacing: %d %s", code, b)
	}
	if code, b = s.request("POST", "/api/brushes/preview", mine); code != 422 || !strings.Contains(string(b), "spacing") {
		t.Errorf("its picture: %d %s", code, b)
	}
	if code, _ = s.request("GET", "/api/brushes/nobody/picture", nil); code != 404 {
		t.Errorf("a brush that is not there: %d", code)
	}
	if code, _ = s.request("DELETE", "/api/stock/"+got.ID, nil); code >= 300 || len(list().List) != len(first.List) {
		t.Errorf("dropped: %d", code)
	}
}

func TestMainColoursAreTakenFromAPicture(t *testing.T) {
	s := startService(t)
	img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		img.SetNRGBA(i%8, i/8, map[bool]color.NRGBA{true: {200, 30, 40, 255}, false: {20, 90, 160, 255}}[i < 40])
	}
	var b bytes.Buffer
	_ = png.Encode(&b, img)
	for body, want := range map[string]string{b.String(): `["#c81e28","#145aa0"]`, "no picture": "cannot be read"} {
		a, err := http.Post(s.url+"/api/palette", "image/png", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		got, _ := io.ReadAll(a.Body)
		a.Body.Close()
		if !strings.Contains(string(got), want) {
			t.Errorf("%d %s, want %s", a.StatusCode, got, want)
		}
	}
}

// A stroke that is to stay within a part gets the part's triangles from the server;
// a fill covers them, and no others.
func TestStrokesStayWithinWhatTheyBeginOn(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	w.send(addCoat)
	w.until("the coat", layers(2))
	fill := func(n int, name, within, pos string) {
		w.send(`{"t":"stroke.begin","layer":"coat","step":"h","within":"%s","pos":%s,"nrm":[0,0,1],"stroke":{"id":"%s","radius":0.05,"strength":1,"hardness":0.5,"fill":{},"values":{"mask":[0]}}}`, within, pos, name)
		w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1]}`)
		w.send(`{"t":"stroke.end","id":%d}`, n)
	}
	fill(3, "f1", "part", "[0,0.3,0.12]")
	w.until("the fill", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })
	w.send(`{"t":"stroke.begin","id":9,"layer":"coat","step":"h","within":"shelf","pos":[0,0.3,0.12],"nrm":[0,0,1],"stroke":{"id":"f2","radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	if e := w.until("a refusal", func(s state) bool { return s.T == "error" }); !strings.Contains(e.Message, `"shelf"`) {
		t.Fatal(e.Message)
	}
	w.send(`{"t":"stroke.begin","id":10,"layer":"coat","step":"h","stroke":{"id":"f3","radius":0.05,"strength":1,"hardness":0.5,"fill":{},"values":{"mask":[0]}}}`)
	if e := w.until("a refusal", func(s state) bool { return s.T == "error" }); !strings.Contains(e.Message, "needs an area") {
		t.Fatal(e.Message)
	}
	kept, err := s.store.Strokes(t.Context(), id)
	if err != nil || kept["f1"] == nil || kept["f1"].Within == nil || len(kept["f1"].Within.Faces) == 0 {
		t.Fatalf("kept: %v %+v", err, kept["f1"])
	}
}

func TestPalettesAreKeptInTheStock(t *testing.T) {
	s := startService(t)
	code, b := s.request("POST", "/api/stock/palettes", map[string]any{"id": "", "name": "Low Wick reds", "colors": []string{"#8a1f1a", "#c0503c"}})
	var kept api.SavedPalette
	if code != 200 || json.Unmarshal(b, &kept) != nil || kept.ID == "" {
		t.Fatal(code, string(b))
	}
	mine := func() (out []api.SavedPalette) { // the database may hold others
		code, b := s.request("GET", "/api/stock/palettes", nil)
		if code != 200 || json.Unmarshal(b, &out) != nil {
			t.Fatal(code, string(b))
		}
		return slices.DeleteFunc(out, func(p api.SavedPalette) bool { return p.ID != kept.ID })
	}
	if l := mine(); len(l) != 1 || l[0].Name != "Low Wick reds" || len(l[0].Colors) != 2 || l[0].Colors[1] != "#c0503c" {
		t.Fatalf("%+v", l)
	}
	if code, b = s.request("POST", "/api/stock/palettes", map[string]any{"id": "", "name": "x", "colors": []string{"#8a1f1a", "red"}}); code < 400 || !strings.Contains(string(b), `colour 2 of the palette`) {
		t.Errorf("%d %s", code, b)
	}
	if code, _ = s.request("DELETE", "/api/stock/"+kept.ID, nil); code >= 300 {
		t.Error(code)
	}
	if l := mine(); len(l) != 0 {
		t.Errorf("after it was deleted: %+v", l)
	}
}

// A pen that hovers has tiles made ready, and the page hears nothing of it: least of all
// that everything is drawn, while a stroke that it sent meanwhile is not. What was made ready
// gives the stroke's tiles; a pen over a layer that is gone does no harm.
func TestAHoveringPenIsSilent(t *testing.T) {
	s := startService(t)
	project := s.bollard()
	w := s.open(project, "ann")
	w.send(`{"t":"op","op":{"kind":"layer.add","target":"coat","index":-1,"layer":{"id":"coat","name":"Tar","kind":"paint","visible":true,"amount":1,"channels":{"roughness":{"on":true,"amount":1}}}}}`)
	w.until("the layer", func(s state) bool { return s.T == "doc" && len(s.Doc.Layers) == 2 })
	w.until("everything", func(s state) bool { return s.T == "settled" })
	time.Sleep(500 * time.Millisecond) // and what came of the pass before it
	w.send(`{"t":"pick","id":3,"pos":[0,0.3,0.12],"nrm":[0,0,1]}`)
	w.until("what lies there", func(s state) bool { return s.T == "picked" })
	w.tiles = 0
	for i := range 5 {
		w.send(`{"t":"near","layer":"coat","pos":[0,%g,0.12],"radius":0.02}`, 0.2+0.02*float64(i))
	}
	w.send(`{"t":"near","layer":"gone","pos":[0,0.3,0.12],"radius":0.02}`)
	w.send(`{"t":"near","layer":"coat","pos":[0,0.3,0.12]}`)
	time.Sleep(150 * time.Millisecond)
	w.send(`{"t":"pick","id":4,"pos":[0,0.3,0.12],"nrm":[0,0,1]}`)
	w.until("what lies there", func(s state) bool {
		if s.T == "settled" {
			t.Error("a pen that hovers says that everything is drawn")
		}
		return s.T == "picked"
	})
	if w.tiles > 0 {
		t.Errorf("a pen that hovers sent %d tiles", w.tiles)
	}
	w.send(`{"t":"stroke.begin","layer":"coat","stroke":{"id":"hover","radius":0.03,"strength":1,"hardness":0.5,"values":{"roughness":[1]},"kit":{"spacing":0.1,"flow":1,"pen":[{"by":"lean","what":"angle","from":0,"to":1}]}}}`)
	w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1],"tilt":[0.5],"lean":[0.25]}`)
	w.send(`{"t":"stroke.add","points":[0.01,0.3,0.12,0,0,1,1],"tilt":[0.5],"lean":[0.5]}`)
	w.send(`{"t":"stroke.end","id":5}`)
	w.until("the stroke", func(s state) bool { return s.T == "doc" && s.Strokes["coat"] == 1 })
	if w.tiles == 0 {
		w.until("its tiles", func(s state) bool { return s.T == "settled" && w.tiles > 0 })
	}
	strokes, err := s.store.Strokes(t.Context(), project)
	if err != nil || strokes["hover"] == nil {
		t.Fatalf("the stroke was not kept: %v", err)
	}
	if got := strokes["hover"]; fmt.Sprint(got.Lean, got.Tilt) != "[0.25 0.5] [0.5 0.5]" {
		t.Errorf("of how the pen was held %v and %v are kept", got.Lean, got.Tilt)
	}
}

// What is said to be drawn in full names the last message that it goes up to, be it a change,
// one that was refused, or finer sizes; so a page that sent more meanwhile waits on.
func TestSettledTellsUpToWhere(t *testing.T) {
	s := startService(t)
	w := s.open(s.bollard(), "ann")
	w.until("the first picture", func(s state) bool { return s.T == "settled" && s.N == 0 })
	w.send(`{"t":"op","n":3,"op":{"kind":"layer.add","target":"coat","index":-1,"layer":{"id":"coat","name":"Tar","kind":"paint","visible":true,"amount":1,"channels":{"roughness":{"on":true,"amount":1}}}}}`)
	w.until("the change", func(s state) bool { return s.T == "settled" && s.N == 3 })
	w.send(`{"t":"op","n":4}`)
	w.until("a refusal", func(s state) bool { return s.T == "error" })
	w.until("that nothing came of it", func(s state) bool { return s.T == "settled" && s.N == 4 })
	w.send(`{"t":"view","n":6,"pages":[0,128,0,0,0],"seen":1}`)
	w.until("finer sizes", func(s state) bool { return s.T == "settled" && s.N == 6 })
	w.send(`{"t":"undo","n":7}`)
	w.until("the undo", func(s state) bool {
		if s.T == "settled" && s.N > 7 {
			t.Errorf("%d messages are said to be drawn, 7 were sent", s.N)
		}
		return s.T == "settled" && s.N == 7
	})
	// a view with a tile that is none: the reason is told, and the page does not wait for ever
	w.send(`{"t":"view","n":8,"pages":[0,128,1,0,0],"seen":1}`)
	w.until("why", func(s state) bool { return s.T == "error" && strings.Contains(s.Message, "is none") })
	w.until("that it was heard", func(s state) bool { return s.T == "settled" && s.N == 8 })
}
