package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// MadePicture is a small picture of something that ships with the application, as one
// build of it makes it. It may be dropped at any time without losing anything but time.
type MadePicture struct {
	Build string `gorm:"primaryKey"`
	Name  string `gorm:"primaryKey"`
	Data  []byte
}

// Made returns a picture that a build has made; ErrNotFound when it has not yet.
func (s *Store) Made(ctx context.Context, build, name string) ([]byte, error) {
	var p MadePicture
	err := s.db.WithContext(ctx).First(&p, "build = ? AND name = ?", build, name).Error
	return p.Data, found(err)
}

// PutMade keeps a picture of a build, and drops those of other builds.
func (s *Store) PutMade(ctx context.Context, p *MadePicture) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Delete(&MadePicture{}, "build <> ?", p.Build).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(p).Error
	})
}
