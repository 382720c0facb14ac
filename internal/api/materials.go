package api

import (
	"context"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/material"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// MaterialInfo is a material as the stock shows it.
type MaterialInfo struct {
	material.Material
	Dials []stack.Dial `json:"dials"`
	Needs []string     `json:"needs" doc:"baked maps that it reads; it does without, with less"`
}

func (s *Server) materialRoutes(api huma.API) {
	huma.Get(api, "/api/materials", func(context.Context, *struct{}) (*body[[]MaterialInfo], error) {
		out := &body[[]MaterialInfo]{Body: []MaterialInfo{}}
		for _, m := range material.All() {
			needs := m.Needs()
			if needs == nil {
				needs = []string{}
			}
			out.Body = append(out.Body, MaterialInfo{*m, m.Dials(), needs})
		}
		return out, nil
	})
	huma.Get(api, "/api/materials/{name}/group", func(_ context.Context, in *struct {
		Name string `path:"name"`
		Seed int    `query:"seed" minimum:"0" maximum:"999999" doc:"of its noises; 0: as it was made"`
	}) (*body[*stack.Layer], error) {
		m, err := material.Find(in.Name)
		if err != nil {
			return nil, huma.Error404NotFound(err.Error())
		}
		return &body[*stack.Layer]{m.Group(uuid.NewString(), in.Seed)}, nil
	})
}

func (s *Server) materialFiles(g *gin.Engine) {
	g.GET("/api/materials/:name/picture", func(c *gin.Context) {
		b, err := s.materialShot(c, c.Param("name"))
		if err != nil {
			refuse(c, 404, err)
			return
		}
		c.Header("Cache-Control", "max-age=3600")
		c.Data(200, "image/png", b)
	})
}

// materialShot returns the picture of a material on the trial object.
func (s *Server) materialShot(ctx context.Context, name string) ([]byte, error) {
	m, err := material.Find(name)
	if err != nil {
		return nil, err
	}
	return s.shots.get(ctx, "material "+m.Name, func() ([]byte, error) { return s.studio.ofMaterial(ctx, m) })
}

// ofMaterial makes that picture.
func (s *studio) ofMaterial(ctx context.Context, m *material.Material) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	t, err := s.object(ctx)
	if err != nil {
		return nil, err
	}
	d := stack.New([]string{t.Model.Sheets[0].Name}, 512)
	d.Layers, d.Prepared, d.Conditions = []*stack.Layer{m.Group("m", 0)}, t.Prepared, render.TrialConditions()
	cam := render.TrialCamera(t.Model.Bounds)
	cam.Eye = cam.At.Add(cam.Eye.Sub(cam.At).Mul(0.62))
	cam.At = cam.At.Add(geom.V3(0, -0.1*t.Model.Bounds.Size().Y, 0))
	img, err := render.Sketch(ctx, eval.Compile(t.Scene, d, "", ""), cam, shotWide, shotTall)
	if err != nil {
		return nil, err
	}
	return encoded(img)
}
