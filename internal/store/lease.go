package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"gorm.io/gorm"
)

// Two servers on one database never change the same project: who opens it takes a lease,
// and every entry is written under it. A lease lapses when its holder is not heard of, and
// is taken over at once when the holder was a process of this machine that has ended.

// LeaseFor is how long a lease holds after its holder was last heard of.
const LeaseFor = 15 * time.Second

// ErrLeased is returned for a project that another server has open.
var ErrLeased = errors.New("another server has this project open")

// ErrLeaseLost is returned for an entry of a server whose lease another one took over.
var ErrLeaseLost = errors.New("another server has taken this project over")

// Holder names a server as the holder of leases: its machine, its process and when that
// began, and a number, as one process may hold several.
type Holder string

var holders atomic.Int64

// machine names this machine since its start, and the process on it.
var machine = sync.OnceValues(func() (boot, process string) {
	b, _ := os.ReadFile("/proc/sys/kernel/random/boot_id")
	name, _ := os.Hostname()
	return name + "/" + strings.TrimSpace(string(b)), fmt.Sprintf("%d/%s", os.Getpid(), began(os.Getpid()))
})

// NewHolder names a new holder in this process.
func NewHolder() Holder {
	boot, process := machine()
	return Holder(fmt.Sprintf("%s/%s/%d", boot, process, holders.Add(1)))
}

// began tells when a process of this machine was started, in ticks since the machine's
// start; "" where there is no such process.
func began(pid int) string {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return ""
	}
	f := strings.Fields(string(b[strings.LastIndexByte(string(b), ')')+1:]))
	if len(f) < 20 {
		return ""
	}
	return f[19]
}

// over reports whether a holder is known to hold nothing any more: a process of this
// machine that has ended, or this very process, which opens the project anew.
func (h Holder) over() bool {
	boot, process := machine()
	rest, here := strings.CutPrefix(string(h), boot+"/")
	if !here {
		return false
	}
	f := strings.Split(rest, "/")
	if len(f) != 3 {
		return false
	}
	if f[0]+"/"+f[1] == process {
		return true
	}
	pid, err := strconv.Atoi(f[0])
	return err == nil && began(pid) != f[1]
}

// Lease takes a project's lease, or ErrLeased.
func (s *Store) Lease(ctx context.Context, project string, h Holder) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("INSERT INTO leases (project_id, holder, until) VALUES (?, '', now()) ON CONFLICT DO NOTHING", project).Error; err != nil {
			return err
		}
		var has []struct {
			Holder Holder
			Lapsed bool
		}
		if err := tx.Raw("SELECT holder, until < now() AS lapsed FROM leases WHERE project_id = ? FOR UPDATE", project).Scan(&has).Error; err != nil {
			return err
		}
		if len(has) > 0 && has[0].Holder != h && !has[0].Lapsed && has[0].Holder != "" && !has[0].Holder.over() {
			return fmt.Errorf(
				"%w; close it there, or wait %d seconds after that one has stopped",
				ErrLeased,
				LeaseFor/time.Second,
			)
		}
		return tx.Exec(
			"UPDATE leases SET holder = ?, until = now() + ? * interval '1 second' WHERE project_id = ?",
			h,
			LeaseFor.Seconds(),
			project,
		).Error
	})
}

// Renew keeps all leases of a holder.
func (s *Store) Renew(ctx context.Context, h Holder) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE leases SET until = now() + ? * interval '1 second' WHERE holder = ?", LeaseFor.Seconds(), h).
		Error
}

// EndLease gives a project's lease back.
func (s *Store) EndLease(ctx context.Context, project string, h Holder) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM leases WHERE project_id = ? AND holder = ?", project, h).Error
}

// leased takes a transaction's part in a lease: it holds until the end of the transaction.
// A lease that lapsed but that nobody took still holds.
func leased(tx *gorm.DB, project string, h Holder) error {
	if h == "" {
		return nil
	}
	var n []int
	if err := tx.Raw("SELECT 1 FROM leases WHERE project_id = ? AND holder = ? FOR SHARE", project, h).Scan(&n).Error; err != nil {
		return err
	}
	if len(n) == 0 {
		return ErrLeaseLost
	}
	return nil
}
