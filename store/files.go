package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"time"

	"mobanta/core/exchange"
	"mobanta/core/names"
)

// PutFile keeps the bytes of a model and returns their hash. Bytes that are
// there already are kept once.
func (s *Store) PutFile(ctx context.Context, f exchange.File) (string, error) {
	hash := exchange.Hash(f.Data)
	path := filepath.Join(s.dir, "files", hash)
	if sum, err := hashOf(path); err != nil || sum != hash { // it is not there, or it is damaged: then it is mended
		if err := writeWhole(path, f.Data); err != nil {
			return "", say(fmt.Errorf("store: %w", err))
		}
	}
	err := s.write(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO files (hash, name, size, made) VALUES (?, ?, ?, ?) ON CONFLICT (hash) DO NOTHING`,
			hash, names.Clip(f.Name, names.MaxName), len(f.Data), time.Now().UnixMilli())
		return err
	})
	return hash, err
}

// File returns the file of that hash.
func (s *Store) File(ctx context.Context, hash string) (exchange.File, error) {
	var f exchange.File
	err := s.reads.QueryRowContext(ctx, `SELECT name FROM files WHERE hash = ?`, hash).Scan(&f.Name)
	if none(err) {
		return f, ErrNotFound
	}
	if err != nil {
		return f, say(fmt.Errorf("store: %w", err))
	}
	// The hash is one that the database knows, so it is no path from elsewhere.
	f.Data, err = os.ReadFile(filepath.Join(s.dir, "files", hash))
	switch {
	case errors.Is(err, os.ErrNotExist):
		return f, &FileError{Name: f.Name, Missing: true}
	case err != nil:
		return f, say(fmt.Errorf("store: %w", err))
	case exchange.Hash(f.Data) != hash:
		return f, &FileError{Name: f.Name}
	}
	return f, nil
}

// FileError is that a file which was stored is not there any more, or has other bytes.
type FileError struct {
	Name    string // as it was brought in
	Missing bool
}

func (e *FileError) Error() string {
	what := "is damaged: its bytes are not those that were stored"
	if e.Missing {
		what = "is missing from the data folder"
	}
	return fmt.Sprintf("store: the file %.200q %s; bring it in again, and it is as it was", e.Name, what)
}

// writeWhole writes a file that is either there in full or not at all, also
// after a crash.
func writeWhole(path string, data []byte) error {
	tmp, err := os.CreateTemp(filepath.Dir(path), newPrefix+"*")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name())
	_, err = tmp.Write(data)
	if err == nil {
		err = tmp.Sync()
	}
	if e := tmp.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(tmp.Name(), path)
	}
	if err != nil {
		return err
	}
	dir, err := os.Open(filepath.Dir(path))
	if err != nil {
		return err
	}
	defer dir.Close()
	return dir.Sync()
}

// newPrefix begins the names of files that are being written.
const newPrefix = "new-"

var hashPattern = regexp.MustCompile(`^[0-9a-f]{64}$`)
