package api_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"net/http"
	"slices"
	"strings"
	"testing"

	"velvetgrime/internal/api"
	"velvetgrime/internal/store"
)

// A mask is kept with its picture, found, renamed, used without what belongs to its
// project, dropped and brought back.
func TestMasksAreKeptInTheStock(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	w.until("the coat", layers(2))
	if code, b := s.request("POST", "/api/stock/masks", map[string]string{"name": "Empty", "project": id, "layer": "coat"}); code != 422 || !strings.Contains(string(b), "no step") {
		t.Errorf("an empty mask: %d %s", code, b)
	}
	w.send(`{"t":"op","id":1,"op":{"kind":"step.add","target":"coat","path":"mask","index":-1,"newStep":{"id":"n","kind":"cells","on":true,"amount":1,"params":{"frequency":40}}}}`)
	w.send(`{"t":"op","id":2,"op":{"kind":"step.add","target":"coat","path":"mask","index":-1,"newStep":{"id":"f","kind":"nook","on":true,"amount":1,"blend":"multiply","params":{"layer":"below","what":"height"}}}}`)
	w.until("two more steps", func(st state) bool { return st.Seq == 3 })

	code, b := s.request("POST", "/api/stock/masks", map[string]string{"name": "Old cells", "project": id, "layer": "coat"})
	var kept api.SavedMask
	if err := json.Unmarshal(b, &kept); code != 200 || err != nil || len(kept.Steps) != 2 {
		t.Fatalf("%d %s", code, b)
	}
	find := func() *api.SavedMask {
		_, b := s.request("GET", "/api/stock/masks", nil)
		var list []api.SavedMask
		if err := json.Unmarshal(b, &list); err != nil {
			t.Fatal(err)
		}
		for i := range list {
			if list[i].ID == kept.ID {
				return &list[i]
			}
		}
		return nil
	}
	if m := find(); m == nil || m.Name != "Old cells" || m.Steps[0].Kind != "cells" || m.Steps[0].Params["frequency"] != 40.0 {
		t.Fatalf("found %+v", m)
	}
	a, err := http.Get(s.url + "/api/stock/" + kept.ID + "/picture")
	if err != nil {
		t.Fatal(err)
	}
	defer a.Body.Close()
	var shot bytes.Buffer
	_, _ = shot.ReadFrom(a.Body)
	if a.StatusCode != 200 || !bytes.HasPrefix(shot.Bytes(), []byte("\x89PNG")) {
		t.Errorf("its picture: %d, %d bytes", a.StatusCode, shot.Len())
	}
	if code, _ := s.request("PATCH", "/api/stock/"+kept.ID, map[string]string{"name": "Pebbles"}); code >= 300 || find().Name != "Pebbles" {
		t.Error("it is not renamed:", code)
	}
	if code, _ := s.request("DELETE", "/api/stock/"+kept.ID, nil); code >= 300 || find() != nil {
		t.Error("it is not dropped:", code)
	}
	if code, _ := s.request("POST", "/api/stock/"+kept.ID+"/restore", nil); code >= 300 || find() == nil {
		t.Error("it is not brought back:", code)
	}
	if code, _ := s.request("DELETE", "/api/stock/none", nil); code != 404 {
		t.Errorf("one that is not there: %d", code)
	}
}

// Another project that uses a mask gets the pictures that it shows; strokes and followed
// layers do not come along, and that is said.
func TestKeptMasksBringTheirPictures(t *testing.T) {
	s := startService(t)
	id, other := s.bollard(), s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	var b bytes.Buffer
	img := image.NewGray(image.Rect(0, 0, 32, 32))
	for i := range img.Pix {
		img.Pix[i] = uint8(i % 251)
	}
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	a, err := http.Post(s.url+"/api/projects/"+id+"/pictures?name=planks.png", "image/png", &b)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Body.Close()
	var pic struct{ Picture string }
	if err := json.NewDecoder(a.Body).Decode(&pic); err != nil || pic.Picture == "" {
		t.Fatal("the picture is not kept:", a.Status, err)
	}
	w.send(addCoat)
	w.send("%s", strings.ReplaceAll(addCoat, `"coat"`, `"rivets"`))
	w.until("the coats", layers(3))
	for k, step := range []string{`{"id":"p","kind":"picture","on":true,"amount":1,"params":{"picture":"` + pic.Picture + `"}}`,
		`{"id":"f","kind":"follow","on":true,"amount":1,"params":{"layer":"rivets","what":"mask"}}`} {
		w.send(`{"t":"op","id":%d,"op":{"kind":"step.add","target":"coat","path":"mask","index":-1,"newStep":%s}}`, k+1, step)
	}
	w.until("its steps", func(st state) bool { return st.Seq == 4 })
	code, out := s.request("POST", "/api/stock/masks", map[string]string{"name": "Planks", "project": id, "layer": "coat"})
	var kept api.SavedMask
	if err := json.Unmarshal(out, &kept); code != 200 || err != nil || len(kept.Steps) != 2 || len(kept.Pictures) != 1 {
		t.Fatalf("%d %s", code, out)
	}
	if kept.Steps[0].Params["picture"] != pic.Picture {
		t.Errorf("its picture step shows %v", kept.Steps[0].Params["picture"])
	}
	if all := strings.Join(kept.Left, "; "); len(kept.Left) != 2 || !strings.Contains(all, "by hand") || !strings.Contains(all, "follows") {
		t.Errorf("what is left out is told as %q", all)
	}
	names := func() (n []string) {
		_, out := s.request("GET", "/api/projects/"+other+"/pictures", nil)
		var list []store.Picture
		if err := json.Unmarshal(out, &list); err != nil {
			t.Fatal(err)
		}
		for _, p := range list {
			n = append(n, p.Name+" "+p.Blob)
		}
		return n
	}
	before := len(names())
	for range 2 { // a second use adds nothing
		if code, out := s.request("POST", "/api/stock/"+kept.ID+"/use", map[string]string{"project": other}); code != 200 {
			t.Fatalf("%d %s", code, out)
		}
	}
	if now := names(); len(now) != before+1 || !slices.Contains(now, "planks.png "+pic.Picture) {
		t.Errorf("the other project has %v", now)
	}
	if code, _ := s.request("POST", "/api/stock/none/use", map[string]string{"project": other}); code != 404 {
		t.Errorf("one that is not there: %d", code)
	}
}

func TestKindsOfStepsHavePictures(t *testing.T) {
	s := startService(t)
	for kind, want := range map[string]int{"bricks": 200, "rub": 200, "blur": 200, "hand": 404, "sparkle": 404} {
		code, b := s.request("GET", "/api/steps/"+kind+"/picture", nil)
		if code != want || want == 200 && !bytes.HasPrefix(b, []byte("\x89PNG")) {
			t.Errorf("%s: %d, %d bytes", kind, code, len(b))
		}
	}
}
