// Package arch holds the rules of the layout.
package arch

import (
	"os/exec"
	"strings"
	"testing"
)

// The computation imports no HTTP, no database, no interface, and nothing of the
// service.
func TestCoreKnowsNothingOfTheService(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "velvetgrime/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(string(out), "velvetgrime/core/eval") {
		t.Fatal("go list does not see core")
	}
	for _, dep := range strings.Fields(string(out)) {
		for _, bad := range []string{"velvetgrime/internal", "velvetgrime/web", "velvetgrime/cmd", "net/http", "database/sql", "gorm.io", "github.com/gin-gonic", "github.com/coder/websocket", "github.com/riverqueue"} {
			if dep == bad || strings.HasPrefix(dep, bad+"/") {
				t.Errorf("core depends on %s", dep)
			}
		}
	}
	// within core: places and texels know nothing of documents, documents nothing of evaluation
	for pkg, never := range map[string][]string{
		"geom": {"core/mesh", "core/stack"}, "pix": {"core/mesh", "core/stack"}, "raster": {"core/stack", "core/eval"}, "stack": {"core/eval", "core/step"},
		"cache": {"core/mesh", "core/stack"}, "surface": {"core/eval"}, "cast": {"core/eval", "core/surface"},
	} {
		out, err := exec.Command("go", "list", "-deps", "velvetgrime/core/"+pkg).Output()
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range never {
			if strings.Contains(string(out), "velvetgrime/"+n+"\n") {
				t.Errorf("core/%s depends on %s", pkg, n)
			}
		}
	}
}
