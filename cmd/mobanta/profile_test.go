package main

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAProfileIsWritten(t *testing.T) {
	dir := t.TempDir()
	args := []string{"render", "--model", file(t, "tent.obj", tent), "--size", "64x48", "--samples", "2", "--out", filepath.Join(dir, "tent.png"), "--profile"}
	name := filepath.Join(dir, "cpu.prof")
	_, err := run(t, append(args, name)...)
	require.NoError(t, err)
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(data, []byte{0x1f, 0x8b}), "packed, as pprof reads it")
	_, err = run(t, append(args, filepath.Join(dir, "none", "cpu.prof"))...)
	assert.ErrorIs(t, err, os.ErrNotExist)
	_, err = run(t, "render", "--model", filepath.Join(dir, "gone.obj"), "--out", filepath.Join(dir, "x.png"), "--profile", name)
	assert.Error(t, err, "what went wrong is told")
}
