package budget_test

import (
	"fmt"

	"mobanta/core/budget"
)

// Two share a budget: the second has what the first leaves, once the first has been asked to shed.
func ExampleBudget() {
	b := budget.New(100)
	held := 80
	first := b.Open(func(most int) (int, bool) { held = min(held, most); return held, true })
	first.Set(held)
	second := b.Open(func(most int) (int, bool) { return 0, true })
	second.Set(60)
	fmt.Println(b.Used() <= 100, held < 80)
	// Output: true true
}
