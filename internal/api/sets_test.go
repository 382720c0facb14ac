package api_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"strings"
	"testing"
)

func greyPNG(t *testing.T, v uint8) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		img.SetNRGBA(i%8, i/8, color.NRGBA{v, v / 2, 0, 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// The pictures of a zip become the project's, what is packed is told, the made group can be put
// down and reads pictures that are there; what is wrong is refused by its name.
func TestASetOfPictures(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	send := func(files map[string][]byte) (int, []byte) {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, data := range files {
			f, err := z.Create(name)
			if err == nil {
				_, err = f.Write(data)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		r, err := http.Post(s.url+"/api/projects/"+id+"/pictures/zip?name=plank.zip", "application/zip", &b)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		var out bytes.Buffer
		_, _ = out.ReadFrom(r.Body)
		return r.StatusCode, out.Bytes()
	}
	code, b := send(map[string][]byte{"set/plank_ORM.png": greyPNG(t, 200), "set/read me.txt": []byte("no picture")})
	var rows []struct{ Picture, Name string }
	if code != 201 || json.Unmarshal(b, &rows) != nil || len(rows) != 1 || rows[0].Name != "plank_ORM.png" {
		t.Fatal(code, string(b))
	}
	code, b = s.request("POST", "/api/projects/"+id+"/sets/look", map[string]any{"pictures": []string{rows[0].Picture}})
	var told []map[string]any
	if code != 200 || json.Unmarshal(b, &told) != nil || len(told) != 3 || told[1]["channel"] != "roughness" {
		t.Fatal(code, string(b))
	}
	order := map[string]any{"name": "Plank", "rows": told, "laid": "by UVs", "tiles": "again", "size": 0.2, "turn": 0}
	code, b = s.request("POST", "/api/projects/"+id+"/sets", order)
	if code != 200 {
		t.Fatal(code, string(b))
	}
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(`{"t":"op","id":1,"op":{"kind":"layer.add","index":-1,"layer":%s}}`, b)
	w.until("the material", layers(2))
	for want, f := range map[string]func() (int, []byte){
		"plank.zip: there is no picture": func() (int, []byte) { return send(map[string][]byte{"a.txt": nil}) },
		"plank.zip: a.png:":              func() (int, []byte) { return send(map[string][]byte{"a.png": []byte("x")}) },
		"has no picture": func() (int, []byte) {
			return s.request("POST", "/api/projects/"+id+"/sets/look", map[string]any{"pictures": []string{"gone"}})
		},
		"no picture has a channel": func() (int, []byte) {
			order["rows"] = []map[string]any{{"picture": rows[0].Picture, "name": "x", "channel": "", "component": -1, "invert": false, "greenDown": false, "sure": 0}}
			return s.request("POST", "/api/projects/"+id+"/sets", order)
		},
	} {
		if code, b := f(); code != 422 || !strings.Contains(string(b), want) {
			t.Errorf("%d %s does not say %q", code, b, want)
		}
	}
}
