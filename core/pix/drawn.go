package pix

import (
	"fmt"
	"io"
)

// Drawer draws a picture that is kept as outlines or as a recipe, so many texels along its
// longer side. The same size gives the same picture.
type Drawer func(size int) (*Picture, error)

// DrawnForm is a form in which such pictures are kept.
type DrawnForm struct {
	Name string
	Is   func(head []byte) bool // whether a file that begins so, with up to 512 bytes, has it
	Read func(file []byte) (Drawer, error)
}

var drawnForms []DrawnForm

// RegisterDrawn makes a form known to DecodePicture. It is called by the packages that draw,
// while they are initialised.
func RegisterDrawn(f DrawnForm) { drawnForms = append(drawnForms, f) }

// Usual is how many texels the longer side of a drawn picture has where nobody asks for more; Finest
// is the most.
const (
	Usual  = 1024
	Finest = 4096
)

// mostDrawing bounds a file of outlines, bytes.
const mostDrawing = 32 << 20

// decodeDrawn reads a picture that is drawn; ok is false when the file is none.
func decodeDrawn(r io.ReadSeeker) (p *Picture, ok bool, err error) {
	head := make([]byte, 512)
	n, _ := io.ReadFull(r, head)
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return nil, false, err
	}
	for _, f := range drawnForms {
		if !f.Is(head[:n]) {
			continue
		}
		file, err := io.ReadAll(io.LimitReader(r, mostDrawing+1))
		if err == nil && len(file) > mostDrawing {
			err = fmt.Errorf("the %s has more than %d MB", f.Name, mostDrawing>>20)
		}
		var draw Drawer
		if err == nil {
			draw, err = f.Read(file)
		}
		if err == nil {
			p, err = draw(Usual)
		}
		if err != nil {
			return nil, true, err
		}
		p.draw = draw
		return p, true, nil
	}
	return nil, false, nil
}

// Drawn reports whether the picture can be had finer than it is.
func (p *Picture) Drawn() bool { return p.draw != nil }

// Finer draws a drawn picture anew, with so many texels along its longer side, up to Finest; one
// of texels, or one that is as fine, is returned as it is.
func (p *Picture) Finer(size int) (*Picture, error) {
	size = min(size, Finest)
	if w, h := p.Size(); p.draw == nil || max(w, h) >= size {
		return p, nil
	}
	return p.draw(size)
}
