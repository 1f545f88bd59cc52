package archive_test

import (
	"archive/zip"
	"bytes"
	"fmt"

	"mobanta/core/archive"
)

func ExampleOpen() {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	f, _ := w.Create("kettle.obj")
	f.Write([]byte("v 0 0 0\n"))
	w.Close()
	z, err := archive.Open(bytes.NewReader(b.Bytes()), int64(b.Len()), 1<<20)
	if err != nil {
		fmt.Println(err)
		return
	}
	data, err := archive.Read(z.File[0])
	fmt.Printf("%q %v\n", data, err)
	// Output: "v 0 0 0\n" <nil>
}
