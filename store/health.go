package store

import (
	"context"
	"fmt"
	"strings"
)

// tables are those whose rows are few and without which others cannot be found: they are looked through whenever a data
// folder is opened. The states of projects are checked as they are read, and all by Verify.
var tables = []string{"projects", "files", "library"}

// examine looks through the database as it is opened. Where an index alone is wrong it is made anew from its table; what
// cannot be mended so is told by Damage.
func (s *Store) examine(ctx context.Context) error {
	for _, table := range tables {
		wrong, err := s.check(ctx, table)
		if err != nil {
			return err
		}
		if wrong == "" {
			continue
		}
		rows, indexed, err := s.counts(ctx, table)
		if err != nil {
			return err
		}
		if rows >= indexed { // nothing is known of the index alone
			if _, err := s.writes.ExecContext(ctx, "REINDEX "+table); err == nil {
				again, err := s.check(ctx, table)
				if err != nil {
					return err
				}
				if again == "" {
					s.note(fmt.Sprintf("An index of the database (%s) was damaged, and has been mended. Check the disk.", table))
					continue
				}
				wrong = again
			}
		}
		s.note(fmt.Sprintf("The database is damaged (%s: %s): not all that was stored may be shown. See what can be read with mobanta verify, and bring back a copy with mobanta restore.", table, wrong))
	}
	return nil
}

// check returns what SQLite finds wrong with a table and its indices, "" for nothing.
func (s *Store) check(ctx context.Context, table string) (string, error) {
	lines, err := s.texts(ctx, fmt.Sprintf(`SELECT * FROM pragma_integrity_check(%q)`, table))
	if err != nil {
		return "", err
	}
	if len(lines) == 1 && lines[0] == "ok" {
		return "", nil
	}
	return strings.Join(lines[:min(3, len(lines))], "; "), nil
}

// counts returns how many rows a table has, and how many its index knows.
func (s *Store) counts(ctx context.Context, table string) (rows, indexed int, err error) {
	row := s.reads.QueryRowContext(ctx, fmt.Sprintf(`SELECT (SELECT count(*) FROM (SELECT rowid FROM %[1]s NOT INDEXED WHERE rowid IS NOT NULL)), (SELECT count(*) FROM %[1]s INDEXED BY sqlite_autoindex_%[1]s_1)`, table))
	if err := row.Scan(&rows, &indexed); err != nil {
		return 0, 0, fmt.Errorf("store: %w", err)
	}
	return rows, indexed, nil
}

func (s *Store) note(text string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, t := range s.damage {
		if t == text {
			return
		}
	}
	s.damage = append(s.damage, text)
}

// Damage returns what was found to be wrong with the database, in sentences; nothing where all is well, as far as has been
// looked.
func (s *Store) Damage() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]string(nil), s.damage...)
}
