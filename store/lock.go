package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/gofrs/flock"
)

// ErrHeld says that a data folder is in use; the error tells by whom.
var ErrHeld = errors.New("store: the data folder is in use")

const lockName = "mobanta.lock"

// Hold is a data folder that is in use by this program alone. The system lets go of
// it when the program ends, however it ends.
type Hold struct {
	lock *flock.Flock
	path string
}

// Take takes hold of a data folder, making it if need be. Where another program has
// it, the error is ErrHeld and tells what Say told of that.
func Take(dir string) (*Hold, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, say(fmt.Errorf("store: %w", err))
	}
	path := filepath.Join(dir, lockName)
	h := &Hold{flock.New(path, flock.SetPermissions(0o600)), path}
	ok, err := h.lock.TryLock()
	if err != nil {
		return nil, say(fmt.Errorf("store: %w", err))
	}
	if !ok {
		who, _ := os.ReadFile(path)
		return nil, fmt.Errorf("%w by another studio: %s", ErrHeld, strings.TrimSpace(string(who)))
	}
	return h, h.Say(fmt.Sprintf("process %d", os.Getpid()))
}

// Say writes down who holds the folder, for others to read.
func (h *Hold) Say(who string) error {
	return say(os.WriteFile(h.path, []byte(who+"\n"), 0o600))
}

// Release lets go of the folder.
func (h *Hold) Release() error {
	return errors.Join(os.Truncate(h.path, 0), h.lock.Unlock())
}

// TempDir returns the folder within dir for what is only there for a while. The
// caller, who holds dir, may sweep it.
func TempDir(dir string) string { return filepath.Join(dir, "tmp") }

// Sweep removes from a data folder, which the caller holds, what programs left behind
// that were ended in the middle of something. It returns how many files that were.
func Sweep(dir string) (int, error) {
	n := 0
	left, err := filepath.Glob(filepath.Join(dir, "files", newPrefix+"*"))
	if err != nil {
		return 0, fmt.Errorf("store: %w", err)
	}
	temp, err := os.ReadDir(TempDir(dir))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return 0, say(fmt.Errorf("store: %w", err))
	}
	for _, e := range temp {
		left = append(left, filepath.Join(TempDir(dir), e.Name()))
	}
	for _, path := range left {
		if err := os.RemoveAll(path); err != nil {
			return n, say(fmt.Errorf("store: %w", err))
		}
		n++
	}
	if err := os.MkdirAll(TempDir(dir), 0o700); err != nil {
		return n, say(fmt.Errorf("store: %w", err))
	}
	return n, nil
}
