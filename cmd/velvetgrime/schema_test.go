package main

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"velvetgrime/core/cache"
	"velvetgrime/core/eval"
	"velvetgrime/core/sample"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
	"velvetgrime/core/surface"

	"github.com/danielgtaylor/huma/v2"
)

func TestTheSchemaInTheDocsIsTheOneOfTheCode(t *testing.T) {
	b, err := documentSchema()
	if err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{"../../docs/formats/document.schema.json": string(b), "../../docs/formats/steps.md": stepsText(),
		"../../docs/formats/operations.md": operationsText(), "../../docs/formats/messages.md": requestsText()} {
		got, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		if strings.TrimSpace(string(got)) != strings.TrimSpace(want) {
			t.Errorf("%s has drifted from the code; run 'make formats'", path)
		}
	}
}

// Every step's example stands in a document that is read, checked and evaluated.
func TestEveryExampleWorks(t *testing.T) {
	s := eval.NewScene(sample.Bollard(), cache.New(1<<26))
	for _, d := range step.Descriptions() {
		example, _ := json.Marshal(stepExample(d))
		doc := `{"format":"velvetgrime.document","version":1,"sheets":{"Cast iron":{"size":128}},"layers":[
			{"id":"a","name":"A","kind":"fill","visible":true,"amount":1,"channels":{"height":{"on":true,"value":[0.001],"blend":"add","amount":1}},"mask":[{"id":"n","kind":"noise","on":true,"amount":1}]},
			{"id":"b","name":"B","kind":"fill","visible":true,"amount":1,"channels":{"baseColor":{"on":true,"value":[1,0,0],"amount":1,"stream":[{"id":"n","kind":"noise","on":true,"amount":1},` + string(example) + `]}}},
			{"id":"c","name":"C","kind":"fill","visible":true,"amount":1,"channels":{"baseColor":{"on":true,"value":[0,1,0],"amount":1}},"mask":[` + string(example) + `]}]}`
		parsed, err := step.Rules.Decode([]byte(doc), nil)
		if err != nil {
			t.Errorf("%s: %v", d.Kind, err)
			continue
		}
		p := eval.Compile(s, parsed, "", "")
		for _, tile := range surface.Tiles(0, 128) {
			if _, err := p.Channel(t.Context(), s.OnTile(tile), stack.BaseColor); err != nil {
				t.Errorf("%s: %v", d.Kind, err)
			}
		}
	}
}

// The demo's own documents are valid by the schema's descriptions of the steps.
func TestTheSchemaAcceptsTheDemo(t *testing.T) {
	for _, d := range []*stack.Document{sample.LanternDocument(), sample.BollardDocument()} {
		d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
			l.EachStep(func(s *stack.Step) {
				k, ok := step.Get(s.Kind)
				if !ok {
					t.Fatalf("%s: no step %s", l.Name, s.Kind)
				}
				var schema huma.Schema
				b, _ := json.Marshal(stepSchema(*k)["properties"].(map[string]any)["params"])
				if err := json.Unmarshal([]byte(strings.Replace(string(b), `["object","null"]`, `"object"`, 1)), &schema); err != nil {
					t.Fatal(err)
				}
				for name := range s.Params {
					if schema.Properties[name] == nil {
						t.Errorf("%s: the schema of %s has no %s", l.Name, s.Kind, name)
					}
				}
			})
		})
	}
}
