package mesh

import (
	"fmt"
	"strings"
)

// Mends says what is mended of a mesh before all else; see package mend. In documents it is the keys of Mendings, with blanks
// between.
type Mends uint8

// What can be mended.
const (
	MendEmpty  Mends = 1 << iota // faces without area are dropped
	MendTwice                    // faces that lie twice are dropped
	MendGaps                     // cracks and T-joints are closed
	MendTurned                   // faces turned the wrong way are turned round
	MendFar                      // what lies far from the origin is brought there; package meshfile does it as it reads
	MendAll    = 1<<iota - 1
	MendFaces  = MendEmpty | MendTwice | MendGaps | MendTurned
)

// Mending is one thing that can be mended, as an artist meets it.
type Mending struct {
	Mends Mends
	Key   string // in documents
	Name  string // of what is wrong, in the plural
	One   string // the same of one alone
	Help  string // what is done about it
}

// Mendings are all of them, in the order in which they are mended.
var Mendings = []Mending{
	{MendEmpty, "empty", "empty faces", "empty face", "Faces without area are left out"},
	{MendTwice, "twice", "doubled faces", "doubled face", "Of faces that lie on one another in a part only the first is kept"},
	{MendGaps, "gaps", "open seams", "open seam", "Cracks narrower than a two-thousandth of the model are closed, and borders go through corners that lie on them"},
	{MendTurned, "turned", "turned faces", "turned face", "Faces that look inward are turned round, as those beside them and as what sees the sky"},
	{MendFar, "far", "distance", "distance", "What lies so far from the origin that its numbers grow coarse is brought there"},
}

// String returns the keys of what is mended, with blanks between.
func (m Mends) String() string {
	var keys []string
	for _, one := range Mendings {
		if m&one.Mends != 0 {
			keys = append(keys, one.Key)
		}
	}
	return strings.Join(keys, " ")
}

// MarshalText implements encoding.TextMarshaler.
func (m Mends) MarshalText() ([]byte, error) { return []byte(m.String()), nil }

// UnmarshalText implements encoding.TextUnmarshaler. It returns an error for a key that is none.
func (m *Mends) UnmarshalText(text []byte) error {
	*m = 0
	for _, key := range strings.Fields(string(text)) {
		one := MendingOf(key)
		if one == nil {
			return fmt.Errorf("nothing named %.20q can be mended", key)
		}
		*m |= one.Mends
	}
	return nil
}

// MendingOf returns what can be mended by its key, or nil.
func MendingOf(key string) *Mending {
	for i := range Mendings {
		if Mendings[i].Key == key {
			return &Mendings[i]
		}
	}
	return nil
}
