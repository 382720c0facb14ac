package meshopt

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"strings"
	"testing"
)

// streams were packed and unpacked by another program.
//
//go:embed testdata/streams.json
var streams []byte

type stream struct {
	Name, Mode, Filter string
	Count, Stride      int
	Stream, Want       []byte
}

func known(t testing.TB) (list []stream) {
	t.Helper()
	if err := json.Unmarshal(streams, &list); err != nil || len(list) < 12 {
		t.Fatal(err, len(list))
	}
	return list
}

func TestStreamsOfAnotherProgramAreRead(t *testing.T) {
	for _, s := range known(t) {
		got, err := Decode(s.Mode, s.Filter, s.Count, s.Stride, s.Stream)
		if err != nil {
			t.Errorf("%s: %v", s.Name, err)
			continue
		}
		if len(got) != len(s.Want) {
			t.Errorf("%s: %d bytes, want %d", s.Name, len(got), len(s.Want))
			continue
		}
		off := 0
		for i, b := range got {
			// halves are rounded apart by one
			if d := int(int8(b - s.Want[i])); d != 0 {
				off++
				if s.Filter == "" || s.Filter == "EXPONENTIAL" || d < -1 || d > 1 {
					t.Fatalf("%s: byte %d is %d, want %d", s.Name, i, b, s.Want[i])
				}
			}
		}
		if off > len(got)/50 {
			t.Errorf("%s: %d of %d bytes are off by one", s.Name, off, len(got))
		}
	}
}

func TestSpoiledStreamsAreRefused(t *testing.T) {
	for _, s := range known(t) {
		for n := range len(s.Stream) {
			if got, err := Decode(s.Mode, s.Filter, s.Count, s.Stride, s.Stream[:n]); err == nil && bytes.Equal(got, s.Want) {
				t.Fatalf("%s: cut off after %d bytes it is read as if it was whole", s.Name, n)
			}
		}
		if _, err := Decode(s.Mode, s.Filter, s.Count+1<<20, s.Stride, s.Stream); err == nil {
			t.Errorf("%s: a million elements more are found in it", s.Name)
		}
	}
	good := known(t)[0]
	for want, f := range map[string]func(s *stream){
		"mode":     func(s *stream) { s.Mode = "LINES" },
		"filter":   func(s *stream) { s.Filter = "SEPIA" },
		"too many": func(s *stream) { s.Count = 1 << 40 },
		"none, or": func(s *stream) { s.Stride = 0 },
		"multiple": func(s *stream) { s.Stride = 6 },
		"no str":   func(s *stream) { s.Stream = append([]byte{0x17}, s.Stream[1:]...) },
	} {
		s := good
		f(&s)
		if _, err := Decode(s.Mode, s.Filter, s.Count, s.Stride, s.Stream); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	for _, s := range known(f) {
		f.Add(s.Mode, s.Filter, s.Count, s.Stride, s.Stream)
	}
	f.Fuzz(func(t *testing.T, mode, filter string, count, stride int, data []byte) {
		if count > 1<<16 {
			return // memory is bounded by who asks
		}
		out, err := Decode(mode, filter, count, stride, data)
		if err == nil && len(out) != count*stride {
			t.Fatalf("%d bytes of %d elements of %d", len(out), count, stride)
		}
	})
}
