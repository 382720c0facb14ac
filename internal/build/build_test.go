package build

import (
	"fmt"
	"os"
	"testing"

	"github.com/zeebo/xxh3"
)

// The name is that of the file that runs, the whole of it.
func TestTheNameIsTheFilesContent(t *testing.T) {
	path, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if want := fmt.Sprintf("%016x", xxh3.Hash(b)); Name() != want {
		t.Errorf("%s, want %s", Name(), want)
	}
}
