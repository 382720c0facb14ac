package store

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm/clause"
)

// Delivery is the note of a delivery. It stays when its files have been cleared away.
type Delivery struct {
	ID        string `gorm:"primaryKey"` // of the job that made it
	ProjectID string `gorm:"index"`
	At        time.Time
	Note      json.RawMessage `gorm:"type:jsonb"` // a deliver.Note
}

// PutDelivery keeps a note; of one that is there already this is the newer.
func (s *Store) PutDelivery(ctx context.Context, project, id string, at time.Time, note any) error {
	b, err := json.Marshal(note)
	if err != nil {
		return err
	}
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&Delivery{id, project, at, b}).Error
}

// Deliveries lists a project's notes, the latest first.
func (s *Store) Deliveries(ctx context.Context, project string) ([]Delivery, error) {
	var list []Delivery
	return list, s.db.WithContext(ctx).Order("at DESC, id").Find(&list, "project_id = ?", project).Error
}

// DeliveryByID returns a note, or ErrNotFound.
func (s *Store) DeliveryByID(ctx context.Context, id string) (*Delivery, error) {
	var d Delivery
	return &d, found(s.db.WithContext(ctx).First(&d, "id = ?", id).Error)
}
