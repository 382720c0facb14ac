package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A material is put on models and delivered; the same seed gives the same bytes, another
// dial, seed or part another picture.
func TestApply(t *testing.T) {
	dir, model, _ := files(t)
	picture := func(name string, args ...string) []byte {
		t.Helper()
		out := filepath.Join(dir, name)
		all := append([]string{"cast iron", "--model", model, "--size", "128", "--bake", "none", "--glb=false", "--maps", "base color", "-o", out}, args...)
		if text, err := run(t, applyCommand(), all...); err != nil {
			t.Fatal(err, text)
		}
		b, err := os.ReadFile(filepath.Join(out, "bollard_Cast_iron_basecolor.png"))
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	was := picture("a", "--seed", "3")
	if !bytes.Equal(was, picture("b", "--seed", "3")) {
		t.Error("the same seed gives other bytes")
	}
	for name, args := range map[string][]string{
		"a dial": {"--seed", "3", "--set", "rust=1"}, "a seed": {"--seed", "4"}, "a part": {"--seed", "3", "--part", "Base plate"},
	} {
		if bytes.Equal(was, picture(name, args...)) {
			t.Errorf("%s changes nothing", name)
		}
	}
	for want, args := range map[string][]string{
		"no model is given":      {"cast iron"},
		"no material":            {"unobtainium", "--model", model},
		"has no dial":            {"cast iron", "--model", model, "--set", "shine=1"},
		"dial=value":             {"cast iron", "--model", model, "--set", "rust"},
		"is not between":         {"cast iron", "--model", model, "--set", "rust=3"},
		`no part "Sail"`:         {"cast iron", "--model", model, "--part", "Sail"},
		"there is auto and none": {"cast iron", "--model", model, "--bake", "much"},
	} {
		if _, err := run(t, applyCommand(), append(args, "-o", dir)...); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("error %v does not say %q", err, want)
		}
	}
}

func TestMaterialsAreListed(t *testing.T) {
	out, err := run(t, materialsCommand(), "--json")
	var list []struct {
		Name  string
		Dials []struct{ Name string }
	}
	if err != nil || json.Unmarshal([]byte(out), &list) != nil || len(list) < 25 || len(list[0].Dials) < 3 {
		t.Fatal(err, len(list))
	}
	if out, err = run(t, materialsCommand()); err != nil || !strings.Contains(out, list[0].Name) {
		t.Fatal(err, out)
	}
}

// A material of a .grime file is put on as the one that it was written from; 'look' lists what a
// file holds and refuses one that was changed.
func TestApplyFromAFile(t *testing.T) {
	dir, model, _ := files(t)
	file := filepath.Join(dir, "metals.grime")
	if out, err := run(t, grimeCommand(), "out", "--material", "brass, salt-bitten", "--material", "cast iron", "-o", file); err != nil {
		t.Fatal(err, out)
	}
	picture := func(name string, args ...string) []byte {
		t.Helper()
		out := filepath.Join(dir, name)
		all := append(args, "--model", model, "--size", "128", "--bake", "none", "--glb=false", "--maps", "base color", "--seed", "5", "-o", out)
		if text, err := run(t, applyCommand(), all...); err != nil {
			t.Fatal(err, text)
		}
		b, err := os.ReadFile(filepath.Join(out, "bollard_Cast_iron_basecolor.png"))
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	if !bytes.Equal(picture("shipped", "cast iron"), picture("filed", file, "--item", "Cast iron")) {
		t.Error("the material of the file gives other bytes than the one that ships")
	}
	out, err := run(t, grimeCommand(), "look", file)
	if err != nil || !strings.Contains(out, "Brass, salt-bitten") || !strings.Contains(out, "material") {
		t.Error(out, err)
	}
	b, err := os.ReadFile(file)
	if err != nil || os.WriteFile(file, b[:len(b)/2], 0o600) != nil {
		t.Fatal(err)
	}
	for want, args := range map[string][]string{
		"no .grime file":         {"look", file},
		"either a --project":     {"out", "-o", file},
		"no file is named":       {"out", "--material", "cast iron"},
		"no material \"tinsel\"": {"out", "--material", "tinsel", "-o", file},
	} {
		if _, err := run(t, grimeCommand(), args...); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("error %v does not say %q", err, want)
		}
	}
}
