// Package limits says that a number lies outside its range.
package limits

import "fmt"

// Check returns an error if v lies outside lo to hi, both included, or is not a number.
func Check(what string, v, lo, hi float64) error {
	if !(v >= lo && v <= hi) {
		return fmt.Errorf("%s is %v, outside %v to %v", what, v, lo, hi)
	}
	return nil
}
