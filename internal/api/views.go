package api

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"path"

	"velvetgrime/internal/jobs"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Views go out as layered pictures, and what was painted over them comes back.

func (s *Server) viewRoutes(api huma.API) {
	huma.Post(api, "/api/projects/{id}/views", func(ctx context.Context, in *struct {
		ID    string `path:"id"`
		Actor string `query:"actor"`
		Body  jobs.ViewOrder
	}) (*body[jobs.Line], error) {
		if _, err := s.Hub.Open(ctx, in.ID); err != nil {
			return nil, fail(err)
		}
		j, err := s.Jobs.SendView(ctx, in.ID, in.Actor, in.Body)
		if err != nil {
			return nil, fail(err)
		}
		return &body[jobs.Line]{jobs.LineOf(j)}, nil
	})
}

// takeView keeps the layered picture that is the request's body, and has a job take back what
// was added to it; ?name= is what it is called. It goes through the disk.
func (s *Server) takeView(c *gin.Context) {
	if s.session(c) == nil {
		return
	}
	name := path.Base(c.Query("name"))
	j, err := func() (*jobs.Line, error) {
		file, err := os.CreateTemp("", "velvetgrime-view-*")
		if err != nil {
			return nil, err
		}
		defer os.Remove(file.Name()) //nolint:errcheck // the system clears its folder, too
		defer file.Close()           //nolint:errcheck // as above
		n, err := io.Copy(file, http.MaxBytesReader(c.Writer, c.Request.Body, jobs.MaxViewBytes))
		if err != nil {
			return nil, fmt.Errorf("the upload is not readable or larger than %d MB: %w", jobs.MaxViewBytes>>20, err)
		}
		if _, err := s.Jobs.WhoseView(c.Request.Context(), file, n); err != nil {
			return nil, err // at once: nobody has to wait for a job to hear it
		}
		blob, err := s.Store.PutBlobFrom(c.Request.Context(), file)
		if err != nil {
			return nil, err
		}
		j, err := s.Jobs.TakeView(c.Request.Context(), c.Param("id"), c.Query("actor"), blob, name)
		if err != nil {
			return nil, err
		}
		line := jobs.LineOf(j)
		return &line, nil
	}()
	if err != nil {
		refuse(c, 422, fmt.Errorf("%s: %w", name, err))
		return
	}
	c.JSON(202, j)
}
