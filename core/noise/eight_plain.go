//go:build !goexperiment.simd || !amd64

package noise

// Eight evaluates eight points.
func (s *Sampler) Eight(x, y, z, out *[8]float32) { s.eightPlain(x, y, z, out) }

type spread struct{}

func (*octave) spread() *spread { return nil }
