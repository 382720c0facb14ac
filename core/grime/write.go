package grime

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"velvetgrime/core/brush"
)

// Out is what is to be written.
type Out struct {
	Name    string
	Items   []Item // with Data
	Project *Project
	Strokes []*brush.Stroke // of the project
	// Blob returns a blob by its hash; an error that Missing tells means that it is none
	Blob    func(hash string) ([]byte, error)
	Missing func(err error) bool
}

// Write writes an archive. The same content gives the same bytes: files in one order, without
// times, JSON with sorted keys. The blobs are those whose hashes stand in the content.
func Write(w io.Writer, o Out) error {
	m := Manifest{Format: Format, Version: Version, Name: o.Name, Project: o.Project != nil}
	files := map[string][]byte{}
	var hashes []string
	note := func(b []byte) {
		for _, h := range Hash.FindAll(b, -1) {
			hashes = append(hashes, string(h))
		}
	}
	for i, it := range o.Items {
		data, err := sorted(it.Data)
		if err != nil {
			return where(it.Name, err)
		}
		it.File = fmt.Sprintf(itemFile, i+1)
		files[it.File] = data
		note(data)
		note([]byte(it.Picture))
		m.Items = append(m.Items, it)
	}
	if o.Project != nil {
		raw, err := json.Marshal(o.Project)
		if err != nil {
			return err
		}
		if files[projectFile], err = sorted(raw); err != nil {
			return err
		}
		note(files[projectFile])
		strokes := slices.Clone(o.Strokes)
		slices.SortFunc(strokes, func(a, b *brush.Stroke) int { return strings.Compare(a.ID, b.ID) })
		var lines bytes.Buffer
		for _, s := range strokes {
			b, err := json.Marshal(s)
			if err != nil {
				return where("stroke "+s.ID, err)
			}
			lines.Write(b)
			lines.WriteByte('\n')
		}
		files[strokesFile] = lines.Bytes()
		note(lines.Bytes())
	}
	slices.Sort(hashes)
	kept := make([]string, 0, len(hashes))
	for _, h := range slices.Compact(hashes) {
		b, err := o.Blob(h)
		if err != nil && o.Missing(err) {
			continue // a number that looks like one
		}
		if err != nil {
			return where(h, err)
		}
		kept = append(kept, h)
		m.Blobs = append(m.Blobs, Blob{h, int64(len(b))})
	}
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	if files[manifestFile], err = sorted(raw); err != nil {
		return err
	}
	z := zip.NewWriter(w)
	put := func(name string, b []byte, method uint16) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: method})
		if err == nil {
			_, err = f.Write(b)
		}
		return err
	}
	names := []string{manifestFile}
	for _, it := range m.Items {
		names = append(names, it.File)
	}
	if o.Project != nil {
		names = append(names, projectFile, strokesFile)
	}
	for _, n := range names {
		if err := put(n, files[n], zip.Deflate); err != nil {
			return err
		}
	}
	for _, h := range kept {
		b, err := o.Blob(h)
		if err == nil {
			err = put(blobFolder+h, b, zip.Store)
		}
		if err != nil {
			return where(h, err)
		}
	}
	return z.Close()
}

// sorted writes JSON anew with sorted keys, indented, its numbers as they stand.
func sorted(b []byte) ([]byte, error) {
	d := json.NewDecoder(bytes.NewReader(b))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	e := json.NewEncoder(&out)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	err := e.Encode(v)
	return out.Bytes(), err
}
