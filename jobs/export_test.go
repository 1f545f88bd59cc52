package jobs

// Pretend has the disk seem to have so much room until undo is called.
func Pretend(bytes int) (undo func()) {
	was := free
	free = func(string) (int, bool) { return bytes, true }
	return func() { free = was }
}
