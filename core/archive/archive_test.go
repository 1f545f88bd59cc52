package archive

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func packed(t *testing.T, n int) []byte {
	t.Helper()
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for i := range n {
		_, err := z.Create(fmt.Sprint("entry ", i))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return buf.Bytes()
}

func TestAnArchiveThatListsTooMuchIsRefused(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	few, many, huge := packed(t, 3), packed(t, 2000), packed(t, 70_000) // the last is a ZIP64
	for name, tc := range map[string]struct {
		data []byte
		want error
	}{
		"few":                           {few, nil},
		"many":                          {many, ErrCrowded},
		"very many":                     {huge, ErrCrowded},
		"with something in front":       {append([]byte("#!/bin/sh\n"), few...), nil},
		"many, with something in front": {append(bytes.Repeat([]byte("x"), 1<<20), many...), ErrCrowded},
		"none":                          {[]byte("hello"), zip.ErrFormat},
		"nothing":                       {nil, zip.ErrFormat},
	} {
		z, err := Open(bytes.NewReader(tc.data), int64(len(tc.data)), 8<<10)
		assert.ErrorIs(t, err, tc.want, name)
		assert.Equal(t, tc.want == nil, z != nil, name)
	}
	lying := bytes.Clone(many) // it says that its list is short
	binary.LittleEndian.PutUint32(lying[len(lying)-22+12:], 46)
	_, err := Open(bytes.NewReader(lying), int64(len(lying)), 8<<10)
	assert.ErrorIs(t, err, ErrCrowded)
	z, err := Open(bytes.NewReader(huge), int64(len(huge)), 64<<20)
	require.NoError(t, err)
	assert.Len(t, z.File, 70_000)
}

func TestReadGivesWhatWasPackedAndNothingElse(t *testing.T) {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for _, name := range []string{"a", "none"} {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		require.NoError(t, err)
		if name == "a" {
			_, err = w.Write([]byte("copper bands"))
			require.NoError(t, err)
		}
	}
	require.NoError(t, z.Close())
	read := func(data []byte, name string) ([]byte, error) {
		z, err := Open(bytes.NewReader(data), int64(len(data)), 1<<20)
		require.NoError(t, err)
		for _, f := range z.File {
			if f.Name == name {
				return Read(f)
			}
		}
		return nil, zip.ErrFormat
	}
	got, err := read(buf.Bytes(), "a")
	require.NoError(t, err)
	assert.Equal(t, "copper bands", string(got))
	got, err = read(buf.Bytes(), "none")
	require.NoError(t, err)
	assert.Empty(t, got)
	_, err = read(bytes.Replace(buf.Bytes(), []byte("copper"), []byte("kopper"), 1), "a")
	assert.ErrorIs(t, err, zip.ErrChecksum)
}
