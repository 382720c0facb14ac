package store

import (
	"context"
	"encoding/binary"
	"time"
)

// Claim takes a part of a long job for one worker, by the name of its piece; it reports false when
// another one has it and was heard of since a time. Whoever has it claims it again to say that he
// lives: by is his own number.
func (s *Store) Claim(ctx context.Context, job, name string, by uint64, since time.Time) (bool, error) {
	row := func(t time.Time, by uint64) []byte {
		b := binary.BigEndian.AppendUint64(nil, uint64(t.UnixMilli()))
		return binary.BigEndian.AppendUint64(b, by)
	}
	own := binary.BigEndian.AppendUint64(nil, by)
	r := s.db.WithContext(ctx).Exec(`INSERT INTO job_pieces (job_id, name, data) VALUES (?, ?, ?)
ON CONFLICT (job_id, name) DO UPDATE SET data = excluded.data
WHERE job_pieces.data < ? OR substring(job_pieces.data from 9) = ?`,
		job, name, row(time.Now(), by), row(since, 0), own)
	return r.RowsAffected > 0, r.Error
}

// DropPieces deletes pieces of a job by name.
func (s *Store) DropPieces(ctx context.Context, job string, names ...string) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM job_pieces WHERE job_id = ? AND name IN ?", job, names).Error
}

// JobsOf lists a project's jobs of a kind that were not thrown away, the latest first.
func (s *Store) JobsOf(ctx context.Context, project, kind string) ([]Job, error) {
	var j []Job
	return j, s.db.WithContext(ctx).
		Order("created_at DESC").
		Find(&j, "project_id = ? AND kind = ? AND state <> ?", project, kind, JobBinned).
		Error
}

// JobBinned is the state of a finished job whose files were thrown away, and can be brought back.
const JobBinned = "binned"

// BinJob throws away what a finished job made; UnbinJob brings it back. ErrNotFound: there is none.
func (s *Store) BinJob(ctx context.Context, id, kind string) error {
	return s.turn(ctx, id, kind, []string{"done", "failed", "cancelled"}, JobBinned)
}

// UnbinJob is BinJob the other way round.
func (s *Store) UnbinJob(ctx context.Context, id, kind string) error {
	return s.turn(ctx, id, kind, []string{JobBinned}, "done")
}

func (s *Store) turn(ctx context.Context, id, kind string, from []string, to string) error {
	r := s.db.WithContext(ctx).Model(&Job{}).Where("id = ? AND kind = ? AND state IN ?", id, kind, from).Update("state", to)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}
