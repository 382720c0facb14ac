package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"net/http"
	"time"

	"velvetgrime/core/brush"
	"velvetgrime/core/pix"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// Brushes are the brushes that can be taken, and what they can be made of.
type Brushes struct {
	List   []brush.Made `json:"list" doc:"those of the shelf, then those kept in the stock, in the group \"kept\""`
	Tips   []Tip        `json:"tips"`
	Grains []string     `json:"grains"`
	Driven []string     `json:"driven"`
	Drives []string     `json:"drives" doc:"what of a pen drives them"`
}

// Tip is the name of a tip and what it is.
type Tip struct {
	Name string `json:"name"`
	Help string `json:"help"`
}

const keptGroup = "kept"

func (s *Server) brushRoutes(api huma.API) {
	huma.Get(api, "/api/brushes", func(ctx context.Context, _ *struct{}) (*body[Brushes], error) {
		out := Brushes{
			List:   brush.Shelf(),
			Tips:   []Tip{},
			Grains: brush.Grains,
			Driven: brush.Driven,
			Drives: brush.Drivers,
		}
		names, help := brush.Tips()
		for i, n := range names {
			out.Tips = append(out.Tips, Tip{n, help[i]})
		}
		kept, err := s.Store.Stock(ctx, "brush")
		for _, k := range kept {
			var m brush.Made
			if json.Unmarshal(k.Data, &m) == nil {
				m.ID, m.Name, m.Group = k.ID, k.Name, keptGroup
				out.List = append(out.List, m)
			}
		}
		return &body[Brushes]{out}, fail(err)
	})
	huma.Post(
		api,
		"/api/stock/brushes",
		func(ctx context.Context, in *struct{ Body brush.Made }) (*body[brush.Made], error) {
			m := in.Body
			if m.Name == "" || len(m.Name) > 80 {
				return nil, fail(fmt.Errorf("a brush needs a name of at most 80 letters"))
			}
			if err := m.Check(); err != nil {
				return nil, fail(fmt.Errorf("brush %q: %w", m.Name, err))
			}
			m.ID, m.Group = uuid.NewString(), keptGroup
			data, err := json.Marshal(m)
			if err != nil {
				return nil, fail(err)
			}
			return &body[brush.Made]{
					m,
				}, fail(
					s.Store.PutStock(
						ctx,
						&store.StockItem{ID: m.ID, Kind: "brush", Name: m.Name, Data: data, At: time.Now()},
					),
				)
		},
	)
}

// SavedPalette is a row of colours kept in the stock.
type SavedPalette struct {
	ID     string   `json:"id"`
	Name   string   `json:"name" minLength:"1" maxLength:"80"`
	Colors []string `json:"colors" minItems:"1" maxItems:"256" doc:"each as #rrggbb"`
}

func (s *Server) paletteRoutes(api huma.API) {
	huma.Get(api, "/api/stock/palettes", func(ctx context.Context, _ *struct{}) (*body[[]SavedPalette], error) {
		list, err := s.Store.Stock(ctx, "palette")
		out := &body[[]SavedPalette]{Body: []SavedPalette{}}
		for _, i := range list {
			p := SavedPalette{ID: i.ID, Name: i.Name}
			if json.Unmarshal(i.Data, &p.Colors) == nil {
				out.Body = append(out.Body, p)
			}
		}
		return out, fail(err)
	})
	huma.Post(
		api,
		"/api/stock/palettes",
		func(ctx context.Context, in *struct{ Body SavedPalette }) (*body[SavedPalette], error) {
			p := in.Body
			for i, c := range p.Colors {
				if !exchange.HexColor.MatchString(c) {
					return nil, fail(
						fmt.Errorf(
							"colour %d of the palette %q is %q; one is written as # and six digits",
							i+1,
							p.Name,
							c,
						),
					)
				}
			}
			data, err := json.Marshal(p.Colors)
			if err != nil {
				return nil, fail(err)
			}
			p.ID = uuid.NewString()
			return &body[SavedPalette]{
					p,
				}, fail(
					s.Store.PutStock(
						ctx,
						&store.StockItem{ID: p.ID, Kind: "palette", Name: p.Name, Data: data, At: time.Now()},
					),
				)
		},
	)
}

// brushFiles serves pictures of strokes as they will be.
func (s *Server) brushFiles(g *gin.Engine) {
	show := func(c *gin.Context, m brush.Made, w, h int) {
		if err := m.Check(); err != nil {
			refuse(c, 422, err)
			return
		}
		var b bytes.Buffer
		if err := png.Encode(&b, brush.Preview(m.Stroke(), w, h)); err != nil {
			refuse(c, 500, err)
			return
		}
		c.Data(200, "image/png", b.Bytes())
	}
	g.GET("/api/brushes/:name/picture", func(c *gin.Context) {
		for _, m := range brush.Shelf() {
			if m.Name == c.Param("name") {
				c.Header("Cache-Control", "max-age=3600")
				show(c, m, 200, 44)
				return
			}
		}
		item, err := s.Store.StockByID(c.Request.Context(), c.Param("name"))
		var m brush.Made
		if err == nil {
			err = json.Unmarshal(item.Data, &m)
		}
		if err != nil {
			refuse(c, 404, fmt.Errorf("there is no brush %q", c.Param("name")))
			return
		}
		show(c, m, 200, 44)
	})
	g.POST("/api/brushes/preview", func(c *gin.Context) {
		var m brush.Made
		if err := json.NewDecoder(http.MaxBytesReader(c.Writer, c.Request.Body, 1<<20)).Decode(&m); err != nil {
			refuse(c, 400, fmt.Errorf("the brush is not readable: %w", err))
			return
		}
		show(c, m, 380, 44)
	})
}

// paletteFiles answers with the main colours of a picture, as #rrggbb.
func (s *Server) paletteFiles(g *gin.Engine) {
	g.POST("/api/palette", func(c *gin.Context) {
		b, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, 64<<20))
		var p *pix.Picture
		if err == nil {
			p, err = pix.DecodePicture(bytes.NewReader(b))
		}
		if err != nil {
			refuse(c, 422, fmt.Errorf("the picture cannot be read: %w", err))
			return
		}
		list := []string{}
		for _, v := range p.Main(12) {
			list = append(list, fmt.Sprintf("#%02x%02x%02x", pix.Byte(v[0]), pix.Byte(v[1]), pix.Byte(v[2])))
		}
		c.JSON(200, list)
	})
}
