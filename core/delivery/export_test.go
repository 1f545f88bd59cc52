package delivery

// Ways returns in how many ways a format is made: its kind draws it in pieces, or it writes one.
func Ways(f Form) (n int) {
	if f.kind.draw != nil {
		n++
	}
	if f.write != nil {
		n++
	}
	return n
}

// Movie tells whether a format says how frames come into a file, by the program or by another.
func Movie(f Form) bool { return (f.movie.frames != nil) != (f.movie.ffmpeg != nil) }

// Again registers a format's kind at a rank that is taken.
func Again(f Form) { register(1, f.kind, f) }
