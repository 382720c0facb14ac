package render

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"io"

	"github.com/HugoSmits86/nativewebp"
)

// Animation gathers pictures of one size to one animated file.
type Animation struct {
	w, h   int
	frames [][]byte // the packed picture of each
}

// Add adds a picture.
func (a *Animation) Add(img image.Image) error {
	b := img.Bounds()
	if len(a.frames) == 0 {
		a.w, a.h = b.Dx(), b.Dy()
	}
	if b.Dx() != a.w || b.Dy() != a.h {
		return fmt.Errorf("a picture of %d × %d among those of %d × %d", b.Dx(), b.Dy(), a.w, a.h)
	}
	var one bytes.Buffer
	if err := nativewebp.Encode(&one, img, nil); err != nil {
		return err
	}
	for data := one.Bytes()[12:]; len(data) >= 8; {
		n := int(binary.LittleEndian.Uint32(data[4:]))
		if string(data[:4]) == "VP8L" && len(data) >= 8+n {
			a.frames = append(a.frames, data[8:8+n])
			return nil
		}
		data = data[min(8+n+n&1, len(data)):]
	}
	return errors.New("the packed picture holds none")
}

// Write writes the pictures, each shown for so many milliseconds, again and again, without loss. Source:
// "WebP Container Specification", animated files.
func (a *Animation) Write(w io.Writer, ms int) error {
	if len(a.frames) == 0 || a.w > 1<<24 || a.h > 1<<24 {
		return errors.New("there is no picture, or one too large")
	}
	le := binary.LittleEndian
	three := func(b []byte, v int) []byte { return append(b, byte(v), byte(v>>8), byte(v>>16)) }
	chunk := func(b []byte, kind string, data []byte) []byte {
		b = le.AppendUint32(append(b, kind...), uint32(len(data)))
		b = append(b, data...)
		return append(b, make([]byte, len(data)&1)...)
	}
	head := three(three([]byte{0x12, 0, 0, 0}, a.w-1), a.h-1) // animated, with a fourth component
	body := chunk([]byte("WEBP"), "VP8X", head)
	body = chunk(body, "ANIM", []byte{0, 0, 0, 0, 0, 0}) // for ever
	for _, f := range a.frames {
		one := three(three(three(three(three(nil, 0), 0), a.w-1), a.h-1), ms)
		one = append(one, 2) // it takes the place of the one before
		body = chunk(body, "ANMF", chunk(one, "VP8L", f))
	}
	_, err := w.Write(append(le.AppendUint32([]byte("RIFF"), uint32(len(body))), body...))
	return err
}
