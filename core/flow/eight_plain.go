//go:build !goexperiment.simd || !amd64

package flow

func (q *eight) weigh(at, w *[8]float32) uint32 { return q.weighPlain(at, w) }
