package names

import (
	"fmt"
	"slices"
)

// Remarks are sentences about what could not be done as asked, each said once, in the order in which they came up.
type Remarks []string

// Add says a sentence, unless it was said or there are as many already as anybody reads: most, 0 for any number.
func (r *Remarks) Add(most int, format string, of ...any) {
	if most > 0 && len(*r) >= most {
		return
	}
	if s := fmt.Sprintf(format, of...); !slices.Contains(*r, s) {
		*r = append(*r, s)
	}
}
