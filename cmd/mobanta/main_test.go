package main

import (
	"bytes"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// run runs the command line and returns what it printed.
func run(t *testing.T, args ...string) (string, error) {
	t.Helper()
	c := root()
	var out bytes.Buffer
	c.SetOut(&out)
	c.SetErr(&out)
	c.SetArgs(args)
	err := c.ExecuteContext(t.Context())
	return out.String(), err
}

func file(t *testing.T, name, body string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(body), 0o600))
	return path
}

const tent = "o tent\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0.5 0.5 1\nf 1 2 3 4\nf 1 2 5\nf 2 3 5\n"

func TestInspect(t *testing.T) {
	out, err := run(t, "inspect", file(t, "tent.obj", tent))
	require.NoError(t, err)
	assert.JSONEq(t, `{"format":"obj","bounds":{"min":[0,0,0],"max":[1,1,1]},"parts":[{"name":"tent","vertices":5,"faces":3,"triangles":4,"uv":false,"normals":false}]}`, out)
	_, err = run(t, "inspect", file(t, "tent.obj", "v 0 0 0\nf 1 1 7\n"))
	assert.ErrorContains(t, err, "line 2")
	_, err = run(t, "inspect", "/nowhere.obj")
	assert.Error(t, err)
}

func TestRender(t *testing.T) {
	model := file(t, "tent.obj", tent)
	out := filepath.Join(t.TempDir(), "tent.png")
	_, err := run(t, "render", "--model", model, "--size", "64x48", "--samples", "2", "--sun", "10,20", "--camera", "-30,10", "--out", out)
	require.NoError(t, err)
	f, err := os.Open(out)
	require.NoError(t, err)
	defer f.Close()
	img, err := png.Decode(f)
	require.NoError(t, err)
	assert.Equal(t, 64, img.Bounds().Dx())
	pfm := filepath.Join(t.TempDir(), "tent.pfm")
	_, err = run(t, "render", "--model", model, "--size", "16x8", "--peek", "Diffuse light.tone", "--out", pfm)
	require.NoError(t, err)
	data, err := os.ReadFile(pfm)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(data), "PF\n16 8\n-1.0\n"))
	assert.Len(t, data, len("PF\n16 8\n-1.0\n")+16*8*12)

	for _, tc := range []struct {
		args []string
		want string
	}{
		{[]string{"--out", "x.png"}, "at least one of the flags"},
		{[]string{"--model", model}, `required flag(s) "out"`},
		{[]string{"--model", model, "--out", "x.gif"}, "must end in .png or .pfm"},
		{[]string{"--model", model, "--out", "x.png", "--size", "0x9"}, "--size"},
		{[]string{"--model", model, "--out", "x.png", "--samples", "0"}, "--samples"},
		{[]string{"--model", model, "--out", "x.png", "--bits", "12"}, "--bits"},
		{[]string{"--model", model, "--out", "x.png", "--sun", "up"}, "--sun"},
		{[]string{"--model", model, "--out", "x.png", "--sun", "0,200"}, "elevation"},
		{[]string{"--model", model, "--out", "x.png", "--look", "Velvet"}, "no file and no look named"},
		{[]string{"--model", model, "--out", "x.png", "--peek", "Velvet"}, "no look that is worn has a node"},
		{[]string{"--bundle", model, "--out", "x.png"}, "not a bundle"},
	} {
		_, err := run(t, append([]string{"render"}, tc.args...)...)
		assert.ErrorContains(t, err, tc.want, "%v", tc.args)
	}
}

func TestTheSampleProjectGoesOutAndIn(t *testing.T) {
	data, dir := t.TempDir(), t.TempDir()
	_, err := run(t, "demo", "--make-only", "--data", data)
	require.NoError(t, err)
	_, err = run(t, "demo", "--make-only", "--data", data)
	require.NoError(t, err, "it is made once")
	bundle, again := filepath.Join(dir, "s.zip"), filepath.Join(dir, "t.zip")
	_, err = run(t, "bundle", "export", "saltlight", "--out", bundle, "--data", data)
	require.NoError(t, err)
	other := t.TempDir()
	out, err := run(t, "bundle", "import", bundle, "--data", other)
	require.NoError(t, err)
	id := strings.TrimSpace(out[strings.LastIndex(strings.TrimSpace(out), " ")+1:])
	_, err = run(t, "bundle", "export", id, "--out", again, "--data", other)
	require.NoError(t, err, out)
	a, err := os.ReadFile(bundle)
	require.NoError(t, err)
	b, err := os.ReadFile(again)
	require.NoError(t, err)
	assert.Equal(t, len(a), len(b))
	picture := filepath.Join(dir, "s.png")
	_, err = run(t, "render", "--bundle", bundle, "--look", "Stove iron", "--size", "96x60", "--samples", "1", "--out", picture)
	require.NoError(t, err)
}

func TestHelpIsComplete(t *testing.T) {
	out, err := run(t, "--help")
	require.NoError(t, err)
	for _, c := range root().Commands() {
		assert.Contains(t, out, c.Name())
		assert.NotEmpty(t, c.Short)
	}
}
