package api

import (
	"context"
	"time"

	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Binned is a deleted project as the page shows it.
type Binned struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Deleted  time.Time `json:"deleted"`
	Expires  time.Time `json:"expires" doc:"when it may be cleared away for good"`
	Pictured bool      `json:"pictured"`
}

// bin serves the deleted projects until they expire.
func (s *Server) bin(api huma.API) {
	huma.Get(api, "/api/bin", func(ctx context.Context, _ *struct{}) (*body[[]Binned], error) {
		list, err := s.Store.Bin(ctx, store.Usual)
		out := &body[[]Binned]{Body: []Binned{}}
		for _, p := range list {
			out.Body = append(out.Body, Binned{p.ID, p.Name, p.DeletedAt.Time, p.Expires, p.Pictured})
		}
		return out, fail(err)
	})
	huma.Delete(api, "/api/bin/{id}", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.Discard(ctx, in.ID))
	})
}

// binPicture sends the picture of a project in the bin.
func (s *Server) binPicture(c *gin.Context) {
	b, err := s.Store.BinPicture(c.Request.Context(), c.Param("id"))
	if err != nil || len(b) == 0 {
		c.Status(404)
		return
	}
	c.Data(200, "image/png", b)
}
