package priority_test

import (
	"context"
	"fmt"

	"mobanta/core/priority"
)

// Work that the context carries lets what is more urgent go first whenever it yields.
func ExampleGate() {
	var g priority.Gate
	w := g.Enter(priority.Rank{Level: priority.Settled})
	ctx := priority.With(context.Background(), w)
	priority.Yield(ctx) // nobody is before it
	w.Leave()
	fmt.Println(w.Waited())
	// Output: 0s
}
