package store

import (
	"context"
	"database/sql"
	"errors"
	"io/fs"
	"syscall"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"

	"mobanta/core/queue"
)

// Trouble is what keeps the data folder from being used, in words that say what to do. In all cases what was stored
// before stays, and what was to be stored is not there.
type Trouble struct{ words string }

func (t *Trouble) Error() string { return "store: " + t.words }

// The troubles that are told apart.
var (
	ErrFull     = &Trouble{"the disk is full: nothing was stored; free some space and try again"}
	ErrReadOnly = &Trouble{"the data folder cannot be written to: nothing was stored; check whose it is and whether its disk is mounted for writing"}
	ErrFiles    = &Trouble{"the system lets this program open no more files: nothing was stored; close something, or raise the limit (ulimit -n)"}
	ErrOpen     = &Trouble{"the database cannot be opened: check whose the data folder is, and how many files the system lets this program open (ulimit -n)"}
	ErrBusy     = &Trouble{"another program holds the database: nothing was stored; end it, or try again in a moment"}
	ErrSlow     = &Trouble{"others were writing for too long: nothing was stored; try again in a moment"}
	ErrDisk     = &Trouble{"the disk does not read or write as it should: nothing was stored; check the disk, and the data with mobanta verify"}
	ErrDamaged  = &Trouble{"the database is damaged: see what can be read with mobanta verify, and bring back a copy with mobanta restore"}
)

// say puts what kept an operation from being done into words; what is no trouble of
// the folder stays as it is.
func say(err error) error {
	var t *Trouble
	if err == nil || errors.As(err, &t) || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) || errors.Is(err, ErrNotFound) {
		return err
	}
	if t = trouble(err); t != nil {
		return &troubled{t, err}
	}
	return err
}

// troubled is a trouble with its cause, which is for the log.
type troubled struct {
	*Trouble
	cause error
}

func (t *troubled) Unwrap() []error { return []error{t.Trouble, t.cause} }

// Cause returns what the system said of a trouble, err itself for anything else.
func Cause(err error) error {
	var t *troubled
	if errors.As(err, &t) {
		return t.cause
	}
	return err
}

func trouble(err error) *Trouble {
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return ErrFull
	case errors.Is(err, syscall.EROFS), errors.Is(err, fs.ErrPermission):
		return ErrReadOnly
	case errors.Is(err, syscall.EMFILE), errors.Is(err, syscall.ENFILE):
		return ErrFiles
	case errors.Is(err, syscall.EIO):
		return ErrDisk
	case errors.Is(err, queue.ErrLong):
		return ErrSlow
	}
	var e *sqlite.Error
	if !errors.As(err, &e) {
		return nil
	}
	switch e.Code() & 0xff {
	case lib.SQLITE_FULL:
		return ErrFull
	case lib.SQLITE_READONLY, lib.SQLITE_PERM, lib.SQLITE_AUTH:
		return ErrReadOnly
	case lib.SQLITE_CANTOPEN:
		return ErrOpen
	case lib.SQLITE_BUSY, lib.SQLITE_LOCKED:
		return ErrBusy
	case lib.SQLITE_IOERR:
		return ErrDisk
	case lib.SQLITE_CORRUPT, lib.SQLITE_NOTADB:
		return ErrDamaged
	}
	return nil
}

// none tells whether a query found no row.
func none(err error) bool { return errors.Is(err, sql.ErrNoRows) }
