package store

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm/clause"
)

// Mark is a name given to a place in a ledger.
type Mark struct {
	ProjectID string `gorm:"primaryKey"`
	Seq       int64  `gorm:"primaryKey"`
	Name      string
}

// PutMark names a place in the ledger; an empty name takes the mark away.
func (s *Store) PutMark(ctx context.Context, m Mark) error {
	db := s.db.WithContext(ctx)
	if m.Name == "" {
		return db.Delete(&Mark{}, "project_id = ? AND seq = ?", m.ProjectID, m.Seq).Error
	}
	return db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&m).Error
}

// Marks lists the marks of a project by place.
func (s *Store) Marks(ctx context.Context, project string) ([]Mark, error) {
	var m []Mark
	return m, s.db.WithContext(ctx).Order("seq").Find(&m, "project_id = ?", project).Error
}

// SnapshotAt returns the newest snapshot that is not after a place in the ledger.
func (s *Store) SnapshotAt(ctx context.Context, project string, seq int64) (*Snapshot, error) {
	var snap Snapshot
	return &snap, found(
		s.db.WithContext(ctx).Order("seq DESC").First(&snap, "project_id = ? AND seq <= ?", project, seq).Error,
	)
}

// Clip is what someone has copied, to paste it here or in another project.
type Clip struct {
	Actor string          `gorm:"primaryKey"`
	Doc   json.RawMessage `gorm:"type:jsonb"`
	At    time.Time
}

// PutClip keeps what an actor copied, in place of what he copied before.
func (s *Store) PutClip(ctx context.Context, actor string, doc []byte) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&Clip{actor, doc, time.Now()}).Error
}

// Clip returns what an actor copied last, or ErrNotFound.
func (s *Store) Clip(ctx context.Context, actor string) ([]byte, error) {
	var c Clip
	err := s.db.WithContext(ctx).First(&c, "actor = ?", actor).Error
	return c.Doc, found(err)
}

// Picture is a stored picture that a project uses or may use.
type Picture struct {
	ProjectID string    `gorm:"primaryKey" json:"-"`
	Blob      string    `gorm:"primaryKey" json:"picture"`
	Name      string    `json:"name"`
	Width     int       `json:"width"`
	Height    int       `json:"height"`
	At        time.Time `json:"at"`
}

// PutPicture notes that a project has a picture; the bytes are a blob already.
func (s *Store) PutPicture(ctx context.Context, p *Picture) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(p).Error
}

// Pictures lists the pictures of a project, the latest first.
func (s *Store) Pictures(ctx context.Context, project string) ([]Picture, error) {
	p := []Picture{}
	return p, s.db.WithContext(ctx).Order("at DESC, blob").Find(&p, "project_id = ?", project).Error
}
