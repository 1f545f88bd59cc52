package web

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// sum returns the value of a number as it is typed: with + − × ÷, brackets, a
// percent sign, a comma for the point, and a unit behind it that is passed over.
func sum(text string) (float64, error) {
	bad := fmt.Errorf("%.40q is not a number; 0.5, 1/3, 2*0.1 and 40%% are", text)
	s := strings.NewReplacer(" ", "", "×", "*", "÷", "/", "−", "-", ",", ".", "°", "").Replace(strings.TrimSpace(text))
	if s == "" || len(s) > 200 {
		return 0, bad
	}
	p := &sumParser{s: s}
	v, ok := p.terms()
	if !ok || p.at != len(p.s) || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, bad
	}
	return v, nil
}

type sumParser struct {
	s  string
	at int
}

func (p *sumParser) take(c byte) bool {
	if p.at < len(p.s) && p.s[p.at] == c {
		p.at++
		return true
	}
	return false
}

func (p *sumParser) terms() (float64, bool) {
	v, ok := p.factors()
	for ok {
		var w float64
		switch {
		case p.take('+'):
			w, ok = p.factors()
			v += w
		case p.take('-'):
			w, ok = p.factors()
			v -= w
		default:
			return v, true
		}
	}
	return v, ok
}

func (p *sumParser) factors() (float64, bool) {
	v, ok := p.factor()
	for ok {
		var w float64
		switch {
		case p.take('*'):
			w, ok = p.factor()
			v *= w
		case p.take('/'):
			w, ok = p.factor()
			v /= w
		default:
			return v, true
		}
	}
	return v, ok
}

func (p *sumParser) factor() (float64, bool) {
	if p.take('-') {
		v, ok := p.factor()
		return -v, ok
	}
	if p.take('(') {
		v, ok := p.terms()
		return v, ok && p.take(')')
	}
	from := p.at
	for p.at < len(p.s) && (p.s[p.at] == '.' || p.s[p.at] >= '0' && p.s[p.at] <= '9') {
		p.at++
	}
	v, err := strconv.ParseFloat(p.s[from:p.at], 64)
	if p.take('%') {
		v /= 100
	}
	return v, err == nil
}
