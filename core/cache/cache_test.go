package cache

import "testing"

// weight is a value of so many bytes.
type weight int

func (w weight) Bytes() int { return int(w) }

// Results outlive what was needed on the way to them, and everything stays bounded.
func TestTheCacheKeepsResults(t *testing.T) {
	c := New(100 << 10)
	row := func() weight { return 4000 }
	for i := range uint64(8) {
		c.Keep(Key{Hi: i, Lo: 1}, row())
	}
	for i := range uint64(500) {
		c.Put(Key{Hi: i, Lo: 2}, row())
		if used, _, _ := c.Stats(); used > 100<<10 {
			t.Fatalf("%d bytes are held", used)
		}
	}
	for i := range uint64(8) {
		if _, ok := c.Get(Key{Hi: i, Lo: 1}); !ok {
			t.Errorf("result %d is gone", i)
		}
	}
	for i := range uint64(500) {
		c.Keep(Key{Hi: i, Lo: 3}, row())
	}
	if used, _, _ := c.Stats(); used > 100<<10 {
		t.Errorf("%d bytes are held", used)
	}
	if _, ok := c.Get(Key{Hi: 499, Lo: 3}); !ok {
		t.Error("the newest result is gone")
	}
}

// What differs in anything that was mixed in has another key; strings do not run together.
func TestKeysTellApart(t *testing.T) {
	seen := map[Key]string{}
	for name, k := range map[string]Key{
		"ab, c":          NewHash("x").Str("ab").Str("c").Sum(),
		"a, bc":          NewHash("x").Str("a").Str("bc").Sum(),
		"abc":            NewHash("x").Str("abc").Sum(),
		"another kind":   NewHash("y").Str("abc").Sum(),
		"a number":       NewHash("x").Num(1).Sum(),
		"two numbers":    NewHash("x").Num(1).Num(0).Sum(),
		"joined":         Join(Key{Hi: 1}, Key{Lo: 2}, 3),
		"joined turned":  Join(Key{Lo: 2}, Key{Hi: 1}, 3),
		"joined another": Join(Key{Hi: 1}, Key{Lo: 2}, 4),
	} {
		if other, ok := seen[k]; ok {
			t.Errorf("%q and %q have the same key", name, other)
		}
		seen[k] = name
	}
}

// A cache that yields room to other work drops the oldest, and takes as much again when it
// gets it back.
func TestTheCacheYields(t *testing.T) {
	c := New(100)
	for i := range uint64(10) {
		c.Put(Key{Hi: i}, weight(10))
	}
	c.Yield(60)
	if used, _, _ := c.Stats(); used > 40 {
		t.Errorf("%d bytes are held of 40", used)
	}
	if _, ok := c.Get(Key{Hi: 9}); !ok {
		t.Error("the newest is gone")
	}
	c.Yield(0)
	for i := range uint64(10) {
		c.Put(Key{Hi: i, Lo: 1}, weight(10))
	}
	if used, _, _ := c.Stats(); used != 100 {
		t.Errorf("%d bytes are held of 100", used)
	}
}

// What passes through drives nothing else out, and is bounded itself.
func TestWhatPassesDrivesNothingOut(t *testing.T) {
	c := New(8000)
	for i := range uint64(50) {
		c.Put(Key{Hi: i, Lo: 1}, weight(100))
	}
	for i := range uint64(1000) {
		c.Pass(Key{Hi: i, Lo: 2}, weight(100))
	}
	if used, _, _ := c.Stats(); used != 50*100+1000 {
		t.Errorf("%d bytes are held", used)
	}
	for i := range uint64(50) {
		if _, ok := c.Get(Key{Hi: i, Lo: 1}); !ok {
			t.Errorf("%d is gone", i)
		}
	}
	if _, ok := c.Get(Key{Hi: 999, Lo: 2}); !ok {
		t.Error("the newest that passes is gone")
	}
	if _, ok := c.Get(Key{Hi: 0, Lo: 2}); ok {
		t.Error("the oldest that passed is held")
	}
}
