package api

import (
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"os"
	"strconv"
	"strings"

	"velvetgrime/core/grime"
	"velvetgrime/core/material"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/store"

	"github.com/gin-gonic/gin"
)

// GrimeItem is a thing of the stock in a .grime file.
type GrimeItem struct {
	Kind    string   `json:"kind"`
	Name    string   `json:"name"`
	Tags    []string `json:"tags"`
	Picture string   `json:"picture"` // a data URL; empty: there is none
}

// GrimeLook is what a .grime file holds.
type GrimeLook struct {
	Name    string      `json:"name"`
	Items   []GrimeItem `json:"items"`
	Project bool        `json:"project"`
	Bytes   int64       `json:"bytes"`
}

// GrimeTaken is what of a .grime file was taken.
type GrimeTaken struct {
	Items   []GrimeItem `json:"items"`
	Project string      `json:"project"` // the new project's id
}

// mostShown bounds how many pictures of items are told at once.
const mostShown = 300

// grimeFiles bring work out as .grime files and in.
func (s *Server) grimeFiles(g *gin.Engine) {
	g.GET("/api/grime", func(c *gin.Context) {
		var more []grime.Item
		names := c.QueryArray("material")
		for _, n := range names {
			m, err := material.Find(n)
			var it grime.Item
			if err == nil {
				it, err = exchange.Shipped(m)
			}
			if err == nil {
				var shot []byte
				if shot, err = s.materialShot(c.Request.Context(), n); err == nil {
					it.Picture, err = s.Store.PutBlob(c.Request.Context(), shot)
				}
			}
			if err != nil {
				refuse(c, 422, err)
				return
			}
			more = append(more, it)
		}
		ids := c.QueryArray("item")
		name := c.Query("name")
		if len(ids)+len(more) == 0 {
			refuse(c, 422, errors.New("nothing is named that the file is to hold; name items of the stock"))
			return
		}
		s.sendGrime(
			c,
			name,
			func(w io.Writer) error { return exchange.WriteItems(c.Request.Context(), s.Store, w, name, ids, more) },
		)
	})
	g.GET("/api/projects/:id/grime", func(c *gin.Context) {
		p, err := s.Store.Project(c.Request.Context(), c.Param("id"))
		if err != nil {
			refuse(c, status(err), err)
			return
		}
		s.sendGrime(
			c,
			p.Name,
			func(w io.Writer) error { return exchange.WriteProject(c.Request.Context(), s.Store, w, p.ID) },
		)
	})
	g.POST("/api/grime/look", func(c *gin.Context) {
		s.withGrime(c, func(a *grime.Archive, size int64) (any, error) {
			if err := exchange.Check(a); err != nil {
				return nil, err
			}
			out := GrimeLook{Name: a.Name, Project: a.Project, Bytes: size, Items: []GrimeItem{}}
			for i, it := range a.Items {
				g := GrimeItem{Kind: it.Kind, Name: it.Name, Tags: it.Tags}
				if it.Picture != "" && i < mostShown {
					b, err := a.Blob(it.Picture)
					if err != nil {
						return nil, err
					}
					g.Picture = "data:image/png;base64," + base64.StdEncoding.EncodeToString(b)
				}
				out.Items = append(out.Items, g)
			}
			return out, nil
		})
	})
	g.POST("/api/grime/take", func(c *gin.Context) {
		s.withGrime(c, func(a *grime.Archive, _ int64) (any, error) {
			out := GrimeTaken{Items: []GrimeItem{}}
			var which []int
			for _, f := range strings.Split(c.Query("items"), ",") {
				if f == "" {
					continue
				}
				n, err := strconv.Atoi(f)
				if err != nil {
					return nil, fmt.Errorf("%q is no number of an item", f)
				}
				which = append(which, n)
			}
			if len(which) > 0 {
				taken, err := exchange.TakeItems(c.Request.Context(), s.Store, a, which)
				if err != nil {
					return nil, err
				}
				for _, i := range taken {
					out.Items = append(out.Items, GrimeItem{Kind: i.Kind, Name: i.Name})
				}
			}
			if c.Query("project") != "" {
				p, err := exchange.TakeProject(c.Request.Context(), s.Store, a, c.Query("name"))
				if err != nil {
					return nil, err
				}
				out.Project = p.ID
			}
			return out, nil
		})
	})
}

// sendGrime sends a .grime file; by way of the disk, so that it is whole or an error.
func (s *Server) sendGrime(c *gin.Context, name string, write func(io.Writer) error) {
	f, err := os.CreateTemp("", "velvetgrime-grime-*")
	if err == nil {
		defer os.Remove(f.Name()) //nolint:errcheck // the system clears its folder, too
		defer f.Close()           //nolint:errcheck // as above
		if err = write(f); err == nil {
			_, err = f.Seek(0, io.SeekStart)
		}
	}
	if err != nil {
		refuse(c, status(err), err)
		return
	}
	c.Header("Content-Type", "application/zip")
	c.Header(
		"Content-Disposition",
		mime.FormatMediaType("attachment", map[string]string{"filename": fileName(name) + ".grime"}),
	)
	_, _ = io.Copy(c.Writer, f) // who is gone needs no answer
}

// withGrime opens the .grime file of a request, which lies on the disk, and answers with what f
// makes of it.
func (s *Server) withGrime(c *gin.Context, f func(a *grime.Archive, size int64) (any, error)) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, grime.Usual.All)
	file, head, err := c.Request.FormFile("file")
	if err != nil {
		refuse(c, 422, fmt.Errorf("the file is not readable or larger than %d MB: %w", grime.Usual.All>>20, err))
		return
	}
	defer c.Request.MultipartForm.RemoveAll() //nolint:errcheck // the system clears its folder, too
	defer file.Close()                        //nolint:errcheck // as above
	a, err := grime.Open(file, head.Size, grime.Usual)
	var out any
	if err == nil {
		out, err = f(a, head.Size)
	}
	if err != nil {
		code := 422
		if errors.Is(err, store.ErrNotFound) {
			code = 404
		}
		refuse(c, code, fmt.Errorf("%s: %w", head.Filename, err))
		return
	}
	c.JSON(200, out)
}
