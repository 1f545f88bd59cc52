package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"image"
	"image/png"
	"io"
	"math"
	"net/http"
	"runtime/debug"
	"strconv"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"mobanta/core/delivery"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/jobs"
	"mobanta/store"
)

// errNoBoard is that orders are placed at a studio whose queue could not be opened.
var errNoBoard = errors.New("this studio takes no orders: its queue could not be opened; what the program said when it started tells why")

// Fill does what goes on beside requests until ctx ends: orders are filled, and tabs of a key that is none any more are
// closed. Serve does so too.
func (v *Server) Fill(ctx context.Context) {
	var done sync.WaitGroup
	defer done.Wait()
	done.Go(func() { v.aside(func() { v.watchKey(ctx) }) })
	b := v.options.Board
	if b == nil {
		return
	}
	run := func(what string, f func() error) {
		done.Go(func() {
			v.aside(func() {
				if err := f(); err != nil && ctx.Err() == nil {
					v.log.Error("orders are not filled any more", "by", what, "error", err)
				}
			})
		})
	}
	run("watching", func() error { return b.Watch(ctx) })
	run("gathering", func() error { return b.Gather(ctx, jobs.Gatherer{Gate: &v.live.Gate, Room: v.room.more}) })
	if !v.options.Idle {
		run("drawing", func() error {
			return b.Work(ctx, jobs.Worker{Gate: &v.live.Gate, Files: v.live.Files, Rest: v.live.Air.Soon})
		})
	}
}

// watchKey closes the tabs of those who are not let in any more, whenever the key has changed, until ctx ends.
func (v *Server) watchKey(ctx context.Context) {
	was, _ := v.options.Key.Stamp()
	t := time.NewTicker(fresh)
	defer t.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-t.C:
		}
		if now, err := v.options.Key.Stamp(); now != was || err != nil {
			was = now
			v.live.CloseStrangers()
		}
	}
}

// room lets the program take more memory for a while than it is held to otherwise.
type room struct{ mu sync.Mutex }

// more lets it take so many bytes more until done is called.
func (r *room) more(bytes int) (done func()) {
	r.add(int64(bytes))
	return func() { r.add(-int64(bytes)) }
}

func (r *room) add(bytes int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if limit := debug.SetMemoryLimit(-1); limit < math.MaxInt64-bytes {
		debug.SetMemoryLimit(limit + bytes)
	}
	if bytes < 0 {
		debug.FreeOSMemory()
	}
}

func (v *Server) board() (*jobs.Board, error) {
	b := v.options.Board
	if b == nil {
		return nil, errNoBoard
	}
	b.ReadyWithin(readyTime)
	return b, nil
}

// readyTime is how long a request waits, just after the studio was started, until it is known which orders there are.
const readyTime = 10 * time.Second

// deliver shows the page to order from.
func (v *Server) deliver(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "deliver.html", v.pages.Deliver(st, c.QueryParam("look"), v.jobs(st.ID)))
}

// jobs returns the jobs of a project, none where there is no queue.
func (v *Server) jobs(project string) []jobs.Job {
	b, err := v.board()
	if err != nil {
		return nil
	}
	return b.Jobs(project)
}

// orders shows the jobs of a project.
func (v *Server) orders(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "orders", v.pages.Orders(st.ID, v.jobs(st.ID)))
}

const maxOrder = 256 << 10 // bytes of an order as it is sent

// ordered reads the order that a request sends, and checks it.
func (v *Server) ordered(c *echo.Context) (*store.State, *delivery.Order, error) {
	data, err := io.ReadAll(io.LimitReader(c.Request().Body, maxOrder+1))
	if err != nil {
		return nil, nil, arrived(err)
	}
	var o delivery.Order
	if len(data) > maxOrder || json.Unmarshal(data, &o) != nil {
		return nil, nil, echo.NewHTTPError(http.StatusBadRequest, "The order could not be read.")
	}
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, nil, err
	}
	return st, &o, o.Check(st.Project)
}

// order places an order.
func (v *Server) order(c *echo.Context) error {
	b, err := v.board()
	if err != nil {
		return err
	}
	st, o, err := v.ordered(c)
	if err != nil {
		return err
	}
	if o.As == delivery.Texture { // which models alone tell whether they can be baked
		d := delivery.NewDrawer(st.Project, v.live.Files, 0, &v.live.Gate)
		_, err := d.Minds(c.Request().Context(), o)
		d.Easel().Close()
		if err != nil {
			return err
		}
	}
	j, err := b.Place(c.Request().Context(), st.ID, st.Project, v.opener(c), *o)
	if err != nil {
		return err
	}
	go v.aside(func() { v.face(b, j, st.Project) })
	return c.JSON(http.StatusOK, map[string]any{"job": j.ID, "pieces": j.Pieces, "name": j.Name})
}

// The size of the picture that a job has on the list.
const faceW, faceH = 88, 68

// face gives a job its picture.
func (v *Server) face(b *jobs.Board, j *jobs.Job, p *project.Project) {
	if j.Order.As == delivery.SheetOnly {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if t := p.Staging(j.Order.Staging); t != nil {
		p = p.With(t)
	}
	data, err := v.stills.png(ctx, p, v.live.Files.Under(ctx), faceW, faceH)
	if err == nil {
		err = b.PutFace(ctx, j.ID, data)
	}
	if err != nil {
		v.log.Warn("a job has no picture on the list", "job", j.ID, "error", err)
	}
}

// jobFace sends it.
func (v *Server) jobFace(c *echo.Context) error {
	b, j, _, err := v.job(c)
	if err != nil {
		return err
	}
	data, err := b.Face(c.Request().Context(), j.ID)
	if errors.Is(err, jobs.ErrNoJob) { // it is being drawn, or there is none: what lies beneath shows
		c.Response().Header().Set("Cache-Control", "no-store")
		return c.Blob(http.StatusOK, "image/png", clearPixel)
	}
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=86400, immutable")
	return c.Blob(http.StatusOK, "image/png", data)
}

// clearPixel is a picture of one pixel in which nothing is.
var clearPixel = func() []byte {
	var b bytes.Buffer
	_ = png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 1, 1))) // into memory: it cannot fail
	return b.Bytes()
}()

// job returns the job that a request names, of the project that it names.
func (v *Server) job(c *echo.Context) (*jobs.Board, *jobs.Job, []int, error) {
	b, err := v.board()
	if err != nil {
		return nil, nil, nil, err
	}
	j, made, err := b.Job(c.Param("job"))
	if err == nil && j.Project != c.Param("id") {
		err = jobs.ErrNoJob
	}
	return b, &j, made, err
}

// jobState tells how far a job is.
func (v *Server) jobState(c *echo.Context) error {
	_, j, made, err := v.job(c)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, map[string]any{"state": j.State, "pieces": j.Pieces, "made": made, "why": j.Words(), "size": j.Size, "name": j.Name})
}

// jobFile sends what a job has delivered.
func (v *Server) jobFile(c *echo.Context) error {
	b, _, _, err := v.job(c)
	if err != nil {
		return err
	}
	j, r, err := b.File(c.Request().Context(), c.Param("job"))
	if err != nil {
		return err
	}
	defer r.Close()
	h := c.Response().Header()
	h.Set("Content-Disposition", attached(j.Order.Safe(j.Name)))
	h.Set("Content-Length", strconv.FormatInt(j.Size, 10))
	h.Set("Cache-Control", "no-store")
	if err := c.Stream(http.StatusOK, j.Media, r); err != nil || c.Request().Method != http.MethodGet {
		return err
	}
	if err := b.Took(context.WithoutCancel(c.Request().Context()), j.ID); err != nil {
		v.log.Warn("it is not noted that a file was taken", "job", j.ID, "error", err)
	}
	return nil
}

// jobPiece sends a frame or a cell that is drawn.
func (v *Server) jobPiece(c *echo.Context) error {
	b, j, _, err := v.job(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(c.Param("n"))
	if f, _ := j.Order.As.Form(); err != nil || f.Kind != delivery.Moving && f.Kind != delivery.Proof {
		return echo.ErrNotFound
	}
	data, err := b.Piece(c.Request().Context(), j.ID, n)
	if errors.Is(err, jobs.ErrNoJob) {
		return echo.ErrNotFound
	}
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=86400, immutable")
	return c.Blob(http.StatusOK, "image/png", data)
}

// onJob answers by doing something to the job that a request names.
func (v *Server) onJob(do func(b *jobs.Board, ctx context.Context, id string) error) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b, j, _, err := v.job(c)
		if err == nil {
			err = do(b, c.Request().Context(), j.ID)
		}
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{})
	}
}

// estimated is what a page is told of an order before it is placed.
type estimated struct {
	Seconds float64  `json:"seconds"`
	Memory  int      `json:"memory"` // bytes
	Pieces  int      `json:"pieces"`
	Remarks []string `json:"remarks"`
}

// estimate tells how long an order will take, from it drawn small, and what to mind of it.
func (v *Server) estimate(c *echo.Context) error {
	ctx := c.Request().Context()
	st, o, err := v.ordered(c)
	if err != nil {
		return err
	}
	done, err := v.stills.turn.Wait(ctx)
	if err != nil {
		return err
	}
	defer done()
	pieces, err := o.Pieces(st.Project)
	if err != nil {
		return err
	}
	d := delivery.NewDrawer(st.Project, v.live.Files, 0, &v.live.Gate)
	defer d.Easel().Close()
	minds, err := d.Minds(ctx, o)
	if err != nil {
		return err
	}
	m, err := d.Measure(ctx, o)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, estimated{Seconds: o.Seconds(m, len(pieces)), Memory: o.Memory(), Pieces: len(pieces), Remarks: append(o.Remarks(st.Project), minds...)})
}

// sheet shows the page of the proof sheet.
func (v *Server) sheet(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	view, err := v.pages.Sheet(st, c.QueryParams()["axis"], c.QueryParam("job"), v.jobs(st.ID))
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "sheet.html", view)
}

// pressed makes a cell of a sheet the state of the project, or a staging of it.
type pressed struct {
	Sheet *proof.Sheet `json:"sheet"`
	Cell  int          `json:"cell"`
	Keep  bool         `json:"keep"` // keep it as a staging, and leave the project as it is
}

func (v *Server) press(c *echo.Context) error {
	ctx := c.Request().Context()
	var req pressed
	data, err := io.ReadAll(io.LimitReader(c.Request().Body, maxOrder))
	if err != nil {
		return arrived(err)
	}
	if json.Unmarshal(data, &req) != nil || req.Sheet == nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The cell could not be read.")
	}
	st, err := v.store.Load(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	plan, err := req.Sheet.Plan(st.Project)
	if err != nil {
		return err
	}
	if req.Cell < 0 || req.Cell >= plan.Cells() {
		return errors.New("proof: the sheet has no such picture")
	}
	edits := plan.Edits(req.Cell)
	if req.Keep {
		q, err := plan.Cell(req.Cell)
		if err != nil {
			return err
		}
		edits = []project.Edit{{Op: "staging.add", Name: plan.Name(req.Cell), State: q.StateNow()}}
	}
	st, outcomes, err := v.made(ctx, st.ID, edits)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, answered(st, outcomes))
}
