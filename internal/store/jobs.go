package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
)

// Insert returns the statement that writes a new job, for a transaction of the queue's.
func (j *Job) Insert() (sql string, args []any) {
	return `INSERT INTO jobs (id, project_id, kind, state, progress, note, args, files, label, actor, result, created_at, updated_at)
VALUES ($1, $2, $3, $4, 0, '', $5, '[]', $6, $7, '{}', now(), now())`, []any{
			j.ID,
			j.ProjectID,
			j.Kind,
			j.State,
			string(j.Args),
			j.Label,
			j.Actor,
		}
}

// PutJob writes a job whole.
func (s *Store) PutJob(ctx context.Context, j *Job) error {
	for _, f := range []struct {
		to    *json.RawMessage
		empty string
	}{{&j.Files, "[]"}, {&j.Result, "{}"}} {
		if *f.to == nil {
			*f.to = json.RawMessage(f.empty)
		}
	}
	return s.db.WithContext(ctx).Save(j).Error
}

// JobByID returns one job.
func (s *Store) JobByID(ctx context.Context, id string) (*Job, error) {
	var j Job
	return &j, found(s.db.WithContext(ctx).First(&j, "id = ?", id).Error)
}

// JobWithResult returns the latest job of a kind whose result has a field of a value.
func (s *Store) JobWithResult(ctx context.Context, kind, field, value string) (*Job, error) {
	var j Job
	return &j, found(s.db.WithContext(ctx).
		Where("kind = ? AND result->>? = ?", kind, field, value).
		Order("created_at DESC").
		First(&j).
		Error)
}

// JobNames reports whether a job was given a blob, or made it.
func (s *Store) JobNames(ctx context.Context, blob string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Job{}).
		Where("args::text LIKE ? OR files::text LIKE ?", "%"+blob+"%", "%"+blob+"%").
		Count(&n).
		Error
	return n > 0, err
}

// Jobs lists the jobs of a project, the latest first.
func (s *Store) Jobs(ctx context.Context, project string) ([]Job, error) {
	var j []Job
	return j, s.db.WithContext(ctx).
		Omit("result").
		Order("created_at DESC").
		Limit(30).
		Find(&j, "project_id = ? AND state <> ?", project, JobBinned).
		Error
}

// AliveJobs lists all jobs that have not ended, the oldest first.
func (s *Store) AliveJobs(ctx context.Context) ([]Job, error) {
	var j []Job
	return j, s.db.WithContext(ctx).Order("created_at").Find(&j, "state IN ('waiting','running','ready')").Error
}

// Progress updates a running job and tells that its worker lives; it reports false
// when the job was cancelled meanwhile.
func (s *Store) Progress(ctx context.Context, id string, share float64, note string) (bool, error) {
	r := s.db.WithContext(ctx).Model(&Job{}).Where("id = ? AND state IN ('waiting','running')", id).
		Updates(map[string]any{"state": "running", "progress": share, "note": note, "beat": time.Now()})
	return r.RowsAffected > 0, r.Error
}

// EndJob writes how a job that was not cancelled ended; it reports false when it
// was.
func (s *Store) EndJob(ctx context.Context, j *Job) (bool, error) {
	columns := map[string]any{"state": j.State, "note": j.Note, "progress": j.Progress}
	if j.Files != nil {
		columns["files"] = j.Files
	}
	if j.Result != nil {
		columns["result"] = j.Result
	}
	r := s.db.WithContext(ctx).
		Model(&Job{}).
		Where("id = ? AND state IN ('waiting','running','ready')", j.ID).
		Updates(columns)
	if r.Error == nil && (j.State == "done" || j.State == "ready") {
		_ = s.db.WithContext(ctx).Exec("DELETE FROM job_pieces WHERE job_id = ?", j.ID).Error
	}
	return r.RowsAffected > 0, r.Error
}

// Again puts a job that failed or was cancelled back to waiting; it reports false
// when it is in another state. What it had done is kept.
func (s *Store) Again(ctx context.Context, id string) (bool, error) {
	r := s.db.WithContext(ctx).Model(&Job{}).Where("id = ? AND state IN ('failed','cancelled')", id).
		Updates(map[string]any{"state": "waiting", "note": "", "beat": nil, "lost": 0})
	return r.RowsAffected > 0, r.Error
}

// mostLost is how often a job's worker may be lost before the job counts as what ends it.
const mostLost = 3

// Orphans takes over jobs whose worker was not heard of since a time: they are waiting
// again, and returned. One whose workers were lost again and again has failed.
func (s *Store) Orphans(ctx context.Context, since time.Time) ([]Job, error) {
	db := s.db.WithContext(ctx)
	err := db.Exec(
		`UPDATE jobs SET state = 'failed', note = ? WHERE state = 'running' AND beat < ? AND lost >= ?`,
		fmt.Sprintf(
			"its worker ended %d times without a word, most likely for want of memory; try it again with a smaller size",
			mostLost,
		),
		since,
		mostLost-1,
	).Error
	if err != nil {
		return nil, err
	}
	var j, never []Job
	if err = db.Raw("UPDATE jobs SET state = 'waiting', beat = now(), updated_at = now(), lost = lost + 1 WHERE state = 'running' AND beat < ? RETURNING *", since).Scan(&j).Error; err != nil {
		return nil, err
	}
	// and those whose worker ended after it had taken them and before it said so: they wait,
	// and nothing in the queue is going to begin them
	err = db.Raw(`UPDATE jobs SET updated_at = now(), lost = lost + 1 WHERE state = 'waiting' AND updated_at < ? AND NOT EXISTS
(SELECT 1 FROM river_job r WHERE r.args->>'jobId' = jobs.id AND (r.state IN ('available', 'pending', 'retryable', 'scheduled') OR r.state = 'running' AND r.attempted_at > ?)) RETURNING *`, since, since).
		Scan(&never).
		Error
	return append(j, never...), err
}

// Cancel marks a job that has not ended as cancelled.
func (s *Store) Cancel(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).
		Model(&Job{}).
		Where("id = ? AND state IN ('waiting','running','ready')", id).
		Update("state", "cancelled")
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// PutPiece keeps a finished piece of a long job.
func (s *Store) PutPiece(ctx context.Context, job, name string, data []byte) error {
	return s.db.WithContext(ctx).
		Exec("INSERT INTO job_pieces (job_id, name, data) VALUES (?, ?, ?) ON CONFLICT (job_id, name) DO UPDATE SET data = excluded.data", job, name, data).
		Error
}

// Piece returns a kept piece, or ErrNotFound.
func (s *Store) Piece(ctx context.Context, job, name string) ([]byte, error) {
	var data [][]byte
	if err := s.db.WithContext(ctx).Raw("SELECT data FROM job_pieces WHERE job_id = ? AND name = ?", job, name).Scan(&data).Error; err != nil {
		return nil, err
	}
	if len(data) == 0 {
		return nil, ErrNotFound
	}
	return data[0], nil
}

// Pieces lists the names of a job's kept pieces.
func (s *Store) Pieces(ctx context.Context, job string) ([]string, error) {
	var names []string
	return names, s.db.WithContext(ctx).
		Raw("SELECT name FROM job_pieces WHERE job_id = ? ORDER BY name", job).
		Scan(&names).
		Error
}
