package api_test

import (
	"bytes"
	"context"
	"testing"
	"time"

	"github.com/coder/websocket"
)

// coarsest returns what is drawn of the coarsest tile, by map.
func (w *window) coarsest(n int64) map[byte][]byte {
	w.Helper()
	w.send(`{"t":"view","n":%d,"pages":[0,128,0,0,0],"seen":1}`, n)
	out := map[byte][]byte{}
	w.settling(n, func(data []byte) {
		if data[0] == 1 {
			out[data[2]] = bytes.Clone(data)
		}
	})
	return out
}

// A line of a line-up shows a change that nobody else sees and that is not kept, goes on
// showing it when the document changes, and what was at an entry of the ledger; a change that
// cannot be made is refused.
func TestAnAlternativeIsShownToItsLineAlone(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	w := s.openWaiting(id, "ann")
	was := w.coarsest(1)
	red := `{"kind":"layer.add","target":"red","index":-1,"layer":{"id":"red","name":"Red","kind":"fill","visible":true,"amount":1,"channels":{"baseColor":{"on":true,"amount":1,"value":[1,0,0]}}}}`
	aside := func() *window { return s.openAs(id, "ann", "&wait=1&aside=1") }
	a := aside()
	a.send(`{"t":"alternative","op":%s}`, red)
	got := a.coarsest(1)
	if len(got) != len(was) || bytes.Equal(got[0], was[0]) {
		t.Fatal("the alternative is not shown")
	}
	b := aside()
	b.send(`{"t":"alternative"}`)
	if same := b.coarsest(1); !bytes.Equal(same[0], was[0]) {
		t.Error("what is as it is differs")
	}

	// a page that comes now sees nothing of it, and is one of two
	v := s.openWaiting(id, "bob")
	v.until("the document", func(s state) bool { return s.T == "doc" && len(s.Doc.Layers) == 1 && s.Viewers == 2 })
	if same := v.coarsest(1); !bytes.Equal(same[0], was[0]) {
		t.Error("others see an alternative")
	}

	// the document changes below it
	w.send(`{"t":"op","id":1,"n":2,"op":{"kind":"layer.add","target":"rough","index":0,"layer":{"id":"rough","name":"Rough","kind":"fill","visible":true,"amount":1,"channels":{"roughness":{"on":true,"amount":1,"value":[0.1]}}}}}`)
	w.until("the change", layers(2))
	if other, came := a.coarsest(2)[0]; came && !bytes.Equal(other, got[0]) {
		t.Error("the alternative's colour went with a change below it")
	}

	// it is taken, and the line shows what was before
	w.send(`{"t":"op","id":2,"n":3,"op":%s}`, red)
	w.until("what was taken", layers(3))
	c := aside()
	c.send(`{"t":"alternative","seq":0}`)
	if begin := c.coarsest(1); !bytes.Equal(begin[0], was[0]) {
		t.Error("the beginning is not shown")
	}
	d := aside()
	for _, bad := range []string{`"seq":99`, `"op":{"kind":"layer.remove","target":"gone"}`} {
		d.send(`{"t":"alternative",%s}`, bad)
		if e := d.until("a refusal", func(s state) bool { return s.T == "error" }); e.Message == "" {
			t.Error("it is refused without a reason")
		}
	}
	if same := d.coarsest(1); !bytes.Equal(same[0], got[0]) {
		t.Error("a refused alternative shows something else than what is")
	}
}

// While a picture of a line-up has nothing to show the others are not made finer; then they are.
func TestALineUpShowsAllBeforeOneIsMadeFiner(t *testing.T) {
	s := startService(t)
	id := s.bollard()
	s.openWaiting(id, "ann").coarsest(1)
	aside := func() *window { return s.openAs(id, "ann", "&wait=1&aside=1") }
	late := aside()
	late.send(`{"t":"alternative","seq":99}`)
	late.until("a refusal", func(s state) bool { return s.T == "error" }) // it is there, with nothing to show
	first := aside()
	first.send(`{"t":"alternative","op":{"kind":"layer.add","target":"red","index":-1,"layer":{"id":"red","name":"Red","kind":"fill","visible":true,"amount":1,"channels":{"baseColor":{"on":true,"amount":1,"value":[1,0,0]},"roughness":{"on":true,"amount":1,"value":[0.2]},"height":{"on":true,"amount":1,"value":[0.001]}}}}}`)
	first.send(`{"t":"view","n":1,"pages":[0,128,0,0,0,0,256,0,0,0,0,256,1,0,0,0,256,0,1,0,0,256,1,1,0],"seen":5}`)
	first.until("a draft", func(s state) bool { return s.T == "drafted" })
	fine := make(chan byte)
	go func() {
		for {
			kind, data, err := first.conn.Read(context.Background())
			if err != nil {
				close(fine)
				return
			}
			if kind == websocket.MessageBinary && data[0] == 1 && tileOf(append(data[1:3:3], data[4:10]...)).size == 256 {
				fine <- data[2]
			}
		}
	}()
	select {
	case <-fine:
		t.Error("one was made finer while another had nothing to show")
	case <-time.After(200 * time.Millisecond):
	}
	late.coarsest(1)
	if _, more := <-fine; !more {
		t.Error("the first was not made finer when all were there")
	}
	go func() { // what else comes is nobody's
		for range fine {
		}
	}()
}
