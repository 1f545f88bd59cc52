// Package disjoint keeps numbers in sets that only ever grow together: a union-find (Galler and Fischer 1964), with paths
// halved as they are walked (van Leeuwen and van der Weide 1977).
package disjoint

// Sets are sets of 0 to n-1. The least member names a set.
type Sets []int32

// New returns n sets of one member each.
func New(n int) Sets {
	s := make(Sets, n)
	for i := range s {
		s[i] = int32(i)
	}
	return s
}

// Find returns the name of the set that i is in.
func (s Sets) Find(i int32) int32 {
	for s[i] != i {
		s[i] = s[s[i]]
		i = s[i]
	}
	return i
}

// Join makes the sets that a and b are in one.
func (s Sets) Join(a, b int32) {
	a, b = s.Find(a), s.Find(b)
	s[max(a, b)] = min(a, b)
}
