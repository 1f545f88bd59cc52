package web_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/stage"
	"mobanta/core/vec"
)

func smallPicture(t testing.TB) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 4, 2))
	for i := range 8 {
		img.Set(i%4, i/4, color.NRGBA{uint8(30 * i), 90, 200, 255})
	}
	var buf bytes.Buffer
	require.NoError(t, png.Encode(&buf, img))
	return buf.Bytes()
}

func TestPicturesComeInAndGoAlong(t *testing.T) {
	s := open(t)
	code, body := s.upload("/p/"+s.id+"/pictures", "picture", "sky.png", smallPicture(t))
	require.Equal(t, 200, code, body)
	hash := body[len(`{"hash":"`) : len(`{"hash":"`)+64]
	code, shown := s.do("GET", "/p/"+s.id+"/pictures/"+hash, nil, nil)
	assert.Equal(t, 200, code)
	assert.Contains(t, shown, "\x89PNG")
	code, _ = s.do("GET", "/p/"+s.id+"/pictures/0123", nil, nil)
	assert.Equal(t, 404, code)
	code, body = s.upload("/p/"+s.id+"/pictures", "picture", "sky.png", []byte("no picture"))
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "no PNG, JPEG, WebP or Radiance")

	code, body = s.edit(`{"op":"light.add","kind":"sky"},{"op":"light.set","id":"light1","key":"picture","value":"` + hash + `"},
		{"op":"node.add","look":"look1","kind":"image"},{"op":"node.set","look":"look1","node":"n5","key":"picture","value":"` + hash + `"},{"op":"wire","look":"look1","from":"n5.colour","to":"n4.colour"}`)
	require.Equal(t, 200, code, body)
	_, panel := s.do("GET", "/p/"+s.id+"/panel/stage", nil, nil)
	assert.Contains(t, panel, "/pictures/"+hash)
	_, look := s.do("GET", "/p/"+s.id+"/look.json?look=look1", nil, nil)
	assert.Contains(t, look, `"pictures"`, "a look file brings its pictures along")
	_, bundle := s.do("GET", "/p/"+s.id+"/bundle", nil, nil)

	other := open(t)
	code, body = other.upload("/p/"+other.id+"/look", "look", "l.json", []byte(look))
	require.Equal(t, 200, code, body)
	code, _ = other.do("GET", "/p/"+other.id+"/pictures/"+hash, nil, nil)
	assert.Equal(t, 200, code, "it came with the look")
	third := open(t)
	code, body = third.upload("/bundles", "bundle", "b.zip", []byte(bundle))
	require.Less(t, code, 400, body)
	code, _ = third.do("GET", "/p/"+third.id+"/pictures/"+hash, nil, nil)
	assert.Equal(t, 200, code, "and with the bundle")
	code, body = other.upload("/p/"+other.id+"/look", "look", "l.json", bytes.Replace([]byte(look), []byte(`"pictures": {`), []byte(`"pictures": {"`+hash[:63]+`0": "AAAA",`), 1))
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "damaged")
}

func TestAPaletteForARamp(t *testing.T) {
	s := open(t)
	code, body := s.upload("/p/"+s.id+"/palette?look=look1&node=n2&ramp=stops", "palette", "p.hex", []byte("#102030 ink\n#405060\n#708090\n#A0B0C0\n#D0E0F0\n"))
	require.Equal(t, 200, code, body)
	for format, want := range map[string]string{"gpl": "16  32  48", "hex": "#D0E0F0", "png": "\x89PNG"} {
		code, body := s.do("GET", "/p/"+s.id+"/ramp/"+format+"?look=look1&path=&node=n2&key=stops", nil, nil)
		assert.Equal(t, 200, code)
		assert.Contains(t, body, want)
	}
	for _, q := range []string{"hex?look=look1&node=n1&key=stops", "hex?look=look1&node=zz&key=stops", "hex?look=look1&node=n2&key=mixing", "xyz?look=look1&node=n2&key=stops"} {
		code, _ := s.do("GET", "/p/"+s.id+"/ramp/"+q, nil, nil)
		assert.Equal(t, 404, code, q)
	}
}

func TestLightsOfAllKindsInThePanel(t *testing.T) {
	s := withBall(t)
	for _, kind := range []string{"point", "disc", "rectangle", "sky", "headlamp"} {
		code, body := s.edit(`{"op":"light.add","kind":"` + kind + `"}`)
		require.Equal(t, 200, code, body)
	}
	st := s.project().Project.Stage
	require.Len(t, st.Lights, 6)
	assert.Greater(t, st.Lights[1].At.Len(), float32(2), "placed by the box of the models")
	_, panel := s.do("GET", "/p/"+s.id+"/panel/stage?light=light2", nil, nil)
	for _, want := range []string{"Disc", "full at", "Place of the light", "Height of the light", "Headlamp", "lights all parts"} {
		assert.Contains(t, panel, want)
	}
	code, body := s.edit(`{"op":"light.set","id":"light3","key":"size","value":"1/3","as":"number"}`)
	require.Equal(t, 200, code, body)
	code, body = s.edit(`{"op":"light.add","kind":"candle"}`)
	assert.Equal(t, 422, code)
	assert.Contains(t, body, "no kind of light")
	_, bench := s.do("GET", "/p/"+s.id+"/panel/bench?look=look1&node=n1", nil, nil)
	assert.Contains(t, bench, ">Disc<", "lights are picked, not typed")
}

func TestWhatComesInIsFramedInOneStep(t *testing.T) {
	s := open(t)
	edit := func(edits string) stage.Stage {
		t.Helper()
		code, body := s.edit(edits)
		require.Equal(t, 200, code, body)
		return s.project().Project.Stage
	}
	version := s.project().Version
	st := edit(`{"op":"model.add","kind":"sphere"},{"op":"camera.frame","aspect":1.5}`)
	assert.Equal(t, version+1, s.project().Version)
	assert.Equal(t, edit(`{"op":"camera.frame","aspect":1.5}`).Camera, st.Camera, "it is the sphere that is framed")
	st = edit(`{"op":"model.add","kind":"plane"},{"op":"camera.frame","aspect":1.5},{"op":"light.add","kind":"point"}`)
	assert.Equal(t, vec.V{0, -1, 0}, st.Models[1].At, "the floor lies under the sphere")
	assert.Equal(t, edit(`{"op":"camera.frame","aspect":1.5}`).Camera, st.Camera)
	assert.Greater(t, st.Lights[1].Reach, float32(5), "the light is as far as floor and sphere are wide")
	code, body := s.edit(`{"op":"camera.frame","aspect":1.5},{"op":"node.remove","look":"look1","node":"gone"},{"op":"light.add","kind":"sun"}`)
	assert.Equal(t, 422, code, body)
	assert.Len(t, s.project().Project.Stage.Lights, 2, "all or nothing")
}

func TestLightIsMovedByTheHand(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 120, "h": 80, "look": "look1", "node": "n2", "tool": "light", "fresh": true})
	b.settled()
	hand := func(light, mode string, x, y float64) {
		v := s.project().Version
		b.say(map[string]any{"t": "hand", "tool": "light", "mode": mode, "light": light, "x0": 0.75, "y0": 0.5, "x": x, "y": y, "final": true})
		b.until("it is stored", func() bool { return s.project().Version > v })
	}
	hand("sun", "highlight", 0.75, 0.5)
	sun := s.project().Project.Stage.Lights[0]
	cam := s.project().Project.Stage.Camera
	assert.InDelta(t, cam.Azimuth, sun.Azimuth, 2, "the highlight in the middle: the sun is behind the eye")
	assert.InDelta(t, cam.Elevation, sun.Elevation, 2)
	hand("sun", "shadow", 0.8, 0.5)
	moved := s.project().Project.Stage.Lights[0]
	assert.NotEqual(t, sun, moved)
	hand("sun", "itself", 0.9, 0.4)
	assert.NotEqual(t, moved, s.project().Project.Stage.Lights[0])
	code, body := s.edit(`{"op":"light.add","kind":"point"},{"op":"light.add","kind":"sky"}`)
	require.Equal(t, 200, code, body)
	b.settled()
	was := s.project().Project.Stage.Lights[1].At
	hand("light1", "itself", 0.7, 0.45)
	now := s.project().Project.Stage.Lights[1].At
	view := cam.View(120, 80)
	assert.InDelta(t, view.Camera(was)[2], view.Camera(now)[2], 1e-3, "it keeps its distance from the picture")
	assert.NotEqual(t, was, now)
	for _, from := range []string{"[40,0,0]", "[0,0,40]"} { // beside the picture, behind the eye
		code, body := s.edit(`{"op":"light.set","id":"light1","key":"fields","value":{"at":` + from + `}}`)
		require.Equal(t, 200, code, body)
		b.settled()
		hand("light1", "itself", 0.9, 0.3)
		x, y, seen := view.Mark(s.project().Project.Stage.Lights[1].At)
		assert.True(t, seen, "it comes into the picture, from %s", from)
		assert.InDelta(t, 0.9*80, x, 0.05)
		assert.InDelta(t, 0.3*80, y, 0.05)
	}
	for light, why := range map[string]string{"light2": "is a sky", "gone": "no light to move"} {
		b.say(map[string]any{"t": "hand", "tool": "light", "mode": "highlight", "light": light, "x0": 0.5, "y0": 0.5, "x": 0.6, "y": 0.5})
		b.until(why, func() bool {
			said, _ := b.told("problem", "error").(string)
			return bytes.Contains([]byte(said), []byte(why))
		})
	}
	// Beside the ball the hand says nothing about a highlight: the light stays.
	v := s.project().Version
	b.say(map[string]any{"t": "hand", "tool": "light", "mode": "highlight", "light": "sun", "x0": 0.01, "y0": 0.01, "x": 0.02, "y": 0.01, "final": true})
	b.say(map[string]any{"t": "point", "tool": "ask", "phase": "down", "x": 0.75, "y": 0.5})
	b.until("a trail", func() bool {
		html, _ := b.told("trail", "html").(string)
		return bytes.Contains([]byte(html), []byte("falls into band"))
	})
	assert.Equal(t, v, s.project().Version)
}

func TestTheTrailTellsWhatEachCutMadeOfTheTone(t *testing.T) {
	s := withBall(t)
	code, body := s.edit(`{"op":"node.add","look":"look1","kind":"two-way-ramp"},{"op":"node.input","look":"look1","node":"n5","key":"tone","value":0.6},{"op":"wire","look":"look1","from":"n5.colour","to":"n4.colour"}`)
	require.Equal(t, 200, code, body)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 60, "h": 40, "look": "look1", "node": "n2", "fresh": true})
	b.settled()
	tells := func(want, edit string) {
		t.Helper()
		code, body := s.edit(edit)
		require.Equal(t, 200, code, body)
		b.until(want, func() bool { // it asks until the picture is that of the edit
			b.say(map[string]any{"t": "point", "tool": "ask", "phase": "down", "x": 0.75, "y": 0.5})
			html, _ := b.told("trail", "html").(string)
			return bytes.Contains([]byte(html), []byte(want))
		})
	}
	input := func(node, key, v string) string {
		return `{"op":"node.input","look":"look1","node":"` + node + `","key":"` + key + `","value":` + v + `}`
	}
	tells("0.6, 0 down, falls into Near: band 3 of 4, no name<", input("n5", "down", "0"))
	tells("0.6, 0.3 down, falls into Near: band 3 of 4, no name; Far: band 3 of 4, no name", input("n5", "down", "0.3"))
	tells("0.6, 0.3 down, falls into Near: band 3 of 4, no name<", `{"op":"node.set","look":"look1","node":"n5","key":"between","value":"step"}`)

	code, body = s.edit(`{"op":"node.add","look":"look1","kind":"soft-step"},{"op":"wire","look":"look1","from":"n6.tone","to":"n4.colour"},` + input("n6", "tone", "0.45"))
	require.Equal(t, 200, code, body)
	tells("0.45 does not reach the threshold, 0.5", input("n6", "softness", "0"))
	tells("0.45 is past the threshold, 0.45", input("n6", "threshold", "0.45"))
	tells("0.45 is within the soft edge about 0.5", input("n6", "threshold", "0.5")+","+input("n6", "softness", "0.3"))
	tells("0.45 is past the threshold, 0.2", input("n6", "threshold", "0.2"))
	tells("0.45 does not reach the threshold, 0.8", input("n6", "threshold", "0.8"))
}

func TestChecksAreTold(t *testing.T) {
	s := withBall(t)
	b := s.tab(t)
	b.say(map[string]any{"t": "view", "w": 60, "h": 40, "look": "look1", "node": "n2", "fresh": true})
	b.until("nothing to say", func() bool { n, ok := b.told("checks", "count").(float64); return ok && n == 0 })
	code, body := s.edit(`{"op":"light.set","id":"sun","key":"strength","value":0}`)
	require.Equal(t, 200, code, body)
	b.until("a remark", func() bool { n, _ := b.told("checks", "count").(float64); return n > 0 })
	assert.Contains(t, b.told("checks", "html"), "has strength 0")
}
