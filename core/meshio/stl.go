package meshio

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
)

var stlForm = Form{
	Ext: ".stl", Label: "STL", Media: "model/stl", Up: "z", // as printers have it
	read: func(s *source) (*mesh.Model, error) { return readSTL(s.data, s.lim) },
}

// readSTL reads stereolithography files, binary or ASCII. Vertices at one place
// become one; normals are rebuilt, as the file's are a face each.
func readSTL(data []byte, lim Limits) (*mesh.Model, error) {
	b := newBuilder("Model", lim)
	at := map[geom.Vec3]uint32{}
	vertex := func(p geom.Vec3) (uint32, error) {
		if !p.Finite() {
			return 0, fmt.Errorf("the corner %v is no place", p)
		}
		p = geom.V3(p.X+0, p.Y+0, p.Z+0)
		id, ok := at[p]
		if !ok {
			if len(b.m.Pos) >= lim.Vertices {
				return 0, fmt.Errorf("more than %d vertices", lim.Vertices)
			}
			id = uint32(len(b.m.Pos))
			at[p] = id
			b.m.Pos, b.m.Nrm, b.m.UV = append(b.m.Pos, p), append(b.m.Nrm, geom.Vec3{}), append(b.m.UV, geom.Vec2{})
		}
		return id, nil
	}
	triangle := func(p [3]geom.Vec3) error {
		if err := lim.told(len(b.m.Tri), 0.5); err != nil {
			return err
		}
		var c [3]uint32
		for k := range p {
			var err error
			if c[k], err = vertex(p[k]); err != nil {
				return err
			}
		}
		return b.face(c[:]...)
	}
	var err error
	if n := binaryTriangles(data); n >= 0 {
		if n > lim.Triangles {
			return nil, fmt.Errorf("byte 80: %d triangles; at most %d are read", n, lim.Triangles)
		}
		for i := range n {
			var p [3]geom.Vec3
			for k := range 3 {
				o := 84 + 50*i + 12 + 12*k
				f := func(j int) float32 { return math.Float32frombits(binary.LittleEndian.Uint32(data[o+4*j:])) }
				p[k] = geom.V3(f(0), f(1), f(2))
			}
			if err = triangle(p); err != nil {
				return nil, fmt.Errorf("triangle %d: %w", i, err)
			}
		}
	} else if err = asciiSTL(data, triangle); err != nil {
		return nil, err
	}
	if len(b.m.Tri) == 0 {
		return nil, fmt.Errorf("there is no triangle in the file")
	}
	b.m.SmoothNormals(40)
	return b.m, nil
}

// binaryTriangles returns how many triangles a binary file has, or −1 when it is
// none: its length must be that of its triangles.
func binaryTriangles(data []byte) int {
	if len(data) < 84 {
		return -1
	}
	n := int64(binary.LittleEndian.Uint32(data[80:]))
	if 84+50*n > int64(len(data)) || 84+50*n < int64(len(data))-512 {
		return -1
	}
	return int(n)
}

func asciiSTL(data []byte, triangle func([3]geom.Vec3) error) error {
	if !bytes.HasPrefix(bytes.TrimLeft(data, " \t\r\n"), []byte("solid")) {
		return fmt.Errorf(
			"byte 0: this is neither an ASCII STL (solid …) nor a binary one whose length is that of its triangles; it may be cut off",
		)
	}
	sc := bufio.NewScanner(bytes.NewReader(data))
	sc.Buffer(make([]byte, 64<<10), 1<<20)
	var p []geom.Vec3
	for line := 1; sc.Scan(); line++ {
		f := strings.Fields(sc.Text())
		if len(f) == 0 {
			continue
		}
		switch strings.ToLower(f[0]) {
		case "vertex":
			v, err := floats(f[1:], 3)
			if err != nil {
				return fmt.Errorf("line %d: %w", line, err)
			}
			p = append(p, geom.V3(v[0], v[1], v[2]))
		case "endfacet":
			if len(p) != 3 {
				return fmt.Errorf("line %d: the facet has %d corners; three are needed", line, len(p))
			}
			if err := triangle([3]geom.Vec3(p)); err != nil {
				return fmt.Errorf("line %d: %w", line, err)
			}
			p = p[:0]
		}
	}
	if err := sc.Err(); err != nil {
		return fmt.Errorf("a line is longer than 1 MB: %w", err)
	}
	if len(p) > 0 {
		return fmt.Errorf("the last facet does not end; the file was cut off")
	}
	return nil
}
