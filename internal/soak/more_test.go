//go:build soak

package soak

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/internal/store"
)

// The server is killed at any time of a merge: afterwards the layers are there, or what was
// made of them, never neither or both; and the next merge goes on from there.
func TestKilledInMerges(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, p := painted(t, dsn, 1024)
	r := rand.New(rand.NewPCG(3, 9))
	bare := ""
	for id := range layersOf(t, dsn, project) {
		if id != "paint" {
			bare = id
		}
	}
	kills, merged, left := 0, 0, 0
	for i := range 12 {
		id := fmt.Sprint("top", i)
		must(t, p.addLayer(id))
		must(t, p.say("stroke "+id, strokeOf("s"+id, id, 4, r)...))
		must(t, p.say("merge "+id, map[string]any{"t": "merge", "layer": id}))
		time.Sleep(time.Duration(r.IntN(4000)) * time.Millisecond)
		s.signal(syscall.SIGKILL)
		kills++
		s.start()
		names := layersOf(t, dsn, project)
		delete(names, bare)
		_, below := names["paint"]
		_, top := names[id]
		switch {
		case below && top && len(names) == 2:
			left++
			must(t, p.say("away "+id, map[string]any{"t": "op", "op": map[string]any{"kind": "layer.remove", "target": id}}))
		case !below && !top && len(names) == 1:
			merged++
			for was := range names {
				must(t, p.say("back "+id, map[string]any{"t": "op", "op": map[string]any{"kind": "layer.remove", "target": was}}))
			}
			must(t, p.addLayerAs("paint", "paint again "+id))
		default:
			t.Fatalf("after a kill in a merge the layers are %v", names)
		}
	}
	line(t, "%d kills: %d merged, %d as before", kills, merged, left)
}

// layersOf are the layers that a project holds, by id.
func layersOf(t *testing.T, dsn, project string) map[string]string {
	t.Helper()
	s, err := store.Open(dsn)
	must(t, err)
	defer s.Close()
	snap, entries, err := s.Latest(t.Context(), project)
	must(t, err)
	strokes, err := s.Strokes(t.Context(), project)
	must(t, err)
	d, err := step.Rules.Decode(snap.Doc, lookup(strokes))
	must(t, err)
	for _, e := range entries {
		if e.Seq > snap.Seq {
			d = applied(t, d, e.Op, strokes)
		}
	}
	out := map[string]string{}
	for _, l := range d.Layers {
		out[l.ID] = l.Name
	}
	return out
}

// The cluster itself is stopped at once, as by a loss of power, and started again, under
// painting: what was acknowledged is there.
func TestClusterRestarted(t *testing.T) {
	begin(t)
	dir, err := os.MkdirTemp("/tmp", "velvetgrime-cluster-")
	must(t, err)
	must(t, os.Chmod(dir, 0o755))
	env := append(os.Environ(), "VELVETGRIME_DATA="+dir)
	started := func() string {
		c := exec.Command("../../scripts/database.sh", "velvetgrime_power")
		c.Env = env
		out, err := c.Output()
		must(t, err)
		return strings.TrimSpace(string(out))
	}
	stop := func() {
		// a server that was started by runuser keeps its output open: none is given
		_ = exec.Command("runuser", "-u", "postgres", "--", "/usr/lib/postgresql/15/bin/pg_ctl", "-D", dir+"/cluster", "-m", "immediate", "stop").Run()
	}
	dsn := started()
	port := regexp.MustCompile(`port=(\d+)`).FindStringSubmatch(dsn)[1]
	again := func() { // where it was
		c := exec.Command("runuser", "-u", "postgres", "--", "/usr/lib/postgresql/15/bin/pg_ctl", "-D", dir+"/cluster", "-o", "-p "+port, "-l", dir+"/cluster/server.log", "-w", "start")
		c.Dir = "/"
		if out, err := c.CombinedOutput(); err != nil {
			t.Errorf("the cluster does not start again: %v: %s", err, out)
		}
	}
	t.Cleanup(func() { stop(); _ = os.RemoveAll(dir) })
	_, project, p := painted(t, dsn, 512)
	done := p.under(t, 21, func() {
		for range 4 {
			time.Sleep(2 * time.Second)
			stop()
			time.Sleep(2 * time.Second)
			again()
		}
		time.Sleep(2 * time.Second)
	})
	compare(t, dsn, project, done)
	line(t, "4 times stopped at once, %d strokes acknowledged", len(done))
}

// Deliveries, bakes and imports together keep the bound of memory.
func TestWorkKeepsTheBound(t *testing.T) {
	begin(t)
	dsn := database(t, "velvetgrime_soak")
	s, project, _ := painted(t, dsn, 512)
	var wait sync.WaitGroup
	var mu sync.Mutex
	ended := map[string]int{}
	order := func(what string, call func() (int, []byte, error)) {
		wait.Go(func() {
			code, b, err := call()
			var j job
			if err != nil || code >= 300 || json.Unmarshal(b, &j) != nil {
				t.Errorf("%s: %d %v %s", what, code, err, b)
				return
			}
			e := s.ends(j.ID)
			mu.Lock()
			defer mu.Unlock()
			ended[what+" "+e.State]++
			if e.State == "failed" {
				t.Errorf("%s failed: %s", what, e.Note)
			}
		})
	}
	for range 3 {
		order("deliver", func() (int, []byte, error) {
			return s.request("POST", "/api/projects/"+project+"/deliveries", map[string]any{"sheets": []string{}, "maps": []string{"base color", "normal", "height"}, "depth": map[string]int{"normal": 16, "height": 16}, "glb": true, "size": 4096})
		})
		order("bake", func() (int, []byte, error) {
			set := bakeSettings(s)
			set["size"] = 2048
			return s.request("POST", "/api/projects/"+project+"/bakes", map[string]any{"settings": set, "maps": []string{"ao", "normal", "position"}, "sheets": []string{}, "dense": []string{}, "floats": true})
		})
	}
	for i := range 3 {
		order("import", func() (int, []byte, error) {
			j, err := s.upload(fmt.Sprintf("grid%d.obj", i), grid(500))
			b, _ := json.Marshal(j)
			return 200, b, err
		})
	}
	wait.Wait()
	_, most := s.resident()
	if most > 512 {
		t.Errorf("%d MiB resident of 512", most)
	}
	line(t, "%d MiB at most of 512; ended: %v", most, ended)
}

// grid is an OBJ of n × n vertices.
func grid(n int) []byte {
	var b strings.Builder
	for i := range n {
		for j := range n {
			fmt.Fprintf(&b, "v %g %g %g\nvt %g %g\n", float64(i)*0.01, float64(i*j%97)*0.001, float64(j)*0.01, float64(i)/float64(n), float64(j)/float64(n))
		}
	}
	for i := range n - 1 {
		for j := range n - 1 {
			a := i*n + j + 1
			fmt.Fprintf(&b, "f %d/%d %d/%d %d/%d %d/%d\n", a, a, a+1, a+1, a+n+1, a+n+1, a+n, a+n)
		}
	}
	return []byte(b.String())
}

func lookup(strokes map[string]*brush.Stroke) func(string) *brush.Stroke {
	return func(id string) *brush.Stroke { return strokes[id] }
}

func applied(t *testing.T, d *stack.Document, op []byte, strokes map[string]*brush.Stroke) *stack.Document {
	t.Helper()
	o, err := stack.DecodeOp(op, strokes)
	must(t, err)
	next, _, _, err := step.Rules.Apply(d, o)
	must(t, err)
	return next
}
