package store

import (
	"archive/zip"
	"compress/flate"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"modernc.org/sqlite"
)

// backupVersion is the version of the backups that this program writes and reads.
const backupVersion = 1

// contents is the first entry of a backup, backup.json.
type contents struct {
	Mobanta  string    `json:"mobanta"` // always "backup"
	Version  int       `json:"version"`
	Made     time.Time `json:"made"`
	Database string    `json:"database"`          // SHA-256 of mobanta.db
	Files    []string  `json:"files"`             // hashes
	Lacking  []string  `json:"lacking,omitempty"` // hashes of files that the database names and that were damaged or missing
}

// Backup writes all that the store holds as a ZIP: backup.json, mobanta.db and
// files/HASH. Work may go on meanwhile: the database is copied as it is at one moment
// (SQLite's online backup), and files are never changed once they are there. What is damaged or missing is left out, and
// found is called with it, in words.
func (s *Store) Backup(ctx context.Context, w io.Writer, found func(string)) error {
	if err := os.MkdirAll(TempDir(s.dir), 0o700); err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	tmp, err := os.MkdirTemp(TempDir(s.dir), "backup-*")
	if err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	defer os.RemoveAll(tmp)
	copied := filepath.Join(tmp, databaseName)
	if err := s.snapshot(ctx, copied); err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	sum, err := hashOf(copied)
	if err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	all, err := named(ctx, copied)
	if err != nil {
		return say(err)
	}
	files, lacking := []string{}, []string(nil)
	for _, h := range all {
		if err := ctx.Err(); err != nil {
			return err
		}
		if wrong := s.wrongWith(h); wrong != "" {
			found(wrong)
			lacking = append(lacking, h)
			continue
		}
		files = append(files, h)
	}
	head, err := json.MarshalIndent(contents{"backup", backupVersion, time.Now().UTC().Truncate(time.Second), sum, files, lacking}, "", "  ")
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	z := zip.NewWriter(w)
	e, err := z.Create("backup.json")
	if err == nil {
		_, err = e.Write(head)
	}
	if err == nil {
		err = put(ctx, z, databaseName, copied)
	}
	for _, h := range files {
		if err == nil {
			err = put(ctx, z, "files/"+h, filepath.Join(s.dir, "files", h))
		}
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	return nil
}

// snapshot copies the database to a new file.
func (s *Store) snapshot(ctx context.Context, path string) error {
	to, err := address(path, "")
	if err != nil {
		return err
	}
	conn, err := s.reads.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(driver any) error {
		from, ok := driver.(interface {
			NewBackup(to string) (*sqlite.Backup, error)
		})
		if !ok {
			return errors.New("the database driver makes no copies")
		}
		b, err := from.NewBackup(to)
		if err != nil {
			return err
		}
		for more := true; more && err == nil; {
			if err = ctx.Err(); err == nil {
				more, err = b.Step(512)
			}
		}
		return errors.Join(err, b.Finish())
	})
}

// named returns the hashes of the files that a database names, sorted.
func named(ctx context.Context, path string) ([]string, error) {
	db, err := connect(path, "&mode=ro", 1)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	rows, err := db.QueryContext(ctx, `SELECT hash FROM files`)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	defer rows.Close()
	out := []string{}
	for rows.Next() {
		var h string
		if err := rows.Scan(&h); err != nil {
			return nil, fmt.Errorf("store: %w", err)
		}
		if hashPattern.MatchString(h) {
			out = append(out, h)
		}
	}
	sort.Strings(out)
	return out, rows.Err()
}

func put(ctx context.Context, z *zip.Writer, name, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := z.Create(name)
	if err == nil {
		_, err = io.Copy(w, heeding{ctx, f})
	}
	return err
}

// heeding reads until a context ends.
type heeding struct {
	ctx context.Context
	io.Reader
}

func (h heeding) Read(p []byte) (int, error) {
	if err := h.ctx.Err(); err != nil {
		return 0, err
	}
	return h.Reader.Read(p)
}

func hashOf(path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// Restore makes a data folder of a backup. The folder must be new or empty: nothing
// is ever written over. The database is there in full, and checked, or nothing is; files that are damaged in the backup are
// left out, and found is called with each, in words, as with those that were lacking when it was made.
func Restore(ctx context.Context, backup, dir string, found func(string)) error {
	entries, err := os.ReadDir(dir)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return say(fmt.Errorf("store: %w", err))
	}
	for _, e := range entries {
		if e.Name() != lockName && e.Name() != filepath.Base(TempDir(dir)) {
			return fmt.Errorf("store: %s is not empty: name a new folder to restore into; nothing was changed", dir)
		}
	}
	z, err := zip.OpenReader(backup)
	if err != nil {
		return fmt.Errorf("store: this is not a backup: %w", err)
	}
	defer z.Close()
	var c contents
	head, err := z.Open("backup.json")
	if err == nil {
		err = json.NewDecoder(io.LimitReader(head, 256<<20)).Decode(&c)
		head.Close()
	}
	if err != nil || c.Mobanta != "backup" {
		return errors.New("store: this is not a backup: it has no list of contents")
	}
	if c.Version != backupVersion {
		return fmt.Errorf("store: the backup is of version %d; this program reads version %d", c.Version, backupVersion)
	}
	if err := os.MkdirAll(TempDir(dir), 0o700); err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	tmp, err := os.MkdirTemp(TempDir(dir), "restore-*")
	if err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	defer os.RemoveAll(tmp)
	if err := os.Mkdir(filepath.Join(tmp, "files"), 0o700); err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	if err := unzip(ctx, &z.Reader, databaseName, filepath.Join(tmp, databaseName), c.Database); err != nil {
		return err
	}
	for _, h := range c.Files {
		if !hashPattern.MatchString(h) {
			return fmt.Errorf("store: the backup names the file %.40q, which is none", h)
		}
		err := unzip(ctx, &z.Reader, "files/"+h, filepath.Join(tmp, "files", h), h)
		var bad *badEntry
		if errors.As(err, &bad) {
			found(spoken(bad.Error()) + " It is left out.")
			err = os.Remove(filepath.Join(tmp, "files", h))
			if errors.Is(err, os.ErrNotExist) {
				err = nil
			}
		}
		if err != nil {
			return say(err)
		}
	}
	for _, h := range c.Lacking {
		found(fmt.Sprintf("The file %.64s was damaged or missing when the backup was made.", h))
	}
	for _, name := range []string{"files", databaseName} { // the database last: with it the folder is whole
		if err := os.Rename(filepath.Join(tmp, name), filepath.Join(dir, name)); err != nil {
			return say(fmt.Errorf("store: %w", err))
		}
	}
	return nil
}

// badEntry is that an entry of a backup cannot be had.
type badEntry struct{ words string }

func (e *badEntry) Error() string { return "store: " + e.words }

// spoken makes a sentence of an error of this package.
func spoken(s string) string {
	s = strings.TrimPrefix(s, "store: ")
	return strings.ToUpper(s[:1]) + s[1:] + "."
}

// unzip writes an entry to a file, if its bytes have that hash; a *badEntry says that they have not.
func unzip(ctx context.Context, z *zip.Reader, name, path, hash string) error {
	from, err := z.Open(name)
	if err != nil {
		return &badEntry{"the backup lacks " + name}
	}
	defer from.Close()
	to, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return say(fmt.Errorf("store: %w", err))
	}
	h := sha256.New()
	_, err = io.Copy(io.MultiWriter(to, h), heeding{ctx, from})
	var packed flate.CorruptInputError
	if errors.Is(err, zip.ErrChecksum) || errors.Is(err, zip.ErrFormat) || errors.Is(err, zip.ErrAlgorithm) || errors.Is(err, io.ErrUnexpectedEOF) || errors.As(err, &packed) {
		to.Close()
		return &badEntry{name + " in the backup is damaged"}
	}
	if err == nil {
		err = to.Sync()
	}
	if e := to.Close(); err == nil {
		err = e
	}
	if err == nil && hex.EncodeToString(h.Sum(nil)) != hash {
		return &badEntry{name + " in the backup is damaged: its bytes are not those that were saved"}
	}
	if err != nil {
		return say(fmt.Errorf("store: %s in the backup: %w", name, err))
	}
	return nil
}
