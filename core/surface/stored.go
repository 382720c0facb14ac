package surface

import (
	"context"
	"fmt"
	"strconv"
	"velvetgrime/core/cache"
	"velvetgrime/core/pix"
)

// Stored returns a picture by name, from the cache when it is there.
func (s *Scene) Stored(name string) (*pix.Picture, error) {
	k := cache.NewHash("picture").Str(name).Sum()
	return cache.Once(context.Background(), s.Cache, k, func() (*pix.Picture, bool, error) {
		if s.Picture == nil {
			return nil, false, fmt.Errorf("picture %q is missing; choose another picture, or add it again under this name", name)
		}
		p, err := s.Picture(name)
		if err != nil {
			return nil, false, fmt.Errorf("picture %q: %w; choose another picture, or add it again under this name", name, err)
		}
		s.Cache.Keep(k, p)
		return p, true, nil
	})
}

// StoredFor returns a picture by name with so many texels along its longer side, where it is one
// that is drawn; one of texels has those that it has.
func (s *Scene) StoredFor(name string, texels float32) (*pix.Picture, error) {
	p, err := s.Stored(name)
	if err != nil || !p.Drawn() || !(texels > pix.Usual) {
		return p, err
	}
	size := 2 * pix.Usual // in steps, so that sheets of about a size share one
	for size < pix.Finest && float32(size) < texels {
		size *= 2
	}
	k := cache.NewHash("drawn picture").Str(name).Str(strconv.Itoa(size)).Sum()
	return cache.Once(context.Background(), s.Cache, k, func() (*pix.Picture, bool, error) {
		finer, err := p.Finer(size)
		if err != nil {
			return nil, false, fmt.Errorf("picture %q: %w", name, err)
		}
		s.Cache.Put(k, finer)
		return finer, true, nil
	})
}
