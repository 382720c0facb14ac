package press

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"

	"velvetgrime/core/budget"
	"velvetgrime/core/pix"
)

// stampForm marks a recipe that is kept as a picture: it is drawn as fine as it is asked for.
const stampForm = "velvetgrime.stamp"

type stampFile struct {
	Format string  `json:"format"`
	Recipe *Recipe `json:"recipe"`
}

// AsPicture returns a recipe as the file of a picture, which pix.DecodePicture reads.
func (r *Recipe) AsPicture() ([]byte, error) { return json.Marshal(stampFile{stampForm, r}) }

func isStamp(head []byte) bool { return bytes.HasPrefix(head, []byte(`{"format":"`+stampForm+`"`)) }

func init() {
	pix.RegisterDrawn(pix.DrawnForm{Name: "SVG drawing", Is: isXML, Read: func(file []byte) (pix.Drawer, error) {
		file, err := plain(file)
		if err != nil {
			return nil, fmt.Errorf("the SVG drawing is not drawn: %w", err)
		}
		return func(size int) (*pix.Picture, error) {
			release, err := budget.Memory.Brief(context.Background(), "the SVG drawing", int64(size)*int64(size)*16)
			if err != nil {
				return nil, err
			}
			defer release()
			img, err := drawSVG(file, size)
			if err != nil {
				return nil, err
			}
			return pix.NewPicture(img), nil
		}, nil
	}})
	pix.RegisterDrawn(pix.DrawnForm{
		Name: "stamp",
		Is:   isStamp,
		Read: func(file []byte) (pix.Drawer, error) {
			var f stampFile
			if err := json.Unmarshal(file, &f); err != nil || f.Recipe == nil {
				return nil, fmt.Errorf("the stamp's recipe cannot be read: %v", err)
			}
			if err := f.Recipe.Check(); err != nil {
				return nil, err
			}
			return f.Recipe.picture, nil
		},
	})
}

// largestPicture bounds the edge of a stamp that is drawn as a picture: it takes memory beside what is
// counted, as it is drawn in the midst of other work.
const largestPicture = 2048

// picture draws a recipe as a grey picture of 16 bits.
func (r *Recipe) picture(size int) (*pix.Picture, error) {
	st, err := Draw(context.Background(), r, min(size, largestPicture))
	if err != nil {
		return nil, err
	}
	img := image.NewGray16(image.Rect(0, 0, st.Size, st.Size))
	for i, v := range st.Grey {
		put16(img.Pix[2*i:], v)
	}
	return pix.NewPicture(img), nil
}
