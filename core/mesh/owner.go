package mesh

import (
	"cmp"
	"math"
	"slices"
)

// OwnerOrder lists the islands of a sheet in the order in which they own texels that
// several have: the one that covers more of the sheet first, of two as large (to a tenth of
// a percent) the one with the lower number. Choices move an island before another one. So a
// stray triangle never takes texels from the island over which it lies.
func (m *Model) OwnerOrder(sheet int) []int32 {
	area := map[int32]float64{}
	for i, t := range m.Tri {
		if int(m.TriSheet[i]) != sheet {
			continue
		}
		a, b, c := m.UV[t[0]], m.UV[t[1]], m.UV[t[2]]
		area[m.Island[i]] += math.Abs(float64(b.X-a.X)*float64(c.Y-a.Y) - float64(b.Y-a.Y)*float64(c.X-a.X))
	}
	order := make([]int32, 0, len(area))
	for i := range area {
		order = append(order, i)
	}
	size := func(i int32) int { return int(math.Round(1000 * math.Log(area[i]+1e-12))) }
	slices.SortFunc(order, func(a, b int32) int {
		if d := size(b) - size(a); d != 0 {
			return d
		}
		return cmp.Compare(a, b)
	})
	for _, p := range m.Owners {
		first, second := slices.Index(order, p[0]), slices.Index(order, p[1])
		if second >= 0 && first > second {
			order = slices.Insert(slices.Delete(order, first, first+1), second, p[0])
		}
	}
	return order
}
