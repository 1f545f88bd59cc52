package e2e

import (
	"fmt"
	"net"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/e2e/drive"
)

// A look that was made anew is on no part: the rim says so, and one press puts it on.
func TestALookOnNoPartSaysSo(t *testing.T) {
	d := start(t, "demo", "/p/saltlight")
	require.NoError(t, drive.Settled(d.Page))
	assert.Empty(t, d.eval(`() => document.getElementById("worn").textContent.trim()`))
	d.click(`[data-then-look]`)
	d.until("the rim", `() => document.getElementById("worn").textContent.includes("This look is on no part.")`)
	v := d.version()
	d.click(`[data-wear]`)
	d.stored(v)
	d.until("it is on", `() => document.getElementById("worn").textContent.trim() === ""`)
	d.until("and says where", `() => document.getElementById("said").textContent.includes("that wore Kettle copper")`)
	d.click(`#undo`)
	d.until("undone", `() => document.getElementById("worn").textContent.includes("on no part")`)
}

// A program that is asked to end does, whatever is under way: an upload that stalls,
// a tab that is open.
func TestItEndsWhenItIsAskedTo(t *testing.T) {
	d := start(t, "demo", "/p/saltlight")
	conn, err := net.Dial("tcp", strings.TrimPrefix(d.server.Address, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	fmt.Fprintf(conn, "POST /p/saltlight/models HTTP/1.1\r\nHost: localhost\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 100000\r\n\r\n--x\r\n")
	d.until("the desk", `() => window.mobanta`)
	require.NoError(t, d.server.Stop(), "it ended by itself, and in good order")
	d.until("the page says so", `() => !document.getElementById("lost").hidden`)
	again, err := d.server.Again()
	require.NoError(t, err, "and let go of its folder")
	d.server = again
	d.until("the page comes back", `() => document.getElementById("lost").hidden`)
}

// One signs in once, goes on to where one wanted to, and works; signing out elsewhere
// takes the page to the door.
func TestSigningInWithABrowser(t *testing.T) {
	data := t.TempDir()
	made, err := drive.Serve(binary, "demo", data, "")
	require.NoError(t, err)
	require.NoError(t, made.Stop())
	key, err := drive.Run(binary, "key", "new", "--data", data)
	require.NoError(t, err)
	s, err := drive.Serve(binary, "serve", data, "")
	require.NoError(t, err)
	d := &desk{t: t, server: s}
	t.Cleanup(func() { d.server.Stop() })
	own, err := browser.Incognito()
	require.NoError(t, err)
	t.Cleanup(func() { own.Close() })
	d.Page, err = drive.Open(own, s.Address+"/p/saltlight", 1280, 800)
	require.NoError(t, err)
	d.until("the door", `() => location.pathname === "/sign-in"`)
	require.NoError(t, d.el(`[name=key]`).Input("not the key"))
	d.click(`main button`)
	d.until("it is said", `() => document.body.textContent.includes("That is not the key.")`)
	require.NoError(t, d.el(`[name=key]`).Input(strings.TrimSpace(key)))
	d.click(`main button`)
	d.until("the desk", `() => location.pathname === "/p/saltlight" && window.mobanta`)
	require.NoError(t, drive.Settled(d.Page))
	v := d.version()
	d.click(`[data-then-look]`)
	d.stored(v)

	other, err := drive.Open(own, s.Address+"/", 1280, 800)
	require.NoError(t, err)
	out := &desk{t: t, Page: other, server: s}
	out.click(`button[name=everywhere]`)
	out.until("out", `() => location.pathname === "/sign-in"`)
	d.until("the open tab too", `() => location.pathname === "/sign-in"`)
}

// What the page says when its project is gone, when it is of another program than the studio, and where a bookmark leads to
// nothing; and the search goes to what is no node.
func TestWhatIsGoneIsTold(t *testing.T) {
	d := start(t, "demo", "/p/saltlight?size=320x200")
	d.until("the desk", `() => Boolean(window.mobanta?.live.ws)`)
	d.settled()
	assert.Equal(t, "true", d.eval(`() => String(document.getElementById("older").hidden && document.getElementById("gone").hidden)`))
	d.press(input.Slash)
	d.until("the search", `() => document.getElementById("search").open`)
	d.typeText("paper")
	d.until("what is no node", `() => document.querySelector("#results [data-place]")?.textContent.includes("Paper and inks")`)
	d.press(input.Enter)
	d.until("the press, and the hand on it", `() => !document.getElementById("stage").hidden && document.activeElement.closest("#stage-press")`)
	d.eval(`() => { mobanta.live.on.program({ is: "another" }); return "" }`)
	d.until("that the page is of another program", `() => !document.getElementById("older").hidden`)
	d.click("[data-reload]")
	d.until("it is loaded anew", `() => document.getElementById("older").hidden && Boolean(window.mobanta?.live.ws)`)
	// The line of a page whose project the studio does not have.
	d.eval(`async () => { mobanta.live.base = "/p/no-such-project"; mobanta.live.ws.close(); return "" }`)
	d.until("that it is gone, and where to look", `() => !document.getElementById("gone").hidden && document.getElementById("lost").hidden && Boolean(document.querySelector('#gone a[href="/"]'))`)
	require.NoError(t, d.Navigate(d.server.Address+"/p/no-such-project"))
	d.until("what became of it", `() => document.querySelector("main p")?.textContent.includes("This studio has no such project") && Boolean(document.querySelector('main a[href="/"]'))`)
}
