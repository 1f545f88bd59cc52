package main

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"image/png"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func read(t *testing.T, name string) []byte {
	t.Helper()
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	return data
}

func TestBaking(t *testing.T) {
	t.Chdir(t.TempDir())
	bundle := sample(t, "the-keeper")
	out, err := run(t, "bake", "--bundle", bundle, "--of", "dial", "--size", "64x32", "--samples", "1", "--out", "dial.png", "--json")
	require.NoError(t, err)
	var said struct {
		Width   int
		Remarks []string
	}
	require.NoError(t, json.Unmarshal([]byte(out[strings.Index(out, "{"):]), &said))
	assert.Equal(t, 64, said.Width)
	assert.Contains(t, strings.Join(said.Remarks, " "), "Lines are drawn on pictures")
	img, err := png.Decode(bytes.NewReader(read(t, "dial.png")))
	require.NoError(t, err)
	assert.Equal(t, 32, img.Bounds().Dy())

	_, err = run(t, "bake", "--bundle", bundle, "--of", "Keeper", "--apart", "--eye", "out", "--size", "32x32", "--samples", "1", "--out", "parts.zip")
	require.NoError(t, err)
	z, err := zip.OpenReader("parts.zip")
	require.NoError(t, err)
	defer z.Close()
	assert.Greater(t, len(z.File), 3, "a picture for each part")

	model := file(t, "flat.obj", "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n")
	_, err = run(t, "bake", "--model", model, "--size", "32x32", "--samples", "1", "--out", "a.png")
	assert.ErrorContains(t, err, "no texture coordinates")
	_, err = run(t, "bake", "--model", model, "--unwrap", "missing", "--eye", "out", "--size", "32x32", "--samples", "1", "--bits", "16", "--out", "a.png")
	require.NoError(t, err)
}

func TestBadOrdersAreRefusedInWords(t *testing.T) {
	t.Chdir(t.TempDir())
	bundle := sample(t, "saltlight")
	for says, args := range map[string][]string{
		"100000 × 100000":         {"bake", "--size", "100000x100000", "--eye", "out", "--out", "a.png"},
		"hangs on where the eye":  {"bake", "--size", "32x32", "--out", "a.png"},
		"there is no model":       {"bake", "--of", "nothing", "--out", "a.png"},
		"has a node":              {"bake", "--output", "nothing", "--out", "a.png"},
		"must end in .png":        {"bake", "--out", "a.jpg"},
		"several pictures":        {"bake", "--apart", "--out", "a.png"},
		"missing or anew":         {"bake", "--unwrap", "yes", "--out", "a.png"},
		"must be such as":         {"bake", "--size", "large", "--out", "a.png"},
		"between 1 and 256":       {"bake", "--samples", "0", "--out", "a.png"},
		"one of glb, glsl, html,": {"export", "--to", "fbx", "--out", "a.fbx"},
		"thousandths":             {"export", "--to", "glb", "--eye", "out", "--outline", "900", "--out", "a.glb"},
		"no look":                 {"export", "--to", "mtlx", "--which", "nothing", "--out", "a.mtlx"},
		"#1A1B24":                 {"export", "--to", "glb", "--ink", "red", "--out", "a.glb"},
		"there is no staging":     {"export", "--to", "html", "--staging", "nothing", "--out", "a.html"},
	} {
		_, err := run(t, append(args, "--bundle", bundle)...)
		assert.ErrorContains(t, err, says)
		assert.Equal(t, 2, exitCode(t.Context(), err), "%v: what was asked for cannot be", args)
		_, err = os.Stat(args[len(args)-1])
		assert.ErrorIs(t, err, os.ErrNotExist, "nothing is written")
	}
}

func TestHandingOver(t *testing.T) {
	t.Chdir(t.TempDir())
	bundle := sample(t, "saltlight")
	for to, begins := range map[string]string{"glb": "glTF", "obj": "PK", "html": "<!DOCTYPE html>", "glsl": "PK", "mtlx": "<?xml"} {
		name := "a." + to
		_, err := run(t, "export", "--to", to, "--bundle", bundle, "--eye", "out", "--size", "32x32", "--samples", "1", "--outline", "4", "--out", name)
		require.NoError(t, err, to)
		assert.True(t, bytes.HasPrefix(read(t, name), []byte(begins)), to)
	}
	// A document comes in again as a look.
	_, err := run(t, "render", "--bundle", bundle, "--look", "a.mtlx", "--size", "60x40", "--samples", "1", "--out", "a.png")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile("b.mtlx", []byte(`<materialx version="1.39"><!DOCTYPE x></materialx>`), 0o600))
	_, err = run(t, "render", "--bundle", bundle, "--look", "b.mtlx", "--size", "60x40", "--out", "b.png")
	assert.ErrorContains(t, err, "materialx")
}
