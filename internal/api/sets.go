package api

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image"
	"io"
	"net/http"
	"path"
	"strings"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/picset"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// setRoutes make materials of sets of pictures that a project has.
func (s *Server) setRoutes(api huma.API) {
	huma.Post(api, "/api/projects/{id}/sets/look", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body struct {
			Pictures []string `json:"pictures" minItems:"1" maxItems:"40" doc:"blobs of the project's pictures"`
		}
	}) (*body[[]picset.SetRow], error) {
		known, err := s.Store.Pictures(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		names := map[string]string{}
		for _, p := range known {
			names[p.Blob] = p.Name
		}
		rows := []picset.SetRow{}
		for _, b := range in.Body.Pictures {
			if names[b] == "" {
				return nil, fail(fmt.Errorf("the project has no picture %s", b))
			}
			pic, err := s.Hub.Picture(b)
			if err != nil {
				return nil, fail(fmt.Errorf("the picture %q: %w", names[b], err))
			}
			rows = append(rows, picset.Tell(b, names[b], pic)...)
		}
		return &body[[]picset.SetRow]{picset.TellAll(rows)}, nil
	})
	huma.Post(api, "/api/projects/{id}/sets", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body picset.SetOrder
	}) (*body[*stack.Layer], error) {
		g, err := picset.Make(ctx, in.Body, picset.Pictures{
			Load: s.Hub.Picture,
			Keep: func(name string, img *image.Gray16) (string, error) {
				data, err := deliver.PNG(img)
				if err != nil {
					return "", err
				}
				row, err := s.keepPicture(ctx, in.ID, name+".png", data)
				if err != nil {
					return "", err
				}
				return row.Blob, nil
			},
		})
		if err != nil {
			return nil, fail(err)
		}
		out := g.Fresh(uuid.NewString())
		out.Made = &stack.Origin{Name: in.Body.Name}
		return &body[*stack.Layer]{out}, nil
	})
}

// keepPicture makes bytes a picture of a project; its error is that they are none.
func (s *Server) keepPicture(ctx context.Context, project, name string, data []byte) (*store.Picture, error) {
	pic, err := pix.DecodePicture(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	w, h := pic.Size()
	row := &store.Picture{ProjectID: project, Name: name, Width: w, Height: h, At: time.Now()}
	if row.Blob, err = s.Store.PutBlob(ctx, data); err == nil {
		err = s.Store.PutPicture(ctx, row)
	}
	return row, err
}

// mostOfSet bounds the pictures of a zip.
const mostOfSet = 40

// addPictures keeps the pictures of a zip; what is no picture is left out.
func (s *Server) addPictures(c *gin.Context) {
	b, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxPictureBytes))
	var z *zip.Reader
	if err == nil {
		z, err = zip.NewReader(bytes.NewReader(b), int64(len(b)))
	}
	rows := []*store.Picture{}
	if err == nil {
		rows, err = s.unpackPictures(c, z, rows)
	}
	if err == nil && len(rows) == 0 {
		err = fmt.Errorf("there is no picture in it; send PNG, JPEG, TIFF, WebP, OpenEXR or Radiance")
	}
	if err != nil {
		refuse(c, 422, fmt.Errorf("%s: %w", path.Base(c.Query("name")), err))
		return
	}
	c.JSON(201, rows)
}

func (s *Server) unpackPictures(c *gin.Context, z *zip.Reader, rows []*store.Picture) ([]*store.Picture, error) {
	for _, f := range z.File {
		switch strings.ToLower(path.Ext(f.Name)) {
		case ".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".exr", ".hdr":
		default:
			continue
		}
		if len(rows) == mostOfSet {
			return nil, fmt.Errorf("it holds more than %d pictures", mostOfSet)
		}
		if f.UncompressedSize64 > maxPictureBytes {
			return nil, fmt.Errorf(
				"%s has %d bytes; at most %d are read",
				f.Name,
				f.UncompressedSize64,
				maxPictureBytes,
			)
		}
		r, err := f.Open()
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		data, err := io.ReadAll(io.LimitReader(r, int64(f.UncompressedSize64)))
		_ = r.Close()
		if err == nil {
			var row *store.Picture
			if row, err = s.keepPicture(c.Request.Context(), c.Param("id"), path.Base(f.Name), data); err == nil {
				rows = append(rows, row)
			}
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	return rows, nil
}
