package project_test

import (
	"encoding/json"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
)

// smudge puts a blank behind every name in v, which settling takes away again, and returns how many there were.
func smudge(v reflect.Value) (n int) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			n += smudge(v.Elem())
		}
	case reflect.Slice:
		for i := range v.Len() {
			n += smudge(v.Index(i))
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Field(i)
			if v.Type().Field(i).Name == "Press" {
				continue // its names are refused, not mended
			}
			if f.Kind() == reflect.String && f.CanSet() && v.Type().Field(i).Name == "Name" {
				f.SetString(f.String() + " ")
				n++
				continue
			}
			n += smudge(f)
		}
	}
	return n
}

// A project that is drawn is read while a copy of it is settled: whatever settling writes must be the copy's own.
func TestSettlingACopyWritesNothingThatTheFirstHolds(t *testing.T) {
	p := project.New("Saltlight")
	for _, e := range []project.Edit{
		{Op: "staging.add", Name: "One"}, {Op: "model.add", Kind: "flame", Look: "look1"}, {Op: "light.add", Kind: "point"}, {Op: "look.add"}, {Op: "swatch.add"},
		{Op: "staging.add", Name: "Two"}, {Op: "move.turntable"},
	} {
		apply(t, p, e)
	}
	require.Greater(t, smudge(reflect.ValueOf(p)), 12)
	before, err := json.Marshal(p)
	require.NoError(t, err)
	require.NoError(t, p.Clone().Settle())
	after, err := json.Marshal(p)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after))
}
