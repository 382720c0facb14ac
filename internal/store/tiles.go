package store

import (
	"context"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// FinishedTile is a texture tile as a page gets it, kept so that a project opens
// without being evaluated. The key names its content; a tile may be dropped at any
// time without losing anything but time.
type FinishedTile struct {
	ProjectID string `gorm:"primaryKey"`
	Key       []byte `gorm:"primaryKey"`
	Data      []byte // compressed
}

// TileKeys returns the keys of a project's finished tiles.
func (s *Store) TileKeys(ctx context.Context, project string) ([][]byte, error) {
	var keys [][]byte
	return keys, s.db.WithContext(ctx).Model(&FinishedTile{}).Where("project_id = ?", project).Pluck("key", &keys).Error
}

// Tiles returns finished tiles by their keys, unpacked. Those that are not there are
// left out.
func (s *Store) Tiles(ctx context.Context, project string, keys [][]byte) (map[string][]byte, error) {
	var rows []FinishedTile
	if err := s.db.WithContext(ctx).Find(&rows, "project_id = ? AND key IN ?", project, keys).Error; err != nil {
		return nil, err
	}
	out := make(map[string][]byte, len(rows))
	for _, r := range rows {
		b, err := unpacker.DecodeAll(r.Data, nil)
		if err != nil {
			return nil, fmt.Errorf("a finished tile is damaged: %w", err)
		}
		out[string(r.Key)] = b
	}
	return out, nil
}

// PackTile compresses a tile for KeepTiles.
func PackTile(b []byte) []byte { return quick.EncodeAll(b, nil) }

// KeepTiles adds finished tiles to a project and drops others of it, by their keys.
func (s *Store) KeepTiles(ctx context.Context, project string, tiles []FinishedTile, drop [][]byte) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// one page of a project at a time
		if err := tx.Exec("SELECT pg_advisory_xact_lock(hashtext(?))", "tiles "+project).Error; err != nil {
			return err
		}
		for at := 0; at < len(drop); at += 1000 {
			part := drop[at:min(at+1000, len(drop))]
			if err := tx.Delete(&FinishedTile{}, "project_id = ? AND key IN ?", project, part).Error; err != nil {
				return err
			}
		}
		if len(tiles) == 0 {
			return nil
		}
		return tx.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(tiles, 50).Error
	})
}
