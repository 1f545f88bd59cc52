package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sort"

	"mobanta/core/project"
)

// Verified is what Verify has looked at.
type Verified struct{ Projects, Revisions, Files int }

// Verify looks through all that the store holds: the database by SQLite's own checks,
// every revision by reading it, every file by its hash, and whether the files are
// there that projects show. It calls found with each thing that is not as it should
// be, in words; it changes nothing.
func (s *Store) Verify(ctx context.Context, found func(string)) (v Verified, err error) {
	if err := s.checkDatabase(ctx, found); err != nil {
		return v, say(err)
	}
	names, err := s.texts(ctx, `SELECT hash FROM files ORDER BY hash`)
	if err != nil {
		return v, say(err)
	}
	there := map[string]bool{}
	for _, h := range names {
		if err := ctx.Err(); err != nil {
			return v, err
		}
		v.Files++
		wrong := s.wrongWith(h)
		if there[h] = wrong == ""; !there[h] {
			found(wrong)
		}
	}
	ids, err := s.texts(ctx, `SELECT id FROM projects ORDER BY id`)
	if err != nil {
		return v, say(err)
	}
	for _, id := range ids {
		v.Projects++
		n, err := s.verifyProject(ctx, id, there, found)
		v.Revisions += n
		if err != nil {
			return v, say(err)
		}
	}
	return v, nil
}

// wrongWith returns in a sentence what is wrong with a stored file, "" for nothing.
func (s *Store) wrongWith(hash string) string {
	switch sum, err := hashOf(filepath.Join(s.dir, "files", hash)); {
	case errors.Is(err, os.ErrNotExist):
		return fmt.Sprintf("The file %s is missing.", hash)
	case err != nil:
		return fmt.Sprintf("The file %s cannot be read.", hash)
	case sum != hash:
		return fmt.Sprintf("The file %s is damaged: its bytes are not those that were stored.", hash)
	}
	return ""
}

func (s *Store) checkDatabase(ctx context.Context, found func(string)) error {
	lines, err := s.texts(ctx, `SELECT * FROM pragma_integrity_check`)
	if err != nil {
		return err
	}
	for _, line := range lines {
		if line != "ok" {
			found("The database is damaged: " + line + ".")
		}
	}
	loose, err := s.texts(ctx, `SELECT DISTINCT "table" FROM pragma_foreign_key_check`)
	for _, table := range loose {
		found("The database is damaged: rows of " + table + " belong to nothing.")
	}
	return err
}

// verifyProject reads every revision of a project.
func (s *Store) verifyProject(ctx context.Context, id string, there map[string]bool, found func(string)) (int, error) {
	var name string
	var head int64
	if err := s.reads.QueryRowContext(ctx, `SELECT name, head FROM projects WHERE id = ?`, id).Scan(&name, &head); err != nil {
		return 0, fmt.Errorf("store: %w", err)
	}
	rows, err := s.reads.QueryContext(ctx, `SELECT n, label, doc FROM revisions WHERE project = ? ORDER BY n`, id)
	if err != nil {
		return 0, fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	count, shown := 0, false
	missing := map[string]bool{}
	for rows.Next() {
		var n int64
		var label string
		var packed []byte
		if err := rows.Scan(&n, &label, &packed); err != nil {
			return count, fmt.Errorf("store: %w", err)
		}
		count++
		shown = shown || n == head
		p, err := unpack(packed)
		if err != nil {
			found(fmt.Sprintf("Project %q (%s): its state %d (%s) cannot be read: %v.", name, id, n, label, err))
			continue
		}
		for _, h := range files(p) {
			if ok, known := there[h]; !(known && ok) {
				missing[h] = true
			}
		}
	}
	if !shown {
		found(fmt.Sprintf("Project %q (%s): its state %d, which it shows, is missing.", name, id, head))
	}
	var list []string
	for h := range missing {
		list = append(list, h)
	}
	sort.Strings(list)
	for _, h := range list {
		found(fmt.Sprintf("Project %q (%s) shows the file %s, which is missing or damaged.", name, id, h))
	}
	return count, rows.Err()
}

// files returns the hashes of the files that a project shows.
func files(p *project.Project) []string {
	out := p.Pictures()
	for i := range p.Stage.Models {
		if h := p.Stage.Models[i].File; h != "" {
			out = append(out, h)
		}
	}
	return out
}

// texts returns the rows of a query for one text each.
func (s *Store) texts(ctx context.Context, query string) ([]string, error) {
	rows, err := s.reads.QueryContext(ctx, query)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var t string
		if err := rows.Scan(&t); err != nil {
			return nil, fmt.Errorf("store: %w", err)
		}
		out = append(out, t)
	}
	if err := rows.Err(); err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	return out, nil
}
