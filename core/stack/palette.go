package stack

import (
	"encoding/json"
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

func (d *Document) setPalette(op Op) (Op, string, error) {
	var list []string
	if err := json.Unmarshal(op.Value, &list); err != nil {
		return Op{}, "", fmt.Errorf("the palette is not readable: %w", err)
	}
	old := d.Palette
	d.Palette = list
	label := op.Label
	if label == "" {
		label = "Palette"
	}
	return Op{Kind: op.Kind, Value: raw(old), Label: op.Label}, label, nil
}
