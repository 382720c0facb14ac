package api

import (
	"context"
	"log"
	"sync"

	"velvetgrime/core/material"
	"velvetgrime/core/press"
	"velvetgrime/core/step"
	"velvetgrime/internal/store"
)

// shots are the small pictures of what ships with the application, steps and stamps:
// made once by each build, and kept in the database.
type shots struct {
	store *store.Store
	build string

	mu   sync.Mutex
	list map[string]*shot
}

type shot struct {
	mu  sync.Mutex
	png []byte
}

// get returns a picture: the one that is there, or the one that make makes.
func (s *shots) get(ctx context.Context, name string, make func() ([]byte, error)) ([]byte, error) {
	s.mu.Lock()
	if s.list == nil {
		s.list = map[string]*shot{}
	}
	one := s.list[name]
	if one == nil {
		one = &shot{}
		s.list[name] = one
	}
	s.mu.Unlock()
	one.mu.Lock()
	defer one.mu.Unlock()
	if one.png != nil {
		return one.png, nil
	}
	if s.build != "" {
		if b, err := s.store.Made(ctx, s.build, name); err == nil {
			one.png = b
			return b, nil
		}
	}
	b, err := make()
	if err != nil {
		return nil, err
	}
	one.png = b
	if s.build != "" {
		if err := s.store.PutMade(ctx, &store.MadePicture{Build: s.build, Name: name, Data: b}); err != nil &&
			ctx.Err() == nil {
			log.Printf("the picture of %s is not kept: %v", name, err)
		}
	}
	return b, nil
}

// Warm reads the kept materials, and makes the pictures of all steps and stamps that are not there
// yet, one after the other when no page waits for tiles, so that their lists open at once. It ends
// with ctx.
func (s *Server) Warm(ctx context.Context) {
	if s.Hub.Rest(ctx) != nil {
		return
	}
	if _, err := s.ownMaterials(ctx); err != nil && ctx.Err() == nil {
		log.Printf("the kept materials: %v", err)
	}
	for _, d := range step.Descriptions() {
		if s.Hub.Rest(ctx) != nil {
			return
		}
		if _, err := s.stepShot(ctx, d.Kind); ctx.Err() != nil {
			return
		} else if err != nil {
			continue // it has none
		}
	}
	for _, m := range material.All() {
		if s.Hub.Rest(ctx) != nil {
			return
		}
		if _, err := s.materialShot(ctx, m.Name); ctx.Err() != nil {
			return
		} else if err != nil {
			log.Printf("the picture of the material %s: %v", m.Name, err)
		}
	}
	for _, r := range press.Shelf() {
		if s.Hub.Rest(ctx) != nil {
			return
		}
		if _, err := s.stampShot(ctx, r.Recipe.Name); ctx.Err() != nil {
			return
		} else if err != nil {
			log.Printf("the picture of the stamp %s: %v", r.Recipe.Name, err)
		}
	}
}
