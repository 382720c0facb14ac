package store

import (
	"context"
	"encoding/json"
	"runtime"
	"slices"
	"time"

	"velvetgrime/core/par"

	"gorm.io/gorm"
)

// StockItem is one thing kept for use in any project.
type StockItem struct {
	ID        string `gorm:"primaryKey"`
	Kind      string // mask
	Name      string
	Data      json.RawMessage `gorm:"type:jsonb"`
	Picture   []byte
	At        time.Time
	DeletedAt gorm.DeletedAt
}

// PutStock keeps an item, or keeps it anew.
func (s *Store) PutStock(ctx context.Context, i *StockItem) error {
	return s.db.WithContext(ctx).Save(i).Error
}

// Stock lists the items of a kind by name, without their pictures.
func (s *Store) Stock(ctx context.Context, kind string) ([]StockItem, error) {
	var list []StockItem
	return list, s.db.WithContext(ctx).Omit("picture").Order("name, at").Find(&list, "kind = ?", kind).Error
}

// StockNames returns the items of a kind by name, without what they hold.
func (s *Store) StockNames(ctx context.Context, kind string) ([]StockItem, error) {
	var list []StockItem
	return list, s.db.WithContext(ctx).Omit("picture", "data").Order("name, at").Find(&list, "kind = ?", kind).Error
}

// StockData calls f with items of these ids and what they hold, 64 at most at a time, without an
// order and on all processors at once; items that are gone are left out. Its error is the database's
// or the context's.
func (s *Store) StockData(ctx context.Context, ids []string, f func([]StockItem)) error {
	g, ctx := par.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for some := range slices.Chunk(ids, 64) {
		g.Go(func() error {
			var list []StockItem
			err := s.db.WithContext(ctx).Omit("picture").Find(&list, "id in ?", some).Error
			if err == nil {
				f(list)
			}
			return err
		})
	}
	return g.Wait()
}

// StockByID returns one item.
func (s *Store) StockByID(ctx context.Context, id string) (*StockItem, error) {
	var i StockItem
	return &i, found(s.db.WithContext(ctx).First(&i, "id = ?", id).Error)
}

// DropStock hides an item; RestoreStock brings it back.
func (s *Store) DropStock(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Delete(&StockItem{}, "id = ?", id)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// RestoreStock brings back an item that was dropped.
func (s *Store) RestoreStock(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Unscoped().Model(&StockItem{}).Where("id = ?", id).Update("deleted_at", nil)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}
