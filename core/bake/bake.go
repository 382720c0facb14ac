// Package bake measures the surface of a model into maps: occlusion, curvature,
// thickness and the like, from the model itself or from a dense counterpart.
package bake

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
)

// Settings of a bake. The zero value of a number means what its comment says.
type Settings struct {
	Size      int     `json:"size" minimum:"64" maximum:"8192" doc:"texels a side"`
	Samples   int     `json:"samples" minimum:"1" maximum:"4096" doc:"rays a texel"`
	Smooth    int     `json:"smooth" enum:"1,2,4" doc:"anti-aliasing: places a texel along each side; they share its rays"`
	Distance  float64 `json:"distance" minimum:"0" doc:"how far, in metres, occlusion reaches; 0: any distance"`
	Self      string  `json:"self" enum:"all,part" doc:"what occludes: the whole model, or each part only itself"`
	Radius    float64 `json:"radius" minimum:"0" doc:"metres over which curvature is measured; 0: a hundredth of the model"`
	Thickness float64 `json:"thickness" minimum:"0" doc:"the thickness, in metres, that is white; 0: a fifth of the model"`
	Dilate    int     `json:"dilate" minimum:"-1" doc:"texels that islands are carried outward; -1: over the whole sheet"`
	ID        string  `json:"id" enum:"material,part,color" doc:"what the ID map tells apart; color: the vertices' colours"`

	Match      string                `json:"match" enum:"all,exact,suffix" doc:"which dense parts a part sees: all, those of its name, or of its name before the suffix"`
	LowSuffix  string                `json:"lowSuffix" doc:"ends the names of parts, with match by suffix"`
	HighSuffix string                `json:"highSuffix" doc:"ends the names of dense parts, or is followed by more"`
	Front      float64               `json:"front" minimum:"0" doc:"metres before the surface where rays at the dense model start; 0: a fiftieth of the model"`
	Back       float64               `json:"back" minimum:"0" doc:"metres behind the surface where they end; 0: as front"`
	Cage       map[string][2]float64 `json:"cage,omitempty" doc:"front and back for single parts"`
}

// Default returns settings that suit a model of any size.
func Default() Settings {
	return Settings{
		Size:       1024,
		Samples:    64,
		Smooth:     2,
		Self:       "all",
		Dilate:     16,
		ID:         "material",
		Match:      "all",
		LowSuffix:  "_low",
		HighSuffix: "_high",
	}
}

// Check returns what is wrong with the settings.
func (s Settings) Check() error {
	in := func(name, v string, all ...string) error {
		if !slices.Contains(all, v) {
			return fmt.Errorf("%s %q is none of %s", name, v, strings.Join(all, ", "))
		}
		return nil
	}
	for _, e := range []error{in("match", s.Match, "all", "exact", "suffix"), in("self", s.Self, "all", "part"), in("id", s.ID, "material", "part", "color")} {
		if e != nil {
			return e
		}
	}
	switch {
	case s.Size < 64 || s.Size > 8192 || s.Size&(s.Size-1) != 0:
		return fmt.Errorf("size %d is no power of two from 64 to 8192", s.Size)
	case s.Samples < 1 || s.Samples > 4096:
		return fmt.Errorf("%d samples; 1 to 4096 rays a texel are possible", s.Samples)
	case s.Smooth != 1 && s.Smooth != 2 && s.Smooth != 4:
		return fmt.Errorf("smooth %d is none of 1, 2, 4", s.Smooth)
	case s.Dilate < -1:
		return fmt.Errorf("dilate %d is less than -1", s.Dilate)
	}
	for _, v := range []float64{s.Distance, s.Radius, s.Thickness, s.Front, s.Back} {
		if !(v >= 0 && v < 1e6) {
			return fmt.Errorf("a distance of %v m is outside 0 to 1000 km", v)
		}
	}
	for part, c := range s.Cage {
		if !(c[0] >= 0 && c[1] >= 0 && c[0] < 1e6 && c[1] < 1e6) {
			return fmt.Errorf("part %q: the cage distances %v are outside 0 to 1000 km", part, c)
		}
	}
	return nil
}

// Kind describes one kind of baked map.
type Kind struct {
	Name       string `json:"name"`
	Label      string `json:"label"`
	Help       string `json:"help"`
	Components int    `json:"components"`
	Signed     bool   `json:"signed" doc:"the middle of the range stands for 0"`
	Rays       bool   `json:"rays" doc:"takes as many rays a texel as the settings say"`

	// values returns what 0 and 1 of a whole-number picture stand for
	values func(b *Baker) [2]float32
	// flat maps are not averaged within a texel
	flat bool
	// own maps look at what belongs to the part alone
	own bool
	// at writes the value at a place
	at func(w *worker, s *site, out []float32)
}

var registry = map[string]*Kind{}

func register(m Kind) { registry[m.Name] = &m }

// Maps lists what can be baked, by name.
func Maps() []Kind {
	var out []Kind
	for _, k := range slices.Sorted(maps.Keys(registry)) {
		out = append(out, *registry[k])
	}
	return out
}

// Get returns the description of a map.
func Get(name string) (Kind, bool) {
	if m := registry[name]; m != nil {
		return *m, true
	}
	return Kind{}, false
}

// Baker is a model made ready for baking. It is safe for many goroutines.
type Baker struct {
	Settings
	Maps  []*Kind
	Low   *mesh.Model
	Notes []string // what an artist should know: parts that found no counterpart

	source   *mesh.Model // what is measured: the dense model, or the low one itself
	dense    bool
	whole    *spatial.Tree
	group    []*spatial.Tree // by low part; nil: nothing dense belongs to it
	lowTree  *spatial.Tree   // what parts without a counterpart are measured on
	cageN    []geom.Vec3     // by vertex of Low: the direction of its rays
	tangents [][3]geom.Vec3
	index    []*raster.Index
	fans     [][]*spatial.Fan // a variant each: all rays of a texel
	few      [][]*spatial.Fan // those of one of its places
	discs    []*spatial.Fan
	fewDiscs []*spatial.Fan
	diagonal float64
	eps      float32
	built    time.Duration
	rays     atomic.Int64
}

// New prepares a bake of the maps by name. high may be nil: then the model
// measures itself. It fails when a name is unknown or a setting out of range.
func New(ctx context.Context, low, high *mesh.Model, s Settings, names []string) (*Baker, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	b := &Baker{Settings: s, Low: low, source: low, dense: high != nil}
	for _, n := range names {
		m := registry[strings.TrimSpace(n)]
		if m == nil {
			return nil, fmt.Errorf(
				"there is no baked map %q; there are %s",
				n,
				strings.Join(slices.Sorted(maps.Keys(registry)), ", "),
			)
		}
		b.Maps = append(b.Maps, m)
	}
	if len(b.Maps) == 0 {
		return nil, fmt.Errorf("no map is asked for")
	}
	if b.dense {
		b.source = high
	}
	for part := range s.Cage {
		if !slices.ContainsFunc(low.Parts, func(p mesh.Part) bool { return p.Name == part }) {
			return nil, fmt.Errorf("the cage names the part %q, which the model has not", part)
		}
	}
	b.diagonal = float64(low.Bounds.Size().Length())
	or := func(v *float64, share float64) {
		if *v == 0 {
			*v = b.diagonal * share
		}
	}
	or(&b.Front, 1.0/50)
	or(&b.Back, b.Front/b.diagonal)
	or(&b.Radius, 1.0/100)
	or(&b.Thickness, 1.0/5)
	or(&b.Distance, 4)
	b.eps = float32(b.diagonal * 1e-5)
	b.index = make([]*raster.Index, len(low.Sheets))
	for i := range low.Sheets {
		b.index[i] = raster.NewIndex(low, i)
	}
	b.tangents = low.Tangents()
	b.cageN = cageNormals(low)
	start := time.Now()
	if err := b.trees(ctx); err != nil {
		return nil, err
	}
	b.built = time.Since(start)
	b.sampling()
	return b, nil
}

// Built returns how long the ray trees took.
func (b *Baker) Built() time.Duration { return b.built }

// Rays returns how many rays were cast so far.
func (b *Baker) Rays() int64 { return b.rays.Load() }

// trees builds one ray tree of everything, and one for each group of dense parts.
func (b *Baker) trees(ctx context.Context) (err error) {
	src := b.source
	if b.whole, err = spatial.Build(ctx, src.Pos, src.Tri, nil); err != nil {
		return err
	}
	b.group = make([]*spatial.Tree, len(b.Low.Parts))
	if !b.dense && b.Self == "all" && !slices.ContainsFunc(b.Maps, func(m *Kind) bool { return m.own }) {
		return nil // nobody asks what belongs to a part
	}
	if b.dense && b.Match == "all" {
		for i := range b.group {
			b.group[i] = b.whole
		}
		return nil
	}
	matched := make([]bool, len(src.Parts))
	for i, p := range b.Low.Parts {
		if err := par.Turn(ctx); err != nil {
			return err
		}
		belongs := make([]bool, len(src.Parts))
		some := false
		for k, q := range src.Parts {
			if belongs[k] = b.belongs(i, p.Name, k, q.Name); belongs[k] {
				some, matched[k] = true, true
			}
		}
		if !some {
			b.Notes = append(
				b.Notes,
				fmt.Sprintf("part %q has no dense counterpart by %s name: it is measured on itself", p.Name, b.Match),
			)
			continue
		}
		if !slices.Contains(belongs, false) {
			b.group[i] = b.whole
			continue
		}
		if b.group[i], err = spatial.Build(ctx, src.Pos, src.Tri, func(t int) bool { return belongs[src.TriPart[t]] }); err != nil {
			return err
		}
	}
	for k, q := range src.Parts {
		if !matched[k] {
			b.Notes = append(
				b.Notes,
				fmt.Sprintf(
					"dense part %q belongs to no part of the model: only occlusion by the whole model sees it",
					q.Name,
				),
			)
		}
	}
	if slices.Contains(b.group, nil) {
		b.lowTree, err = spatial.Build(ctx, b.Low.Pos, b.Low.Tri, nil)
	}
	return err
}

// belongs reports whether dense part k is a counterpart of low part i.
func (b *Baker) belongs(i int, low string, k int, high string) bool {
	if !b.dense {
		return i == k
	}
	low, high = strings.ToLower(strings.TrimSpace(low)), strings.ToLower(strings.TrimSpace(high))
	if b.Match == "suffix" {
		low = strings.TrimSuffix(low, strings.ToLower(b.LowSuffix))
		if at := strings.LastIndex(high, strings.ToLower(b.HighSuffix)); b.HighSuffix != "" && at >= 0 {
			high = high[:at]
		}
	}
	return low == high
}

// Matches says for each part of low, by name, which parts of high belong to it.
func Matches(low, high *mesh.Model, s Settings) map[string][]string {
	b := &Baker{Settings: s, dense: true}
	out := map[string][]string{}
	for i, p := range low.Parts {
		out[p.Name] = []string{}
		for k, q := range high.Parts {
			if s.Match == "all" || b.belongs(i, p.Name, k, q.Name) {
				out[p.Name] = append(out[p.Name], q.Name)
			}
		}
	}
	return out
}

// cageNormals averages the faces around each place of a part, hard edges or not,
// so that the rays of two faces that meet at an edge leave no gap between them.
func cageNormals(m *mesh.Model) []geom.Vec3 {
	type key struct {
		p    geom.Vec3
		part uint16
	}
	sum := make(map[key]geom.Vec3, len(m.Pos))
	for i, t := range m.Tri {
		n := m.FaceNormal(i).Unit()
		for k, v := range t {
			a := m.Pos[t[(k+1)%3]].Sub(m.Pos[v]).Unit()
			c := m.Pos[t[(k+2)%3]].Sub(m.Pos[v]).Unit()
			w := float32(math.Acos(float64(min(max(a.Dot(c), -1), 1))))
			at := key{m.Pos[v], m.TriPart[i]}
			sum[at] = sum[at].Add(n.Mul(w))
		}
	}
	out := make([]geom.Vec3, len(m.Pos))
	for i, t := range m.Tri {
		for _, v := range t {
			out[v] = sum[key{m.Pos[v], m.TriPart[i]}].Unit()
		}
	}
	return out
}

// Shell returns the model's places moved along the cage directions by each part's
// front distance, or by minus the back distance: what is drawn as the cage.
func Shell(m *mesh.Model, s Settings, back bool) []geom.Vec3 {
	n := cageNormals(m)
	diagonal := float64(m.Bounds.Size().Length())
	out := slices.Clone(m.Pos)
	for i, t := range m.Tri {
		f, bk := s.cage(m.Parts[m.TriPart[i]].Name, diagonal)
		d := float32(f)
		if back {
			d = -float32(bk)
		}
		for _, v := range t {
			out[v] = m.Pos[v].Add(n[v].Mul(d))
		}
	}
	return out
}

func (s Settings) cage(part string, diagonal float64) (front, back float64) {
	front, back = s.Front, s.Back
	if front == 0 {
		front = diagonal / 50
	}
	if back == 0 {
		back = front
	}
	if c, ok := s.Cage[part]; ok {
		return c[0], c[1]
	}
	return front, back
}

const variants = 16 // of every set of directions, so that neighbours differ

func (b *Baker) sampling() {
	n := b.Samples
	few := max(n/(b.Smooth*b.Smooth), 1)
	for v := range variants {
		b.fans, b.few = append(b.fans, fans(n, v)), append(b.few, fans(few, v))
		b.discs = append(b.discs, disc(min(max(n, 16), spatial.MaxRays), v))
		b.fewDiscs = append(b.fewDiscs, disc(min(max(few, 8), spatial.MaxRays), v))
	}
}

func fans(n, variant int) (set []*spatial.Fan) {
	all := spatial.Cosine(n, uint32(variant))
	for i := 0; i < n; i += spatial.MaxRays {
		set = append(set, spatial.NewFan(all[i:min(i+spatial.MaxRays, n)]))
	}
	return set
}

func disc(n, variant int) *spatial.Fan {
	var d []geom.Vec3
	for _, p := range spatial.Disc(n, uint32(variant)+77) {
		d = append(d, geom.V3(float32(p[0]), float32(p[1]), -rise))
	}
	return spatial.NewFan(d)
}
