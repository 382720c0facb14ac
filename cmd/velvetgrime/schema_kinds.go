package main

import (
	"fmt"
	"reflect"
	"strings"

	"velvetgrime/core/stack"
	"velvetgrime/internal/live"
)

// operationsText lists the kinds of operations for a reader.
func operationsText() string {
	var b strings.Builder
	b.WriteString("# Operations\n\nMade by `velvetgrime schema --operations` from `core/stack`. An operation is an object with its `kind` beside these fields; each has an inverse, which the ledger keeps with it.\n\n| `kind` | does | fields |\n|---|---|---|\n")
	for _, k := range stack.OpKinds() {
		fmt.Fprintf(&b, "| `%s` | %s | %s |\n", k.Kind, k.Help, fieldsOf(k.Zero))
	}
	return b.String()
}

// requestsText lists the messages that a page sends for a reader.
func requestsText() string {
	var b strings.Builder
	b.WriteString("# What a page sends\n\nMade by `velvetgrime schema --messages` from `internal/live`; how the line works is told in [live.md](live.md). Besides these fields each message may have `id` (the answer names it), `request` (what comes twice under one is done once) and `n` (counts what changes the picture).\n\n| `t` | does | fields |\n|---|---|---|\n")
	for _, k := range live.Requests() {
		fmt.Fprintf(&b, "| `%s` | %s | %s |\n", k.T, k.Help, fieldsOf(k.Zero))
	}
	return b.String()
}

// fieldsOf lists the fields that JSON has of a type, with what they mean.
func fieldsOf(v any) string {
	var out []string
	var into func(t reflect.Type)
	into = func(t reflect.Type) {
		for i := range t.NumField() {
			f := t.Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			switch {
			case f.Type == reflect.TypeFor[live.Head]() || name == "-":
			case f.Anonymous:
				into(f.Type)
			default:
				text := "`" + name + "`"
				if e := strings.Trim(f.Tag.Get("enum"), ","); e != "" {
					text += " (" + strings.ReplaceAll(e, ",", ", ") + ")"
				}
				if d := f.Tag.Get("doc"); d != "" {
					text += " " + d
				}
				out = append(out, text)
			}
		}
	}
	into(reflect.TypeOf(v))
	return strings.Join(out, "; ")
}
