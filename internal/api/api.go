// Package api is the HTTP face of the service: JSON through huma (so that the
// OpenAPI document and the page's types come from the Go types), files, pictures
// and the live session through plain Gin.
package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"time"

	"velvetgrime/core/bake"
	"velvetgrime/core/blend"
	"velvetgrime/core/brush"
	"velvetgrime/core/deliver"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/build"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
)

// Server answers requests.
type Server struct {
	Store *store.Store
	Hub   *live.Hub
	Jobs  *jobs.Runner
	Page  http.Handler // the built front end

	studio studio
	own    ownKnown
	shots  shots
	around environments
}

// Project is a project as the page sees it.
type Project struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	UpdatedAt time.Time `json:"updatedAt"`
	Pictured  bool      `json:"pictured" doc:"there is a picture of it"`
}

// About is everything the page draws its controls from.
type About struct {
	Channels []stack.ChannelInfo `json:"channels"`
	More     []stack.MoreChannel `json:"more" doc:"channels that a project can add, and that mean something to the surface"`
	Steps    []step.Description  `json:"steps"`
	Effects  []brush.Effect      `json:"effects" doc:"what strokes can do"`
	Modes    []blend.Mode        `json:"modes"`
	Scalar   []blend.Mode        `json:"scalarModes"`
	Maps     []deliver.Map       `json:"maps"`
	Forms    []meshio.Form       `json:"forms" doc:"kinds of model files"`
	Baked    []bake.Kind         `json:"baked"`
	Bake     bake.Settings       `json:"bake" doc:"suggested settings"`
	Unwrap   unwrap.Options      `json:"unwrap" doc:"suggested options"`
	Facts    *stack.Conditions   `json:"conditions" doc:"of a project that has set none"`
	Exchange bool                `json:"exchange" doc:"the server has a folder that layered pictures are exchanged through"`
	Extent   float64             `json:"extent" doc:"size, in metres, of an object for which the defaults of steps are right"`
}

type idInput struct {
	ID string `path:"id"`
}

type body[T any] struct{ Body T }

// CheckAddress refuses to listen anywhere but on loopback: there are no accounts
// yet, so whoever reaches the port may do everything.
func CheckAddress(addr string) error {
	host, _, err := net.SplitHostPort(addr)
	if err != nil {
		return fmt.Errorf("address %q: %w", addr, err)
	}
	ip := net.ParseIP(host)
	if host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf(
			"address %q is not on loopback; there are no accounts yet, so the server listens on 127.0.0.1 or localhost only",
			addr,
		)
	}
	return nil
}

// guard refuses requests for other hosts (a name pointed at loopback) and
// changes that another site asks for.
func guard(next http.Handler) http.Handler {
	cross := http.NewCrossOriginProtection()
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		ip := net.ParseIP(strings.Trim(host, "[]"))
		if host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			http.Error(w, "this server answers on loopback only", http.StatusForbidden)
			return
		}
		if err := cross.Check(r); err != nil {
			http.Error(w, "requests from other sites are refused", http.StatusForbidden)
			return
		}
		if r.Header.Get("Sec-Fetch-Site") == "cross-site" && strings.HasPrefix(r.URL.Path, "/api") {
			http.Error(w, "requests from other sites are refused", http.StatusForbidden)
			return
		}
		w.Header().Set("X-Content-Type-Options", "nosniff")
		w.Header().Set("Cross-Origin-Resource-Policy", "same-origin")
		w.Header().
			Set("Content-Security-Policy", "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; connect-src 'self' blob: data:; worker-src 'self' blob:; frame-ancestors 'none'")
		next.ServeHTTP(w, r)
	})
}

// Handler returns the whole service.
func (s *Server) Handler() http.Handler { return guard(s.engine()) }

func (s *Server) engine() *gin.Engine {
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.Use(gin.Recovery())
	s.shots.store, s.shots.build = s.Store, build.Name()
	s.routes(g)
	s.files(g)
	s.stockFiles(g)
	s.materialFiles(g)
	s.grimeFiles(g)
	s.brushFiles(g)
	s.pressFiles(g)
	s.paletteFiles(g)
	if s.Page != nil {
		g.NoRoute(gin.WrapH(s.Page))
	}
	return g
}

// OpenAPI returns the API's description as JSON.
func OpenAPI() ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	return json.MarshalIndent((&Server{}).routes(gin.New()).OpenAPI(), "", "  ")
}

func fail(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("it is not there; it may have been deleted")
	case live.Passing(err):
		return huma.Error503ServiceUnavailable(err.Error())
	}
	return huma.Error422UnprocessableEntity(err.Error())
}

func (s *Server) routes(g *gin.Engine) huma.API {
	cfg := huma.DefaultConfig("Velvet Grime", "1")
	cfg.OpenAPIPath, cfg.DocsPath, cfg.SchemasPath = "/api/openapi", "", "/api/schemas"
	cfg.CreateHooks = nil // no $schema links in answers
	api := humagin.New(g, cfg)

	huma.Get(api, "/api/about", func(context.Context, *struct{}) (*body[About], error) {
		return &body[About]{
			About{
				stack.Channels,
				stack.More,
				step.Descriptions(),
				brush.Effects(),
				blend.Modes(false),
				blend.Modes(true),
				deliver.Maps,
				meshio.Forms(),
				bake.Maps(),
				bake.Default(),
				unwrap.Defaults(),
				stack.Usual(),
				s.Jobs != nil && s.Jobs.Folder != nil,
				step.UsualExtent,
			},
		}, nil
	})
	huma.Get(
		api,
		"/api/projects/{id}/pictures",
		func(ctx context.Context, in *idInput) (*body[[]store.Picture], error) {
			list, err := s.Store.Pictures(ctx, in.ID)
			return &body[[]store.Picture]{list}, fail(err)
		},
	)
	huma.Get(api, "/api/projects", func(ctx context.Context, _ *struct{}) (*body[[]Project], error) {
		list, err := s.Store.Projects(ctx)
		out := &body[[]Project]{Body: []Project{}}
		for _, p := range list {
			out.Body = append(out.Body, Project{p.ID, p.Name, p.UpdatedAt, p.Pictured})
		}
		return out, fail(err)
	})
	huma.Patch(api, "/api/projects/{id}", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"120"`
		}
	}) (*struct{}, error) {
		return nil, fail(s.Store.Change(ctx, in.ID, map[string]any{"name": in.Body.Name}))
	})
	huma.Delete(api, "/api/projects/{id}", func(ctx context.Context, in *idInput) (*struct{}, error) {
		if err := s.Store.Delete(ctx, in.ID); err != nil {
			return nil, fail(err)
		}
		s.Hub.End(in.ID, "the project was deleted")
		return nil, nil
	})
	huma.Get(api, "/api/projects/{id}", func(ctx context.Context, in *idInput) (*body[Project], error) {
		p, err := s.Store.Project(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return &body[Project]{Project{p.ID, p.Name, p.UpdatedAt, len(p.Picture) > 0}}, nil
	})
	huma.Post(api, "/api/projects/{id}/restore", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.Restore(ctx, in.ID))
	})
	s.bin(api)
	huma.Get(api, "/api/projects/{id}/facts", func(ctx context.Context, in *idInput) (*body[mesh.Facts], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return &body[mesh.Facts]{p.Model().Facts()}, nil
	})
	huma.Get(api, "/api/projects/{id}/document", func(ctx context.Context, in *idInput) (*body[stack.Document], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return &body[stack.Document]{*p.Document()}, nil
	})
	s.deliveries(api)
	s.jobRoutes(api)
	s.preparation(api)
	s.viewRoutes(api)
	s.judgeRoutes(api)
	s.stockRoutes(api)
	s.materialRoutes(api)
	s.setRoutes(api)
	s.brushRoutes(api)
	s.pressRoutes(api)
	s.paletteRoutes(api)
	messages(api.OpenAPI().Components.Schemas)
	return api
}

func (s *Server) jobRoutes(api huma.API) {
	huma.Get(api, "/api/projects/{id}/jobs", func(ctx context.Context, in *idInput) (*body[[]jobs.Line], error) {
		list, err := s.Store.Jobs(ctx, in.ID)
		out := &body[[]jobs.Line]{Body: []jobs.Line{}}
		for _, j := range list {
			out.Body = append(out.Body, jobs.LineOf(&j))
		}
		return out, fail(err)
	})
	huma.Get(api, "/api/jobs/{id}", func(ctx context.Context, in *idInput) (*body[jobs.Line], error) {
		j, err := s.Store.JobByID(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return &body[jobs.Line]{jobs.LineOf(j)}, nil
	})
	huma.Delete(api, "/api/jobs/{id}", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.Cancel(ctx, in.ID))
	})
}
