package edits

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"mobanta/core/formula"
)

var (
	signs   = strings.NewReplacer("×", "*", "÷", "/", "−", "-", ",", ".", "°", "")
	numbers = regexp.MustCompile(`(?i)(\d+\.?\d*|\.\d+)(e[+-]?\d+)?\s*(%?)`)
)

// sum returns the value of a number as it is typed: a formula, as Formula nodes have them
// though without inputs, in which × ÷ − stand for their signs, a comma for the point, and
// a percent sign for a hundredth. A degree sign is passed over. As in all formulas, what
// is divided by 0 is 0.
func sum(text string) (float64, error) {
	bad := fmt.Errorf("%.40q is not a number; 0.5, 1/3, 2*0.1 and 40%% are", text)
	s := signs.Replace(strings.TrimSpace(text))
	if len(s) > 200 {
		return 0, bad
	}
	if v, err := strconv.ParseFloat(s, 64); err == nil {
		if math.IsNaN(v) || math.IsInf(v, 0) || strings.ContainsAny(s, "xX_pP") {
			return 0, bad
		}
		return v, nil
	}
	// Whole numbers are meant as what they are, not as those that divide without a rest.
	s = numbers.ReplaceAllStringFunc(s, func(n string) string {
		whole := numbers.FindStringSubmatch(n)
		v, err := strconv.ParseFloat(whole[1]+whole[2], 64)
		if err != nil {
			return "?"
		}
		if whole[3] == "%" {
			v /= 100
		}
		out := strconv.FormatFloat(v, 'f', -1, 64)
		if !strings.Contains(out, ".") {
			out += ".0"
		}
		return out
	})
	p, err := formula.Parse(s, nil)
	if err != nil || p.Type != (formula.Type{Base: formula.Float, N: 1}) {
		return 0, bad
	}
	out := [][]float32{{0}}
	p.Run(nil, out)
	v, err := strconv.ParseFloat(strconv.FormatFloat(float64(out[0][0]), 'g', -1, 32), 64) // 0.3, not what is nearest to it in 32 bits
	if err != nil {
		return 0, bad
	}
	return v, nil
}
