package store

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/project"
)

var ctx = context.Background()

func opened(t *testing.T, dir string) *Store {
	t.Helper()
	s, err := Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func rename(name string) []project.Edit {
	return []project.Edit{{Op: "project.rename", Name: name}}
}

func TestUndoAndRedoSurviveARestart(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	id, err := s.Create(ctx, project.New("zero"))
	require.NoError(t, err)
	for i := 1; i <= 3; i++ {
		st, _, err := s.Edit(ctx, id, rename(fmt.Sprint(i)))
		require.NoError(t, err)
		assert.EqualValues(t, i+1, st.Version)
	}
	require.NoError(t, s.Close())

	s = opened(t, dir)
	st, err := s.Move(ctx, id, -1)
	require.NoError(t, err)
	assert.Equal(t, "2", st.Project.Name)
	assert.Equal(t, "renamed the project", st.Undo)
	assert.Equal(t, "renamed the project", st.Redo)
	require.NoError(t, s.Close())

	s = opened(t, dir)
	st, err = s.Move(ctx, id, 1)
	require.NoError(t, err)
	assert.Equal(t, "3", st.Project.Name)
	_, err = s.Move(ctx, id, 1)
	assert.ErrorIs(t, err, ErrNotFound, "nothing to redo")
	for range 3 {
		st, err = s.Move(ctx, id, -1)
		require.NoError(t, err)
	}
	assert.Equal(t, "zero", st.Project.Name)
	assert.Empty(t, st.Undo)
	_, err = s.Move(ctx, id, -1)
	assert.ErrorIs(t, err, ErrNotFound, "nothing to undo")

	st, _, err = s.Edit(ctx, id, rename("other"))
	require.NoError(t, err)
	assert.Empty(t, st.Redo, "an edit after undo ends what could be redone")
	list, err := s.Projects(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, "other", list[0].Name)
}

func TestEditsAreAllOrNone(t *testing.T) {
	s := opened(t, t.TempDir())
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	_, _, err = s.Edit(ctx, id, append(rename("b"), project.Edit{Op: "node.remove", Look: "look1", Node: "n99"}))
	require.Error(t, err)
	st, err := s.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "a", st.Project.Name)
	assert.EqualValues(t, 1, st.Version)
	_, _, err = s.Edit(ctx, "nothing", rename("b"))
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestBin(t *testing.T) {
	s := opened(t, t.TempDir())
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	require.NoError(t, s.Bin(ctx, id, true))
	live, _ := s.Projects(ctx, false)
	binned, _ := s.Projects(ctx, true)
	assert.Empty(t, live)
	assert.Len(t, binned, 1)
	require.NoError(t, s.Bin(ctx, id, false))
	live, _ = s.Projects(ctx, false)
	assert.Len(t, live, 1)
	assert.ErrorIs(t, s.Bin(ctx, "x", true), ErrNotFound)
}

func TestFilesAreKeptByContent(t *testing.T) {
	dir := t.TempDir()
	s := opened(t, dir)
	a, err := s.PutFile(ctx, exchange.File{Name: "kettle.obj", Data: []byte("v 0 0 0\n")})
	require.NoError(t, err)
	b, err := s.PutFile(ctx, exchange.File{Name: "again.obj", Data: []byte("v 0 0 0\n")})
	require.NoError(t, err)
	assert.Equal(t, a, b)
	f, err := s.File(ctx, a)
	require.NoError(t, err)
	assert.Equal(t, "kettle.obj", f.Name)
	_, err = s.File(ctx, "../mobanta.db")
	assert.ErrorIs(t, err, ErrNotFound)
	left, err := filepath.Glob(filepath.Join(dir, "files", "new-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestPictures(t *testing.T) {
	s := opened(t, t.TempDir())
	id, err := s.Create(ctx, project.New("a"))
	require.NoError(t, err)
	_, err = s.Picture(ctx, id)
	assert.ErrorIs(t, err, ErrNotFound)
	require.NoError(t, s.SetPicture(ctx, id, []byte("png")))
	got, err := s.Picture(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "png", string(got))
}

func TestADamagedDatabaseIsSaidInWords(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "mobanta.db"), []byte("this is no database, only some text that is long enough"), 0o600))
	_, err := Open(dir)
	assert.ErrorIs(t, err, ErrDamaged)
	assert.ErrorContains(t, err, "mobanta restore")
}
