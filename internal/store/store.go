// Package store keeps projects in PostgreSQL through GORM. Nothing that matters
// lives anywhere else.
package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"velvetgrime/core/brush"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/klauspost/compress/zstd"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"
)

// ErrNotFound is returned for a project, job or blob that is not there.
var ErrNotFound = errors.New("not found")

// Project is one model with its layers.
type Project struct {
	ID        string `gorm:"primaryKey"`
	Name      string
	ModelName string // file name inside the model blob, a zip
	ModelBlob string
	Picture   []byte
	Pictured  bool `gorm:"->"` // there is a picture; set by Projects alone
	CreatedAt time.Time
	UpdatedAt time.Time
	DeletedAt gorm.DeletedAt
}

// Entry is one line of the ledger.
type Entry struct {
	ProjectID string `gorm:"primaryKey"`
	Seq       int64  `gorm:"primaryKey"`
	Actor     string
	Kind      string // do, undo, redo, jump
	Ref       int64  // the entry that an undo or redo acts on, or that a jump goes to
	Label     string
	Op        json.RawMessage `gorm:"type:jsonb"`
	Inverse   json.RawMessage `gorm:"type:jsonb"`
	At        time.Time
	Request   string // the id under which it was asked for; a project holds each but once
}

// Snapshot is a whole document at a place in the ledger.
type Snapshot struct {
	ProjectID string          `gorm:"primaryKey"`
	Seq       int64           `gorm:"primaryKey"`
	Doc       json.RawMessage `gorm:"type:jsonb"`
}

// StrokeRow is one stroke: its settings as JSON, its points packed.
type StrokeRow struct {
	ProjectID string          `gorm:"primaryKey"`
	ID        string          `gorm:"primaryKey"`
	Meta      json.RawMessage `gorm:"type:jsonb"`
	Points    []byte
}

// Job is one long piece of work and what became of it.
type Job struct {
	ID        string `gorm:"primaryKey"`
	ProjectID string
	Kind      string
	State     string // waiting, running, ready (worked out, not applied yet), done, failed, cancelled
	Progress  float64
	Note      string
	Args      json.RawMessage `gorm:"type:jsonb"`
	Files     json.RawMessage `gorm:"type:jsonb"` // []JobFile
	Label     string          // as the page shows it
	Actor     string          // who asked: the change that ends it is his
	Result    json.RawMessage `gorm:"type:jsonb"` // what a job in the state ready wants changed
	Beat      *time.Time      // when its worker was last heard of
	Lost      int             // how often its worker was not heard of any more
	CreatedAt time.Time
	UpdatedAt time.Time
}

// JobFile is one result of a job.
type JobFile struct {
	Name string `json:"name"`
	Blob string `json:"blob"`
	Size int    `json:"size"`
}

// Store is the database.
type Store struct{ db *gorm.DB }

var migrations = []*gormigrate.Migration{{
	ID: "0001",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
CREATE TABLE projects (id text PRIMARY KEY, name text NOT NULL, model_name text NOT NULL, model_blob text NOT NULL,
  picture bytea, created_at timestamptz NOT NULL, updated_at timestamptz NOT NULL, deleted_at timestamptz);
CREATE TABLE entries (project_id text NOT NULL REFERENCES projects(id), seq bigint NOT NULL, actor text NOT NULL, kind text NOT NULL,
  ref bigint NOT NULL, label text NOT NULL, op jsonb NOT NULL, inverse jsonb NOT NULL, at timestamptz NOT NULL, PRIMARY KEY (project_id, seq));
CREATE TABLE snapshots (project_id text NOT NULL REFERENCES projects(id), seq bigint NOT NULL, doc jsonb NOT NULL, PRIMARY KEY (project_id, seq));
CREATE TABLE stroke_rows (project_id text NOT NULL REFERENCES projects(id), id text NOT NULL, meta jsonb NOT NULL, points bytea NOT NULL, PRIMARY KEY (project_id, id));
CREATE TABLE blob_chunks (hash text NOT NULL, n int NOT NULL, data bytea NOT NULL, PRIMARY KEY (hash, n));
CREATE TABLE jobs (id text PRIMARY KEY, project_id text NOT NULL, kind text NOT NULL, state text NOT NULL, progress double precision NOT NULL,
  note text NOT NULL, args jsonb NOT NULL, files jsonb NOT NULL, created_at timestamptz NOT NULL, updated_at timestamptz NOT NULL);
CREATE INDEX jobs_by_project ON jobs (project_id, created_at);`).Error
	},
}, {
	ID: "0002",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
CREATE TABLE marks (project_id text NOT NULL REFERENCES projects(id), seq bigint NOT NULL, name text NOT NULL, PRIMARY KEY (project_id, seq));
CREATE TABLE clips (actor text PRIMARY KEY, doc jsonb NOT NULL, at timestamptz NOT NULL);
CREATE TABLE pictures (project_id text NOT NULL REFERENCES projects(id), blob text NOT NULL, name text NOT NULL, width int NOT NULL, height int NOT NULL,
  at timestamptz NOT NULL, PRIMARY KEY (project_id, blob));`).Error
	},
}, {
	ID: "0003",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
ALTER TABLE jobs ADD COLUMN label text NOT NULL DEFAULT '', ADD COLUMN actor text NOT NULL DEFAULT '', ADD COLUMN result jsonb NOT NULL DEFAULT '{}', ADD COLUMN beat timestamptz;
CREATE INDEX jobs_alive ON jobs (state) WHERE state IN ('waiting','running','ready');
CREATE TABLE job_pieces (job_id text NOT NULL REFERENCES jobs(id), name text NOT NULL, data bytea NOT NULL, PRIMARY KEY (job_id, name));`).Error
	},
}, {
	ID: "0004",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
CREATE TABLE stock_items (id text PRIMARY KEY, kind text NOT NULL, name text NOT NULL, data jsonb NOT NULL, picture bytea, at timestamptz NOT NULL, deleted_at timestamptz);
CREATE INDEX stock_by_kind ON stock_items (kind, name);`).Error
	},
}, {
	ID: "0005",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
CREATE TABLE finished_tiles (project_id text NOT NULL REFERENCES projects(id) ON DELETE CASCADE, key bytea NOT NULL, data bytea NOT NULL, PRIMARY KEY (project_id, key));
ALTER TABLE finished_tiles ALTER COLUMN data SET STORAGE EXTERNAL;`).Error
	},
}, {
	ID: "0006",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(
			`CREATE TABLE made_pictures (build text NOT NULL, name text NOT NULL, data bytea NOT NULL, PRIMARY KEY (build, name));`,
		).Error
	},
}, {
	ID: "0007",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
ALTER TABLE entries ADD COLUMN request text NOT NULL DEFAULT '';
CREATE UNIQUE INDEX entries_by_request ON entries (project_id, request) WHERE request <> '';
CREATE TABLE leases (project_id text PRIMARY KEY REFERENCES projects(id) ON DELETE CASCADE, holder text NOT NULL, until timestamptz NOT NULL);
ALTER TABLE jobs ADD COLUMN lost int NOT NULL DEFAULT 0;`).Error
	},
}, {
	ID: "0008",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`CREATE TABLE loose_blobs (hash text PRIMARY KEY, since timestamptz NOT NULL);`).Error
	},
}, {
	ID: "0009",
	Migrate: func(tx *gorm.DB) error {
		return tx.Exec(`
CREATE TABLE deliveries (id text PRIMARY KEY, project_id text NOT NULL REFERENCES projects(id), at timestamptz NOT NULL, note jsonb NOT NULL);
CREATE INDEX deliveries_by_project ON deliveries (project_id, at);`).Error
	},
}}

// Open connects and runs the migrations that are missing.
func Open(dsn string) (*Store, error) {
	db, err := gorm.Open(postgres.Open(dsn), &gorm.Config{Logger: logger.Default.LogMode(logger.Silent)})
	if err != nil {
		return nil, fmt.Errorf(
			"the database does not answer: %w; start it with 'make database' or set VELVETGRIME_DATABASE",
			err,
		)
	}
	err = db.Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("SELECT pg_advisory_xact_lock(714025)").Error; err != nil {
			return err
		}
		return gormigrate.New(tx, gormigrate.DefaultOptions, migrations).Migrate()
	})
	if err != nil {
		return nil, fmt.Errorf("migrating the database: %w", err)
	}
	return &Store{db}, nil
}

// Close ends all connections.
func (s *Store) Close() {
	if d, err := s.db.DB(); err == nil {
		_ = d.Close()
	}
}

func found(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	return err
}

// Projects lists all that are not deleted, the latest first, without pictures.
func (s *Store) Projects(ctx context.Context) ([]Project, error) {
	var p []Project
	return p, s.db.WithContext(ctx).
		Select("id", "name", "model_name", "model_blob", "created_at", "updated_at", "COALESCE(octet_length(picture), 0) > 0 AS pictured").
		Order("updated_at DESC, id").
		Find(&p).
		Error
}

// Project returns one by id.
func (s *Store) Project(ctx context.Context, id string) (*Project, error) {
	var p Project
	return &p, found(s.db.WithContext(ctx).First(&p, "id = ?", id).Error)
}

// CreateProject keeps a new project with its first document; all or nothing.
func (s *Store) CreateProject(ctx context.Context, p *Project, doc []byte, strokes []*brush.Stroke) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(p).Error; err != nil {
			return err
		}
		for _, st := range strokes {
			if err := putStroke(tx, p.ID, st); err != nil {
				return err
			}
		}
		return tx.Create(&Snapshot{p.ID, 0, doc}).Error
	})
}

// Change sets columns of a project.
func (s *Store) Change(ctx context.Context, id string, columns map[string]any) error {
	r := s.db.WithContext(ctx).Model(&Project{}).Where("id = ?", id).Updates(columns)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Show keeps the picture by which a project is shown. Looking at a project is no change of it:
// the time of the last one stays.
func (s *Store) Show(ctx context.Context, id string, png []byte) error {
	r := s.db.WithContext(ctx).Model(&Project{}).Where("id = ?", id).UpdateColumn("picture", png)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Delete hides a project; Restore brings it back.
func (s *Store) Delete(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Delete(&Project{}, "id = ?", id)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Restore brings a deleted project back; ErrNotFound for one that is not there.
func (s *Store) Restore(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Unscoped().Model(&Project{}).Where("id = ?", id).Update("deleted_at", nil)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

const chunkSize = 1 << 20

// PutBlob keeps bytes under their SHA-256 in hex.
func (s *Store) PutBlob(ctx context.Context, data []byte) (string, error) {
	return s.PutBlobFrom(ctx, bytes.NewReader(data))
}

// PutBlobOf keeps what write writes, and returns its name and its size. It goes through the
// disk: a picture of 8192 texels a side is not to be held twice. Nothing is kept when write
// fails.
func (s *Store) PutBlobOf(ctx context.Context, write func(io.Writer) error) (hash string, size int, err error) {
	f, err := os.CreateTemp("", "velvetgrime-blob-*")
	if err != nil {
		return "", 0, err
	}
	defer func() {
		_ = f.Close()
		_ = os.Remove(f.Name())
	}()
	if err = write(f); err != nil {
		return "", 0, err
	}
	n, err := f.Seek(0, io.SeekEnd)
	if err == nil {
		hash, err = s.PutBlobFrom(ctx, f)
	}
	return hash, int(n), err
}

// PutBlobFrom keeps what a reader gives, from its beginning, under its SHA-256 in hex: it is
// read twice, and only a chunk of it is in memory.
func (s *Store) PutBlobFrom(ctx context.Context, from io.ReadSeeker) (string, error) {
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	sum := sha256.New()
	if _, err := io.Copy(sum, from); err != nil {
		return "", err
	}
	hash := hex.EncodeToString(sum.Sum(nil))
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("SELECT pg_advisory_xact_lock_shared(?)", blobLock).Error; err != nil {
			return err
		}
		// who puts it means to reach it
		if err := tx.Exec("DELETE FROM loose_blobs WHERE hash = ?", hash).Error; err != nil {
			return err
		}
		part := make([]byte, chunkSize)
		for n := 0; ; n++ {
			k, err := io.ReadFull(from, part)
			end := err == io.EOF || err == io.ErrUnexpectedEOF
			if err != nil && !end {
				return err
			}
			if k == 0 && n > 0 {
				return nil
			}
			if err := tx.Exec("INSERT INTO blob_chunks (hash, n, data) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", hash, n, part[:k]).Error; err != nil {
				return err
			}
			if end {
				return nil
			}
		}
	})
	return hash, err
}

// Blob returns what PutBlob kept.
func (s *Store) Blob(ctx context.Context, hash string) ([]byte, error) {
	var out bytes.Buffer
	if err := s.BlobTo(ctx, hash, &out); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// BlobTo writes a blob, a chunk of it at a time; ErrNotFound: there is none.
func (s *Store) BlobTo(ctx context.Context, hash string, w io.Writer) error {
	rows, err := s.db.WithContext(ctx).Raw("SELECT data FROM blob_chunks WHERE hash = ? ORDER BY n", hash).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	some := false
	for rows.Next() {
		var part sql.RawBytes
		if err := rows.Scan(&part); err != nil {
			return err
		}
		if _, err := w.Write(part); err != nil {
			return err
		}
		some = true
	}
	if !some && rows.Err() == nil {
		return ErrNotFound
	}
	return rows.Err()
}

var (
	packer, _   = zstd.NewWriter(nil)
	quick, _    = zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	unpacker, _ = zstd.NewReader(nil, zstd.WithDecoderMaxMemory(64<<20))
)

func putStroke(tx *gorm.DB, project string, st *brush.Stroke) error {
	meta := *st
	meta.Points = nil
	b, err := json.Marshal(meta)
	if err != nil {
		return err
	}
	row := StrokeRow{project, st.ID, b, packer.EncodeAll(st.Points.Pack(), nil)}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row).Error
}

// Strokes returns every stroke ever made in a project, by id.
func (s *Store) Strokes(ctx context.Context, project string) (map[string]*brush.Stroke, error) {
	var rows []StrokeRow
	if err := s.db.WithContext(ctx).Find(&rows, "project_id = ?", project).Error; err != nil {
		return nil, err
	}
	out := make(map[string]*brush.Stroke, len(rows))
	for _, r := range rows {
		st := &brush.Stroke{}
		if err := json.Unmarshal(r.Meta, st); err != nil {
			return nil, fmt.Errorf("stroke %q: %w", r.ID, err)
		}
		b, err := unpacker.DecodeAll(r.Points, nil)
		if err == nil {
			st.Points, err = brush.Unpack(b)
		}
		if err != nil {
			return nil, fmt.Errorf("stroke %q: %w", r.ID, err)
		}
		out[r.ID] = st
	}
	return out, nil
}

// Append keeps an entry, the strokes that came with it and, when doc is not nil, a
// snapshot after it; all or nothing, and only under the holder's lease. After an error
// that is none of the database's own answers it is in doubt whether the entry is kept:
// Kept tells.
func (s *Store) Append(ctx context.Context, h Holder, e *Entry, strokes []*brush.Stroke, doc []byte) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := leased(tx, e.ProjectID, h); err != nil {
			return err
		}
		for _, stroke := range strokes {
			if err := putStroke(tx, e.ProjectID, stroke); err != nil {
				return err
			}
		}
		if err := tx.Create(e).Error; err != nil {
			return err
		}
		if doc != nil {
			if err := tx.Create(&Snapshot{e.ProjectID, e.Seq, doc}).Error; err != nil {
				return err
			}
		}
		return tx.Model(&Project{}).Where("id = ?", e.ProjectID).Update("updated_at", e.At).Error
	})
}

// Did reports whether a project holds the entry of a request.
func (s *Store) Did(ctx context.Context, project, request string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).
		Model(&Entry{}).
		Where("project_id = ? AND request = ?", project, request).
		Count(&n).
		Error
	return n > 0, err
}

// Kept reports whether an entry is kept: whether its place in the ledger is taken, and if
// so whether by the entry of its request. It waits for a transaction that is under way.
func (s *Store) Kept(ctx context.Context, e *Entry) (taken, own bool, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// who appends changes the project's row, so its lock is held until that has ended
		if err := tx.Exec("SELECT 1 FROM projects WHERE id = ? FOR UPDATE", e.ProjectID).Error; err != nil {
			return err
		}
		var there []Entry
		if err := tx.Select("request").Find(&there, "project_id = ? AND seq = ?", e.ProjectID, e.Seq).Error; err != nil {
			return err
		}
		taken = len(there) > 0
		own = taken && there[0].Request == e.Request
		return nil
	})
	return taken, own, err
}

// Latest returns the newest snapshot and the whole ledger of a project.
func (s *Store) Latest(ctx context.Context, project string) (*Snapshot, []Entry, error) {
	var snap Snapshot
	if err := s.db.WithContext(ctx).Order("seq DESC").First(&snap, "project_id = ?", project).Error; err != nil {
		return nil, nil, found(err)
	}
	var e []Entry
	return &snap, e, s.db.WithContext(ctx).Order("seq").Find(&e, "project_id = ?", project).Error
}
