package web_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"html"
	"image"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
	"mobanta/store"
	"mobanta/web"
)

type studio struct {
	t     testing.TB
	dir   string
	store *store.Store
	srv   *httptest.Server
	id    string
	tabs  []*tab
	stop  func()     // filling orders
	open  func() int // how many tabs are
}

func open(t testing.TB) *studio {
	t.Helper()
	return behind(t, web.Options{})
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
		"/p/" + s.id + "/panel/bench":  "Tighten",
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
		"another scheme":          {"Origin": "https://" + host},
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

func TestCopyAndPasteAsText(t *testing.T) {
	s := open(t)
	code, text := s.do("GET", "/p/"+s.id+"/fragment?look=look1&nodes=n1,n2,n4", nil, nil)
	require.Equal(t, 200, code, text)
	assert.Contains(t, text, `"mobanta": "nodes"`)
	code, body := s.do("POST", "/p/"+s.id+"/paste?look=look1", strings.NewReader(text), map[string]string{"Accept": "application/json"})
	require.Equal(t, 200, code, body)
	n := s.project().Project.Looks[0].Network
	require.Len(t, n.Nodes, 6, "Finish stays where it is")
	assert.Equal(t, "n5", n.Node("n6").In["tone"].Wires[0].Node)
	version := s.project().Version
	for _, bad := range []string{"", "hello", `{"mobanta":"nodes","version":1,"nodes":[{"id":"a","kind":"Glow"}]}`, strings.Repeat("[", 100)} {
		code, body := s.do("POST", "/p/"+s.id+"/paste?look=look1", strings.NewReader(bad), map[string]string{"Accept": "application/json"})
		assert.GreaterOrEqual(t, code, 400, body)
	}
	code, _ = s.do("GET", "/p/"+s.id+"/fragment?look=look1&nodes=n4", nil, nil)
	assert.Equal(t, 422, code)
	assert.Equal(t, version, s.project().Version)
}

func TestFormulasAreCheckedAsTheyAreTyped(t *testing.T) {
	s := open(t)
	s.edit(`{"op":"node.add","look":"look1","kind":"formula"}`)
	check := func(text string) map[string]any {
		code, body := s.do("GET", "/p/"+s.id+"/formula?look=look1&node=n5&text="+url.QueryEscape(text), nil, nil)
		require.Equal(t, 200, code)
		var m map[string]any
		require.NoError(t, json.Unmarshal([]byte(body), &m))
		return m
	}
	assert.Equal(t, "vec3", check("vec3(a, b, 1)")["gives"])
	slip := check("a + sni(b)")
	assert.EqualValues(t, 4, slip["at"])
	assert.Contains(t, slip["error"], "no function")
	assert.Contains(t, check("vec4(a)")["error"], "not a vec4")
	code, body := s.edit(`{"op":"node.set","look":"look1","node":"n5","key":"text","value":"a +"}`)
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "missing at the end")
	code, body = s.edit(`{"op":"list.set","look":"look1","node":"n5","index":0,"key":"name","value":"light"}`)
	require.Equal(t, 200, code, body)
	assert.Equal(t, "smoothstep(0.2, 0.8, light)", s.project().Project.Looks[0].Node("n5").Set["text"], "a renamed input is renamed in the formula")
	code, body = s.edit(`{"op":"list.remove","look":"look1","node":"n5","index":0}`)
	assert.Equal(t, 422, code)
	assert.Contains(t, body, `nothing is named \"light\"`)
}

func TestPalettesAndSwatches(t *testing.T) {
	s := open(t)
	code, body := s.upload("/p/"+s.id+"/palette", "palette", "p.hex", []byte("#D4843F copper\n#26414D\n"))
	require.Equal(t, 200, code, body)
	require.Len(t, s.project().Project.Swatches, 2)
	code, body = s.edit(`{"op":"swatch.use","look":"look1","node":"n2","key":"stops","index":1,"id":"c1"},{"op":"swatch.use","look":"look1","node":"n3","key":"colour","id":"c1"}`)
	require.Equal(t, 200, code, body)
	code, body = s.edit(`{"op":"swatch.set","id":"c1","value":"#112233"}`)
	require.Equal(t, 200, code, body)
	_, file := s.do("GET", "/p/"+s.id+"/look.json?look=look1", nil, nil)
	assert.Equal(t, 2, strings.Count(file, "#112233"), "all that follows it has changed: %s", file)
	assert.NotContains(t, file, "swatch", "a look file stands by itself")
	s.edit(`{"op":"swatch.remove","id":"c1"}`)
	_, file = s.do("GET", "/p/"+s.id+"/look.json?look=look1", nil, nil)
	assert.Equal(t, 2, strings.Count(file, "#112233"), "the colours stay")
	for format, want := range map[string]string{"gpl": "38  65  77", "hex": "#26414D", "png": "\x89PNG"} {
		code, body := s.do("GET", "/p/"+s.id+"/palette/"+format, nil, nil)
		assert.Equal(t, 200, code)
		assert.Contains(t, body, want)
	}
	code, _ = s.do("GET", "/p/"+s.id+"/palette/xyz", nil, nil)
	assert.Equal(t, 404, code)
	code, body = s.upload("/p/"+s.id+"/palette", "palette", "p.gpl", []byte("GIMP Palette\n1 2\n"))
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "line 2")
}

func TestStartingPointsAndTheLibrary(t *testing.T) {
	s := open(t)
	code, body := s.do("GET", "/p/"+s.id+"/starts", nil, nil)
	assert.Equal(t, 200, code)
	assert.GreaterOrEqual(t, strings.Count(body, "data-start="), 8)
	code, body = s.edit(`{"op":"look.replace","look":"look1","kind":"recipe:ink"}`)
	require.Equal(t, 200, code, body)
	assert.NotNil(t, s.project().Project.Looks[0].Node("blacks"))
	code, body = s.edit(`{"op":"look.replace","look":"look1","kind":"recipe:velvet"}`)
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "no starting point")
	s.do("POST", "/p/"+s.id+"/undo", nil, nil)
	assert.Nil(t, s.project().Project.Looks[0].Node("blacks"))

	code, body = s.do("POST", "/p/"+s.id+"/keep?look=look1", nil, nil)
	require.Equal(t, 200, code, body)
	code, body = s.edit(`{"op":"group.make","look":"look1","nodes":["n1","n2"],"name":"Keeper's bands"}`)
	require.Equal(t, 200, code, body)
	code, _ = s.do("POST", "/p/"+s.id+"/keep?look=look1&group=g1", nil, nil)
	require.Equal(t, 200, code)
	other, err := s.store.Create(context.Background(), project.New("Another"))
	require.NoError(t, err)
	_, body = s.do("GET", "/p/"+other+"/starts", nil, nil)
	assert.Contains(t, body, "First look", "what is kept is there in all projects")
	_, body = s.do("GET", "/p/"+other+"/search?q=keeper", nil, nil)
	assert.Contains(t, body, "From the library")
	kept, err := s.store.Library(context.Background(), "group")
	require.NoError(t, err)
	code, body = s.do("POST", "/p/"+other+"/edit", strings.NewReader(`{"edits":[{"op":"group.bring","look":"look1","kind":"library:`+kept[0].ID+`"}]}`), map[string]string{"Content-Type": "application/json"})
	require.Equal(t, 200, code, body)
	st, err := s.store.Load(context.Background(), other)
	require.NoError(t, err)
	require.Len(t, st.Project.Groups, 1)
	assert.Equal(t, "group:g1", st.Project.Looks[0].Nodes[4].Kind)
	code, _ = s.do("POST", "/library/"+kept[0].ID+"/out", nil, nil)
	assert.Equal(t, 200, code)
	code, _ = s.do("POST", "/library/"+kept[0].ID+"/out", nil, nil)
	assert.Equal(t, 404, code)
}

func TestPanelsOfGroupsListsAndSources(t *testing.T) {
	s := open(t)
	code, body := s.edit(`{"op":"group.make","look":"look1","nodes":["n1","n2"],"name":"Bands"},{"op":"dial.add","look":"look1","node":"n3","key":"width","name":"Weight"},
		{"op":"section.gather","look":"look1","nodes":["n3"],"name":"Ink"},{"op":"node.add","look":"look1","kind":"layers"},{"op":"node.add","look":"look1","kind":"switch"}`)
	require.Equal(t, 200, code, body)
	for path, want := range map[string]string{
		"/panel/network":                     "Ink",
		"/panel/network?path=n5":             "used once",
		"/panel/list":                        "Bands",
		"/panel/front":                       "Weight",
		"/panel/front?path=n5":               "from outside",
		"/panel/bench?path=n5&node=n2":       "Show tone outside the group",
		"/panel/bench?node=s1":               "section of 1 node",
		"/panel/bench?node=n6":               "Layer on top",
		"/panel/bench?node=n7":               "Choice",
		"/panel/colours":                     "No swatches yet",
		"/sources?to=n4.colour":              "Bands",
		"/sources?to=n4.lines&q=edge":        "Edge lines",
		"/search?q=ramp&replace=n5":          "Ramp",
		"/panel/network?path=nowhere/at/all": "Ink",
		"/panel/bench?path=n5&node=neverwas": "Ramp",
	} {
		code, body := s.do("GET", "/p/"+s.id+path, nil, nil)
		assert.Equal(t, 200, code, path)
		assert.Contains(t, body, want, path)
	}
	code, _ = s.do("GET", "/p/"+s.id+"/sources?to=n99.colour", nil, nil)
	assert.Equal(t, 404, code)
	_, whole := s.do("GET", "/p/"+s.id+"/panel/network", nil, nil)
	stamp := strings.Split(strings.Split(whole, `id="box-n6" data-stamp="`)[1], `"`)[0]
	_, part := s.do("GET", "/p/"+s.id+"/panel/network", nil, map[string]string{"X-Cards": "n6=" + stamp + " n7=old"})
	assert.Contains(t, part, `<i id="box-n6" data-same hidden></i>`, "what the page has is not sent again")
	assert.Contains(t, part, `id="card-n7"`)
}

func TestEveryNodeHasItsPictureOnTheHelpPage(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long, one node after the other")
	}
	s := open(t)
	_, page := s.do("GET", "/help", nil, nil)
	seen := map[string]string{}
	for _, part := range strings.Split(page, `src="/help/node/`)[1:] {
		kind, _, _ := strings.Cut(part, `"`)
		code, body := s.do("GET", "/help/node/"+kind, nil, nil)
		require.Equal(t, 200, code, kind)
		assert.True(t, strings.HasPrefix(body, "\x89PNG"), kind)
		assert.Greater(t, len(body), 500, "%s shows something", kind)
		seen[kind] = body
	}
	assert.Greater(t, len(seen), 20)
	code, _ := s.do("GET", "/help/node/velvet", nil, nil)
	assert.Equal(t, 404, code)
}

// A model comes with the pictures that colour it: they lie in the project, go out in its
// bundle, and its parts wear looks that they colour; one undo takes all of it back.
func TestAModelComesWithItsPictures(t *testing.T) {
	s := open(t)
	var grain, packed bytes.Buffer
	img := image.NewNRGBA(image.Rect(0, 0, 4, 4))
	for i := range img.Pix {
		img.Pix[i] = byte(60 + 10*i%190)
	}
	require.NoError(t, png.Encode(&grain, img))
	z := zip.NewWriter(&packed)
	for name, data := range map[string]string{"boat.obj": "mtllib boat.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\ng hull\nusemtl wood\nf 1/1 2/2 3/3\ng mast\nusemtl bare\nf 1/1 3/3 2/2\n",
		"boat.mtl": "newmtl wood\nmap_Kd grain.png\nnewmtl bare\nKd 1 1 1\nmap_Kd lost.png\n", "grain.png": grain.String()} {
		w, err := z.Create(name)
		require.NoError(t, err)
		w.Write([]byte(data))
	}
	require.NoError(t, z.Close())
	before := len(s.project().Project.Looks)
	code, body := s.upload("/p/"+s.id+"/models", "files", "boat.zip", packed.Bytes())
	require.Equal(t, 200, code, body)
	assert.Contains(t, body, "lost.png", "what is missing is said")
	p := s.project().Project
	require.Len(t, p.Looks, before+1)
	m := p.Stage.Models[len(p.Stage.Models)-1]
	assert.Equal(t, "look1", m.Looks["mast"])
	worn := p.Look(m.Looks["hull"])
	require.NotNil(t, worn)
	hash := ""
	for i := range worn.Nodes {
		if worn.Nodes[i].Kind == "image" {
			hash, _ = worn.Nodes[i].Set["picture"].(string)
		}
	}
	f, err := s.store.File(context.Background(), hash)
	require.NoError(t, err)
	assert.Equal(t, grain.Bytes(), f.Data)
	code, file := s.do("GET", "/p/"+s.id+"/bundle", nil, nil)
	require.Equal(t, 200, code)
	out, err := zip.NewReader(strings.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(out.File, func(f *zip.File) bool { return strings.Contains(f.Name, hash) }))
	code, _ = s.do("POST", "/p/"+s.id+"/undo", nil, map[string]string{"Accept": "application/json"})
	require.Equal(t, 200, code)
	assert.Len(t, s.project().Project.Looks, before)
}

// What is wrong with the faces of a model is said as it is brought in; the stage panel mends it, in whole or kind by kind, and what it
// was is compared.
func TestAModelWithFaultsIsMended(t *testing.T) {
	s := open(t)
	m := mesh.Cuboid(vec.V{1, 1, 1})
	slices.Reverse(m.Face(2))
	var crate bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&crate, m))
	code, body := s.upload("/p/"+s.id+"/models", "files", "crate.obj", crate.Bytes())
	require.Equal(t, 200, code, body)
	assert.Contains(t, body, "1 turned face")
	model := func() *stage.Model {
		list := s.project().Project.Stage.Models
		return &list[len(list)-1]
	}
	panel := func() string {
		_, text := s.do("GET", "/p/"+s.id+"/panel/stage", nil, map[string]string{"HX-Request": "true"})
		return text
	}
	assert.Contains(t, panel(), "as they came")
	assert.NotContains(t, panel(), "turned faces")
	set := func(value string) (int, string) {
		return s.edit(`{"op":"model.set","id":"` + model().ID + `","key":"mend","value":` + value + `}`)
	}
	code, body = set(`"empty twice gaps turned"`)
	require.Equal(t, 200, code, body)
	assert.Equal(t, mesh.MendFaces, model().Form.Mend)
	assert.Contains(t, panel(), "turned faces")
	assert.Contains(t, panel(), html.EscapeString(`"value":"empty twice gaps"`), "pressed, one is left")
	code, body = set(`"turned"`)
	require.Equal(t, 200, code, body)
	assert.Equal(t, mesh.MendTurned, model().Form.Mend)
	for value, says := range map[string]string{`"wheels"`: "Nothing named", `3`: "list of names"} {
		code, body = set(value)
		assert.Equal(t, 422, code)
		assert.Contains(t, body, says)
	}
	code, body = s.do("GET", "/p/"+s.id+"/compare?a=came&b=mended", nil, nil)
	require.Equal(t, 200, code)
	assert.Contains(t, body, "Models as they came")
}

// What lies far from the origin is brought near, and a second model of the same scene stands beside the first as in their files.
func TestModelsFromFarAwayAreBroughtNear(t *testing.T) {
	s := open(t)
	tent := func(x, y float64) []byte {
		var b bytes.Buffer
		for _, p := range [][3]float64{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, 1}} {
			fmt.Fprintf(&b, "v %.6f %.6f %.6f\n", x+p[0], y+p[1], p[2])
		}
		return append(b.Bytes(), "f 1 2 3 4\nf 1 2 5\nf 2 3 5\nf 3 4 5\nf 4 1 5\n"...)
	}
	for k, at := range [][2]float64{{412_000, 5_310_000}, {412_006, 5_310_002}} {
		code, body := s.upload("/p/"+s.id+"/models", "files", "tent.obj", tent(at[0], at[1]))
		require.Equal(t, 200, code, body)
		assert.Contains(t, body, "it was brought near")
		list := s.project().Project.Stage.Models
		m := &list[len(list)-1]
		assert.Equal(t, mesh.Mends(mesh.MendFar), m.Form.Mend)
		assert.InDeltaSlice(t, []float32{6 * float32(k), 2 * float32(k), 0}, m.At[:], 0.51, "to what 32 bits tell of so far a place")
	}
	_, panel := s.do("GET", "/p/"+s.id+"/panel/stage", nil, map[string]string{"HX-Request": "true"})
	assert.Contains(t, panel, "distance")
}

// A model of few polygons is drawn smooth as it is brought in: that is said, one undo takes it back with the model, and the stage
// panel turns it off.
func TestACoarseModelIsDrawnSmooth(t *testing.T) {
	s := open(t)
	var ball bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&ball, mesh.Sphere(1, 14, 8)))
	code, body := s.upload("/p/"+s.id+"/models", "files", "ball.obj", ball.Bytes())
	require.Equal(t, 200, code, body)
	assert.Contains(t, body, "it is drawn smooth")
	m := s.project().Project.Stage.Models[len(s.project().Project.Stage.Models)-1]
	assert.True(t, m.Form.Smooth)
	_, panel := s.do("GET", "/p/"+s.id+"/panel/stage", nil, map[string]string{"HX-Request": "true"})
	assert.Contains(t, panel, "drawn smooth")
	code, body = s.edit(`{"op":"model.set","id":"` + m.ID + `","key":"smooth","value":false}`)
	require.Equal(t, 200, code, body)
	assert.False(t, s.project().Project.Stage.Models[len(s.project().Project.Stage.Models)-1].Form.Smooth)
	code, body = s.edit(`{"op":"model.set","id":"` + m.ID + `","key":"smooth","value":"very"}`)
	assert.NotEqual(t, 200, code)
	assert.Contains(t, body, "drawn smooth or not")

	code, body = s.upload("/p/"+s.id+"/models", "files", "crate.obj", []byte("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n"))
	require.Equal(t, 200, code, body)
	assert.NotContains(t, body, "smooth", "what is flat is left alone")
}
