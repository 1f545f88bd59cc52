// Package store keeps projects, their revisions and the files of their models: SQLite for what is small, plain files
// named by their content for what is large. What a method has returned from is on disk.
package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/rand"
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

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the database driver

	"mobanta/core/project"
	"mobanta/core/queue"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned for a project, revision or file that is not there.
var ErrNotFound = errors.New("store: not found")

// ErrLater says that a data folder was written by a later version of the studio.
var ErrLater = errors.New("store: this data folder was written by a later version of Mobanta: open it with that; nothing was changed")

// Store is an open data folder. It is safe for use by several goroutines. Writers
// take turns, in the order in which they come.
type Store struct {
	dir    string
	reads  *sql.DB
	writes *sql.DB
	turn   queue.Queue  // of those who write
	turns  queue.Queues // of those who work at one project

	mu   sync.Mutex
	last map[string]*State // by project: the state that was read or written last

	damage []string // that was found, in sentences
}

// Open opens the data folder, making it if need be. A database that is missing
// beside files that projects left there, and one of a later version, are refused.
func Open(dir string) (*Store, error) {
	s, err := open(dir)
	if err != nil {
		return nil, say(err)
	}
	return s, nil
}

func open(dir string) (*Store, error) {
	if err := os.MkdirAll(filepath.Join(dir, "files"), 0o700); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	path := filepath.Join(dir, databaseName)
	if err := missing(dir); err != nil {
		return nil, err
	}
	db, err := connect(path, "&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_txlock=immediate", 1)
	if err != nil {
		return nil, err
	}
	if err := migrate(db); err != nil {
		db.Close()
		return nil, fmt.Errorf("store: the database in %s cannot be used: %w", dir, err)
	}
	reads, err := connect(path, "&_pragma=query_only(1)", 4)
	if err != nil {
		db.Close()
		return nil, err
	}
	s := &Store{dir: dir, writes: db, reads: reads, turn: queue.New(), last: map[string]*State{}}
	if err := s.examine(context.Background()); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

const databaseName = "mobanta.db"

// connect opens the database for up to most users at once.
func connect(path, pragmas string, most int) (*sql.DB, error) {
	dsn, err := address(path, "_pragma=busy_timeout(5000)"+pragmas)
	if err != nil {
		return nil, err
	}
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	db.SetMaxOpenConns(most)
	return db, nil
}

// address returns the address of a file, as the driver takes it.
func address(path, query string) (string, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return "", fmt.Errorf("store: %w", err)
	}
	return (&url.URL{Scheme: "file", Path: path, RawQuery: query}).String(), nil
}

// missing tells that the database is not there, or empty, beside what a database
// once named: an empty shelf would cover up the loss.
func missing(dir string) error {
	if info, err := os.Stat(filepath.Join(dir, databaseName)); err == nil && info.Size() > 0 {
		return nil
	}
	left := 0
	entries, err := os.ReadDir(filepath.Join(dir, "files"))
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	for _, e := range entries {
		if hashPattern.MatchString(e.Name()) {
			left++
		}
	}
	if info, err := os.Stat(filepath.Join(dir, databaseName+"-wal")); err == nil && info.Size() > 0 {
		return fmt.Errorf("store: %s is missing from %s, though what was last written to it is there: put it back, or bring back a copy with mobanta restore", databaseName, dir)
	}
	if left > 0 {
		return fmt.Errorf("store: %s is missing from %s, or empty, though %d files of projects are there: put it back, or bring back a copy with mobanta restore into an empty folder", databaseName, dir, left)
	}
	return nil
}

func migrate(db *sql.DB) error {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, sub)
	if err != nil {
		return err
	}
	ctx := context.Background()
	at, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	sources := p.ListSources()
	if newest := sources[len(sources)-1].Version; at > newest {
		return fmt.Errorf("%w (version %d; this one reads version %d)", ErrLater, at, newest)
	}
	_, err = p.Up(ctx)
	return err
}

// Close closes the store.
func (s *Store) Close() error { return errors.Join(s.reads.Close(), s.writes.Close()) }

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
	// Lost is what the changes did that cannot be read any more; the project is as it
	// was before them. They stay where they are.
	Lost []string

	at   int64 // the revision that this is
	head int64 // the newest that the project shows, which may be one that is lost
}

// Projects lists the projects, those in the bin or those that are not, the last
// changed first. If there are more than can be read, Damage tells from then on.
func (s *Store) Projects(ctx context.Context, binned bool) ([]Summary, error) {
	rows, err := s.reads.QueryContext(ctx, `SELECT id, name, changed, version, binned IS NOT NULL, picture IS NOT NULL
		FROM projects WHERE (binned IS NOT NULL) = ? ORDER BY changed DESC, id`, binned)
	if err != nil {
		return nil, say(fmt.Errorf("store: %w", err))
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
	if err := rows.Err(); err != nil {
		return nil, say(err)
	}
	if n, indexed, err := s.counts(ctx, "projects"); err != nil {
		return nil, say(err)
	} else if n != indexed {
		s.note(fmt.Sprintf("The database is damaged: there were %d projects, of which %d can be read. See more with mobanta verify, and bring back a copy with mobanta restore.", max(n, indexed), n))
	}
	return out, nil
}

// Create stores a new project and returns its id.
func (s *Store) Create(ctx context.Context, p *project.Project) (string, error) {
	return s.CreateAs(ctx, rand.Text(), p)
}

// CreateAs is Create under an id of the caller's choice, which must be free.
func (s *Store) CreateAs(ctx context.Context, id string, p *project.Project) (string, error) {
	p, doc, err := p.Clone().Checked()
	if err != nil {
		return "", err
	}
	packed, err := pack(doc)
	if err != nil {
		return "", err
	}
	given, err := json.Marshal(p.Given)
	if err != nil {
		return "", fmt.Errorf("store: %w", err)
	}
	now := time.Now().UnixMilli()
	err = s.write(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO projects (id, name, created, changed, version, head, given) VALUES (?, ?, ?, ?, 1, 0, ?)`, id, p.Name, now, now, string(given)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO revisions (project, n, label, made, doc) VALUES (?, 0, '', ?, ?)`, id, now, packed)
		return err
	})
	return id, err
}

// Load returns a project at its current revision. It waits for no writer. Where that
// revision cannot be read, it is the newest before it that can; State.Lost tells.
func (s *Store) Load(ctx context.Context, id string) (*State, error) {
	var version int64
	var binned bool
	err := s.reads.QueryRowContext(ctx, `SELECT version, binned IS NOT NULL FROM projects WHERE id = ?`, id).Scan(&version, &binned)
	if none(err) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, say(fmt.Errorf("store: %w", err))
	}
	s.mu.Lock()
	st := s.last[id]
	s.mu.Unlock()
	if st != nil && st.Version == version && st.Binned == binned {
		return st, nil
	}
	st, err = load(ctx, s.reads, id)
	if err != nil {
		return nil, say(err)
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
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

func load(ctx context.Context, db querier, id string) (*State, error) {
	st := &State{ID: id}
	var given sql.NullString
	err := db.QueryRowContext(ctx, `SELECT version, head, binned IS NOT NULL, given, COALESCE((SELECT label FROM revisions WHERE project = p.id AND n = p.head + 1), '')
		FROM projects p WHERE id = ?`, id).Scan(&st.Version, &st.head, &st.Binned, &given, &st.Redo)
	if none(err) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	r, err := readable(ctx, db, id, st.head, -1)
	if err != nil {
		return nil, err
	}
	st.Project, st.at, st.Undo, st.Lost = r.project, r.n, r.label, r.lost
	return st, st.know(ctx, db, given)
}

// know fills in which ids were given: what the project says of it, or, for one from
// before that was kept, what its revisions show.
func (st *State) know(ctx context.Context, db querier, given sql.NullString) error {
	var all project.Given
	if given.Valid && json.Unmarshal([]byte(given.String), &all) == nil {
		st.Project.Given.Join(all)
		return nil
	}
	rows, err := db.QueryContext(ctx, `SELECT doc FROM revisions WHERE project = ?`, st.ID)
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var packed []byte
		if err := rows.Scan(&packed); err != nil {
			return fmt.Errorf("store: %w", err)
		}
		if p, err := unpack(packed); err == nil {
			st.Project.Given.Join(p.Given)
		}
	}
	return rows.Err()
}

// revision is one that can be read, and what the ones did that were passed over on
// the way to it.
type revision struct {
	n       int64
	label   string
	project *project.Project
	lost    []string
}

// readable returns the first revision that can be read, from number n on and further
// by +1 or -1. One of a later version ends the search: it must be left alone.
func readable(ctx context.Context, db querier, id string, n int64, by int) (r revision, err error) {
	query := `SELECT n, label, doc FROM revisions WHERE project = ? AND n <= ? ORDER BY n DESC`
	if by > 0 {
		query = `SELECT n, label, doc FROM revisions WHERE project = ? AND n >= ? ORDER BY n`
	}
	rows, err := db.QueryContext(ctx, query, id, n)
	if err != nil {
		return r, fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	var first error
	for rows.Next() {
		var packed []byte
		if err := rows.Scan(&r.n, &r.label, &packed); err != nil {
			return r, fmt.Errorf("store: %w", err)
		}
		p, err := unpack(packed)
		if err == nil {
			r.project = p
			return r, nil
		}
		if errors.Is(err, project.ErrLater) {
			return r, err
		}
		if first == nil {
			first = err
		}
		r.lost = append(r.lost, r.label)
	}
	if err := rows.Err(); err != nil {
		return r, fmt.Errorf("store: %w", err)
	}
	if first != nil {
		return r, fmt.Errorf("store: no state of the project can be read any more; the newest says: %w", first)
	}
	return r, ErrNotFound
}

// Edit makes the edits one revision on top of the current one, all of them or
// none; a revision that was undone before is gone then. The state it returns is
// on disk, and has been read from what was written.
func (s *Store) Edit(ctx context.Context, id string, edits []project.Edit) (*State, []project.Outcome, error) {
	var outcomes []project.Outcome
	st, err := s.change(ctx, id, func(old *State) (*State, []statement, error) {
		if len(edits) == 0 {
			return old, nil, nil
		}
		p, doc, done, err := old.Project.Revise(edits)
		if err != nil {
			return nil, nil, err
		}
		packed, err := pack(doc)
		if err != nil {
			return nil, nil, err
		}
		given, err := json.Marshal(p.Given)
		if err != nil {
			return nil, nil, fmt.Errorf("store: %w", err)
		}
		outcomes = done
		now, label, n := time.Now().UnixMilli(), done[0].Label, old.head+1
		if len(done) == 1 && done[0].Passing && old.Undo == label && old.at == old.head {
			// One step of undo for all of a run, of which the last counts.
			n = old.head
		}
		st := &State{ID: id, Version: old.Version + 1, Project: p, Undo: label, Binned: old.Binned, at: n, head: n}
		return st, []statement{
			{`UPDATE projects SET head = ?, version = version + 1, changed = ?, name = ?, given = ? WHERE id = ? AND version = ?`, []any{n, now, p.Name, string(given), id, old.Version}},
			{`DELETE FROM revisions WHERE project = ? AND n >= ?`, []any{id, n}},
			{`INSERT INTO revisions (project, n, label, made, doc) VALUES (?, ?, ?, ?, ?)`, []any{id, n, label, now, packed}},
		}, nil
	})
	return st, outcomes, err
}

// Move undoes (-1) or redoes (+1) one revision, those passed over that cannot be
// read. With nothing to undo or redo it returns ErrNotFound.
func (s *Store) Move(ctx context.Context, id string, by int64) (*State, error) {
	return s.change(ctx, id, func(old *State) (*State, []statement, error) {
		from := old.at - 1
		if by > 0 {
			from = old.head + 1
		}
		r, err := readable(ctx, s.reads, id, from, int(by))
		if err != nil {
			return nil, nil, err
		}
		r.project.Given.Join(old.Project.Given)
		st := &State{ID: id, Version: old.Version + 1, Project: r.project, Undo: r.label, Binned: old.Binned, at: r.n, head: r.n}
		err = s.reads.QueryRowContext(ctx, `SELECT label FROM revisions WHERE project = ? AND n = ?`, id, r.n+1).Scan(&st.Redo)
		if err != nil && !none(err) {
			return nil, nil, fmt.Errorf("store: %w", err)
		}
		return st, []statement{
			{`UPDATE projects SET head = ?, version = version + 1, changed = ?, name = ? WHERE id = ? AND version = ?`, []any{r.n, time.Now().UnixMilli(), r.project.Name, id, old.Version}},
		}, nil
	})
}

// statement is one of a transaction.
type statement struct {
	query string
	args  []any
}

// tries is how often a change is made anew on top of what another program wrote.
const tries = 5

// change makes a new state of a project out of the current one and writes it. The
// work is done in the project's own queue, from what is known already; others wait
// only while it is written. The first statement must hold on the old version.
func (s *Store) change(ctx context.Context, id string, make func(old *State) (*State, []statement, error)) (*State, error) {
	done, err := s.turns.Wait(ctx, id)
	if err != nil {
		return nil, say(err)
	}
	defer done()
	for range tries {
		old, err := s.Load(ctx, id)
		if err != nil {
			return nil, err
		}
		st, statements, err := make(old)
		if err != nil || len(statements) == 0 {
			return st, say(err)
		}
		stale := false
		err = s.write(ctx, func(tx *sql.Tx) error {
			for i, q := range statements {
				res, err := tx.ExecContext(ctx, q.query, q.args...)
				if err != nil {
					return err
				}
				if n, err := res.RowsAffected(); i == 0 && err == nil && n == 0 {
					stale = true
					return errStale
				}
			}
			return nil
		})
		if stale { // another program has written, or the project has gone
			continue
		}
		if err != nil {
			return nil, err
		}
		s.remember(st)
		return st, nil
	}
	return nil, ErrBusy
}

var errStale = errors.New("store: another state is there already")

// Bin puts a project into the bin or takes it out again.
func (s *Store) Bin(ctx context.Context, id string, in bool) error {
	var at any
	if in {
		at = time.Now().UnixMilli()
	}
	return s.one(ctx, `UPDATE projects SET binned = ? WHERE id = ?`, at, id)
}

// SetPicture keeps a project's picture, for the shelf and until it is drawn when it is opened, a PNG.
func (s *Store) SetPicture(ctx context.Context, id string, png []byte) error {
	return s.one(ctx, `UPDATE projects SET picture = ? WHERE id = ?`, png, id)
}

// Picture returns a project's picture, ErrNotFound where it has none.
func (s *Store) Picture(ctx context.Context, id string) ([]byte, error) {
	var png []byte
	err := s.reads.QueryRowContext(ctx, `SELECT picture FROM projects WHERE id = ?`, id).Scan(&png)
	if none(err) || err == nil && png == nil {
		return nil, ErrNotFound
	}
	return png, say(err)
}

// HasPicture tells whether a project has a picture.
func (s *Store) HasPicture(ctx context.Context, id string) (has bool, err error) {
	err = s.reads.QueryRowContext(ctx, `SELECT picture IS NOT NULL FROM projects WHERE id = ?`, id).Scan(&has)
	if none(err) {
		return false, ErrNotFound
	}
	return has, say(err)
}

// one writes with one statement, about one thing that is there.
func (s *Store) one(ctx context.Context, query string, args ...any) error {
	return s.write(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, query, args...)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err == nil && n == 0 {
			return ErrNotFound
		}
		return nil
	})
}

// write runs a transaction when it is the writer's turn.
func (s *Store) write(ctx context.Context, f func(tx *sql.Tx) error) error {
	done, err := s.turn.Wait(ctx)
	if err != nil {
		return say(err)
	}
	defer done()
	tx, err := s.writes.BeginTx(ctx, nil)
	if err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return say(err)
	}
	if err := tx.Commit(); err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	return nil
}

// pack makes a document as small as it is kept.
func pack(doc []byte) ([]byte, error) {
	var buf bytes.Buffer
	z, err := gzip.NewWriterLevel(&buf, gzip.BestSpeed)
	if err == nil {
		_, err = z.Write(doc)
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	return buf.Bytes(), nil
}

func unpack(packed []byte) (*project.Project, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	doc, err := io.ReadAll(io.LimitReader(z, project.MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	return project.Read(doc)
}
