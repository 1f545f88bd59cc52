package web

import (
	"context"
	"errors"
	"io/fs"
	"net/http"
	"os"
	"regexp"
	"strings"
	"syscall"
	"unicode"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/queue"
	"mobanta/jobs"
	"mobanta/store"
)

// problem is something that went wrong, in words for the artist.
type problem struct {
	Status  int    `json:"-"`
	Message string `json:"error"`
}

// inside is what is said of what is not the artist's doing; the log has the rest.
var inside = problem{Status: http.StatusInternalServerError, Message: "Something went wrong in the studio itself. Nothing that was stored is lost."}

// sentence turns an error of the core into words on screen: the names of rooms
// in front go, the first letter is large, a full stop ends it. What the system said,
// which may hold paths, is not passed on.
func sentence(err error) problem {
	p := problem{Status: http.StatusUnprocessableEntity, Message: err.Error()}
	var he *echo.HTTPError
	var status interface{ StatusCode() int }
	var large *tooLargeError
	var trouble *store.Trouble
	var file *store.FileError
	switch {
	case errors.As(err, &large):
		return problem{Status: http.StatusRequestEntityTooLarge, Message: large.Error()}
	case errors.As(err, &trouble):
		p = problem{Status: http.StatusServiceUnavailable, Message: trouble.Error()}
		if trouble == store.ErrFull {
			p.Status = http.StatusInsufficientStorage
		}
	case errors.Is(err, store.ErrNotFound):
		p = problem{Status: http.StatusNotFound, Message: "This studio has no such project. The address may be of another studio, or of a data folder that was there before."}
	case errors.As(err, &file):
		p = problem{Status: http.StatusConflict, Message: file.Error()}
	case errors.Is(err, project.ErrLater):
		p.Status = http.StatusConflict
	case errors.Is(err, jobs.ErrNoJob):
		p = problem{Status: http.StatusNotFound, Message: err.Error()}
	case errors.Is(err, jobs.ErrFull):
		p.Status = http.StatusInsufficientStorage
		if ofTheSystem(err) || strings.Contains(p.Message, "nats: ") {
			p.Message = jobs.ErrFull.Error()
		}
	case errors.Is(err, jobs.ErrSilent):
		p = problem{Status: http.StatusServiceUnavailable, Message: jobs.ErrSilent.Error()}
	case errors.Is(err, queue.ErrLong):
		p = problem{Status: http.StatusServiceUnavailable, Message: "Others are bringing files in, or having pictures drawn. Try again in a moment."}
	case errors.Is(err, meshfile.ErrTooBig):
		p.Status = http.StatusRequestEntityTooLarge
	case errors.As(err, &he):
		p = problem{Status: he.Code, Message: he.Message}
	case errors.As(err, &status):
		p.Status = status.StatusCode()
		if p.Status == http.StatusNotFound {
			p.Message = "There is nothing at this address."
		}
	case ofTheSystem(err), strings.Contains(p.Message, "nats: "), strings.HasPrefix(p.Message, "web: "), strings.HasPrefix(p.Message, "live: "), strings.HasPrefix(p.Message, "store: "):
		return inside
	}
	p.Message = spoken(p.Message)
	return p
}

// Sentence says an error in words for a tab; inside tells that it is the studio's own.
func (v *Server) Sentence(err error) (message string, inside bool) {
	p := sentence(err)
	return p.Message, p.Status >= 500
}

// ofTheSystem tells whether an error is what the operating system said.
func ofTheSystem(err error) bool {
	var path *fs.PathError
	var link *os.LinkError
	var call *os.SyscallError
	var number syscall.Errno
	return errors.As(err, &path) || errors.As(err, &link) || errors.As(err, &call) || errors.As(err, &number)
}

// rooms stand in front of the messages of the core, and of those within them.
var rooms = regexp.MustCompile(`(^|: |\()(?:project|network|meshfile|exchange|stage|color|mesh|eval|picture|formula|text|pixmap|archive|store|turn|frame|shape|film|delivery|jobs|proof|materialx|unwrap|bake|painted|shader|node|light|press|blob|finish|move|motion|exchange|shade|live|form|pattern): `)

// spoken makes a sentence of a message.
func spoken(message string) string {
	for rooms.MatchString(message) { // one may stand right behind another
		message = rooms.ReplaceAllString(message, "$1")
	}
	first, n := utf8.DecodeRuneInString(message)
	if n == 0 {
		return message
	}
	message = string(unicode.ToUpper(first)) + message[n:]
	if !strings.ContainsAny(message[len(message)-1:], ".!?") {
		message += "."
	}
	return message
}

// wantsJSON tells whether a request comes from a script.
func wantsJSON(r *http.Request) bool {
	return r.Header.Get("HX-Request") != "" || strings.Contains(r.Header.Get("Accept"), "application/json")
}

// fail answers a request that went wrong: JSON to scripts, a page to people.
func (v *Server) fail(c *echo.Context, err error) {
	if c.Request().Context().Err() != nil && errors.Is(err, context.Canceled) {
		return // the browser has gone on to something newer
	}
	p := sentence(err)
	if p.Status >= 500 {
		v.log.Error("request failed", "path", c.Request().URL.Path, "error", store.Cause(err))
	}
	if r, e := echo.UnwrapResponse(c.Response()); e == nil && r.Committed {
		return
	}
	if wantsJSON(c.Request()) {
		err = c.JSON(p.Status, p)
	} else {
		err = v.render(c, p.Status, "problem.html", p)
	}
	if err != nil {
		v.log.Error("answer failed", "error", err)
	}
}
