package brush

import (
	"fmt"
	"sort"

	"velvetgrime/core/geom"
)

// Area is a set of triangles of the model that bounds a stroke.
type Area struct {
	Faces []int32  `json:"faces" doc:"runs of triangles in order: first, count, first, count …"`
	Box   geom.Box `json:"box" doc:"around them"`
}

// AreaOf makes an area of those of n triangles that on says yes to; corners gives their
// places in metres, for the box.
func AreaOf(n int, on func(tri int) bool, corners func(tri int) [3]geom.Vec3) *Area {
	a := &Area{Box: geom.EmptyBox()}
	for i := range n {
		if !on(i) {
			continue
		}
		for _, p := range corners(i) {
			a.Box = a.Box.Grow(p)
		}
		if k := len(a.Faces); k > 0 && int(a.Faces[k-2]+a.Faces[k-1]) == i {
			a.Faces[k-1]++
		} else {
			a.Faces = append(a.Faces, int32(i), 1)
		}
	}
	return a
}

// Has reports whether a triangle lies in the area; nil has all.
func (a *Area) Has(tri int32) bool {
	if a == nil {
		return true
	}
	k := sort.Search(len(a.Faces)/2, func(k int) bool { return a.Faces[2*k]+a.Faces[2*k+1] > tri })
	return 2*k < len(a.Faces) && a.Faces[2*k] <= tri
}

func (a *Area) check() error {
	if a == nil {
		return nil
	}
	if len(a.Faces)%2 != 0 || len(a.Faces) > 1<<20 || !a.Box.Min.Finite() || !a.Box.Max.Finite() {
		return fmt.Errorf("the area of the stroke is none")
	}
	end := int64(0)
	for k := 0; k < len(a.Faces); k += 2 {
		if int64(a.Faces[k]) < end || a.Faces[k+1] < 1 {
			return fmt.Errorf("the area's run %d is out of order", k/2+1)
		}
		end = int64(a.Faces[k]) + int64(a.Faces[k+1])
	}
	return nil
}

// Fill covers the whole of a stroke's area at once; with a ramp it fades evenly from all
// at From to nothing at To, places in metres: along the straight line between them, or
// by how far it is to both along the surface.
type Fill struct {
	Ramp     bool      `json:"ramp,omitempty"`
	Along    bool      `json:"along,omitempty" doc:"it fades along the surface"`
	From, To geom.Vec3 `json:",omitzero"`
}

// at is how much a place gets; all where it fades along the surface, which only who
// knows that can tell.
func (f *Fill) at(p geom.Vec3) float32 {
	if !f.Ramp || f.Along {
		return 1
	}
	return f.Straight(p)
}

// Straight is how much a place gets by the straight line.
func (f *Fill) Straight(p geom.Vec3) float32 {
	d := f.To.Sub(f.From)
	t := p.Sub(f.From).Dot(d) / max(d.Dot(d), 1e-12)
	return 1 - min(max(t, 0), 1)
}
