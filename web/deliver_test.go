package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"log/slog"
	"mime"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/jobs"
	"mobanta/web"
)

// withOrders is a studio with a ball that takes orders.
func withOrders(t *testing.T) *studio {
	t.Helper()
	b, err := jobs.Open(context.Background(), jobs.Options{Dir: t.TempDir(), Maker: "test"})
	require.NoError(t, err)
	t.Cleanup(b.Close)
	s := behind(t, web.Options{Board: b})
	code, text := s.edit(`{"op":"model.add","kind":"sphere"}`)
	require.Equal(t, 200, code, text)
	require.NoError(t, b.Ready(t.Context()))
	return s
}

var asJSON = map[string]string{"Content-Type": "application/json", "Accept": "application/json"}

// order places an order and returns what was answered.
func (s *studio) order(path, body string) (int, map[string]any) {
	s.t.Helper()
	res := s.answer("POST", "/p/"+s.id+path, body, asJSON)
	var got map[string]any
	data, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	require.NoError(s.t, json.Unmarshal(data, &got), string(data))
	return res.StatusCode, got
}

// done waits for a job to end, and returns its state.
func (s *studio) done(job any) map[string]any {
	s.t.Helper()
	for range 600 {
		res := s.answer("GET", fmt.Sprintf("/p/%s/orders/%v", s.id, job), "", asJSON)
		var got map[string]any
		require.NoError(s.t, json.NewDecoder(res.Body).Decode(&got))
		if state := got["state"]; res.StatusCode == 200 && state != "drawing" && state != "gathering" {
			return got
		}
		time.Sleep(50 * time.Millisecond)
	}
	require.Fail(s.t, "the job does not end")
	return nil
}

func (s *studio) body(path string) (*http.Response, []byte) {
	s.t.Helper()
	res := s.answer("GET", "/p/"+s.id+path, "", nil)
	data, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	return res, data
}

// What is ordered is what one call draws of what was stored when it was ordered, whatever happens to the project since.
func TestAnOrderIsFilled(t *testing.T) {
	s := withOrders(t)
	pic, err := frame.Draw(context.Background(), s.project().Project, meshfile.Files(nil), frame.Order{W: 90, H: 60, Samples: 4})
	require.NoError(t, err)
	var want bytes.Buffer
	require.NoError(t, pic.Write(&want, frame.PNG8))
	code, got := s.order("/orders", `{"as":"png8","w":90,"h":60,"samples":4}`)
	require.Equal(t, 200, code, got)
	job := got["job"]
	s.edit(`{"op":"model.remove","id":"model1"}`)
	state := s.done(job)
	require.Equal(t, "done", state["state"], state["why"])
	res, data := s.body(fmt.Sprintf("/orders/%v/file", job))
	require.Equal(t, 200, res.StatusCode)
	kind, params, err := mime.ParseMediaType(res.Header.Get("Content-Disposition"))
	require.NoError(t, err)
	assert.Equal(t, "attachment", kind)
	assert.Equal(t, "Night harbour 90x60.png", params["filename"])
	assert.Equal(t, want.Bytes(), data)
	_, list := s.body("/orders")
	assert.Contains(t, string(list), "Night harbour 90x60.png")
	_, page := s.body("/deliver")
	assert.Contains(t, string(page), fmt.Sprint(job))
	assert.Eventually(t, func() bool {
		res, data := s.body(fmt.Sprintf("/orders/%v/face.png", job)) // until it is there what comes is nothing, and no error
		require.Equal(t, 200, res.StatusCode)
		img, err := png.Decode(bytes.NewReader([]byte(data)))
		require.NoError(t, err)
		return img.Bounds().Dx() > 1
	}, 10*time.Second, 50*time.Millisecond)

	// No job is another project's.
	other, err := s.store.Create(context.Background(), project.New("Other"))
	require.NoError(t, err)
	res = s.answer("GET", fmt.Sprintf("/p/%s/orders/%v/file", other, job), "", nil)
	assert.NotEqual(t, 200, res.StatusCode)
	code, _ = s.order(fmt.Sprintf("/orders/%v/forget", job), "{}")
	assert.Equal(t, 200, code)
	assert.Eventually(t, func() bool { _, list := s.body("/orders"); return !strings.Contains(string(list), "90x60") }, 5*time.Second, 20*time.Millisecond)
}

// Just after a start it is not yet known which orders there are: a request waits for that, rather than being told of none.
func TestAJobIsThereAtOnceAfterARestart(t *testing.T) {
	dir := t.TempDir()
	b, err := jobs.Open(context.Background(), jobs.Options{Dir: dir, Maker: "test", Studio: true})
	require.NoError(t, err)
	s := behind(t, web.Options{Board: b})
	code, got := s.order("/orders", `{"as":"png8","w":20,"h":20,"samples":1}`)
	require.Equal(t, 200, code, got)
	require.Equal(t, "done", s.done(got["job"])["state"])

	s.stop()
	b.Close()
	b, err = jobs.Open(context.Background(), jobs.Options{Dir: dir, Maker: "test", Studio: true})
	require.NoError(t, err)
	defer b.Close()
	v, err := web.New(s.store, slog.New(slog.DiscardHandler), web.Options{Board: b})
	require.NoError(t, err)
	srv := httptest.NewServer(v.Handler())
	defer srv.Close()
	ctx, cancel := context.WithCancel(context.Background())
	filled := make(chan struct{})
	defer func() { cancel(); <-filled }()
	go func() {
		defer close(filled)
		time.Sleep(300 * time.Millisecond)
		v.Fill(ctx)
	}()
	for _, path := range []string{"", "/file"} {
		res, err := http.Get(fmt.Sprintf("%s/p/%s/orders/%v%s", srv.URL, s.id, got["job"], path))
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, 200, res.StatusCode, path)
	}
}

func TestAnOrderIsCancelled(t *testing.T) {
	s := withOrders(t)
	s.edit(`{"op":"move.turntable"}`)
	_, got := s.order("/orders", `{"as":"gif","w":400,"h":400,"samples":64}`)
	code, _ := s.order(fmt.Sprintf("/orders/%v/cancel", got["job"]), "{}")
	assert.Equal(t, 200, code)
	assert.Equal(t, "cancelled", s.done(got["job"])["state"])
	res, body := s.body(fmt.Sprintf("/orders/%v/file", got["job"]))
	require.Equal(t, 422, res.StatusCode)
	assert.Contains(t, string(body), "not done")
}

func TestBadOrdersAreRefused(t *testing.T) {
	s := withOrders(t)
	for says, body := range map[string]string{
		"could not be read":    `{`,
		"1 to 32768 pixels":    `{"as":"png8","w":0,"h":10}`,
		"not 1000000000":       `{"as":"png8","w":1000000000,"h":1}`,
		"no format":            `{"as":"../../etc/passwd","w":10,"h":10}`,
		"counted from 0":       `{"as":"gif","w":10,"h":10,"last":1000000}`,
		"staging is not there": `{"as":"png8","w":10,"h":10,"staging":"../x"}`,
		"what it varies":       `{"as":"sheet","w":10,"h":10}`,
		"per inch lie":         `{"as":"png8","w":10,"h":10,"dpi":1e300}`,
		"lies outside 0 to ":   `{"as":"png8","w":10,"h":10,"at":-1}`,
		"100000 × 100000":      `{"as":"texture","w":100000,"h":100000}`,
		"model is not there":   `{"as":"texture","w":16,"h":16,"bake":{"model":"../x"}}`,
		"look is not there":    `{"as":"mtlx","w":16,"h":16,"code":{"look":"none"}}`,
		"thousandths":          `{"as":"glb","w":16,"h":16,"painted":{"outline":1e9}}`,
		"margin is 0 to":       `{"as":"texture","w":16,"h":16,"bake":{"margin":-4}}`,
	} {
		for _, path := range []string{"/orders", "/estimate"} {
			code, got := s.order(path, body)
			assert.Contains(t, []int{400, 422}, code)
			assert.Contains(t, got["error"], says)
		}
	}
	_, list := s.body("/orders")
	assert.Contains(t, string(list), "Nothing is ordered yet")
	for _, path := range []string{"/orders/none", "/orders/none/file", "/orders/a%2F..%2Fb/file", "/orders/none/piece/0", "/orders/none/face.png"} {
		res, _ := s.body(path)
		assert.Contains(t, []int{404, 422}, res.StatusCode, path)
	}
	bare := behind(t, web.Options{})
	code, got := bare.order("/orders", `{"as":"png8","w":10,"h":10}`)
	assert.Equal(t, 422, code)
	assert.Contains(t, got["error"], "takes no orders")
	res, _ := bare.body("/deliver")
	assert.Equal(t, 200, res.StatusCode)
}

// A texture that is ordered is shown on its model, and gone with its order.
func TestATextureIsShownOnItsModel(t *testing.T) {
	s := withOrders(t)
	code, got := s.order("/orders", `{"as":"texture","w":128,"h":128,"samples":1,"bake":{"eye":"camera"}}`)
	require.Equal(t, 200, code, got)
	require.Equal(t, "done", s.done(got["job"])["state"])
	side := fmt.Sprintf("baked/%v", got["job"])
	res, baked := s.body("/still.png?w=90&h=60&of=" + side)
	require.Equal(t, 200, res.StatusCode)
	_, live := s.body("/still.png?w=90&h=60&of=now")
	_, checker := s.body("/still.png?w=90&h=60&of=checker")
	assert.NotEqual(t, live, baked, "lines are not baked")
	assert.NotEqual(t, checker, baked)
	_, page := s.body("/compare?a=" + side + "&b=now")
	assert.Contains(t, string(page), `<optgroup label="Baked">`)
	res, _ = s.body("/still.png?w=90&h=60&of=baked/none")
	assert.NotEqual(t, 200, res.StatusCode)
	other, err := s.store.Create(context.Background(), project.New("Other"))
	require.NoError(t, err)
	res = s.answer("GET", fmt.Sprintf("/p/%s/still.png?w=90&h=60&of=%s", other, side), "", nil)
	assert.NotEqual(t, 200, res.StatusCode, "no texture is another project's")
}

// What depends on the eye is refused before it is ordered, unless it is said what is to be done about it.
func TestWhatHangsOnTheEyeIsAskedAbout(t *testing.T) {
	s := withOrders(t)
	s.edit(`{"op":"node.add","look":"look1","kind":"outline"}`)
	net := &s.project().Project.Looks[0].Network
	rim := net.Nodes[len(net.Nodes)-1].ID
	s.edit(fmt.Sprintf(`{"op":"wire","look":"look1","from":"%s.tone","to":"%s.opacity"}`, rim, net.Finish().ID))
	for _, path := range []string{"/orders", "/estimate"} {
		code, got := s.order(path, `{"as":"texture","w":16,"h":16}`)
		assert.Equal(t, 422, code)
		assert.Contains(t, got["error"], "hangs on where the eye is")
	}
	code, got := s.order("/estimate", `{"as":"texture","w":16,"h":16,"bake":{"eye":"out"}}`)
	require.Equal(t, 200, code, got)
	assert.Contains(t, fmt.Sprint(got["remarks"]), "left out")
}

func TestEstimates(t *testing.T) {
	s := withOrders(t)
	code, got := s.order("/estimate", `{"as":"png8","w":2000,"h":1000,"samples":16,"dpi":72}`)
	require.Equal(t, 200, code, got)
	assert.Positive(t, got["seconds"])
	assert.Contains(t, fmt.Sprint(got["remarks"]), "few for print")
	code, got = s.order("/estimate", `{"as":"png8","w":60,"h":40,"samples":1}`)
	require.Equal(t, 200, code, got)
	assert.Contains(t, fmt.Sprint(got["remarks"]), "pixels wide at this size")
}

// A sheet fills, a cell of it is taken, or kept.
func TestAProofSheet(t *testing.T) {
	s := withOrders(t)
	s.edit(`{"op":"light.add","kind":"sun","name":"Key"}`)
	sun := s.project().Project.Stage.Lights[0].ID
	sheet := fmt.Sprintf(`{"axes":[{"of":"sun/%s","values":["10","80"]}]}`, sun)
	code, got := s.order("/orders", `{"as":"sheet","w":60,"h":40,"samples":1,"sheet":`+sheet+`}`)
	require.Equal(t, 200, code, got)
	state := s.done(got["job"])
	require.Equal(t, "done", state["state"], state["why"])
	res, cell := s.body(fmt.Sprintf("/orders/%v/piece/1", got["job"]))
	require.Equal(t, 200, res.StatusCode)
	_, err := png.Decode(bytes.NewReader(cell))
	require.NoError(t, err)
	_, page := s.body("/sheet?axis=" + url.QueryEscape("sun/"+sun+"=10,80"))
	assert.Contains(t, string(page), fmt.Sprint(got["job"]), "the sheet that was drawn is found again")
	_, page = s.body("/sheet")
	assert.Contains(t, string(page), "2 pictures: 2 by 1")
	_, page = s.body("/sheet?axis=sun/none=1")
	assert.Contains(t, string(page), "choose it anew")

	code, got = s.order("/sheet/press", `{"sheet":`+sheet+`,"cell":1,"keep":true}`)
	require.Equal(t, 200, code, got)
	p := s.project().Project
	require.Len(t, p.Stagings, 1)
	assert.Equal(t, "80°", p.Stagings[0].Name)
	assert.NotEqual(t, 80.0, p.Stage.Lights[0].Azimuth, "the project stays as it is")
	assert.Equal(t, 80.0, p.Stagings[0].Lights[0].Azimuth)
	code, _ = s.order("/sheet/press", `{"sheet":`+sheet+`,"cell":1}`)
	require.Equal(t, 200, code)
	assert.Equal(t, 80.0, s.project().Project.Stage.Lights[0].Azimuth)
	code, got = s.order("/sheet/press", `{"sheet":`+sheet+`,"cell":7}`)
	assert.Equal(t, 422, code)
	assert.Contains(t, got["error"], "no such picture")
}

// Both sides of a comparison are pictures of what they name; a pixel of each can be asked.
func TestSidesAreCompared(t *testing.T) {
	s := withOrders(t)
	s.edit(`{"op":"staging.add","name":"Before"}`)
	s.edit(`{"op":"camera.set","value":{"azimuth":75}}`)
	kept := "staging/" + s.project().Project.Stagings[0].ID
	picture := func(query string) []byte {
		res, data := s.body("/still.png?w=90&h=60&" + query)
		require.Equal(t, 200, res.StatusCode, string(data))
		return data
	}
	now, then := picture("of=now"), picture("of="+kept)
	assert.Equal(t, now, picture("of=now&v=1"), "and the same again")
	s.edit(`{"op":"light.add","kind":"sun"}`)
	s.edit(`{"op":"staging.add","name":"Lit"}`)
	lit := "staging/" + s.project().Project.Stagings[1].ID
	assert.NotEqual(t, now, then)
	assert.NotEqual(t, picture("of="+kept), picture("of="+lit))
	assert.Equal(t, picture("of="+lit), picture("of="+lit+"&camera=now"))
	assert.NotEqual(t, picture("of="+kept), picture("of="+kept+"&camera=now"))
	assert.Equal(t, picture("of=now"), picture("of=look/look1"), "all parts wear it")
	res, html := s.body("/still/trail?of=" + kept + "&w=90&h=60&x=0.5&y=0.5")
	require.Equal(t, 200, res.StatusCode)
	assert.Contains(t, string(html), "Diffuse light")
	_, page := s.body("/compare?a=" + kept + "&b=now&way=blink")
	assert.Contains(t, string(page), `data-way="blink"`)
	_, page = s.body("/compare?a=staging/none&b=look/none&way=none")
	assert.Contains(t, string(page), `data-way="wipe"`)
	for _, bad := range []string{"/still.png?of=staging/none&w=9&h=9", "/still.png?of=now&w=0&h=9", "/still.png?of=now&w=9000&h=9000", "/still/trail?of=now&w=9&h=9&x=2&y=0", "/still/trail?of=now&w=9&h=9&x=NaN&y=0"} {
		res, _ := s.body(bad)
		assert.Contains(t, []int{404, 422}, res.StatusCode, bad)
	}
	res, panel := s.body("/panel/stagings")
	require.Equal(t, 200, res.StatusCode)
	assert.Contains(t, string(panel), "Before")
}

// A cell that is looked at is drawn as large as it is shown.
func TestACellIsDrawnLarger(t *testing.T) {
	s := withOrders(t)
	s.edit(`{"op":"light.add","kind":"sun","name":"Key"}`)
	axis := "&axis=" + url.QueryEscape("sun/"+s.project().Project.Stage.Lights[0].ID+"=10,80")
	res, data := s.body("/still.png?w=120&h=80&of=cell/1" + axis)
	require.Equal(t, 200, res.StatusCode)
	img, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	assert.Equal(t, 120, img.Bounds().Dx())
	_, other := s.body("/still.png?w=120&h=80&of=cell/0" + axis)
	assert.NotEqual(t, data, other)
	for _, bad := range []string{"cell/2" + axis, "cell/-1" + axis, "cell/0", "cell/0&axis=sun/none=1"} {
		res, _ := s.body("/still.png?w=120&h=80&of=" + bad)
		assert.Equal(t, 422, res.StatusCode, bad)
	}
}

// A damaged model is not drawn as another form: tabs are told, no bundle of it is given out, and bringing it in again mends it.
func TestADamagedModelIsTold(t *testing.T) {
	const obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n"
	s := open(t)
	code, text := s.upload("/p/"+s.id+"/models", "files", "corner.obj", []byte(obj))
	require.Equal(t, 200, code, text)
	hash := s.project().Project.Stage.Models[0].File
	spoilt := strings.Replace(obj, "0 0 1", "0 0 3", 1)
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "files", hash), []byte(spoilt), 0o600))
	v, err := web.New(s.store, slog.New(slog.DiscardHandler), web.Options{}) // one that has not read it yet
	require.NoError(t, err)
	s.srv = httptest.NewServer(v.Handler())
	defer s.srv.Close()

	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 60, "h": 40, "look": "look1"})
	b.until("that it is told", func() bool { return b.told("problem", "error") != nil })
	assert.Contains(t, b.told("problem", "error"), `"corner.obj" is damaged`)
	code, text = s.do("GET", "/p/"+s.id+"/bundle", nil, asJSON)
	assert.Equal(t, 409, code)
	assert.Contains(t, text, "is damaged")

	code, text = s.upload("/p/"+s.id+"/models", "files", "corner.obj", []byte(obj))
	require.Equal(t, 200, code, text)
	b.until("a picture", func() bool { return b.done })
	code, _ = s.do("GET", "/p/"+s.id+"/bundle", nil, nil)
	assert.Equal(t, 200, code)
}
