package store

import (
	"context"
	"encoding/binary"
	"errors"
	"time"

	"gorm.io/gorm"
)

// What nothing reaches any more is cleared away: decision 27. A blob is reached from every
// ledger, snapshot, stroke, clip, job and item of the stock, deleted or not, whatever the
// field is called: any row that holds its hash keeps it.

// Keep is for how long things are kept that are to go.
type Keep struct {
	Bin     time.Duration // deleted projects, and deleted items of the stock
	Loose   time.Duration // blobs that nothing reaches, from when that was first seen
	Results time.Duration // jobs that have ended: what a delivery made, what an import read
	Pieces  time.Duration // the pieces of jobs that have ended
}

// Usual is how long things are kept when nobody says otherwise.
var Usual = Keep{
	Bin:     30 * 24 * time.Hour,
	Loose:   3 * 24 * time.Hour,
	Results: 30 * 24 * time.Hour,
	Pieces:  7 * 24 * time.Hour,
}

// Gone is one thing that was cleared away.
type Gone struct {
	What  string // project, stock, job, pieces, tiles or blob
	Name  string
	Bytes int64
}

// The lock that keeps blobs from being put and cleared at once.
const blobLock = 714026

// Binned is a deleted project.
type Binned struct {
	Project
	Expires time.Time
}

// Bin lists the deleted projects, the latest first, with the time at which each may be
// cleared away.
func (s *Store) Bin(ctx context.Context, keep Keep) ([]Binned, error) {
	var list []Project
	err := s.db.WithContext(ctx).
		Unscoped().
		Select("id", "name", "model_name", "deleted_at", "updated_at", "COALESCE(octet_length(picture), 0) > 0 AS pictured").
		Where("deleted_at IS NOT NULL").
		Order("deleted_at DESC, id").
		Find(&list).
		Error
	out := make([]Binned, len(list))
	for i, p := range list {
		out[i] = Binned{p, p.DeletedAt.Time.Add(keep.Bin)}
	}
	return out, err
}

// BinPicture returns the picture of a project, deleted or not.
func (s *Store) BinPicture(ctx context.Context, id string) ([]byte, error) {
	var p Project
	err := s.db.WithContext(ctx).Unscoped().Select("picture").First(&p, "id = ?", id).Error
	return p.Picture, found(err)
}

// Discard clears a deleted project away before its time; ErrNotFound for one that is not in
// the bin. Its blobs go when nothing else reaches them.
func (s *Store) Discard(ctx context.Context, id string) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		gone, err := discard(tx, "id = ?", id)
		if err == nil && len(gone) == 0 {
			return ErrNotFound
		}
		return err
	})
}

// discard deletes the deleted projects that a condition names, with all their rows.
func discard(tx *gorm.DB, where string, args ...any) ([]Gone, error) {
	var list []Project
	err := tx.Raw("SELECT id, name FROM projects WHERE deleted_at IS NOT NULL AND "+where+" FOR UPDATE", args...).
		Scan(&list).
		Error
	var out []Gone
	for _, p := range list {
		if err != nil {
			break
		}
		var bytes int64
		err = tx.Raw(`SELECT (SELECT COALESCE(sum(octet_length(points) + pg_column_size(meta)), 0) FROM stroke_rows WHERE project_id = ?) +
(SELECT COALESCE(sum(pg_column_size(op) + pg_column_size(inverse)), 0) FROM entries WHERE project_id = ?) +
(SELECT COALESCE(sum(octet_length(data)), 0) FROM finished_tiles WHERE project_id = ?)`, p.ID, p.ID, p.ID).
			Scan(&bytes).
			Error
		for _, q := range []string{
			"DELETE FROM job_pieces WHERE job_id IN (SELECT id FROM jobs WHERE project_id = ?)", "DELETE FROM jobs WHERE project_id = ?",
			"DELETE FROM finished_tiles WHERE project_id = ?", "DELETE FROM leases WHERE project_id = ?", "DELETE FROM pictures WHERE project_id = ?", "DELETE FROM marks WHERE project_id = ?", "DELETE FROM deliveries WHERE project_id = ?",
			"DELETE FROM stroke_rows WHERE project_id = ?", "DELETE FROM snapshots WHERE project_id = ?", "DELETE FROM entries WHERE project_id = ?", "DELETE FROM projects WHERE id = ?",
		} {
			if err == nil {
				err = tx.Exec(q, p.ID).Error
			}
		}
		out = append(out, Gone{"project", p.Name, bytes})
	}
	return out, err
}

// Clear takes away what nothing reaches and what has been kept long enough, and returns it.
// With dry it only tells what it would take. build is the running program's sum: tiles that
// other builds drew are of no use to it.
func (s *Store) Clear(ctx context.Context, keep Keep, build uint64, dry bool) (gone []Gone, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		c := &clearing{tx: tx}
		c.projects(keep)
		c.rows(keep, build)
		c.blobs(keep)
		gone = c.gone
		if c.err == nil && dry {
			return errDry
		}
		return c.err
	})
	if errors.Is(err, errDry) {
		err = nil
	}
	return gone, err
}

// errDry takes the transaction of a dry run back.
var errDry = errors.New("nothing was changed")

// clearing is one run, within a transaction; after an error it does nothing more.
type clearing struct {
	tx   *gorm.DB
	gone []Gone
	err  error
}

// take runs a query that deletes and returns the name and the bytes of each.
func (c *clearing) take(what, query string, args ...any) {
	if c.err != nil {
		return
	}
	var rows []Gone
	c.err = c.tx.Raw(query, args...).Scan(&rows).Error
	for _, r := range rows {
		r.What = what
		c.gone = append(c.gone, r)
	}
}

func (c *clearing) exec(query string, args ...any) {
	if c.err == nil {
		c.err = c.tx.Exec(query, args...).Error
	}
}

func ago(d time.Duration) time.Time { return time.Now().Add(-d) }

func (c *clearing) projects(keep Keep) {
	if c.err != nil {
		return
	}
	var gone []Gone
	gone, c.err = discard(c.tx, "deleted_at < ?", ago(keep.Bin))
	c.gone = append(c.gone, gone...)
}

// rows clears what is found without looking at blobs.
func (c *clearing) rows(keep Keep, build uint64) {
	c.take(
		"stock",
		"DELETE FROM stock_items WHERE deleted_at < ? RETURNING name, COALESCE(octet_length(picture), 0) + pg_column_size(data) AS bytes",
		ago(keep.Bin),
	)
	c.take("job", `WITH old AS (SELECT id FROM jobs WHERE (state IN ('failed', 'cancelled', 'binned') OR state = 'done' AND kind <> 'still') AND updated_at < ?),
 pieces AS (DELETE FROM job_pieces WHERE job_id IN (SELECT id FROM old))
 DELETE FROM jobs WHERE id IN (SELECT id FROM old) RETURNING COALESCE(NULLIF(label, ''), kind) || ' of ' || to_char(created_at, 'YYYY-MM-DD') AS name, pg_column_size(files)::bigint AS bytes`, ago(keep.Results))
	c.take(
		"pieces",
		`WITH old AS (DELETE FROM job_pieces USING jobs j WHERE job_id = j.id AND j.state IN ('done', 'failed', 'cancelled') AND j.updated_at < ? RETURNING job_id, octet_length(data) AS size)
 SELECT job_id AS name, sum(size)::bigint AS bytes FROM old GROUP BY job_id`,
		ago(keep.Pieces),
	)
	sum := binary.BigEndian.AppendUint64(nil, build)
	c.take(
		"tiles",
		`WITH old AS (DELETE FROM finished_tiles USING projects p WHERE project_id = p.id AND (p.deleted_at IS NOT NULL OR substring(key FROM 1 FOR 8) <> ?) RETURNING p.name, octet_length(data) AS size)
 SELECT name, sum(size)::bigint AS bytes FROM old GROUP BY name`,
		sum,
	)
	c.exec("DELETE FROM leases WHERE until < ?", ago(time.Hour))
}

// blobs notes which blobs nothing reaches now, and deletes those of which that was noted
// long enough ago and is still so. Everything that is put again, be it the same bytes, is
// not loose any more (see PutBlob).
func (c *clearing) blobs(keep Keep) {
	c.exec(`CREATE TEMPORARY TABLE reached ON COMMIT DROP AS SELECT DISTINCT m[1] AS hash FROM (
 SELECT model_blob AS t FROM projects UNION ALL SELECT op::text FROM entries UNION ALL SELECT inverse::text FROM entries UNION ALL SELECT doc::text FROM snapshots
 UNION ALL SELECT meta::text FROM stroke_rows UNION ALL SELECT doc::text FROM clips UNION ALL SELECT blob FROM pictures
 UNION ALL SELECT args::text || files::text || result::text FROM jobs UNION ALL SELECT data::text FROM stock_items) x, regexp_matches(t, '[0-9a-f]{64}', 'g') m`)
	c.exec("SELECT pg_advisory_xact_lock(?)", blobLock)
	c.exec("DELETE FROM loose_blobs WHERE hash IN (SELECT hash FROM reached)")
	c.exec(
		"INSERT INTO loose_blobs (hash, since) SELECT DISTINCT hash, now() FROM blob_chunks WHERE n = 0 AND hash NOT IN (SELECT hash FROM reached) ON CONFLICT DO NOTHING",
	)
	c.take(
		"blob",
		`WITH old AS (DELETE FROM loose_blobs WHERE since <= ? RETURNING hash), data AS (DELETE FROM blob_chunks WHERE hash IN (SELECT hash FROM old) RETURNING hash, octet_length(data) AS size)
 SELECT hash AS name, sum(size)::bigint AS bytes FROM data GROUP BY hash`,
		ago(keep.Loose),
	)
}
