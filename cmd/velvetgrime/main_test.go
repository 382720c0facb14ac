package main

import (
	"bytes"
	"encoding/json"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"

	"github.com/spf13/cobra"
)

// files writes the bollard and its document to a folder.
func files(t *testing.T) (dir, model, doc string) {
	t.Helper()
	dir = t.TempDir()
	var b bytes.Buffer
	if err := meshio.WriteGLB(&b, sample.Bollard(), meshio.Options{}); err != nil {
		t.Fatal(err)
	}
	d, err := sample.PlainBollard().Encode(true)
	if err != nil {
		t.Fatal(err)
	}
	model, doc = filepath.Join(dir, "bollard.glb"), filepath.Join(dir, "bollard.json")
	for name, data := range map[string][]byte{model: b.Bytes(), doc: d} {
		if err := os.WriteFile(name, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return
}

func run(t *testing.T, c *cobra.Command, args ...string) (string, error) {
	t.Helper()
	var out bytes.Buffer
	c.SetOut(&out)
	c.SetErr(&out)
	c.SilenceUsage, c.SilenceErrors = true, true
	c.SetArgs(args)
	err := c.ExecuteContext(t.Context())
	return out.String(), err
}

func TestInspect(t *testing.T) {
	_, model, _ := files(t)
	out, err := run(t, inspectCommand(), model, "--json")
	var f mesh.Facts
	if err != nil || json.Unmarshal([]byte(out), &f) != nil || len(f.Parts) != 4 || f.Sheets[0].Name != "Cast iron" || f.Triangles != len(sample.Bollard().Tri) {
		t.Fatal(err, out)
	}
	if out, err = run(t, inspectCommand(), model); err != nil || !strings.Contains(out, "Base plate") {
		t.Fatal(err, out)
	}
	if _, err = run(t, inspectCommand(), model+".fbx"); err == nil || !strings.Contains(err.Error(), "is not there") {
		t.Fatal(err)
	}
}

func TestEvalWritesWhatTheDocumentSays(t *testing.T) {
	dir, model, doc := files(t)
	if _, err := run(t, evalCommand(), doc, "--model", model, "--size", "128", "--channels", "baseColor,roughness,height", "--format", "png16", "-o", dir); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"bollard_Cast_iron_basecolor.png", "bollard_Cast_iron_roughness.png", "bollard_Cast_iron_height.png"} {
		f, err := os.Open(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		img, err := png.Decode(f)
		_ = f.Close()
		if err != nil || img.Bounds().Dx() != 128 {
			t.Fatal(name, err)
		}
	}
	for want, args := range map[string][]string{
		"shine":             {doc, "--model", model, "--channels", "shine"},
		"none of png8":      {doc, "--model", model, "--format", "gif"},
		"power of two":      {doc, "--model", model, "--size", "100"},
		`no sheet "Sail"`:   {doc, "--model", model, "--sheet", "Sail"},
		"not readable JSON": {model, "--model", model},
	} {
		if _, err := run(t, evalCommand(), args...); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("error %v does not say %q", err, want)
		}
	}
}

func TestExportOfADocument(t *testing.T) {
	dir, model, doc := files(t)
	out, err := run(t, exportCommand(), "--model", model, "--document", doc, "--size", "128", "--maps", "normal", "-o", filepath.Join(dir, "out"))
	if err != nil || strings.Count(out, "bytes") != 2 {
		t.Fatal(err, out)
	}
	m, err := readModel(filepath.Join(dir, "out", "bollard.glb"))
	if err != nil || len(m.Tri) != len(sample.Bollard().Tri) {
		t.Fatal(err)
	}
	if _, err := run(t, exportCommand()); err == nil {
		t.Fatal("an export of nothing is accepted")
	}
}

func TestServeRefusesOtherAddresses(t *testing.T) {
	for _, c := range []*cobra.Command{serveCommand(), demoCommand()} {
		if _, err := run(t, c, "--address", "0.0.0.0:7140", "--database", "x"); err == nil || !strings.Contains(err.Error(), "loopback") {
			t.Errorf("%s: %v", c.Name(), err)
		}
		if _, err := run(t, c, "--address", "127.0.0.1:0", "--database", ""); err == nil || !strings.Contains(err.Error(), "no database") {
			t.Errorf("%s: %v", c.Name(), err)
		}
	}
}

func TestBenchPrintsItsFigures(t *testing.T) {
	out, err := run(t, benchCommand(), "noise", "--json")
	var r report
	if err != nil || json.Unmarshal([]byte(out), &r) != nil || len(r.Results) != 1 || r.Results[0].Value <= 0 {
		t.Fatal(err, out)
	}
	if e := exponent([][2]float64{{1, 3}, {2, 12}, {4, 48}}); e < 1.999 || e > 2.001 {
		t.Fatalf("the exponent of a square law is %v", e)
	}
}

// bake and unwrap write what they say, named by sheet and map.
func TestBakeAndUnwrapWriteTheirFiles(t *testing.T) {
	dir := t.TempDir()
	model := filepath.Join(dir, "b.glb")
	var b bytes.Buffer
	if err := meshio.WriteGLB(&b, sample.Bollard(), meshio.Options{}); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(model, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	run := func(c *cobra.Command, args ...string) (string, error) {
		var out bytes.Buffer
		c.SetOut(&out)
		c.SetArgs(args)
		return out.String(), c.ExecuteContext(t.Context())
	}
	for _, form := range []string{"png16", "exr"} {
		if _, err := run(bakeCommand(), model, "--maps", "ao,position", "--size", "64", "--samples", "8", "--format", form, "-o", dir, "--json"); err != nil {
			t.Fatal(err)
		}
		for _, m := range []string{"ao", "position"} {
			name := filepath.Join(dir, "Cast iron_"+m+"."+strings.TrimSuffix(form, "16"))
			if st, err := os.Stat(name); err != nil || st.Size() < 500 {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
	for _, name := range []string{"u.glb", "u.obj"} {
		out := filepath.Join(dir, name)
		if _, err := run(unwrapCommand(), model, "-o", out, "--sheet-size", "512", "--margin", "4"); err != nil {
			t.Fatal(err)
		}
		m, err := readModel(out)
		if err != nil || len(m.Tri) != len(sample.Bollard().Tri) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := run(bakeCommand(), model, "--maps", "gloss", "-o", dir); err == nil || !strings.Contains(err.Error(), "gloss") {
		t.Errorf("an unknown map: %v", err)
	}
	if _, err := run(unwrapCommand(), model, "-o", filepath.Join(dir, "u.txt")); err == nil {
		t.Error("a file of an unknown kind was written")
	}
}
