package intake

import (
	"archive/zip"
	"bytes"
	"context"
	"image"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"

	"github.com/google/uuid"
)

// channelOf is the channel of what a picture holds.
var channelOf = map[string]stack.Channel{
	"base color": stack.BaseColor, "emissive": stack.Emissive, "normal": stack.Normal, "roughness": stack.Roughness,
	"metallic": stack.Metallic, "height": stack.Height, "opacity": stack.Opacity,
}

// broughtAlong puts the pictures of a model's materials into the document as one
// picture layer, "From the file", and returns them for the project's list. A picture
// that cannot be read is left out.
func broughtAlong(
	ctx context.Context,
	s *store.Store,
	project string,
	zipped []byte,
	file string,
	m *mesh.Model,
	doc *stack.Document,
) ([]store.Picture, error) {
	z, err := zip.NewReader(bytes.NewReader(zipped), int64(len(zipped)))
	if err != nil {
		return nil, err
	}
	list, err := meshio.Textures(z, file, meshio.DefaultLimits)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	layer := &stack.Layer{
		ID:       uuid.NewString(),
		Name:     "From the file",
		Kind:     stack.Picture,
		Visible:  true,
		Amount:   1,
		Channels: map[stack.Channel]stack.Coat{},
	}
	var rows []store.Picture
	keep := func(sheet, name string, c stack.Channel, data []byte, w, h int) error {
		blob, err := s.PutBlob(ctx, data)
		if err != nil {
			return err
		}
		coat, ok := layer.Channels[c]
		if !ok {
			coat = stack.Coat{On: true, Blend: "normal", Amount: 1, Pictures: map[string]string{}}
			if c == stack.Roughness || c == stack.Metallic || c == stack.Occlusion || c == stack.Opacity {
				coat.Range = []float32{0, 1}
			}
			layer.Channels[c] = coat
		}
		coat.Pictures[sheet] = blob
		rows = append(
			rows,
			store.Picture{ProjectID: project, Blob: blob, Name: name, Width: w, Height: h, At: time.Now()},
		)
		return nil
	}
	for _, t := range list {
		pic, err := pix.DecodePicture(bytes.NewReader(t.Data))
		if err != nil {
			continue
		}
		w, h := pic.Size()
		name := t.Name
		if name == "" {
			name = t.Material + " " + t.Holds
		}
		for _, sheet := range m.Sheets {
			if sheet.Source != t.Material || !sheet.HasUV {
				continue
			}
			switch t.Holds {
			default:
				if err := keep(sheet.Name, name, channelOf[t.Holds], t.Data, w, h); err != nil {
					return nil, err
				}
			case "occlusion roughness metallic": // glTF packs roughness in green and metallic in blue
				for k, c := range map[int]stack.Channel{1: stack.Roughness, 2: stack.Metallic} {
					grey := image.NewGray16(image.Rect(0, 0, w, h))
					for i, v := range pic.Component(k) {
						grey.Pix[2*i], grey.Pix[2*i+1] = byte(v>>8), byte(v)
					}
					data, err := deliver.PNG(grey)
					if err == nil {
						err = keep(sheet.Name, name+", "+string(c), c, data, w, h)
					}
					if err != nil {
						return nil, err
					}
				}
			}
		}
	}
	if len(layer.Channels) > 0 {
		doc.Layers = append(doc.Layers, layer)
	}
	return rows, nil
}
