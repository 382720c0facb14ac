package api

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"slices"
	"sync"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/material"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// MaterialInfo is a material as the stock shows it.
type MaterialInfo struct {
	material.Material
	ID    string       `json:"id" doc:"of the item in the stock; empty: it ships"`
	Dials []stack.Dial `json:"dials"`
	Needs []string     `json:"needs" doc:"baked maps that it reads; it does without, with less"`
	Left  []string     `json:"left,omitempty" doc:"what belongs to its project and was not kept, in words"`
	// of one's own materials
	Version int               `json:"version,omitempty" doc:"which version this is, from 1"`
	Older   []MaterialVersion `json:"older,omitempty" doc:"versions of it before this one, the latest first"`
}

// MaterialVersion is a version of a material that a newer one follows.
type MaterialVersion struct {
	ID      string    `json:"id"`
	Version int       `json:"version"`
	At      time.Time `json:"at"`
}

func infoOf(m *material.Material, id string) MaterialInfo {
	out := MaterialInfo{Material: *m, ID: id, Dials: m.Dials(), Needs: m.Needs()}
	if out.Needs == nil {
		out.Needs = []string{}
	}
	return out
}

func readMaterial(i *store.StockItem) (*material.Material, exchange.KeptMaterial, error) {
	var v exchange.KeptMaterial
	if err := json.Unmarshal(i.Data, &v); err != nil {
		return nil, v, fmt.Errorf("the material %q is not readable: %w", i.Name, err)
	}
	m, err := material.New(i.Name, exchange.OwnKind, v.Made, v.Tags, v.Group)
	return m, v, err
}

func (s *Server) materialRoutes(api huma.API) {
	huma.Get(api, "/api/materials", func(ctx context.Context, _ *struct{}) (*body[[]MaterialInfo], error) {
		out := &body[[]MaterialInfo]{Body: []MaterialInfo{}}
		own, err := s.ownMaterials(ctx) // one's own first
		out.Body = append(out.Body, own...)
		for _, m := range material.All() {
			out.Body = append(out.Body, infoOf(m, ""))
		}
		return out, fail(err)
	})
	huma.Get(api, "/api/materials/{name}/group", func(_ context.Context, in *struct {
		Name string  `path:"name"`
		Seed int     `query:"seed" minimum:"0" maximum:"999999" doc:"of its noises; 0: as it was made"`
		Size float64 `query:"size" minimum:"0" maximum:"100000" doc:"of the object, metres; 0: that which it was made for"`
	}) (*body[*stack.Layer], error) {
		m, err := material.Find(in.Name)
		if err != nil {
			return nil, huma.Error404NotFound(err.Error())
		}
		return &body[*stack.Layer]{m.Placed(uuid.NewString(), in.Seed, in.Size)}, nil
	})
	huma.Post(api, "/api/stock/materials", func(ctx context.Context, in *struct {
		Body struct {
			Name    string   `json:"name,omitempty" maxLength:"80" doc:"without one: the layer's"`
			Tags    []string `json:"tags,omitempty" maxItems:"20"`
			Project string   `json:"project"`
			Layer   string   `json:"layer" doc:"a group, or a layer that gets a group of its own"`
		}
	}) (*body[MaterialInfo], error) {
		p, err := s.Hub.Open(ctx, in.Body.Project)
		if err != nil {
			return nil, fail(err)
		}
		out, err := s.keepMaterial(ctx, p, in.Body.Name, in.Body.Tags, in.Body.Layer)
		return &body[MaterialInfo]{out}, fail(err)
	})
	// what it shows becomes the project's own before its group goes in
	huma.Post(api, "/api/stock/materials/{id}/group", func(ctx context.Context, in *struct {
		ID   string  `path:"id"`
		Seed int     `query:"seed" minimum:"0" maximum:"999999"`
		Size float64 `query:"size" minimum:"0" maximum:"100000" doc:"of the object, metres; 0: that which it was made for"`
		Body struct {
			Project string `json:"project"`
		}
	}) (*body[*stack.Layer], error) {
		i, err := s.Store.StockByID(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		m, v, err := readMaterial(i)
		if err != nil {
			return nil, fail(err)
		}
		for _, pic := range v.Pictures {
			pic.ProjectID, pic.At = in.Body.Project, time.Now()
			if err := s.Store.PutPicture(ctx, &pic); err != nil {
				return nil, fail(err)
			}
		}
		g := m.Placed(uuid.NewString(), in.Seed, in.Size)
		g.Made.Item, g.Made.Version = i.ID, max(v.Version, 1)
		return &body[*stack.Layer]{g}, nil
	})
	s.collectionRoutes(api)
}

// ownMaterials lists the materials that were kept: of each name the newest version.
func (s *Server) ownMaterials(ctx context.Context) (out []MaterialInfo, err error) {
	kept, err := s.Store.StockNames(ctx, "material")
	if err != nil {
		return nil, err
	}
	known, err := s.own.of(ctx, s.Store, kept)
	at := map[string]int{}
	versions, when := map[string]int{}, map[string]time.Time{}
	for _, i := range kept { // by name, the first first
		info, ok := known[i.ID]
		if !ok {
			continue // it is not readable
		}
		info.Name = i.Name // it may have been renamed
		// what comes from elsewhere may claim a version that is there already
		info.Version = max(info.Version, versions[i.Name]+1)
		versions[i.Name] = info.Version
		n, newer := at[i.Name]
		if !newer {
			when[i.Name] = i.At
			at[i.Name] = len(out)
			out = append(out, info)
			continue
		}
		older := out[n]
		info.Older = append([]MaterialVersion{{older.ID, older.Version, when[i.Name]}}, older.Older...)
		out[n], when[i.Name] = info, i.At
	}
	return out, err
}

// ownKnown is what was read of kept materials: their groups are read once, however often they
// are listed, and thousands are listed at once.
type ownKnown struct {
	mu   sync.Mutex
	info map[string]ownInfo
}

// ownInfo is what is told of a kept material that was kept then; nil: it is not readable.
type ownInfo struct {
	at   time.Time
	info *MaterialInfo
}

// of returns what is told of kept materials, by id, with the version that they claim.
func (o *ownKnown) of(ctx context.Context, from *store.Store, kept []store.StockItem) (map[string]MaterialInfo, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	next := make(map[string]ownInfo, len(kept)) // what is not there any more is forgotten
	var fresh []string
	for _, i := range kept {
		if k, ok := o.info[i.ID]; ok && k.at.Equal(i.At) {
			next[i.ID] = k
		} else {
			fresh = append(fresh, i.ID)
		}
	}
	var mu sync.Mutex
	err := from.StockData(ctx, fresh, func(some []store.StockItem) {
		read := make([]ownInfo, len(some))
		for n := range some {
			i := &some[n]
			read[n].at = i.At
			if m, v, err := readMaterial(i); err == nil {
				info := infoOf(m, i.ID)
				info.Version = v.Version
				info.Material = material.Material{Name: m.Name, Kind: m.Kind, Tags: m.Tags, Made: m.Made} // not its group
				read[n].info = &info
			}
		}
		mu.Lock()
		defer mu.Unlock()
		for n, k := range read {
			next[some[n].ID] = k
		}
	})
	o.info = next
	out := make(map[string]MaterialInfo, len(next))
	for id, k := range next {
		if k.info != nil {
			out[id] = *k.info
		}
	}
	return out, err
}

// keepMaterial keeps a layer of a project, with all that is in it, as a material.
func (s *Server) keepMaterial(
	ctx context.Context,
	p *live.Session,
	name string,
	tags []string,
	layer string,
) (out MaterialInfo, err error) {
	d := p.Document()
	l := d.Layer(layer)
	if l == nil {
		return out, fmt.Errorf("the layer is not there any more")
	}
	if l.Kind == stack.Paint || l.Kind == stack.Picture || l.Kind == stack.Decals {
		return out, fmt.Errorf("%q holds what was laid on this model alone; keep a fill layer or a group", l.Name)
	}
	if name == "" {
		name = l.Name
	}
	o := newLooser(d)
	v := exchange.KeptMaterial{Made: float64(p.Model().Bounds.Size().Length()), Tags: tags, Group: o.group(l)}
	m, err := material.New(name, exchange.OwnKind, v.Made, tags, v.Group)
	if err != nil {
		return out, err
	}
	own, err := s.ownMaterials(ctx)
	if err != nil {
		return out, err
	}
	v.Version = 1
	for _, o := range own {
		if o.Name == name {
			v.Version = o.Version + 1
		}
	}
	known, err := s.Store.Pictures(ctx, p.ID)
	if err != nil {
		return out, err
	}
	v.Pictures = slices.DeleteFunc(known, func(p store.Picture) bool { return !o.shown[p.Blob] })
	shot, err := s.studio.ofMaterial(ctx, true, m)
	if err != nil {
		return out, err
	}
	data, err := json.Marshal(v)
	if err != nil {
		return out, err
	}
	i := &store.StockItem{ID: uuid.NewString(), Kind: "material", Name: name, Data: data, Picture: shot, At: time.Now()}
	out = infoOf(m, i.ID)
	out.Version = v.Version
	out.Left = o.left
	return out, s.Store.PutStock(ctx, i)
}

func (s *Server) materialFiles(g *gin.Engine) {
	g.GET("/api/materials/:name/picture", func(c *gin.Context) {
		b, err := s.materialShot(c.Request.Context(), c.Param("name"))
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
	return s.shots.get(ctx, "material "+m.Name, func() ([]byte, error) { return s.studio.ofMaterial(ctx, false, m) })
}

// ofMaterial makes that picture.
func (s *studio) ofMaterial(ctx context.Context, first bool, m *material.Material) ([]byte, error) {
	return s.draw(ctx, first, func(t *render.Baked) (image.Image, error) {
		d := stack.New([]string{t.Model.Sheets[0].Name}, 512)
		d.Layers, d.Prepared, d.Conditions = []*stack.Layer{m.Group("m", 0)}, t.Prepared, render.TrialConditions()
		cam := render.TrialCamera(t.Model.Bounds)
		cam.Eye = cam.At.Add(cam.Eye.Sub(cam.At).Mul(0.62))
		cam.At = cam.At.Add(geom.V3(0, -0.1*t.Model.Bounds.Size().Y, 0))
		return render.Sketch(ctx, eval.Compile(t.Scene, d, "", ""), cam, shotWide, shotTall)
	})
}
