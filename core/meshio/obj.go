package meshio

import (
	"bytes"
	"fmt"
	"math"
	"runtime"
	"strconv"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

var objForm = Form{
	Ext: ".obj", Label: "Wavefront OBJ", Media: "model/obj", Up: "y", Beside: append([]string{".mtl"}, pictures...),
	read:     func(s *source) (*mesh.Model, error) { return readOBJ(s.data, s.lim) },
	textures: objTextures,
	write:    WriteOBJ,
}

// longestLine bounds a line of an OBJ file, in bytes.
const longestLine = 8 << 20

// objPiece is how many bytes of an OBJ file are read by one worker at a time.
var objPiece = 1 << 17

// readOBJ reads the polygon part of Wavefront OBJ: v, vt, vn, f, o, g, usemtl.
// V is turned to grow downward. Polygons are cut into triangles. The file is read in pieces
// side by side, and put together in its order.
func readOBJ(data []byte, lim Limits) (*mesh.Model, error) {
	r := objReader{lim: lim, m: &mesh.Model{}, sheet: map[string]int{}, partAt: map[string]int{}}
	pieces := objPieces(data)
	batch := 2 * runtime.GOMAXPROCS(0)
	line, done := 1, 0
	for len(pieces) > 0 {
		some := make([]objLines, min(batch, len(pieces)))
		var all par.All
		for i := range some {
			all.Go(func() { some[i].read(pieces[i]) })
		}
		all.Wait()
		for i := range some {
			if err := r.add(&some[i], line); err != nil {
				return nil, err
			}
			line += some[i].lines
			done += len(pieces[i])
			if lim.Tell != nil {
				if err := lim.Tell(float64(done) / float64(len(data))); err != nil {
					return nil, err
				}
			}
		}
		pieces = pieces[len(some):]
	}
	if len(r.m.Tri) == 0 {
		return nil, fmt.Errorf("there is no face (f) in the file")
	}
	for r.colored && len(r.m.Color) < len(r.m.Pos) { // no vertex was made after the first colour came
		r.m.Color = append(r.m.Color, white)
	}
	if r.noNormal {
		r.m.SmoothNormals(40)
	}
	return r.m, nil
}

// objPieces cuts a file between lines, but not between lines of which the first goes on.
func objPieces(data []byte) (out [][]byte) {
	for len(data) > 0 {
		end := min(objPiece, len(data))
		for end < len(data) {
			i := bytes.IndexByte(data[end-1:], '\n')
			if i < 0 {
				end = len(data)
				break
			}
			end += i
			before := bytes.TrimRight(data[:end-1], " \t\r")
			if !bytes.HasSuffix(before, []byte("\\")) {
				break
			}
			end = min(end+1, len(data))
		}
		out = append(out, data[:end])
		data = data[end:]
	}
	return out
}

// objLines is what a piece of a file says.
type objLines struct {
	lines   int // of the file
	v, vn   []geom.Vec3
	vt      []geom.Vec2
	color   []geom.Vec3 // nil: none has one
	vLine   []int32     // of each vertex, so that the one too many can be named
	faces   []objFace
	corners []objCorner
	err     error // at the line errLine
	errLine int
}

// objFace is a face, and what was said before it.
type objFace struct {
	line      int32
	corners   int32    // how many
	had       [3]int32 // vertices, UVs and normals of the piece before it
	part, mat *string  // other ones from here on; nil: the same
}

// objCorner names a vertex, a UV and a normal: numbers of the file as they stand, 0: none.
// Those that counted from the end count from the piece's beginning, as bits of back say.
type objCorner struct {
	n    [3]int32
	back uint8
}

// read reads lines until the first one that is wrong.
func (p *objLines) read(data []byte) {
	var part, mat *string
	var fields [][]byte
	for len(data) > 0 && p.err == nil {
		first := p.lines + 1
		text, rest := p.line(data)
		data = rest
		if p.err != nil {
			return
		}
		if i := bytes.IndexByte(text, '#'); i >= 0 {
			text = text[:i]
		}
		if fields = splitFields(text, fields[:0]); len(fields) == 0 {
			continue
		}
		var err error
		switch string(fields[0]) {
		case "v", "vn", "vt":
			err = p.numbers(fields, int32(first))
		case "o", "g":
			name := joined(fields[1:])
			part = &name
		case "usemtl":
			name := joined(fields[1:])
			mat = &name
		case "f":
			had := [3]int32{int32(len(p.v)), int32(len(p.vt)), int32(len(p.vn))}
			p.faces = append(p.faces, objFace{line: int32(first), had: had, part: part, mat: mat})
			part, mat = nil, nil
			err = p.face(fields[1:])
		}
		if err != nil {
			p.err, p.errLine = err, p.lines
		}
	}
	if part != nil || mat != nil { // for what comes in the next piece
		p.faces = append(p.faces, objFace{line: -1, part: part, mat: mat})
	}
}

// line takes the next line off, with those that it goes on in.
func (p *objLines) line(data []byte) (text, rest []byte) {
	for {
		end := bytes.IndexByte(data, '\n')
		one := data
		if rest = nil; end >= 0 {
			one, rest = data[:end], data[end+1:]
		}
		p.lines++
		if len(one) > longestLine {
			p.err, p.errLine = fmt.Errorf("a line is longer than 8 MB"), p.lines
			return nil, nil
		}
		one = bytes.TrimSpace(one)
		if !bytes.HasSuffix(one, []byte("\\")) || len(rest) == 0 {
			if text == nil {
				return one, rest
			}
			return append(text, one...), rest
		}
		text = append(append(text, bytes.TrimSuffix(one, []byte("\\"))...), ' ')
		data = rest
	}
}

// splitFields is bytes.Fields for ASCII space, into a slice that is there.
func splitFields(text []byte, out [][]byte) [][]byte {
	start := -1
	for i, c := range text {
		if space := c == ' ' || c == '\t' || c == '\r' || c == '\v' || c == '\f'; space && start >= 0 {
			out = append(out, text[start:i])
			start = -1
		} else if !space && start < 0 {
			start = i
		}
	}
	if start >= 0 {
		out = append(out, text[start:])
	}
	return out
}

func joined(fields [][]byte) string { return string(bytes.Join(fields, []byte(" "))) }

func floats[T ~string | ~[]byte](f []T, n int) ([3]float32, error) {
	var out [3]float32
	if len(f) < n {
		return out, fmt.Errorf("%d numbers where %d are needed", len(f), n)
	}
	for i := range n {
		v, err := strconv.ParseFloat(string(f[i]), 32)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			return out, fmt.Errorf("%q is not a number", f[i])
		}
		out[i] = float32(v)
	}
	return out, nil
}

func (p *objLines) numbers(f [][]byte, line int32) error {
	if string(f[0]) == "vt" {
		x, err := floats(f[1:], min(2, max(len(f)-1, 1)))
		p.vt = append(p.vt, geom.Vec2{X: x[0], Y: 1 - x[1]})
		return err
	}
	x, err := floats(f[1:], 3)
	if err != nil {
		return err
	}
	if string(f[0]) == "vn" {
		p.vn = append(p.vn, geom.V3(x[0], x[1], x[2]).Unit())
		return nil
	}
	p.v, p.vLine = append(p.v, geom.V3(x[0], x[1], x[2])), append(p.vLine, line)
	if len(f) >= 7 { // x y z r g b, as many programs write it
		c, err := floats(f[4:], 3)
		if err != nil {
			return err
		}
		for len(p.color) < len(p.v)-1 {
			p.color = append(p.color, white)
		}
		p.color = append(p.color, geom.V3(clamp(c[0]), clamp(c[1]), clamp(c[2])))
	} else if p.color != nil {
		p.color = append(p.color, white)
	}
	return nil
}

var white = geom.V3(1, 1, 1)

func (p *objLines) face(f [][]byte) error {
	if len(f) < 3 {
		return fmt.Errorf("a face has %d corners; three are needed", len(f))
	}
	face := &p.faces[len(p.faces)-1]
	for _, text := range f {
		c, err := cornerOf(text, face.had)
		if err != nil {
			return err
		}
		p.corners = append(p.corners, c)
		face.corners++
	}
	return nil
}

// cornerOf reads v, v/t, v//n or v/t/n; negative numbers count from the end.
func cornerOf(text []byte, had [3]int32) (c objCorner, err error) {
	at := 0
	for i := 0; ; i++ {
		if i > 2 {
			return c, fmt.Errorf("corner %q has more than three numbers", text)
		}
		end := at
		for end < len(text) && text[end] != '/' {
			end++
		}
		if s := text[at:end]; len(s) > 0 || i == 0 {
			n, err := strconv.Atoi(string(s))
			if err != nil || n == 0 || n != int(int32(n)) {
				return c, fmt.Errorf("corner %q: there is no such %s", text, objNames[i])
			}
			if c.n[i] = int32(n); n < 0 {
				c.n[i] += had[i] + 1
				c.back |= 1 << i
			}
		}
		if end == len(text) {
			return c, nil
		}
		at = end + 1
	}
}

var objNames = [3]string{"vertex", "UV", "normal"}

// objReader puts the pieces together.
type objReader struct {
	lim      Limits
	m        *mesh.Model
	v, vn    []geom.Vec3
	vt       []geom.Vec2
	color    []geom.Vec3
	colored  bool
	noNormal bool

	// vertices that were made of each of the file's: one more than the first, and than the
	// next after each; and of what each was made
	first  []uint32
	next   []uint32
	madeOf []objMade

	sheet    map[string]int
	partAt   map[string]int
	curPart  string
	curSheet string
}

type objMade struct {
	vt, vn int32
	part   uint16
	sheet  uint16
}

// add takes in a piece that begins at a line of the file.
func (r *objReader) add(p *objLines, line int) error {
	at := func(n int, err error) error { return fmt.Errorf("line %d: %w", line-1+n, err) }
	base := [3]int32{int32(len(r.v)), int32(len(r.vt)), int32(len(r.vn))}
	if n := r.lim.Vertices - len(r.v); len(p.v) > n {
		return at(int(p.vLine[max(n, 0)]), fmt.Errorf("more than %d vertices", r.lim.Vertices))
	}
	if p.color != nil && !r.colored {
		r.colored = true
		r.color = make([]geom.Vec3, len(r.v), len(r.v)+len(p.v))
		for i := range r.color {
			r.color[i] = white
		}
	}
	r.v, r.vt, r.vn = append(r.v, p.v...), append(r.vt, p.vt...), append(r.vn, p.vn...)
	if r.colored {
		r.color = append(r.color, p.color...)
		for len(r.color) < len(r.v) {
			r.color = append(r.color, white)
		}
	}
	r.first = append(r.first, make([]uint32, len(p.v))...)
	corners := p.corners
	for i := range p.faces {
		f := &p.faces[i]
		if f.part != nil {
			r.curPart = *f.part
		}
		if f.mat != nil {
			r.curSheet = *f.mat
		}
		if f.line < 0 || f.corners < 3 { // the piece ends with names, or with an error in this face
			continue
		}
		if err := r.face(corners[:f.corners], f, base); err != nil {
			return at(int(f.line), err)
		}
		corners = corners[f.corners:]
	}
	if p.err != nil {
		return at(p.errLine, p.err)
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

func (r *objReader) face(corners []objCorner, f *objFace, base [3]int32) error {
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
	var few [8]uint32
	poly := few[:0]
	for _, c := range corners {
		for i := range 3 {
			have := base[i] + f.had[i]
			if c.back>>i&1 != 0 {
				c.n[i] += base[i]
			} else if c.n[i] == 0 && i > 0 {
				continue
			}
			if c.n[i] < 1 || c.n[i] > have {
				return fmt.Errorf("a corner names %s %d; there is no such %s, the file has %d before it",
					objNames[i], c.n[i], objNames[i], have)
			}
		}
		poly = append(poly, r.vertex(c, part, sheet))
	}
	tri := func(a, b, c uint32) error {
		if len(r.m.Tri) >= r.lim.Triangles {
			return fmt.Errorf("more than %d triangles", r.lim.Triangles)
		}
		r.m.Tri = append(r.m.Tri, [3]uint32{a, b, c})
		r.m.TriPart, r.m.TriSheet = append(r.m.TriPart, uint16(part)), append(r.m.TriSheet, uint16(sheet))
		return nil
	}
	if len(poly) == 3 {
		return tri(poly[0], poly[1], poly[2])
	}
	for _, t := range cut(len(poly), func(i int) geom.Vec3 { return r.m.Pos[poly[i]] }) {
		if err := tri(poly[t[0]], poly[t[1]], poly[t[2]]); err != nil {
			return err
		}
	}
	return nil
}

// vertex returns the vertex of a corner, whose numbers are those of the file and are there.
func (r *objReader) vertex(c objCorner, part, sheet int) uint32 {
	v := c.n[0] - 1
	of := objMade{c.n[1], c.n[2], uint16(part), uint16(sheet)}
	made := r.first[v]
	for made != 0 && r.madeOf[made-1] != of {
		made = r.next[made-1]
	}
	if made != 0 {
		return made - 1
	}
	r.m.Pos = append(r.m.Pos, r.v[v])
	var uv geom.Vec2
	if of.vt > 0 {
		uv = r.vt[of.vt-1]
	}
	var n geom.Vec3
	if of.vn > 0 {
		n = r.vn[of.vn-1]
	}
	r.noNormal = r.noNormal || n == geom.Vec3{}
	r.m.UV, r.m.Nrm = append(r.m.UV, uv), append(r.m.Nrm, n)
	if r.colored {
		for len(r.m.Color) < len(r.m.Pos)-1 { // made before the first colour came
			r.m.Color = append(r.m.Color, white)
		}
		r.m.Color = append(r.m.Color, r.color[v])
	}
	r.next, r.madeOf = append(r.next, r.first[v]), append(r.madeOf, of)
	r.first[v] = uint32(len(r.m.Pos))
	return uint32(len(r.m.Pos)) - 1
}
