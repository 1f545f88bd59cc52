// Package web is the interface: who may ask, and what is asked: requests become edits, results are answered.
// Rules of the job are the core's, HTML is made in page, tabs that are open are live's.
package web

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"mobanta/core/queue"
	"mobanta/jobs"
	"mobanta/store"
	"mobanta/web/live"
	"mobanta/web/page"
)

// Server serves the studio over a store.
type Server struct {
	store    *store.Store
	live     *live.Studio // the tabs that are open
	reading  queue.Queue  // of those who bring files in: each may take much memory
	stills   *stills      // pictures of stagings, and for comparing
	pages    *page.Pages
	echo     *echo.Echo
	log      *slog.Logger
	options  Options
	sessions *sessions
	room     room
}

// Options tell how a studio can be reached.
type Options struct {
	Hosts []string // names that it answers under, besides those of this machine
	Key   *Key     // that opens it, if the data folder holds one; nil for a door without a lock
	TLS   bool     // whether browsers come over TLS, here or at a proxy in front

	Board *jobs.Board // the queue of orders; nil for a studio that takes none
	Idle  bool        // others draw the orders, not this machine
}

// New returns a server over s.
func New(s *store.Store, log *slog.Logger, o Options) (*Server, error) {
	pages, err := page.New()
	if err != nil {
		return nil, err
	}
	v := &Server{store: s, pages: pages, log: log, options: o, sessions: newSessions(o.TLS), reading: queue.New()}
	v.live = live.New(s, v, pages, log)
	v.stills = newStills(v.live)
	v.echo = echo.New()
	v.echo.Logger = log
	v.echo.HTTPErrorHandler = v.fail
	v.echo.Use(v.survive, v.guard, v.limited, v.admit, middleware.GzipWithConfig(middleware.GzipConfig{
		MinLength: 1024,
		Skipper: func(c *echo.Context) bool {
			p := c.Request().URL.Path
			if a, _, err := net.SplitHostPort(c.Request().RemoteAddr); err == nil && net.ParseIP(a).IsLoopback() {
				return true // packing would take longer than sending
			}
			return strings.HasSuffix(p, "/live") || strings.HasSuffix(p, ".png") || strings.HasSuffix(p, ".woff2") || strings.HasSuffix(p, "/bundle") || strings.HasSuffix(p, "/file")
		},
	}))
	v.routes()
	return v, nil
}

// Handler returns the HTTP handler.
func (v *Server) Handler() http.Handler { return v.echo }

// Serve answers on the listener until ctx ends, then lets requests finish.
func (v *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{Handler: v.echo, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, WriteTimeout: 2 * slowest, MaxHeaderBytes: 64 << 10,
		ErrorLog: slog.NewLogLogger(v.log.Handler(), slog.LevelWarn)}
	behind := make(chan struct{})
	aside, stopAside := context.WithCancel(ctx)
	go func() {
		defer close(behind)
		v.Fill(aside)
	}()
	defer func() { stopAside(); <-behind }()
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	select {
	case err := <-done:
		return fmt.Errorf("web: %w", err)
	case <-ctx.Done():
	}
	v.live.CloseAll()
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
	e.GET("/sign-in", v.signInForm)
	e.POST("/sign-in", v.signIn)
	e.POST("/sign-out", v.signOut)
	e.GET("/", v.shelf)
	e.GET("/bin", v.bin)
	e.GET("/help", v.help)
	e.GET("/settings", v.settings)
	e.GET("/help/node/:kind", v.example)
	e.POST("/library/:entry/out", v.takeOut)
	e.POST("/projects", v.create)
	e.POST("/bundles", v.importBundle)
	p := e.Group("/p/:id")
	p.GET("", v.desk)
	p.GET("/live", v.tab)
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
	p.GET("/still.png", v.still)
	p.GET("/still/trail", v.stillTrail)
	p.GET("/compare", v.compare)
	p.GET("/bundle", v.exportBundle)
	p.GET("/deliver", v.deliver)
	p.GET("/orders", v.orders)
	p.POST("/orders", v.order)
	p.POST("/estimate", v.estimate)
	p.GET("/orders/:job", v.jobState)
	p.GET("/orders/:job/file", v.jobFile)
	p.GET("/orders/:job/face.png", v.jobFace)
	p.GET("/orders/:job/piece/:n", v.jobPiece)
	p.POST("/orders/:job/cancel", v.onJob((*jobs.Board).Cancel))
	p.POST("/orders/:job/forget", v.onJob((*jobs.Board).Forget))
	p.GET("/sheet", v.sheet)
	p.POST("/sheet/press", v.press)
	p.GET("/look.json", v.exportLook)
	p.POST("/look", v.importLook)
	p.POST("/edit", v.edit)
	p.POST("/undo", func(c *echo.Context) error { return v.move(c, -1) })
	p.POST("/redo", func(c *echo.Context) error { return v.move(c, 1) })
	p.POST("/models", v.bringIn)
	p.POST("/bin", func(c *echo.Context) error { return v.binProject(c, true) })
	p.POST("/restore", func(c *echo.Context) error { return v.binProject(c, false) })
}

// tab speaks with a tab of a project.
func (v *Server) tab(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return v.live.Serve(c.Response(), c.Request(), st)
}

// static serves an embedded file; its address carries its hash, so it may be
// kept for good.
func (v *Server) static(c *echo.Context) error {
	name := path.Clean("/" + c.Param("*"))[1:]
	data, stamp, ok := v.pages.Static(name)
	if !ok {
		return echo.ErrNotFound
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
	html, err := v.pages.Render(name, data)
	if err != nil {
		return err
	}
	return c.HTMLBlob(status, html)
}
