package cast

import (
	"math"

	"velvetgrime/core/noise"
)

// Flakes tells where a coat has come off in flakes: angular crumbs that gather in patches.
type Flakes struct {
	size    float32 // metres: about the height of a letter
	seed    uint32
	patches noise.Sampler
	fine    float32   // metres a texel
	kinds   []float32 // of the crumbs that are wider than a texel: how many lie in a metre
	weights []float32 // and what they weigh
	rest    float32   // what the patches weigh
	spread  float32   // of firmness, as the scale of a logistic curve
}

// NewFlakes makes flakes for a picture or a letter so many metres tall, on texels of footprint
// metres.
func NewFlakes(size float32, seed int, footprint float32) *Flakes {
	s := uint32(seed)*0x9e3779b9 + 0x51ed
	clouds := noise.FBM{Kind: noise.Clouds, Seed: s, Frequency: 1.6 / size, Octaves: 6, Lacunarity: 2.1, Persistence: 0.6}
	f := &Flakes{size: size, seed: s, patches: clouds.Sampler(footprint), fine: footprint, rest: 1}
	for _, c := range crumbs {
		if k := c.across / size; k*footprint < 0.6 {
			f.kinds, f.weights, f.rest = append(f.kinds, k), append(f.weights, c.weight), f.rest-c.weight
		}
	}
	square := f.rest * f.rest
	for _, w := range f.weights {
		square += w * w
	}
	// each of them is even from 0 to 1, of which the variance is a twelfth; of a logistic curve
	// of scale 1 it is π²/3
	f.spread = float32(math.Sqrt(float64(square)/12) / (math.Pi / math.Sqrt(3)))
	return f
}

// crumbs are how many flakes lie side by side in a letter's height, of each kind from coarse
// to fine, and what each weighs beside the patches in which they gather.
var crumbs = [...]struct{ across, weight float32 }{{9, 0.26}, {27, 0.16}, {70, 0.1}}

// firmness is how firmly the coat lies at a place: about a half, by spread more or less.
func (f *Flakes) firmness(x, y float32, letter uint32) float32 {
	x += float32(letter%1021) * 3.7 * f.size
	// the clouds' values lie closer to their middle than those of the crumbs
	sum := f.rest * logistic((f.patches.At(x, y, 0)-0.5)/0.085)
	for i, k := range f.kinds {
		_, _, id, _ := noise.Cellular(x*k, y*k, 0.5, f.seed+uint32(i), noise.Euclidean, 1)
		sum += f.weights[i] * noise.Random(id, 3)
	}
	return sum
}

func logistic(v float32) float32 { return float32(1 / (1 + math.Exp(-float64(v)))) }

// Left is how much of the coat is left at a place, 0..1, where a share of it has come off:
// x and y are metres in the picture, letter, from 1, tells one letter from another; 0 is all
// of a picture. On an average about 1 − worn is left; of letters, which were painted alike and do
// not age alike, some keep more and some less.
func (f *Flakes) Left(x, y, worn float32, letter int) float32 {
	if worn <= 0 {
		return 1
	}
	if worn >= 1 {
		return 0
	}
	w, h := float64(worn), noise.Hash(int32(letter), 7, 11, f.seed)
	if letter > 0 {
		w = math.Pow(w, math.Exp2(2*float64(noise.Random(h, 1))-1))
	}
	t := 0.5 + f.spread*float32(math.Log(w/(1-w))) // below this lies so large a share of the values
	left := float32(0)
	for i := range 4 { // corners of flakes are sharper than a texel
		dx, dy := (float32(i&1)-0.5)*0.5*f.fine, (float32(i>>1)-0.5)*0.5*f.fine
		if f.firmness(x+dx, y+dy, h) >= t {
			left += 0.25
		}
	}
	return left
}
