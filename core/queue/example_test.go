package queue_test

import (
	"context"
	"fmt"

	"mobanta/core/queue"
)

func ExampleQueue() {
	q := queue.New()
	done, err := q.Wait(context.Background())
	fmt.Println(err)
	done() // the next may come in
	// Output: <nil>
}
