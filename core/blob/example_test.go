package blob_test

import (
	"fmt"

	"mobanta/core/blob"
	"mobanta/core/vec"
)

// One ball alone is a ball: the surface lies at its radius.
func ExampleMesh() {
	m := blob.Mesh([]blob.Ball{{At: vec.V{1, 0, 0}, Size: 0.5}}, 1, 20, 1)
	box := m.Bounds()
	fmt.Printf("%.1f to %.1f\n", box.Min[0], box.Max[0])
	// Output: 0.5 to 1.5
}
