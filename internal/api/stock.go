package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"slices"
	"time"

	"velvetgrime/core/eval"
	"velvetgrime/core/pix"
	"velvetgrime/core/render"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
)

// SavedMask is a stream kept in the stock, with the pictures that its steps show.
type SavedMask struct {
	ID       string          `json:"id"`
	Name     string          `json:"name"`
	Steps    []*stack.Step   `json:"steps"`
	Pictures []store.Picture `json:"pictures,omitempty"`
	Left     []string        `json:"left,omitempty" doc:"what belongs to its project and was not kept, in words"`
	At       time.Time       `json:"at"`
}

// readMask reads what is stored of a mask. The first ones were stored as their steps alone.
func readMask(i *store.StockItem) (SavedMask, error) {
	var v exchange.KeptMask
	err := json.Unmarshal(i.Data, &v.Steps)
	if err != nil {
		err = json.Unmarshal(i.Data, &v)
	}
	return SavedMask{ID: i.ID, Name: i.Name, Steps: v.Steps, Pictures: v.Pictures, At: i.At}, err
}

// studio is where pictures of steps and saved masks are taken: the trial post with
// its bakes, made when the first picture is asked for.
type studio struct {
	hub *live.Hub

	gate   gate
	trial  *render.Baked
	failed error
}

const (
	shotWide = 132
	shotTall = 96
)

// object is called by draw alone.
func (s *studio) object(ctx context.Context) (*render.Baked, error) {
	if s.trial == nil && s.failed == nil {
		if s.trial, s.failed = render.Trial(context.WithoutCancel(ctx), 256, s.hub.Beside); s.failed == nil {
			own := s.trial.Scene.Picture
			s.trial.Scene.Picture = func(name string) (*pix.Picture, error) {
				if p, err := own(name); err == nil {
					return p, nil
				}
				return s.hub.Picture(name)
			}
		}
	}
	return s.trial, s.failed
}

// picture shows a stream on the trial post as PNG. near brings the camera closer.
func (s *studio) picture(ctx context.Context, first bool, steps []*stack.Step, near float32) ([]byte, error) {
	return s.draw(ctx, first, func(t *render.Baked) (image.Image, error) {
		d := t.MaskDocument(steps)
		d.Conditions = render.TrialConditions()
		cam := render.TrialCamera(t.Model.Bounds)
		cam.Eye = cam.At.Add(cam.Eye.Sub(cam.At).Mul(near))
		return render.Mask(ctx, eval.Compile(t.Scene, d, "", ""), "mask", "", cam, shotWide, shotTall)
	})
}

// draw makes a picture of the baked trial post as PNG, one at a time: first those of what
// somebody keeps, and waits for.
func (s *studio) draw(ctx context.Context, first bool, f func(*render.Baked) (image.Image, error)) ([]byte, error) {
	if err := s.gate.enter(ctx, first); err != nil {
		return nil, err
	}
	defer s.gate.leave()
	var out []byte
	err := s.hub.DrawBeside(ctx, "a picture of the stock", func() error {
		t, err := s.object(ctx)
		if err != nil {
			return err
		}
		img, err := f(t)
		if err != nil {
			return err
		}
		out, err = encoded(img)
		return err
	})
	return out, err
}

func encoded(img image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := png.Encode(&b, img)
	return b.Bytes(), err
}

// stepShot returns the picture of a kind of step in the list of steps.
func (s *Server) stepShot(ctx context.Context, kind string) ([]byte, error) {
	return s.shots.get(ctx, "step "+kind, func() ([]byte, error) { return s.studio.ofStep(ctx, kind) })
}

// ofStep makes that picture.
func (s *studio) ofStep(ctx context.Context, kind string) ([]byte, error) {
	d, ok := step.Get(kind)
	if !ok || d.Hand || d.Special && kind != stack.BakedStep {
		return nil, store.ErrNotFound
	}
	one := &stack.Step{ID: "s", Kind: kind, On: true, Amount: 1}
	list := []*stack.Step{one}
	if d.Role == "shaper" { // what it does to a noise
		list = []*stack.Step{
			{ID: "n", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"frequency": 24.0}},
			one,
		}
		if d.Inner != "" {
			one.Steps = []*stack.Step{
				{ID: "i", Kind: "noise", On: true, Amount: 1, Params: map[string]any{"seed": 5.0}},
			}
		}
	} else if p := one.Params; p == nil && d.Role == "agent" {
		one.Params = map[string]any{"much": 0.6}
	}
	switch kind { // what is finer than the picture's pixels is drawn larger
	case "scour":
		one.Params = map[string]any{"much": 0.9, "width": 0.004, "size": 0.14, "standing": 0.1}
	case "scratches":
		one.Params = map[string]any{"width": 0.004, "size": 0.12, "amount": 1.0}
	case "fibres":
		one.Params = map[string]any{"width": 0.0025, "size": 0.06, "amount": 1.0}
	case "brushed":
		one.Params = map[string]any{"size": 0.008}
	}
	near := float32(0.8)
	for _, p := range d.Params { // what is small is looked at closely
		if v, ok := p.Default.(float64); ok && p.Name == "size" && v < 0.011 {
			near = max(float32(v/0.012), 0.3)
		}
	}
	return s.picture(ctx, false, list, near)
}

// stockRoutes serve what is kept for all projects.
func (s *Server) stockRoutes(api huma.API) {
	s.studio.hub = s.Hub
	huma.Get(api, "/api/stock/masks", func(ctx context.Context, _ *struct{}) (*body[[]SavedMask], error) {
		list, err := s.Store.Stock(ctx, "mask")
		out := &body[[]SavedMask]{Body: []SavedMask{}}
		for _, i := range list {
			if m, err := readMask(&i); err == nil {
				out.Body = append(out.Body, m)
			}
		}
		return out, fail(err)
	})
	huma.Post(api, "/api/stock/masks", func(ctx context.Context, in *struct {
		Body struct {
			Name    string `json:"name,omitempty" maxLength:"80" doc:"without one: the layer's"`
			Project string `json:"project"`
			Layer   string `json:"layer"`
		}
	}) (*body[SavedMask], error) {
		p, err := s.Hub.Open(ctx, in.Body.Project)
		if err != nil {
			return nil, fail(err)
		}
		d := p.Document()
		steps, shown, left, err := loose(d, in.Body.Layer)
		if err != nil {
			return nil, fail(err)
		}
		if in.Body.Name == "" {
			in.Body.Name = d.Layer(in.Body.Layer).Name
		}
		known, err := s.Store.Pictures(ctx, in.Body.Project)
		if err != nil {
			return nil, fail(err)
		}
		known = slices.DeleteFunc(known, func(p store.Picture) bool { return !shown[p.Blob] })
		shot, err := s.studio.picture(ctx, true, steps, 0.85)
		if err != nil {
			return nil, fail(err)
		}
		data, _ := json.Marshal(exchange.KeptMask{Steps: steps, Pictures: known})
		i := &store.StockItem{
			ID:      uuid.NewString(),
			Kind:    "mask",
			Name:    in.Body.Name,
			Data:    data,
			Picture: shot,
			At:      time.Now(),
		}
		return &body[SavedMask]{SavedMask{i.ID, i.Name, steps, known, left, i.At}}, fail(s.Store.PutStock(ctx, i))
	})
	// what a mask shows becomes the project's own before its steps go in
	huma.Post(api, "/api/stock/{id}/use", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body struct {
			Project string `json:"project"`
		}
	}) (*body[SavedMask], error) {
		i, err := s.Store.StockByID(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		m, err := readMask(i)
		for _, pic := range m.Pictures {
			if err == nil {
				pic.ProjectID, pic.At = in.Body.Project, time.Now()
				err = s.Store.PutPicture(ctx, &pic)
			}
		}
		return &body[SavedMask]{m}, fail(err)
	})
	huma.Patch(api, "/api/stock/{id}", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"80"`
		}
	}) (*struct{}, error) {
		i, err := s.Store.StockByID(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		i.Name = in.Body.Name
		return nil, fail(s.Store.PutStock(ctx, i))
	})
	huma.Delete(api, "/api/stock/{id}", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.DropStock(ctx, in.ID))
	})
	huma.Post(api, "/api/stock/{id}/restore", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Store.RestoreStock(ctx, in.ID))
	})
}

// loose returns a layer's mask as it can be used elsewhere, the pictures that it shows,
// and in words what belongs to its project and does not come along: strokes and
// followed layers.
func loose(d *stack.Document, id string) (steps []*stack.Step, shown map[string]bool, left []string, err error) {
	l := d.Layer(id)
	if l == nil {
		return nil, nil, nil, fmt.Errorf("the layer is not there any more")
	}
	o := newLooser(d)
	steps = o.steps(l.Mask)
	if len(steps) == 0 {
		return nil, nil, nil, fmt.Errorf("the mask of %q has no step that could be kept; add one first", l.Name)
	}
	return steps, o.shown, o.left, nil
}

func (s *Server) stockFiles(g *gin.Engine) {
	g.GET("/api/stock/:id/picture", func(c *gin.Context) {
		i, err := s.Store.StockByID(c.Request.Context(), c.Param("id"))
		if err == nil && len(i.Picture) == 0 {
			err = store.ErrNotFound
		}
		if err != nil {
			refuse(c, 404, err)
			return
		}
		c.Header("Cache-Control", "max-age=600")
		c.Data(200, "image/png", i.Picture)
	})
	g.GET("/api/steps/:kind/picture", func(c *gin.Context) {
		b, err := s.stepShot(c.Request.Context(), c.Param("kind"))
		if err != nil {
			refuse(c, 404, err)
			return
		}
		c.Header("Cache-Control", "max-age=3600")
		c.Data(200, "image/png", b)
	})
}
