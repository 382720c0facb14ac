package unwrap

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"

	"github.com/klauspost/compress/zstd"
)

// Layout is where the triangles of a model lie: on which sheet, and where on it.
// It does not hold the model: the same triangles can have many layouts.
type Layout struct {
	Sheets   []mesh.Sheet
	TriSheet []uint16
	UV       [][3]geom.Vec2 // by triangle and corner; V grows downward
}

// Of returns the layout that a model has.
func Of(m *mesh.Model) *Layout {
	l := &Layout{
		Sheets:   append([]mesh.Sheet(nil), m.Sheets...),
		TriSheet: append([]uint16(nil), m.TriSheet...),
		UV:       make([][3]geom.Vec2, len(m.Tri)),
	}
	for i, t := range m.Tri {
		for k, v := range t {
			l.UV[i][k] = m.UV[v]
		}
	}
	return l
}

// Apply returns the model with this layout: the same triangles in the same order,
// their vertices split where the UVs part. It fails when the layout was made for
// another model.
func (l *Layout) Apply(m *mesh.Model) (*mesh.Model, error) {
	if len(l.UV) != len(m.Tri) || len(l.TriSheet) != len(m.Tri) {
		return nil, fmt.Errorf("the layout is for %d triangles, the model has %d", len(l.UV), len(m.Tri))
	}
	out := &mesh.Model{
		Name:     m.Name,
		Parts:    m.Parts,
		Sheets:   l.Sheets,
		TriPart:  m.TriPart,
		TriSheet: l.TriSheet,
		Tri:      make([][3]uint32, len(m.Tri)),
	}
	type key struct {
		v  uint32
		uv geom.Vec2
	}
	made := make(map[key]uint32, len(m.Pos))
	for i, t := range m.Tri {
		if int(l.TriSheet[i]) >= len(l.Sheets) {
			return nil, fmt.Errorf("the layout puts triangle %d on sheet %d of %d", i, l.TriSheet[i], len(l.Sheets))
		}
		for k, v := range t {
			at := key{v, l.UV[i][k]}
			id, ok := made[at]
			if !ok {
				id = uint32(len(out.Pos))
				made[at] = id
				out.Pos, out.Nrm, out.UV = append(out.Pos, m.Pos[v]), append(out.Nrm, m.Nrm[v]), append(out.UV, at.uv)
				if m.Color != nil {
					out.Color = append(out.Color, m.Color[v])
				}
			}
			out.Tri[i][k] = id
		}
	}
	return out, out.Finish()
}

// Bytes packs the layout for keeping.
func (l *Layout) Bytes() ([]byte, error) {
	head, err := json.Marshal(struct {
		Triangles int          `json:"triangles"`
		Sheets    []mesh.Sheet `json:"sheets"`
	}{len(l.UV), l.Sheets})
	if err != nil {
		return nil, err
	}
	var raw bytes.Buffer
	_ = binary.Write(&raw, binary.LittleEndian, uint32(len(head)))
	raw.Write(head)
	_ = binary.Write(&raw, binary.LittleEndian, l.TriSheet)
	_ = binary.Write(&raw, binary.LittleEndian, l.UV)
	e, err := zstd.NewWriter(nil)
	if err != nil {
		return nil, err
	}
	defer e.Close()
	return e.EncodeAll(raw.Bytes(), nil), nil
}

// ParseLayout reads what Bytes packed. Sizes are checked before memory is taken.
func ParseLayout(data []byte) (*Layout, error) {
	d, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(1<<30))
	if err != nil {
		return nil, err
	}
	defer d.Close()
	raw, err := d.DecodeAll(data, nil)
	if err != nil {
		return nil, fmt.Errorf("the layout is damaged: %w", err)
	}
	if len(raw) < 4 {
		return nil, fmt.Errorf("the layout is cut off")
	}
	n := int(binary.LittleEndian.Uint32(raw))
	if n > len(raw)-4 {
		return nil, fmt.Errorf("the layout is cut off")
	}
	var head struct {
		Triangles int          `json:"triangles"`
		Sheets    []mesh.Sheet `json:"sheets"`
	}
	if err := json.Unmarshal(raw[4:4+n], &head); err != nil {
		return nil, fmt.Errorf("the layout is damaged: %w", err)
	}
	if head.Triangles < 0 || head.Triangles > math.MaxInt32 || len(raw)-4-n != head.Triangles*26 ||
		len(head.Sheets) > 256 {
		return nil, fmt.Errorf("the layout claims %d triangles but has not their size", head.Triangles)
	}
	l := &Layout{
		Sheets:   head.Sheets,
		TriSheet: make([]uint16, head.Triangles),
		UV:       make([][3]geom.Vec2, head.Triangles),
	}
	r := bytes.NewReader(raw[4+n:])
	_ = binary.Read(r, binary.LittleEndian, l.TriSheet)
	_ = binary.Read(r, binary.LittleEndian, l.UV)
	return l, nil
}
