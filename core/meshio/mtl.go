package meshio

import (
	"bufio"
	"bytes"
	"fmt"
	"io/fs"
	"path"
	"strings"
)

// mtlHolds says what the picture of a material statement holds. The statements for
// roughness and metal are those of the PBR extension of the format.
var mtlHolds = map[string]string{
	"map_Kd": "base color", "map_Pr": "roughness", "map_Pm": "metallic", "map_Ke": "emissive",
	"norm": "normal", "map_Bump": "height", "map_bump": "height", "bump": "height", "disp": "height", "map_d": "opacity",
}

// mtlOptions are the options before a picture's name and how many words follow each
// at most.
var mtlOptions = map[string]int{
	"-blendu": 1, "-blendv": 1, "-cc": 1, "-clamp": 1, "-texres": 1, "-imfchan": 1, "-bm": 1, "-boost": 1, "-type": 1, "-mm": 2, "-o": 3, "-s": 3, "-t": 3,
}

// objTextures returns the pictures that the material files (MTL) of an OBJ name.
// Material files and pictures that are not beside the model are left out.
func objTextures(files fs.FS, name string, lim Limits) ([]Texture, error) {
	data, err := load(files, name, lim.Bytes)
	if err != nil {
		return nil, err
	}
	left := lim.Bytes - int64(len(data))
	// beside returns a file of the model's folder: exporters write whole paths of the
	// machine they ran on
	beside := func(file string) ([]byte, string) {
		base := path.Base(strings.ReplaceAll(file, "\\", "/"))
		for _, p := range []string{path.Join(path.Dir(name), strings.ReplaceAll(file, "\\", "/")), path.Join(path.Dir(name), base)} {
			if !fs.ValidPath(p) {
				continue
			}
			if d, err := load(files, p, left); err == nil {
				left -= int64(len(d))
				return d, base
			}
		}
		return nil, base
	}
	var out []Texture
	for _, lib := range statements(data, "mtllib") {
		text, _ := beside(strings.Join(lib[1:], " "))
		material := ""
		for _, f := range statements(text) {
			if f[0] == "newmtl" {
				material = strings.Join(f[1:], " ")
				continue
			}
			holds := mtlHolds[f[0]]
			if holds == "" || material == "" {
				continue
			}
			if d, base := beside(pictureName(f[1:])); d != nil {
				out = append(out, Texture{material, base, d, holds})
			}
		}
	}
	return out, nil
}

// statements returns the words of the lines that begin with one of the given words,
// or of all lines.
func statements(data []byte, first ...string) [][]string {
	var out [][]string
	sc := bufio.NewScanner(bytes.NewReader(data))
	sc.Buffer(make([]byte, 64<<10), 8<<20)
	for sc.Scan() {
		line := sc.Text()
		if len(first) > 0 && !strings.HasPrefix(strings.TrimSpace(line), first[0]) {
			continue
		}
		if i := strings.IndexByte(line, '#'); i >= 0 {
			line = line[:i]
		}
		if f := strings.Fields(line); len(f) > 1 && (len(first) == 0 || f[0] == first[0]) {
			out = append(out, f)
		}
	}
	return out
}

// pictureName returns the file's name after the options of a picture statement.
func pictureName(f []string) string {
	number := func(s string) bool {
		var v float64
		n, _ := fmt.Sscanf(s, "%g", &v)
		return n == 1 && !strings.ContainsAny(s, "_abcdfghijklmnopqrstuvwxyz")
	}
	for len(f) > 1 {
		n, ok := mtlOptions[f[0]]
		if !ok {
			break
		}
		f = f[1:]
		for k := 0; k < n && len(f) > 1 && (n == 1 || number(f[0])); k++ {
			f = f[1:]
		}
	}
	return strings.Join(f, " ")
}
