//go:build soak

// Package soak runs the faults that the service must survive: 'make soak'. Each test is a
// line of the table that it prints at the end.
package soak

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/internal/faults"
	"velvetgrime/internal/store"

	"github.com/coder/websocket"
	"github.com/google/uuid"
)

// table collects what is printed at the end.
var table struct {
	sync.Mutex
	lines []string
}

// line notes the result of a test; figures are what was measured.
func line(t *testing.T, figures string, args ...any) {
	t.Helper()
	took := time.Since(begun[t.Name()]).Round(time.Second)
	t.Cleanup(func() {
		verdict := "green"
		if t.Failed() {
			verdict = "RED"
		}
		table.Lock()
		defer table.Unlock()
		table.lines = append(table.lines, fmt.Sprintf("| %-46s | %-5s | %6s | %s", strings.TrimPrefix(t.Name(), "Test"), verdict, took, fmt.Sprintf(figures, args...)))
	})
}

var begun = map[string]time.Time{}

func begin(t *testing.T) { begun[t.Name()] = time.Now() }

func TestMain(m *testing.M) {
	code := m.Run()
	fmt.Println("\nmake soak")
	for _, l := range table.lines {
		fmt.Println(l)
	}
	os.Exit(code)
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// database is a database of the project's own cluster, emptied.
func database(t *testing.T, name string) string {
	t.Helper()
	out, err := exec.Command("../../scripts/database.sh", name).Output()
	must(t, err)
	dsn := strings.TrimSpace(string(out))
	empty(t, dsn)
	return dsn
}

func empty(t *testing.T, dsn string) {
	t.Helper()
	out, err := exec.Command("/usr/lib/postgresql/15/bin/psql", dsn, "-qc", "DROP SCHEMA public CASCADE; CREATE SCHEMA public").CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
}

// server is the real binary in a process of its own.
type server struct {
	t      *testing.T
	dsn    string
	memory int
	url    string
	cmd    *exec.Cmd
	log    *bytes.Buffer
	ended  chan struct{}
}

func (s *server) start() {
	s.t.Helper()
	s.log = &bytes.Buffer{}
	s.cmd = exec.Command("../../bin/velvetgrime", "serve", "--database", s.dsn, "--address", "127.0.0.1:0", "--memory", fmt.Sprint(s.memory))
	out, err := s.cmd.StdoutPipe()
	must(s.t, err)
	s.cmd.Stderr = s.log
	must(s.t, s.cmd.Start())
	s.ended = make(chan struct{})
	found := make(chan string, 1)
	go func() {
		defer close(s.ended)
		b := make([]byte, 4096)
		text := ""
		for {
			n, err := out.Read(b)
			text += string(b[:n])
			if m := regexp.MustCompile(`http://[0-9.:]+`).FindString(text); m != "" {
				select {
				case found <- m:
				default:
				}
			}
			if err != nil {
				_ = s.cmd.Wait()
				return
			}
		}
	}()
	select {
	case s.url = <-found:
	case <-s.ended:
		s.t.Fatalf("the server ended: %s", s.log)
	case <-time.After(2 * time.Minute):
		s.t.Fatal("the server does not start")
	}
}

func serve(t *testing.T, dsn string, memory int) *server {
	t.Helper()
	s := &server{t: t, dsn: dsn, memory: memory}
	s.start()
	t.Cleanup(func() {
		_ = s.cmd.Process.Kill()
		<-s.ended
	})
	return s
}

func (s *server) signal(sig os.Signal) {
	_ = s.cmd.Process.Signal(sig)
	select {
	case <-s.ended:
	case <-time.After(time.Minute):
		s.t.Fatal("the server does not end")
	}
}

// resident is the server's memory, MiB: what the kernel counts as resident now, and the most.
func (s *server) resident() (now, most int) {
	b, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	for _, l := range strings.Split(string(b), "\n") {
		var kb int
		if n, _ := fmt.Sscanf(l, "VmRSS: %d kB", &kb); n == 1 {
			now = kb >> 10
		}
		if n, _ := fmt.Sscanf(l, "VmHWM: %d kB", &kb); n == 1 {
			most = kb >> 10
		}
	}
	return
}

func (s *server) request(method, path string, body any) (int, []byte, error) {
	b, _ := json.Marshal(body)
	r, _ := http.NewRequest(method, s.url+path, bytes.NewReader(b))
	r.Header.Set("Content-Type", "application/json")
	a, err := (&http.Client{Timeout: 2 * time.Minute}).Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer a.Body.Close()
	out, err := io.ReadAll(a.Body)
	return a.StatusCode, out, err
}

type job struct{ ID, Project, State, Note string }

func (s *server) upload(name string, data []byte) (job, error) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, _ := w.CreateFormFile("files", name)
	_, _ = f.Write(data)
	_ = w.Close()
	a, err := http.Post(s.url+"/api/projects", w.FormDataContentType(), &b)
	if err != nil {
		return job{}, err
	}
	defer a.Body.Close()
	var j job
	if err := json.NewDecoder(a.Body).Decode(&j); err != nil || j.ID == "" {
		return j, fmt.Errorf("upload: %d %v", a.StatusCode, err)
	}
	return j, nil
}

// ends waits until a job has ended.
func (s *server) ends(id string) job {
	s.t.Helper()
	for range 6000 {
		code, b, err := s.request("GET", "/api/jobs/"+id, nil)
		var j job
		if err == nil && code == 200 && json.Unmarshal(b, &j) == nil && (j.State == "done" || j.State == "failed" || j.State == "cancelled") {
			return j
		}
		time.Sleep(100 * time.Millisecond)
	}
	s.t.Fatalf("job %s never ends", id)
	return job{}
}

const plate = "o Plate\nv 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 4/4 3/3 2/2\n"

func (s *server) plate() string {
	s.t.Helper()
	j, err := s.upload("plate.obj", []byte(plate))
	must(s.t, err)
	if e := s.ends(j.ID); e.State != "done" {
		s.t.Fatalf("the plate is not read: %+v", e)
	}
	return j.Project
}

// page is one window on a project, as the real one speaks: what is not acknowledged is said
// again, under the same id.
type page struct {
	s       *server
	project string
	mu      sync.Mutex
	last    int64
	conn    *websocket.Conn
	waits   map[int64]chan error
	doubt   string // the last reason why something could not be kept for now
}

func (s *server) page(project string) *page {
	return &page{s: s, project: project, waits: map[int64]chan error{}}
}

func (p *page) open() error {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	c, _, err := websocket.Dial(ctx, strings.Replace(p.s.url, "http", "ws", 1)+"/api/projects/"+p.project+"/live?actor=soak", nil)
	if err != nil {
		return err
	}
	c.SetReadLimit(1 << 26)
	p.mu.Lock()
	p.conn = c
	p.mu.Unlock()
	go func() {
		for {
			kind, data, err := c.Read(context.Background())
			if err != nil {
				p.mu.Lock()
				for id, w := range p.waits {
					w <- err
					delete(p.waits, id)
				}
				if p.conn == c {
					p.conn = nil
				}
				p.mu.Unlock()
				return
			}
			if kind == websocket.MessageBinary {
				continue
			}
			var m struct {
				T       string
				ID      int64
				Message string
				Again   bool
			}
			_ = json.Unmarshal(data, &m)
			if m.ID == 0 || m.T != "ack" && m.T != "error" {
				continue
			}
			p.mu.Lock()
			if w := p.waits[m.ID]; w != nil {
				delete(p.waits, m.ID)
				switch {
				case m.T == "ack":
					w <- nil
				case m.Again:
					p.doubt = m.Message
					w <- errAgain
				default:
					w <- refused(m.Message)
				}
			}
			p.mu.Unlock()
		}
	}()
	return nil
}

type refused string

func (r refused) Error() string { return string(r) }

var errAgain = fmt.Errorf("in doubt")

// say sends messages as one change and waits until it is acknowledged, over however many
// lines; the error is that it was refused.
func (p *page) say(request string, messages ...map[string]any) error {
	var err error
	for range 600 {
		p.mu.Lock()
		c := p.conn
		p.mu.Unlock()
		if c == nil {
			if err = p.open(); err != nil {
				time.Sleep(150 * time.Millisecond)
			}
			continue
		}
		p.mu.Lock()
		p.last++
		id := p.last
		w := make(chan error, 1)
		p.waits[id] = w
		p.mu.Unlock()
		for i, m := range messages {
			m["request"] = request
			delete(m, "id")
			if i == len(messages)-1 {
				m["id"] = id
			}
			b, _ := json.Marshal(m)
			ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
			err = c.Write(ctx, websocket.MessageText, b)
			cancel()
			if err != nil {
				break
			}
		}
		if err != nil {
			_ = c.CloseNow()
			time.Sleep(100 * time.Millisecond)
			continue
		}
		select {
		case err = <-w:
		case <-time.After(40 * time.Second):
			_ = c.CloseNow()
			err = fmt.Errorf("no answer")
		}
		if err == nil {
			return nil
		}
		if r, ok := err.(refused); ok {
			return r
		}
		time.Sleep(200 * time.Millisecond)
	}
	return fmt.Errorf("never acknowledged: %w", err)
}

func (p *page) addLayer(id string) error { return p.addLayerAs(id, "layer "+id) }

// addLayerAs adds a paint layer under a request of its own.
func (p *page) addLayerAs(id, request string) error {
	return p.say(request, map[string]any{"t": "op", "op": map[string]any{"kind": "layer.add", "index": -1, "layer": map[string]any{"id": id, "name": id, "kind": "paint", "visible": true, "amount": 1,
		"channels": map[string]any{"baseColor": map[string]any{"on": true, "amount": 1, "blend": "normal"}}}}})
}

// painted is a server with a plate that has a paint layer, and a page on it.
func painted(t *testing.T, dsn string, memory int) (s *server, project string, p *page) {
	t.Helper()
	s = serve(t, dsn, memory)
	project = s.plate()
	p = s.page(project)
	must(t, p.addLayer("paint"))
	return
}

// under does something while a page paints, and returns the strokes that were acknowledged.
func (p *page) under(t *testing.T, seed uint64, f func()) (done map[string]int) {
	t.Helper()
	stop := make(chan struct{})
	var wait sync.WaitGroup
	wait.Go(func() { done = p.paints(t, "paint", seed, stop) })
	f()
	close(stop)
	wait.Wait()
	return done
}

func strokeOf(id, layer string, n int, r *rand.Rand) []map[string]any {
	out := []map[string]any{{"t": "stroke.begin", "layer": layer, "stroke": map[string]any{"id": id, "radius": 0.05, "strength": 1, "hardness": 0.5, "values": map[string]any{"baseColor": []float64{r.Float64(), 0.2, 0.2}}}}}
	for range n {
		out = append(out, map[string]any{"t": "stroke.add", "points": []float64{r.Float64(), 0, r.Float64(), 0, 1, 0, 1}})
	}
	return append(out, map[string]any{"t": "stroke.end"})
}

// held is what a project holds: the requests of its ledger and the points of its strokes.
func held(t *testing.T, dsn, project string) (requests map[string]int, points map[string]int) {
	t.Helper()
	s, err := store.Open(dsn)
	must(t, err)
	defer s.Close()
	_, entries, err := s.Latest(t.Context(), project)
	must(t, err)
	requests, points = map[string]int{}, map[string]int{}
	for i, e := range entries {
		requests[e.Request]++
		if e.Seq != int64(i+1) {
			t.Errorf("the ledger has a hole before entry %d", e.Seq)
		}
	}
	strokes, err := s.Strokes(t.Context(), project)
	must(t, err)
	for id, st := range strokes {
		points[id] = len(st.Points)
	}
	return requests, points
}

// paints draws strokes until stop is closed and returns those that were acknowledged, with
// their points.
func (p *page) paints(t *testing.T, layer string, seed uint64, stop chan struct{}) map[string]int {
	done := map[string]int{}
	r := rand.New(rand.NewPCG(seed, 1))
	for {
		select {
		case <-stop:
			return done
		default:
		}
		id, n := uuid.NewString(), 2+r.IntN(6)
		if err := p.say(id, strokeOf(id, layer, n, r)...); err != nil {
			t.Errorf("a stroke: %v", err)
			return done
		}
		done[id] = n
	}
}

func compare(t *testing.T, dsn, project string, acknowledged map[string]int) {
	t.Helper()
	requests, points := held(t, dsn, project)
	for id, n := range acknowledged {
		if requests[id] != 1 || points[id] != n {
			t.Errorf("stroke %s was acknowledged with %d points; it is kept %d times, with %d", id, n, requests[id], points[id])
		}
	}
}

// The server is killed at random moments under painting; what was acknowledged is there,
// once, and whole.
func TestKilledUnderPainting(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, p := painted(t, dsn, 512)
	r := rand.New(rand.NewPCG(3, 3))
	kills := 12
	done := p.under(t, 7, func() {
		for range kills {
			time.Sleep(time.Duration(300+r.IntN(1700)) * time.Millisecond)
			s.signal(syscall.SIGKILL)
			s.start()
		}
		time.Sleep(time.Second)
	})
	compare(t, dsn, project, done)
	line(t, "%d kills, %d strokes acknowledged, all there once", kills, len(done))
}

// A proxy loses replies at COMMIT, cuts before it, and delays; the database restarts, too.
func TestProxyAtCommit(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	proxy, through, err := faults.NewProxy(dsn)
	must(t, err)
	defer proxy.Close()
	_, project, p := painted(t, through, 512)
	var mu sync.Mutex
	r := rand.New(rand.NewPCG(5, 5))
	count := map[faults.Fault]int{}
	at := func() faults.Fault {
		mu.Lock()
		defer mu.Unlock()
		f := []faults.Fault{faults.None, faults.None, faults.LoseReply, faults.CutBefore, faults.Delay}[r.IntN(5)]
		count[f]++
		return f
	}
	proxy.AtCommit.Store(&at)
	done := p.under(t, 9, func() { time.Sleep(40 * time.Second) })
	proxy.AtCommit.Store(nil)
	compare(t, dsn, project, done)
	line(t, "%d strokes acknowledged over %d lost replies, %d cuts, %d delays", len(done), count[faults.LoseReply], count[faults.CutBefore], count[faults.Delay])
}

// The database goes away and comes back under painting.
func TestDatabaseRestartedUnderPainting(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	proxy, through, err := faults.NewProxy(dsn)
	must(t, err)
	defer proxy.Close()
	_, project, p := painted(t, through, 512)
	done := p.under(t, 11, func() {
		for range 5 {
			time.Sleep(2 * time.Second)
			proxy.Down()
			time.Sleep(3 * time.Second)
			proxy.Up()
		}
		time.Sleep(2 * time.Second)
	})
	compare(t, dsn, project, done)
	line(t, "5 times 3 s without a database, %d strokes acknowledged", len(done))
}

// A server that is asked to end in a stroke keeps what there is of it.
func TestTerminatedInAStroke(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, p := painted(t, dsn, 512)
	r := rand.New(rand.NewPCG(1, 2))
	all := strokeOf("growing", "paint", 5, r)
	for _, m := range all[:len(all)-1] {
		b, _ := json.Marshal(m)
		must(t, p.conn.Write(t.Context(), websocket.MessageText, b))
	}
	must(t, p.say("after", map[string]any{"t": "mark", "seq": 1, "name": "here"})) // so the points have come
	s.signal(syscall.SIGTERM)
	_, points := held(t, dsn, project)
	if points["growing"] != 5 {
		t.Errorf("of 5 points %d are kept", points["growing"])
	}
	s.start()
	line(t, "%d of 5 points kept", points["growing"])
}

// Jobs are killed at every step; each ends as done once, or says why not.
func TestKilledInJobs(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, _ := painted(t, dsn, 1024)
	orders := []struct {
		what string
		call func() (int, []byte, error)
	}{
		{"import", func() (int, []byte, error) {
			j, err := s.upload("plate.obj", []byte(plate))
			b, _ := json.Marshal(j)
			return 200, b, err
		}},
		{"bake", func() (int, []byte, error) {
			return s.request("POST", "/api/projects/"+project+"/bakes", map[string]any{"settings": bakeSettings(s), "maps": []string{"ao", "curvature"}, "sheets": []string{}, "dense": []string{}, "floats": false})
		}},
		{"unwrap", func() (int, []byte, error) {
			_, b, _ := s.request("GET", "/api/about", nil)
			var a struct{ Unwrap map[string]any }
			_ = json.Unmarshal(b, &a)
			a.Unwrap["auto"] = true
			return s.request("POST", "/api/projects/"+project+"/unwraps", a.Unwrap)
		}},
		{"deliver", func() (int, []byte, error) {
			return s.request("POST", "/api/projects/"+project+"/deliveries", map[string]any{"sheets": []string{}, "maps": []string{"base color", "normal"}, "glb": true, "size": 1024})
		}},
	}
	r := rand.New(rand.NewPCG(8, 8))
	kills, ended := 0, map[string]int{}
	for _, o := range orders {
		for range 4 {
			var j job
			for range 40 {
				code, b, err := o.call()
				if err == nil && code < 300 && json.Unmarshal(b, &j) == nil && j.ID != "" {
					break
				}
				if err == nil && code >= 400 && code != 503 {
					t.Fatalf("%s: %d %s", o.what, code, b)
				}
				time.Sleep(200 * time.Millisecond)
			}
			for range 1 + r.IntN(2) {
				time.Sleep(time.Duration(r.IntN(600)) * time.Millisecond)
				s.signal(syscall.SIGKILL)
				kills++
				s.start()
			}
			e := s.ends(j.ID)
			ended[o.what+" "+e.State]++
			if e.State == "failed" {
				t.Errorf("%s failed: %s", o.what, e.Note)
			}
		}
	}
	// each change of a job is made once
	requests, _ := held(t, dsn, project)
	for id, n := range requests {
		if n != 1 && id != "" {
			t.Errorf("request %s was carried out %d times", id, n)
		}
	}
	line(t, "%d kills, ended: %v", kills, ended)
}

func bakeSettings(s *server) map[string]any {
	_, b, _ := s.request("GET", "/api/about", nil)
	var a struct{ Bake map[string]any }
	_ = json.Unmarshal(b, &a)
	a.Bake["size"] = 512
	return a.Bake
}

// Hostile files, pictures and messages; the server answers each, and goes on.
func TestHostileInput(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s := serve(t, dsn, 512)
	project := s.plate()
	files := map[string]string{
		"null.gltf":   `{"asset":{"version":"2.0"},"buffers":[null]}`,
		"self.gltf":   `{"asset":{"version":"2.0"},"nodes":[{"children":[0]}],"scenes":[{"nodes":[0]}]}`,
		"scene.gltf":  `{"asset":{"version":"2.0"},"scenes":[null],"scene":0}`,
		"claims.gltf": `{"asset":{"version":"2.0"},"accessors":[{"componentType":5126,"count":2000000000,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}]}`,
		"nothing.obj": "f 1 2 3\n",
	}
	for name, body := range files {
		j, err := s.upload(name, []byte(body))
		must(t, err)
		if e := s.ends(j.ID); e.State != "failed" || e.Note == "" {
			t.Errorf("%s ends as %+v", name, e)
		}
	}
	p := s.page(project)
	must(t, p.open())
	must(t, p.addLayer("paint"))
	far := []map[string]any{{"t": "stroke.begin", "layer": "paint", "stroke": map[string]any{"id": "far", "radius": 0.01, "strength": 1, "hardness": 0.5, "kit": map[string]any{"spacing": 0.1, "flow": 1}, "values": map[string]any{"baseColor": []float64{1, 0, 0}}}},
		{"t": "stroke.add", "points": []float64{0, 0, 0, 0, 1, 0, 1, 1e30, 0, 0, 0, 1, 0, 1}}, {"t": "stroke.end"}}
	_ = p.say("far", far...)
	for _, m := range []string{`{"t":`, `{"t":"op","id":1}`, `{"t":"op","op":{"kind":"document","value":null}}`, `{"t":"jump","seq":99}`, `{"t":"sides","kind":"copy","seq":-5,"index":1e9}`, `{"t":"view","vp":[1,2,3]}`, `{"t":"near","layer":"x","radius":1e39}`, `[]`, `{"t":"pick","pos":[1e38,1e38,1e38],"nrm":[0,0,0]}`, `{"t":"stroke.add","points":[1]}`} {
		p.mu.Lock()
		c := p.conn
		p.mu.Unlock()
		if c != nil {
			_ = c.Write(t.Context(), websocket.MessageText, []byte(m))
		}
	}
	must(t, p.addLayer("after"))
	svg := `<svg viewBox="0 0 9 9"><g id="a"><use href="#a"/></g></svg>`
	code, b, err := s.request("POST", "/api/press/picture", map[string]any{"shapes": []map[string]any{{"kind": "picture", "level": 1, "file": []byte(svg)}}})
	if err != nil || code < 400 || code >= 500 || !strings.Contains(string(b), "uses itself") {
		t.Errorf("a drawing that uses itself: %d %s %v", code, b, err)
	}
	now, most := s.resident()
	if most > 2*s.memory {
		t.Errorf("%d MiB resident at most under a bound of %d", most, s.memory)
	}
	line(t, "%d files, 11 messages, a drawing that uses itself (%d); %d MiB resident, %d at most", len(files), code, now, most)
}

// Two hundred projects opened one after the other stay under the bound, as resident memory.
func TestManyProjects(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s := serve(t, dsn, 512)
	many := 200
	if n, err := strconv.Atoi(os.Getenv("SOAK_PROJECTS")); err == nil {
		many = n
	}
	var jobs []job
	var b bytes.Buffer
	must(t, meshio.WriteGLB(&b, sample.Bollard(), meshio.Options{}))
	for range many {
		j, err := s.upload("bollard.glb", b.Bytes())
		must(t, err)
		jobs = append(jobs, j)
	}
	_, uploaded := s.resident()
	for _, j := range jobs {
		if e := s.ends(j.ID); e.State != "done" {
			t.Fatalf("%+v", e)
		}
	}
	now, imported := s.resident()
	t.Logf("uploaded: %d MiB at most; imported: %d, %d at most", uploaded, now, imported)
	var figures []int
	for i, j := range jobs {
		p := s.page(j.Project)
		must(t, p.addLayer("paint"))
		r := rand.New(rand.NewPCG(uint64(i), 1))
		id := uuid.NewString()
		must(t, p.say(id, strokeOf(id, "paint", 4, r)...))
		_ = p.conn.CloseNow()
		if i%20 == 19 {
			now, _ := s.resident()
			figures = append(figures, now)
		}
	}
	_, most := s.resident()
	if most > s.memory {
		t.Errorf("%d MiB resident at most under a bound of %d", most, s.memory)
	}
	line(t, "%d projects of 22,160 triangles: %d MiB at most of %d; each 20: %v", many, most, s.memory, figures)
}

// A hundred pages of which many never read: the others are served, and all goes away.
func TestSlowReaders(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, p := painted(t, dsn, 512)
	threads := func() int {
		list, _ := filepath.Glob(fmt.Sprintf("/proc/%d/task/*", s.cmd.Process.Pid))
		return len(list)
	}
	var deaf []*websocket.Conn
	for range 100 {
		c, _, err := websocket.Dial(t.Context(), strings.Replace(s.url, "http", "ws", 1)+"/api/projects/"+project+"/live?actor=deaf", nil)
		must(t, err)
		deaf = append(deaf, c)
	}
	var took []time.Duration
	r := rand.New(rand.NewPCG(4, 4))
	for range 60 {
		id, at := uuid.NewString(), time.Now()
		must(t, p.say(id, strokeOf(id, "paint", 3, r)...))
		took = append(took, time.Since(at))
	}
	slices.Sort(took)
	_, most := s.resident()
	for _, c := range deaf {
		_ = c.CloseNow()
	}
	if took[len(took)/2] > 2*time.Second {
		t.Errorf("a stroke takes %v in the median", took[len(took)/2])
	}
	if most > 2*s.memory {
		t.Errorf("%d MiB resident at most under a bound of %d", most, s.memory)
	}
	line(t, "a stroke beside 100 pages that never read: median %v, slowest %v; %d MiB at most, %d threads", took[len(took)/2].Round(time.Millisecond), took[len(took)-1].Round(time.Millisecond), most, threads())
}

// The disk fills under painting, and has room again: nothing that was acknowledged is lost,
// and refusals say why.
func TestFullDisk(t *testing.T) {
	begin(t)
	if os.Getuid() != 0 {
		t.Skip("a small disk can be mounted by root only")
	}
	dir := "/tmp/velvetgrime-small-disk"
	_ = exec.Command("umount", dir).Run()
	must(t, os.MkdirAll(dir, 0o755))
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=230m", "tmpfs", dir).CombinedOutput(); err != nil {
		line(t, "not tried: no tmpfs can be mounted here (%s)", strings.TrimSpace(string(out)))
		t.Skip("no tmpfs")
	}
	c := exec.Command("../../scripts/database.sh", "velvetgrime_small")
	c.Env = append(os.Environ(), "VELVETGRIME_DATA="+dir)
	out, err := c.Output()
	must(t, err)
	dsn := strings.TrimSpace(string(out))
	t.Cleanup(func() {
		_ = exec.Command("runuser", "-u", "postgres", "--", "/usr/lib/postgresql/15/bin/pg_ctl", "-D", dir+"/cluster", "-m", "immediate", "stop").Run()
		_ = exec.Command("umount", "-l", dir).Run()
	})
	_, project, p := painted(t, dsn, 512)
	r := rand.New(rand.NewPCG(6, 6))
	done := map[string]int{}
	stroke := func() error {
		id := uuid.NewString()
		err := p.say(id, strokeOf(id, "paint", 4, r)...)
		if err == nil {
			done[id] = 4
		}
		return err
	}
	for range 10 {
		must(t, stroke())
	}
	ballast := filepath.Join(dir, "ballast")
	f, err := os.Create(ballast)
	must(t, err)
	b := make([]byte, 1<<20)
	for {
		if _, err := f.Write(b); err != nil {
			break
		}
	}
	_ = f.Close()
	finished := make(chan struct{})
	go func() { // refused, or in doubt until there is room
		defer close(finished)
		for range 400 {
			if stroke() != nil {
				return
			}
			if _, err := os.Stat(ballast); err != nil {
				return // there is room again
			}
		}
	}()
	select {
	case <-finished:
	case <-time.After(20 * time.Second):
	}
	if p.doubt == "" {
		t.Error("a full disk refused nothing")
	}
	must(t, os.Remove(ballast))
	<-finished
	for i := 0; ; i++ {
		if err = stroke(); err == nil {
			break
		}
		if i > 60 {
			t.Fatalf("with room again: %v", err)
		}
		time.Sleep(time.Second)
	}
	compare(t, dsn, project, done)
	line(t, "%d strokes acknowledged; while full: %.110s", len(done), p.doubt)
}

// A project is deleted while it is painted on: its page is told, and nothing more is
// acknowledged; brought back it holds what was.
func TestDeletedUnderPainting(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, p := painted(t, dsn, 512)
	stop := make(chan struct{})
	done := map[string]int{}
	var mu sync.Mutex
	var wait sync.WaitGroup
	wait.Go(func() {
		r := rand.New(rand.NewPCG(2, 2))
		for {
			select {
			case <-stop:
				return
			default:
			}
			id := uuid.NewString()
			if p.say(id, strokeOf(id, "paint", 3, r)...) == nil {
				mu.Lock()
				done[id] = 3
				mu.Unlock()
			}
		}
	})
	for range 4 {
		time.Sleep(700 * time.Millisecond)
		code, b, err := s.request("DELETE", "/api/projects/"+project, nil)
		if err != nil || code >= 300 {
			t.Fatal(code, string(b), err)
		}
		time.Sleep(100 * time.Millisecond)
		mu.Lock()
		n := len(done)
		mu.Unlock()
		time.Sleep(700 * time.Millisecond)
		mu.Lock()
		if len(done) != n {
			t.Errorf("%d strokes were acknowledged in a deleted project", len(done)-n)
		}
		mu.Unlock()
		if code, _, _ := s.request("POST", "/api/projects/"+project+"/restore", nil); code >= 300 {
			t.Fatal(code)
		}
	}
	time.Sleep(500 * time.Millisecond)
	close(stop)
	wait.Wait()
	if code, _, _ := s.request("POST", "/api/projects/nothing/restore", nil); code != 404 {
		t.Errorf("bringing back what never was answers %d", code)
	}
	compare(t, dsn, project, done)
	line(t, "deleted and brought back 4 times, %d strokes acknowledged", len(done))
}

// run runs a Go test of the module and returns what it says.
func run(t *testing.T, env []string, args ...string) (string, error) {
	t.Helper()
	c := exec.Command("go", append([]string{"test", "-count", "1"}, args...)...) // not as it went before
	c.Dir = "../.."
	c.Env = append(os.Environ(), env...)
	out, err := c.CombinedOutput()
	return string(out), err
}

// Every fuzz target for a while.
func TestFuzzing(t *testing.T) {
	begin(t)
	each := os.Getenv("SOAK_FUZZ")
	if each == "" {
		each = "60s"
	}
	out, err := run(t, nil, "-list", "^Fuzz", "./core/...", "./internal/live")
	must(t, err)
	var names []string
	var figures []string
	for _, l := range strings.Split(out, "\n") {
		if strings.HasPrefix(l, "Fuzz") {
			names = append(names, l)
			continue
		}
		if f := strings.Fields(l); len(f) > 1 && f[0] == "ok" {
			for _, n := range names {
				said, err := "", error(nil)
				for range 3 {
					said, err = run(t, nil, strings.Replace(f[1], "velvetgrime", ".", 1), "-run", "^$", "-fuzz", "^"+n+"$", "-fuzztime", each, "-fuzzminimizetime", "200x")
					// on a busy machine the end of its time may overtake the fuzzer itself: that is no finding
					if err == nil || !strings.Contains(said, "context deadline exceeded") || strings.Contains(said, "Failing input") {
						break
					}
				}
				rate := ""
				if m := regexp.MustCompile(`execs: (\d+)`).FindAllStringSubmatch(said, -1); m != nil {
					rate = m[len(m)-1][1]
				}
				figures = append(figures, n+" "+rate)
				if err != nil {
					t.Errorf("%s: %s", n, said)
				}
			}
			names = nil
		}
	}
	line(t, "%s each, runs: %s", each, strings.Join(figures, ", "))
}

// The race detector over core and service; the slow ones of core with their short tests.
func TestRaces(t *testing.T) {
	begin(t)
	if os.Getenv("VELVETGRIME_TEST_DATABASE") == "" {
		t.Fatal("run it with make soak, which starts a database")
	}
	out, err := run(t, nil, "-race", "-short", "-timeout", "60m", "./core/par", "./core/pix", "./core/flow", "./core/spatial", "./core/brush", "./core/press", "./core/meshio", "./core/deliver", "./core/raster", "./internal/live", "./internal/store", "./internal/jobs", "./internal/api")
	if err != nil || strings.Contains(out, "DATA RACE") {
		t.Errorf("%v\n%.8000s", err, out)
	}
	eval, err := run(t, nil, "-race", "-timeout", "60m", "-run", "Echo|Grow|Ready|Touch|Warm.*Field|Failing|Copied|Middle", "./core/eval")
	if err != nil || strings.Contains(eval, "DATA RACE") {
		t.Errorf("%v\n%.8000s", err, eval)
	}
	line(t, "%d packages, races: %d", strings.Count(out+eval, "\nok ")+1, strings.Count(out+eval, "DATA RACE"))
}

// The property of keys with everything that takes long.
func TestKeysHoldWhatWasRead(t *testing.T) {
	begin(t)
	out, err := run(t, []string{"VELVETGRIME_SOAK=1"}, "-timeout", "60m", "-v", "-run", "WarmIsFresh", "./core/eval")
	if err != nil {
		t.Errorf("%v\n%.6000s", err, out)
	}
	line(t, "%s", regexp.MustCompile(`\d+ changes, of which \d+ show`).FindString(out))
}
