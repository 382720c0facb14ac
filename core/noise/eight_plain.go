//go:build !goexperiment.simd || !amd64

package noise

// Eight evaluates eight points.
func (s *Sampler) Eight(x, y, z, out *[8]float32) { s.eightPlain(x, y, z, out) }

// Sixteen evaluates sixteen points.
func (s *Sampler) Sixteen(x, y, z, out *[16]float32) { s.halves(x, y, z, out) }

type (
	spread     struct{}
	spreadWide struct{}
)

func (*octave) spread() *spread { return nil }

func (*spread) wide() *spreadWide { return nil }

// Wide reports whether wide registers are used.
func Wide() bool { return false }

// Run evaluates the points that were added.
func (b *Batch) Run() { b.runPlain() }

func cells(i, j, k int32, fx, fy, fz, scale, off float32, seed uint32, metric Metric) (f1, f2 float32, nearest int, done bool) {
	return 0, 0, 0, false
}
