// Package build names the running program by its content: what one build drew another may
// draw otherwise.
package build

import (
	"fmt"
	"io"
	"os"
	"sync"

	"github.com/zeebo/xxh3"
)

// Sum is a hash of the program's file; 0 when it cannot be read.
var Sum = sync.OnceValue(func() uint64 {
	path, err := os.Executable()
	if err != nil {
		return 0
	}
	f, err := os.Open(path)
	if err != nil {
		return 0
	}
	defer f.Close()
	h := xxh3.New()
	if _, err = io.Copy(h, f); err != nil {
		return 0
	}
	return h.Sum64()
})

// Name is the sum in hex; empty when the program's file cannot be read.
func Name() string {
	if s := Sum(); s != 0 {
		return fmt.Sprintf("%016x", s)
	}
	return ""
}
