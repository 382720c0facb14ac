package api_test

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"testing"
	"time"

	"github.com/coder/websocket"
)

// tileAt is where a frame's tile lies, and of which map it is.
type tileAt struct{ sheet, kind, size, x, y int }

func tileOf(b []byte) tileAt {
	n := func(i int) int { return int(binary.LittleEndian.Uint16(b[i:])) }
	return tileAt{int(b[0]), int(b[1]), n(2), n(4), n(6)}
}

// settledWith reads until everything is settled up to message n and returns which tiles came,
// in their order, and which were said to be out of date.
func (w *window) settledWith(n int64) (came, dropped []tileAt) {
	w.Helper()
	w.settling(n, func(data []byte) {
		switch {
		case data[0] == 1:
			came = append(came, tileOf(append(data[1:3:3], data[4:10]...)))
		case data[0] == 3 && data[1]&2 != 0:
			for b := data[2:]; len(b) >= 8; b = b[8:] {
				dropped = append(dropped, tileOf(b))
			}
		}
	})
	return came, dropped
}

// settling reads until everything is settled up to message n, and calls each with what comes
// as bytes.
func (w *window) settling(n int64, each func(data []byte)) {
	w.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 15*time.Minute) // met by a hang alone
	defer cancel()
	for {
		kind, data, err := w.conn.Read(ctx)
		if err != nil {
			w.Fatal(err)
		}
		if kind == websocket.MessageBinary {
			each(data)
			continue
		}
		var s state
		if err := json.Unmarshal(data, &s); err != nil {
			w.Fatal(err)
		}
		if s.T == "doc" {
			w.whole(data)
		}
		if s.T == "settled" && s.N >= n {
			return
		}
	}
}

// A page gets the tiles that it sees and no others, the coarser ones first; what it holds and
// does not see is not evaluated when it is out of date, but said to be so; what it says that
// it does not hold comes again, and what is still under way does not.
func TestAPageGetsWhatItSees(t *testing.T) {
	s := startService(t)
	w := s.openWaiting(s.bollard(), "ann")
	view := func(n int64, seen int, heard int64, pages ...int) {
		b, _ := json.Marshal(pages)
		w.send(`{"t":"view","n":%d,"pages":%s,"seen":%d,"heard":%d}`, n, b, seen, heard)
	}
	view(1, 3, 0, 0, 1024, 3, 3, 0, 0, 128, 0, 0, 0, 0, 256, 0, 0, 0)
	came, _ := w.settledWith(1)
	if len(came) == 0 || len(came) > 12 {
		t.Fatalf("%d maps of 3 tiles came", len(came))
	}
	wanted := map[tileAt]bool{}
	for _, c := range came {
		place := tileAt{0, 0, c.size, c.x, c.y}
		if place != (tileAt{0, 0, 1024, 3, 3}) && place != (tileAt{0, 0, 128, 0, 0}) && place != (tileAt{0, 0, 256, 0, 0}) {
			t.Errorf("tile %+v came and was not asked for", c)
		}
		wanted[place] = true
	}
	if len(wanted) != 3 {
		t.Errorf("of 3 tiles %d came", len(wanted))
	}
	all := len(came)
	// it looks elsewhere: nothing that it holds comes again
	view(2, 1, int64(all), 0, 128, 0, 0, 15, 0, 1024, 3, 3, 15, 0, 256, 0, 0, 15)
	if came, _ := w.settledWith(2); len(came) > 0 {
		t.Errorf("it holds all that it sees, and %d tiles came", len(came))
	}
	// a change comes for what is seen; the others are out of date
	w.send(`{"t":"op","n":3,"id":9,"op":{"kind":"layer.add","index":-1,"layer":{"id":"coat","name":"Tar","kind":"fill","visible":true,"amount":1,"channels":{"baseColor":{"on":true,"value":[0.1,0.1,0.1],"amount":1}}}}}`)
	came, dropped := w.settledWith(3)
	if len(came) != 1 || came[0] != (tileAt{0, 0, 128, 0, 0}) {
		t.Errorf("after a change of the color %+v came", came)
	}
	if len(dropped) != 2 || dropped[0].size+dropped[1].size != 1280 {
		t.Errorf("%+v is said to be out of date", dropped)
	}
	all++
	// what it looks at again and does not hold comes; what it lost, too; of what it had not heard
	// yet nothing comes twice
	view(4, 2, int64(all), 0, 1024, 3, 3, 14, 0, 128, 0, 0, 7)
	if came, _ := w.settledWith(4); len(came) != 2 || came[0].size == came[1].size {
		t.Errorf("%+v came, want the color of the fine tile and the emission of the coarse one", came)
	}
	view(5, 2, int64(all), 0, 1024, 3, 3, 14, 0, 128, 0, 0, 7)
	if came, _ := w.settledWith(5); len(came) != 0 {
		t.Errorf("%+v came twice", came)
	}
	view(6, 1, int64(all)+2, 5, 128, 0, 0, 0, 0, 128, 0, 0, 15) // a sheet that is not there
	if came, _ := w.settledWith(6); len(came) != 0 {
		t.Errorf("%+v came of a sheet that is not there", came)
	}
}
