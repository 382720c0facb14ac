// Package meshio reads models (glTF 2.0 as .gltf and .glb, Wavefront OBJ, PLY, STL)
// and writes GLB and OBJ. Every size a file claims is checked before memory is taken for it.
package meshio

import (
	"fmt"
	"io/fs"
	"path"
	"strings"

	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
)

// Limits bound what an importer accepts.
type Limits struct {
	Bytes     int64 // of all files together
	Triangles int
	Vertices  int
	Depth     int // of the node tree
	// Tell, if not nil, is told now and then which share of the file is read; an
	// error from it ends the reading with this error.
	Tell func(share float64) error
}

// told calls Tell on every 8192nd of a row of events.
func (l Limits) told(n int, share float64) error {
	if l.Tell == nil || n%8192 != 0 {
		return nil
	}
	return l.Tell(share)
}

// DefaultLimits suit a server that many share.
var DefaultLimits = Limits{Bytes: 512 << 20, Triangles: 8 << 20, Vertices: 16 << 20, Depth: 64}

// Read reads the model called name from files; a .gltf may refer to others in
// the same folder. The error names the file, the place in it and the reason.
func Read(files fs.FS, name string, lim Limits) (*mesh.Model, error) {
	m, _, err := readTraced(files, name, lim, false)
	return m, err
}

// readTraced also returns the reader of a glTF file that knows where each triangle comes from, when
// that is asked for.
func readTraced(files fs.FS, name string, lim Limits, traced bool) (m *mesh.Model, r *gltfReader, err error) {
	var to **gltfReader
	if traced {
		to = &r
	}
	err = par.Contain(func() (err error) { m, err = read(files, name, lim, to); return err })
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path.Base(name), err)
	}
	m.Name = strings.TrimSuffix(path.Base(name), path.Ext(name))
	return m, r, nil
}

func read(files fs.FS, name string, lim Limits, trace **gltfReader) (*mesh.Model, error) {
	data, err := load(files, name, lim.Bytes)
	if err != nil {
		return nil, err
	}
	if err := lim.told(0, 0); err != nil {
		return nil, err
	}
	form := formOf(name)
	if form == nil {
		return nil, fmt.Errorf("this kind of file is not read; use %s", Readable())
	}
	f, err := fitOf(files, name)
	if err != nil {
		return nil, err
	}
	m, err := form.read(&source{data, files, path.Dir(name), f.Scene, f.UV, lim, form == &glbForm, trace})
	if err != nil {
		return nil, err
	}
	if trace != nil && *trace != nil {
		(*trace).turned = f.Up == "z"
	}
	if err := lim.told(0, 1); err != nil {
		return nil, err
	}
	fit(m, name, f)
	if m.Color != nil && len(m.Color) != len(m.Pos) {
		m.Color = nil // only some have one
	}
	for i := range m.Sheets {
		m.Sheets[i].HasUV = false
	}
	for i, t := range m.Tri {
		a, b, c := m.UV[t[0]], m.UV[t[1]], m.UV[t[2]]
		if (b.X-a.X)*(c.Y-a.Y) != (b.Y-a.Y)*(c.X-a.X) {
			m.Sheets[m.TriSheet[i]].HasUV = true
		}
	}
	if err := m.SplitTiles(); err != nil {
		return nil, err
	}
	dropEmptySheets(m)
	if err := lim.told(0, 1); err != nil {
		return nil, err
	}
	return m, m.Finish()
}

func load(files fs.FS, name string, limit int64) ([]byte, error) {
	st, err := fs.Stat(files, name)
	if err != nil {
		return nil, fmt.Errorf("the file %q is not there", name)
	}
	if st.Size() > limit {
		return nil, fmt.Errorf("the file has %d bytes; at most %d are read", st.Size(), limit)
	}
	return fs.ReadFile(files, name)
}

func dropEmptySheets(m *mesh.Model) {
	used := make([]bool, len(m.Sheets))
	for _, s := range m.TriSheet {
		used[s] = true
	}
	to := make([]uint16, len(m.Sheets))
	var keep []mesh.Sheet
	names := map[string]int{}
	for i, s := range m.Sheets {
		if used[i] {
			if names[s.Name]++; names[s.Name] > 1 {
				s.Name = fmt.Sprintf("%s (%d)", s.Name, names[s.Name])
			}
			to[i] = uint16(len(keep))
			keep = append(keep, s)
		}
	}
	for i, s := range m.TriSheet {
		m.TriSheet[i] = to[s]
	}
	m.Sheets = keep
}
