package main

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"velvetgrime/core/grime"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"

	"github.com/danielgtaylor/huma/v2"
	"github.com/spf13/cobra"
)

func schemaCommand() *cobra.Command {
	texts := []struct {
		flag, help string
		text       func() string
		on         bool
	}{
		{"steps", "print the list of steps as text instead", stepsText, false},
		{"operations", "print the list of operations as text instead", operationsText, false},
		{"grime", "print the JSON Schema of what lies in a .grime file instead", grimeText, false},
		{"messages", "print what a page sends as text instead", requestsText, false},
	}
	c := &cobra.Command{Use: "schema", Short: "Print the JSON Schema of documents, with an example of each step", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			for _, t := range texts {
				if t.on {
					_, err := fmt.Fprint(c.OutOrStdout(), t.text())
					return err
				}
			}
			b, err := documentSchema()
			if err == nil {
				_, err = fmt.Fprintln(c.OutOrStdout(), string(b))
			}
			return err
		}}
	for i := range texts {
		c.Flags().BoolVar(&texts[i].on, texts[i].flag, false, texts[i].help)
	}
	return c
}

// documentSchema makes the schema from the Go types of a document and the
// descriptions of the steps.
func documentSchema() ([]byte, error) {
	r := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	root := r.Schema(reflect.TypeOf(stack.Document{}), true, "")
	raw, err := json.Marshal(r.Map())
	if err != nil {
		return nil, err
	}
	var defs map[string]any
	if err := json.Unmarshal(raw, &defs); err != nil {
		return nil, err
	}
	var kinds []any
	for _, d := range step.Descriptions() {
		name := "step." + d.Kind
		defs[name] = stepSchema(d)
		kinds = append(kinds, map[string]any{"$ref": "#/$defs/" + name})
	}
	plain := defs["Step"].(map[string]any)
	plain["anyOf"] = kinds
	loosen(defs)
	return json.MarshalIndent(map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Velvet Grime document", "$ref": root.Ref, "$defs": defs,
	}, "", " ")
}

// grimeText is the schema of the JSON files of a .grime file, made from the Go types.
func grimeText() string {
	r := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	manifest, project := r.Schema(reflect.TypeFor[grime.Manifest](), true, ""), r.Schema(reflect.TypeFor[grime.Project](), true, "")
	b, err := json.MarshalIndent(map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Velvet Grime file",
		"description": "manifest.json is a Manifest, project.json a Project",
		"oneOf":       []any{map[string]any{"$ref": manifest.Ref}, map[string]any{"$ref": project.Ref}}, "$defs": r.Map(),
	}, "", " ")
	if err != nil {
		panic(err) // of our own types
	}
	return string(b) + "\n"
}

// loosen lets a reader leave out what Go writes only to be complete, and lets null
// stand for an empty list or map, as Decode does.
func loosen(defs map[string]any) {
	needed := map[string][]any{"Document": {"format", "version", "layers"}, "Layer": {"id", "name", "kind", "visible", "amount"}, "Step": {"id", "kind", "on", "amount"}, "Coat": {"on", "amount"}}
	for name, list := range needed {
		if d, ok := defs[name].(map[string]any); ok {
			d["required"] = list
			if p, ok := d["properties"].(map[string]any); ok {
				for _, v := range p {
					if s, ok := v.(map[string]any); ok && (s["type"] == "array" || s["type"] == "object") {
						s["type"] = []any{s["type"], "null"}
					}
				}
			}
		}
	}
}

func stepSchema(d step.Description) map[string]any {
	params := map[string]any{}
	for _, p := range d.Params {
		params[p.Name] = paramSchema(p)
	}
	return map[string]any{
		"title": d.Label, "description": d.Help, "type": "object", "examples": []any{stepExample(d)},
		"properties": map[string]any{"kind": map[string]any{"const": d.Kind}, "params": map[string]any{"type": []any{"object", "null"}, "additionalProperties": false, "properties": params}},
		"required":   []any{"kind"},
	}
}

func paramSchema(p step.Param) map[string]any {
	s := map[string]any{"title": p.Label, "description": p.Help, "default": p.Default}
	numbers := func(n int, lo, hi float64) map[string]any {
		return map[string]any{"type": "array", "minItems": n, "maxItems": n, "items": map[string]any{"type": "number", "minimum": lo, "maximum": hi}}
	}
	switch p.Kind {
	case "choice":
		s["enum"] = p.Choices
	case "switch":
		s["type"] = "boolean"
	case "picture", "layer", "output":
		s["type"] = "string"
	case "color":
		s["allOf"] = []any{numbers(3, 0, 1)}
	case "direction":
		s["allOf"] = []any{numbers(3, -1e9, 1e9)}
	case "ramp", "curve":
		s["type"], s["minItems"] = "array", 1
		s["items"] = numbers(map[string]int{"ramp": 4, "curve": 2}[p.Kind], 0, 1)
	default:
		s["type"], s["minimum"], s["maximum"] = "number", p.Min, p.Max
	}
	return s
}

// stepExample is a step with all its parameters at their defaults.
func stepExample(d step.Description) map[string]any {
	e := map[string]any{"id": "example-" + d.Kind, "kind": d.Kind, "on": true, "amount": 1}
	if d.Role == "source" && !d.Hand {
		e["blend"] = "normal"
	}
	params := map[string]any{}
	for _, p := range d.Params {
		params[p.Name] = p.Default
	}
	if d.Kind == stack.Follow {
		params["layer"], params["what"] = stack.Below, string(stack.Height)
	}
	if len(params) > 0 {
		e["params"] = params
	}
	if d.Inner != "" {
		e["steps"] = []any{map[string]any{"id": "example-inner", "kind": "noise", "on": true, "amount": 1}}
	}
	return e
}

// stepsText lists the steps for a reader.
func stepsText() string {
	var b strings.Builder
	b.WriteString("# Steps\n\nMade by `velvetgrime schema --steps` from the descriptions in `core/step`.\nLengths in documents are metres; what the page shows is beside them.\n")
	for _, role := range []string{"source", "agent", "shaper"} {
		fmt.Fprintf(&b, "\n## %ss\n", strings.ToUpper(role[:1])+role[1:])
		for _, d := range step.Descriptions() {
			if d.Role != role {
				continue
			}
			fmt.Fprintf(&b, "\n### %s (`%s`)\n\n%s", d.Label, d.Kind, d.Help)
			if d.Inner != "" {
				fmt.Fprintf(&b, " It holds a stream: %s.", d.Inner)
			}
			b.WriteString("\n")
			if len(d.Params) > 0 {
				b.WriteString("\n| parameter | is | default | |\n|---|---|---|---|\n")
			}
			for _, p := range d.Params {
				what := p.Kind
				switch p.Kind {
				case "number", "integer", "seed":
					what = fmt.Sprintf("%s, %v to %v", p.Kind, p.Min, p.Max)
					if p.Unit != "" && p.Scale != 1 {
						what += fmt.Sprintf(" (shown × %v %s)", p.Scale, p.Unit)
					} else if p.Unit != "" {
						what += " " + p.Unit
					}
				case "choice":
					what = strings.Join(p.Choices, ", ")
				}
				def, _ := json.Marshal(p.Default)
				fmt.Fprintf(&b, "| `%s` %s | %s | `%s` | %s |\n", p.Name, p.Label, what, def, p.Help)
			}
			e, _ := json.Marshal(stepExample(d))
			fmt.Fprintf(&b, "\n```json\n%s\n```\n", e)
		}
	}
	return b.String()
}
