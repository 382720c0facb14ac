package api_test

import (
	"bytes"
	"encoding/json"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/grime"
	"velvetgrime/internal/api"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"
)

// fetch returns what a path gives.
func (s *service) fetch(path string) []byte {
	s.Helper()
	r, err := http.Get(s.url + path)
	if err != nil {
		s.Fatal(err)
	}
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode != 200 {
		s.Fatal(r.Status, string(b), err)
	}
	return b
}

// post sends a .grime file.
func (s *service) post(path string, file []byte, out any) (int, string) {
	s.Helper()
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	w, err := form.CreateFormFile("file", "landing.grime")
	if err == nil {
		_, err = w.Write(file)
	}
	if err != nil || form.Close() != nil {
		s.Fatal(err)
	}
	r, err := http.Post(s.url+path, form.FormDataContentType(), &b)
	if err != nil {
		s.Fatal(err)
	}
	defer r.Body.Close()
	text, _ := io.ReadAll(r.Body)
	if r.StatusCode == 200 && json.Unmarshal(text, out) != nil {
		s.Fatal(string(text))
	}
	return r.StatusCode, string(text)
}

type look struct {
	Name    string
	Items   []struct{ Kind, Name, Picture string }
	Project bool
}

// A whole project goes out and in: its layers, strokes, ledger with what was undone, marks and
// pictures are there, it can be undone further, and going out again it is the same file.
func TestAProjectGoesOutAndIn(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	w.until("the new coat", layers(2))
	w.send(`{"t":"stroke.begin","layer":"coat","step":"h","stroke":{"id":"out1","radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1, 0.02,0.3,0.12,0,0,1,1]}`)
	w.send(`{"t":"stroke.end","id":3}`)
	w.until("the stroke", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })
	w.send(`{"t":"undo","id":4}`)
	w.until("the undo", func(s state) bool { return s.T == "doc" && s.Redo != "" })
	w.send(`{"t":"redo","id":5}`)
	w.until("the redo", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })
	w.send(`{"t":"mark","id":6,"seq":1,"name":"tarred"}`)
	w.until("the mark", func(s state) bool { return s.T == "ack" || s.T == "doc" })

	first := s.fetch("/api/projects/" + id + "/grime")
	var in look
	if code, text := s.post("/api/grime/look", first, &in); code != 200 || !in.Project {
		t.Fatal(code, text)
	}
	var taken struct{ Project string }
	if code, text := s.post("/api/grime/take?project=1", first, &taken); code != 200 || taken.Project == "" || taken.Project == id {
		t.Fatal(code, text)
	}
	if again := s.fetch("/api/projects/" + taken.Project + "/grime"); !bytes.Equal(first, again) {
		t.Errorf("out again it has %d bytes and differs; it had %d", len(again), len(first))
	}
	v := s.open(taken.Project, "ann")
	v.until("the layers", func(s state) bool { return s.T == "doc" && len(s.Doc.Layers) == 2 && s.Strokes["coat/h"] == 1 })
	v.send(`{"t":"undo","id":1}`)
	v.until("the undo", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 0 })

	// what is wrong in it is refused with the place, and nothing is kept
	a, err := grime.Open(bytes.NewReader(first), int64(len(first)), grime.Usual)
	if err != nil {
		t.Fatal(err)
	}
	p, strokes, err := a.Whole()
	if err != nil {
		t.Fatal(err)
	}
	for want, spoil := range map[string]func(p *grime.Project){
		"entry 1 of the ledger": func(p *grime.Project) { p.Entries[0].Op = json.RawMessage(`{"kind":"layer.remove","target":"gone"}`) },
		"entry 2 of the ledger,": func(p *grime.Project) {
			p.Entries[1].Op = json.RawMessage(`{"kind":"stroke.add","layer":"coat","stroke":"none"}`)
		},
		"the document after": func(p *grime.Project) {
			p.Snapshots[0].Document = json.RawMessage(`{"format":"velvetgrime.document","version":7}`)
		},
		"inside one another": func(p *grime.Project) {
			p.Snapshots[0].Document = json.RawMessage(strings.Repeat("[", 300) + strings.Repeat("]", 300))
		},
		"the model:": func(p *grime.Project) { p.ModelName = "other.glb" },
	} {
		bad := *p
		bad.Name = "refused of " + id // other packages' tests have projects in the database, too
		bad.Entries, bad.Snapshots = append([]grime.Entry(nil), p.Entries...), append([]grime.Snapshot(nil), p.Snapshots...)
		spoil(&bad)
		var b bytes.Buffer
		if err := grime.Write(&b, grime.Out{Project: &bad, Strokes: strokes, Blob: a.Blob, Missing: func(error) bool { return true }}); err != nil {
			t.Fatal(err)
		}
		if code, text := s.post("/api/grime/take?project=1", b.Bytes(), &taken); code != 422 || !strings.Contains(text, want) {
			t.Errorf("%d %s does not say %q", code, text, want)
		}
	}
	if _, after := s.request("GET", "/api/projects", nil); bytes.Contains(after, []byte("refused of "+id)) {
		t.Errorf("something of a refused file was kept: %s", after)
	}
}

// elsewhere is another server on another database, which takes no jobs.
func elsewhere(t *testing.T) *service {
	t.Helper()
	dsn := os.Getenv("VELVETGRIME_JOBS_DATABASE")
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	hub := live.NewHub(s, 64<<20)
	srv := httptest.NewServer((&api.Server{Store: s, Hub: hub}).Handler())
	t.Cleanup(func() {
		srv.CloseClientConnections()
		srv.Close()
		hub.Close()
		s.Close()
	})
	return &service{t, srv.URL, s, dsn, hub}
}

// painted is a project of the bollard with a coat, whose mask has a stroke of that id.
func (s *service) painted(stroke string) string {
	s.Helper()
	id := s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	w.until("the new coat", layers(2))
	w.send(`{"t":"stroke.begin","layer":"coat","step":"h","stroke":{"id":%q,"radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`, stroke)
	w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1, 0.02,0.3,0.12,0,0,1,1]}`)
	w.send(`{"t":"stroke.end","id":3}`)
	w.until("the stroke", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })
	return id
}

// A project goes to a server with another database, which knows nothing of it: its document,
// strokes and ledger are there, and out again it is the same file; so is a thing of the stock.
func TestWorkGoesToAnotherServersDatabase(t *testing.T) {
	s, other := startService(t), elsewhere(t)
	id := s.painted("away1")
	file := s.fetch("/api/projects/" + id + "/grime")
	var taken struct{ Project string }
	if code, text := other.post("/api/grime/take?project=1", file, &taken); code != 200 || taken.Project == "" {
		t.Fatal(code, text)
	}
	t.Cleanup(func() { other.request("DELETE", "/api/projects/"+taken.Project, nil) })
	if again := other.fetch("/api/projects/" + taken.Project + "/grime"); !bytes.Equal(file, again) {
		t.Errorf("out of the other database it has %d bytes and differs; it had %d", len(again), len(file))
	}
	if here, there := s.fetch("/api/projects/"+id+"/document"), other.fetch("/api/projects/"+taken.Project+"/document"); !bytes.Equal(here, there) {
		t.Errorf("the document became %s", there)
	}
	v := other.open(taken.Project, "bo")
	v.until("the layers", func(s state) bool { return s.T == "doc" && len(s.Doc.Layers) == 2 && s.Strokes["coat/h"] == 1 })
	v.until("its picture", func(s state) bool { return s.T == "settled" })
	if v.tiles == 0 {
		t.Error("no tile came")
	}

	code, b := s.request("POST", "/api/stock/materials", map[string]any{"name": "Tar of the quay", "project": id, "layer": "coat", "tags": []string{"hull"}})
	var kept api.MaterialInfo
	if code != 200 || json.Unmarshal(b, &kept) != nil {
		t.Fatal(code, string(b))
	}
	t.Cleanup(func() { s.request("DELETE", "/api/stock/"+kept.ID, nil) })
	item := s.fetch("/api/grime?name=Tar&item=" + kept.ID)
	var got struct {
		Items []struct{ ID, Kind, Name string }
	}
	if code, text := other.post("/api/grime/take?items=0", item, &got); code != 200 || len(got.Items) != 1 {
		t.Fatal(code, text)
	}
	_, list := other.request("GET", "/api/materials", nil)
	var all []api.MaterialInfo
	if err := json.Unmarshal(list, &all); err != nil {
		t.Fatal(err)
	}
	at := slices.IndexFunc(all, func(m api.MaterialInfo) bool { return m.Name == "Tar of the quay" })
	if at < 0 {
		t.Fatal("the material is not listed there")
	}
	t.Cleanup(func() { other.request("DELETE", "/api/stock/"+all[at].ID, nil) })
	if again := other.fetch("/api/grime?name=Tar&item=" + all[at].ID); !bytes.Equal(item, again) {
		t.Error("the material out of the other database is another file")
	}
}

// A project that went to another server is delivered there as here, byte for byte; the notes of its
// deliveries went along, and tell that nothing would change.
func TestDeliveriesAreTheSameOnAnotherServer(t *testing.T) {
	s, other := startService(t), elsewhere(t)
	id := s.painted("away2")
	preset, _ := deliver.FindPreset("every channel, 16 bit")
	preset.Size, preset.Scenes = 128, []string{"glb", "gltf", "obj", "usda", "usdz", "mtlx"}
	preset.Files[0].Format, preset.Files[1].Format, preset.Files[2].Format = "tiff32", "exr16", "webp"
	order := map[string]any{"maps": []string{}, "sheets": []string{}, "glb": false, "preset": preset, "project": "Bollard"}
	done := func(path string, body any) jobs.Line {
		t.Helper()
		var j jobs.Line
		code, b := s.request("POST", path, body)
		if code != 200 || json.Unmarshal(b, &j) != nil {
			t.Fatal(code, string(b))
		}
		for j.State != "done" {
			if j.State == "failed" {
				t.Fatal(j.Note)
			}
			time.Sleep(50 * time.Millisecond)
			_, b := s.request("GET", "/api/jobs/"+j.ID, nil)
			if err := json.Unmarshal(b, &j); err != nil {
				t.Fatal(err)
			}
		}
		return j
	}
	here := done("/api/projects/"+id+"/deliveries", order)
	if len(here.Files) < 17 {
		t.Fatalf("%d files", len(here.Files))
	}
	var taken struct{ Project string }
	file := s.fetch("/api/projects/" + id + "/grime")
	if code, text := other.post("/api/grime/take?project=1", file, &taken); code != 200 || taken.Project == "" {
		t.Fatal(code, text)
	}
	t.Cleanup(func() { other.request("DELETE", "/api/projects/"+taken.Project, nil) })
	if again := other.fetch("/api/projects/" + taken.Project + "/grime"); !bytes.Equal(file, again) {
		t.Error("with a note it comes out of the other database as another file")
	}
	var notes []deliver.Note
	if err := json.Unmarshal(other.fetch("/api/projects/"+taken.Project+"/deliveries"), &notes); err != nil || len(notes) != 1 || notes[0].ID == here.ID {
		t.Fatalf("%v: %d notes", err, len(notes))
	}
	var since api.Since
	if err := json.Unmarshal(other.fetch("/api/deliveries/"+notes[0].ID+"/since"), &since); err != nil || len(since.Files) != len(here.Files) || since.Entries != 0 {
		t.Fatalf("%v: %+v", err, since)
	}
	for _, f := range since.Files {
		if f.State != "same" {
			t.Errorf("%s would be %s there", f.Name, f.State)
		}
	}
	ctx := t.Context()
	p, err := other.hub.Program(ctx, taken.Project)
	if err != nil {
		t.Fatal(err)
	}
	again := notes[0].Order
	if again.Original, err = other.hub.Original(ctx, taken.Project); err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	there := map[string]deliver.Written{}
	err = deliver.Write(ctx, p, again, func(float64, string) {}, func(name string, file func(io.Writer) error) error {
		sum := deliver.NewSum()
		err := file(sum)
		mu.Lock()
		defer mu.Unlock()
		there[name] = sum.Written(name)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range here.Files {
		if w := there[f.Name]; w.SHA256 != f.Blob || w.Size != f.Size {
			t.Errorf("there it is %+v, here %+v", w, f)
		}
	}
}

// Things of the stock, those that ship among them, go out and in; what is there already is not
// there twice, and what cannot be used is refused by its name.
func TestTheStockGoesOutAndIn(t *testing.T) {
	s := startService(t)
	code, b := s.request("POST", "/api/stock/palettes", map[string]any{"id": "", "name": "Quay colours", "colors": []string{"#102030", "#aabbcc"}})
	var kept struct{ ID string }
	if code != 200 || json.Unmarshal(b, &kept) != nil {
		t.Fatal(code, string(b))
	}
	file := s.fetch("/api/grime?name=Quay&item=" + kept.ID + "&material=Cast+iron")
	var in look
	if code, text := s.post("/api/grime/look", file, &in); code != 200 || len(in.Items) != 2 || in.Items[1].Name != "Cast iron" || in.Project || !strings.HasPrefix(in.Items[1].Picture, "data:image/png") {
		t.Fatal(code, text)
	}
	var got struct{ Items []struct{ Kind, Name string } }
	if code, text := s.post("/api/grime/take?items=0", file, &got); code != 200 || len(got.Items) != 1 {
		t.Fatal(code, text)
	}
	count := func() (n int) {
		_, b := s.request("GET", "/api/stock/palettes", nil)
		return strings.Count(string(b), "Quay colours")
	}
	was := count()
	s.request("DELETE", "/api/stock/"+kept.ID, nil)
	if count() != was-1 {
		t.Fatal("it is not deleted")
	}
	if code, text := s.post("/api/grime/take?items=0,1", file, &got); code != 200 || len(got.Items) != 2 {
		t.Fatal(code, text)
	}
	if n := count(); n != max(was-1, 1) {
		t.Errorf("the palette is there %d times; it was %d times, and one was deleted", n, was)
	}
	if code, text := s.post("/api/grime/take?items=7", file, &got); code != 422 || !strings.Contains(text, "no item 8") {
		t.Error(code, text)
	}
	for want, it := range map[string]grime.Item{
		`the palette "x": its colour 2`: {Kind: "palette", Name: "x", Data: json.RawMessage(`["#102030","red"]`)},
		`the material "x": it has no`:   {Kind: "material", Name: "x", Data: json.RawMessage(`{"made":1}`)},
		`the mask "x"`:                  {Kind: "mask", Name: "x", Data: json.RawMessage(`{"steps":[{"id":"a","kind":"shine","on":true,"amount":1}]}`)},
		`the brush "x"`:                 {Kind: "brush", Name: "x", Data: json.RawMessage(`{"radius":-1,"strength":99}`)},
		`the stamp "x"`:                 {Kind: "stamp", Name: "x", Data: json.RawMessage(`[]`)},
		"there is no such kind":         {Kind: "hat", Name: "x", Data: json.RawMessage(`{}`)},
	} {
		var b bytes.Buffer
		if err := grime.Write(&b, grime.Out{Items: []grime.Item{it}}); err != nil {
			t.Fatal(err)
		}
		if code, text := s.post("/api/grime/look", b.Bytes(), &in); code != 422 || !strings.Contains(strings.ReplaceAll(text, `\"`, `"`), want) {
			t.Errorf("%d %s does not say %q", code, text, want)
		}
	}
}
