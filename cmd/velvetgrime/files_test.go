package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"velvetgrime/core/deliver"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/store"

	"github.com/spf13/cobra"
)

// bare is an OBJ without UVs: a crate of two parts, as another program may have written it.
const bare = `o Lid
v 0 1 0
v 1 1 0
v 1 1 1
v 0 1 1
f 1 4 3 2
o Side
v 0 0 0
v 1 0 0
v 1 0.9 0
v 0 0.9 0
f 5 8 7 6
`

func written(t *testing.T, dir, name, text string) string {
	t.Helper()
	name = filepath.Join(dir, name)
	if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return name
}

func done(t *testing.T, c *cobra.Command, args ...string) string {
	t.Helper()
	out, err := run(t, c, args...)
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", c.Name(), args, err, out)
	}
	return out
}

// refused tries arguments that must be refused, by the error that names the thing.
func refused(t *testing.T, c func() *cobra.Command, wrong map[string][]string) {
	t.Helper()
	for want, args := range wrong {
		if _, err := run(t, c(), args...); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v: error %v does not say %q", args, err, want)
		}
	}
}

// A model without UVs goes from a file to a delivery by the command line alone: unwrapped,
// measured, dressed; each command takes what the one before wrote.
func TestFromABareModelToADelivery(t *testing.T) {
	dir := t.TempDir()
	crate := written(t, dir, "crate.obj", bare)
	if out := done(t, inspectCommand(), crate); !strings.Contains(out, "Lid") || !strings.Contains(out, "Side") {
		t.Errorf("it is inspected as %s", out)
	}
	refused(t, bakeCommand, map[string][]string{
		"run unwrap first":        {crate, "-o", dir},
		"none of png16, exr":      {crate, "--format", "gif"},
		"is not there":            {crate, "--high", filepath.Join(dir, "dense.obj")},
		"accepts 1 arg(s)":        {},
		"no baked map \"shadow\"": {crate, "--maps", "shadow", "-o", dir},
	})
	flat := filepath.Join(dir, "flat.glb")
	var report struct {
		File   string
		Before *unwrap.Report
		After  *unwrap.Report
	}
	if err := json.Unmarshal([]byte(done(t, unwrapCommand(), crate, "-o", flat, "--sheet-size", "256", "--margin", "4", "--json")), &report); err != nil {
		t.Fatal(err)
	}
	if s := report.After.Sheets[0]; report.File != flat || len(report.Before.Sheets) != 0 || s.Islands != 2 || s.Overlap != 0 || s.Padding < 4 || s.Space < 0.4 {
		t.Errorf("it lies as %+v", report.After.Sheets)
	}
	if f := report.Before.Findings; len(f) == 0 || f[0].Kind != "noUV" || len(f[0].Tris) != 0 {
		t.Errorf("before it was %+v", f)
	}
	m, err := readModel(flat)
	if err != nil {
		t.Fatal(err)
	}
	out := done(t, bakeCommand(), flat, "--maps", "position,id", "--id", "part", "--size", "64", "-o", dir)
	if !strings.Contains(out, "texels missed") || !strings.Contains(out, fmt.Sprintf("%s_position.png", m.Sheets[0].Name)) {
		t.Errorf("baked: %s", out)
	}
	done(t, applyCommand(), "cast iron", "--model", flat, "--size", "128", "--bake", "none", "-o", filepath.Join(dir, "dressed"))
	files, err := os.ReadDir(filepath.Join(dir, "dressed"))
	if err != nil || len(files) < 4 {
		t.Fatalf("%d files were delivered: %v", len(files), err)
	}
	for _, f := range files {
		if strings.HasPrefix(f.Name(), ".") {
			t.Errorf("%s was left behind", f.Name())
		}
	}
	// at once, too, when it is said that it may be unwrapped
	refused(t, applyCommand, map[string][]string{"add --unwrap": {"cast iron", "--model", crate, "--bake", "none", "-o", dir}})
	done(t, applyCommand(), "cast iron", "--model", crate, "--unwrap", "--size", "128", "--bake", "none", "--glb=false", "--maps", "base color", "-o", filepath.Join(dir, "once"))
	if list, _ := filepath.Glob(filepath.Join(dir, "once", "*.png")); len(list) != 1 {
		t.Errorf("delivered at once: %v", list)
	}
}

// A dense model gives the other one its normals; where it is missed the command says how often.
func TestBakingFromADenseModel(t *testing.T) {
	dir := t.TempDir()
	low := written(t, dir, "low.obj", "o P\nv 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 4/4 3/3 2/2\n")
	// half as wide: the other half of the sheet finds nothing
	dense := written(t, dir, "dense.obj", "o P\nv 0 0.01 0\nv 0.5 0.01 0\nv 0.5 0.01 1\nv 0 0.01 1\nf 1 4 3 2\n")
	var r bakeReport
	if err := json.Unmarshal([]byte(done(t, bakeCommand(), low, "--high", dense, "--maps", "height", "--front", "0.1", "--size", "64", "--dilate", "0", "-o", dir, "--json")), &r); err != nil {
		t.Fatal(err)
	}
	if r.OnSurface != 64*64 || math.Abs(float64(r.Missed)-64*32) > 64 || len(r.Files) != 2 || r.Rays < 64*64 || r.Triangles != 2 {
		t.Errorf("%+v", r)
	}
	f, err := os.Open(filepath.Join(dir, filepath.Base(r.Files[1])))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	img, err := png.Decode(f)
	if err != nil {
		t.Fatal(err)
	}
	grey := func(x int) uint16 { return color.Gray16Model.Convert(img.At(x, 32)).(color.Gray16).Y }
	if !strings.Contains(r.Files[1], "misses") || grey(10) != 0 || grey(54) == 0 {
		t.Errorf("%s: left %d, right %d", r.Files[1], grey(10), grey(54))
	}
}

// EXR holds the numbers of the document themselves; a document takes pictures from beside itself.
func TestEvalAsNumbersAndWithPictures(t *testing.T) {
	dir, model, _ := files(t)
	img := image.NewGray(image.Rect(0, 0, 8, 8))
	for i := range img.Pix {
		img.Pix[i] = 204
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	written(t, dir, "plank.png", b.String())
	d := stack.New([]string{"Cast iron"}, 128)
	coat := stack.Coat{On: true, Blend: "normal", Amount: 1, Value: []float32{0.1}}
	coat.Stream = []*stack.Step{{ID: "s", Kind: "picture", On: true, Amount: 1, Params: map[string]any{"picture": "plank.png"}}}
	d.Layers = []*stack.Layer{{ID: "l", Name: "l", Kind: stack.Fill, Visible: true, Amount: 1, Channels: map[stack.Channel]stack.Coat{
		stack.Roughness: coat, stack.Metallic: {On: true, Blend: "normal", Amount: 1, Value: []float32{0.3125}},
	}}}
	doc := func(d *stack.Document) string {
		text, err := d.Encode(true)
		if err != nil {
			t.Fatal(err)
		}
		return written(t, dir, "d.json", string(text))
	}
	done(t, evalCommand(), doc(d), "--model", model, "--size", "128", "--channels", "metallic", "--format", "exr", "-o", dir)
	even := make([]float32, 128*128)
	for i := range even {
		even[i] = 0.3125
	}
	want, err := deliver.EXR([][]float32{even}, 128)
	if err != nil {
		t.Fatal(err)
	}
	got, err := os.ReadFile(filepath.Join(dir, "bollard_Cast_iron_metallic.exr"))
	if err != nil || !bytes.Equal(got, want) {
		t.Errorf("%d bytes of numbers, want %d: %v", len(got), len(want), err)
	}
	done(t, evalCommand(), doc(d), "--model", model, "--size", "128", "--channels", "roughness", "-o", dir)
	f, err := os.Open(filepath.Join(dir, "bollard_Cast_iron_roughness.png"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rough, err := png.Decode(f)
	if err != nil || color.GrayModel.Convert(rough.At(64, 64)).(color.Gray).Y != 204 {
		t.Errorf("the picture's grey of 204 comes out as %v: %v", rough.At(64, 64), err)
	}
	refused(t, evalCommand, map[string][]string{"orm is a packing": {doc(d), "--model", model, "--channels", "orm", "--format", "exr", "-o", dir}})
	d.Layers[0].Channels[stack.Roughness].Stream[0].Params["picture"] = "gone.png"
	if _, err := run(t, evalCommand(), doc(d), "--model", model, "--size", "128", "--channels", "roughness", "-o", dir); err == nil || !strings.Contains(err.Error(), "gone.png") {
		t.Errorf("a picture that is not there: %v", err)
	}
}

// A project goes into a .grime file and out of it under another name, and is delivered from the
// database by its name.
func TestAProjectGoesThroughAFile(t *testing.T) {
	dsn := os.Getenv("VELVETGRIME_TEST_DATABASE")
	if dsn == "" {
		t.Fatal("VELVETGRIME_TEST_DATABASE is not set; run 'make test-go', which starts a database")
	}
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	name := "Crate " + filepath.Base(t.TempDir()) + fmt.Sprint(os.Getpid())
	p, err := intake.Create(t.Context(), s, "", name, map[string][]byte{"crate.obj": []byte(strings.ReplaceAll(bare, "f 1 4 3 2", "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 4/4 3/3 2/2"))}, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "crate.grime")
	done(t, grimeCommand(), "out", "--project", strings.ToUpper(name), "--database", dsn, "-o", file)
	if out := done(t, grimeCommand(), "look", file); !strings.Contains(out, name) || !strings.Contains(out, "0 strokes") || !strings.Contains(out, "blobs") {
		t.Errorf("it is listed as %s", out)
	}
	again := name + " again"
	out := done(t, grimeCommand(), "in", file, "--name", again, "--database", dsn)
	if !strings.Contains(out, again) || strings.Contains(out, p.ID) {
		t.Errorf("taken as %s", out)
	}
	done(t, exportCommand(), "--project", again, "--database", dsn, "--size", "128", "--maps", "base color", "-o", filepath.Join(dir, "out"))
	made, _ := filepath.Glob(filepath.Join(dir, "out", "*.glb"))
	if len(made) != 1 {
		t.Fatalf("delivered are %v", made)
	}
	m, err := readModel(made[0])
	if err != nil || len(m.Tri) != 4 {
		t.Errorf("delivered from the database: %v", err)
	}
	refused(t, grimeCommand, map[string][]string{
		"no project \"Nobody's\"": {"out", "--project", "Nobody's", "--database", dsn, "-o", file},
		"no \"Nothing\"":          {"out", "--item", "Nothing", "--database", dsn, "-o", file},
		"no database is given":    {"in", file, "--database", ""},
		"no such file":            {"look", filepath.Join(dir, "gone.grime")},
	})
	refused(t, exportCommand, map[string][]string{"no project \"Nobody's\"": {"--project", "Nobody's", "--database", dsn}})
	// what would be cleared away is listed, and stays
	if out := done(t, clearCommand(), "--dry-run", "--database", dsn); !strings.Contains(out, "would be cleared away: ") {
		t.Errorf("clear says %s", out)
	}
	refused(t, clearCommand, map[string][]string{"no database is given": {"--database", ""}})
	if list, err := s.Projects(t.Context()); err != nil || !slices.ContainsFunc(list, func(q store.Project) bool { return q.ID == p.ID }) {
		t.Errorf("the project is gone: %v", err)
	}
	if err := s.Delete(t.Context(), p.ID); err != nil {
		t.Fatal(err)
	}
}

// A gone thing is listed with its size, and summed up.
func TestWhatIsClearedIsTold(t *testing.T) {
	var b bytes.Buffer
	if err := tellGone(&b, []store.Gone{{What: "blob", Name: "aa", Bytes: 3 << 20}, {What: "project", Name: "Old crate", Bytes: 1 << 19}}, false); err != nil {
		t.Fatal(err)
	}
	if out := b.String(); !strings.Contains(out, "3.00 MiB  aa") || !strings.Contains(out, "0.50 MiB  Old crate") || !strings.Contains(out, "\ncleared away: ") {
		t.Error(out)
	}
	b.Reset()
	if err := tellGone(&b, nil, true); err != nil || b.String() != "would be cleared away: nothing\n" {
		t.Error(b.String(), err)
	}
}

// The models of the landing are written so that they are read as they were; tangents come along
// when asked for.
func TestSamplesAreWritten(t *testing.T) {
	dir := t.TempDir()
	for name, f := range sampleModels {
		if strings.HasSuffix(name, "dense") {
			continue
		}
		file := filepath.Join(dir, name+".glb")
		done(t, sampleCommand(), name, "-o", file, "--tangents")
		m, err := readModel(file)
		want := f()
		if err != nil || len(m.Tri) != len(want.Tri) || len(m.Parts) != len(want.Parts) || len(m.Sheets) != len(want.Sheets) {
			t.Errorf("%s: %v", name, err)
		}
		var plain bytes.Buffer
		if err := meshio.WriteGLB(&plain, want, meshio.Options{}); err != nil {
			t.Fatal(err)
		}
		if st, err := os.Stat(file); err != nil || st.Size() <= int64(plain.Len()) {
			t.Errorf("%s: tangents take no room: %v", name, err)
		}
	}
	refused(t, sampleCommand, map[string][]string{`no sample "ship"`: {"ship"}})
}

// The lists that schema prints name everything that is registered.
func TestListsOfKinds(t *testing.T) {
	steps := done(t, schemaCommand(), "--steps")
	for _, d := range step.Descriptions() {
		if !strings.Contains(steps, d.Kind) || !strings.Contains(steps, d.Label) {
			t.Errorf("the list of steps lacks %s", d.Kind)
		}
	}
	if out := done(t, schemaCommand(), "--operations"); !strings.Contains(out, "stroke.add") || !strings.Contains(out, "layer.add") {
		t.Error("the list of operations lacks some")
	}
	if out := done(t, schemaCommand(), "--messages"); !strings.Contains(out, "stroke.begin") {
		t.Error("the list of messages lacks some")
	}
	for _, args := range [][]string{nil, {"--grime"}} {
		var v any
		if err := json.Unmarshal([]byte(done(t, schemaCommand(), args...)), &v); err != nil {
			t.Errorf("schema %v is no JSON: %v", args, err)
		}
	}
	out := done(t, openAPICommand())
	var api struct{ Paths map[string]any }
	if err := json.Unmarshal([]byte(out), &api); err != nil || len(api.Paths) < 20 {
		t.Errorf("%d paths, %v", len(api.Paths), err)
	}
}

// What the benches count with, and how they are printed and asked for.
func TestFiguresOfBenches(t *testing.T) {
	ms := make([]float64, 100)
	for i := range ms {
		ms[i] = float64(99 - i)
	}
	r := &report{Machine: "a machine"}
	r.add("stroke", "at 4096", "ms", ms)
	r.Sweeps = append(r.Sweeps, sweep{Name: "stack", Over: "layers", Exponent: 1.5, Unit: "s"})
	if x := r.Results[0]; x.P50 != 50 || x.P95 != 95 || x.Value != 50 {
		t.Errorf("%+v", x)
	}
	var b bytes.Buffer
	if err := r.print(&b, false); err != nil || !strings.HasPrefix(b.String(), "a machine\nstroke ") || !strings.Contains(b.String(), "exponent 1.50") {
		t.Error(b.String(), err)
	}
	if p50, p95 := percentiles([]float64{7}); p50 != 7 || p95 != 7 {
		t.Error("the percentiles of one figure are others")
	}
	refused(t, benchCommand, map[string][]string{`no bench "luck"`: {"luck"}})
	d := stackDocument(7, true)
	if err := step.Rules.Check(d); err != nil || len(d.Layers) != 7 || len(d.Layers[6].Mask) != 1 {
		t.Errorf("the document of the bench: %v", err)
	}
	m := sample.Bollard()
	for _, s := range scatter(m, 20, map[string][]float32{"roughness": {0.4}}) {
		if err := s.Check(); err != nil || s.Inside(m.Bounds, 0) != nil {
			t.Errorf("a stroke of the bench: %v", err)
		}
	}
}

// Pictures lie side by side on a contact sheet, each with its line below.
func TestContactSheets(t *testing.T) {
	c := newContact(5, 2, 40, 30)
	for i := range 5 {
		c.add(image.NewUniform(color.Gray{uint8(40 * (i + 1))}), "Salt")
	}
	file := filepath.Join(t.TempDir(), "c.png")
	if err := c.write(file); err != nil {
		t.Fatal(err)
	}
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	img, err := png.Decode(f)
	if err != nil || img.Bounds().Dx() != 2*46+6 || img.Bounds().Dy() != 3*50+6 {
		t.Fatal(err, img.Bounds())
	}
	for i := range 5 {
		x, y := 6+i%2*46+20, 4+i/2*50+15
		if r, _, _, _ := img.At(x, y).RGBA(); r>>8 != uint32(40*(i+1)) {
			t.Errorf("picture %d is %d", i, r>>8)
		}
	}
	if got := fileName(`a/b\c:d`); got != "a_b_c_d" {
		t.Errorf("a name becomes %q", got)
	}
}
