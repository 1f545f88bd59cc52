package names_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/names"
)

func TestRemarksAreSaidOnce(t *testing.T) {
	var r, few names.Remarks
	for k := range 100 {
		r.Add(0, "%d of them are left out", k%40)
		few.Add(3, "%d of them are left out", k)
	}
	assert.Len(t, r, 40)
	assert.Equal(t, "39 of them are left out", r[39])
	assert.Equal(t, names.Remarks{"0 of them are left out", "1 of them are left out", "2 of them are left out"}, few)
}

func TestNth(t *testing.T) {
	for k, want := range []string{"first", "second", "2"} {
		assert.Equal(t, want, names.Nth(k, "first", "second"))
	}
	assert.Equal(t, "-1", names.Nth(-1, "first"))
}
