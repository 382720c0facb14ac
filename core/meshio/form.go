package meshio

import (
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"velvetgrime/core/mesh"
)

// Form is a kind of model file. Each is registered where it is read.
type Form struct {
	Ext    string   `json:"ext" doc:"end of the file name, with the dot"`
	Label  string   `json:"label"`
	Media  string   `json:"media" doc:"media type"`
	Beside []string `json:"beside" doc:"ends of the names of files that may belong to one"`
	Up     string   `json:"up" enum:"y,z" doc:"which way is up, when nobody says"`
	Metres bool     `json:"metres" doc:"its numbers are metres; of others the unit is guessed"`
	Writes bool     `json:"writes" doc:"models can be saved as one, too"`

	read     func(s *source) (*mesh.Model, error)
	textures func(files fs.FS, name string, lim Limits) ([]Texture, error) // nil: it has none
	write    func(w io.Writer, m *mesh.Model) error
	weigh    func(data []byte, lim Limits) int64 // besides its bytes; nil: by these alone
}

// source is a model's file, and what lies beside it.
type source struct {
	data  []byte
	files fs.FS
	dir   string
	scene string
	uv    int // which set of UVs, from 1; 0: the first
	lim   Limits
	glb   bool         // whatever its first bytes are
	trace **gltfReader // gets the reader of a glTF file, when not nil
}

// forms in the order in which they are listed for people.
var forms = []*Form{&glbForm, &gltfForm, &objForm, &plyForm, &stlForm}

// Forms lists the kinds of model files.
func Forms() []Form {
	var out []Form
	for _, f := range forms {
		one := *f
		one.Writes = f.write != nil
		out = append(out, one)
	}
	return out
}

// formOf returns the kind of a file by its name, or nil.
func formOf(name string) *Form {
	ext := strings.ToLower(path.Ext(name))
	if i := slices.IndexFunc(forms, func(f *Form) bool { return f.Ext == ext }); i >= 0 {
		return forms[i]
	}
	return nil
}

// endings lists the ends of the names of the forms that are meant, for a message.
func endings(meant func(f *Form) bool) string {
	var out []string
	for _, f := range forms {
		if meant(f) {
			out = append(out, f.Ext)
		}
	}
	if n := len(out) - 1; n > 0 {
		return strings.Join(out[:n], ", ") + " or " + out[n]
	}
	return strings.Join(out, "")
}

// Reads reports whether a file's name is that of a model.
func Reads(name string) bool { return formOf(name) != nil }

// Readable lists the ends of the names of files that are read, for a message.
func Readable() string { return endings(func(*Form) bool { return true }) }

// Write writes the model in the form that a file's name ends with, and returns its media
// type. The error says which forms can be written.
func Write(w io.Writer, m *mesh.Model, name string) (media string, err error) {
	f := formOf(name)
	if f == nil || f.write == nil {
		return "", fmt.Errorf(
			"%s: this kind of file is not written; use %s",
			name,
			endings(func(f *Form) bool { return f.write != nil }),
		)
	}
	return f.Media, f.write(w, m)
}

// Media returns the media type of a model's file by its name, or an empty string.
func Media(name string) string {
	if f := formOf(name); f != nil {
		return f.Media
	}
	return ""
}
