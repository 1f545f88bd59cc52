package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/labstack/echo/v5"

	"mobanta/core/delivery"
	"mobanta/core/frame"
	"mobanta/core/pixmap"
	"mobanta/core/project"
	"mobanta/core/queue"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/store"
	"mobanta/web/live"
	"mobanta/web/page"
)

// stills draws pictures of what a project is or might be, of stagings and for comparing, one by one, while nobody waits for
// anything more urgent, and keeps those that were made last.
type stills struct {
	turn  queue.Queue
	easel *frame.Easel
	live  *live.Studio
	kept  *lru.Cache[string, []byte] // PNGs, by what they show
}

// Limits on stills.
const (
	keptStills    = 300
	maxStill      = 4 << 20 // pixels
	maxStillKept  = 1 << 20 // bytes of one that is kept
	stillSamples  = 16
	smallSamples  = 4
	smallerThanIs = 400 // pixels of width of those that four positions are enough for
)

func newStills(l *live.Studio) *stills {
	kept, err := lru.New[string, []byte](keptStills)
	if err != nil { // a size below 1
		panic(err)
	}
	s := &stills{turn: queue.New(), easel: frame.NewEasel(0, &l.Gate), live: l, kept: kept}
	s.easel.Under(l.Memory())
	return s
}

// png returns a picture of the project, w × h pixels.
func (s *stills) png(ctx context.Context, p *project.Project, files stage.Files, w, h int) ([]byte, error) {
	if w < 1 || h < 1 || w*h > maxStill {
		return nil, fmt.Errorf("frame: a picture to compare has 1 to %d million pixels", maxStill>>20)
	}
	stamp, err := scene.Stamp(p, scene.View{W: w, H: h})
	if err != nil {
		return nil, err
	}
	key := string(stamp[:])
	if data, ok := s.kept.Get(key); ok {
		return data, nil
	}
	done, err := s.turn.Wait(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	pic, err := s.draw(ctx, p, files, w, h)
	if err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	if err := pic.Write(&buf, frame.PNG8); err != nil {
		return nil, err
	}
	if buf.Len() <= maxStillKept {
		s.kept.Add(key, buf.Bytes())
	}
	return buf.Bytes(), nil
}

func (s *stills) draw(ctx context.Context, p *project.Project, files stage.Files, w, h int) (*frame.Picture, error) {
	o := frame.Order{W: w, H: h, Samples: stillSamples}
	if w <= smallerThanIs {
		o.Samples = smallSamples
	}
	return s.easel.Draw(ctx, p, files, o)
}

// side returns what one side of a comparison shows, with the camera of the project as it is now if that is asked for.
// files are those that it is drawn from.
func (v *Server) side(c *echo.Context, of string) (p *project.Project, files stage.Files, err error) {
	files = v.live.Files.Under(c.Request().Context())
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, nil, err
	}
	if job, ok := strings.CutPrefix(of, "baked/"); ok {
		return v.baked(c.Request().Context(), st, job)
	}
	if n, ok := strings.CutPrefix(of, "cell/"); ok {
		cell, _ := strconv.Atoi(n)
		p, err = page.ParseAxes(c.QueryParams()["axis"]).Cell(st.Project, cell)
		return p, files, err
	}
	p, _, err = st.Project.Side(of)
	if err == nil && c.QueryParam("camera") == "now" {
		q := p.Clone()
		q.Stage.Camera = st.Project.Moment().Stage.Camera
		q.Unmove("camera")
		p = q
	}
	return p, files, err
}

// baked returns a project whose parts wear what a job has baked over them, laid by their texture coordinates, and the files of
// that.
func (v *Server) baked(ctx context.Context, st *store.State, id string) (*project.Project, stage.Files, error) {
	b, err := v.board()
	if err != nil {
		return nil, nil, err
	}
	if j, _, err := b.Job(id); err != nil || j.Project != st.ID || j.Order.As != delivery.Texture {
		return nil, nil, store.ErrNotFound
	}
	j, r, err := b.File(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, maxBaked+1))
	if err != nil {
		return nil, nil, err
	}
	if len(data) > maxBaked {
		return nil, nil, errors.New("frame: the texture is too large to be shown here")
	}
	pictures, err := delivery.Textures(data)
	if err != nil {
		return nil, nil, err
	}
	p := st.Project
	if t := p.Staging(j.Order.Staging); t != nil {
		p = p.With(t)
	}
	p = p.Clone()
	if j.Order.At != nil {
		p.Stage.Time.At = *j.Order.At
	}
	made, shown := j.Order.Bake.Shown(p, pictures)
	return made, shownFiles{v.live.Files.Under(ctx), shown}, nil
}

const maxBaked = 256 << 20 // bytes of textures that are shown on their model

// shownFiles gives pictures that belong to no project beside the files that do.
type shownFiles struct {
	stage.Files
	pictures map[string][]byte
}

// Picture implements stage.Files.
func (f shownFiles) Picture(hash string) (*pixmap.Pixmap, error) {
	if data, ok := f.pictures[hash]; ok {
		return pixmap.Read(data)
	}
	return f.Files.Picture(hash)
}

// still gives a picture of a staging, a look, a cell of a proof sheet, or the project as it is.
func (v *Server) still(c *echo.Context) error {
	p, files, err := v.side(c, c.QueryParam("of"))
	if err != nil {
		return err
	}
	if c.QueryParam("clear") != "" {
		p = p.Clone()
		p.Stage.Backdrop.None = true
	}
	w, _ := strconv.Atoi(c.QueryParam("w"))
	h, _ := strconv.Atoi(c.QueryParam("h"))
	if id := c.QueryParam("alone"); id != "" && w > 0 && h > 0 {
		ids := []string{id}
		if id == "worn" {
			ids = nil
		}
		if p, err = p.Alone(ids, files, float64(w)/float64(h)); err != nil {
			return err
		}
	}
	data, err := v.stills.png(c.Request().Context(), p, files, w, h)
	if err != nil {
		return err
	}
	if c.QueryParam("v") != "" { // its address carries what it shows
		c.Response().Header().Set("Cache-Control", "private, max-age=86400, immutable")
	} else {
		c.Response().Header().Set("Cache-Control", "no-store")
	}
	return c.Blob(http.StatusOK, "image/png", data)
}
