package grime

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"os"
	"strings"
	"testing"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/geom"
)

var errNone = errors.New("none")

func written(t testing.TB, o Out) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Write(&b, o); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func opened(b []byte) (*Archive, error) { return Open(bytes.NewReader(b), int64(len(b)), Usual) }

// landing is a small collection with a project.
func landing() Out {
	model, shot := []byte("the model"), []byte("the picture")
	blobs := map[string][]byte{HashOf(model): model, HashOf(shot): shot}
	st := &brush.Stroke{ID: "s1", Radius: 0.1, Strength: 1, Hardness: 0.5, Points: brush.Points{{Pos: geom.V3(0.1, 1.0/3, 7e-9), Nrm: geom.V3(0, 1, 0), Pressure: 0.7}}}
	at := time.Date(2031, 4, 5, 6, 7, 8, 9000, time.UTC)
	p := &Project{
		Name: "Mooring bollard", ModelName: "bollard.glb", ModelBlob: HashOf(model), Picture: HashOf(shot), Created: at,
		Snapshots: []Snapshot{{0, json.RawMessage(`{"b":1.50,"a":[1e2]}`)}},
		Entries:   []Entry{{Seq: 1, Actor: "ann", Kind: "do", Label: "Tar", Op: json.RawMessage(`{"kind":"x"}`), Inverse: json.RawMessage(`null`), At: at}},
		Marks:     []Mark{{1, "before the rain"}},
	}
	return Out{
		Name: "Landing", Project: p, Strokes: []*brush.Stroke{st},
		Items:   []Item{{Kind: "palette", Name: "Hull", Tags: []string{"red"}, Data: json.RawMessage(`["#aa1100"]`), Picture: HashOf(shot)}},
		Missing: func(err error) bool { return err == errNone },
		Blob: func(h string) ([]byte, error) {
			if b := blobs[h]; b != nil {
				return b, nil
			}
			return nil, errNone
		},
	}
}

// What is written, read and written again gives the same bytes, and holds what was put in.
func TestWrittenReadAndWrittenAgain(t *testing.T) {
	first := written(t, landing())
	a, err := opened(first)
	if err != nil {
		t.Fatal(err)
	}
	p, strokes, err := a.Whole()
	if err != nil {
		t.Fatal(err)
	}
	if len(strokes) != 1 || strokes[0].Points[0].Pos != geom.V3(0.1, 1.0/3, 7e-9) || p.Marks[0].Name != "before the rain" || a.Items[0].Tags[0] != "red" {
		t.Errorf("it reads %+v and %+v", p, strokes)
	}
	again := written(t, Out{Name: a.Name, Project: p, Strokes: strokes, Items: a.Items, Missing: landing().Missing, Blob: a.Blob})
	if !bytes.Equal(first, again) {
		t.Error("written again it has other bytes")
	}
}

// remake writes an archive anew with some of its files changed; nil drops one.
func remake(t testing.TB, b []byte, change map[string]func([]byte) []byte, more ...string) []byte {
	t.Helper()
	zr, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	put := func(name string, data []byte) {
		f, err := z.Create(name)
		if err == nil {
			_, err = f.Write(data)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	for _, f := range zr.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if c := change[f.Name]; c != nil {
			if data = c(data); data == nil {
				continue
			}
		}
		put(f.Name, data)
	}
	for _, name := range more {
		put(name, []byte("{}"))
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// Files of hostile origin are refused, and the error names the place.
func TestHostileFilesAreRefused(t *testing.T) {
	good := written(t, landing())
	swap := func(from, to string) func([]byte) []byte {
		return func(b []byte) []byte {
			if !bytes.Contains(b, []byte(from)) {
				t.Fatalf("%q is not in %s", from, b)
			}
			return bytes.Replace(b, []byte(from), []byte(to), 1)
		}
	}
	drop := func([]byte) []byte { return nil }
	model := HashOf([]byte("the model"))
	in := func(name string, f func([]byte) []byte) []byte {
		return remake(t, good, map[string]func([]byte) []byte{name: f})
	}
	for want, b := range map[string][]byte{
		"no .grime file":              []byte("something else"),
		"no manifest.json":            in(manifestFile, drop),
		`"../../etc/x" is no file`:    remake(t, good, nil, "../../etc/x"),
		`"blobs/../x" is no file`:     remake(t, good, nil, "blobs/../x"),
		"is there twice":              remake(t, good, nil, projectFile),
		"is there and not named":      remake(t, good, nil, "items/0009.json"),
		"is named and not there":      in("items/0001.json", drop),
		"a newer program wrote it":    in(manifestFile, swap(`"version": 1`, `"version": 2`)),
		`the format is "dust"`:        in(manifestFile, swap(`"format": "grime"`, `"format": "dust"`)),
		"unknown field":               in(manifestFile, swap(`"format"`, `"more": 1, "format"`)),
		"has 11 bytes, not 12":        in(manifestFile, swap(`"size": 11`, `"size": 12`)),
		"is no SHA-256":               in(manifestFile, swap(`"sha256": "`, `"sha256": "x`)),
		"its bytes are others":        in("blobs/"+model, swap("the model", "the hodel")),
		"items/0001.json: it is no":   in("items/0001.json", swap("[", "")),
		"strokes.jsonl: line 1":       in(strokesFile, swap(`"points":[`, `"points":[1,`)),
		"the model is not there":      in(projectFile, swap(`"modelBlob": "`, `"modelBlob": "0`)),
		"no document of the":          in(projectFile, swap(`"seq": 0`, `"seq": 1`)),
		"entry 1 of the ledger":       in(projectFile, swap(`"kind": "do"`, `"kind": "undo all"`)),
		`the mark "before the rain"`:  in(projectFile, swap(`"name": "before the rain",`+"\n   \"seq\": 1", `"name": "before the rain",`+"\n   \"seq\": 7")),
		"project.json: something":     in(projectFile, func(b []byte) []byte { return append(b, b...) }),
		"item 1 has no usable name":   in(manifestFile, swap(`"name": "Hull"`, `"name": ""`)),
		"its picture is not there":    in(manifestFile, swap(`"picture": "`, `"picture": "f`)),
		"strokes.jsonl is named and":  in(strokesFile, drop),
		`"Hull": manifest.json is na`: in(manifestFile, swap("items/0001.json", "manifest.json")),
	} {
		a, err := opened(b)
		if err == nil {
			if _, _, err = a.Whole(); err == nil {
				for _, blob := range a.Blobs {
					if _, err = a.Blob(blob.SHA256); err != nil {
						break
					}
				}
			}
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("the error %v does not say %q", err, want)
		}
	}
}

// A file that unpacks to very much is refused before it is unpacked.
func TestABombIsNotUnpacked(t *testing.T) {
	bomb := remake(t, written(t, landing()), map[string]func([]byte) []byte{
		projectFile: func([]byte) []byte { return make([]byte, 3<<20) },
	})
	lim := Usual
	lim.JSON = 1 << 20
	if _, err := Open(bytes.NewReader(bomb), int64(len(bomb)), lim); err == nil || !strings.Contains(err.Error(), "project.json: it has 3145728 bytes") {
		t.Error(err)
	}
	lim = Usual
	lim.All = 1 << 20
	if _, err := Open(bytes.NewReader(bomb), int64(len(bomb)), lim); err == nil || !strings.Contains(err.Error(), "in all") {
		t.Error(err)
	}
	lim = Usual
	lim.Files = 3
	if _, err := Open(bytes.NewReader(bomb), int64(len(bomb)), lim); err == nil || !strings.Contains(err.Error(), "at most 3") {
		t.Error(err)
	}
}

// What was written once stays readable.
func TestTheExampleIsRead(t *testing.T) {
	b, err := os.ReadFile("testdata/landing-metals.grime")
	if err != nil {
		t.Fatal(err)
	}
	a, err := opened(b)
	if err != nil || len(a.Items) != 2 || a.Items[0].Name != "Cast iron" || a.Items[1].Kind != "material" {
		t.Fatal(err, a)
	}
}

func FuzzOpen(f *testing.F) {
	f.Add(written(f, landing()))
	f.Fuzz(func(t *testing.T, b []byte) {
		lim := Limits{Files: 100, JSON: 1 << 20, Blob: 1 << 20, All: 4 << 20}
		a, err := Open(bytes.NewReader(b), int64(len(b)), lim)
		if err != nil {
			return
		}
		_, _, _ = a.Whole()
		for _, blob := range a.Blobs {
			if got, err := a.Blob(blob.SHA256); err == nil && HashOf(got) != blob.SHA256 {
				t.Error("a blob is not what its name says")
			}
		}
	})
}
