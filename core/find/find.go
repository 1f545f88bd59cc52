// Package find ranks things by how well a few typed words fit what they are called: other forms of a word and other
// spellings count as the word, slips of a letter or two nearly, words in any order. What comes in is plain text; nothing
// is kept of it.
package find

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"github.com/kljensen/snowball/english"
)

// Thing is something that can be found.
type Thing struct {
	Name   string
	Words  []string // what else it is called, by one word or several; the first is what it is called most
	Parts  []string // the names of what it has, its settings say
	Family string
	Says   string // what it is for, in a sentence
}

// Weights of where a word is found. What several words say together counts besides.
const (
	inName   = 60
	inFirst  = 46
	inWords  = 40
	inParts  = 16
	inFamily = 22
	inSays   = 10

	whole  = 70  // all that was typed is one of the words, or the name
	begun  = 0.8 // of a word that is still being typed
	nearly = 0.6 // of one with a slip
)

// Index is things made ready to be found. It is safe for use by several goroutines.
type Index struct {
	things []thing
	stems  []string // all that are known, sorted
}

type thing struct {
	at      map[string]float64 // stem → weight
	phrases map[string]float64 // stems of a whole name or word, sorted and joined → weight
}

// New readies things.
func New(list []Thing) *Index {
	x := &Index{}
	all := map[string]bool{}
	for _, l := range list {
		t := thing{map[string]float64{}, map[string]float64{}}
		put := func(text string, weight float64, phrase bool) {
			list := stems(text)
			for _, s := range list {
				// A word of several says less than one that stands alone.
				w := weight
				if len(list) > 1 {
					w *= 0.85
				}
				t.at[s] = max(t.at[s], w)
				all[s] = true
			}
			if phrase {
				t.phrases[together(list)] = max(t.phrases[together(list)], weight)
			}
		}
		put(l.Name, inName, true)
		for i, w := range l.Words {
			weight := float64(inWords)
			if i == 0 {
				weight = inFirst
			}
			put(w, weight, true)
		}
		for _, p := range l.Parts {
			put(p, inParts, false)
		}
		put(l.Family, inFamily, false)
		put(l.Says, inSays, false)
		x.things = append(x.things, t)
	}
	for s := range all {
		x.stems = append(x.stems, s)
	}
	slices.Sort(x.stems)
	return x
}

// Hit is a thing that was found, by its number, and how well it fits.
type Hit struct {
	Thing int
	Score float64
	All   bool // all words fit it
	Guess bool // nothing that was typed is known: this comes nearest
}

// Find returns what typed words could mean, the best first; nothing for no words. Things that all words fit stand before
// those that some do, and where none fits what comes nearest is guessed.
func (x *Index) Find(typed string) []Hit {
	words := stems(typed)
	if len(words) == 0 {
		return nil
	}
	typing := tokens(typed)
	known := make([]map[string]float64, len(words)) // of each word: the stems that it may be, and how surely
	for i, w := range words {
		begins := w // as it was typed, which may be less than its stem, if it is still being typed
		if i == len(words)-1 && !strings.HasSuffix(typed, " ") {
			begins = typing[len(typing)-1]
		}
		known[i] = x.meant(w, begins)
	}
	all := together(words)
	var hits []Hit
	for k := range x.things {
		t := &x.things[k]
		score, found := 0.0, 0
		for i := range words {
			best := 0.0
			for s, sure := range known[i] {
				best = max(best, t.at[s]*sure)
			}
			if best > 0 {
				found++
			}
			score += best
		}
		if found == 0 {
			continue
		}
		score = score / float64(len(words)) * (0.3 + 0.7*float64(found)/float64(len(words)))
		if w := t.phrases[all]; w > 0 {
			score += whole * w / inName
		}
		hits = append(hits, Hit{Thing: k, Score: score, All: found == len(words)})
	}
	if len(hits) == 0 {
		hits = x.guess(words)
	}
	slices.SortStableFunc(hits, func(a, b Hit) int { return cmp.Compare(b.Score, a.Score) })
	return hits
}

// meant returns the stems that a word may be: itself, what it begins, or, where there is neither, what a slip of a letter or
// two would make of it.
func (x *Index) meant(word, begins string) map[string]float64 {
	out := map[string]float64{}
	if _, ok := slices.BinarySearch(x.stems, word); ok {
		out[word] = 1
	}
	for _, b := range [2]string{word, begins} {
		at, _ := slices.BinarySearch(x.stems, b)
		for ; at < len(x.stems) && strings.HasPrefix(x.stems[at], b); at++ {
			if s := x.stems[at]; len(b) >= 2 && out[s] == 0 {
				out[s] = begun
			}
		}
	}
	if len(out) > 0 {
		return out
	}
	most := 0
	switch n := len([]rune(word)); {
	case n >= 7:
		most = 2
	case n >= 4:
		most = 1
	}
	for _, s := range x.stems {
		if d := slips(word, s, most); d <= most && most > 0 && len(s) > 2 {
			out[s] = nearly / float64(max(1, d))
		}
	}
	return out
}

// guess returns the three things whose words are most like those that were typed, by the pairs of letters that they share.
func (x *Index) guess(words []string) (out []Hit) {
	for k := range x.things {
		best := 0.0
		for s, weight := range x.things[k].at {
			if weight < inWords*0.8 {
				continue
			}
			for _, w := range words {
				best = max(best, alike(w, s))
			}
		}
		out = append(out, Hit{Thing: k, Score: best, Guess: true})
	}
	slices.SortStableFunc(out, func(a, b Hit) int { return cmp.Compare(b.Score, a.Score) })
	return out[:min(3, len(out))]
}

// alike is how many pairs of letters two words share (Dice 1945), 0 to 1.
func alike(a, b string) float64 {
	pairs := func(s string) map[string]int {
		out := map[string]int{}
		r := []rune("^" + s)
		for i := range len(r) - 1 {
			out[string(r[i:i+2])]++
		}
		return out
	}
	p, q := pairs(a), pairs(b)
	both, all := 0, 0
	for k, n := range p {
		both += min(n, q[k])
		all += n
	}
	for _, n := range q {
		all += n
	}
	if all == 0 {
		return 0
	}
	return 2 * float64(both) / float64(all)
}

// slips returns how many letters have to be put in, left out, changed, or swapped with the next to make one word of another
// (Damerau 1964, of neighbours once); anything above most for more.
func slips(a, b string, most int) int {
	p, q := []rune(a), []rune(b)
	if len(p)-len(q) > most || len(q)-len(p) > most {
		return most + 1
	}
	var before, above []int
	row := make([]int, len(q)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(p); i++ {
		before, above = above, row
		row = make([]int, len(q)+1)
		row[0] = i
		for j := 1; j <= len(q); j++ {
			cost := 1
			if p[i-1] == q[j-1] {
				cost = 0
			}
			row[j] = min(above[j]+1, row[j-1]+1, above[j-1]+cost)
			if i > 1 && j > 1 && p[i-1] == q[j-2] && p[i-2] == q[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
	}
	return row[len(q)]
}

// small are words that say nothing of what is sought.
var small = map[string]bool{"a": true, "an": true, "the": true, "of": true, "in": true, "on": true, "at": true, "to": true, "for": true, "with": true, "and": true, "or": true, "by": true, "my": true, "i": true, "is": true,
	"it": true, "its": true, "as": true, "how": true, "make": true, "some": true, "own": true, "between": true, "per": true, "where": true, "what": true, "that": true, "than": true, "each": true, "per-part": true}

// tokens returns the words of a text, in small letters.
func tokens(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// stems returns what is left of the words of a text without their endings, in one spelling; words that say nothing are left
// out, unless there are no others.
func stems(text string) (out []string) {
	list := tokens(text)
	for _, t := range list {
		if !small[t] {
			out = append(out, stem(t))
		}
	}
	if len(out) == 0 {
		for _, t := range list {
			out = append(out, stem(t))
		}
	}
	return out
}

// spellings are endings of British words, and those of American ones: the second are kept.
var spellings = [][2]string{{"isation", "ization"}, {"ising", "izing"}, {"ised", "ized"}, {"iser", "izer"}, {"ise", "ize"}, {"yse", "yze"}, {"our", "or"}, {"oured", "ored"}, {"ours", "ors"}, {"ouring", "oring"}, {"tre", "ter"}, {"grey", "gray"},
	{"greys", "grays"}, {"ogue", "og"}, {"elling", "eling"}, {"elled", "eled"}}

// whole words that the rule would spoil.
var kept = map[string]bool{"noise": true, "raise": true, "rise": true, "four": true, "hour": true, "contour": true, "contours": true, "contoured": true, "our": true, "precise": true, "otherwise": true, "wise": true, "exercise": true}

// stem returns a word without its ending (Porter 2001), in American spelling.
func stem(w string) string {
	if !kept[w] {
		for _, s := range spellings {
			if strings.HasSuffix(w, s[0]) && len(w) > len(s[0])+1 {
				w = strings.TrimSuffix(w, s[0]) + s[1]
				break
			}
		}
		if w == "grey" || w == "greys" {
			w = "gray"
		}
	}
	return english.Stem(w, true)
}

// together joins stems in the order of their letters.
func together(list []string) string {
	list = slices.Clone(list)
	slices.Sort(list)
	return strings.Join(list, " ")
}
