package meshio

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strconv"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/pix"
)

var plyForm = Form{
	Ext: ".ply", Label: "PLY", Media: "model/ply", Up: "z", // as scanners have it
	read: func(s *source) (*mesh.Model, error) { return readPLY(s.data, s.lim) },
}

// plyProperty is one property of an element; a list when count is set.
type plyProperty struct {
	name, kind, count string
}

type plyElement struct {
	name  string
	n     int
	props []plyProperty
}

var plySize = map[string]int{
	"char": 1, "int8": 1, "uchar": 1, "uint8": 1, "short": 2, "int16": 2, "ushort": 2, "uint16": 2,
	"int": 4, "int32": 4, "uint": 4, "uint32": 4, "float": 4, "float32": 4, "double": 8, "float64": 8,
}

// readPLY reads polygon files (ASCII, little and big endian): places, normals,
// colours and texture coordinates of vertices, polygons of any number of corners.
func readPLY(data []byte, lim Limits) (*mesh.Model, error) {
	head, body, form, err := plyHeader(data)
	if err != nil {
		return nil, err
	}
	var next func(kind string) (float64, error)
	left := func() int { return len(body) }
	switch form {
	case "ascii":
		next = func(string) (float64, error) {
			for len(body) > 0 && (body[0] == ' ' || body[0] == '\n' || body[0] == '\r' || body[0] == '\t') {
				body = body[1:]
			}
			n := bytes.IndexAny(body, " \n\r\t")
			if n < 0 {
				n = len(body)
			}
			if n == 0 {
				return 0, fmt.Errorf("the file ends too early")
			}
			v, err := strconv.ParseFloat(string(body[:min(n, 64)]), 64)
			if err != nil {
				return 0, fmt.Errorf("%q is not a number", body[:min(n, 24)])
			}
			body = body[n:]
			return v, nil
		}
	default:
		var order binary.ByteOrder = binary.LittleEndian
		if form == "binary_big_endian" {
			order = binary.BigEndian
		}
		next = func(kind string) (float64, error) {
			n := plySize[kind]
			if len(body) < n {
				return 0, fmt.Errorf("the file ends too early")
			}
			b := body[:n]
			body = body[n:]
			switch kind {
			case "char", "int8":
				return float64(int8(b[0])), nil
			case "uchar", "uint8":
				return float64(b[0]), nil
			case "short", "int16":
				return float64(int16(order.Uint16(b))), nil
			case "ushort", "uint16":
				return float64(order.Uint16(b)), nil
			case "int", "int32":
				return float64(int32(order.Uint32(b))), nil
			case "uint", "uint32":
				return float64(order.Uint32(b)), nil
			case "float", "float32":
				return float64(math.Float32frombits(order.Uint32(b))), nil
			}
			return math.Float64frombits(order.Uint64(b)), nil
		}
	}
	b := newBuilder("Model", lim)
	normals := false
	for _, e := range head {
		least := 0
		for _, p := range e.props {
			if form == "ascii" {
				least++
			} else if p.count != "" {
				least += plySize[p.count]
			} else {
				least += plySize[p.kind]
			}
		}
		if e.n < 0 || least == 0 && e.n > 0 || int64(e.n)*int64(max(least, 1)) > int64(left()) {
			return nil, fmt.Errorf(
				"element %s: %d of them claim more than the %d bytes that are left",
				e.name,
				e.n,
				left(),
			)
		}
		if e.name == "vertex" && e.n > lim.Vertices {
			return nil, fmt.Errorf("element vertex: %d; at most %d are read", e.n, lim.Vertices)
		}
		for i := range e.n {
			if err := lim.told(i, 1-float64(left())/float64(len(data))); err != nil {
				return nil, err
			}
			if err := b.plyElement(e, next, &normals); err != nil {
				return nil, fmt.Errorf("%s %d: %w", e.name, i, err)
			}
		}
	}
	if len(b.m.Tri) == 0 {
		return nil, fmt.Errorf("there is no face in the file; a cloud of points has no surface")
	}
	if !normals {
		b.m.SmoothNormals(40)
	}
	return b.m, nil
}

func plyHeader(data []byte) (head []plyElement, body []byte, form string, err error) {
	if !bytes.HasPrefix(data, []byte("ply")) {
		return nil, nil, "", fmt.Errorf("byte 0: this is not a PLY file (no ply mark)")
	}
	for line := 1; ; line++ {
		n := bytes.IndexByte(data, '\n')
		if n < 0 || n > 4096 || line > 4096 {
			return nil, nil, "", fmt.Errorf("line %d: the header does not end", line)
		}
		f := strings.Fields(string(data[:n]))
		data = data[n+1:]
		if len(f) == 0 {
			continue
		}
		bad := func(why string) (a []plyElement, c []byte, d string, err error) {
			return nil, nil, "", fmt.Errorf("line %d: %s", line, why)
		}
		switch f[0] {
		case "format":
			if len(f) < 2 || f[1] != "ascii" && f[1] != "binary_little_endian" && f[1] != "binary_big_endian" {
				return bad("the format is none of ascii, binary_little_endian, binary_big_endian")
			}
			form = f[1]
		case "element":
			if len(f) != 3 {
				return bad("an element needs a name and a number")
			}
			n, err := strconv.Atoi(f[2])
			if err != nil || n < 0 {
				return bad(fmt.Sprintf("%q is no number of elements", f[2]))
			}
			head = append(head, plyElement{name: f[1], n: n})
		case "property":
			if len(head) == 0 {
				return bad("a property stands before any element")
			}
			p := plyProperty{}
			switch {
			case len(f) == 3:
				p = plyProperty{name: f[2], kind: f[1]}
			case len(f) == 5 && f[1] == "list":
				p = plyProperty{name: f[4], kind: f[3], count: f[2]}
			default:
				return bad("the property is not readable")
			}
			if plySize[p.kind] == 0 || p.count != "" && plySize[p.count] == 0 {
				return bad(fmt.Sprintf("the type of property %q is unknown", p.name))
			}
			e := &head[len(head)-1]
			e.props = append(e.props, p)
		case "end_header":
			if form == "" {
				return bad("the header names no format")
			}
			return head, data, form, nil
		}
	}
}

// plyElement reads one element.
func (b *builder) plyElement(e plyElement, next func(kind string) (float64, error), normals *bool) error {
	var pos, nrm, color geom.Vec3
	uv := geom.Vec2{}
	colored := false
	for _, p := range e.props {
		if p.count != "" {
			n, err := next(p.count)
			if err != nil {
				return err
			}
			if !(n >= 0 && n <= 1<<16) {
				return fmt.Errorf("a list of %v", n)
			}
			var list []uint32
			for range int(n) {
				v, err := next(p.kind)
				if err != nil {
					return err
				}
				if e.name == "face" && !(v >= 0 && v < math.MaxUint32) {
					if p.name == "vertex_indices" || p.name == "vertex_index" {
						return fmt.Errorf("vertex %v does not exist", v)
					}
				}
				list = append(list, uint32(max(v, 0)))
			}
			if e.name == "face" && (p.name == "vertex_indices" || p.name == "vertex_index") {
				if err := b.face(list...); err != nil {
					return err
				}
			}
			continue
		}
		v, err := next(p.kind)
		if err != nil {
			return err
		}
		if !finite(v) {
			return fmt.Errorf("%s is not a number", p.name)
		}
		f := float32(v)
		if k := plySize[p.kind]; k == 1 { // colours as whole numbers
			v /= 255
		} else if k == 2 {
			v /= 65535
		}
		switch p.name {
		case "x":
			pos.X = f
		case "y":
			pos.Y = f
		case "z":
			pos.Z = f
		case "nx":
			nrm.X, *normals = f, true
		case "ny":
			nrm.Y = f
		case "nz":
			nrm.Z = f
		case "u", "s", "texture_u":
			uv.X = f
		case "v", "t", "texture_v":
			uv.Y = 1 - f
		case "red", "r":
			color.X, colored = float32(v), true
		case "green", "g":
			color.Y = float32(v)
		case "blue", "b":
			color.Z = float32(v)
		}
	}
	if e.name != "vertex" {
		return nil
	}
	b.m.Pos, b.m.Nrm, b.m.UV = append(b.m.Pos, pos), append(b.m.Nrm, nrm.Unit()), append(b.m.UV, uv)
	if colored {
		c := geom.V3(clamp(color.X), clamp(color.Y), clamp(color.Z))
		b.m.Color = append(b.m.Color, c)
	}
	return nil
}

func clamp(v float32) float32 { return min(max(v, 0), 1) }

// encoded turns a colour of linear light into its sRGB encoding.
func encoded(r, g, b float32) geom.Vec3 {
	return geom.V3(pix.EncodeSRGB(clamp(r)), pix.EncodeSRGB(clamp(g)), pix.EncodeSRGB(clamp(b)))
}
