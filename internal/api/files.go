package api

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"io"
	"net/http"
	"path"
	"strconv"
	"strings"

	"velvetgrime/core/deliver"
	"velvetgrime/core/meshio"
	"velvetgrime/core/ora"
	"velvetgrime/core/pix"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/coder/websocket"
	"github.com/gin-gonic/gin"
)

func refuse(c *gin.Context, code int, err error) {
	if err == store.ErrNotFound {
		code = http.StatusNotFound
	}
	c.JSON(code, gin.H{"status": code, "detail": err.Error()})
}

func (s *Server) files(g *gin.Engine) {
	g.POST("/api/projects", s.upload)
	g.GET("/api/bin/:id/picture", s.binPicture)
	g.GET("/api/projects/:id/picture", func(c *gin.Context) {
		p, err := s.Store.Project(c.Request.Context(), c.Param("id"))
		if err != nil {
			refuse(c, 404, err)
			return
		}
		c.Header("Cache-Control", "no-cache")
		if len(p.Picture) == 0 { // it was not opened yet: nothing to show, and nothing wrong
			c.Status(204)
			return
		}
		c.Data(200, "image/png", p.Picture)
	})
	g.PUT("/api/projects/:id/picture", func(c *gin.Context) {
		b, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, 2<<20))
		if err == nil && !bytes.HasPrefix(b, []byte("\x89PNG")) {
			err = fmt.Errorf("the picture is not a PNG")
		}
		if err == nil {
			err = s.Store.Show(c.Request.Context(), c.Param("id"), b)
		}
		if err != nil {
			refuse(c, 422, err)
			return
		}
		c.Status(204)
	})
	g.GET("/api/projects/:id/model.glb", func(c *gin.Context) {
		p, err := s.Hub.Open(c.Request.Context(), c.Param("id"))
		var b []byte
		if err == nil {
			b, err = p.GLB()
		}
		if err != nil {
			refuse(c, 422, err)
			return
		}
		c.Data(200, "model/gltf-binary", b)
	})
	g.POST("/api/projects/:id/pictures", s.addPicture)
	g.POST("/api/projects/:id/pictures/zip", s.addPictures)
	g.GET("/api/projects/:id/pictures/:blob", s.showPicture)
	for _, f := range meshio.Forms() {
		if f.Writes {
			g.GET("/api/projects/:id/save/model"+f.Ext, s.saveModel)
		}
	}
	g.POST("/api/projects/:id/model", s.bring("newer model"))
	g.POST("/api/projects/:id/dense", s.bring("dense model"))
	g.GET("/api/projects/:id/overlay/:kind", s.overlay)
	g.GET("/api/projects/:id/lines", s.lines)
	g.POST("/api/projects/:id/views/back", s.takeView)
	g.GET("/api/projects/:id/baked/:sheet/:map", s.showBaked)
	g.GET("/api/projects/:id/live", s.live)
	g.GET("/api/jobs/:id/files/:name", s.jobFile)
	s.judgeFiles(g)
}

// maxPictureBytes bounds an uploaded picture.
const maxPictureBytes = 256 << 20

// addPicture keeps the picture that is the request's body; ?name= is what it is
// called. It answers with the name by which documents know it.
func (s *Server) addPicture(c *gin.Context) {
	name := path.Base(c.Query("name"))
	b, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxPictureBytes))
	var row *store.Picture
	if err == nil {
		row, err = s.keepPicture(c.Request.Context(), c.Param("id"), name, b)
	}
	if err != nil {
		refuse(c, 422, fmt.Errorf("picture %q: %w", name, err))
		return
	}
	c.JSON(201, row)
}

// showPicture sends a PNG of a picture: no larger than ?edge= texels, 16 to 2048; usually small.
func (s *Server) showPicture(c *gin.Context) {
	edge, err := strconv.Atoi(c.DefaultQuery("edge", "128"))
	if err != nil || edge < 16 || edge > 2048 {
		refuse(c, 422, fmt.Errorf("an edge of %q texels is not possible; it goes from 16 to 2048", c.Query("edge")))
		return
	}
	b, err := s.Store.Blob(c.Request.Context(), c.Param("blob"))
	var pic *pix.Picture
	if err == nil {
		pic, err = pix.DecodePicture(bytes.NewReader(b))
	}
	var out bytes.Buffer
	if err == nil {
		err = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, pic.Small(edge))
	}
	if err != nil {
		refuse(c, 404, err)
		return
	}
	c.Header("Cache-Control", "max-age=31536000, immutable")
	c.Data(200, "image/png", out.Bytes())
}

// status is the HTTP status that says why something cannot be opened.
func status(err error) int {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return http.StatusNotFound
	case live.Passing(err):
		return http.StatusServiceUnavailable
	}
	return http.StatusUnprocessableEntity
}

func (s *Server) live(c *gin.Context) {
	p, err := s.Hub.Open(c.Request.Context(), c.Param("id"))
	if err != nil {
		refuse(c, status(err), err)
		return
	}
	conn, err := websocket.Accept(
		c.Writer,
		c.Request,
		&websocket.AcceptOptions{CompressionMode: websocket.CompressionDisabled},
	)
	if err != nil {
		return // Accept has answered; another site's page is refused here
	}
	defer conn.CloseNow()
	actor := c.Query("actor")
	if actor == "" || len(actor) > 64 {
		actor = "someone"
	}
	err = p.Serve(c.Request.Context(), conn, live.Page{
		Actor: actor,
		Wait:  c.Query("wait") != "",
		Aside: c.Query("aside") != "",
	})
	if errors.Is(err, live.ErrClosed) { // it ended just now: the page comes back
		_ = conn.Close(websocket.StatusTryAgainLater, "the project was just closed")
	}
}

func (s *Server) jobFile(c *gin.Context) {
	j, err := s.Store.JobByID(c.Request.Context(), c.Param("id"))
	if err != nil {
		refuse(c, 404, err)
		return
	}
	var files []store.JobFile
	_ = json.Unmarshal(j.Files, &files)
	name := c.Param("name")
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	if name == "all.zip" && len(files) > 0 {
		c.Header("Content-Type", "application/zip")
		_ = jobs.Bundle(c.Request.Context(), s.Store, files, c.Writer)
		return
	}
	for _, f := range files {
		if f.Name == name {
			media := cmp.Or(meshio.Media(name), deliver.Media(name), "application/octet-stream")
			if strings.HasSuffix(name, ora.Ext) {
				media = ora.Media
			}
			c.Header("Content-Type", media)
			c.Header("Content-Length", fmt.Sprint(f.Size))
			if err := s.Store.BlobTo(c.Request.Context(), f.Blob, c.Writer); err != nil {
				c.Header("Content-Length", "")
				refuse(c, 500, err)
			}
			return
		}
	}
	refuse(c, 404, store.ErrNotFound)
}
