package store

import (
	"bytes"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/project"
)

// mounted returns a small file system of its own.
func mounted(t *testing.T, options string) string {
	t.Helper()
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, options); err != nil {
		t.Skip("no file system can be mounted here: ", err)
	}
	t.Cleanup(func() { assert.NoError(t, syscall.Unmount(dir, syscall.MNT_DETACH)) })
	return dir
}

func TestAFullDiskIsSaidAndLosesNothing(t *testing.T) {
	dir := mounted(t, "size=2m")
	s, err := Open(dir)
	require.NoError(t, err)
	id, err := s.Create(ctx, project.New("kept"))
	require.NoError(t, err)
	st, _, err := s.Edit(ctx, id, rename("also kept"))
	require.NoError(t, err)
	ballast := filepath.Join(dir, "ballast")
	full := os.WriteFile(ballast, bytes.Repeat([]byte("x"), 4<<20), 0o600)
	require.ErrorIs(t, full, syscall.ENOSPC)
	_, err = s.PutFile(ctx, exchange.File{Name: "m.obj", Data: bytes.Repeat([]byte("v"), 64<<10)})
	assert.ErrorIs(t, err, ErrFull)
	refused := error(nil)
	for i := 0; i < 2000 && refused == nil; i++ { // the log of the database has some room yet
		var now *State
		if now, _, refused = s.Edit(ctx, id, rename(fmt.Sprint(i))); refused == nil {
			st = now
		}
	}
	assert.ErrorIs(t, refused, ErrFull)
	assert.NotContains(t, refused.Error(), dir)
	require.NoError(t, os.Remove(ballast))
	got, err := s.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, st.Project.Name, got.Project.Name, "what was acknowledged is there")
	_, _, err = s.Edit(ctx, id, rename("again"))
	assert.NoError(t, err, "once there is room it goes on")
	require.NoError(t, s.Close())
	s = opened(t, dir)
	got, err = s.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "again", got.Project.Name)
}

func TestAReadOnlyFolderIsSaid(t *testing.T) {
	dir := mounted(t, "size=8m")
	s, err := Open(dir)
	require.NoError(t, err)
	id, err := s.Create(ctx, project.New("kept"))
	require.NoError(t, err)
	require.NoError(t, s.Close())
	require.NoError(t, syscall.Mount("", dir, "tmpfs", syscall.MS_REMOUNT|syscall.MS_RDONLY, ""))
	_, err = Take(dir)
	assert.ErrorIs(t, err, ErrReadOnly)
	s, err = Open(dir)
	if err == nil {
		_, _, err = s.Edit(ctx, id, rename("lost"))
		s.Close()
	}
	var trouble *Trouble
	require.ErrorAs(t, err, &trouble)
	assert.Contains(t, []*Trouble{ErrReadOnly, ErrOpen}, trouble)
	require.NoError(t, syscall.Mount("", dir, "tmpfs", syscall.MS_REMOUNT, "size=8m"))
	got, err := opened(t, dir).Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "kept", got.Project.Name)
}

func TestTooManyOpenFilesAreSaid(t *testing.T) {
	s := opened(t, t.TempDir())
	var was syscall.Rlimit
	require.NoError(t, syscall.Getrlimit(syscall.RLIMIT_NOFILE, &was))
	few := was
	few.Cur = 3 // those that are open stay so
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_NOFILE, &few))
	_, err := s.PutFile(ctx, exchange.File{Name: "m.obj", Data: []byte("v")})
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_NOFILE, &was))
	assert.ErrorIs(t, err, ErrFiles)
	_, err = s.PutFile(ctx, exchange.File{Name: "m.obj", Data: []byte("v")})
	assert.NoError(t, err)
}

func TestADatabaseThatAnotherProgramHolds(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	other, err := sql.Open("sqlite", filepath.Join(dir, databaseName))
	require.NoError(t, err)
	defer other.Close()
	other.SetMaxOpenConns(1)
	_, err = other.Exec(`BEGIN IMMEDIATE`)
	require.NoError(t, err)
	_, _, err = s.Edit(ctx, id, rename("b"))
	assert.ErrorIs(t, err, ErrBusy)
	_, err = other.Exec(`ROLLBACK`)
	require.NoError(t, err)
	st, _, err := s.Edit(ctx, id, rename("b"))
	require.NoError(t, err)
	assert.EqualValues(t, 2, st.Version)
}

// TestHolder is the other process of TestOneStudioAtATime.
func TestHolder(t *testing.T) {
	dir := os.Getenv("MOBANTA_TEST_HOLD")
	if dir == "" {
		return
	}
	h, err := Take(dir)
	require.NoError(t, err)
	require.NoError(t, h.Say("process 77 at http://127.0.0.1:7420"))
	fmt.Println("held")
	time.Sleep(time.Minute)
}

func TestOneStudioAtATime(t *testing.T) {
	dir := t.TempDir()
	cmd := exec.Command(os.Args[0], "-test.run=^TestHolder$")
	cmd.Env = append(os.Environ(), "MOBANTA_TEST_HOLD="+dir)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	_, err = out.Read(make([]byte, 4))
	require.NoError(t, err)
	_, err = Take(dir)
	assert.ErrorIs(t, err, ErrHeld)
	assert.ErrorContains(t, err, "process 77 at http://127.0.0.1:7420")
	require.NoError(t, cmd.Process.Kill())
	cmd.Wait()
	h, err := Take(dir)
	require.NoError(t, err, "the hold went with its process")
	require.NoError(t, h.Release())
}

func TestWhatKillsLeaveBehindIsSwept(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	hash, err := s.PutFile(ctx, exchange.File{Name: "m.obj", Data: []byte("v")})
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Join(TempDir(dir), "backup-1"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(TempDir(dir), "backup-1", "x"), nil, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "files", "new-123"), []byte("half"), 0o600))
	n, err := Sweep(dir)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	left, err := os.ReadDir(filepath.Join(dir, "files"))
	require.NoError(t, err)
	require.Len(t, left, 1)
	assert.Equal(t, hash, left[0].Name())
	n, err = Sweep(dir)
	require.NoError(t, err)
	assert.Zero(t, n)
}

func TestADatabaseThatIsMissingBesideItsFiles(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	_, err := s.PutFile(ctx, exchange.File{Name: "m.obj", Data: []byte("v")})
	require.NoError(t, err)
	require.NoError(t, s.Close())
	for _, spoil := range []func() error{
		func() error { return os.Truncate(filepath.Join(dir, databaseName), 0) },
		func() error { return os.Remove(filepath.Join(dir, databaseName)) },
	} {
		require.NoError(t, spoil())
		_, err = Open(dir)
		assert.ErrorContains(t, err, "1 files of projects are there")
	}
	_, err = os.Stat(filepath.Join(dir, databaseName))
	assert.ErrorIs(t, err, os.ErrNotExist, "no empty one was put there")
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "files")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, databaseName+"-wal"), []byte("log"), 0o600))
	_, err = Open(dir)
	assert.ErrorContains(t, err, "what was last written to it")
}

func TestALaterVersionIsLeftAlone(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	later := func(doc string) []byte {
		packed, err := pack([]byte(doc))
		require.NoError(t, err)
		return packed
	}
	p := project.New("a")
	doc, err := p.Document()
	require.NoError(t, err)
	for name, text := range map[string]string{
		"version":        strings.Replace(string(doc), `"version":1`, `"version":2`, 1),
		"unknown member": strings.Replace(string(doc), `"version":1`, `"version":1,"shelves":[]`, 1),
		"deeper member":  strings.Replace(string(doc), `"id":"n1"`, `"id":"n1","tilt":3`, 1),
	} {
		_, err = s.writes.Exec(`UPDATE revisions SET doc = ? WHERE project = ?`, later(text), id)
		require.NoError(t, err)
		s.last = map[string]*State{}
		_, err = s.Load(ctx, id)
		assert.ErrorIs(t, err, project.ErrLater, name)
		_, _, err = s.Edit(ctx, id, rename("b"))
		assert.ErrorIs(t, err, project.ErrLater, name)
		var kept []byte
		require.NoError(t, s.reads.QueryRow(`SELECT doc FROM revisions WHERE project = ?`, id).Scan(&kept))
		assert.Equal(t, later(text), kept)
	}
	_, err = s.writes.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)`)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	_, err = Open(dir)
	assert.ErrorIs(t, err, ErrLater)
	assert.ErrorContains(t, err, "version 99")
}

func TestAStateThatCannotBeReadLeavesTheOneBefore(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	id, err := s.Create(ctx, project.New("zero"))
	require.NoError(t, err)
	for _, name := range []string{"one", "two", "three"} {
		_, _, err = s.Edit(ctx, id, rename(name))
		require.NoError(t, err)
	}
	_, err = s.writes.Exec(`UPDATE revisions SET doc = x'00ff' WHERE project = ? AND n IN (1, 3)`, id)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	s = opened(t, dir)
	st, err := s.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "two", st.Project.Name)
	assert.Equal(t, []string{"renamed the project"}, st.Lost)

	st, err = s.Move(ctx, id, -1)
	require.NoError(t, err)
	assert.Equal(t, "zero", st.Project.Name, "undo passes over what cannot be read")
	assert.Empty(t, st.Lost)
	st, err = s.Move(ctx, id, 1)
	require.NoError(t, err)
	assert.Equal(t, "two", st.Project.Name)
	_, err = s.Move(ctx, id, 1)
	assert.Error(t, err)

	_, err = s.writes.Exec(`UPDATE projects SET head = 3, version = version + 1 WHERE id = ?`, id)
	require.NoError(t, err)
	st, _, err = s.Edit(ctx, id, rename("four"))
	require.NoError(t, err, "work goes on from what can be read")
	assert.Empty(t, st.Lost)
	var n int
	require.NoError(t, s.reads.QueryRow(`SELECT count(*) FROM revisions WHERE project = ?`, id).Scan(&n))
	assert.Equal(t, 5, n, "and nothing is thrown away")
	st, err = s.Move(ctx, id, -1)
	require.NoError(t, err)
	assert.Equal(t, "two", st.Project.Name)

	_, err = s.writes.Exec(`UPDATE revisions SET doc = x'00ff' WHERE project = ?`, id)
	require.NoError(t, err)
	s.last = map[string]*State{}
	_, err = s.Load(ctx, id)
	assert.ErrorContains(t, err, "no state of the project can be read")
}

func TestBackupRestoreAndVerify(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	p := project.New("a")
	hash, err := s.PutFile(ctx, exchange.File{Name: "m.obj", Data: []byte("v 0 0 0\n")})
	require.NoError(t, err)
	_, err = p.Apply(&project.Edit{Op: "model.add", Value: hash, Parts: []string{"x"}})
	require.NoError(t, err)
	id, err := s.Create(ctx, p)
	require.NoError(t, err)
	_, _, err = s.Edit(ctx, id, rename("b"))
	require.NoError(t, err)
	_, err = s.Move(ctx, id, -1)
	require.NoError(t, err)
	verify := func(s *Store) (Verified, []string) {
		var found []string
		v, err := s.Verify(ctx, func(text string) { found = append(found, text) })
		require.NoError(t, err)
		return v, found
	}
	v, found := verify(s)
	assert.Empty(t, found)
	assert.Equal(t, Verified{1, 2, 1}, v)

	backup := filepath.Join(t.TempDir(), "b.zip")
	write := func() {
		f, err := os.Create(backup)
		require.NoError(t, err)
		require.NoError(t, s.Backup(ctx, f, func(text string) { t.Error(text) }))
		require.NoError(t, f.Close())
	}
	write()
	_, _, err = s.Edit(ctx, id, rename("after the backup"))
	require.NoError(t, err)
	left, err := os.ReadDir(TempDir(dir))
	require.NoError(t, err)
	assert.Empty(t, left)

	into := filepath.Join(t.TempDir(), "new")
	none := func(text string) { t.Error(text) }
	require.NoError(t, Restore(ctx, backup, into, none))
	again := opened(t, into)
	st, err := again.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "a", st.Project.Name)
	st, err = again.Move(ctx, id, 1)
	require.NoError(t, err)
	assert.Equal(t, "b", st.Project.Name, "undo and redo came along")
	f, err := again.File(ctx, hash)
	require.NoError(t, err)
	assert.Equal(t, "v 0 0 0\n", string(f.Data))
	_, found = verify(again)
	assert.Empty(t, found)
	assert.ErrorContains(t, Restore(ctx, backup, into, none), "not empty")

	data, err := os.ReadFile(backup)
	require.NoError(t, err)
	at := bytes.Index(data, []byte("SQLite format"))
	if at < 0 { // packed
		at = len(data) / 2
	}
	data[at+40] ^= 1
	broken := filepath.Join(t.TempDir(), "broken.zip")
	require.NoError(t, os.WriteFile(broken, data, 0o600))
	other := t.TempDir()
	assert.Error(t, Restore(ctx, broken, other, none))
	_, err = os.Stat(filepath.Join(other, databaseName))
	assert.True(t, errors.Is(err, os.ErrNotExist), "all or nothing")
	require.NoError(t, os.WriteFile(broken, []byte("no backup"), 0o600))
	assert.ErrorContains(t, Restore(ctx, broken, other, none), "not a backup")

	require.NoError(t, os.WriteFile(filepath.Join(dir, "files", hash), []byte("v 9 9 9\n"), 0o600))
	_, err = s.writes.Exec(`UPDATE revisions SET doc = x'00ff' WHERE n = 0`)
	require.NoError(t, err)
	_, found = verify(s)
	require.Len(t, found, 3)
	assert.Contains(t, found[0], "is damaged")
	assert.Contains(t, found[1], "state 0")
	require.NoError(t, os.Remove(filepath.Join(dir, "files", hash)))
	_, found = verify(s)
	assert.Contains(t, strings.Join(found, "\n"), "shows the file")
}

// Eight writers at one project and at their own: none is refused, and no change is
// lost.
func TestWritersTakeTurns(t *testing.T) {
	s := opened(t, t.TempDir())
	common, err := s.Create(ctx, project.New("common"))
	require.NoError(t, err)
	const writers, edits = 8, 40
	var wg sync.WaitGroup
	for w := range writers {
		own, err := s.Create(ctx, project.New(fmt.Sprint(w)))
		require.NoError(t, err)
		wg.Go(func() {
			for range edits {
				_, _, err := s.Edit(ctx, common, []project.Edit{{Op: "swatch.add", Name: fmt.Sprint(w)}})
				assert.NoError(t, err)
				_, _, err = s.Edit(ctx, own, rename("x"))
				assert.NoError(t, err)
			}
		})
	}
	wg.Wait()
	st, err := s.Load(ctx, common)
	require.NoError(t, err)
	assert.EqualValues(t, 1+writers*edits, st.Version)
	assert.Len(t, st.Project.Swatches, writers*edits)
	seen := map[string]bool{}
	for _, w := range st.Project.Swatches {
		assert.False(t, seen[w.ID])
		seen[w.ID] = true
	}
}

func TestIDsAreNeverGivenTwice(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	makes := []project.Edit{
		{Op: "node.add", Look: "look1", Kind: "ramp"},
		{Op: "section.gather", Look: "look1", Nodes: []string{"n1"}},
		{Op: "dial.add", Look: "look1", Node: "n2", Key: "tone"},
		{Op: "group.make", Look: "look1", Nodes: []string{"n2"}},
		{Op: "look.add"}, {Op: "look.duplicate", Look: "look1"},
		{Op: "model.add", Kind: "sphere"}, {Op: "light.add"}, {Op: "swatch.add"},
		{Op: "bands.make", Look: "look1", Node: "n2"},
	}
	given := map[string]string{}
	for round := range 3 {
		for _, e := range makes {
			_, outcomes, err := s.Edit(ctx, id, []project.Edit{e})
			require.NoError(t, err, e.Op)
			made := outcomes[0].Created
			require.NotEmpty(t, made, e.Op)
			key := e.Op[:4] + made
			assert.Empty(t, given[key], "%s gave %s in round %d, and before by %s", e.Op, made, round, given[key])
			given[key] = e.Op
			_, err = s.Move(ctx, id, -1)
			require.NoError(t, err)
		}
		require.NoError(t, s.Close()) // nor after a restart
		s = opened(t, dir)
	}
}

func TestIDsOfAProjectFromBeforeTheyWereRemembered(t *testing.T) {
	s := opened(t, t.TempDir())
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	add := []project.Edit{{Op: "node.add", Look: "look1", Kind: "ramp"}}
	_, out, err := s.Edit(ctx, id, add)
	require.NoError(t, err)
	require.Equal(t, "n5", out[0].Created)
	_, err = s.Move(ctx, id, -1)
	require.NoError(t, err)
	_, err = s.writes.Exec(`UPDATE projects SET given = NULL`)
	require.NoError(t, err)
	clear(s.last)
	_, out, err = s.Edit(ctx, id, add)
	require.NoError(t, err)
	assert.Equal(t, "n6", out[0].Created, "what was undone is in the history")
}

// What is accepted opens again, in any script: names are counted in letters, once.
func TestNamesInAnyScriptSurviveARestart(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	id := ""
	for _, name := range []string{strings.Repeat("Ж", 51), strings.Repeat("灯", 34), strings.Repeat("灯", 200), strings.Repeat("Ж", 200)} {
		var err error
		id, err = s.Create(ctx, project.New("a"))
		require.NoError(t, err)
		for _, e := range []project.Edit{{Op: "section.gather", Look: "look1", Nodes: []string{"n1"}}, {Op: "node.rename", Look: "look1", Node: "n2"}, {Op: "project.rename"}, {Op: "look.rename", Look: "look1"},
			{Op: "dial.add", Look: "look1", Node: "n2", Key: "mixing"}, {Op: "swatch.add"}, {Op: "bands.make", Look: "look1", Node: "n2"}, {Op: "light.set", ID: "sun", Key: "name"},
			{Op: "group.make", Look: "look1", Nodes: []string{"n3"}}, {Op: "ramp.stop", Look: "look1", Node: "n2", Value: map[string]any{"name": name}}} {
			e.Name = name
			st, _, err := s.Edit(ctx, id, []project.Edit{e})
			require.NoError(t, err, e.Op)
			clear(s.last)
			again, err := s.Load(ctx, id)
			require.NoError(t, err, e.Op)
			assert.Equal(t, st.Project, again.Project)
		}
	}
	for name, want := range map[string]string{strings.Repeat("灯", 201): "longer than 200 letters", strings.Repeat("x", 4<<20): "longer than 200 letters", "\u200b": "empty"} {
		_, _, err := s.Edit(ctx, id, rename(name))
		assert.ErrorContains(t, err, want)
	}
	st, _, err := s.Edit(ctx, id, rename("\u202eHar\x00bour\xff "))
	require.NoError(t, err)
	assert.Equal(t, "Harbour�", st.Project.Name)
}
