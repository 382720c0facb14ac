package api_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"strings"
	"testing"

	"velvetgrime/core/press"
	"velvetgrime/internal/api"
)

func TestPress(t *testing.T) {
	s := startService(t)
	code, body := s.request("GET", "/api/press", nil)
	var p api.Press
	if code != 200 || json.Unmarshal(body, &p) != nil || len(p.Shapes) < 13 || len(p.Treats) < 8 || len(p.List) < 30 {
		t.Fatalf("%d: %d shapes, %d treatments, %d stamps", code, len(p.Shapes), len(p.Treats), len(p.List))
	}
	for _, k := range append(p.Shapes, p.Treats...) {
		for _, set := range k.Settings {
			if set.Label == "" || set.Help == "" || set.Default == nil {
				t.Errorf("%s: the setting %q tells too little: %+v", k.Kind, set.Name, set)
			}
		}
	}
	r := press.ByName("Slotted screw")
	r.Name = "Quay screw, 3/8"
	code, body = s.request("POST", "/api/press/png?size=300", r)
	img, err := png.Decode(bytes.NewReader(body))
	if _, ok := img.(*image.Gray16); code != 200 || err != nil || !ok || img.Bounds().Dx() != 300 {
		t.Errorf("the delivery: %d, %v, %T", code, err, img)
	}
	for _, look := range press.Looks {
		code, body = s.request("POST", "/api/press/picture?size=64&look="+look, r)
		if img, err := png.Decode(bytes.NewReader(body)); code != 200 || err != nil || img.Bounds().Dx() != 64 {
			t.Errorf("look %s: %d, %v", look, code, err)
		}
	}
	if code, _ := s.request("GET", "/api/press/stamps/Horn%20cleat/picture", nil); code != 200 {
		t.Errorf("the picture of a stamp: %d", code)
	}
	if code, body := s.request("GET", "/api/press/stamps/Nothing/picture", nil); code != 404 || !strings.Contains(string(body), `no stamp \"Nothing\"`) {
		t.Errorf("%d %s", code, body)
	}
	// kept, listed, deleted
	code, body = s.request("POST", "/api/stock/stamps", r)
	var kept api.KnownStamp
	if code != 201 || json.Unmarshal(body, &kept) != nil || kept.Group != "kept" {
		t.Fatalf("%d %s", code, body)
	}
	if code, body := s.request("GET", "/api/stock/"+kept.ID+"/picture", nil); code != 200 || !bytes.HasPrefix(body, []byte("\x89PNG")) {
		t.Errorf("its picture: %d", code)
	}
	listed := func() (n int) {
		_, body := s.request("GET", "/api/press", nil)
		var p api.Press
		_ = json.Unmarshal(body, &p)
		for _, k := range p.List {
			if k.ID == kept.ID && k.Recipe.Name == r.Name && len(k.Recipe.Shapes) == len(r.Shapes) {
				n++
			}
		}
		return
	}
	if listed() != 1 {
		t.Error("it is not listed")
	}
	s.request("DELETE", "/api/stock/"+kept.ID, nil)
	if listed() != 0 {
		t.Error("it is listed after it was deleted")
	}
	// refusals name the place
	r.Shapes[1].Level = 7
	if code, body := s.request("POST", "/api/press/picture", r); code != 422 || !strings.Contains(string(body), "shape 2 (bar): its height is 7") {
		t.Errorf("%d %s", code, body)
	}
	if code, body := s.request("POST", "/api/press/picture?size=99999", press.ByName("Cog")); code != 422 || !strings.Contains(string(body), "99999") {
		t.Errorf("%d %s", code, body)
	}
	if code, body := s.request("POST", "/api/stock/stamps", press.Recipe{}); code != 422 || !strings.Contains(string(body), "needs a name") {
		t.Errorf("%d %s", code, body)
	}
}

func TestAStampBecomesAPicture(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	code, body := s.request("POST", "/api/projects/"+id+"/stamps?size=128", press.ByName("Snap rivet"))
	if code != 201 || !strings.Contains(string(body), `"name":"snap-rivet.png"`) || !strings.Contains(string(body), `"width":128`) {
		t.Fatalf("%d %s", code, body)
	}
	if code, body := s.request("GET", "/api/projects/"+id+"/pictures", nil); code != 200 || !strings.Contains(string(body), "snap-rivet.png") {
		t.Errorf("%d %s", code, body)
	}
}
