// Package recipes holds the starting points that ship with Mobanta: ordinary look files.
package recipes

import (
	"bytes"
	"embed"
	"fmt"
	"strings"

	"mobanta/core/exchange"
)

//go:embed looks/*.json
var files embed.FS

// Recipe is a look to start from.
type Recipe struct {
	ID   string
	File *exchange.LookFile
}

// All returns the recipes in the order in which they are shown.
func All() ([]Recipe, error) {
	entries, err := files.ReadDir("looks")
	if err != nil {
		return nil, fmt.Errorf("recipes: %w", err)
	}
	var out []Recipe
	for _, e := range entries {
		data, err := files.ReadFile("looks/" + e.Name())
		if err != nil {
			return nil, fmt.Errorf("recipes: %w", err)
		}
		f, err := exchange.ReadLook(bytes.NewReader(data))
		if err != nil {
			return nil, fmt.Errorf("recipes: %s: %w", e.Name(), err)
		}
		_, id, _ := strings.Cut(strings.TrimSuffix(e.Name(), ".json"), "-")
		out = append(out, Recipe{ID: id, File: f})
	}
	return out, nil
}

// Find returns the recipe of that id, nil if there is none.
func Find(id string) (*Recipe, error) {
	all, err := All()
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].ID == id {
			return &all[i], nil
		}
	}
	return nil, nil
}
