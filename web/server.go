// Package web is the interface: pages, panels, edits and the live picture. Rules of the job are the core's; this room
// turns requests into edits, and results into pages and frames.
package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/pixmap"
	"mobanta/store"
)

//go:embed static templates
var assets embed.FS

// Server serves the studio over a store.
type Server struct {
	store    *store.Store
	surfaces *surfaces
	hub      hub
	layouts  layouts
	examples examples
	cards    struct {
		sync.Mutex
		kept map[string]string
	}
	templates *template.Template
	stamps    map[string]string // static file → hash of its content
	sprite    []byte            // icons.svg
	echo      *echo.Echo
	log       *slog.Logger
}

// New returns a server over s.
func New(s *store.Store, log *slog.Logger) (*Server, error) {
	v := &Server{store: s, surfaces: &surfaces{store: s, kept: map[string]*mesh.Surface{}, pics: map[string]*pixmap.Pixmap{}}, stamps: map[string]string{}, log: log}
	v.hub.live = map[string]map[*session]bool{}
	v.layouts.shown = map[string]network.Layout{}
	v.examples.made = map[string][]byte{}
	v.cards.kept = map[string]string{}
	err := fs.WalkDir(assets, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := assets.ReadFile(name)
		v.stamps[strings.TrimPrefix(name, "static/")] = stamp(data)
		return err
	})
	if err == nil {
		v.sprite, err = sprite()
		v.stamps["icons.svg"] = stamp(v.sprite)
	}
	if err == nil {
		v.templates, err = template.New("").Funcs(v.functions()).ParseFS(assets, "templates/*.html")
	}
	if err != nil {
		return nil, fmt.Errorf("web: %w", err)
	}
	v.echo = echo.New()
	v.echo.Logger = log
	v.echo.HTTPErrorHandler = v.fail
	v.echo.Use(middleware.Recover(), guard, middleware.GzipWithConfig(middleware.GzipConfig{
		MinLength: 1024,
		Skipper: func(c *echo.Context) bool {
			p := c.Request().URL.Path
			if a, _, err := net.SplitHostPort(c.Request().RemoteAddr); err == nil && net.ParseIP(a).IsLoopback() {
				return true // packing would take longer than sending
			}
			return strings.HasSuffix(p, "/live") || strings.HasSuffix(p, ".png") || strings.HasSuffix(p, ".woff2") || strings.HasSuffix(p, "/bundle")
		},
	}))
	v.routes()
	return v, nil
}

// stamp returns what tells one content of a file from another.
func stamp(data []byte) string {
	sum := sha256.Sum256(data)
	return fmt.Sprintf("%x", sum[:6])
}

// Handler returns the HTTP handler.
func (v *Server) Handler() http.Handler { return v.echo }

// Serve answers on the listener until ctx ends, then lets requests finish.
func (v *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{Handler: v.echo, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	select {
	case err := <-done:
		return fmt.Errorf("web: %w", err)
	case <-ctx.Done():
	}
	v.hub.closeAll()
	stop, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := srv.Shutdown(stop); err != nil {
		srv.Close()
	}
	return nil
}

func (v *Server) routes() {
	e := v.echo
	e.GET("/static/*", v.static)
	e.GET("/", v.shelf)
	e.GET("/bin", v.bin)
	e.GET("/help", v.help)
	e.GET("/help/node/:kind", v.example)
	e.POST("/library/:entry/out", v.takeOut)
	e.POST("/projects", v.create)
	e.POST("/bundles", v.importBundle)
	p := e.Group("/p/:id")
	p.GET("", v.desk)
	p.GET("/live", v.live)
	p.GET("/panel/:panel", v.panel)
	p.GET("/search", v.search)
	p.GET("/sources", v.sources)
	p.GET("/starts", v.starts)
	p.POST("/keep", v.keep)
	p.GET("/fragment", v.fragment)
	p.POST("/paste", v.paste)
	p.GET("/formula", v.formula)
	p.POST("/palette", v.importPalette)
	p.GET("/palette/:format", v.exportPalette)
	p.GET("/ramp/:format", v.exportRamp)
	p.POST("/pictures", v.importPicture)
	p.GET("/pictures/:hash", v.showPicture)
	p.GET("/picture.png", v.shelfPicture)
	p.GET("/bundle", v.exportBundle)
	p.GET("/look.json", v.exportLook)
	p.POST("/look", v.importLook)
	p.POST("/edit", v.edit)
	p.POST("/undo", func(c *echo.Context) error { return v.move(c, -1) })
	p.POST("/redo", func(c *echo.Context) error { return v.move(c, 1) })
	p.POST("/models", v.bringIn)
	p.POST("/bin", func(c *echo.Context) error { return v.binProject(c, true) })
	p.POST("/restore", func(c *echo.Context) error { return v.binProject(c, false) })
}

// guard refuses requests from other sites and names that are not this machine's
// (so that no page elsewhere can reach the studio through the browser), and sets
// the headers that keep foreign content out.
func guard(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if o := r.Header.Get("Origin"); o != "" && o != "null" {
			u, err := url.Parse(o)
			if err != nil || u.Host != r.Host {
				return echo.NewHTTPError(http.StatusForbidden, "This request came from another site.")
			}
		} else if site := r.Header.Get("Sec-Fetch-Site"); r.Method != http.MethodGet && (site == "cross-site" || site == "same-site" || o == "null") {
			return echo.NewHTTPError(http.StatusForbidden, "This request came from another site.")
		}
		if local, ok := r.Context().Value(http.LocalAddrContextKey).(net.Addr); ok && loopback(local.String()) && !localName(r.Host) {
			return echo.NewHTTPError(http.StatusForbidden, "The studio answers under localhost only.")
		}
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self' ws: wss:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		return next(c)
	}
}

func loopback(addr string) bool {
	host, _, err := net.SplitHostPort(addr)
	ip := net.ParseIP(host)
	return err == nil && ip != nil && ip.IsLoopback()
}

func localName(hostport string) bool {
	host := hostport
	if h, _, err := net.SplitHostPort(hostport); err == nil {
		host = h
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}

// static serves an embedded file; its address carries its hash, so it may be
// kept for good.
func (v *Server) static(c *echo.Context) error {
	name := path.Clean("/" + c.Param("*"))[1:]
	stamp, ok := v.stamps[name]
	if !ok {
		return echo.ErrNotFound
	}
	data := v.sprite
	if name != "icons.svg" {
		var err error
		if data, err = assets.ReadFile("static/" + name); err != nil {
			return err
		}
	}
	h := c.Response().Header()
	h.Set("ETag", `"`+stamp+`"`)
	if c.QueryParam("v") == stamp {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		h.Set("Cache-Control", "no-cache")
	}
	http.ServeContent(c.Response(), c.Request(), name, time.Time{}, bytes.NewReader(data))
	return nil
}

// render writes a page or a panel.
func (v *Server) render(c *echo.Context, status int, name string, data any) error {
	var buf bytes.Buffer
	if err := v.templates.ExecuteTemplate(&buf, name, data); err != nil {
		return fmt.Errorf("web: %s: %w", name, err)
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.HTMLBlob(status, buf.Bytes())
}

// problem is something that went wrong, in words for the artist.
type problem struct {
	Status  int    `json:"-"`
	Message string `json:"error"`
}

// sentence turns an error of the core into words on screen: the names of rooms
// in front go, the first letter is large, a full stop ends it.
func sentence(err error) problem {
	p := problem{Status: http.StatusUnprocessableEntity, Message: err.Error()}
	var he *echo.HTTPError
	var status interface{ StatusCode() int }
	var tooLarge *http.MaxBytesError
	switch {
	case errors.Is(err, store.ErrNotFound):
		p = problem{http.StatusNotFound, "There is no such project, or it has been moved to the bin."}
	case errors.As(err, &tooLarge), errors.Is(err, meshfile.ErrTooBig):
		p = problem{http.StatusRequestEntityTooLarge, fmt.Sprintf("The file is larger than the %d MB that can be brought in.", meshfile.MaxBytes>>20)}
	case errors.As(err, &he):
		p = problem{he.Code, he.Message}
	case errors.As(err, &status):
		p.Status = status.StatusCode()
		if p.Status == http.StatusNotFound {
			p.Message = "There is nothing at this address."
		}
	}
	if p.Status == http.StatusUnprocessableEntity && (strings.HasPrefix(p.Message, "web: ") || strings.HasPrefix(p.Message, "store: ")) {
		p.Status = http.StatusInternalServerError // not the artist's doing
	}
	for _, room := range []string{"project: ", "network: ", "meshfile: ", "exchange: ", "stage: ", "color: ", "mesh: ", "eval: ", "picture: ", "formula: "} {
		p.Message = strings.ReplaceAll(p.Message, room, "")
	}
	if m := []rune(p.Message); len(m) > 0 {
		p.Message = strings.ToUpper(string(m[:1])) + string(m[1:])
		if !strings.ContainsAny(p.Message[len(p.Message)-1:], ".!?") {
			p.Message += "."
		}
	}
	return p
}

// fail answers a request that went wrong: JSON to scripts, a page to people.
func (v *Server) fail(c *echo.Context, err error) {
	if c.Request().Context().Err() != nil {
		return // the browser has gone on to something newer
	}
	p := sentence(err)
	if p.Status >= 500 {
		v.log.Error("request failed", "path", c.Request().URL.Path, "error", err)
		p.Message = "Something went wrong in the studio itself. Nothing that was stored is lost."
	}
	if r, e := echo.UnwrapResponse(c.Response()); e == nil && r.Committed {
		return
	}
	accept := c.Request().Header.Get("Accept")
	if c.Request().Header.Get("HX-Request") != "" || strings.Contains(accept, "application/json") {
		if err := c.JSON(p.Status, p); err != nil {
			v.log.Error("answer failed", "error", err)
		}
		return
	}
	if err := v.render(c, p.Status, "problem.html", p); err != nil {
		v.log.Error("answer failed", "error", err)
	}
}
