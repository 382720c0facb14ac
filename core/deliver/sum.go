package deliver

import (
	"crypto/sha256"
	"encoding/hex"
	"hash"
)

// Written is a file that was written.
type Written struct {
	Name   string `json:"name"`
	Size   int    `json:"size" doc:"bytes"`
	SHA256 string `json:"sha256"`
}

// Sum takes the hash of a file while it is written.
type Sum struct {
	h hash.Hash
	n int
}

// NewSum begins a file.
func NewSum() *Sum { return &Sum{h: sha256.New()} }

// Write takes a part of the file.
func (s *Sum) Write(b []byte) (int, error) {
	s.n += len(b)
	return s.h.Write(b)
}

// Written tells of the file under its name.
func (s *Sum) Written(name string) Written {
	return Written{name, s.n, hex.EncodeToString(s.h.Sum(nil))}
}
