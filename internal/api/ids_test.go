package api_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"testing"

	"velvetgrime/core/pix"
)

// An ID map from a picture: levels, another picture laid over it as a difference, a
// threshold, a ramp to flat colours, kept as the sheet's map.
func TestAnIDMapIsMadeFromAPicturesStream(t *testing.T) {
	s := startService(t)
	project := s.bollard()
	upload := func(name string, f func(x, y int) uint8) string {
		img := image.NewGray(image.Rect(0, 0, 64, 64))
		for i := range 64 * 64 {
			img.SetGray(i%64, i/64, color.Gray{f(i%64, i/64)})
		}
		var b bytes.Buffer
		_ = png.Encode(&b, img)
		r, err := http.Post(s.url+"/api/projects/"+project+"/pictures?name="+name, "image/png", &b)
		if err != nil || r.StatusCode != 201 {
			t.Fatal(err, r)
		}
		defer r.Body.Close()
		var p struct {
			Picture string `json:"picture"`
		}
		_ = json.NewDecoder(r.Body).Decode(&p)
		return p.Picture
	}
	weave := upload("weave.png", func(x, y int) uint8 { return uint8(60 + 140*((x/8+y/8)%2)) })
	dust := upload("dust.png", func(x, y int) uint8 { return uint8((x*37 + y*101) % 60) })
	step := func(id, kind, blend string, params map[string]any) map[string]any {
		m := map[string]any{"id": id, "kind": kind, "on": true, "amount": 1, "params": params}
		if blend != "" {
			m["blend"] = blend
		}
		return m
	}
	layer := map[string]any{"id": "weave", "name": "Weave", "kind": "fill", "visible": false, "amount": 1, "reach": map[string]any{}, "mask": []any{},
		"channels": map[string]any{"baseColor": map[string]any{"on": true, "value": []float32{0, 0, 0}, "blend": "normal", "amount": 1, "stream": []any{
			step("a", "picture", "normal", map[string]any{"picture": weave, "laid": "by UVs", "repeat": 4.0}),
			step("b", "levels", "", map[string]any{"low": 0.2, "high": 0.8}),
			step("c", "picture", "difference", map[string]any{"picture": dust, "laid": "by UVs", "repeat": 4.0}),
			step("d", "threshold", "", map[string]any{}),
			step("e", "ramp", "", map[string]any{"stops": [][]float64{{0, 1, 0, 0}, {1, 0, 0, 1}}}),
		}}}}
	w := s.open(project, "ida")
	w.until("the document", layers(1))
	op, _ := json.Marshal(map[string]any{"t": "op", "id": 1, "op": map[string]any{"kind": "layer.add", "layer": layer, "index": -1}})
	w.send("%s", op)
	w.until("the layer", layers(2))
	code, out := s.request("POST", "/api/projects/"+project+"/ids", map[string]any{"layer": "weave", "channel": "baseColor", "sheet": "Cast iron", "size": 256})
	if code >= 300 {
		t.Fatalf("%d: %s", code, out)
	}
	code, out = s.request("GET", "/api/projects/"+project+"/baked/Cast%20iron/id?form=png16", nil)
	if code != 200 {
		t.Fatalf("%d: %s", code, out)
	}
	pic, err := pix.DecodePicture(bytes.NewReader(out))
	if err != nil {
		t.Fatal(err)
	}
	red, blue := pic.Component(0), pic.Component(2)
	count := map[string]int{}
	for i := range red {
		switch {
		case red[i] > 65000 && blue[i] < 500:
			count["red"]++
		case blue[i] > 65000 && red[i] < 500:
			count["blue"]++
		default:
			count["between"]++
		}
	}
	if count["red"] < 3000 || count["blue"] < 3000 || count["between"] > 400 {
		t.Errorf("texels by colour: %v; want two flat colours", count)
	}
	code, out = s.request("POST", "/api/projects/"+project+"/ids", map[string]any{"layer": "nobody", "channel": "baseColor", "sheet": "Cast iron", "size": 256})
	if code != 422 || !bytes.Contains(out, []byte("nobody")) {
		t.Errorf("an unknown layer: %d %s", code, out)
	}
}
