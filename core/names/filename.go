package names

import (
	"strings"
	"unicode/utf8"
)

// maxFileName is how many letters, and maxFileBytes how many bytes, a file's name has at most, its ending counted: what the
// systems that it may come to have room for.
const (
	maxFileName  = 80
	maxFileBytes = 200
)

// reserved are names that a system keeps for devices, whatever comes after a dot.
var reserved = map[string]bool{"con": true, "prn": true, "aux": true, "nul": true, "com1": true, "com2": true, "com3": true, "com4": true, "com5": true, "com6": true, "com7": true, "com8": true, "com9": true,
	"lpt1": true, "lpt2": true, "lpt3": true, "lpt4": true, "lpt5": true, "lpt6": true, "lpt7": true, "lpt8": true, "lpt9": true}

// FileName returns a name for a file with an ending such as ".png", in its own script: without what a folder or a system
// might mistake, not too long for any, and never without a name or the ending.
func FileName(name, ending string) string {
	name = strings.Map(func(r rune) rune {
		if strings.ContainsRune("\"\\/:*?<>|", r) || r < ' ' || r == utf8.RuneError {
			return '-'
		}
		return r
	}, name)
	if r := []rune(name); len(r) > maxFileName {
		name = string(r[:maxFileName])
	}
	for len(name) > 0 && (utf8.RuneCountInString(name)+utf8.RuneCountInString(ending) > maxFileName || len(name)+len(ending) > maxFileBytes) {
		_, n := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-n]
	}
	if name = strings.Trim(name, " .-"); name == "" {
		name = "untitled"
	}
	stem, _, _ := strings.Cut(strings.ToLower(name), ".")
	if reserved[strings.TrimSpace(stem)] {
		name = "_" + name
	}
	return name + ending
}
