package exchange_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/stage"
)

var cat node.Catalogue

func Example() {
	f, err := exchange.ReadLook(strings.NewReader(`{"mobanta":"look","version":1,"name":"Ink","nodes":[{"id":"end","kind":"Finish"}]}`))
	fmt.Println(f.Name, len(f.Nodes), err)
	// Output: Ink 1 <nil>
}

func look(nodes string) string {
	return `{"mobanta":"look","version":1,"name":"Ink","nodes":[` + nodes + `{"id":"end","kind":"Finish"}]}`
}

func TestLookFilesReadBackTheSame(t *testing.T) {
	n := project.NewLook()
	require.NoError(t, n.Settle(cat))
	var a, b bytes.Buffer
	require.NoError(t, exchange.WriteLook(&a, "First", &n, nil, nil))
	f, err := exchange.ReadLook(bytes.NewReader(a.Bytes()))
	require.NoError(t, err)
	assert.Equal(t, "First", f.Name)
	require.NoError(t, exchange.WriteLook(&b, f.Name, &f.Network, f.Groups, nil))
	assert.Equal(t, a.String(), b.String())
}

func TestLookFilesAreRefusedInWords(t *testing.T) {
	for text, want := range map[string]string{
		`{`: "ends too early",
		"{\n\"mobanta\": \"look\",\n\"version\": oops}": "line 3",
		`{"mobanta":"look","version":1,"colour":"red"}`: `line 1, column 31: there is no member "colour"`,
		`{"mobanta":"bundle","version":1}`:              "not a look file",
		`{"mobanta":"look","version":7}`:                "version 7; this program reads version 1",
		`{"mobanta":"look","version":1,"nodes":[]}`:     "no Finish node",
		look(``) + "x":                                                        "more behind the end",
		look(`{"id":"a","kind":"Glow worm"},`):                                `unknown kind "Glow worm"`,
		look(`{"id":"a","kind":"Ramp","set":{"stopz":1}},`):                   `no setting "stopz"`,
		look(`{"id":"a","kind":"Ramp","in":{"tone":"a.tone"}},`):              "would feed itself",
		look(`{"id":"a","kind":5},`):                                          "line 1, column 70: nodes.1.kind is the number 5, where a text belongs",
		`{"mobanta":"look","version":1,"nodes":` + strings.Repeat("[", 5<<20): "nested more than 64 deep",
		`{"name":"` + strings.Repeat("x", exchange.MaxLookBytes):              "larger than",
	} {
		_, err := exchange.ReadLook(strings.NewReader(text))
		assert.ErrorContains(t, err, want, "%.80s", text)
	}
	many := strings.Repeat(`{"id":"a","kind":"Ramp"},`, 100_000)
	_, err := exchange.ReadLook(strings.NewReader(look(many)))
	assert.ErrorContains(t, err, "more than the")
}

var ball = exchange.File{Name: "tri.obj", Data: []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")}

func bundle(t *testing.T) []byte {
	t.Helper()
	p := project.New("Saltlight")
	p.Stage.Models = append(p.Stage.Models, stage.Model{ID: "m", Name: "sail", File: exchange.Hash(ball.Data), Scale: 1, Looks: map[string]string{"Part": "look1"}})
	var buf bytes.Buffer
	require.NoError(t, exchange.WriteBundle(&buf, p, func(string) (exchange.File, error) { return ball, nil }))
	return buf.Bytes()
}

// repack writes a bundle anew with its entries changed; nil leaves one out.
func repack(t *testing.T, data []byte, change func(name string, body []byte) []byte) []byte {
	t.Helper()
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for _, f := range r.File {
		in, err := f.Open()
		require.NoError(t, err)
		body, err := io.ReadAll(in)
		require.NoError(t, err)
		if body = change(f.Name, body); body != nil {
			w, err := z.Create(f.Name)
			require.NoError(t, err)
			w.Write(body)
		}
	}
	require.NoError(t, z.Close())
	return buf.Bytes()
}

func TestBundlesReadBackTheSame(t *testing.T) {
	p, files, err := exchange.ReadBundle(bundle(t))
	require.NoError(t, err)
	assert.Equal(t, "Saltlight", p.Name)
	assert.Equal(t, map[string]exchange.File{exchange.Hash(ball.Data): ball}, files)
}

func TestBundlesAreRefusedInWords(t *testing.T) {
	whole := bundle(t)
	replace := func(entry, old, new string) []byte {
		return repack(t, whole, func(name string, body []byte) []byte {
			if name == entry {
				return bytes.Replace(body, []byte(old), []byte(new), 1)
			}
			return body
		})
	}
	without := func(prefix string) []byte {
		return repack(t, whole, func(name string, body []byte) []byte {
			if strings.HasPrefix(name, prefix) {
				return nil
			}
			return body
		})
	}
	for name, tc := range map[string]struct {
		data []byte
		want string
	}{
		"no ZIP":            {[]byte("hello"), "not a bundle"},
		"cut off":           {whole[:len(whole)-30], "not a bundle"},
		"no contents":       {without("bundle.json"), "lacks bundle.json"},
		"no project":        {without("project.json"), "lacks project.json"},
		"no model":          {without("files/"), "lacks files/"},
		"version":           {replace("bundle.json", `"version": 1`, `"version": 9`), "version 9; this program reads version 1"},
		"document version":  {replace("project.json", `"version": 1`, `"version": 3`), "version 3"},
		"something else":    {replace("bundle.json", `"bundle"`, `"look"`), "not a bundle"},
		"a path for a hash": {replace("project.json", exchange.Hash(ball.Data), "../../etc/passwd"), "names no file"},
		"unknown member":    {replace("project.json", `"name"`, `"nome"`), `no member "nome"`},
		"a damaged model":   {replace("files/"+exchange.Hash(ball.Data), "v 1 0 0", "v 2 0 0"), "is damaged"},
	} {
		_, _, err := exchange.ReadBundle(tc.data)
		assert.ErrorContains(t, err, tc.want, name)
	}
}

func FuzzReadLook(f *testing.F) {
	f.Add(look(``))
	f.Add(look(`{"id":"a","kind":"Ramp","in":{"tone":0.3},"set":{"stops":[{"at":0.5,"color":"#ABC"}]}},`))
	f.Add(`{"mobanta":"look","version":1,"nodes":[[[[[[`)
	f.Fuzz(func(t *testing.T, text string) {
		f, err := exchange.ReadLook(strings.NewReader(text))
		if err != nil {
			return
		}
		var buf bytes.Buffer
		require.NoError(t, exchange.WriteLook(&buf, f.Name, &f.Network, f.Groups, nil))
		_, err = exchange.ReadLook(&buf)
		require.NoError(t, err, "what was written can be read")
	})
}

func FuzzReadBundle(f *testing.F) {
	p := project.New("x")
	var buf bytes.Buffer
	require.NoError(f, exchange.WriteBundle(&buf, p, nil))
	f.Add(buf.Bytes())
	f.Add([]byte("PK\x05\x06"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, _, err := exchange.ReadBundle(data); err == nil {
			require.NoError(t, p.Settle())
		}
	})
}
