package meshio

import (
	"bufio"
	"bytes"
	"fmt"
	"math"
	"strconv"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

var objForm = Form{
	Ext: ".obj", Label: "Wavefront OBJ", Media: "model/obj", Up: "y", Beside: append([]string{".mtl"}, pictures...),
	read:     func(s *source) (*mesh.Model, error) { return readOBJ(s.data, s.lim) },
	textures: objTextures,
	write:    WriteOBJ,
}

// readOBJ reads the polygon part of Wavefront OBJ: v, vt, vn, f, o, g, usemtl.
// V is turned to grow downward. Polygons are cut into triangles.
func readOBJ(data []byte, lim Limits) (*mesh.Model, error) {
	r := objReader{
		lim:    lim,
		m:      &mesh.Model{},
		corner: map[[5]int]uint32{},
		sheet:  map[string]int{},
		partAt: map[string]int{},
	}
	sc := bufio.NewScanner(bytes.NewReader(data))
	sc.Buffer(make([]byte, 64<<10), 8<<20)
	pending := ""
	done := 0
	for line := 1; sc.Scan(); line++ {
		done += len(sc.Bytes()) + 1
		if err := lim.told(line, float64(done)/float64(len(data))); err != nil {
			return nil, err
		}
		text := pending + strings.TrimSpace(sc.Text())
		pending = ""
		if strings.HasSuffix(text, "\\") {
			pending = strings.TrimSuffix(text, "\\") + " "
			continue
		}
		if i := strings.IndexByte(text, '#'); i >= 0 {
			text = text[:i]
		}
		if err := r.line(strings.Fields(text)); err != nil {
			return nil, fmt.Errorf("line %d: %w", line, err)
		}
	}
	if err := sc.Err(); err != nil {
		return nil, fmt.Errorf("a line is longer than 8 MB: %w", err)
	}
	if len(r.m.Tri) == 0 {
		return nil, fmt.Errorf("there is no face (f) in the file")
	}
	if !r.colored {
		r.m.Color = nil
	}
	if r.noNormal {
		r.m.SmoothNormals(40)
	}
	return r.m, nil
}

type objReader struct {
	lim      Limits
	m        *mesh.Model
	v, vn    []geom.Vec3
	vt       []geom.Vec2
	corner   map[[5]int]uint32
	sheet    map[string]int
	partAt   map[string]int
	curPart  string
	curSheet string
	noNormal bool
	color    []geom.Vec3
	colored  bool
}

func floats(f []string, n int) ([3]float32, error) {
	var out [3]float32
	if len(f) < n {
		return out, fmt.Errorf("%d numbers where %d are needed", len(f), n)
	}
	for i := range n {
		v, err := strconv.ParseFloat(f[i], 32)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			return out, fmt.Errorf("%q is not a number", f[i])
		}
		out[i] = float32(v)
	}
	return out, nil
}

func (r *objReader) line(f []string) error {
	if len(f) == 0 {
		return nil
	}
	switch f[0] {
	case "v", "vn":
		p, err := floats(f[1:], 3)
		if err != nil {
			return err
		}
		if f[0] == "vn" {
			r.vn = append(r.vn, geom.V3(p[0], p[1], p[2]).Unit())
		} else {
			r.v = append(r.v, geom.V3(p[0], p[1], p[2]))
			white := geom.V3(1, 1, 1)
			if len(f) >= 7 { // x y z r g b, as many programs write it
				c, err := floats(f[4:], 3)
				if err != nil {
					return err
				}
				r.colored = true
				white = geom.V3(clamp(c[0]), clamp(c[1]), clamp(c[2]))
			}
			r.color = append(r.color, white)
		}
		if len(r.v) > r.lim.Vertices {
			return fmt.Errorf("more than %d vertices", r.lim.Vertices)
		}
	case "vt":
		p, err := floats(f[1:], min(2, max(len(f)-1, 1)))
		if err != nil {
			return err
		}
		r.vt = append(r.vt, geom.Vec2{X: p[0], Y: 1 - p[1]})
	case "o", "g":
		r.curPart = strings.Join(f[1:], " ")
	case "usemtl":
		r.curSheet = strings.Join(f[1:], " ")
	case "f":
		return r.face(f[1:])
	}
	return nil
}

func index(at map[string]int, name, otherwise string, add func(string)) int {
	if name == "" {
		name = otherwise
	}
	i, ok := at[name]
	if !ok {
		i = len(at)
		at[name] = i
		add(name)
	}
	return i
}

func (r *objReader) face(f []string) error {
	if len(f) < 3 {
		return fmt.Errorf("a face has %d corners; three are needed", len(f))
	}
	part := index(r.partAt, r.curPart, "Model", func(n string) { r.m.Parts = append(r.m.Parts, mesh.Part{Name: n}) })
	sheet := index(
		r.sheet,
		r.curSheet,
		"Plain",
		func(n string) { r.m.Sheets = append(r.m.Sheets, mesh.Sheet{Name: n, Source: n}) },
	)
	if part > 65535 || sheet > 255 {
		return fmt.Errorf("more than 65536 parts or 256 materials")
	}
	var poly []uint32
	for _, c := range f {
		id, err := r.vertex(c, part, sheet)
		if err != nil {
			return err
		}
		poly = append(poly, id)
	}
	for _, t := range cut(len(poly), func(i int) geom.Vec3 { return r.m.Pos[poly[i]] }) {
		if len(r.m.Tri) >= r.lim.Triangles {
			return fmt.Errorf("more than %d triangles", r.lim.Triangles)
		}
		r.m.Tri = append(r.m.Tri, [3]uint32{poly[t[0]], poly[t[1]], poly[t[2]]})
		r.m.TriPart, r.m.TriSheet = append(r.m.TriPart, uint16(part)), append(r.m.TriSheet, uint16(sheet))
	}
	return nil
}

// vertex resolves v, v/t, v//n or v/t/n; negative numbers count from the end.
func (r *objReader) vertex(c string, part, sheet int) (uint32, error) {
	key := [5]int{-1, -1, -1, part, sheet}
	for i, s := range strings.Split(c, "/") {
		if i > 2 {
			return 0, fmt.Errorf("corner %q has more than three numbers", c)
		}
		if s == "" && i > 0 {
			continue
		}
		n, err := strconv.Atoi(s)
		have := [3]int{len(r.v), len(r.vt), len(r.vn)}[i]
		if err == nil && n < 0 {
			n += have + 1
		}
		if err != nil || n < 1 || n > have {
			return 0, fmt.Errorf(
				"corner %q: there is no such %s; the file has %d",
				c,
				[3]string{"vertex", "UV", "normal"}[i],
				have,
			)
		}
		key[i] = n - 1
	}
	if id, ok := r.corner[key]; ok {
		return id, nil
	}
	id := uint32(len(r.m.Pos))
	r.corner[key] = id
	r.m.Pos = append(r.m.Pos, r.v[key[0]])
	var uv geom.Vec2
	if key[1] >= 0 {
		uv = r.vt[key[1]]
	}
	var n geom.Vec3
	if key[2] >= 0 {
		n = r.vn[key[2]]
	}
	r.noNormal = r.noNormal || n == geom.Vec3{}
	r.m.UV, r.m.Nrm = append(r.m.UV, uv), append(r.m.Nrm, n)
	r.m.Color = append(r.m.Color, r.color[key[0]])
	return id, nil
}
