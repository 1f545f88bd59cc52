package web

import (
	"time"

	"github.com/labstack/echo/v5"
)

// SetStall makes bodies stall sooner; the function that it returns undoes that.
func SetStall(d time.Duration) func() {
	was := stall
	stall = d
	return func() { stall = was }
}

// Break adds an address that panics.
func (v *Server) Break(path string) {
	v.echo.GET(path, func(*echo.Context) error { panic("the kettle boiled over") })
}

// Tabs returns how many tabs are open.
func (v *Server) Tabs() int { return v.live.Tabs() }
