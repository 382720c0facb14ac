package meshio

import (
	"encoding/base64"
	"io/fs"
	"net/url"
	"path"
	"strings"
)

// Texture is a picture that a model's file brings along for one of its materials.
type Texture struct {
	Material string
	Name     string
	Data     []byte // PNG or JPEG
	// What it holds: "base color", "normal", "emissive", "roughness", "metallic",
	// "height", "opacity", or "occlusion roughness metallic", as glTF 2.0 packs them
	// in red, green and blue.
	Holds string
}

// Textures returns the pictures of a model's materials, when its form has some. Pictures that
// cannot be found are left out: the model itself is sound without them.
func Textures(files fs.FS, name string, lim Limits) ([]Texture, error) {
	if f := formOf(name); f != nil && f.textures != nil {
		return f.textures(files, name, lim)
	}
	return nil, nil
}

func gltfTextures(files fs.FS, name string, lim Limits) ([]Texture, error) {
	data, err := load(files, name, lim.Bytes)
	if err != nil {
		return nil, err
	}
	r, err := openGLTF(&source{data: data, files: files, dir: path.Dir(name), lim: lim})
	if err != nil {
		return nil, err
	}
	left := lim.Bytes
	var out []Texture
	f, err := fitOf(files, name)
	if err != nil {
		return nil, err
	}
	r.uvSet = max(f.UV-1, 0)
	for i, m := range r.doc.Materials {
		lies := r.lies(&i)
		for _, u := range texturesOf(m) {
			// one that lies on other UVs, or another way, would lie wrong
			if a, b := u.lies, lies; u.coord != r.uvSet || a.Offset != b.Offset || a.Rotation != b.Rotation || a.Scale != b.Scale {
				continue
			}
			if d, n := r.picture(u.texture, files, path.Dir(name), left); d != nil {
				out = append(out, Texture{m.Name, n, d, u.holds})
			}
		}
	}
	return out, nil
}

// picture returns the bytes of a texture's image, nil when they are not there.
func (r *gltfReader) picture(texture int, files fs.FS, dir string, left int64) (data []byte, name string) {
	if texture < 0 || texture >= len(r.doc.Textures) {
		return nil, ""
	}
	return r.image(sourceOf(r.doc.Textures[texture]), files, dir, left)
}

// image returns the bytes of an image, nil when they are not there.
func (r *gltfReader) image(i int, files fs.FS, dir string, left int64) (data []byte, name string) {
	if i < 0 || i >= len(r.doc.Images) {
		return nil, ""
	}
	img := r.doc.Images[i]
	name = img.Name
	switch {
	case img.BufferView != nil:
		v := *img.BufferView
		if v < 0 || v >= len(r.doc.BufferViews) {
			return nil, ""
		}
		d, _, err := r.span(&v, 0, r.doc.BufferViews[v].ByteLength, 1)
		if err != nil {
			return nil, ""
		}
		return d, name
	case strings.HasPrefix(img.URI, "data:"):
		if _, enc, ok := strings.Cut(img.URI, ";base64,"); ok && int64(len(enc)) < 2*left {
			data, _ = base64.StdEncoding.DecodeString(enc)
		}
		return data, name
	}
	file, err := url.PathUnescape(img.URI)
	if err != nil || files == nil || strings.Contains(file, "..") || !fs.ValidPath(path.Join(dir, file)) {
		return nil, ""
	}
	if data, err = load(files, path.Join(dir, file), left); err != nil {
		return nil, ""
	}
	if name == "" {
		name = path.Base(file)
	}
	return data, name
}
