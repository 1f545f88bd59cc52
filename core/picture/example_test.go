package picture_test

import (
	"context"
	"fmt"

	"mobanta/core/meshfile"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
)

// The first picture comes at once, and again as it settles.
func ExampleRenderer_Render() {
	p := project.New("Harbour")
	p.Apply(&project.Edit{Op: "model.add", Kind: "sphere"})
	job, err := scene.Of(p, meshfile.Files(nil), nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	job.W, job.H, job.Samples = 48, 32, 8
	r := picture.NewRenderer(1)
	defer r.Close()
	err = r.Render(context.Background(), job, func(res *picture.Result) { fmt.Println(res.Passes, res.Done) })
	fmt.Println(err)
	// Output:
	// 1 false
	// 4 false
	// 8 true
	// <nil>
}
