package press

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
)

// What an SVG drawing may be. Drawings of hands are far below; what is above is a mistake
// or meant to harm, and the reader that draws it has no bounds of its own.
const (
	mostElements = 20_000 // with what is used again counted as often as it is used
	mostDepth    = 48
	mostNumber   = 1e6
	leastDash    = 1e-2
	mostBytes    = 4 << 20
)

// element is one of a drawing.
type element struct {
	name     string
	attr     []xml.Attr
	text     []byte
	children []*element
}

func (e *element) get(name string) string {
	for _, a := range e.attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

var number = regexp.MustCompile(`[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?`)

// plain makes a drawing one in which nothing is used again: each use is what it draws. It
// refuses drawings that use themselves, that are too large, too deep, or come to too much
// with what they use again, and numbers that no drawing has. The error names the place.
func plain(file []byte) ([]byte, error) {
	root, byID, err := parse(file)
	if err != nil {
		return nil, err
	}
	w := &flattener{byID: byID, open: map[*element]bool{}}
	for _, e := range root.children {
		if err := w.write(e, false, 0); err != nil {
			return nil, err
		}
	}
	return w.out.Bytes(), nil
}

func parse(file []byte) (root *element, byID map[string]*element, err error) {
	if len(file) > mostBytes {
		return nil, nil, fmt.Errorf("it has %d bytes; at most %d are drawn", len(file), mostBytes)
	}
	d := xml.NewDecoder(bytes.NewReader(file))
	d.Strict = false
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil }
	root, byID = &element{}, map[string]*element{}
	around := []*element{root}
	count := 0
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			return root, byID, nil
		}
		if err != nil {
			return nil, nil, fmt.Errorf("byte %d: %w", d.InputOffset(), err)
		}
		in := around[len(around)-1]
		switch t := t.(type) {
		case xml.StartElement:
			if count++; count > mostElements {
				return nil, nil, fmt.Errorf("byte %d: it has more than %d elements", d.InputOffset(), mostElements)
			}
			if len(around) > mostDepth {
				return nil, nil, fmt.Errorf("byte %d: %s is nested more than %d deep", d.InputOffset(), t.Name.Local, mostDepth)
			}
			e := &element{name: t.Name.Local, attr: t.Attr}
			for _, a := range t.Attr {
				if err := vetAttribute(a); err != nil {
					return nil, nil, fmt.Errorf("byte %d: %s %s: %w", d.InputOffset(), t.Name.Local, a.Name.Local, err)
				}
			}
			if id := e.get("id"); id != "" && byID[id] == nil {
				byID[id] = e
			}
			in.children, around = append(in.children, e), append(around, e)
		case xml.EndElement:
			if len(around) > 1 {
				around = around[:len(around)-1]
			}
		case xml.CharData:
			if in.name == "style" {
				in.text = append(in.text, t...)
			}
		case xml.Directive:
			if bytes.Contains(t, []byte("ENTITY")) {
				return nil, nil, fmt.Errorf("byte %d: entities are not read", d.InputOffset())
			}
		}
	}
}

// flattener writes elements with what they use in the place of their uses.
type flattener struct {
	out   bytes.Buffer
	byID  map[string]*element
	open  map[*element]bool
	count int
}

// write writes an element; of what defs hold only what is named by its id in other ways
// than by a use.
func (w *flattener) write(e *element, inDefs bool, depth int) error {
	switch {
	case w.open[e]:
		return fmt.Errorf("%s %q uses itself, directly or through others; take the use out", e.name, e.get("id"))
	case depth > 4*mostDepth:
		return fmt.Errorf("elements use each other more than %d deep", 4*mostDepth)
	case e.name == "title" || e.name == "desc" || e.name == "metadata" || e.name == "symbol":
		return nil
	}
	w.open[e] = true
	defer delete(w.open, e)
	if e.name == "use" {
		return w.use(e, depth)
	}
	if inDefs && !strings.HasSuffix(e.name, "Gradient") && e.name != "stop" && e.name != "style" {
		return nil
	}
	return w.element(e.name, e.attr, e, inDefs || e.name == "defs", depth)
}

func (w *flattener) element(name string, attr []xml.Attr, e *element, inDefs bool, depth int) error {
	if w.count++; w.count > mostElements {
		return fmt.Errorf("with what it uses again it comes to more than %d elements", mostElements)
	}
	w.out.WriteString("<" + name)
	for _, a := range attr {
		if a.Name.Space != "" || strings.HasPrefix(a.Name.Local, "xmlns") {
			if a.Name.Local != "href" {
				continue
			}
		}
		w.out.WriteString(" " + a.Name.Local + `="`)
		_ = xml.EscapeText(&w.out, []byte(a.Value))
		w.out.WriteString(`"`)
	}
	w.out.WriteString(">")
	_ = xml.EscapeText(&w.out, e.text)
	for _, c := range e.children {
		if err := w.write(c, inDefs, depth+1); err != nil {
			return err
		}
	}
	w.out.WriteString("</" + name + ">")
	return nil
}

// use writes what a use draws, moved to its place.
func (w *flattener) use(e *element, depth int) error {
	to := w.byID[strings.TrimPrefix(strings.TrimSpace(e.get("href")), "#")]
	if to == nil {
		return nil
	}
	var attr []xml.Attr
	turn := ""
	for _, a := range e.attr {
		switch a.Name.Local {
		case "transform":
			turn = a.Value + " "
		case "href", "x", "y", "id", "width", "height":
		default:
			attr = append(attr, a)
		}
	}
	number := func(name string) string { return cmp.Or(strings.TrimSpace(e.get(name)), "0") }
	attr = append(
		attr,
		xml.Attr{
			Name:  xml.Name{Local: "transform"},
			Value: fmt.Sprintf("%stranslate(%s,%s)", turn, number("x"), number("y")),
		},
	)
	inside := *to
	if inside.name == "symbol" || inside.name == "svg" {
		inside.name, inside.attr = "g", nil
	}
	if w.open[to] {
		return w.write(to, false, depth+1) // which says so
	}
	w.open[to] = true
	defer delete(w.open, to)
	return w.element("g", attr, &element{children: []*element{&inside}}, false, depth+1)
}

func vetAttribute(a xml.Attr) error {
	name := strings.ToLower(a.Name.Local)
	for _, v := range number.FindAllString(a.Value, -1) {
		if f, err := strconv.ParseFloat(v, 64); (err != nil || f > mostNumber || f < -mostNumber) && name != "id" &&
			name != "href" &&
			name != "class" {
			return fmt.Errorf("%.20s is out of range", v)
		}
	}
	dash := ""
	if name == "stroke-dasharray" {
		dash = a.Value
	} else if i := strings.Index(a.Value, "stroke-dasharray"); name == "style" && i >= 0 {
		dash, _, _ = strings.Cut(a.Value[i:], ";")
	}
	for _, v := range number.FindAllString(dash, -1) {
		if f, _ := strconv.ParseFloat(v, 64); f != 0 && f < leastDash {
			return fmt.Errorf("dashes of %s are too short", v)
		}
	}
	return nil
}
