package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
	"mobanta/store"
	"mobanta/web"
)

type studio struct {
	t     testing.TB
	store *store.Store
	srv   *httptest.Server
	id    string
}

func open(t testing.TB) *studio {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	v, err := web.New(s, slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	srv := httptest.NewServer(v.Handler())
	t.Cleanup(srv.Close)
	id, err := s.Create(context.Background(), project.New("Night harbour"))
	require.NoError(t, err)
	return &studio{t, s, srv, id}
}

func (s *studio) do(method, path string, body io.Reader, head map[string]string) (int, string) {
	s.t.Helper()
	r, err := http.NewRequest(method, s.srv.URL+path, body)
	require.NoError(s.t, err)
	for k, v := range head {
		if k == "Host" {
			r.Host = v
		}
		r.Header.Set(k, v)
	}
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := c.Do(r)
	require.NoError(s.t, err)
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	return res.StatusCode, string(data)
}

func (s *studio) edit(json string) (int, string) {
	s.t.Helper()
	return s.do("POST", "/p/"+s.id+"/edit", strings.NewReader(`{"edits":[`+json+`]}`), map[string]string{"Content-Type": "application/json", "Accept": "application/json"})
}

func (s *studio) project() *store.State {
	s.t.Helper()
	st, err := s.store.Load(context.Background(), s.id)
	require.NoError(s.t, err)
	return st
}

func (s *studio) upload(path, field, name string, data []byte) (int, string) {
	s.t.Helper()
	var buf bytes.Buffer
	m := multipart.NewWriter(&buf)
	w, err := m.CreateFormFile(field, name)
	require.NoError(s.t, err)
	w.Write(data)
	require.NoError(s.t, m.Close())
	return s.do("POST", path, &buf, map[string]string{"Content-Type": m.FormDataContentType(), "Accept": "application/json"})
}

func TestPagesAndPanels(t *testing.T) {
	s := open(t)
	for path, want := range map[string]string{
		"/":                            "Night harbour",
		"/bin":                         "The bin is empty",
		"/help":                        "Diffuse light",
		"/p/" + s.id:                   `id="picture"`,
		"/p/" + s.id + "/panel/bench":  "Spread evenly",
		"/p/" + s.id + "/panel/stage":  "Key sun",
		"/p/" + s.id + "/search?q=cel": "Ramp",
	} {
		code, body := s.do("GET", path, nil, nil)
		assert.Equal(t, 200, code, path)
		assert.Contains(t, body, want, path)
	}
	for path, want := range map[string]int{"/p/none": 404, "/p/" + s.id + "/panel/cellar": 404, "/static/../server.go": 404, "/static/": 404, "/nowhere": 404} {
		code, body := s.do("GET", path, nil, nil)
		assert.Equal(t, want, code, path)
		assert.Contains(t, body, "<html", "an error is a page")
	}
}

func TestOtherSitesAreRefused(t *testing.T) {
	s := open(t)
	body := func() io.Reader { return strings.NewReader(`{"edits":[{"op":"project.rename","name":"stolen"}]}`) }
	host := strings.TrimPrefix(s.srv.URL, "http://")
	for name, head := range map[string]map[string]string{
		"another origin":          {"Origin": "https://elsewhere.example"},
		"another port":            {"Origin": "http://127.0.0.1:1"},
		"a cross-site request":    {"Sec-Fetch-Site": "cross-site"},
		"an opaque origin":        {"Origin": "null", "Sec-Fetch-Site": "cross-site"},
		"a name for this machine": {"Host": "rebound.example"},
	} {
		head["Content-Type"] = "application/json"
		code, _ := s.do("POST", "/p/"+s.id+"/edit", body(), head)
		assert.Equal(t, 403, code, name)
	}
	assert.Equal(t, "Night harbour", s.project().Project.Name)
	code, _ := s.do("GET", "/p/"+s.id+"/live", nil, map[string]string{"Origin": "https://elsewhere.example", "Connection": "Upgrade", "Upgrade": "websocket",
		"Sec-WebSocket-Version": "13", "Sec-WebSocket-Key": "AAAAAAAAAAAAAAAAAAAAAA=="})
	assert.Equal(t, 403, code)
	code, _ = s.do("POST", "/p/"+s.id+"/edit", body(), map[string]string{"Content-Type": "application/json", "Origin": "http://" + host, "Sec-Fetch-Site": "same-origin"})
	assert.Equal(t, 200, code)
}

func TestBadEditsChangeNothingAndSayWhy(t *testing.T) {
	s := open(t)
	for edit, want := range map[string]string{
		`{"op":"dance"}`: "is not something that can be done",
		`{"op":"node.add","look":"look1","kind":"x"}`:                                            "There is no kind of node",
		`{"op":"node.input","look":"look1","node":"n3","key":"width","value":"x","as":"number"}`: "is not a number",
		`{"op":"wire","look":"look1","from":"n2","to":"n2.tone"}`:                                "would feed itself",
		`{"op":"model.add","name":"x","value":"../../etc/passwd"}`:                               "brought in as a file",
	} {
		code, body := s.edit(edit)
		assert.GreaterOrEqual(t, code, 400, edit)
		var p struct{ Error string }
		require.NoError(t, json.Unmarshal([]byte(body), &p), body)
		assert.Contains(t, p.Error, want)
		assert.Regexp(t, `^[A-Z"“0-9].*[.!?]$`, p.Error, "a sentence")
	}
	code, _ := s.do("POST", "/p/"+s.id+"/edit", strings.NewReader("{"), map[string]string{"Content-Type": "application/json"})
	assert.Equal(t, 400, code)
	code, _ = s.do("POST", "/p/"+s.id+"/edit", strings.NewReader(`{"edits":[{"op":"`+strings.Repeat("x", 5<<20)), map[string]string{"Content-Type": "application/json"})
	assert.GreaterOrEqual(t, code, 400)
	assert.EqualValues(t, 1, s.project().Version)
}

func TestTypedNumbersAndFields(t *testing.T) {
	s := open(t)
	form := url.Values{"op": {"ramp.stop"}, "look": {"look1"}, "node": {"n2"}, "index": {"1"}, "field": {"at"}, "as": {"number"}, "value": {"1/8 + 5%"}}
	code, body := s.do("POST", "/p/"+s.id+"/edit", strings.NewReader(form.Encode()), map[string]string{"Content-Type": "application/x-www-form-urlencoded"})
	require.Equal(t, 200, code, body)
	code, body = s.do("GET", "/p/"+s.id+"/panel/bench?node=n2", nil, nil)
	assert.Equal(t, 200, code)
	assert.Contains(t, body, `value="0.175"`)
}

func TestUndoRedoAndTheBin(t *testing.T) {
	s := open(t)
	code, _ := s.edit(`{"op":"project.rename","name":"Low tide"}`)
	require.Equal(t, 200, code)
	code, _ = s.do("POST", "/p/"+s.id+"/undo", nil, nil)
	assert.Equal(t, 200, code)
	assert.Equal(t, "Night harbour", s.project().Project.Name)
	code, body := s.do("POST", "/p/"+s.id+"/undo", nil, map[string]string{"Accept": "application/json"})
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "nothing to undo")
	s.do("POST", "/p/"+s.id+"/redo", nil, nil)
	assert.Equal(t, "Low tide", s.project().Project.Name)
	code, _ = s.do("POST", "/p/"+s.id+"/bin", nil, nil)
	assert.Equal(t, 303, code)
	_, body = s.do("GET", "/bin", nil, nil)
	assert.Contains(t, body, "Low tide")
	s.do("POST", "/p/"+s.id+"/restore", nil, nil)
	_, body = s.do("GET", "/", nil, nil)
	assert.Contains(t, body, "Low tide")
}

func TestBringingInModelsAndLooks(t *testing.T) {
	s := open(t)
	code, body := s.upload("/p/"+s.id+"/models", "files", "../../sail.obj", []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"))
	require.Equal(t, 200, code, body)
	st := s.project()
	require.Len(t, st.Project.Stage.Models, 1)
	assert.Equal(t, "sail", st.Project.Stage.Models[0].Name)
	assert.Equal(t, map[string]string{"Part": "look1"}, st.Project.Stage.Models[0].Looks, "it wears a look")

	for name, data := range map[string]string{"bad.obj": "v 0 0 0\nf 1 2 99\n", "bad.glb": "glTF\x02\x00", "note.txt": "hello", "empty.obj": ""} {
		code, body := s.upload("/p/"+s.id+"/models", "files", name, []byte(data))
		assert.Equal(t, 422, code, name)
		assert.Contains(t, body, "was not brought in", name)
	}
	assert.Equal(t, st.Version, s.project().Version, "the project is as it was")

	code, file := s.do("GET", "/p/"+s.id+"/look.json?look=look1", nil, nil)
	require.Equal(t, 200, code)
	code, _ = s.upload("/p/"+s.id+"/look", "look", "l.json", []byte(file))
	assert.Equal(t, 200, code)
	assert.Len(t, s.project().Project.Looks, 2)
	code, body = s.upload("/p/"+s.id+"/look", "look", "l.json", []byte(`{"mobanta":"look","version":2}`))
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "version 2")
}

func TestBundlesGoOutAndIn(t *testing.T) {
	s := open(t)
	s.upload("/p/"+s.id+"/models", "files", "sail.obj", []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"))
	code, file := s.do("GET", "/p/"+s.id+"/bundle", nil, nil)
	require.Equal(t, 200, code)
	code, _ = s.upload("/bundles", "bundle", "b.zip", []byte(file))
	assert.Equal(t, 303, code)
	list, err := s.store.Projects(context.Background(), false)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	code, body := s.upload("/bundles", "bundle", "b.zip", []byte("no"))
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "not a bundle")
}
