package web_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"mime"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/project"
	"mobanta/store"
	"mobanta/web"
)

// behind returns a studio with a door of one's own.
func behind(t testing.TB, o web.Options) *studio {
	t.Helper()
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	var said logged
	t.Cleanup(func() { assert.NotContains(t, said.String(), "a slip was caught") })
	v, err := web.New(s, slog.New(slog.NewTextHandler(&said, nil)), o)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	filled := make(chan struct{})
	go func() {
		defer close(filled)
		v.Fill(ctx)
	}()
	stop := func() { cancel(); <-filled }
	t.Cleanup(stop)
	srv := httptest.NewServer(v.Handler())
	t.Cleanup(srv.Close)
	id, err := s.Create(context.Background(), project.New("Night harbour"))
	require.NoError(t, err)
	return &studio{t: t, dir: dir, store: s, srv: srv, id: id, stop: stop, open: v.Tabs}
}

// logged is what the studio logged.
type logged struct {
	mu  sync.Mutex
	buf bytes.Buffer
}

func (l *logged) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.buf.Write(p)
}

func (l *logged) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.buf.String()
}

// answer asks with a client that follows no redirects.
func (s *studio) answer(method, path, body string, head map[string]string) *http.Response {
	s.t.Helper()
	r, err := http.NewRequest(method, s.srv.URL+path, strings.NewReader(body))
	require.NoError(s.t, err)
	for k, v := range head {
		if k == "Host" {
			r.Host = v
		}
		r.Header.Set(k, v)
	}
	res, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { res.Body.Close() })
	return res
}

const form = "application/x-www-form-urlencoded"

func TestEveryAnswerKeepsForeignContentOut(t *testing.T) {
	s := behind(t, web.Options{TLS: true})
	for _, q := range []struct {
		method, path, body string
		head               map[string]string
		code               int
	}{
		{"GET", "/", "", nil, 200},
		{"GET", "/p/" + s.id, "", nil, 200},
		{"GET", "/p/" + s.id + "/panel/bench", "", nil, 200},
		{"GET", "/p/" + s.id + "/bundle", "", nil, 200},
		{"GET", "/static/app.css", "", nil, 200},
		{"GET", "/nowhere", "", nil, 404},
		{"GET", "/p/none", "", map[string]string{"Accept": "application/json"}, 404},
		{"PUT", "/", "", nil, 405},
		{"GET", "/", "", map[string]string{"Host": "elsewhere.example"}, 403},
		{"POST", "/projects", "name=x", map[string]string{"Content-Type": form, "Origin": "https://elsewhere.example"}, 403},
		{"POST", "/p/" + s.id + "/edit", "{", map[string]string{"Content-Type": "application/json"}, 400},
		{"POST", "/projects", "name=" + strings.Repeat("x", 12<<20), map[string]string{"Content-Type": form}, 413},
	} {
		res := s.answer(q.method, q.path, q.body, q.head)
		h := res.Header
		assert.Equal(t, q.code, res.StatusCode, q.path)
		csp := h.Get("Content-Security-Policy")
		assert.Contains(t, csp, "default-src 'self'", q.path)
		assert.NotContains(t, csp, "ws:", q.path)
		assert.Contains(t, csp, "style-src 'self';", q.path)
		assert.NotContains(t, csp, "unsafe-eval", q.path)
		assert.Equal(t, "nosniff", h.Get("X-Content-Type-Options"), q.path)
		assert.Equal(t, "same-origin", h.Get("Cross-Origin-Resource-Policy"), q.path)
		assert.Equal(t, "same-origin", h.Get("Referrer-Policy"), q.path)
		assert.NotEmpty(t, h.Get("Cache-Control"), q.path)
		assert.NotEmpty(t, h.Get("Strict-Transport-Security"), q.path)
		assert.Empty(t, h.Get("Server"), q.path)
	}
}

func TestTheNamesThatTheStudioAnswersUnder(t *testing.T) {
	s := behind(t, web.Options{Hosts: []string{"studio.example"}})
	for host, code := range map[string]int{"studio.example": 200, "STUDIO.example:443": 200, "localhost:1": 200, "127.0.0.1": 200, "[::1]:80": 200, "": 200,
		"other.example": 403, "studio.example.evil": 403, "10.0.0.7": 403, "127.0.0.1.evil": 403, "169.254.169.254": 403} {
		head := map[string]string{"Host": host}
		if host == "" {
			head = nil
		}
		assert.Equal(t, code, s.answer("GET", "/", "", head).StatusCode, host)
	}
	// Under a name of ours, a page of that name may write, and no other.
	head := map[string]string{"Host": "studio.example", "Content-Type": form}
	head["Origin"] = "http://studio.example"
	assert.Equal(t, 303, s.answer("POST", "/projects", "name=a", head).StatusCode)
	for _, other := range []string{"http://other.example", "https://studio.example"} {
		head["Origin"] = other
		assert.Equal(t, 403, s.answer("POST", "/projects", "name=a", head).StatusCode, other)
	}
}

func TestABodyThatIsTooLargeHearsTheReason(t *testing.T) {
	s := behind(t, web.Options{})
	for path, tc := range map[string]struct {
		size int64
		say  string
	}{
		"/projects":                    {1 << 20, "larger than the 64 KB"},
		"/p/" + s.id + "/bin":          {1 << 20, "larger than the 64 KB"},
		"/p/" + s.id + "/edit":         {5 << 20, "larger than the 4 MB"},
		"/p/" + s.id + "/models":       {258 << 20, "larger than the 257 MB"},
		"/p/" + s.id + "/paste?look=x": {9 << 20, "larger than the 8 MB"},
	} {
		for _, known := range []bool{true, false} { // with and without its length said before
			body := io.LimitReader(zeros{}, tc.size)
			r, err := http.NewRequest("POST", s.srv.URL+path, body)
			require.NoError(t, err)
			if known {
				r.ContentLength = tc.size
			}
			r.Header.Set("Accept", "application/json")
			r.Header.Set("Content-Type", form)
			if strings.HasSuffix(path, "/models") {
				r.Header.Set("Content-Type", "multipart/form-data; boundary=x")
			}
			res, err := http.DefaultClient.Do(r)
			require.NoError(t, err, path)
			text, _ := io.ReadAll(res.Body)
			res.Body.Close()
			if strings.HasSuffix(path, "/models") && !known {
				continue // no form: refused before it is read to its end
			}
			assert.Equal(t, 413, res.StatusCode, "%s: %s", path, text)
			assert.Contains(t, string(text), tc.say, path)
		}
	}
	assert.Equal(t, 200, s.answer("GET", "/p/"+s.id, "", nil).StatusCode, "it was not put into the bin")
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}

func TestABodyThatStallsIsCutOff(t *testing.T) {
	t.Cleanup(web.SetStall(200 * time.Millisecond))
	s := behind(t, web.Options{})
	conn, err := net.Dial("tcp", s.srv.Listener.Addr().String())
	require.NoError(t, err)
	defer conn.Close()
	fmt.Fprintf(conn, "POST /projects HTTP/1.1\r\nHost: localhost\r\nContent-Type: %s\r\nContent-Length: 100\r\n\r\nname=", form)
	conn.SetReadDeadline(time.Now().Add(30 * time.Second))
	text, _ := io.ReadAll(conn)
	assert.Contains(t, string(text), "408")
	list, err := s.store.Projects(context.Background(), false)
	require.NoError(t, err)
	assert.Len(t, list, 1, "nothing was made of it")
}

func TestDownloadsKeepTheirNames(t *testing.T) {
	s := behind(t, web.Options{})
	for name, want := range map[string]string{"Night harbour": "Night harbour.mobanta.zip", "夜の港": "夜の港.mobanta.zip", "Гавань \"№ 1\"/..": "Гавань -№ 1.mobanta.zip", "...": "untitled.mobanta.zip", `100%; x=y\z`: `100%; x=y-z.mobanta.zip`} {
		_, _, err := s.store.Edit(context.Background(), s.id, []project.Edit{{Op: "project.rename", Name: name}})
		require.NoError(t, err)
		res := s.answer("GET", "/p/"+s.id+"/bundle", "", nil)
		d := res.Header.Get("Content-Disposition")
		kind, params, err := mime.ParseMediaType(d)
		require.NoError(t, err, d)
		assert.Equal(t, "attachment", kind)
		assert.Equal(t, want, params["filename"], d)
		for _, b := range []byte(d) {
			assert.True(t, b >= 0x20 && b < 0x7f, d)
		}
	}
}

func TestAnswersHoldNoPaths(t *testing.T) {
	s := behind(t, web.Options{})
	hash, err := s.store.PutFile(context.Background(), exchange.File{Name: "m.obj", Data: []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")})
	require.NoError(t, err)
	_, _, err = s.store.Edit(context.Background(), s.id, []project.Edit{{Op: "model.add", Value: hash, Parts: []string{"Part"}}})
	require.NoError(t, err)
	require.NoError(t, os.Remove(filepath.Join(s.dir, "files", hash)))
	res := s.answer("GET", "/p/"+s.id+"/bundle", "", map[string]string{"Accept": "application/json"})
	text, _ := io.ReadAll(res.Body)
	assert.Equal(t, 409, res.StatusCode)
	assert.NotContains(t, string(text), "files/")
	assert.NotContains(t, string(text), hash)
	assert.Contains(t, string(text), "is missing from the data folder")
}

// signIn tries a key and returns the answer.
func (s *studio) signIn(key string) *http.Response {
	return s.answer("POST", "/sign-in", url.Values{"key": {key}, "to": {"/help"}}.Encode(), map[string]string{"Content-Type": form})
}

func TestSignIn(t *testing.T) {
	dir := t.TempDir()
	s := behind(t, web.Options{Key: web.KeyOf(dir)})
	assert.Equal(t, 200, s.answer("GET", "/", "", nil).StatusCode, "without a key everyone is let in")
	key, err := web.NewKey(dir)
	require.NoError(t, err)
	assert.Len(t, key, 32)
	time.Sleep(1100 * time.Millisecond) // until the file is looked at anew

	for path, code := range map[string]int{"/": 303, "/p/" + s.id: 303, "/static/app.css": 200, "/sign-in": 200, "/p/" + s.id + "/live": 401} {
		assert.Equal(t, code, s.answer("GET", path, "", nil).StatusCode, path)
	}
	assert.Equal(t, "/sign-in?to=%2Fp%2F"+s.id+"%3Flook%3Da", s.answer("GET", "/p/"+s.id+"?look=a", "", nil).Header.Get("Location"))
	assert.Equal(t, 401, s.answer("POST", "/p/"+s.id+"/undo", "", nil).StatusCode)
	assert.Equal(t, 401, s.answer("GET", "/p/"+s.id+"/panel/bench", "", map[string]string{"HX-Request": "true"}).StatusCode)

	assert.Equal(t, 403, s.signIn("").StatusCode)
	assert.Equal(t, 403, s.signIn(key[:31]).StatusCode)
	res := s.signIn(" " + strings.ToUpper(key[:16]) + "-" + key[16:] + " ")
	assert.Equal(t, 303, res.StatusCode)
	assert.Equal(t, "/help", res.Header.Get("Location"))
	require.Len(t, res.Cookies(), 1)
	c := res.Cookies()[0]
	assert.True(t, c.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, c.SameSite)
	assert.False(t, c.Secure)
	in := map[string]string{"Cookie": c.Name + "=" + c.Value}
	assert.Equal(t, 200, s.answer("GET", "/", "", in).StatusCode)
	assert.Equal(t, 303, s.answer("GET", "/", "", map[string]string{"Cookie": c.Name + "=" + strings.Repeat("A", 43)}).StatusCode)

	conn, _, err := websocket.Dial(context.Background(), strings.Replace(s.srv.URL, "http", "ws", 1)+"/p/"+s.id+"/live", &websocket.DialOptions{HTTPHeader: http.Header{"Cookie": {c.Name + "=" + c.Value}}})
	require.NoError(t, err)
	defer conn.CloseNow()
	assert.Equal(t, 303, s.answer("POST", "/sign-out", "", in).StatusCode)
	assert.Equal(t, 303, s.answer("GET", "/", "", in).StatusCode)
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	for err = nil; err == nil; {
		_, _, err = conn.Read(ctx)
	}
	assert.NoError(t, ctx.Err(), "the tab was closed with its session")

	res = s.signIn(key)
	in["Cookie"] = c.Name + "=" + res.Cookies()[0].Value
	assert.Equal(t, 200, s.answer("GET", "/", "", in).StatusCode)
	_, err = web.NewKey(dir)
	require.NoError(t, err)
	time.Sleep(1100 * time.Millisecond)
	assert.Equal(t, 303, s.answer("GET", "/", "", in).StatusCode, "a new key ends what older ones opened")
	codes := map[int]int{}
	for range 10 {
		codes[s.signIn("guess").StatusCode]++
	}
	assert.Positive(t, codes[429], "tries are limited: %v", codes)
	require.NoError(t, web.RemoveKey(dir))
	require.NoError(t, web.RemoveKey(dir), "twice is no harm")
}

// What a tab asks about its session while that session ends must not open it again.
func TestASessionThatEndedStaysSo(t *testing.T) {
	dir := t.TempDir()
	key, err := web.NewKey(dir)
	require.NoError(t, err)
	s, err := store.Open(dir)
	require.NoError(t, err)
	defer s.Close()
	for range 4 { // as often as a key may be tried
		v, err := web.New(s, slog.New(slog.DiscardHandler), web.Options{Key: web.KeyOf(dir)})
		require.NoError(t, err)
		for range 5 {
			in := httptest.NewRecorder()
			r := httptest.NewRequest("POST", "http://localhost/sign-in", strings.NewReader(url.Values{"key": {key}}.Encode()))
			r.Header.Set("Content-Type", form)
			v.Handler().ServeHTTP(in, r)
			require.Len(t, in.Result().Cookies(), 1)
			of := func(method, path string) *http.Request {
				r := httptest.NewRequest(method, "http://localhost"+path, nil)
				r.AddCookie(in.Result().Cookies()[0])
				return r
			}
			require.True(t, v.SignedIn(of("GET", "/")))
			var tabs sync.WaitGroup
			var over atomic.Bool
			for range 8 {
				tabs.Go(func() {
					for !over.Load() {
						v.SignedIn(of("GET", "/"))
					}
				})
			}
			time.Sleep(time.Millisecond)
			out := httptest.NewRecorder()
			v.Handler().ServeHTTP(out, of("POST", "/sign-out"))
			require.Equal(t, http.StatusSeeOther, out.Code)
			over.Store(true)
			tabs.Wait()
			require.False(t, v.SignedIn(of("GET", "/")))
		}
	}
}

func TestSignInGoesOnToOurOwnPagesOnly(t *testing.T) {
	dir := t.TempDir()
	key, err := web.NewKey(dir)
	require.NoError(t, err)
	s := behind(t, web.Options{Key: web.KeyOf(dir), TLS: true})
	for _, to := range []string{"https://evil.example/", "//evil.example", `/\evil.example`, "evil", "javascript:alert(1)", "/\nx"} {
		res := s.answer("GET", "/sign-in?to="+url.QueryEscape(to), "", nil)
		body, _ := io.ReadAll(res.Body)
		assert.Contains(t, string(body), `name="to" value="/"`, to)
	}
	res := s.answer("POST", "/sign-in", url.Values{"key": {key}, "to": {"//evil.example"}}.Encode(), map[string]string{"Content-Type": form})
	assert.Equal(t, "/", res.Header.Get("Location"))
	c := res.Cookies()[0]
	assert.True(t, c.Secure)
	assert.True(t, strings.HasPrefix(c.Name, "__Host-"))
}

func TestASlipInAHandlerIsNotShown(t *testing.T) {
	var log bytes.Buffer
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	v, err := web.New(s, slog.New(slog.NewTextHandler(&log, nil)), web.Options{})
	require.NoError(t, err)
	v.Break("/broken")
	srv := httptest.NewServer(v.Handler())
	defer srv.Close()
	for _, accept := range []string{"text/html", "application/json"} {
		r, _ := http.NewRequest("GET", srv.URL+"/broken", nil)
		r.Header.Set("Accept", accept)
		res, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		text, _ := io.ReadAll(res.Body)
		res.Body.Close()
		assert.Equal(t, 500, res.StatusCode)
		assert.Contains(t, string(text), "Something went wrong in the studio itself")
		assert.NotContains(t, string(text), "kettle")
		assert.NotContains(t, string(text), ".go")
	}
	assert.Contains(t, log.String(), "the kettle boiled over")
	assert.Contains(t, log.String(), "export_test.go", "the log has the stack")
}

func TestNamesAreEscaped(t *testing.T) {
	s := withBall(t)
	const evil = `<script>alert(1)</script>"'><img src=x>`
	name := func(edits ...project.Edit) {
		t.Helper()
		for i := range edits {
			edits[i].Name = evil
		}
		_, _, err := s.store.Edit(context.Background(), s.id, edits)
		require.NoError(t, err)
	}
	name(project.Edit{Op: "project.rename"}, project.Edit{Op: "look.rename", Look: "look1"}, project.Edit{Op: "node.rename", Look: "look1", Node: "n2"}, project.Edit{Op: "node.note", Look: "look1", Node: "n2", Value: evil},
		project.Edit{Op: "section.gather", Look: "look1", Nodes: []string{"n1"}}, project.Edit{Op: "dial.add", Look: "look1", Node: "n2", Key: "mixing"}, project.Edit{Op: "swatch.add"},
		project.Edit{Op: "bands.make", Look: "look1", Node: "n2"}, project.Edit{Op: "light.set", ID: "sun", Key: "name"}, project.Edit{Op: "model.set", ID: "model1", Key: "name"},
		project.Edit{Op: "group.make", Look: "look1", Nodes: []string{"n3"}})
	for _, path := range []string{"", "/panel/top", "/panel/network", "/panel/list", "/panel/front", "/panel/colours", "/panel/bench", "/panel/stage", "/panel/hint", "/search?q=", "/sources?to=n2.tone"} {
		res := s.answer("GET", "/p/"+s.id+path, "", nil)
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		assert.Equal(t, 200, res.StatusCode, path)
		assert.NotContains(t, string(body), "<script>alert", path)
		assert.NotContains(t, string(body), "<img src=x", path)
	}
	body, err := io.ReadAll(s.answer("GET", "/", "", nil).Body)
	require.NoError(t, err)
	assert.NotContains(t, string(body), "<script>alert")
	assert.Contains(t, string(body), "&lt;script&gt;")
}

// in signs in by a key, and returns the head that requests carry then.
func (s *studio) in(key string) map[string]string {
	s.t.Helper()
	res := s.signIn(key)
	require.Equal(s.t, 303, res.StatusCode)
	require.Len(s.t, res.Cookies(), 1)
	return map[string]string{"Cookie": res.Cookies()[0].Name + "=" + res.Cookies()[0].Value}
}

// A tab that nobody types into is closed, and gets no picture more, once its key is none any more or has gone.
func TestTabsOfAKeyThatIsNoneAnyMoreAreClosed(t *testing.T) {
	for what, end := range map[string]func(dir string) error{
		"a new key":    func(dir string) error { _, err := web.NewKey(dir); return err },
		"a lost key":   func(dir string) error { return os.Remove(filepath.Join(dir, "key.json")) },
		"a broken key": func(dir string) error { return os.WriteFile(filepath.Join(dir, "key.json"), []byte("{"), 0o600) },
	} {
		dir := t.TempDir()
		key, err := web.NewKey(dir)
		require.NoError(t, err)
		k := web.KeyOf(dir)
		k.Require()
		s := behind(t, web.Options{Key: k})
		head := s.in(key)
		conn, _, err := websocket.Dial(context.Background(), strings.Replace(s.srv.URL, "http", "ws", 1)+"/p/"+s.id+"/live", &websocket.DialOptions{HTTPHeader: http.Header{"Cookie": {head["Cookie"]}}})
		require.NoError(t, err)
		conn.SetReadLimit(8 << 20)
		defer conn.CloseNow()
		require.NoError(t, conn.Write(context.Background(), websocket.MessageText, []byte(`{"t":"view","w":64,"h":48,"look":"look1"}`)))
		_, _, err = conn.Read(context.Background())
		require.NoError(t, err)
		require.NoError(t, end(dir))
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		for err = nil; err == nil; {
			_, _, err = conn.Read(ctx)
		}
		assert.NoError(t, ctx.Err(), what)
		cancel()
		assert.Equal(t, 303, s.answer("GET", "/", "", head).StatusCode, what)
		assert.Equal(t, 401, s.answer("POST", "/p/"+s.id+"/edit", "{}", nil).StatusCode, "%s: it is not open to all", what)
		if what != "a new key" {
			assert.Equal(t, 503, s.signIn(key).StatusCode, what)
		}
	}
}
