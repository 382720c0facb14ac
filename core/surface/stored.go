package surface

import (
	"fmt"
	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
)

// Stored returns a picture by name, from the cache when it is there.
func (s *Scene) Stored(name string) (*pix.Picture, error) {
	k := cache.NewHash("picture").Str(name).Sum()
	if v, ok := s.Cache.Get(k); ok {
		return v.(*pix.Picture), nil
	}
	if s.Picture == nil {
		return nil, fmt.Errorf("picture %q is missing; choose another picture, or add it again under this name", name)
	}
	p, err := s.Picture(name)
	if err != nil {
		return nil, fmt.Errorf("picture %q: %w; choose another picture, or add it again under this name", name, err)
	}
	s.Cache.Keep(k, p)
	return p, nil
}
