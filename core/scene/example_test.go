package scene_test

import (
	"fmt"

	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/scene"
)

func ExampleOf() {
	p := project.New("Harbour")
	p.Apply(&project.Edit{Op: "model.add", Kind: "cube"})
	job, err := scene.Of(p, meshfile.Files(nil), nil)
	fmt.Println(len(job.Scene.Parts), len(job.Looks), err)
	// Output: 1 1 <nil>
}
