// Package store keeps projects, their revisions and the files of their models: SQLite for what is small, plain files
// named by their content for what is large. What a method has returned from is on disk.
package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the database driver

	"mobanta/core/project"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned for a project, revision or file that is not there.
var ErrNotFound = errors.New("store: not found")

// Store is an open data folder. It is safe for use by several goroutines.
type Store struct {
	dir string
	db  *sql.DB

	mu   sync.Mutex
	last map[string]*State // by project: the state that was read or written last
}

// Open opens the data folder, making it if need be.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(filepath.Join(dir, "files"), 0o700); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	abs, err := filepath.Abs(filepath.Join(dir, "mobanta.db"))
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	dsn := (&url.URL{Scheme: "file", Path: abs, RawQuery: "_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=busy_timeout(5000)&_pragma=foreign_keys(1)&_txlock=immediate"}).String()
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	db.SetMaxOpenConns(4)
	sub, err := fs.Sub(migrations, "migrations")
	if err == nil {
		var p *goose.Provider
		if p, err = goose.NewProvider(goose.DialectSQLite3, db, sub); err == nil {
			_, err = p.Up(context.Background())
		}
	}
	if err != nil {
		db.Close()
		return nil, fmt.Errorf("store: the database in %s cannot be used: %w", dir, err)
	}
	return &Store{dir: dir, db: db, last: map[string]*State{}}, nil
}

// Close closes the store.
func (s *Store) Close() error { return s.db.Close() }

// Summary is a project as the shelf shows it.
type Summary struct {
	ID, Name string
	Changed  time.Time
	Version  int64
	Binned   bool
	Picture  bool // whether there is one
}

// State is a project at its current revision. It never changes: clone the
// project to edit it.
type State struct {
	ID         string
	Version    int64 // grows with every edit, undo and redo
	Project    *project.Project
	Undo, Redo string // what undo and redo would take back or make again; "" for nothing
	Binned     bool
}

// Projects lists the projects, those in the bin or those that are not, the last
// changed first.
func (s *Store) Projects(ctx context.Context, binned bool) ([]Summary, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT id, name, changed, version, binned IS NOT NULL, picture IS NOT NULL
		FROM projects WHERE (binned IS NOT NULL) = ? ORDER BY changed DESC, id`, binned)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	var out []Summary
	for rows.Next() {
		var p Summary
		var ms int64
		if err := rows.Scan(&p.ID, &p.Name, &ms, &p.Version, &p.Binned, &p.Picture); err != nil {
			return nil, fmt.Errorf("store: %w", err)
		}
		p.Changed = time.UnixMilli(ms)
		out = append(out, p)
	}
	return out, rows.Err()
}

// Create stores a new project and returns its id.
func (s *Store) Create(ctx context.Context, p *project.Project) (string, error) {
	return s.CreateAs(ctx, uuid.NewString(), p)
}

// CreateAs is Create under an id of the caller's choice, which must be free.
func (s *Store) CreateAs(ctx context.Context, id string, p *project.Project) (string, error) {
	doc, err := pack(p)
	if err != nil {
		return "", err
	}
	now := time.Now().UnixMilli()
	err = s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO projects (id, name, created, changed, version, head) VALUES (?, ?, ?, ?, 1, 0)`, id, p.Name, now, now); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO revisions (project, n, label, made, doc) VALUES (?, 0, '', ?, ?)`, id, now, doc)
		return err
	})
	return id, err
}

// Load returns a project at its current revision. It waits for no writer.
func (s *Store) Load(ctx context.Context, id string) (*State, error) {
	var version int64
	var binned bool
	err := s.db.QueryRowContext(ctx, `SELECT version, binned IS NOT NULL FROM projects WHERE id = ?`, id).Scan(&version, &binned)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	s.mu.Lock()
	st := s.last[id]
	s.mu.Unlock()
	if st != nil && st.Version == version && st.Binned == binned {
		return st, nil
	}
	st, _, err = load(ctx, s.db, id)
	if err != nil {
		return nil, err
	}
	s.remember(st)
	return st, nil
}

// maxLast is how many projects are kept read.
const maxLast = 8

func (s *Store) remember(st *State) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.last) >= maxLast && s.last[st.ID] == nil {
		clear(s.last)
	}
	s.last[st.ID] = st
}

// querier is a database or a transaction.
type querier interface {
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func load(ctx context.Context, db querier, id string) (st *State, head int64, err error) {
	st = &State{ID: id}
	var doc []byte
	err = db.QueryRowContext(ctx, `SELECT p.version, p.head, p.binned IS NOT NULL, r.label, r.doc,
			COALESCE((SELECT label FROM revisions WHERE project = p.id AND n = p.head + 1), '')
		FROM projects p JOIN revisions r ON r.project = p.id AND r.n = p.head WHERE p.id = ?`, id).
		Scan(&st.Version, &head, &st.Binned, &st.Undo, &doc, &st.Redo)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, 0, ErrNotFound
	}
	if err != nil {
		return nil, 0, err
	}
	st.Project, err = unpack(doc)
	return st, head, err
}

// Edit makes the edits one revision on top of the current one, all of them or
// none; a revision that was undone before is gone then. The state it returns is
// on disk.
func (s *Store) Edit(ctx context.Context, id string, edits []project.Edit) (*State, []project.Outcome, error) {
	var st *State
	var outcomes []project.Outcome
	err := s.tx(ctx, func(tx *sql.Tx) error {
		old, head, err := load(ctx, tx, id)
		if err != nil {
			return err
		}
		p := old.Project.Clone()
		for i := range edits {
			o, err := p.Apply(&edits[i])
			if err != nil {
				return err
			}
			outcomes = append(outcomes, o)
		}
		if len(outcomes) == 0 {
			st = old
			return nil
		}
		doc, err := pack(p)
		if err != nil {
			return err
		}
		now := time.Now().UnixMilli()
		label := outcomes[0].Label
		for _, q := range []struct {
			sql  string
			args []any
		}{
			{`DELETE FROM revisions WHERE project = ? AND n > ?`, []any{id, head}},
			{`INSERT INTO revisions (project, n, label, made, doc) VALUES (?, ?, ?, ?, ?)`, []any{id, head + 1, label, now, doc}},
			{`UPDATE projects SET head = ?, version = version + 1, changed = ?, name = ? WHERE id = ?`, []any{head + 1, now, p.Name, id}},
		} {
			if _, err := tx.ExecContext(ctx, q.sql, q.args...); err != nil {
				return err
			}
		}
		st = &State{ID: id, Version: old.Version + 1, Project: p, Undo: label, Binned: old.Binned}
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	s.remember(st)
	return st, outcomes, nil
}

// Move undoes (-1) or redoes (+1) one revision. With nothing to undo or redo it
// returns ErrNotFound.
func (s *Store) Move(ctx context.Context, id string, by int64) (*State, error) {
	var st *State
	err := s.tx(ctx, func(tx *sql.Tx) error {
		var head int64
		err := tx.QueryRowContext(ctx, `SELECT r.n FROM projects p JOIN revisions r ON r.project = p.id AND r.n = p.head + ? WHERE p.id = ?`, by, id).Scan(&head)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE projects SET head = ?, version = version + 1, changed = ? WHERE id = ?`, head, time.Now().UnixMilli(), id); err != nil {
			return err
		}
		if st, _, err = load(ctx, tx, id); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE projects SET name = ? WHERE id = ?`, st.Project.Name, id)
		return err
	})
	return st, err
}

// Bin puts a project into the bin or takes it out again.
func (s *Store) Bin(ctx context.Context, id string, in bool) error {
	var at any
	if in {
		at = time.Now().UnixMilli()
	}
	return s.one(ctx, `UPDATE projects SET binned = ? WHERE id = ?`, at, id)
}

// SetPicture keeps a project's picture for the shelf, a PNG.
func (s *Store) SetPicture(ctx context.Context, id string, png []byte) error {
	return s.one(ctx, `UPDATE projects SET picture = ? WHERE id = ?`, png, id)
}

// Picture returns a project's picture for the shelf.
func (s *Store) Picture(ctx context.Context, id string) ([]byte, error) {
	var png []byte
	err := s.db.QueryRowContext(ctx, `SELECT picture FROM projects WHERE id = ?`, id).Scan(&png)
	if errors.Is(err, sql.ErrNoRows) || err == nil && png == nil {
		return nil, ErrNotFound
	}
	return png, err
}

func (s *Store) one(ctx context.Context, query string, args ...any) error {
	res, err := s.db.ExecContext(ctx, query, args...)
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	if n, err := res.RowsAffected(); err == nil && n == 0 {
		return ErrNotFound
	}
	return nil
}

func (s *Store) tx(ctx context.Context, f func(tx *sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("store: %w", err)
	}
	return nil
}

func pack(p *project.Project) ([]byte, error) {
	var buf bytes.Buffer
	z, err := gzip.NewWriterLevel(&buf, gzip.BestSpeed)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	if err := json.NewEncoder(z).Encode(p); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	if err := z.Close(); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	return buf.Bytes(), nil
}

func unpack(doc []byte) (*project.Project, error) {
	z, err := gzip.NewReader(bytes.NewReader(doc))
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	data, err := io.ReadAll(z)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	p := &project.Project{}
	if err := json.Unmarshal(data, p); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	return p, p.Settle()
}
