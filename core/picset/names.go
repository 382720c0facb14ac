// Package picset makes a material of a set of pictures: it tells from their names what they
// hold, splits what is packed, guesses which way a normal map's green goes, makes a height of
// it, and puts all of them into one group with one placement; a single photograph it takes apart.
package picset

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"velvetgrime/core/pix"
	"velvetgrime/core/stack"
)

// SetRow says what a picture of the set is used for; a packed picture has several.
type SetRow struct {
	Picture   string        `json:"picture" doc:"blob"`
	Name      string        `json:"name"`
	Channel   stack.Channel `json:"channel" doc:"empty: it is left out"`
	Component int           `json:"component" minimum:"-1" maximum:"3" doc:"which of red, green, blue and alpha, from 0; -1: all"`
	Invert    bool          `json:"invert" doc:"white becomes black, such as gloss, which becomes roughness"`
	GreenDown bool          `json:"greenDown" doc:"of a normal map: its green goes down, not up"`
	Sure      float64       `json:"sure" minimum:"0" maximum:"1" doc:"of a normal map: by how much one way is likelier"`
	Note      string        `json:"note,omitempty" doc:"what was guessed, in words"`
}

// words tell by a part of a name what a picture holds.
var words = []struct {
	words   string
	channel stack.Channel
	invert  bool
}{
	{"basecolor base albedo diffuse diff color colour col", stack.BaseColor, false},
	{"roughness rough rgh", stack.Roughness, false},
	{"gloss glossiness smoothness smooth", stack.Roughness, true},
	{"metallic metalness metal met", stack.Metallic, false},
	{"normal normals nrm nor norm", stack.Normal, false},
	{"height displacement displace disp bump", stack.Height, false},
	{"ao occlusion ambientocclusion", stack.Occlusion, false},
	{"opacity alpha transparency", stack.Opacity, false},
	{"emissive emission emit glow", stack.Emissive, false},
	{"specular spec", "", false},
}

// letters are what a packed name such as "orm" is made of.
var letters = map[byte]struct {
	channel stack.Channel
	invert  bool
}{
	'o': {
		stack.Occlusion,
		false,
	}, 'a': {stack.Occlusion, false}, 'r': {stack.Roughness, false}, 'g': {stack.Roughness, true},
	'm': {stack.Metallic, false}, 'h': {stack.Height, false}, 'd': {stack.Height, false},
}

var (
	humps  = regexp.MustCompile(`([a-z0-9])([A-Z])`)
	breaks = regexp.MustCompile(`[^A-Za-z0-9]+`)
)

// tokens are the words of a file's name, in lower case; two that belong together are one, too.
func tokens(name string) []string {
	name = strings.TrimSuffix(path.Base(strings.ReplaceAll(name, `\`, "/")), path.Ext(name))
	out := strings.Fields(strings.ToLower(breaks.ReplaceAllString(humps.ReplaceAllString(name, "$1 $2"), " ")))
	for i := len(out) - 1; i > 0; i-- {
		out = append(out, out[i-1]+out[i])
	}
	return out
}

// Tell returns what a picture seems to hold; of one that nothing is known of, a row without a
// channel.
func Tell(blob, name string, pic *pix.Picture) []SetRow {
	row := func(c stack.Channel, component int, invert bool, note string) SetRow {
		return SetRow{Picture: blob, Name: name, Channel: c, Component: component, Invert: invert, Note: note}
	}
	toks := tokens(name)
	if rows := packed(toks, row); rows != nil && !pic.Gray {
		return rows
	}
	for i := len(toks) - 1; i >= 0; i-- { // what it holds stands at the end of a name
		for _, w := range words {
			if !slices.Contains(strings.Fields(w.words), toks[i]) {
				continue
			}
			switch {
			case w.channel == "":
				return []SetRow{
					row(
						"",
						-1,
						false,
						"a specular picture belongs to another way of describing a surface; it is left out",
					),
				}
			case w.channel == stack.Normal:
				r := row(stack.Normal, -1, false, "")
				r.GreenDown, r.Sure = GreenDown(pic)
				return []SetRow{r}
			case w.channel == stack.BaseColor || w.channel == stack.Emissive:
				return []SetRow{row(w.channel, -1, false, "")}
			}
			note := ""
			if w.invert {
				note = "gloss becomes roughness"
			}
			rows := []SetRow{row(w.channel, 0, w.invert, note)}
			if w.channel == stack.Metallic && pic.Alpha && varies(pic, 3) {
				rows = append(rows, row(stack.Roughness, 3, true, "smoothness in alpha becomes roughness"))
			}
			return rows
		}
	}
	return []SetRow{row("", -1, false, "its name does not tell what it holds")}
}

// packed tells names such as "orm", and "metallicRoughness" as glTF 2.0 packs them.
func packed(toks []string, row func(stack.Channel, int, bool, string) SetRow) []SetRow {
	if slices.Contains(toks, "metallicroughness") || slices.Contains(toks, "metalrough") ||
		slices.Contains(toks, "metalroughness") {
		return []SetRow{row(stack.Roughness, 1, false, "packed: green"), row(stack.Metallic, 2, false, "packed: blue")}
	}
	for _, t := range slices.Backward(toks) {
		if len(t) < 3 || len(t) > 4 {
			continue
		}
		var rows []SetRow
		seen := map[stack.Channel]bool{}
		for i := range len(t) {
			l, ok := letters[t[i]]
			if !ok || seen[l.channel] {
				rows = nil
				break
			}
			seen[l.channel] = true
			rows = append(rows, row(l.channel, i, l.invert, "packed: "+[]string{"red", "green", "blue", "alpha"}[i]))
		}
		if len(rows) >= 3 && seen[stack.Roughness] {
			return rows
		}
	}
	return nil
}

func varies(pic *pix.Picture, component int) bool {
	v := pic.Component(component)
	for _, x := range v {
		if x != v[0] {
			return true
		}
	}
	return false
}

// TellAll tells a whole set: two of one channel are not used both, and a single picture that
// tells nothing is a photograph.
func TellAll(rows []SetRow) []SetRow {
	if len(rows) == 1 && rows[0].Channel == "" {
		rows[0].Channel, rows[0].Note = stack.BaseColor, "a photograph: it is taken apart"
	}
	used := map[stack.Channel]string{}
	for i := range rows {
		c := rows[i].Channel
		if c == "" {
			continue
		}
		if other := used[c]; other != "" {
			rows[i].Channel, rows[i].Note = "", "“"+other+"” is used for "+string(c)+" already"
			continue
		}
		used[c] = rows[i].Name
	}
	return rows
}

// Photograph reports whether a set is one picture that is to be taken apart.
func Photograph(rows []SetRow) bool {
	n := 0
	for _, r := range rows {
		if r.Channel != "" {
			n++
		}
	}
	return n == 1 && slices.ContainsFunc(rows, func(r SetRow) bool { return r.Channel == stack.BaseColor })
}
