package api

import (
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"path"
	"strconv"

	"velvetgrime/core/meshio"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// What is uploaded goes through the disk: however large a model is, and however many come at
// once, none is held in memory before a job reads it.

// inMemory is how many bytes of an upload are not put on disk.
const inMemory = 1 << 20

// upload has a job make a project of the uploaded model.
func (s *Server) upload(c *gin.Context) { s.orderImport(c, uuid.NewString(), "project") }

// bring has a job of a kind read an uploaded model into an open project.
func (s *Server) bring(kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		if s.session(c) != nil {
			s.orderImport(c, c.Param("id"), kind)
		}
	}
}

// orderImport keeps the files of an upload and has a job read them.
func (s *Server) orderImport(c *gin.Context, project, kind string) {
	j, err := s.keepUpload(c, project, kind)
	if err != nil {
		refuse(c, 422, err)
		return
	}
	c.JSON(202, jobs.LineOf(j))
}

func (s *Server) keepUpload(c *gin.Context, project, kind string) (*store.Job, error) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, meshio.DefaultLimits.Bytes)
	if err := c.Request.ParseMultipartForm(inMemory); err != nil {
		return nil, fmt.Errorf(
			"the upload is not readable or larger than %d MB: %w",
			meshio.DefaultLimits.Bytes>>20,
			err,
		)
	}
	form := c.Request.MultipartForm
	defer form.RemoveAll() //nolint:errcheck // the system clears its folder, too
	files := map[string]intake.Opener{}
	for _, h := range form.File["files"] {
		files[path.Base(h.Filename)] = opener(h)
	}
	fit, err := fitOf(form.Value)
	if err != nil {
		return nil, err
	}
	if fit != nil {
		files[meshio.FitFile] = intake.Bytes(fit)
	}
	packed, err := os.CreateTemp("", "velvetgrime-upload-*")
	if err != nil {
		return nil, err
	}
	defer os.Remove(packed.Name()) //nolint:errcheck // as above
	defer packed.Close()           //nolint:errcheck // as above
	var o jobs.ImportOrder
	if n := form.Value["name"]; len(n) > 0 {
		o.Name = n[0]
	}
	if o.File, err = intake.PackTo(packed, files); err != nil {
		return nil, err
	}
	if o.Blob, err = s.Store.PutBlobFrom(c.Request.Context(), packed); err != nil {
		return nil, err
	}
	return s.Jobs.Order(c.Request.Context(), project, kind, c.Query("actor"), "Read "+o.File, o)
}

func opener(h *multipart.FileHeader) intake.Opener {
	return func() (io.ReadCloser, error) { return h.Open() }
}

// fitOf is what the upload says of units and the upward axis, to lie beside the model; nil
// when it says nothing.
func fitOf(form map[string][]string) ([]byte, error) {
	first := func(name string) string {
		if v := form[name]; len(v) > 0 {
			return v[0]
		}
		return ""
	}
	f := meshio.Fit{Up: first("up"), Scene: first("scene")}
	if u := first("unit"); u != "" {
		v, err := strconv.ParseFloat(u, 64)
		if err != nil {
			return nil, fmt.Errorf("the unit %q is not a number of metres", u)
		}
		f.Unit = v
	}
	if u := first("uv"); u != "" {
		v, err := strconv.Atoi(u)
		if err != nil {
			return nil, fmt.Errorf("the UVs %q are no number of a set", u)
		}
		f.UV = v
	}
	if f == (meshio.Fit{}) {
		return nil, nil
	}
	if err := f.Check(); err != nil {
		return nil, err
	}
	return json.Marshal(f)
}
