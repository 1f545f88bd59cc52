package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"mobanta/core/exchange"
	"mobanta/core/meshfile"
	"mobanta/core/parallel"
	"mobanta/core/pixmap"
	"mobanta/web/live"
)

// The door: what every request passes before it comes to a page, and what every
// answer carries.

// policy keeps content from elsewhere out of pages. Style attributes are allowed,
// for places and colours that are worked out; style sheets are those that ship.
const policy = "default-src 'self'; img-src 'self' data: blob:; style-src 'self'; style-src-attr 'unsafe-inline'; connect-src 'self'; object-src 'none'; frame-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// guard sets the headers that keep foreign content out, and refuses requests from
// other sites and to names that are not ours, so that no page elsewhere can reach
// the studio through the browser.
func (v *Server) guard(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Cache-Control", "no-store") // what may be kept says so itself
		if v.options.TLS {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		r := c.Request()
		if !v.ourName(r) {
			return echo.NewHTTPError(http.StatusForbidden, "The studio does not answer under this name. Under which it does is said with --host.")
		}
		if !v.sameSite(r) {
			return echo.NewHTTPError(http.StatusForbidden, "This request came from another site.")
		}
		return next(c)
	}
}

// sameSite tells whether a request comes from a page of ours, or from no page.
func (v *Server) sameSite(r *http.Request) bool {
	site := r.Header.Get("Sec-Fetch-Site")
	o := r.Header.Get("Origin")
	if o != "" && o != "null" {
		u, err := url.Parse(o)
		scheme := "http"
		if v.options.TLS {
			scheme = "https"
		}
		return err == nil && u.Scheme == scheme && strings.EqualFold(u.Host, r.Host)
	}
	reads := r.Method == http.MethodGet || r.Method == http.MethodHead
	return reads || !(site == "cross-site" || site == "same-site" || o == "null")
}

// ourName tells whether a request names the studio as it may be named: by the names
// that were given, or by an address that is the one which was reached. Other names
// could have been pointed at this machine by anybody.
func (v *Server) ourName(r *http.Request) bool {
	host := r.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	host = strings.TrimSuffix(strings.Trim(host, "[]"), ".")
	if slices.ContainsFunc(v.options.Hosts, func(name string) bool { return strings.EqualFold(name, host) }) {
		return true
	}
	local, _ := r.Context().Value(http.LocalAddrContextKey).(net.Addr)
	here := local == nil || loopback(local.String())
	ip := net.ParseIP(host)
	switch {
	case strings.EqualFold(host, "localhost"):
		return here
	case ip == nil:
		return false
	case ip.IsLoopback():
		return here
	}
	at, _, err := net.SplitHostPort(local.String())
	return err == nil && ip.Equal(net.ParseIP(at))
}

func loopback(addr string) bool {
	host, _, err := net.SplitHostPort(addr)
	ip := net.ParseIP(host)
	return err == nil && ip != nil && ip.IsLoopback()
}

// survive keeps a slip in one request from ending more than that.
func (v *Server) survive(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) (err error) {
		defer func() {
			if p := recover(); p != nil {
				if p == http.ErrAbortHandler {
					panic(p)
				}
				v.Slipped(c.Request().URL.Path, p)
				err = live.ErrInside
			}
		}()
		return next(c)
	}
}

// Slipped logs a panic that was caught.
func (v *Server) Slipped(where string, p any) {
	stack := debug.Stack()
	if job, ok := p.(*parallel.Panic); ok {
		p, stack = job.Value, job.Stack
	}
	v.log.Error("a slip was caught", "where", where, "slip", fmt.Sprint(p), "stack", string(stack))
}

// formBytes limits bodies that bring no file.
const formBytes = 64 << 10

// bodies holds the limits of the bodies that may be larger, by route.
var bodies = map[string]int64{
	"/p/:id/edit":     maxEditBytes,
	"/p/:id/models":   meshfile.MaxBytes + 1<<20,
	"/p/:id/look":     exchange.MaxLookBytes + 64<<10,
	"/p/:id/paste":    exchange.MaxLookBytes,
	"/p/:id/palette":  exchange.MaxPaletteBytes + 64<<10,
	"/p/:id/pictures": pixmap.MaxBytes + 64<<10,
	"/bundles":        exchange.MaxBundleBytes + 1<<20,
}

// What a body may take of our patience.
const (
	slowest   = 15 * time.Minute // in all
	maxSpill  = 1 << 30          // bytes beyond a limit that are read, so that the sender hears why
	spillTime = time.Minute
)

// stall is how long a body may bring nothing; tests have less time.
var stall = 20 * time.Second

// tooLargeError says that a body was larger than the studio takes there.
type tooLargeError struct{ limit int64 }

func (e *tooLargeError) Error() string {
	if e.limit < 1<<20 {
		return fmt.Sprintf("This is larger than the %d KB that are taken here.", e.limit>>10)
	}
	return fmt.Sprintf("The file is larger than the %d MB that can be brought in here.", e.limit>>20)
}

var errStalled = echo.NewHTTPError(http.StatusRequestTimeout, "The rest of it did not arrive, so nothing was done. Try again.")

// limited lets no request bring more than its route takes, nor take for ever.
func (v *Server) limited(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Body == nil || r.Body == http.NoBody {
			return next(c)
		}
		limit, ok := bodies[c.Path()]
		if !ok {
			limit = formBytes
		}
		b := &body{ReadCloser: r.Body, limit: limit, left: limit, rc: http.NewResponseController(c.Response()), end: time.Now().Add(slowest)}
		r.Body = b
		err := error(nil)
		switch {
		case r.ContentLength > limit:
			b.over = true
		case limit == formBytes: // nothing is done before all of it is known to be there
			var data []byte
			if data, err = io.ReadAll(b); err == nil {
				r.Body = io.NopCloser(bytes.NewReader(data))
				err = next(c)
			}
		default:
			err = next(c)
		}
		if b.over { // whatever was made of a body that was cut off
			err = &tooLargeError{limit}
			b.spill()
		} else if b.stalled {
			c.Response().Header().Set("Connection", "close")
			err = errStalled
		}
		return err
	}
}

// body is a request's body within limits.
type body struct {
	io.ReadCloser
	limit, left   int64
	rc            *http.ResponseController
	end           time.Time
	over, stalled bool
}

func (b *body) Read(p []byte) (int, error) {
	if b.over {
		return 0, &tooLargeError{b.limit}
	}
	at := time.Now().Add(stall)
	if at.After(b.end) {
		at = b.end
	}
	_ = b.rc.SetReadDeadline(at)
	if int64(len(p)) > b.left+1 {
		p = p[:b.left+1]
	}
	n, err := b.ReadCloser.Read(p)
	if b.left -= int64(n); b.left < 0 {
		b.over = true
		return n - 1, &tooLargeError{b.limit}
	}
	var timeout net.Error
	if errors.As(err, &timeout) && timeout.Timeout() {
		b.stalled = true
	}
	if errors.Is(err, io.EOF) { // otherwise the server itself would wait for the rest
		_ = b.rc.SetReadDeadline(time.Time{})
	}
	return n, err
}

// spill reads on, for a while, and throws away what comes: a browser that still
// sends hears no answer.
func (b *body) spill() {
	_ = b.rc.SetReadDeadline(time.Now().Add(spillTime))
	_, _ = io.CopyN(io.Discard, b.ReadCloser, maxSpill)
	_ = b.rc.SetReadDeadline(time.Time{})
}

// attached returns the header by which a browser saves an answer under a name, in any
// script (RFC 6266, RFC 8187).
func attached(name string) string {
	plain := strings.Map(func(r rune) rune {
		if r < 0x20 || r > 0x7e || strings.ContainsRune(`"\/:*?<>|%`, r) {
			return '_'
		}
		return r
	}, name)
	var coded strings.Builder
	for _, b := range []byte(name) {
		if b >= '0' && b <= '9' || b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || strings.IndexByte("!#$&+-.^_`|~", b) >= 0 {
			coded.WriteByte(b)
		} else {
			fmt.Fprintf(&coded, "%%%02X", b)
		}
	}
	return fmt.Sprintf(`attachment; filename="%s"; filename*=UTF-8''%s`, plain, coded.String())
}
