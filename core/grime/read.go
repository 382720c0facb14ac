package grime

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"

	"velvetgrime/core/brush"
)

// Archive is a .grime file that was opened. Nothing but its manifest and items is in memory.
type Archive struct {
	Manifest
	z   map[string]*zip.File
	lim Limits
}

var (
	known = regexp.MustCompile(
		`^(manifest\.json|project\.json|strokes\.jsonl|items/[0-9]{4}\.json|blobs/[0-9a-f]{64})$`,
	)
	blobName = regexp.MustCompile(`^[0-9a-f]{64}$`)
)

// ErrNone is the error of a file that is no .grime file at all.
var ErrNone = errors.New("it is no .grime file")

// Open reads the manifest of an archive of size bytes and the data of its items. Its error
// names the file in the archive that is wrong.
func Open(r io.ReaderAt, size int64, lim Limits) (*Archive, error) {
	zr, err := zip.NewReader(r, size)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrNone, err)
	}
	if len(zr.File) > lim.Files {
		return nil, fmt.Errorf("it holds %d files; at most %d are read", len(zr.File), lim.Files)
	}
	a := &Archive{z: map[string]*zip.File{}, lim: lim}
	all := uint64(0)
	for _, f := range zr.File {
		switch {
		case !known.MatchString(f.Name):
			return nil, fmt.Errorf("%q is no file of a .grime file", f.Name)
		case a.z[f.Name] != nil:
			return nil, where(f.Name, fmt.Errorf("it is there twice"))
		}
		most := uint64(lim.JSON)
		if f.Name[0] == 'b' {
			most = uint64(lim.Blob)
		}
		if f.UncompressedSize64 > most {
			return nil, where(f.Name, fmt.Errorf("it has %d bytes; at most %d are read", f.UncompressedSize64, most))
		}
		if all += f.UncompressedSize64; all > uint64(lim.All) {
			return nil, fmt.Errorf("its files have more than %d bytes in all", lim.All)
		}
		a.z[f.Name] = f
	}
	b, err := a.bytes(manifestFile)
	if err != nil {
		if a.z[manifestFile] == nil {
			return nil, fmt.Errorf("%w: it has no %s", ErrNone, manifestFile)
		}
		return nil, err
	}
	if err := strict(b, &a.Manifest); err != nil {
		return nil, where(manifestFile, err)
	}
	if err := a.check(); err != nil {
		return nil, where(manifestFile, err)
	}
	for i := range a.Items {
		if a.Items[i].Data, err = a.bytes(a.Items[i].File); err != nil {
			return nil, err
		}
		if !json.Valid(a.Items[i].Data) {
			return nil, where(a.Items[i].File, fmt.Errorf("it is no JSON"))
		}
	}
	return a, nil
}

// check looks whether the manifest says what is there, and nothing else is.
func (a *Archive) check() error {
	if a.Format != Format {
		return fmt.Errorf("the format is %q, not %q", a.Format, Format)
	}
	if a.Version < 1 || a.Version > Version {
		return fmt.Errorf(
			"the version is %d; versions 1 to %d are read here, so a newer program wrote it",
			a.Version,
			Version,
		)
	}
	told := map[string]bool{manifestFile: true}
	tell := func(name string) error {
		if a.z[name] == nil {
			return fmt.Errorf("%s is named and not there", name)
		}
		if told[name] {
			return fmt.Errorf("%s is named twice", name)
		}
		told[name] = true
		return nil
	}
	blobs := map[string]bool{}
	for _, b := range a.Blobs {
		if !blobName.MatchString(b.SHA256) {
			return fmt.Errorf("%q is no SHA-256", b.SHA256)
		}
		if err := tell(blobFolder + b.SHA256); err != nil {
			return err
		}
		if got := a.z[blobFolder+b.SHA256].UncompressedSize64; b.Size < 0 || uint64(b.Size) != got {
			return fmt.Errorf("blob %s has %d bytes, not %d", b.SHA256, got, b.Size)
		}
		blobs[b.SHA256] = true
	}
	for i, it := range a.Items {
		if it.Name == "" || len(it.Name) > 80 || len(it.Tags) > 20 {
			return fmt.Errorf("item %d has no usable name, or more than 20 tags", i+1)
		}
		if it.Picture != "" && !blobs[it.Picture] {
			return fmt.Errorf("item %d, %q: its picture is not there", i+1, it.Name)
		}
		if err := tell(it.File); err != nil {
			return fmt.Errorf("item %d, %q: %w", i+1, it.Name, err)
		}
	}
	if a.Project {
		for _, name := range []string{projectFile, strokesFile} {
			if err := tell(name); err != nil {
				return err
			}
		}
	}
	for name := range a.z {
		if !told[name] {
			return fmt.Errorf("%s is there and not named", name)
		}
	}
	return nil
}

// bytes unpacks a file, never more of it than it claims.
func (a *Archive) bytes(name string) ([]byte, error) {
	f := a.z[name]
	if f == nil {
		return nil, where(name, fmt.Errorf("it is not there"))
	}
	r, err := f.Open()
	if err != nil {
		return nil, where(name, err)
	}
	defer r.Close()
	var b bytes.Buffer
	n, err := io.Copy(&b, io.LimitReader(r, int64(f.UncompressedSize64)+1))
	if err == nil && uint64(n) != f.UncompressedSize64 {
		err = fmt.Errorf("it has not the %d bytes that it claims", f.UncompressedSize64)
	}
	if err != nil {
		return nil, where(name, err)
	}
	return b.Bytes(), nil
}

// Has reports whether a blob is in the archive.
func (a *Archive) Has(hash string) bool { return a.z[blobFolder+hash] != nil }

// Blob returns a blob; an error when its bytes are not those of its name.
func (a *Archive) Blob(hash string) ([]byte, error) {
	b, err := a.bytes(blobFolder + hash)
	if err != nil {
		return nil, err
	}
	if HashOf(b) != hash {
		return nil, where(blobFolder+hash, fmt.Errorf("its bytes are others than its name says"))
	}
	return b, nil
}

// Whole returns the project of the archive and its strokes, each of which was checked. Its
// documents and operations were not.
func (a *Archive) Whole() (*Project, []*brush.Stroke, error) {
	if !a.Project {
		return nil, nil, fmt.Errorf("it holds no project")
	}
	b, err := a.bytes(projectFile)
	if err != nil {
		return nil, nil, err
	}
	var p Project
	if err := strict(b, &p); err != nil {
		return nil, nil, where(projectFile, err)
	}
	if err := p.check(a); err != nil {
		return nil, nil, where(projectFile, err)
	}
	lines, err := a.bytes(strokesFile)
	if err != nil {
		return nil, nil, err
	}
	var strokes []*brush.Stroke
	seen := map[string]bool{}
	r := bufio.NewReaderSize(bytes.NewReader(lines), 1<<20)
	for n := 1; ; n++ {
		line, err := r.ReadBytes('\n')
		if len(bytes.TrimSpace(line)) > 0 {
			s := &brush.Stroke{}
			if err := strict(line, s); err != nil {
				return nil, nil, fmt.Errorf("%s: line %d: %w", strokesFile, n, err)
			}
			if err := s.Check(); err != nil {
				return nil, nil, fmt.Errorf("%s: line %d: %w", strokesFile, n, err)
			}
			if seen[s.ID] {
				return nil, nil, fmt.Errorf("%s: line %d: the stroke %q is there twice", strokesFile, n, s.ID)
			}
			seen[s.ID] = true
			strokes = append(strokes, s)
		}
		if err != nil {
			return &p, strokes, nil
		}
	}
}

func (p *Project) check(a *Archive) error {
	if p.Name == "" || len(p.Name) > 200 {
		return fmt.Errorf("the project has no usable name")
	}
	if !a.Has(p.ModelBlob) {
		return fmt.Errorf("the model is not there")
	}
	if p.Picture != "" && !a.Has(p.Picture) {
		return fmt.Errorf("the picture of the project is not there")
	}
	if len(p.Snapshots) == 0 || p.Snapshots[0].Seq != 0 {
		return fmt.Errorf("there is no document of the beginning")
	}
	if !slices.IsSortedFunc(p.Snapshots, func(a, b Snapshot) int { return int(a.Seq - b.Seq) }) {
		return fmt.Errorf("the documents are not in order")
	}
	for i, e := range p.Entries {
		if e.Seq != int64(i+1) {
			return fmt.Errorf("entry %d of the ledger has the number %d", i+1, e.Seq)
		}
		if e.Ref < 0 || e.Ref >= e.Seq || !slices.Contains([]string{"do", "undo", "redo", "jump"}, e.Kind) ||
			len(e.Label) > 500 {
			return fmt.Errorf("entry %d of the ledger has a kind, label or reference that is none", e.Seq)
		}
	}
	if last := p.Snapshots[len(p.Snapshots)-1].Seq; last > int64(len(p.Entries)) {
		return fmt.Errorf("a document is said to be after entry %d, and there are %d", last, len(p.Entries))
	}
	for _, m := range p.Marks {
		if m.Seq < 0 || m.Seq > int64(len(p.Entries)) || m.Name == "" || len(m.Name) > 80 {
			return fmt.Errorf("the mark %q is at no entry", m.Name)
		}
	}
	for _, pic := range p.Pictures {
		if !a.Has(pic.Blob) {
			return fmt.Errorf("the picture %q is not there", pic.Name)
		}
	}
	return nil
}

// strict reads JSON; unknown fields are an error.
func strict(b []byte, v any) error {
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(v); err != nil {
		return err
	}
	if d.More() {
		return fmt.Errorf("something follows the end")
	}
	return nil
}
