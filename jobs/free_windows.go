package jobs

import "golang.org/x/sys/windows"

// free returns how many bytes there is room for where a folder lies; ok is false where that cannot be told.
var free = func(dir string) (bytes int, ok bool) {
	name, err := windows.UTF16PtrFromString(dir)
	if err != nil {
		return 0, false
	}
	var n uint64
	if err := windows.GetDiskFreeSpaceEx(name, &n, nil, nil); err != nil {
		return 0, false
	}
	return int(n), true
}
