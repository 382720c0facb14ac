package live

import (
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"

	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"
)

// Every kind of message is read as what it is, is carried out in one of the three ways, and
// says what it does.
func TestEveryMessageOfAPageIsOfAKind(t *testing.T) {
	for _, k := range Requests() {
		b, _ := json.Marshal(map[string]any{"t": k.T, "id": 7, "request": "r"})
		r, err := parse(b)
		if err != nil {
			t.Errorf("%s: %v", k.T, err)
			continue
		}
		if reflect.TypeOf(r).Elem() != reflect.TypeOf(k.Zero) || r.head().ID != 7 || r.head().Request != "r" || k.Help == "" {
			t.Errorf("%s is read as %#v", b, r)
		}
		ways := 0
		for _, ok := range []bool{is[deed](r), is[question](r), is[glance](r)} {
			if ok {
				ways++
			}
		}
		if ways != 1 {
			t.Errorf("%s can be carried out in %d ways", k.T, ways)
		}
	}
}

func is[T any](r request) bool { _, ok := r.(T); return ok }

// What is not readable is refused by its kind, and under the id that the page waits for.
func TestMessagesThatAreNotReadable(t *testing.T) {
	for text, want := range map[string]string{
		`{`:                                        "not readable",
		`{"t":"shine","id":3}`:                     `"shine" is unknown`,
		`{"t":"jump","id":3,"seq":"last"}`:         `"jump" is not readable`,
		`{"t":"op","id":3,"op":{"kind":"x"}}`:      `"x" is unknown`,
		`{"t":"stroke.add","id":3,"points":[1,2]}`: "seven make a point",
	} {
		_, err := parse([]byte(text))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v does not say %q", text, err, want)
		}
		if m := (*misread)(nil); len(text) > 1 && (!errors.As(err, &m) || m.head.ID != 3) {
			t.Errorf("%s: the refusal does not name the message: %v", text, err)
		}
	}
}

// The wish is what was said last of each thing.
func TestWhatAPageLooksAt(t *testing.T) {
	var w wish
	for _, text := range []string{`{"t":"view","vp":[],"pages":[0,512,3,1,5],"seen":1,"heard":7,"n":9}`, `{"t":"alone","kind":"mask","layer":"a"}`, `{"t":"focus","layer":"b"}`} {
		r, err := parse([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		w = r.(glance).wish(w)
	}
	if w.alone != "mask" || w.layer != "a" || w.focus != "b" || w.n != 9 || !w.told || w.heard != 7 || w.seen != 1 ||
		len(w.pages) != 1 || w.pages[0] != (page{surface.Tile{Sheet: 0, Size: 512, X: 3, Y: 1}, 5}) {
		t.Errorf("the page wishes %+v", w)
	}
	for _, text := range []string{
		`{"t":"view","vp":[1,2]}`, `{"t":"view","pages":[0,512,3,1]}`, `{"t":"view","pages":[0,512,4,1,0]}`,
		`{"t":"view","pages":[0,500,0,0,0]}`, `{"t":"view","pages":[-1,512,0,0,0]}`, `{"t":"view","pages":[0,16384,0,0,0]}`,
		`{"t":"view","pages":[0,512,0,0,128]}`, `{"t":"view","seen":-1}`,
	} {
		if _, err := parse([]byte(text)); err == nil {
			t.Errorf("%s is taken", text)
		}
	}
}

// Whatever comes over the line is refused or is a message; an operation in it is refused or
// leaves a document that passes its check.
func FuzzMessages(f *testing.F) {
	for _, k := range requests {
		b, _ := json.Marshal(k.Zero)
		f.Add([]byte(strings.Replace(string(b), `"t":""`, `"t":"`+k.T+`"`, 1)))
	}
	f.Add([]byte(`{"t":"op","id":1,"op":{"kind":"batch","ops":[{"kind":"layer.add","layer":{"id":"a","kind":"paint"},"index":-1},{"kind":"stroke.add","target":"a","stroke":"s"}]}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := parse(data)
		if err != nil {
			return
		}
		if o, ok := r.(*OpRequest); ok && o.Op.Op != nil {
			next, _, _, err := step.Rules.Apply(stack.New([]string{"S"}, 256), o.Op.Op)
			if err == nil && step.Rules.Check(next) != nil {
				t.Fatal("an accepted operation makes a document that does not pass its check")
			}
		}
		if g, ok := r.(*GrowStrokeRequest); ok && len(g.Points) > len(data) {
			t.Fatal("more points than bytes")
		}
	})
}
