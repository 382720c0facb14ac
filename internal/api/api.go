// Package api is the HTTP face of the service: JSON through huma (so that the
// OpenAPI document and the page's types come from the Go types), files, pictures
// and the live session through plain Gin.
package api

import (
	"cmp"
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
	"github.com/google/uuid"
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

type orderInput struct {
	ID   string `path:"id"`
	Body deliver.Order
}

// KeptPreset names a preset that was kept.
type KeptPreset struct {
	ID string `json:"id"`
}

// Deliveries is what a delivery can be made of.
type Deliveries struct {
	Presets []deliver.FilePreset `json:"presets" doc:"ours, and those that are kept in the stock"`
	Kept    []string             `json:"kept" doc:"the stock's ids of the last ones, in their order"`
	Sources []deliver.Source     `json:"sources" doc:"what a component can hold"`
}

// presetKind is the kind of delivery presets in the stock.
const presetKind = "delivery preset"

func (s *Server) deliveries(api huma.API) {
	huma.Get(api, "/api/projects/{id}/deliveries/presets", func(ctx context.Context, in *idInput) (*body[Deliveries], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		out := &body[Deliveries]{Deliveries{deliver.Presets(), []string{}, deliver.Sources(p.Document())}}
		list, err := s.Store.Stock(ctx, presetKind)
		for _, i := range list {
			var one deliver.FilePreset
			if json.Unmarshal(i.Data, &one) == nil && one.Check() == nil {
				out.Body.Presets = append(out.Body.Presets, one)
				out.Body.Kept = append(out.Body.Kept, i.ID)
			}
		}
		return out, fail(err)
	})
	huma.Post(api, "/api/stock/presets", func(ctx context.Context, in *struct {
		ID   string `query:"id" doc:"of one that is changed; empty: a new one"`
		Body deliver.FilePreset
	}) (*body[KeptPreset], error) {
		if err := in.Body.Check(); err != nil {
			return nil, fail(err)
		}
		data, err := json.Marshal(in.Body)
		if err != nil {
			return nil, fail(err)
		}
		k := KeptPreset{ID: cmp.Or(in.ID, uuid.NewString())}
		return &body[KeptPreset]{k}, fail(s.Store.PutStock(ctx, &store.StockItem{
			ID: k.ID, Kind: presetKind, Name: in.Body.Name, Data: data, At: time.Now(),
		}))
	})
	huma.Post(api, "/api/projects/{id}/plan", func(ctx context.Context, in *orderInput) (*body[[]deliver.File], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		files, err := deliver.Plan(p.Program(), in.Body)
		return &body[[]deliver.File]{files}, fail(err)
	})
	huma.Post(
		api,
		"/api/projects/{id}/deliveries",
		func(ctx context.Context, in *orderInput) (*body[jobs.Line], error) {
			p, err := s.Hub.Open(ctx, in.ID)
			if err != nil {
				return nil, fail(err)
			}
			if _, err := deliver.Plan(p.Program(), in.Body); err != nil {
				return nil, fail(err)
			}
			j, err := s.Jobs.Deliver(ctx, in.ID, in.Body)
			if err != nil {
				return nil, fail(err)
			}
			return &body[jobs.Line]{jobs.LineOf(j)}, nil
		},
	)
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
