package surface

import (
	"fmt"
	"math"
	"slices"
	"velvetgrime/core/brush"
	"velvetgrime/core/cache"
	"velvetgrime/core/geom"
	"velvetgrime/core/raster"
	"velvetgrime/core/way"
)

// bound lets a stroke's coverage of a frame show only where there is another side to take
// from, and as a ramp along the surface has it. It writes the coverage.
func (s *Scene) bound(f *raster.Frame, st *brush.Stroke, cover []float32) error {
	if st.Counterparts() { // what has no counterpart stays as it is
		over, err := s.OfTake(st.Take)
		if err != nil {
			return err
		}
		for i, t := range f.Tri {
			if t < 0 || over.To[t] < 0 {
				cover[i] = 0
			}
		}
	}
	if st.Fill != nil && st.Fill.Ramp && st.Fill.Along &&
		slices.ContainsFunc(cover, func(c float32) bool { return c > 0 }) {
		s.ramp(st.Fill, f, cover)
	}
	return nil
}

// straightFor is up to how many spacings of the cloud from end to end a ramp along the
// surface is as good as straight.
const straightFor = 10

// ramp fades a coverage along the surface: from all at one end of a ramp to nothing at
// the other, by the share of the ways to both ends, as they are along the surface. Ends
// that no way joins are joined by the straight line.
func (s *Scene) ramp(f *brush.Fill, frame *raster.Frame, cover []float32) {
	w := s.Ground()
	key := cache.NewHash("ramp").Str(fmt.Sprint(f.From, f.To)).Key(s.Base).Sum()
	k := w.At(key)
	k.Lock()
	if k.Found == nil {
		far := float32(math.Inf(1))
		from, to := w.Cloud.Distance([]geom.Vec3{f.From}, far), w.Cloud.Distance([]geom.Vec3{f.To}, far)
		apart := far
		if i := w.Cloud.Nearest(f.To); i >= 0 {
			apart = w.Cloud.Sample(from, f.To, w.Cloud.Nrm[i], far)
		}
		k.Found = straight{}
		if apart < far && apart > straightFor*w.Cloud.Spacing {
			gone := make([]float32, len(from))
			for i := range gone {
				gone[i] = 1
				// with both ways known, the place by the law of cosines; 0 at From
				if a, b := from[i], to[i]; a < far && b < far {
					gone[i] = min(max((a*a-b*b+apart*apart)/(2*apart*apart), 0), 1)
				}
			}
			k.Found = way.Sampled{Cloud: w.Cloud, V: gone, Far: 1}
		}
	}
	found := k.Found
	k.Unlock()
	if _, ok := found.(straight); ok {
		for i, c := range cover {
			if c > 0 {
				cover[i] = c * f.Straight(frame.Pos[i])
			}
		}
		return
	}
	row := make([]float32, len(cover))
	found.Row(frame, row)
	for i, v := range row {
		cover[i] *= 1 - v
	}
}

// straight stands for a ramp along the straight line.
type straight struct{}

// Row implements way.Found.
func (straight) Row(*raster.Frame, []float32) {}
