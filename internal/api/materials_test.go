package api_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/material"
	"velvetgrime/internal/api"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

// A layer is kept as a material with its dials' group, told what stays behind, listed first,
// put down in another project under fresh ids, renamed, deleted and brought back.
func TestALayerIsKeptAsAMaterial(t *testing.T) {
	s := startService(t)
	id, other := s.bollard(), s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	w.until("the new coat", layers(2))
	w.send(`{"t":"stroke.begin","layer":"coat","step":"h","stroke":{"id":"st1","radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1, 0.02,0.3,0.12,0,0,1,1]}`)
	w.send(`{"t":"stroke.end","id":3}`)
	w.until("the stroke", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })

	type info struct {
		ID, Name, Kind string
		Left           []string
		Tags           []string
	}
	code, b := s.request("POST", "/api/stock/materials", map[string]any{"name": "My tar", "project": id, "layer": "coat", "tags": []string{"hull"}})
	var kept info
	if code != 200 || json.Unmarshal(b, &kept) != nil || kept.ID == "" || len(kept.Left) != 1 || !strings.Contains(kept.Left[0], "1 strokes") {
		t.Fatal(code, string(b))
	}
	// own ones come first; others may have kept some before
	listed := func() (it info) {
		_, b := s.request("GET", "/api/materials", nil)
		var list []info
		if err := json.Unmarshal(b, &list); err != nil || len(list) < 20 {
			t.Fatal(len(list), err)
		}
		shipped := slices.IndexFunc(list, func(i info) bool { return i.ID == "" })
		for n, i := range list {
			if n > shipped && i.ID != "" {
				t.Error("an own one stands behind one that ships", i)
			}
			if i.ID == kept.ID {
				it = i
			}
		}
		return it
	}
	if l := listed(); l.Name != "My tar" || l.Kind != "kept" || l.Tags[0] != "hull" {
		t.Fatalf("%+v", l)
	}
	code, b = s.request("POST", "/api/stock/materials/"+kept.ID+"/group?seed=3", map[string]string{"project": other})
	var g struct {
		ID, Kind string
		Layers   []struct{ ID, Name string }
		Made     struct {
			Name string
			Seed int
		}
	}
	if code != 200 || json.Unmarshal(b, &g) != nil || g.Kind != "group" || len(g.Layers) != 1 || g.Layers[0].ID == "coat" || g.Made.Name != "My tar" || g.Made.Seed != 3 {
		t.Fatal(code, string(b))
	}
	// what came is put down as it is
	v := s.open(other, "bob")
	v.until("the document", layers(1))
	v.send(`{"t":"op","id":1,"op":{"kind":"layer.add","index":-1,"layer":%s}}`, b)
	v.until("the material", layers(2))

	// without a name it is called as its layer is
	var bare info
	code, b = s.request("POST", "/api/stock/materials", map[string]string{"project": id, "layer": "coat"})
	if code != 200 || json.Unmarshal(b, &bare) != nil || bare.Name != "Tar" {
		t.Errorf("kept without a name: %d %s", code, b)
	}
	s.request("DELETE", "/api/stock/"+bare.ID, nil)
	if code, b := s.request("POST", "/api/stock/materials", map[string]any{"name": "x", "project": id, "layer": "gone"}); code != 422 || !strings.Contains(string(b), "not there") {
		t.Error(code, string(b))
	}
	if code, _ := s.request("PATCH", "/api/stock/"+kept.ID, map[string]string{"name": "Quay tar"}); code >= 300 || listed().Name != "Quay tar" {
		t.Error("it is not renamed", code)
	}
	if code, _ := s.request("DELETE", "/api/stock/"+kept.ID, nil); code >= 300 || listed().ID != "" {
		t.Error("it is not deleted", code)
	}
	if code, _ := s.request("POST", "/api/stock/"+kept.ID+"/restore", nil); code >= 300 || listed().ID != kept.ID {
		t.Error("it does not come back", code)
	}
}

// Thousands of kept materials are listed at once: what each holds is read once. A renamed one,
// one that was kept anew and one that went away are told as they are.
func TestKeptMaterialsAreReadOnce(t *testing.T) {
	s := startService(t)
	group, err := json.Marshal(material.All()[0].Placed("g", 1, 0))
	if err != nil {
		t.Fatal(err)
	}
	keep := func(id, name string, made float64, at time.Time) {
		i := &store.StockItem{ID: id, Kind: "material", Name: name, At: at, Data: fmt.Appendf(nil, `{"made":%g,"tags":["hull"],"group":%s}`, made, group)}
		if err := s.store.PutStock(t.Context(), i); err != nil {
			t.Fatal(err)
		}
	}
	now := time.Now().Truncate(time.Millisecond)
	prefix := uuid.NewString()
	for n := range 150 {
		keep(fmt.Sprint(prefix, n), fmt.Sprint("Many ", n), 1, now)
	}
	t.Cleanup(func() {
		for n := range 150 {
			s.request("DELETE", "/api/stock/"+fmt.Sprint(prefix, n), nil)
		}
	})
	mine := func() map[string]api.MaterialInfo {
		code, b := s.request("GET", "/api/materials", nil)
		var list []api.MaterialInfo
		if code != 200 || json.Unmarshal(b, &list) != nil {
			t.Fatal(code, string(b))
		}
		out := map[string]api.MaterialInfo{}
		for _, m := range list {
			if strings.HasPrefix(m.ID, prefix) {
				out[strings.TrimPrefix(m.ID, prefix)] = m
			}
		}
		return out
	}
	if all := mine(); len(all) != 150 || len(all["7"].Dials) != len(material.All()[0].Dials()) || all["7"].Made != 1 || all["7"].Tags[0] != "hull" {
		t.Fatalf("%d are listed; the eighth is %+v", len(all), all["7"])
	}
	// what was read is not read again: it is changed behind the service's back, with its time as it was
	keep(prefix+"7", "Many 7", 3, now)
	if mine()["7"].Made != 1 {
		t.Error("it was read again")
	}
	keep(prefix+"7", "Many 7", 3, now.Add(time.Second))
	if mine()["7"].Made != 3 {
		t.Error("it was kept anew, and is told as it was")
	}
	s.request("PATCH", "/api/stock/"+prefix+"8", map[string]string{"name": "Called otherwise"})
	s.request("DELETE", "/api/stock/"+prefix+"9", nil)
	if all := mine(); all["8"].Name != "Called otherwise" || all["9"].ID != "" || len(all) != 149 {
		t.Errorf("%q, %q, %d", all["8"].Name, all["9"].ID, len(all))
	}
}
