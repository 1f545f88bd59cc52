package e2e

import (
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Keys of one letter can be given others, and switched off; they never act while a field or
// a dialog has the focus.
func TestKeysAreTheArtists(t *testing.T) {
	d := start(t, "demo", "/settings")
	press := func(k input.Key) { require.NoError(t, d.Keyboard.Press(k)) }
	d.el("#key-turn").Focus()
	press(input.KeyG) // which pans
	d.until("a refusal", `() => document.getElementById("key-says").textContent.includes("pan the view")`)
	press(input.KeyY) // which is taken too
	press(input.Digit9)
	d.until("the new key", `() => document.getElementById("key-turn").value === "9"`)
	require.NoError(t, d.Navigate(d.server.Address+"/p/saltlight"))
	d.until("the desk", `() => window.mobanta?.picture.shown?.done`)
	assert.Equal(t, "9", d.eval(`() => document.querySelector("[data-tool=turn] kbd").textContent`))
	tool := func() string { return d.eval(`() => mobanta.picture.current`) }
	d.eval(`() => document.body.focus()`)
	press(input.KeyZ)
	assert.Equal(t, "zoom", tool())
	press(input.KeyT)
	assert.Equal(t, "zoom", tool(), "the old key does nothing")
	press(input.Digit9)
	assert.Equal(t, "turn", tool())
	d.el("#node-name").Focus()
	press(input.KeyZ)
	assert.Equal(t, "turn", tool(), "a field has the focus")
	d.eval(`() => { document.activeElement.blur(); document.querySelector("#add").click() }`)
	press(input.KeyZ)
	assert.Equal(t, "turn", tool(), "a dialog is open")
	press(input.Escape)
	require.NoError(t, d.Navigate(d.server.Address+"/settings"))
	d.click("#single")
	require.NoError(t, d.Navigate(d.server.Address+"/p/saltlight"))
	d.until("the desk", `() => window.mobanta?.picture.shown?.done`)
	press(input.KeyZ)
	assert.Equal(t, "turn", tool(), "keys of one letter are off")
	assert.Equal(t, "true", d.eval(`() => document.querySelector("[data-tool=zoom] kbd").hidden`))
	require.NoError(t, d.KeyActions().Press(input.ControlLeft).Type(input.KeyS).Do())
	d.until("the page to order from", `() => location.pathname.endsWith("/deliver")`)
	require.NoError(t, d.Navigate(d.server.Address+"/settings"))
	d.click("#defaults")
}

// What a drag does is forgotten when it is taken away: Escape lets go of it.
func TestADragCanBeLetGo(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?size=480x300")
	d.settled()
	v := d.version()
	at := func(el string) (x, y float64) {
		shape, err := d.el(el).Shape()
		require.NoError(t, err)
		b := shape.Box()
		return b.X + b.Width/2, b.Y + b.Height/2
	}
	for _, el := range []string{"#picture", `[data-edge="2"]`, "#bench .stop:not([hidden]) [data-scrub]"} {
		x, y := at(el)
		require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x, y)))
		require.NoError(t, d.Mouse.Down(proto.InputMouseButtonLeft, 1))
		require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x+30, y+5)))
		require.NoError(t, d.Keyboard.Press(input.Escape))
		require.NoError(t, d.Mouse.MoveTo(proto.NewPoint(x+60, y+9)))
		require.NoError(t, d.Mouse.Up(proto.InputMouseButtonLeft, 1))
		d.settled()
		time.Sleep(200 * time.Millisecond)
		assert.Equal(t, v, d.version(), "%s: nothing is stored", el)
	}
}
