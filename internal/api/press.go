package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"net/http"
	"strconv"
	"time"

	"velvetgrime/core/budget"
	"velvetgrime/core/press"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// Press is what stamps are made of, and those that can be taken.
type Press struct {
	Shapes   []press.Described `json:"shapes"`
	Treats   []press.Described `json:"treats"`
	Combines []string          `json:"combines"`
	Looks    []string          `json:"looks"`
	List     []KnownStamp      `json:"list" doc:"those of the shelf, then those kept in the stock, in the group \"kept\""`
}

// KnownStamp is a stamp of the shelf or of the stock.
type KnownStamp struct {
	ID     string       `json:"id" doc:"its name, or its id in the stock"`
	Group  string       `json:"group"`
	Recipe press.Recipe `json:"recipe"`
}

const (
	maxRecipe = 24 << 20
	stampSize = 96
)

// Lettered is how words come out.
type Lettered struct {
	Aspect float32 `json:"aspect" doc:"how much wider than tall they are"`
}

func (s *Server) pressRoutes(api huma.API) {
	huma.Get(api, "/api/lettering", func(_ context.Context, in *struct {
		Text string `query:"text" maxLength:"1000"`
		Font string `query:"font" enum:",bold,regular,mono"`

		Apart float32 `query:"apart" minimum:"-0.3" maximum:"3" doc:"as of a decal"`
	}) (*body[Lettered], error) {
		l, err := press.NewLettering(press.Words{Text: in.Text, Font: in.Font, Apart: in.Apart})
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		return &body[Lettered]{Lettered{l.Aspect()}}, nil
	})
	huma.Get(api, "/api/press", func(ctx context.Context, _ *struct{}) (*body[Press], error) {
		out := Press{Combines: press.Combines, Looks: press.Looks}
		out.Shapes, out.Treats = press.Kinds()
		for _, st := range press.Shelf() {
			out.List = append(out.List, KnownStamp{st.Recipe.Name, st.Group, st.Recipe})
		}
		kept, err := s.Store.Stock(ctx, "stamp")
		for _, k := range kept {
			st := KnownStamp{ID: k.ID, Group: keptGroup}
			if json.Unmarshal(k.Data, &st.Recipe) == nil {
				st.Recipe.Name = k.Name
				out.List = append(out.List, st)
			}
		}
		return &body[Press]{out}, fail(err)
	})
}

// recipe reads a recipe from a request's body.
func recipe(c *gin.Context) (*press.Recipe, error) {
	b, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxRecipe))
	if err != nil {
		return nil, fmt.Errorf("the recipe is larger than %d MiB", maxRecipe>>20)
	}
	var r press.Recipe
	if err := json.Unmarshal(b, &r); err != nil {
		return nil, fmt.Errorf("the recipe cannot be read: %w", err)
	}
	return &r, r.Check()
}

// pressed draws the recipe of a request at the size that it asks for, and refuses it
// when that cannot be done.
func pressed(c *gin.Context, usual int) (*press.Recipe, *press.Stamp) {
	r, err := recipe(c)
	var st *press.Stamp
	if err == nil {
		size := usual
		if q := c.Query("size"); q != "" {
			if size, err = strconv.Atoi(q); err != nil {
				err = fmt.Errorf("the size %q is no number", q)
			}
		}
		if err == nil {
			var release func()
			if release, err = budget.Memory.Hold(c.Request.Context(), press.Weight(size)); err == nil {
				defer release()
				st, err = press.Draw(c.Request.Context(), r, size)
			}
		}
	}
	if err != nil {
		refuse(c, 422, err)
		return nil, nil
	}
	return r, st
}

// stampShot returns the picture of a stamp of the shelf.
func (s *Server) stampShot(ctx context.Context, name string) ([]byte, error) {
	r := press.ByName(name)
	if r == nil {
		return nil, fmt.Errorf("there is no stamp %q", name)
	}
	return s.shots.get(ctx, "stamp "+name, func() ([]byte, error) {
		st, err := press.Draw(ctx, r, stampSize)
		if err != nil {
			return nil, err
		}
		return relief(st, "relief")
	})
}

func (s *Server) pressFiles(g *gin.Engine) {
	g.POST("/api/press/picture", func(c *gin.Context) {
		if _, st := pressed(c, 320); st != nil {
			b, err := relief(st, c.DefaultQuery("look", "relief"))
			if err != nil {
				refuse(c, 500, err)
				return
			}
			c.Data(200, "image/png", b)
		}
	})
	g.POST("/api/press/png", func(c *gin.Context) {
		r, st := pressed(c, 1024)
		if st == nil {
			return
		}
		var b bytes.Buffer
		if err := st.WritePNG(&b); err != nil {
			refuse(c, 500, err)
			return
		}
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", fileName(r.Name)+".png"))
		c.Data(200, "image/png", b.Bytes())
	})
	g.GET("/api/press/stamps/:name/picture", func(c *gin.Context) {
		b, err := s.stampShot(c.Request.Context(), c.Param("name"))
		if err != nil {
			refuse(c, 404, err)
			return
		}
		c.Header("Cache-Control", "max-age=3600")
		c.Data(200, "image/png", b)
	})
	g.POST("/api/stock/stamps", func(c *gin.Context) {
		r, st := pressed(c, stampSize)
		if st == nil {
			return
		}
		if r.Name == "" {
			refuse(c, 422, fmt.Errorf("a stamp that is kept needs a name"))
			return
		}
		data, err := json.Marshal(r)
		var shot []byte
		if err == nil {
			shot, err = relief(st, "relief")
		}
		item := &store.StockItem{
			ID:      uuid.NewString(),
			Kind:    "stamp",
			Name:    r.Name,
			Data:    data,
			Picture: shot,
			At:      time.Now(),
		}
		if err == nil {
			err = s.Store.PutStock(c.Request.Context(), item)
		}
		if err != nil {
			refuse(c, 500, err)
			return
		}
		c.JSON(201, KnownStamp{item.ID, keptGroup, *r})
	})
	// a stamp becomes a picture of a project: as a tip, in a stream or as a channel's source
	g.POST("/api/projects/:id/stamps", func(c *gin.Context) {
		r, st := pressed(c, 1024)
		if st == nil {
			return
		}
		var b bytes.Buffer
		err, name := st.WritePNG(&b), fileName(r.Name)+".png"
		if c.Query("drawn") != "" { // it is kept as what it is drawn by, at any size
			var recipe []byte
			recipe, err = r.AsPicture()
			b, name = *bytes.NewBuffer(recipe), r.Name
		}
		row := &store.Picture{
			ProjectID: c.Param("id"),
			Name:      name,
			Width:     st.Size,
			Height:    st.Size,
			At:        time.Now(),
		}
		if err == nil {
			if row.Blob, err = s.Store.PutBlob(c.Request.Context(), b.Bytes()); err == nil {
				err = s.Store.PutPicture(c.Request.Context(), row)
			}
		}
		if err != nil {
			refuse(c, 422, fmt.Errorf("stamp %q: %w", r.Name, err))
			return
		}
		c.JSON(201, row)
	})
}

func relief(st *press.Stamp, look string) ([]byte, error) {
	var b bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, st.Image(look))
	return b.Bytes(), err
}

// fileName keeps of a name what a file can be called everywhere.
func fileName(name string) string {
	out := make([]rune, 0, len(name))
	for _, r := range name {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			out = append(out, r)
		case r >= 'A' && r <= 'Z':
			out = append(out, r+'a'-'A')
		case len(out) > 0 && out[len(out)-1] != '-':
			out = append(out, '-')
		}
	}
	if len(out) == 0 {
		return "stamp"
	}
	return string(out)
}
