package stack

import (
	"cmp"
	"fmt"
	"regexp"
)

// MaxPalette is how many colours a project keeps.
const MaxPalette = 256

var hexColor = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// checkPalette returns why a row of colours cannot be kept.
func checkPalette(list []string) error {
	if len(list) > MaxPalette {
		return fmt.Errorf("the palette has %d colours; at most %d are possible", len(list), MaxPalette)
	}
	for i, c := range list {
		if !hexColor.MatchString(c) {
			return fmt.Errorf("colour %d of the palette is %q; one is written as # and six digits 0-9, a-f", i+1, c)
		}
	}
	return nil
}

// SetPalette sets the project's colours.
type SetPalette struct {
	Colors []string `json:"value" doc:"each # and six digits"`
	Label  string   `json:"label,omitempty" doc:"for the ledger"`
}

// Kind implements Op.
func (SetPalette) Kind() string { return "palette.set" }

func (o SetPalette) apply(d *Document) (Op, string, error) {
	old := d.Palette
	d.Palette = o.Colors
	return SetPalette{old, o.Label}, cmp.Or(o.Label, "Palette"), nil
}
