package api

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"path"
	"sync"
	"time"

	"velvetgrime/core/exr"
	"velvetgrime/core/light"
	"velvetgrime/core/render"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// Around is an environment as the page needs it: what lights the model beside its key light, and
// that.
type Around struct {
	ID    string  `json:"id" doc:"of one of ours, or the hash of a panorama"`
	Item  string  `json:"item,omitempty" doc:"the stock's id of one that was brought"`
	Name  string  `json:"name"`
	Note  string  `json:"note"`
	Gauge float64 `json:"gauge" doc:"by what its radiance is multiplied, so that white is about white"`
	Key   struct {
		Dir    [3]float32 `json:"dir" doc:"towards the brightest place, before any turn"`
		Color  [3]float32 `json:"color" doc:"irradiance of what faces it, by the gauge"`
		Radius float64    `json:"radius" doc:"radians, as seen"`
	} `json:"key"`
}

// keptEnvironment is what the stock holds of a panorama.
type keptEnvironment struct {
	Blob string `json:"blob"`
}

const environmentKind = "environment"

// environments keeps what was worked out of panoramas.
type environments struct {
	mu    sync.Mutex // of known
	work  sync.Mutex
	known map[string]*workedOut
}

type workedOut struct {
	about Around
	rest  *light.Panorama
	at    time.Time
}

// mostEnvironments bounds how many are kept worked out.
const mostEnvironments = 12

func (e *environments) get(ctx context.Context, id string, read func() (*light.Panorama, error)) (*workedOut, error) {
	e.mu.Lock()
	if w := e.known[id]; w != nil {
		w.at = time.Now()
		e.mu.Unlock()
		return w, nil
	}
	e.mu.Unlock()
	e.work.Lock() // one after the other: each takes all cores
	defer e.work.Unlock()
	e.mu.Lock()
	w := e.known[id]
	e.mu.Unlock()
	if w != nil {
		return w, nil
	}
	p, err := read()
	if err != nil {
		return nil, err
	}
	w = &workedOut{at: time.Now()}
	rest, key := p.Smaller(1024).Split()
	w.about.ID, w.about.Gauge = id, p.Gauge()
	w.about.Key.Dir = [3]float32{key.Dir.X, key.Dir.Y, key.Dir.Z}
	w.about.Key.Radius = key.Radius
	for k, v := range key.Color {
		w.about.Key.Color[k] = v * float32(w.about.Gauge)
	}
	w.rest = rest.Smaller(512)
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.known == nil {
		e.known = map[string]*workedOut{}
	}
	if len(e.known) >= mostEnvironments {
		oldest := ""
		for k, o := range e.known {
			if oldest == "" || o.at.Before(e.known[oldest].at) {
				oldest = k
			}
		}
		delete(e.known, oldest)
	}
	e.known[id] = w
	return w, nil
}

func (s *Server) environment(ctx context.Context, id string) (*workedOut, error) {
	return s.around.get(ctx, id, func() (*light.Panorama, error) {
		if e, ok := light.Find(id); ok {
			return e.Panorama(), nil
		}
		b, err := s.Store.Blob(ctx, id)
		if err != nil {
			return nil, err
		}
		return light.Read(ctx, b)
	})
}

// postcard is a small picture of an environment. One of ours is drawn small for it: who chose one
// waits for that alone, not for the pictures of all.
func (s *Server) postcard(ctx context.Context, id string) ([]byte, error) {
	if e, ok := light.Find(id); ok {
		return s.shots.get(ctx, "environment "+id, func() ([]byte, error) { return render.Postcard(e.Small(), postcardWidth) })
	}
	w, err := s.environment(ctx, id)
	if err != nil {
		return nil, err
	}
	return render.Postcard(w.rest, postcardWidth)
}

// postcardWidth is how many pixels wide the pictures of environments are.
const postcardWidth = 208

// maxPanorama bounds an uploaded panorama.
const maxPanorama = 256 << 20

func (s *Server) judgeRoutes(api huma.API) {
	huma.Get(api, "/api/environments", func(ctx context.Context, _ *struct{}) (*body[[]Around], error) {
		out := &body[[]Around]{Body: []Around{}}
		for _, e := range light.Environments() {
			out.Body = append(out.Body, Around{ID: e.ID, Name: e.Name, Note: e.Note})
		}
		list, err := s.Store.Stock(ctx, environmentKind)
		for _, i := range list {
			var k keptEnvironment
			if json.Unmarshal(i.Data, &k) == nil {
				out.Body = append(out.Body, Around{ID: k.Blob, Item: i.ID, Name: i.Name, Note: "brought in"})
			}
		}
		return out, fail(err)
	})
	huma.Get(api, "/api/environments/{id}", func(ctx context.Context, in *idInput) (*body[Around], error) {
		w, err := s.environment(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return &body[Around]{w.about}, nil
	})
	huma.Post(api, "/api/projects/{id}/stills", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body jobs.StillOrder
	}) (*body[jobs.Line], error) {
		if _, err := s.Hub.Open(ctx, in.ID); err != nil {
			return nil, fail(err)
		}
		j, err := s.Jobs.OrderStill(ctx, in.ID, "", in.Body)
		if err != nil {
			return nil, fail(err)
		}
		return &body[jobs.Line]{jobs.LineOf(j)}, nil
	})
	huma.Get(api, "/api/projects/{id}/stills", func(ctx context.Context, in *idInput) (*body[[]StillLine], error) {
		list, err := s.Store.JobsOf(ctx, in.ID, jobs.Still)
		out := &body[[]StillLine]{Body: []StillLine{}}
		for i := range list {
			l := StillLine{Line: jobs.LineOf(&list[i])}
			_ = json.Unmarshal(list[i].Args, &l.Order)
			_ = json.Unmarshal(list[i].Result, &l.Facts)
			out.Body = append(out.Body, l)
		}
		return out, fail(err)
	})
	huma.Delete(api, "/api/stills/{id}", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.BinJob(ctx, in.ID, jobs.Still))
	})
	huma.Post(api, "/api/stills/{id}/restore", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.UnbinJob(ctx, in.ID, jobs.Still))
	})
}

// StillLine is a still of a project, drawn or under way.
type StillLine struct {
	jobs.Line
	Order jobs.StillOrder `json:"order"`
	Facts jobs.StillFacts `json:"facts"`
}

func (s *Server) judgeFiles(g *gin.Engine) {
	// what lights beside the key light: width × width/2 texels of four halves, from below upwards
	g.GET("/api/environments/:id/light", func(c *gin.Context) {
		w, err := s.environment(c.Request.Context(), c.Param("id"))
		if err != nil {
			refuse(c, 404, err)
			return
		}
		p := w.rest
		out := make([]byte, 0, p.W*p.H*8)
		gauge := float32(w.about.Gauge)
		for y := p.H - 1; y >= 0; y-- {
			for x := range p.W {
				i := 3 * (y*p.W + x)
				for k := range 3 {
					out = binary.LittleEndian.AppendUint16(out, exr.ToHalf(p.Data[i+k]*gauge))
				}
				out = binary.LittleEndian.AppendUint16(out, 0x3c00)
			}
		}
		c.Header("X-Width", fmt.Sprint(p.W))
		c.Header("Cache-Control", "max-age=3600")
		c.Data(200, "application/octet-stream", out)
	})
	g.GET("/api/environments/:id/picture", func(c *gin.Context) {
		b, err := s.postcard(c.Request.Context(), c.Param("id"))
		if err != nil {
			refuse(c, 404, err)
			return
		}
		c.Header("Cache-Control", "max-age=3600")
		c.Data(200, "image/png", b)
	})
	g.POST("/api/environments", func(c *gin.Context) {
		name := path.Base(c.Query("name"))
		about, err := s.takeEnvironment(c.Request.Context(), name, http.MaxBytesReader(c.Writer, c.Request.Body, maxPanorama))
		if err != nil {
			refuse(c, 422, fmt.Errorf("environment %q: %w", name, err))
			return
		}
		c.JSON(201, about)
	})
	g.GET("/api/stills/:id/shown", func(c *gin.Context) {
		b, err := s.Jobs.StillShown(c.Request.Context(), c.Param("id"))
		if errors.Is(err, store.ErrNotFound) {
			c.Status(204) // nothing is seen yet
			return
		}
		if err != nil {
			refuse(c, 500, err)
			return
		}
		c.Header("Cache-Control", "no-store")
		c.Data(200, "image/png", b)
	})
}

func (s *Server) takeEnvironment(ctx context.Context, name string, r io.Reader) (*Around, error) {
	b, err := io.ReadAll(r)
	if err != nil {
		return nil, fmt.Errorf("the upload is not readable or larger than %d MB: %w", maxPanorama>>20, err)
	}
	if _, err := light.Read(ctx, b); err != nil {
		return nil, err
	}
	blob, err := s.Store.PutBlob(ctx, b)
	if err != nil {
		return nil, err
	}
	w, err := s.environment(ctx, blob)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(keptEnvironment{blob})
	if err != nil {
		return nil, err
	}
	item := &store.StockItem{ID: uuid.NewString(), Kind: environmentKind, Name: name, Data: data, At: time.Now()}
	if err := s.Store.PutStock(ctx, item); err != nil {
		return nil, err
	}
	about := w.about
	about.Item, about.Name, about.Note = item.ID, name, "brought in"
	return &about, nil
}
