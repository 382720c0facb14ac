// Package faults are the faults that the service must survive, for its tests: a line to
// the database that loses, delays and cuts where it hurts most.
package faults

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"regexp"
	"sync"
	"sync/atomic"
	"time"
)

// Proxy passes a PostgreSQL connection on, and can fail at a COMMIT.
type Proxy struct {
	// AtCommit decides what becomes of the next COMMIT; nil: it is passed on.
	AtCommit atomic.Pointer[func() Fault]
	Commits  atomic.Int64 // that were met

	to    string
	from  net.Listener
	down  atomic.Bool
	mu    sync.Mutex
	lines map[net.Conn]bool
}

// Fault is what happens at a COMMIT.
type Fault int

// The faults.
const (
	None      Fault = iota
	LoseReply       // the database commits, and the line is cut before its answer
	CutBefore       // the line is cut before the database hears of it
	Delay           // the answer comes late
)

// NewProxy passes on to the host and port of a connection string, and returns itself and
// the connection string that leads through it.
func NewProxy(dsn string) (*Proxy, string, error) {
	port := regexp.MustCompile(`port=(\d+)`).FindStringSubmatch(dsn)
	if port == nil {
		return nil, "", fmt.Errorf("the connection string %q names no port", dsn)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, "", err
	}
	p := &Proxy{to: "127.0.0.1:" + port[1], from: l, lines: map[net.Conn]bool{}}
	go p.serve()
	through := regexp.MustCompile(`host=\S+`).ReplaceAllString(dsn, "host=127.0.0.1")
	return p, regexp.MustCompile(`port=\d+`).
			ReplaceAllString(through, fmt.Sprintf("port=%d", l.Addr().(*net.TCPAddr).Port)),
		nil
}

// Down cuts all lines and refuses new ones until Up.
func (p *Proxy) Down() {
	p.down.Store(true)
	p.mu.Lock()
	defer p.mu.Unlock()
	for c := range p.lines {
		_ = c.Close()
	}
}

// Up lets lines through again.
func (p *Proxy) Up() { p.down.Store(false) }

// Close ends the proxy.
func (p *Proxy) Close() {
	_ = p.from.Close()
	p.Down()
}

func (p *Proxy) serve() {
	for {
		c, err := p.from.Accept()
		if err != nil {
			return
		}
		if p.down.Load() {
			_ = c.Close()
			continue
		}
		go p.pass(c)
	}
}

func (p *Proxy) keep(c net.Conn, on bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if on {
		p.lines[c] = true
	} else {
		delete(p.lines, c)
	}
}

func (p *Proxy) pass(c net.Conn) {
	defer c.Close()
	d, err := net.Dial("tcp", p.to)
	if err != nil {
		return
	}
	defer d.Close()
	p.keep(c, true)
	defer p.keep(c, false)
	var late, lost atomic.Bool
	go func() { // answers
		defer c.Close()
		b := make([]byte, 64<<10)
		for {
			n, err := d.Read(b)
			if lost.Load() {
				return
			}
			if late.Swap(false) {
				time.Sleep(300 * time.Millisecond)
			}
			if n > 0 {
				if _, err := c.Write(b[:n]); err != nil {
					return
				}
			}
			if err != nil {
				return
			}
		}
	}()
	b := make([]byte, 64<<10)
	for {
		n, err := c.Read(b)
		if n > 0 && commit(b[:n]) {
			p.Commits.Add(1)
			f := None
			if at := p.AtCommit.Load(); at != nil {
				f = (*at)()
			}
			switch f {
			case CutBefore:
				return
			case LoseReply:
				lost.Store(true)
				_, _ = d.Write(b[:n])
				// the database has it: wait until it has answered, and lose that
				_ = d.SetReadDeadline(time.Now().Add(5 * time.Second))
				_, _ = io.ReadAtLeast(d, make([]byte, 1), 1)
				return
			case Delay:
				late.Store(true)
			}
		}
		if n > 0 {
			if _, err := d.Write(b[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}

// commit reports whether what a client sends is the simple query COMMIT.
func commit(b []byte) bool {
	return len(b) >= 12 && b[0] == 'Q' && bytes.HasPrefix(bytes.ToLower(b[5:]), []byte("commit"))
}
