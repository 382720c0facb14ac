package stack

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
)

// Judged is a look or a view that a project keeps.
type Judged struct {
	ID      string    `json:"id" minLength:"1" maxLength:"60"`
	Name    string    `json:"name" minLength:"1" maxLength:"60"`
	Picture string    `json:"picture,omitempty" doc:"how it looked when it was kept: a small picture as a data: URL"`
	Look    *KeptLook `json:"look,omitempty"`
	View    *KeptView `json:"view,omitempty"`
}

// KeptLook is light and lens. Numbers that are absent are 0.
type KeptLook struct {
	Light      string  `json:"light" doc:"one of our environments, or the hash of a panorama"`
	Turn       float64 `json:"turn" doc:"degrees"`
	Tilt       float64 `json:"tilt,omitempty" doc:"degrees"`
	Exposure   float64 `json:"exposure"`
	Glow       float64 `json:"glow,omitempty" doc:"how bright what is emissive is; absent: as white"`
	Background bool    `json:"background,omitempty"`
	Blur       float64 `json:"blur,omitempty"`
	Shadows    bool    `json:"shadows,omitempty"`
	Tone       string  `json:"tone,omitempty" enum:",filmic,neutral,none"`
	FStop      float64 `json:"fStop,omitempty" doc:"0: all is sharp"`
	Focus      float64 `json:"focus,omitempty" doc:"metres; 0: what is looked at"`
	Vignette   float64 `json:"vignette,omitempty" doc:"0..1"`
	Grain      float64 `json:"grain,omitempty" doc:"0..1"`
	Focal      float64 `json:"focal" doc:"mm of a picture 24 mm high"`
	Flat       bool    `json:"flat,omitempty" doc:"without perspective"`
}

// KeptView is a camera, and what is shown.
type KeptView struct {
	Eye   [3]float64 `json:"eye" doc:"metres"`
	At    [3]float64 `json:"at" doc:"what is looked at, metres"`
	View  []float64  `json:"view" minItems:"16" maxItems:"16" doc:"times projection, column by column: the lens"`
	Alone string     `json:"alone,omitempty" doc:"the channel that is shown by itself"`
	Part  string     `json:"part,omitempty" doc:"the part that is shown alone"`
}

// MaxJudged is how many looks and views a project keeps, and MaxJudgedPicture how many bytes the
// picture of one has.
const (
	MaxJudged        = 48
	MaxJudgedPicture = 12 << 10
)

var judgedPicture = regexp.MustCompile(`^data:image/(png|jpeg|webp);base64,[A-Za-z0-9+/=]*$`)

func (j *Judged) check() error {
	what := "look"
	if j.View != nil {
		what = "view"
	}
	fail := func(format string, a ...any) error {
		return fmt.Errorf("%s %q: "+format, append([]any{what, j.Name}, a...)...)
	}
	var numbers []float64
	switch {
	case j.ID == "" || len(j.ID) > 60 || strings.TrimSpace(j.Name) == "" || len(j.Name) > 60:
		return fail("its id or its name is empty, or longer than 60 letters")
	case (j.Look == nil) == (j.View == nil):
		return fail("it is neither a look nor a view, or both")
	case len(j.Picture) > MaxJudgedPicture:
		return fail("its picture has %d bytes; at most %d are possible", len(j.Picture), MaxJudgedPicture)
	case j.Picture != "" && !judgedPicture.MatchString(j.Picture):
		return fail("its picture is none")
	case j.View != nil && len(j.View.View) != 16:
		return fail("its lens has %d numbers, not 16", len(j.View.View))
	}
	if l := j.Look; l != nil {
		numbers = []float64{l.Turn, l.Tilt, l.Exposure, l.Glow, l.Blur, l.FStop, l.Focus, l.Vignette, l.Grain, l.Focal}
		if l.Exposure <= 0 || l.Focal <= 0 || l.Light == "" {
			return fail("it has no light, or its exposure or focal length is 0")
		}
	} else {
		numbers = append(append(append(numbers, j.View.Eye[:]...), j.View.At[:]...), j.View.View...)
	}
	for _, v := range numbers {
		if math.IsNaN(v) || math.Abs(v) > 1e9 {
			return fail("one of its numbers is none")
		}
	}
	return nil
}

func checkJudged(list []Judged) error {
	if len(list) > MaxJudged {
		return fmt.Errorf("%d looks and views are kept; at most %d are possible", len(list), MaxJudged)
	}
	seen := map[string]bool{}
	for i := range list {
		if err := list[i].check(); err != nil {
			return err
		}
		if seen[list[i].ID] {
			return fmt.Errorf("two looks or views have the id %q", list[i].ID)
		}
		seen[list[i].ID] = true
	}
	return nil
}

// KeepJudged keeps a look or a view, or changes one that is kept.
type KeepJudged struct {
	Value Judged `json:"value"`
	Index int    `json:"index,omitempty" doc:"of a new one; -1: last"`
}

// Kind implements Op.
func (KeepJudged) Kind() string { return "judged.keep" }

func (o KeepJudged) apply(d *Document) (Op, string, error) {
	what := "look "
	if o.Value.View != nil {
		what = "view "
	}
	if i := slices.IndexFunc(d.Judged, func(j Judged) bool { return j.ID == o.Value.ID }); i >= 0 {
		old := d.Judged[i]
		d.Judged = slices.Clone(d.Judged)
		d.Judged[i] = o.Value
		return KeepJudged{Value: old}, "Change " + what + o.Value.Name, nil
	}
	i, err := slot(o.Index, len(d.Judged))
	if err != nil {
		return nil, "", err
	}
	d.Judged = slices.Insert(slices.Clone(d.Judged), i, o.Value)
	return DropJudged{o.Value.ID}, "Keep " + what + o.Value.Name, nil
}

// DropJudged forgets a look or a view.
type DropJudged struct {
	Target string `json:"target" doc:"its id"`
}

// Kind implements Op.
func (DropJudged) Kind() string { return "judged.drop" }

func (o DropJudged) apply(d *Document) (Op, string, error) {
	i := slices.IndexFunc(d.Judged, func(j Judged) bool { return j.ID == o.Target })
	if i < 0 {
		return nil, "", fmt.Errorf("there is no look or view %q", o.Target)
	}
	old := d.Judged[i]
	d.Judged = slices.Delete(slices.Clone(d.Judged), i, i+1)
	return KeepJudged{old, i}, "Forget " + old.Name, nil
}
