package unwrap_test

import (
	"os"
	"testing"

	"mobanta/core/unwrap"
)

// How tightly charts lie is not what these tests ask, but for one.
func TestMain(m *testing.M) {
	unwrap.Hasty = true
	os.Exit(m.Run())
}
