package store

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/project"
)

// A file whose bytes have changed is not given out as what it was, and bringing it in again mends it.
func TestADamagedFile(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := opened(t, dir)
	f := exchange.File{Name: "ball.obj", Data: []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")}
	hash, err := s.PutFile(ctx, f)
	require.NoError(t, err)
	for what, spoil := range map[string]func(path string) error{
		"damaged": func(path string) error {
			return os.WriteFile(path, []byte("v 0 0 9\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), 0o600)
		},
		"missing": os.Remove,
	} {
		require.NoError(t, spoil(filepath.Join(dir, "files", hash)))
		_, err = s.File(ctx, hash)
		var bad *FileError
		require.ErrorAs(t, err, &bad)
		assert.ErrorContains(t, err, what)
		assert.ErrorContains(t, err, "ball.obj")
		_, err = s.PutFile(ctx, f)
		require.NoError(t, err)
		back, err := s.File(ctx, hash)
		require.NoError(t, err)
		assert.Equal(t, f, back)
	}
}

// What is whole is saved and restored, whatever is damaged, in the folder or in the backup; all else is told.
func TestABackupOfWhatIsWhole(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := opened(t, dir)
	id, err := s.Create(ctx, project.New("Saltlight"))
	require.NoError(t, err)
	var hashes []string
	for i := range 5 {
		h, err := s.PutFile(ctx, exchange.File{Name: fmt.Sprint(i, ".obj"), Data: bytes.Repeat([]byte{byte(i)}, 3000+i)})
		require.NoError(t, err)
		hashes = append(hashes, h)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "files", hashes[0]), []byte("other"), 0o600))
	require.NoError(t, os.Remove(filepath.Join(dir, "files", hashes[1])))
	var out bytes.Buffer
	var told []string
	tell := func(text string) { told = append(told, text) }
	require.NoError(t, s.Backup(ctx, &out, tell))
	require.Len(t, told, 2, "%v", told)

	// A bit of one entry turns over on the way.
	data := out.Bytes()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	for _, e := range z.File {
		if e.Name == "files/"+hashes[2] {
			at, err := e.DataOffset()
			require.NoError(t, err)
			data[at+int64(e.CompressedSize64)/2] ^= 4
		}
	}
	backup := filepath.Join(t.TempDir(), "b.zip")
	require.NoError(t, os.WriteFile(backup, data, 0o600))
	told = nil
	into := filepath.Join(t.TempDir(), "new")
	require.NoError(t, Restore(ctx, backup, into, tell))
	assert.Len(t, told, 3, "%v", told)
	again := opened(t, into)
	st, err := again.Load(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "Saltlight", st.Project.Name)
	for i, h := range hashes {
		f, err := again.File(ctx, h)
		if i < 3 {
			assert.Error(t, err)
			continue
		}
		require.NoError(t, err)
		assert.Len(t, f.Data, 3000+i)
	}
}

// A bit that turns over in the database never makes the shelf shorter without a word.
func TestAFlippedBitInTheDatabase(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s, err := Open(dir)
	require.NoError(t, err)
	const n = 60 // so that the table and its index have several pages
	for i := range n {
		id, err := s.Create(ctx, project.New(fmt.Sprint("Project with a name of some length, number ", i)))
		require.NoError(t, err)
		require.NoError(t, s.SetPicture(ctx, id, bytes.Repeat([]byte{7}, 900)))
	}
	_, err = s.writes.Exec(`PRAGMA wal_checkpoint(TRUNCATE)`)
	require.NoError(t, err)
	var pages []int // those of the table of projects and of its index
	rows, err := s.reads.Query(`SELECT pageno FROM dbstat WHERE name IN ('projects', 'sqlite_autoindex_projects_1')`)
	require.NoError(t, err)
	for rows.Next() {
		var k int
		require.NoError(t, rows.Scan(&k))
		pages = append(pages, k)
	}
	require.NoError(t, rows.Close())
	require.Greater(t, len(pages), 5)
	require.NoError(t, s.Close())
	whole, err := os.ReadFile(filepath.Join(dir, databaseName))
	require.NoError(t, err)

	rnd, bad := rand.New(rand.NewPCG(5, 25)), t.TempDir()
	for k := range 150 {
		data := bytes.Clone(whole)
		at := (pages[rnd.IntN(len(pages))]-1)*4096 + rnd.IntN(4096)
		if k%2 == 0 { // the head of a page and its places
			at = at/4096*4096 + rnd.IntN(100)
		}
		bit := rnd.IntN(8)
		data[at] ^= 1 << bit
		require.NoError(t, os.WriteFile(filepath.Join(bad, databaseName), data, 0o600))
		for _, end := range []string{"-wal", "-shm"} {
			_ = os.Remove(filepath.Join(bad, databaseName+end))
		}
		s, err := Open(bad)
		if err != nil {
			continue // it is said
		}
		list, err := s.Projects(ctx, false)
		binned, e := s.Projects(ctx, true)
		if err == nil && e == nil && len(list)+len(binned) != n {
			assert.NotEmpty(t, s.Damage(), "bit %d of byte %d of page %d: %d of %d projects without a word", bit, at%4096, at/4096+1, len(list), n)
		}
		require.NoError(t, s.Close())
	}
}
