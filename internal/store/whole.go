package store

import (
	"context"

	"velvetgrime/core/brush"

	"gorm.io/gorm"
)

// Everything is all that is kept of a project besides its own row and its blobs.
type Everything struct {
	Snapshots []Snapshot
	Entries   []Entry
	Marks     []Mark
	Pictures  []Picture
	// Deliveries are the notes of what was delivered.
	Deliveries []Delivery
	Strokes    map[string]*brush.Stroke
}

// Everything returns all of a project, as it is at one moment.
func (s *Store) Everything(ctx context.Context, project string) (*Everything, error) {
	var all Everything
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY").Error; err != nil {
			return err
		}
		if err := tx.Order("seq").Find(&all.Snapshots, "project_id = ?", project).Error; err != nil {
			return err
		}
		if err := tx.Order("seq").Find(&all.Entries, "project_id = ?", project).Error; err != nil {
			return err
		}
		in := &Store{tx}
		var err error
		if all.Marks, err = in.Marks(ctx, project); err != nil {
			return err
		}
		if all.Pictures, err = in.Pictures(ctx, project); err != nil {
			return err
		}
		if all.Deliveries, err = in.Deliveries(ctx, project); err != nil {
			return err
		}
		all.Strokes, err = in.Strokes(ctx, project)
		return err
	})
	return &all, err
}

// PutProject keeps a project that comes from elsewhere; all or nothing. Its blobs are there.
func (s *Store) PutProject(ctx context.Context, p *Project, all Everything) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(p).Error; err != nil {
			return err
		}
		for _, st := range all.Strokes {
			if err := putStroke(tx, p.ID, st); err != nil {
				return err
			}
		}
		const some = 500 // rows a statement
		for _, rows := range []struct {
			n    int
			list any
		}{
			{len(all.Snapshots), all.Snapshots}, {len(all.Entries), all.Entries}, {len(all.Marks), all.Marks}, {len(all.Pictures), all.Pictures},
			{len(all.Deliveries), all.Deliveries},
		} {
			if rows.n == 0 {
				continue
			}
			if err := tx.CreateInBatches(rows.list, some).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// SameStock returns the item of the stock that has an item's kind, name and data; nil: none.
func (s *Store) SameStock(ctx context.Context, i *StockItem) (*StockItem, error) {
	var there []StockItem
	err := s.db.WithContext(ctx).Omit("picture").Limit(1).
		Find(&there, "kind = ? AND name = ? AND data = ?::jsonb", i.Kind, i.Name, string(i.Data)).Error
	if err != nil || len(there) == 0 {
		return nil, err
	}
	return &there[0], nil
}
