//go:build unix

package jobs

import "golang.org/x/sys/unix"

// free returns how many bytes there is room for where a folder lies; ok is false where that cannot be told.
var free = func(dir string) (bytes int, ok bool) {
	var s unix.Statfs_t
	if err := unix.Statfs(dir, &s); err != nil {
		return 0, false
	}
	return int(s.Bavail) * int(s.Bsize), true
}
