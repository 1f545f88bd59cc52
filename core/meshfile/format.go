package meshfile

import (
	"bytes"
	"path"
	"slices"
	"strings"
)

// format is a format of models: how a file of it is told from others, and what reads it. A file is of the first format that
// starts it, else of the one that its name ends in, else of the first that it looks like.
type format struct {
	ending string                       // of names, small
	starts func(data, head []byte) bool // tells it by how files of it always begin; nil if they may begin in any way
	looks  func(data, head []byte) bool // tells it by what it holds; nil for no way to
	read   func(w *work, data []byte, open Open) (*Model, error)
}

// formats lists all formats. head is the beginning of a file without a byte order mark and blanks.
var formats = []format{
	{ending: ".glb", starts: isGLB, read: readGLB},
	{ending: ".gltf", starts: isGLTF, read: readGLTF},
	{ending: ".ply", starts: isPLY, read: readPLY},
	{ending: ".stl", looks: isSTL, read: readSTL},
	{ending: ".obj", looks: isOBJ, read: readOBJ},
}

// Is tells whether a name is that of a model, by its ending.
func Is(name string) bool {
	ending := strings.ToLower(path.Ext(name))
	return slices.ContainsFunc(formats, func(f format) bool { return f.ending == ending })
}

// sniff returns the format of a file, nil for none.
func sniff(name string, data []byte) *format {
	head := bytes.TrimLeft(bytes.TrimPrefix(data[:min(len(data), 4096)], []byte("\xef\xbb\xbf")), " \t\r\n")
	ending := strings.ToLower(path.Ext(name))
	for _, is := range []func(f *format) bool{
		func(f *format) bool { return f.starts != nil && f.starts(data, head) },
		func(f *format) bool { return f.starts == nil && f.ending == ending },
		func(f *format) bool { return f.looks != nil && f.looks(data, head) },
	} {
		for i := range formats {
			if is(&formats[i]) {
				return &formats[i]
			}
		}
	}
	return nil
}
