package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/internal/api"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/coder/websocket"
	jsonpatch "github.com/evanphx/json-patch/v5"
)

// service is a running server on the real database.
type service struct {
	*testing.T
	url   string
	store *store.Store
	dsn   string
	hub   *live.Hub
}

func startService(t *testing.T) *service {
	t.Helper()
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Fatal("VELVETGRIME_TEST_DATABASE is not set; run 'make test-go', which starts a database")
	}
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	hub := live.NewHub(s, 128<<20)
	ctx, cancel := context.WithCancel(context.Background())
	runner, err := jobs.Start(ctx, dsn, s, hub, jobs.Work|jobs.Apply)
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer((&api.Server{Store: s, Hub: hub, Jobs: runner}).Handler())
	t.Cleanup(func() {
		srv.CloseClientConnections()
		srv.Close()
		runner.Stop()
		hub.Close()
		cancel()
		s.Close()
	})
	return &service{t, srv.URL, s, dsn, hub}
}

func (s *service) request(method, path string, body any, head ...string) (int, []byte) {
	s.Helper()
	b, _ := json.Marshal(body)
	r, _ := http.NewRequest(method, s.url+path, bytes.NewReader(b))
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(head); i += 2 {
		if head[i] == "Host" {
			r.Host = head[i+1]
		}
		r.Header.Set(head[i], head[i+1])
	}
	a, err := http.DefaultClient.Do(r)
	if err != nil {
		s.Fatal(err)
	}
	defer a.Body.Close()
	out, _ := io.ReadAll(a.Body)
	return a.StatusCode, out
}

// upload sends a model and waits until the job that reads it has ended. It returns the
// last status, the project's id, and what was wrong.
func (s *service) upload(name string, data []byte) (int, string, string) {
	s.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, _ := w.CreateFormFile("files", name)
	_, _ = f.Write(data)
	_ = w.Close()
	a, err := http.Post(s.url+"/api/projects", w.FormDataContentType(), &b)
	if err != nil {
		s.Fatal(err)
	}
	defer a.Body.Close()
	var out struct{ ID, Project, Detail string }
	_ = json.NewDecoder(a.Body).Decode(&out)
	if a.StatusCode != 202 {
		return a.StatusCode, "", out.Detail
	}
	for until := time.Now().Add(15 * time.Minute); time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		j, err := s.store.JobByID(context.Background(), out.ID)
		if err != nil {
			s.Fatal(err)
		}
		switch j.State {
		case "done":
			return 201, out.Project, ""
		case "failed":
			return 422, "", j.Note
		}
	}
	s.Fatalf("reading %s has not ended after a quarter of an hour", name)
	return 0, "", ""
}

func (s *service) bollard() string {
	s.Helper()
	var b bytes.Buffer
	if err := meshio.WriteGLB(&b, sample.Bollard(), meshio.Options{}); err != nil {
		s.Fatal(err)
	}
	code, id, detail := s.upload("bollard.glb", b.Bytes())
	if code != 201 {
		s.Fatal(code, detail)
	}
	return id
}

// window is one page on a project.
type window struct {
	*service
	conn  *websocket.Conn
	tiles int
	doc   json.RawMessage // what it was told of the state, put together as a page does
	drawn map[string]int
	lines map[int64]json.RawMessage
}

// whole is a state that was told as a difference, as if it were told whole.
func (w *window) whole(data []byte) []byte {
	w.Helper()
	var m map[string]json.RawMessage
	var d struct {
		Strokes map[string]int
		Ledger  []json.RawMessage
		Fresh   bool
	}
	if err := errors.Join(json.Unmarshal(data, &m), json.Unmarshal(data, &d)); err != nil {
		w.Fatal(err)
	}
	if d.Fresh {
		w.drawn, w.lines = map[string]int{}, map[int64]json.RawMessage{}
	}
	if m["doc"] != nil {
		w.doc = m["doc"]
	} else if m["patch"] != nil {
		p, err := jsonpatch.DecodePatch(m["patch"])
		if err == nil {
			w.doc, err = p.Apply(w.doc)
		}
		if err != nil {
			w.Fatalf("a patch that does not fit: %v: %s", err, m["patch"])
		}
	}
	for id, n := range d.Strokes {
		if w.drawn[id] = n; n == 0 {
			delete(w.drawn, id)
		}
	}
	for _, l := range d.Ledger {
		var at struct{ Seq int64 }
		_ = json.Unmarshal(l, &at)
		w.lines[at.Seq] = l
	}
	var lines []json.RawMessage
	for _, seq := range slices.Backward(slices.Sorted(maps.Keys(w.lines))) {
		lines = append(lines, w.lines[seq])
	}
	m["doc"] = w.doc
	m["strokes"], _ = json.Marshal(w.drawn)
	m["ledger"], _ = json.Marshal(lines)
	out, _ := json.Marshal(m)
	return out
}

type state struct {
	T, Message, Undo, Redo string
	Seq, N                 int64
	Viewers                int
	Strokes                counts
	Doc                    struct {
		Layers []struct {
			ID, Name string
			Amount   float32
		}
	}
}

// counts are numbers of strokes; other messages have something else under that name.
type counts map[string]int

// UnmarshalJSON leaves out what is no map.
func (c *counts) UnmarshalJSON(b []byte) error {
	var m map[string]int
	if json.Unmarshal(b, &m) == nil {
		*c = m
	}
	return nil
}

func (s *service) open(project, actor string) *window { return s.openAs(project, actor, "") }

// openWaiting opens a project as a page that tells what it sees before it gets any tile.
func (s *service) openWaiting(project, actor string) *window {
	return s.openAs(project, actor, "&wait=1")
}

func (s *service) openAs(project, actor, more string) *window {
	s.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	c, _, err := websocket.Dial(ctx, strings.Replace(s.url, "http", "ws", 1)+"/api/projects/"+project+"/live?actor="+actor+more, nil)
	if err != nil {
		s.Fatal(err)
	}
	c.SetReadLimit(1 << 24)
	s.Cleanup(func() { _ = c.CloseNow() })
	return &window{service: s, conn: c}
}

func (w *window) send(format string, args ...any) {
	w.Helper()
	if err := w.conn.Write(context.Background(), websocket.MessageText, fmt.Appendf(nil, format, args...)); err != nil {
		w.Fatal(err)
	}
}

// until reads messages until one satisfies ok.
func (w *window) until(what string, ok func(state) bool) state {
	w.Helper()
	return w.untilRaw(what, func(s state, _ []byte) bool { return ok(s) })
}

func (w *window) untilRaw(what string, ok func(state, []byte) bool) state {
	w.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 15*time.Minute) // met by a hang alone
	defer cancel()
	for {
		kind, data, err := w.conn.Read(ctx)
		if err != nil {
			w.Fatalf("waiting for %s: %v", what, err)
		}
		if kind == websocket.MessageBinary {
			w.tiles++
			continue
		}
		var s state
		if err := json.Unmarshal(data, &s); err != nil {
			w.Fatal(err)
		}
		if s.T == "doc" {
			data = w.whole(data)
			s = state{}
			if err := json.Unmarshal(data, &s); err != nil {
				w.Fatal(err)
			}
		}
		if ok(s, data) {
			return s
		}
		if s.T == "error" {
			w.Fatalf("waiting for %s: the server says %s", what, s.Message)
		}
	}
}

const addCoat = `{"t":"op","id":1,"op":{"kind":"layer.add","index":-1,"layer":{"id":"coat","name":"Tar","kind":"fill","visible":true,"amount":1,"reach":{},"channels":{"baseColor":{"on":true,"value":[0.1,0.1,0.1],"blend":"normal","amount":1}},"mask":[{"id":"h","kind":"hand","on":true,"amount":1}]}}}`

func layers(n int) func(state) bool {
	return func(s state) bool { return s.T == "doc" && len(s.Doc.Layers) == n }
}

func TestWhatIsAcknowledgedIsKeptAndUndoGoesOverReloads(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.open(id, "ann")
	w.until("the document", layers(1))
	w.send(addCoat)
	w.until("the new coat", layers(2))
	w.send(`{"t":"op","id":2,"op":{"kind":"layer.set","target":"coat","path":"amount","value":0.4}}`)
	w.until("the amount", func(s state) bool { return s.T == "doc" && s.Seq == 2 })
	w.send(`{"t":"stroke.begin","layer":"coat","step":"h","stroke":{"id":"st1","radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	w.send(`{"t":"stroke.add","points":[0,0.3,0.12,0,0,1,1, 0.02,0.3,0.12,0,0,1,1]}`)
	w.send(`{"t":"stroke.end","id":3}`)
	w.until("the stroke", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })

	// another server on the same database: as after a crash
	s2 := startService(t)
	v := s2.open(id, "ann")
	got := v.until("the kept document", layers(2))
	if got.Strokes["coat/h"] != 1 || got.Doc.Layers[1].Amount != 0.4 || !strings.Contains(got.Undo, "stroke") {
		t.Fatalf("kept: %+v", got)
	}
	v.send(`{"t":"undo"}`)
	got = v.until("undo", func(s state) bool { return s.T == "doc" && s.Seq == 4 })
	if got.Strokes["coat/h"] != 0 || !strings.Contains(got.Redo, "stroke") {
		t.Fatalf("undone: %+v", got)
	}
	v.send(`{"t":"redo"}`)
	if got = v.until("redo", func(s state) bool { return s.T == "doc" && s.Seq == 5 }); got.Strokes["coat/h"] != 1 {
		t.Fatalf("redone: %+v", got)
	}
}

func TestACutLineKeepsTheStrokeDrawnSoFar(t *testing.T) {
	s := startService(t)
	s.hub.ComeBack = 200 * time.Millisecond
	id := s.bollard()
	w := s.open(id, "ann")
	w.send(addCoat)
	w.until("the coat", layers(2))
	w.send(`{"t":"stroke.begin","id":7,"layer":"coat","step":"h","stroke":{"id":"cut","radius":0.05,"strength":1,"hardness":0.5,"values":{"mask":[0]}}}`)
	w.send(`{"t":"stroke.add","id":8,"points":[0,0.3,0.12,0,0,1,1]}`)
	w.untilRaw("the samples", func(s state, raw []byte) bool { return s.T == "ack" && strings.Contains(string(raw), `"id":8`) })
	_ = w.conn.CloseNow()
	v := s.open(id, "ann")
	v.until("the stroke after the cut", func(s state) bool { return s.T == "doc" && s.Strokes["coat/h"] == 1 })
}

func TestTwoWindowsSeeEachOtherAndUndoTheirOwn(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	ann, ben := s.open(id, "ann"), s.open(id, "ben")
	ben.until("the document", layers(1))
	ann.send(addCoat)
	got := ben.until("ann's coat", layers(2))
	if got.Undo != "" {
		t.Fatalf("ben may undo %q, which is ann's", got.Undo)
	}
	ben.send(`{"t":"undo","id":5}`)
	if e := ben.until("a refusal", func(s state) bool { return s.T == "error" }); !strings.Contains(e.Message, "nothing of yours") {
		t.Fatal(e.Message)
	}
	ben.send(`{"t":"op","op":{"kind":"layer.set","target":"coat","path":"amount","value":3}}`)
	if e := ben.until("a refusal", func(s state) bool { return s.T == "error" }); !strings.Contains(e.Message, `layer "Tar": amount is 3`) {
		t.Fatal(e.Message)
	}
	ben.until("settled tiles", func(s state) bool { return s.T == "settled" })
	if ben.tiles == 0 {
		t.Fatal("no tile arrived")
	}
}

func TestABadModelCreatesNothing(t *testing.T) {
	s := startService(t)
	before, _ := s.store.Projects(context.Background())
	for name, data := range map[string]string{"cut.glb": "glTF\x02\x00\x00\x00\xff\xff\xff\xff", "a.txt": "hello", "b.obj": "v 0 0 0\nf 1 2 3\n"} {
		code, id, detail := s.upload(name, []byte(data))
		if code != 422 || id != "" || detail == "" {
			t.Errorf("%s: %d %q %q", name, code, id, detail)
		}
	}
	after, _ := s.store.Projects(context.Background())
	was := map[string]bool{}
	for _, p := range before {
		was[p.ID] = true
	}
	for _, p := range after { // other tests may make and delete projects meanwhile, of other names
		if !was[p.ID] && (p.Name == "cut" || p.Name == "a" || p.Name == "b") {
			t.Errorf("the project %q was made of a bad model", p.Name)
		}
	}
}

func TestRenameDeleteRestore(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	has := func() string {
		_, b := s.request("GET", "/api/projects", nil)
		var list []api.Project
		_ = json.Unmarshal(b, &list)
		for _, p := range list {
			if p.ID == id {
				return p.Name
			}
		}
		return ""
	}
	s.request("PATCH", "/api/projects/"+id, map[string]string{"name": "North bollard"})
	if has() != "North bollard" {
		t.Fatalf("renamed to %q", has())
	}
	s.request("DELETE", "/api/projects/"+id, nil)
	if has() != "" {
		t.Fatal("deleted and still there")
	}
	s.request("POST", "/api/projects/"+id+"/restore", nil)
	if has() != "North bollard" {
		t.Fatal("not brought back")
	}
}

func TestDeliveryRunsAsAJobAndCanBeCancelled(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	begin := func(size int) jobs.Line {
		code, b := s.request("POST", "/api/projects/"+id+"/deliveries", map[string]any{"maps": []string{"base color", "normal"}, "sheets": []string{}, "glb": true, "size": size})
		var j jobs.Line
		if err := json.Unmarshal(b, &j); err != nil || code != 200 {
			t.Fatal(code, string(b))
		}
		return j
	}
	wait := func(j jobs.Line, state string) jobs.Line {
		for range 300 {
			_, b := s.request("GET", "/api/jobs/"+j.ID, nil)
			_ = json.Unmarshal(b, &j)
			if j.State == state {
				return j
			}
			time.Sleep(100 * time.Millisecond)
		}
		t.Fatalf("the job is %s (%s), not %s", j.State, j.Note, state)
		return j
	}
	done := wait(begin(128), "done")
	if len(done.Files) != 3 {
		t.Fatalf("files %+v", done.Files)
	}
	code, b := s.request("GET", "/api/jobs/"+done.ID+"/files/"+done.Files[0].Name, nil)
	if code != 200 || !bytes.HasPrefix(b, []byte("\x89PNG")) || len(b) != done.Files[0].Size {
		t.Fatal(code, len(b))
	}
	if code, b = s.request("GET", "/api/jobs/"+done.ID+"/files/all.zip", nil); code != 200 || !bytes.HasPrefix(b, []byte("PK")) {
		t.Fatal(code, "no zip")
	}
	long := begin(4096)
	s.request("DELETE", "/api/jobs/"+long.ID, nil)
	time.Sleep(1500 * time.Millisecond)
	if j := wait(long, "cancelled"); len(j.Files) != 0 {
		t.Fatalf("a cancelled job has files %+v", j.Files)
	}
}

func TestOnlyLoopbackAndOnlyOurOwnPage(t *testing.T) {
	for addr, ok := range map[string]bool{"127.0.0.1:7140": true, "localhost:0": true, "[::1]:80": true, "0.0.0.0:7140": false, ":7140": false, "192.168.1.4:80": false, "nonsense": false} {
		if err := api.CheckAddress(addr); (err == nil) != ok {
			t.Errorf("%s: %v", addr, err)
		}
	}
	s := startService(t)
	if code, _ := s.request("GET", "/api/projects", nil, "Host", "evil.example"); code != 403 {
		t.Errorf("a foreign name for loopback gets %d", code)
	}
	if code, _ := s.request("POST", "/api/projects/x/restore", nil, "Origin", "http://evil.example"); code != 403 {
		t.Errorf("another site's request gets %d", code)
	}
	if code, _ := s.request("GET", "/api/projects", nil, "Sec-Fetch-Site", "cross-site"); code != 403 {
		t.Errorf("another site's read gets %d", code)
	}
	if code, _ := s.request("GET", "/api/projects/none/facts", nil); code != 404 {
		t.Errorf("a project that is not there gets %d", code)
	}
	_, _, err := websocket.Dial(context.Background(), strings.Replace(s.url, "http", "ws", 1)+"/api/projects/"+s.bollard()+"/live", &websocket.DialOptions{HTTPHeader: http.Header{"Origin": {"http://evil.example"}}})
	if err == nil {
		t.Error("another site's page may open a live session")
	}
}
