//go:build !goexperiment.simd || !amd64

package step

func (q *scattered) within(at *[8]float32, to *[3][8]float32) uint32 { return q.withinPlain(at, to) }

func (q *eightMarks) near(at *markPlace, along, across *[8]float32) uint32 {
	return q.nearPlain(at, along, across)
}
