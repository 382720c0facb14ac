package stack

import (
	"math"
	"strings"
	"testing"
)

func TestLooksAndViewsAreKept(t *testing.T) {
	d := New([]string{"Iron"}, 256)
	look := Judged{ID: "a", Name: "Noon", Picture: "data:image/png;base64,AAAA", Look: &KeptLook{Light: "harbour-noon", Exposure: 1, Focal: 50}}
	view := Judged{ID: "b", Name: "Lid", View: &KeptView{Eye: [3]float64{1, 2, 3}, View: make([]float64, 16)}}
	first, inv, label, err := noSteps.Apply(d, KeepJudged{look, -1})
	if err != nil || label != "Keep look Noon" {
		t.Fatalf("%q, %v", label, err)
	}
	both, _, _, err := noSteps.Apply(first, KeepJudged{view, 0})
	if err != nil || len(both.Judged) != 2 || both.Judged[0].ID != "b" || len(first.Judged) != 1 {
		t.Fatalf("%+v, %v", both.Judged, err)
	}
	look.Name = "High noon"
	other, back, _, err := noSteps.Apply(both, KeepJudged{Value: look})
	if err != nil || other.Judged[1].Name != "High noon" || both.Judged[1].Name != "Noon" {
		t.Fatalf("%+v, %v", other.Judged, err)
	}
	if was, _, _, err := noSteps.Apply(other, back); err != nil || was.Judged[1].Name != "Noon" {
		t.Errorf("changed back: %+v, %v", was.Judged, err)
	}
	if none, _, _, err := noSteps.Apply(first, inv); err != nil || len(none.Judged) != 0 {
		t.Errorf("taken back: %+v, %v", none.Judged, err)
	}
	gone, inv, _, err := noSteps.Apply(both, DropJudged{"b"})
	if err != nil || len(gone.Judged) != 1 {
		t.Fatal(err)
	}
	if again, _, _, err := noSteps.Apply(gone, inv); err != nil || again.Judged[0].ID != "b" {
		t.Errorf("forgotten and back: %+v, %v", again.Judged, err)
	}
	for want, change := range map[string]func(*Judged){
		"neither":   func(j *Judged) { j.Look = nil },
		"or both":   func(j *Judged) { j.View = &KeptView{View: make([]float64, 16)} },
		"empty":     func(j *Judged) { j.Name = " " },
		"picture":   func(j *Judged) { j.Picture = "https://elsewhere" },
		"bytes":     func(j *Judged) { j.Picture = "data:image/png;base64," + strings.Repeat("A", MaxJudgedPicture) },
		"number":    func(j *Judged) { l := *j.Look; l.Turn = math.NaN(); j.Look = &l },
		"has no li": func(j *Judged) { l := *j.Look; l.Light = ""; j.Look = &l },
	} {
		j := look
		change(&j)
		if _, _, _, err := noSteps.Apply(d, KeepJudged{j, -1}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	many := d
	for range MaxJudged {
		j := look
		j.ID = strings.Repeat("x", len(many.Judged)+1)
		if many, _, _, err = noSteps.Apply(many, KeepJudged{j, -1}); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, _, err := noSteps.Apply(many, KeepJudged{view, -1}); err == nil {
		t.Error("more than there is room for: not refused")
	}
}
