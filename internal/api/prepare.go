package api

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"image/png"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"

	"velvetgrime/core/bake"
	"velvetgrime/core/deliver"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Match says which dense parts a part of the model sees.
type Match struct {
	Part  string   `json:"part"`
	Dense []string `json:"dense"`
}

// ActorInput names a project and who asks.
type ActorInput struct {
	ID    string `path:"id"`
	Actor string `query:"actor" maxLength:"64"`
}

func (s *Server) preparation(api huma.API) {
	huma.Get(api, "/api/projects/{id}/report", func(ctx context.Context, in *idInput) (*body[unwrap.Report], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return &body[unwrap.Report]{*p.Report()}, nil
	})
	huma.Post(api, "/api/projects/{id}/bakes", func(ctx context.Context, in *struct {
		ActorInput
		Body jobs.BakeOrder
	}) (*body[jobs.Line], error) {
		if err := in.Body.Settings.Check(); err != nil {
			return nil, fail(err)
		}
		for _, m := range in.Body.Maps {
			if _, ok := bake.Get(m); !ok {
				return nil, fail(fmt.Errorf("there is no baked map %q", m))
			}
		}
		if len(in.Body.Maps) == 0 {
			return nil, fail(fmt.Errorf("choose at least one map"))
		}
		j, err := s.Jobs.Order(ctx, in.ID, "bake", in.Actor, "Bake "+strings.Join(in.Body.Maps, ", "), in.Body)
		if err != nil {
			return nil, fail(err)
		}
		return &body[jobs.Line]{jobs.LineOf(j)}, nil
	})
	huma.Post(api, "/api/projects/{id}/unwraps", func(ctx context.Context, in *struct {
		ActorInput
		Body unwrap.Options
	}) (*body[jobs.Line], error) {
		if err := in.Body.Check(); err != nil {
			return nil, fail(err)
		}
		j, err := s.Jobs.Order(
			ctx,
			in.ID,
			"unwrap",
			in.Actor,
			"Unwrap "+strings.Join(append(slices.Clone(in.Body.Sheets), in.Body.Parts...), ", "),
			in.Body,
		)
		if err != nil {
			return nil, fail(err)
		}
		return &body[jobs.Line]{jobs.LineOf(j)}, nil
	})
	huma.Post(api, "/api/projects/{id}/matches", func(ctx context.Context, in *struct {
		ID   string `path:"id"`
		Body jobs.BakeOrder
	}) (*body[[]Match], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		out := []Match{}
		if len(in.Body.Dense) == 0 {
			return &body[[]Match]{out}, nil
		}
		dense, err := jobs.DenseModel(ctx, s.Store, p.Document().Preparation(), in.Body.Dense)
		if err != nil {
			return nil, fail(err)
		}
		m := p.Model()
		all := bake.Matches(m, dense, in.Body.Settings)
		for _, q := range m.Parts {
			out = append(out, Match{q.Name, all[q.Name]})
		}
		return &body[[]Match]{out}, nil
	})
	huma.Post(api, "/api/projects/{id}/islands", func(ctx context.Context, in *struct {
		ActorInput
		Body unwrap.Edit
	}) (*struct{}, error) {
		return nil, fail(s.editIslands(ctx, in.ID, in.Actor, in.Body))
	})
	huma.Post(api, "/api/projects/{id}/ids", func(ctx context.Context, in *struct {
		ActorInput
		Body IDSource
	}) (*struct{}, error) {
		return nil, fail(s.makeIDs(ctx, in.ID, in.Actor, in.Body))
	})
	huma.Get(api, "/api/imports", func(ctx context.Context, _ *struct{}) (*body[[]jobs.Line], error) {
		all, err := s.Store.AliveJobs(ctx)
		if err != nil {
			return nil, fail(err)
		}
		out := &body[[]jobs.Line]{Body: []jobs.Line{}}
		for i := range all {
			if all[i].Kind == "project" {
				out.Body = append(out.Body, jobs.LineOf(&all[i]))
			}
		}
		return out, nil
	})
	huma.Post(api, "/api/jobs/{id}/again", func(ctx context.Context, in *idInput) (*struct{}, error) {
		return nil, fail(s.Jobs.Again(ctx, in.ID))
	})
}

func (s *Server) editIslands(ctx context.Context, id, actor string, e unwrap.Edit) error {
	p, err := s.Hub.Open(ctx, id)
	if err != nil {
		return err
	}
	before, was := p.Model(), p.Document().Preparation().Layout
	l, label, err := e.Apply(ctx, before)
	if err != nil {
		return err
	}
	after, err := l.Apply(before)
	if err != nil {
		return err
	}
	data, err := l.Bytes()
	if err != nil {
		return err
	}
	blob, err := s.Store.PutBlob(ctx, data)
	if err != nil {
		return err
	}
	return p.Change(actor, "", func(d *stack.Document) (stack.Op, error) {
		if d.Preparation().Layout != was {
			return nil, fmt.Errorf("the UVs were changed meanwhile; try again")
		}
		return live.Relayout(d, before, after, blob, label), nil
	})
}

// IDSource says which layer's channel becomes the ID map of a sheet.
type IDSource struct {
	Layer   string `json:"layer" doc:"id of a layer with a stream that ends in flat colours"`
	Channel string `json:"channel" doc:"one of its colour channels"`
	Sheet   string `json:"sheet"`
	Size    int    `json:"size" minimum:"128" maximum:"8192"`
}

// makeIDs keeps what a layer's stream makes as the ID map of a sheet.
func (s *Server) makeIDs(ctx context.Context, id, actor string, src IDSource) error {
	p, err := s.Hub.Open(ctx, id)
	if err != nil {
		return err
	}
	d := p.Document()
	sheet := p.Model().SheetIndex(src.Sheet)
	l := d.Layer(src.Layer)
	switch {
	case sheet < 0:
		return fmt.Errorf("the model has no sheet %q", src.Sheet)
	case l == nil:
		return fmt.Errorf("there is no layer with the id %q", src.Layer)
	case src.Size&(src.Size-1) != 0:
		return fmt.Errorf("size %d is no power of two", src.Size)
	}
	img, err := deliver.Own(ctx, p.Program(), sheet, src.Size, src.Layer, stack.Channel(src.Channel))
	if err != nil {
		return err
	}
	data, err := deliver.PNG(img)
	if err != nil {
		return err
	}
	blob, err := s.Store.PutBlob(ctx, data)
	if err != nil {
		return err
	}
	return p.Change(actor, "", func(d *stack.Document) (stack.Op, error) {
		return d.WithBaked(
			src.Sheet,
			"id",
			stack.Baked{Picture: blob, Size: src.Size, Range: [2]float32{0, 1}, From: l.Name},
			"ID map of "+src.Sheet+" from "+l.Name,
		), nil
	})
}

// session returns the project that a request names, or nil when it has been refused.
func (s *Server) session(c *gin.Context) *live.Session {
	p, err := s.Hub.Open(c.Request.Context(), c.Param("id"))
	if err != nil {
		refuse(c, 422, err)
		return nil
	}
	return p
}

// showBaked sends a baked map: a small PNG to look at, or with ?form=png16 or exr
// the whole of it.
func (s *Server) showBaked(c *gin.Context) {
	p := s.session(c)
	if p == nil {
		return
	}
	sheet, name := c.Param("sheet"), c.Param("map")
	b, ok := p.Document().Preparation().Baked[sheet][name]
	if !ok {
		refuse(c, 404, fmt.Errorf("%q has no baked map %q", sheet, name))
		return
	}
	blob := b.Picture
	if c.Query("form") == "exr" && b.Floats != "" {
		blob = b.Floats
	}
	data, err := s.Store.Blob(c.Request.Context(), blob)
	if err != nil {
		refuse(c, 500, err)
		return
	}
	file := sheet + "_" + name
	switch c.Query("form") {
	case "png16":
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", file+".png"))
		c.Data(200, "image/png", data)
		return
	case "exr":
		if b.Floats == "" { // the 16 bits that are kept
			pic, err := pix.DecodePicture(bytes.NewReader(data))
			if err == nil {
				data, err = deliver.EXR(pic.Numbers(b.Range), b.Size)
			}
			if err != nil {
				refuse(c, 500, err)
				return
			}
		}
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", file+".exr"))
		c.Data(200, "image/x-exr", data)
		return
	}
	pic, err := pix.DecodePicture(bytes.NewReader(data))
	var out bytes.Buffer
	if err == nil {
		edge, _ := strconv.Atoi(c.Query("edge"))
		err = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, pic.Small(min(max(edge, 64), 2048)))
	}
	if err != nil {
		refuse(c, 500, err)
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(200, "image/png", out.Bytes())
}

// overlay sends the triangles with a colour each: count, then places, UVs, sheets,
// islands and colours. Kinds: density, angle, area, islands, parts, sheets,
// shell (the cage), or finding.N.
func (s *Server) overlay(c *gin.Context) {
	p := s.session(c)
	if p == nil {
		return
	}
	m := p.Model()
	kind := c.Param("kind")
	pos := m.Pos
	var colors [][3]byte
	switch {
	case strings.HasPrefix(kind, "finding."):
		n, err := strconv.Atoi(strings.TrimPrefix(kind, "finding."))
		r := p.Report()
		if err != nil || n < 0 || n >= len(r.Findings) {
			refuse(c, 404, fmt.Errorf("there is no such finding; the model was changed"))
			return
		}
		colors = make([][3]byte, len(m.Tri))
		for i := range colors {
			colors[i] = [3]byte{128, 128, 128}
		}
		for _, t := range r.Findings[n].Tris {
			colors[t] = [3]byte{214, 122, 40}
		}
	case kind == "shell":
		set := bake.Default()
		set.Front, _ = strconv.ParseFloat(c.Query("front"), 64)
		set.Back, _ = strconv.ParseFloat(c.Query("back"), 64)
		set.Cage = map[string][2]float64{}
		for _, v := range c.QueryArray("part") {
			var front, back float64
			name, rest, _ := strings.Cut(v, "|")
			if _, err := fmt.Sscanf(rest, "%g|%g", &front, &back); err == nil {
				set.Cage[name] = [2]float64{front, back}
			}
		}
		if err := set.Check(); err != nil {
			refuse(c, 422, err)
			return
		}
		pos = bake.Shell(m, set, c.Query("side") == "back")
		colors = make([][3]byte, len(m.Tri))
		for i := range colors {
			colors[i] = [3]byte{122, 160, 150}
		}
	default:
		if colors = heat(m, kind, func(sheet string) int { return max(p.Document().Sheets[sheet].Size, 128) }, c.Query("target")); colors == nil {
			refuse(c, 404, fmt.Errorf("there is no overlay %q", kind))
			return
		}
	}
	var b bytes.Buffer
	put := func(v any) { _ = binary.Write(&b, binary.LittleEndian, v) }
	put(uint32(len(m.Tri)))
	places, uvs := make([]float32, 0, 9*len(m.Tri)), make([]float32, 0, 6*len(m.Tri))
	for _, t := range m.Tri {
		for _, v := range t {
			places = append(places, pos[v].X, pos[v].Y, pos[v].Z)
			uvs = append(uvs, m.UV[v].X, m.UV[v].Y)
		}
	}
	put(places)
	put(uvs)
	put(m.TriSheet)
	if len(m.TriSheet)%2 == 1 {
		put(uint16(0))
	}
	put(m.Island)
	put(colors)
	c.Header("Cache-Control", "no-cache")
	c.Data(200, "application/octet-stream", b.Bytes())
}

// heat colours triangles by a measure: verdigris below the mean (or the target, in
// texels a metre), grey at it, ochre and brick above it.
func heat(m *mesh.Model, kind string, size func(sheet string) int, target string) [][3]byte {
	out := make([][3]byte, len(m.Tri))
	angle, area := unwrap.Distortion(m)
	mean, world := make([]float64, len(m.Sheets)), make([]float64, len(m.Sheets))
	for i := range m.Tri {
		w := float64(m.FaceNormal(i).Length())
		mean[m.TriSheet[i]] += w * area[i]
		world[m.TriSheet[i]] += w
	}
	all, whole := 0.0, 0.0
	for s := range mean {
		n := float64(size(m.Sheets[s].Name))
		all, whole = all+mean[s]*n*n, whole+world[s]
	}
	wanted := math.Sqrt(all / max(whole, 1e-30)) // texels a metre, over the model
	if v, err := strconv.ParseFloat(target, 64); err == nil && v > 0 {
		wanted = v
	}
	for i := range m.Tri {
		s := m.TriSheet[i]
		switch kind {
		case "density":
			out[i] = ramp(math.Log2(max(float64(size(m.Sheets[s].Name))*math.Sqrt(area[i]), 1e-9) / wanted))
		case "angle":
			out[i] = ramp(2 * math.Log2(angle[i]))
		case "area":
			out[i] = ramp(math.Log2(max(area[i], 1e-12) / max(mean[s]/max(world[s], 1e-30), 1e-12)))
		case "islands":
			out[i] = bytesOf(bake.FlatColor(fmt.Sprint("island", m.Island[i])))
		case "parts":
			out[i] = bytesOf(bake.FlatColor(m.Parts[m.TriPart[i]].Name))
		case "sheets":
			out[i] = bytesOf(bake.FlatColor(m.Sheets[s].Name))
		default:
			return nil
		}
	}
	return out
}

func bytesOf(c [3]float32) [3]byte {
	return [3]byte{pix.Byte(c[0]), pix.Byte(c[1]), pix.Byte(c[2])}
}

// ramp gives −1 verdigris, 0 grey, 1 ochre, 2 brick.
func ramp(v float64) [3]byte {
	if math.IsNaN(v) {
		v = 0
	}
	stops := [][3]float64{{58, 128, 112}, {150, 150, 148}, {206, 156, 66}, {168, 66, 50}}
	v = min(max(v, -1), 2) + 1
	i := min(int(v), 2)
	var out [3]byte
	for k := range out {
		out[k] = byte(stops[i][k] + (stops[i+1][k]-stops[i][k])*(v-float64(i)))
	}
	return out
}

// lines sends the UV borders, then the marked seams. Each is a count, the ends of the
// edges in space (six numbers each), another count, and their ends on the flat sheets
// (sheet, u, v, u, v): a border has two there.
func (s *Server) lines(c *gin.Context) {
	p := s.session(c)
	if p == nil {
		return
	}
	m := p.Model()
	var borders []int32
	for i := range m.Tri {
		for k := range 3 {
			if o := m.Neighbor[i][k]; m.UVBorder[i][k] && (o.Tri < 0 || o.Tri > int32(i)) {
				borders = append(borders, 3*int32(i)+int32(k))
			}
		}
	}
	var b bytes.Buffer
	put := func(v any) { _ = binary.Write(&b, binary.LittleEndian, v) }
	for _, ids := range [][]int32{borders, p.Document().Preparation().Seams} {
		space, flat := live.Lines(m, ids), live.FlatLines(m, ids)
		put(uint32(len(space) / 6))
		put(space)
		put(uint32(len(flat) / 5))
		put(flat)
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(200, "application/octet-stream", b.Bytes())
}

// saveModel sends the model as it is laid out now, in the form of the path's ending;
// ?tiles=1 puts its sheets side by side as UDIM tiles of one material.
func (s *Server) saveModel(c *gin.Context) {
	p := s.session(c)
	if p == nil {
		return
	}
	m, ext, kind := p.Model(), path.Ext(c.Request.URL.Path), ""
	var err error
	if c.Query("tiles") != "" {
		m, err = m.AsTiles()
	}
	var b bytes.Buffer
	if err == nil {
		kind, err = meshio.Write(&b, m, "model"+ext)
	}
	if err != nil {
		refuse(c, 422, err)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", deliver.FileName(p.Name, "", "", ext)))
	c.Data(200, kind, b.Bytes())
}
