package api

import (
	"reflect"
	"strings"

	"velvetgrime/core/brush"
	"velvetgrime/core/stack"
	"velvetgrime/internal/live"

	"github.com/danielgtaylor/huma/v2"
)

const schemas = "#/components/schemas/"

// anyOp stands for an operation in the API's description: one of the registered kinds.
type anyOp struct{}

// Schema implements huma.SchemaProvider.
func (anyOp) Schema(huma.Registry) *huma.Schema { return &huma.Schema{Ref: schemas + "Op"} }

// messages describes what goes over the live line, for the page's types: each kind of
// message and of operation, and the unions Op and Said of what a page sends.
func messages(r huma.Registry) {
	r.RegisterTypeAlias(reflect.TypeFor[stack.Any](), reflect.TypeFor[anyOp]())
	r.RegisterTypeAlias(reflect.TypeFor[stack.Ops](), reflect.TypeFor[[]anyOp]())
	r.RegisterTypeAlias(reflect.TypeFor[brush.Points](), reflect.TypeFor[[]float32]()) // as JSON writes them
	for _, m := range live.Messages() {
		named(r, m)
	}
	var ops, said []*huma.Schema
	for _, k := range stack.OpKinds() {
		ops = append(ops, kind(r, k.Zero, "kind", k.Kind, k.Help))
	}
	for _, k := range live.Requests() {
		said = append(said, kind(r, k.Zero, "t", k.T, k.Help))
	}
	r.Map()["Op"] = &huma.Schema{OneOf: ops}
	r.Map()["Said"] = &huma.Schema{OneOf: said}
}

// named describes a type under its own name.
func named(r huma.Registry, v any) *huma.Schema {
	t := reflect.TypeOf(v)
	return r.Schema(t, true, t.Name())
}

// kind describes a type whose objects tell themselves by a word in a property.
func kind(r huma.Registry, v any, property, word, help string) *huma.Schema {
	ref := named(r, v)
	s := r.Map()[strings.TrimPrefix(ref.Ref, schemas)]
	s.Description = help
	if s.Properties == nil {
		s.Properties = map[string]*huma.Schema{}
	}
	s.Properties[property] = &huma.Schema{Type: huma.TypeString, Enum: []any{word}}
	if s.Required = append([]string{property}, s.Required...); property == "t" {
		s.Required = s.Required[1:] // it is a field of every message already
	}
	return ref
}
