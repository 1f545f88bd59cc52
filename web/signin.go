package web

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/alexedwards/scs/v2/memstore"
	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"
)

// Sign-in, for studios with a key. Sessions live in memory: they end with the program, after a while, or when there is
// another key.

// What a session may last, and how often a key may be tried.
const (
	sessionIdle = 8 * time.Hour
	sessionLife = 7 * 24 * time.Hour
	tryEvery    = 10 * time.Second // for one address, after
	triesAtOnce = 5
	tryAllEvery = time.Second // for all addresses together, after
	triesOfAll  = 50
	maxTriers   = 10_000
)

type sessions struct {
	*scs.SessionManager
	tries tries
	// mu holds a session that is prolonged apart from one that is ended: what is read before a session ends and written
	// after would open it again.
	mu sync.Mutex
}

func newSessions(tls bool) *sessions {
	m := scs.New()
	m.Lifetime, m.IdleTimeout = sessionLife, sessionIdle
	m.Cookie.Name = "mobanta"
	if tls {
		m.Cookie.Name = "__Host-mobanta"
	}
	m.Cookie.HttpOnly, m.Cookie.Secure, m.Cookie.SameSite = true, tls, http.SameSiteStrictMode
	return &sessions{SessionManager: m, tries: tries{all: rate.NewLimiter(rate.Every(tryAllEvery), triesOfAll), of: map[string]*rate.Limiter{}}}
}

// tries limits how often a key may be tried.
type tries struct {
	mu  sync.Mutex
	all *rate.Limiter
	of  map[string]*rate.Limiter // by address
}

// may tells whether an address may try now.
func (t *tries) may(addr string) bool {
	if host, _, err := net.SplitHostPort(addr); err == nil {
		addr = host
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	l := t.of[addr]
	if l == nil {
		if len(t.of) >= maxTriers {
			clear(t.of)
		}
		l = rate.NewLimiter(rate.Every(tryEvery), triesAtOnce)
		t.of[addr] = l
	}
	return l.Allow() && t.all.Allow()
}

// keyed is the name of the key, in a session, by which it was opened.
const keyed = "key"

// SignedIn tells whether a request may pass: there is no key, or it has a session
// that was opened by it.
func (v *Server) SignedIn(r *http.Request) bool {
	stamp, err := v.options.Key.Stamp()
	if err != nil {
		return false
	}
	if stamp == "" {
		return true
	}
	return v.session(r) == stamp
}

// session returns the key that a request's session was opened by, "" for none. A
// session that is used lasts on.
func (v *Server) session(r *http.Request) string {
	cookie, err := r.Cookie(v.sessions.Cookie.Name)
	if err != nil {
		return ""
	}
	v.sessions.mu.Lock()
	defer v.sessions.mu.Unlock()
	ctx, err := v.sessions.Load(r.Context(), cookie.Value)
	if err != nil {
		return ""
	}
	key := v.sessions.GetString(ctx, keyed)
	if key != "" {
		_, _, _ = v.sessions.Commit(ctx)
	}
	return key
}

// admit lets nobody further who has not signed in, where there is a key.
func (v *Server) admit(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if p := r.URL.Path; p == "/sign-in" || strings.HasPrefix(p, "/static/") || v.SignedIn(r) {
			return next(c)
		}
		if (r.Method == http.MethodGet || r.Method == http.MethodHead) && !wantsJSON(r) && !strings.HasSuffix(r.URL.Path, "/live") {
			to := "/sign-in"
			if uri := r.URL.RequestURI(); uri != "/" {
				to += "?to=" + url.QueryEscape(uri)
			}
			return c.Redirect(http.StatusSeeOther, to)
		}
		return echo.NewHTTPError(http.StatusUnauthorized, "Sign in first: your session has ended.")
	}
}

type signInPage struct {
	Title   string
	Problem string
	To      string // where the artist wanted to go
}

// ownAddress returns an address of ours to go on to: a path, or else the shelf.
func ownAddress(to string) string {
	if u, err := url.Parse(to); err != nil || u.Scheme != "" || u.Host != "" || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n\t") {
		return "/"
	}
	return to
}

func (v *Server) signInForm(c *echo.Context) error {
	stamp, _ := v.options.Key.Stamp()
	if stamp != "" && v.session(c.Request()) == stamp || stamp == "" && v.SignedIn(c.Request()) {
		return c.Redirect(http.StatusSeeOther, ownAddress(c.QueryParam("to")))
	}
	return v.render(c, http.StatusOK, "signin.html", signInPage{Title: "Sign in", To: ownAddress(c.QueryParam("to"))})
}

func (v *Server) signIn(c *echo.Context) error {
	r := c.Request()
	stamp, err := v.options.Key.Stamp()
	if err == nil && stamp == "" {
		return c.Redirect(http.StatusSeeOther, "/")
	}
	refuse := func(status int, problem string) error {
		v.log.Warn("sign-in refused", "from", r.RemoteAddr, "status", status)
		return v.render(c, status, "signin.html", signInPage{"Sign in", problem, ownAddress(c.FormValue("to"))})
	}
	if err != nil {
		return refuse(http.StatusServiceUnavailable, "The studio's key is gone, or cannot be read: nobody is let in until there is a new one (mobanta key new).")
	}
	if !v.sessions.tries.may(r.RemoteAddr) {
		c.Response().Header().Set("Retry-After", "10")
		return refuse(http.StatusTooManyRequests, "Too many tries. Wait ten seconds, then try again.")
	}
	if !v.options.Key.Opens(r.PostFormValue("key")) {
		return refuse(http.StatusForbidden, "That is not the key.")
	}
	token, err := v.openSession(c, stamp)
	if err != nil {
		return err
	}
	v.log.Info("signed in", "from", r.RemoteAddr, "session", short(token))
	return c.Redirect(http.StatusSeeOther, ownAddress(c.FormValue("to")))
}

// openSession gives a request a session by a key, under a new token: whoever knew the one before does not get in.
func (v *Server) openSession(c *echo.Context, stamp string) (token string, err error) {
	r, old := c.Request(), ""
	if cookie, err := r.Cookie(v.sessions.Cookie.Name); err == nil {
		old = cookie.Value
	}
	v.sessions.mu.Lock()
	defer v.sessions.mu.Unlock()
	ctx, err := v.sessions.Load(r.Context(), old)
	if err != nil {
		return "", err
	}
	if err = v.sessions.RenewToken(ctx); err != nil {
		return "", err
	}
	v.sessions.Put(ctx, keyed, stamp)
	token, expiry, err := v.sessions.Commit(ctx)
	if err != nil {
		return "", err
	}
	v.sessions.WriteSessionCookie(ctx, c.Response(), token, expiry)
	return token, nil
}

// short names a session in the log without giving it away.
func short(token string) string {
	sum := sha256.Sum256([]byte(token))
	return fmt.Sprintf("%x", sum[:4])
}

// signOut ends the session of a request, or, with everywhere, all sessions.
func (v *Server) signOut(c *echo.Context) error {
	r := c.Request()
	everywhere := c.FormValue("everywhere") != ""
	var own string
	if cookie, err := r.Cookie(v.sessions.Cookie.Name); err == nil {
		own = cookie.Value
	}
	if err := v.endSessions(own, everywhere); err != nil {
		return err
	}
	if everywhere {
		v.log.Info("all sessions ended", "from", r.RemoteAddr)
	} else if own != "" {
		v.log.Info("signed out", "from", r.RemoteAddr, "session", short(own))
	}
	http.SetCookie(c.Response(), &http.Cookie{Name: v.sessions.Cookie.Name, Path: "/", MaxAge: -1, HttpOnly: true, Secure: v.sessions.Cookie.Secure, SameSite: http.SameSiteStrictMode})
	v.live.CloseStrangers()
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}

// endSessions ends the session of a token, if it is one, or all of them.
func (v *Server) endSessions(token string, everywhere bool) error {
	v.sessions.mu.Lock()
	defer v.sessions.mu.Unlock()
	if !everywhere {
		return v.sessions.Store.Delete(token)
	}
	all, err := v.sessions.Store.(*memstore.MemStore).All()
	for token := range all {
		err = errors.Join(err, v.sessions.Store.Delete(token))
	}
	return err
}
