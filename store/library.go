package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"fmt"
	"time"
)

// Entry is something that is kept for all projects.
type Entry struct {
	ID, Kind, Name string
	Doc            []byte // a look file; nil in lists
}

// maxLibrary limits the library, so that its lists can be shown whole.
const maxLibrary = 500

// Keep puts a look file into the library and returns its id. One of the same kind
// and name is replaced.
func (s *Store) Keep(ctx context.Context, kind, name string, doc []byte) (string, error) {
	id := rand.Text()
	err := s.write(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM library`).Scan(&n); err != nil {
			return err
		}
		if n >= maxLibrary {
			return fmt.Errorf("the library is full: it holds %d entries; take some out first", maxLibrary)
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM library WHERE kind = ? AND name = ?`, kind, name); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO library (id, kind, name, made, doc) VALUES (?, ?, ?, ?, ?)`, id, kind, name, time.Now().UnixMilli(), doc)
		return err
	})
	return id, err
}

// Library lists what is kept of a kind, by name.
func (s *Store) Library(ctx context.Context, kind string) ([]Entry, error) {
	rows, err := s.reads.QueryContext(ctx, `SELECT id, kind, name FROM library WHERE kind = ? ORDER BY name, id`, kind)
	if err != nil {
		return nil, say(fmt.Errorf("store: %w", err))
	}
	defer rows.Close()
	var out []Entry
	for rows.Next() {
		var e Entry
		if err := rows.Scan(&e.ID, &e.Kind, &e.Name); err != nil {
			return nil, say(fmt.Errorf("store: %w", err))
		}
		out = append(out, e)
	}
	return out, rows.Err()
}

// Kept returns an entry of the library with its look file.
func (s *Store) Kept(ctx context.Context, id string) (Entry, error) {
	e := Entry{ID: id}
	err := s.reads.QueryRowContext(ctx, `SELECT kind, name, doc FROM library WHERE id = ?`, id).Scan(&e.Kind, &e.Name, &e.Doc)
	if none(err) {
		return e, ErrNotFound
	}
	if err != nil {
		return e, say(fmt.Errorf("store: %w", err))
	}
	return e, nil
}

// TakeOut removes an entry from the library.
func (s *Store) TakeOut(ctx context.Context, id string) error {
	return s.one(ctx, `DELETE FROM library WHERE id = ?`, id)
}
