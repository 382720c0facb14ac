package press

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
)

// A drawing that uses itself ended the process by its stack; one whose uses double at each
// level came to more than any memory holds.
func TestDrawingsThatUseThemselves(t *testing.T) {
	doubling := `<svg viewBox="0 0 9 9"><g id="a0"><path d="M0 0h1v1z"/></g>`
	for i := range 40 {
		doubling += fmt.Sprintf(`<g id="a%d"><use href="#a%d"/><use href="#a%d"/></g>`, i+1, i, i)
	}
	doubling += `<use href="#a40"/></svg>`
	for name, c := range map[string]struct{ file, want string }{
		"itself":          {`<svg viewBox="0 0 9 9" xmlns:xlink="http://www.w3.org/1999/xlink"><g id="a"><use xlink:href="#a"/></g></svg>`, "uses itself"},
		"each other":      {`<svg viewBox="0 0 9 9"><g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g></svg>`, "uses itself"},
		"doubling":        {doubling, "comes to more"},
		"deep":            {"<svg viewBox='0 0 9 9'>" + strings.Repeat("<g>", 90) + strings.Repeat("</g>", 90) + "</svg>", "nested"},
		"a huge number":   {`<svg viewBox="0 0 9 9"><path d="M0 0 L 1e30 4"/></svg>`, "out of range"},
		"tiny dashes":     {`<svg viewBox="0 0 9 9"><path d="M0 0h9" stroke="#000" stroke-dasharray="0.0000001"/></svg>`, "too short"},
		"an entity":       {`<!DOCTYPE svg [<!ENTITY a "b">]><svg viewBox="0 0 9 9"/>`, "entities"},
		"too many":        {"<svg viewBox='0 0 9 9'>" + strings.Repeat("<g/>", mostElements) + "</svg>", "more than"},
		"a damaged file":  {`<svg viewBox="0 0 9 9"><path d="M0 0`, "byte"},
		"dashes in style": {`<svg viewBox="0 0 9 9"><path d="M0 0h9" style="fill:none;stroke-dasharray:.000001 1"/></svg>`, "too short"},
	} {
		_, err := Draw(context.Background(), &Recipe{Shapes: []Shape{{Kind: "picture", Level: 1, File: []byte(c.file)}}}, 64)
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", name, err)
		}
	}
	// a use draws what it names, wherever that stands, at its own place
	twice := `<svg viewBox="0 0 10 10"><g id="a"><path id="p" d="M0 0h2v2h-2z" fill="#fff"/></g><use href="#a" x="6" y="6"/></svg>`
	st, err := Draw(context.Background(), &Recipe{Shapes: []Shape{{Kind: "picture", Wide: 2, Tall: 2, Level: 1, File: []byte(twice)}}}, 100)
	if err != nil {
		t.Fatal(err)
	}
	if a, b, c := st.Grey[10*100+10], st.Grey[70*100+70], st.Grey[40*100+40]; a < 0.9 || b < 0.9 || c > 0.1 {
		t.Errorf("the square is %v, its use %v, beside them it is %v", a, b, c)
	}
	fine := `<svg viewBox="0 0 9 9"><g id="a"><path d="M1 1h3v3z"/></g><use href="#a" x="4"/><path d="M1 8h7" stroke="#fff" stroke-dasharray="0.5 0.5"/></svg>`
	if _, err := Draw(context.Background(), &Recipe{Shapes: []Shape{{Kind: "picture", Level: 1, File: []byte(fine)}}}, 64); err != nil {
		t.Errorf("a sound drawing: %v", err)
	}
}

// scrap makes a drawing of random elements, many of them sound.
func scrap(r *rand.Rand) string {
	var b strings.Builder
	b.WriteString(`<svg viewBox="0 0 100 100">`)
	open := 0
	n := func() string {
		if r.IntN(40) == 0 {
			return []string{"1e9", "-1e-30", "NaN", "", "1e400", ".", "--3"}[r.IntN(7)]
		}
		return fmt.Sprintf("%.3g", r.Float64()*200-50)
	}
	for range r.IntN(30) {
		switch r.IntN(9) {
		case 0:
			fmt.Fprintf(&b, `<g id="i%d" transform="rotate(%s) scale(%s)">`, r.IntN(6), n(), n())
			open++
		case 1:
			if open > 0 {
				b.WriteString("</g>")
				open--
			}
		case 2:
			fmt.Fprintf(&b, `<use href="#i%d" x="%s"/>`, r.IntN(6), n())
		case 3:
			fmt.Fprintf(&b, `<circle cx="%s" cy="%s" r="%s" fill="url(#i%d)"/>`, n(), n(), n(), r.IntN(6))
		case 4:
			fmt.Fprintf(&b, `<path d="M%s %sC%s %s %s %s %s %sA%s %s 0 1 0 %s %sz" stroke="#fff" stroke-width="%s" stroke-dasharray="%s %s"/>`, n(), n(), n(), n(), n(), n(), n(), n(), n(), n(), n(), n(), n(), n(), n())
		case 5:
			fmt.Fprintf(&b, `<polygon points="%s,%s %s %s"/>`, n(), n(), n(), n())
		case 6:
			fmt.Fprintf(&b, `<linearGradient id="i%d" href="#i%d"><stop offset="%s"/></linearGradient>`, r.IntN(6), r.IntN(6), n())
		case 7:
			fmt.Fprintf(&b, `<defs><g id="i%d"><use href="#i%d"/></g></defs>`, r.IntN(6), r.IntN(6))
		case 8:
			b.WriteString([]string{"<", "&amp;", "</svg>", "<!--", "<g", `<style>.a{fill:red}</style>`, "\x00"}[r.IntN(7)])
		}
	}
	return b.String() + strings.Repeat("</g>", open) + "</svg>"
}

// Hostile drawings are drawn or refused; none hangs, and none ends the process.
func TestHostileDrawings(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	many := 1500
	if testing.Short() {
		many = 200
	}
	drawn := 0
	slowest, by := time.Duration(0), ""
	for range many {
		file := scrap(r)
		began := time.Now()
		if _, err := picture([]byte(file), 64); err == nil {
			drawn++
		}
		if took := time.Since(began); took > slowest {
			slowest, by = took, file
		}
	}
	t.Logf("%d of %d drawn; the slowest took %v", drawn, many, slowest)
	if slowest > time.Minute {
		t.Errorf("one took %v: %s", slowest, by)
	}
	if drawn < many/20 || drawn > many*19/20 {
		t.Errorf("%d of %d were drawn: the test does not try both", drawn, many)
	}
}

func FuzzSVG(f *testing.F) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 40 {
		f.Add([]byte(scrap(r)))
	}
	f.Fuzz(func(t *testing.T, file []byte) { _, _ = picture(append([]byte("<svg"), file...), 64) })
}
