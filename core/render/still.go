package render

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"velvetgrime/core/bsdf"
	"velvetgrime/core/eval"
	"velvetgrime/core/geom"
	"velvetgrime/core/light"
	"velvetgrime/core/mesh"
	"velvetgrime/core/par"
	"velvetgrime/core/spatial"
)

// Still is what a traced picture shows, and how.
type Still struct {
	W int `json:"w" minimum:"16" maximum:"8192" doc:"pixels"`
	H int `json:"h" minimum:"16" maximum:"8192"`
	// Samples is how many paths begin at each pixel.
	Samples int `json:"samples" minimum:"1" maximum:"65536" doc:"paths a pixel"`

	Eye    [3]float64 `json:"eye" doc:"metres"`
	At     [3]float64 `json:"at" doc:"what is looked at, metres"`
	Up     [3]float64 `json:"up,omitempty" doc:"absent: +Y"`
	Angle  float64    `json:"angle" doc:"vertical field of view in degrees; 0: without perspective"`
	Height float64    `json:"height,omitempty" doc:"of a view without perspective: how much it sees from foot to head, metres"`
	// Shift moves the picture's middle, in halves of its height, right and up.
	Shift    [2]float64 `json:"shift,omitempty"`
	Aperture float64    `json:"aperture,omitempty" minimum:"0" doc:"diameter of the lens's opening, metres; 0: all is sharp"`
	Focus    float64    `json:"focus,omitempty" minimum:"0" doc:"metres from the eye to what is sharp; 0: what is looked at"`

	Light      string   `json:"light" doc:"one of our environments, or the hash of a panorama"`
	Turn       float64  `json:"turn" doc:"degrees by which the environment is turned"`
	Tilt       float64  `json:"tilt,omitempty" doc:"degrees by which it is tilted"`
	Exposure   float64  `json:"exposure" doc:"1: white is about white"`
	Glow       float64  `json:"glow,omitempty" doc:"radiance of what is emissive, by white in the light; absent: 1"`
	Background string   `json:"background,omitempty" enum:",light,plain,clear" doc:"light: the environment; plain: grey; clear: nothing"`
	Blur       float64  `json:"blur,omitempty" doc:"of the environment behind, 0..1"`
	Ground     bool     `json:"ground,omitempty" doc:"a matt floor below, that takes shadows"`
	Tone       string   `json:"tone,omitempty" enum:",filmic,neutral,none"`
	Denoise    bool     `json:"denoise,omitempty"`
	Parts      []string `json:"parts,omitempty" doc:"those alone; empty: all"`
	Relief     bool     `json:"relief,omitempty" doc:"heights move the surface, instead of bending its light alone"`
	Round      bool     `json:"-"` // it will be seen from all round (Turned)
	Bounces    int      `json:"bounces,omitempty" maximum:"64" doc:"how often light is sent on at most; absent: 8"`
	Inside     float64  `json:"inside,omitempty" minimum:"0" doc:"how far light goes in what scatters it, metres; absent: a hundredth of the model's size"`
	Seed       uint32   `json:"seed,omitempty"`
}

// Check says what cannot be drawn, by name.
func (s *Still) Check() error {
	all := append(append(append([]float64{}, s.Eye[:]...), s.At[:]...), s.Angle, s.Height, s.Aperture, s.Focus, s.Turn, s.Tilt, s.Exposure, s.Glow, s.Blur, s.Shift[0], s.Shift[1])
	for _, v := range all {
		if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e6 {
			return errors.New("a number of the view is none, or beyond a million")
		}
	}
	switch {
	case s.W < 16 || s.H < 16 || s.W > 8192 || s.H > 8192:
		return fmt.Errorf("a still of %d × %d pixels; 16 to 8192 each way are possible", s.W, s.H)
	case s.Samples < 1 || s.Samples > 65536:
		return fmt.Errorf("%d paths a pixel; 1 to 65536 are possible", s.Samples)
	case s.Eye == s.At:
		return errors.New("the eye stands where it looks at; move it away")
	case s.Angle < 0 || s.Angle > 170:
		return fmt.Errorf("a view of %g°; up to 170° are possible", s.Angle)
	case s.Angle == 0 && s.Height <= 0:
		return errors.New("a view without perspective that sees nothing; say its height")
	case s.Exposure <= 0:
		return fmt.Errorf("exposure %g; it is more than 0", s.Exposure)
	case s.Bounces < 0 || s.Bounces > 64:
		return fmt.Errorf("light sent on %d times; 0 to 64 are possible", s.Bounces)
	}
	return nil
}

// Traced is a scene made ready for rays. It is immutable, and safe for many goroutines.
type Traced struct {
	Still Still
	model *mesh.Model
	tree  *spatial.Tree
	tri   []int32 // the tree's triangles, in the model's numbers; nil: the same
	tang  [][3]geom.Vec3
	skins []skin
	laid  []*Block         // of which the skins were made
	use   func(i int) bool // whether a triangle of the model is shown; nil: all are
	span  float32
	floor float32
	// inside is how far light goes in what scatters it
	inside float32
	earth  [3]float32 // what the floor sends back
	paved  bsdf.BSDF  // and how
	// nothing lets light pass, and no channel beyond the usual ones is there
	solid, usual bool

	sky        *light.Sampler
	behind     *light.Panorama
	turn, back [3]geom.Vec3 // rows of the turn from the scene to the panorama, and back
	gauge      float32
	lamps      *lamps

	eye, right, up, ahead geom.Vec3
	half                  float32 // half of the picture's height, at a distance of 1; or metres
	focus, lens           float32
	clamp                 float32 // what a path brings at most after its first turn; 0: anything
}

// firefly is what a path brings at most once it was sent on, by white: one of more would stay as a
// dot that no number of paths takes away.
const firefly = 24

// texelsFor is how many texels all sheets of a still have together: some for each pixel, as much of
// them lies behind.
func texelsFor(s *Still) int { return min(max(3*s.W*s.H, 1<<21), 8<<20) }

// SkinBytes is what the sheets of a still take in memory.
func SkinBytes(s *Still) int64 { return int64(texelsFor(s)) * SkinTexel }

// NewTraced makes a view of a program ready, or so many views all round (Turned). sky is the light. Each
// place of the sheets is as fine as the pictures can show.
func NewTraced(
	ctx context.Context, p *eval.Program, s Still, sky *light.Panorama, pictures int, tell func(share float64),
) (*Traced, error) {
	if err := s.Check(); err != nil {
		return nil, err
	}
	t, err := Clay(ctx, p.Scene.Model, s, sky)
	if err != nil {
		return nil, err
	}
	b, err := Evaluate(ctx, p, Sheets(p, GlimpseTexels), nil)
	if err != nil {
		return nil, err
	}
	if t, err = t.Finer(ctx, Flat(s), b); err != nil {
		return nil, err
	}
	if b, err = Evaluate(ctx, p, t.Wants(p, pictures), tell); err != nil {
		return nil, err
	}
	return t.Finer(ctx, s, b)
}

// Clay is a view of a model in even grey, without its document, so that light and shadow can be seen of
// it at once. With blocks (Finer) it becomes one with its document.
func Clay(ctx context.Context, m *mesh.Model, s Still, sky *light.Panorama) (*Traced, error) {
	grey := nothing
	grey.color = [3]uint16{root(0.5), root(0.5), root(0.5)}
	k := make([]skin, len(m.Sheets))
	for i := range k {
		k[i] = evenSkin(grey)
	}
	return newTraced(ctx, m, Flat(s), sky, k)
}

// Flat is the still without relief.
func Flat(s Still) Still {
	s.Relief = false
	return s
}

// As is the same scene as another still in the same light.
func (t *Traced) As(s Still) *Traced {
	c := *t
	c.Still = s
	c.setCamera()
	return &c
}

// Model is what is seen.
func (t *Traced) Model() *mesh.Model { return t.model }

// Blocks are those that the sheets are made of.
func (t *Traced) Blocks() []*Block { return t.laid }

// Finer is the view with further blocks, as another still.
func (t *Traced) Finer(ctx context.Context, s Still, b []*Block) (*Traced, error) {
	c := t.As(s)
	c.laid = slices.Concat(t.laid, b)
	c.skins = lay(len(t.model.Sheets), c.laid)
	return c, c.dress(ctx)
}

func newTraced(ctx context.Context, m *mesh.Model, s Still, sky *light.Panorama, k []skin) (*Traced, error) {
	t := &Traced{Still: s, model: m, skins: k, clamp: firefly}
	if len(s.Parts) > 0 {
		alone := map[string]bool{}
		for _, n := range s.Parts {
			alone[n] = true
		}
		t.use = func(i int) bool { return alone[m.Parts[m.TriPart[i]].Name] }
	}
	g, gctx := par.WithContext(ctx)
	g.Go(func() (err error) { t.tree, err = spatial.Build(gctx, m.Pos, m.Tri, t.use); return err })
	g.Go(func() error { t.tang = m.Tangents(); return nil })
	g.Go(func() error { bsdf.Prepare(); return nil })
	if err := g.Wait(); err != nil {
		return nil, err
	}
	if t.tree.Triangles() == 0 {
		return nil, errors.New("nothing of the model is shown")
	}
	t.span = m.Bounds.Size().Length()
	t.floor = m.Bounds.Min.Y - t.span*1e-4
	if t.inside = float32(s.Inside); t.inside == 0 {
		t.inside = t.span * 0.01
	}
	t.setLight(sky)
	t.setCamera()
	return t, t.dress(ctx)
}

// dress prepares what hangs on the sheets.
func (t *Traced) dress(ctx context.Context) error {
	t.solid, t.usual = true, true
	for i := range t.skins {
		t.skins[i].look(&t.solid, &t.usual)
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if t.Still.Relief {
		if err := t.raise(ctx); err != nil {
			return err
		}
	}
	t.lamps = newLamps(t, t.use)
	return nil
}

// Turned is the same scene seen from elsewhere: the eye is turned by degrees about the vertical through
// what it looks at.
func (t *Traced) Turned(degrees float64) *Traced {
	c := *t
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	x, z := t.Still.Eye[0]-t.Still.At[0], t.Still.Eye[2]-t.Still.At[2]
	c.Still.Eye[0], c.Still.Eye[2] = t.Still.At[0]+x*cos+z*sin, t.Still.At[2]-x*sin+z*cos
	c.setCamera()
	return &c
}

func (t *Traced) setLight(sky *light.Panorama) {
	s := &t.Still
	t.sky = light.NewSampler(sky.Smaller(skyWidth))
	t.gauge = float32(sky.Gauge())
	// as the page turns it: a turn about the vertical axis, then the tilt about the view's X
	sa, ca := sincos(s.Turn)
	st, ct := sincos(s.Tilt)
	turn := [3]geom.Vec3{geom.V3(ca, 0, -sa), geom.V3(0, 1, 0), geom.V3(sa, 0, ca)}
	tilt := [3]geom.Vec3{geom.V3(1, 0, 0), geom.V3(0, ct, st), geom.V3(0, -st, ct)}
	// rows of turn·tilt
	for i, r := range turn {
		t.turn[i] = geom.V3(
			r.X*tilt[0].X+r.Y*tilt[1].X+r.Z*tilt[2].X,
			r.X*tilt[0].Y+r.Y*tilt[1].Y+r.Z*tilt[2].Y,
			r.X*tilt[0].Z+r.Y*tilt[1].Z+r.Z*tilt[2].Z)
	}
	t.back = [3]geom.Vec3{
		geom.V3(t.turn[0].X, t.turn[1].X, t.turn[2].X),
		geom.V3(t.turn[0].Y, t.turn[1].Y, t.turn[2].Y),
		geom.V3(t.turn[0].Z, t.turn[1].Z, t.turn[2].Z),
	}
	t.behind = sky
	t.earth = earth(sky)
	t.paved = bsdf.New(bsdf.Surface{Color: t.earth, Rough: 0.9, Specular: 0.5})
	if s.Background == "light" && s.Blur > 0 { // as wide texels as are blurred over
		t.behind = sky.Smaller(max(int(512*math.Pow(2, -6*s.Blur)), 12))
	}
}

// skyWidth is how many columns the panorama has that lights; the one that is seen behind has all.
const skyWidth = 512

// earth is the colour of a floor that looks, where nothing stands on it, as the panorama does below.
func earth(sky *light.Panorama) (c [3]float32) {
	small := sky.Smaller(64)
	e := small.Irradiance(geom.V3(0, 1, 0))
	var sum [3]float64
	n := 0.0
	for y := small.H * 5 / 8; y < small.H*7/8; y++ {
		for x := range small.W {
			for k := range sum {
				sum[k] += float64(small.Data[(y*small.W+x)*3+k])
			}
			n++
		}
	}
	for k := range c {
		c[k] = float32(min(max(sum[k]/n/max(e[k]/math.Pi, 1e-9), 0.02), 0.8))
	}
	return c
}

func sincos(degrees float64) (s, c float32) {
	a, b := math.Sincos(degrees * math.Pi / 180)
	return float32(a), float32(b)
}

func times3(m *[3]geom.Vec3, d geom.Vec3) geom.Vec3 {
	return geom.V3(m[0].Dot(d), m[1].Dot(d), m[2].Dot(d))
}

func vec(v [3]float64) geom.Vec3 { return geom.V3(float32(v[0]), float32(v[1]), float32(v[2])) }

func (t *Traced) setCamera() {
	s := &t.Still
	t.eye = vec(s.Eye)
	to := vec(s.At).Sub(t.eye)
	t.ahead = to.Unit()
	up := vec(s.Up)
	if up == (geom.Vec3{}) {
		up = geom.V3(0, 1, 0)
	}
	t.right = t.ahead.Cross(up).Unit()
	if t.right == (geom.Vec3{}) {
		t.right = geom.V3(1, 0, 0)
	}
	t.up = t.right.Cross(t.ahead)
	t.half = float32(s.Height / 2)
	if s.Angle > 0 {
		t.half = float32(math.Tan(s.Angle * math.Pi / 360))
	}
	t.focus = float32(s.Focus)
	if t.focus == 0 {
		t.focus = to.Length()
	}
	t.lens = float32(s.Aperture / 2)
}

// ray is where a path begins: x and y in pixels from the upper left corner, u and v on the lens.
func (t *Traced) ray(x, y, u, v float32) (origin, dir geom.Vec3) {
	s := &t.Still
	h := float32(s.H)
	px := (2*x-float32(s.W))/h + float32(s.Shift[0])
	py := (h-2*y)/h + float32(s.Shift[1])
	side := t.right.Mul(px * t.half).Add(t.up.Mul(py * t.half))
	if s.Angle == 0 {
		return t.eye.Add(side), t.ahead
	}
	dir = t.ahead.Add(side)
	if t.lens == 0 {
		return t.eye, dir.Unit()
	}
	// a disc, even (Shirley and Chiu)
	dx, dy := disc(u, v)
	at := t.right.Mul(dx * t.lens).Add(t.up.Mul(dy * t.lens))
	sharp := dir.Mul(t.focus) // the plane of what is sharp is square to the view
	return t.eye.Add(at), sharp.Sub(at).Unit()
}

func disc(u, v float32) (x, y float32) {
	a, b := 2*u-1, 2*v-1
	if a == 0 && b == 0 {
		return 0, 0
	}
	var r, phi float64
	if a*a > b*b {
		r, phi = float64(a), math.Pi/4*float64(b/a)
	} else {
		r, phi = float64(b), math.Pi/2-math.Pi/4*float64(a/b)
	}
	s, c := math.Sincos(phi)
	return float32(r * c), float32(r * s)
}

// AngleOf is the vertical field of view of a focal length, in degrees: mm of a picture 24 mm high, as
// the page has it. Without one (0) there is no perspective.
func AngleOf(focal float64) float64 {
	if focal <= 0 {
		return 0
	}
	return 2 * math.Atan(12/focal) * 180 / math.Pi
}

// Upright is the quaternion of a turn about the vertical.
func Upright(degrees float64) [4]float64 {
	s, c := math.Sincos(degrees * math.Pi / 360)
	return [4]float64{0, s, 0, c}
}

// A glimpse is what is seen first: a quarter of the size, few paths, sheets of few texels.
const (
	GlimpseTexels  = 1 << 17
	GlimpseSamples = 4
)

// Glimpse returns the still whose picture is seen first, while the sheets are evaluated.
func Glimpse(s Still) Still {
	s.W, s.H = max(s.W/4, 16), max(s.H/4, 16)
	s.Samples, s.Denoise = GlimpseSamples, true
	return s
}
