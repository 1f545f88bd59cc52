// Package edits turns what a browser asks for into edits: values may still be text as it was typed.
package edits

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"mobanta/core/project"
)

// Request is an edit whose value may still be text as it was typed.
type Request struct {
	project.Edit
	As string `json:"as,omitempty"` // what Value is: "number" may be a sum such as 1/3
}

// Max limits how many edits are made at once.
const Max = 1000

// Settle returns requests as edits.
func Settle(requests []Request) ([]project.Edit, error) {
	if len(requests) > Max {
		return nil, errors.New("more edits at once than can be made")
	}
	edits := make([]project.Edit, len(requests))
	for i, w := range requests {
		var err error
		if w.Edit.Value, err = Typed(w.Edit.Value, w.As); err != nil {
			return nil, err
		}
		edits[i] = w.Edit
	}
	return edits, nil
}

// Typed turns typed text into a value.
func Typed(v any, as string) (any, error) {
	text, ok := v.(string)
	if !ok {
		return v, nil
	}
	switch as {
	case "number":
		return sum(text)
	case "bool":
		return text == "true", nil
	case "vector":
		parts := strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' })
		if len(parts) != 3 {
			return nil, fmt.Errorf("%.40q are not three numbers such as 0, 1/2, 3", text)
		}
		out := make([]any, 3)
		for i, p := range parts {
			f, err := sum(p)
			if err != nil {
				return nil, err
			}
			out[i] = f
		}
		return out, nil
	case "strip":
		return stripOf(text), nil
	case "json":
		var out any
		if err := json.Unmarshal([]byte(text), &out); err != nil {
			return nil, fmt.Errorf("%.40q could not be read", text)
		}
		return out, nil
	}
	return text, nil
}

// stripOf reads rows of hex values, with a / between two rows.
func stripOf(text string) any {
	var rows []any
	for _, line := range strings.FieldsFunc(text, func(r rune) bool { return r == '/' || r == '\n' }) {
		var row []any
		for _, f := range strings.FieldsFunc(line, func(r rune) bool { return r == ' ' || r == ',' || r == '\t' || r == '\r' }) {
			row = append(row, f)
		}
		if len(row) > 0 {
			rows = append(rows, row)
		}
	}
	return rows
}
