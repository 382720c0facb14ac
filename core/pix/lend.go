package pix

import (
	"sync"
	"sync/atomic"
)

// Rows that are needed for a moment are lent: a tile's evaluation asks for hundreds, and memory that was
// just used is still near the processor.
var lent sync.Pool

// Lend returns a row of n values, which hold anything: they are to be written before they are read.
func Lend(n int) []float32 {
	if r, ok := lent.Get().(*[]float32); ok && cap(*r) >= n {
		return (*r)[:n]
	}
	return make([]float32, n)
}

// Return gives a row back that Lend lent; nothing may hold it any more. nil is let be.
func Return(row []float32) {
	if row != nil {
		lent.Put(&row)
	}
}

var evenRow atomic.Pointer[[]float32]

// Ones returns a row of n ones, which is everybody's: it is not to be written.
func Ones(n int) []float32 {
	if r := evenRow.Load(); r != nil && len(*r) >= n {
		return (*r)[:n:n]
	}
	r := make([]float32, max(n, Pitch*Pitch))
	Set(r, 1)
	evenRow.Store(&r)
	return r[:n:n]
}
