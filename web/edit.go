package web

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"mobanta/core/exchange"
	"mobanta/core/materialx"
	"mobanta/core/mend"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
	"mobanta/store"
	"mobanta/web/edits"
)

// request is edits as the browser sends them: one revision.
type request struct {
	Edits []edits.Request `json:"edits"`
}

// answer tells the browser what is stored now.
type answer struct {
	Version int64    `json:"version"`
	Created string   `json:"created,omitempty"`
	Several []string `json:"several,omitempty"`
	Notes   []string `json:"notes,omitempty"`
}

const maxEditBytes = 4 << 20

// edit stores edits: JSON from scripts, or one edit as form fields.
func (v *Server) edit(c *echo.Context) error {
	r := c.Request()
	var req request
	if strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
		data, err := io.ReadAll(r.Body)
		if err != nil {
			return arrived(err)
		}
		if json.Unmarshal(data, &req) != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "The edit could not be read.")
		}
	} else {
		w, err := formWish(c)
		if err != nil {
			return err
		}
		req.Edits = []edits.Request{w}
	}
	edits, err := edits.Settle(req.Edits)
	if err != nil {
		return err
	}
	st, outcomes, err := v.apply(r, c.Param("id"), edits)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, answered(st, outcomes))
}

// apply stores edits and tells every tab.
func (v *Server) apply(r *http.Request, id string, edits []project.Edit) (*store.State, []project.Outcome, error) {
	ctx := r.Context()
	if err := v.Expand(ctx, edits); err != nil {
		return nil, nil, err
	}
	for i := range edits {
		if edits[i].Op == "model.add" && edits[i].Kind == "" {
			return nil, nil, echo.NewHTTPError(http.StatusBadRequest, "A model from a file is brought in as a file.")
		}
	}
	return v.made(ctx, id, edits)
}

// made stores edits, with the boxes that they need, and tells every tab of them.
func (v *Server) made(ctx context.Context, id string, edits []project.Edit) (*store.State, []project.Outcome, error) {
	if slices.ContainsFunc(edits, func(e project.Edit) bool { return e.NeedsBox() }) {
		st, err := v.store.Load(ctx, id)
		if err != nil {
			return nil, nil, err
		}
		p := st.Project.Clone()
		for i := range edits {
			e := &edits[i]
			if e.NeedsBox() {
				box := stage.Bounds(&p.Stage, v.live.Files.Under(ctx))
				e.Box = &box
			}
			if _, err := p.Apply(e); err != nil {
				break // it will be said when they are stored
			}
		}
	}
	st, outcomes, err := v.store.Edit(ctx, id, edits)
	if err == nil {
		v.live.Changed(st)
	}
	return st, outcomes, err
}

func formWish(c *echo.Context) (edits.Request, error) {
	f, err := c.FormValues()
	if err != nil {
		return edits.Request{}, echo.NewHTTPError(http.StatusBadRequest, "The edit could not be read.")
	}
	for key, list := range f {
		for i := range list {
			f[key][i] = strings.ToValidUTF8(list[i], "�")
		}
	}
	w := edits.Request{As: f.Get("as")}
	w.Edit = project.Edit{Op: f.Get("op"), Look: f.Get("look"), Node: f.Get("node"), Key: f.Get("key"), Kind: f.Get("kind"), Name: f.Get("name"),
		From: f.Get("from"), To: f.Get("to"), ID: f.Get("id"), Part: f.Get("part"), Group: f.Get("group")}
	w.Index, _ = strconv.Atoi(f.Get("index"))
	w.Aspect, _ = strconv.ParseFloat(f.Get("aspect"), 64)
	if f.Has("value") {
		w.Value = f.Get("value")
	}
	if field := f.Get("field"); field != "" { // one field of a stop or of the camera
		v, err := edits.Typed(w.Value, w.As)
		if err != nil {
			return w, err
		}
		w.Value, w.As = map[string]any{field: v}, ""
	}
	return w, nil
}

func (v *Server) move(c *echo.Context, by int64) error {
	st, err := v.store.Move(c.Request().Context(), c.Param("id"), by)
	if errors.Is(err, store.ErrNotFound) {
		return errors.New(map[int64]string{-1: "there is nothing to undo", 1: "there is nothing to redo"}[by])
	}
	if err != nil {
		return err
	}
	v.live.Changed(st)
	return c.JSON(http.StatusOK, answer{Version: st.Version})
}

// importLook adds a look from a look file.
func (v *Server) importLook(c *echo.Context) error {
	data, err := upload(c, "look")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	done, err := v.reading.Wait(ctx)
	if err != nil {
		return err
	}
	defer done()
	f, remarks, err := readLook(data)
	if err != nil {
		return err
	}
	for _, data := range f.Pictures {
		if _, err := v.store.PutFile(ctx, exchange.File{Name: "picture", Data: data}); err != nil {
			return err
		}
	}
	st, outcomes, err := v.apply(c.Request(), c.Param("id"), []project.Edit{{Op: "look.add", Name: f.Name, Network: &f.Network, Groups: f.Groups}})
	if err != nil {
		return err
	}
	a := answered(st, outcomes)
	if len(remarks) > 0 {
		a.Notes = append(a.Notes, strings.Join(remarks, ". ")+".")
	}
	return c.JSON(http.StatusOK, a)
}

// readLook reads a look file, or a MaterialX document, and tells what of that is not known here.
func readLook(data []byte) (*exchange.LookFile, []string, error) {
	if !materialx.Is(data) {
		f, err := exchange.ReadLook(bytes.NewReader(data))
		return f, nil, err
	}
	n, err := materialx.Read(data)
	if err != nil {
		return nil, nil, err
	}
	return &exchange.LookFile{Name: n.Name, Network: n.Network, Groups: n.Groups}, n.Remarks, nil
}

// bringIn stores a model with the files beside it and puts it on the stage,
// framed, with a look on it.
func (v *Server) bringIn(c *echo.Context) error {
	r := c.Request()
	form, err := c.MultipartForm()
	if err != nil {
		return arrived(err)
	}
	defer form.RemoveAll()
	ctx := r.Context()
	done, err := v.reading.Wait(ctx)
	if err != nil {
		return err
	}
	defer done()
	file, err := gather(form.File["files"])
	if err != nil {
		return err
	}
	model, err := meshfile.ReadNear(ctx, file.Name, file.Data, nil)
	if err != nil {
		return fmt.Errorf("%s was not brought in: %w", path.Base(file.Name), err)
	}
	surface, err := mesh.NewSurface(model.Mesh, mesh.DefaultCrease)
	if err != nil {
		return fmt.Errorf("%s was not brought in: %w", path.Base(file.Name), err)
	}
	st, err := v.store.Load(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	hash, err := v.store.PutFile(ctx, file)
	if err != nil {
		return err
	}
	edits := []project.Edit{{Op: "model.add", Name: strings.TrimSuffix(path.Base(file.Name), path.Ext(file.Name)), Value: hash, Look: c.FormValue("look")}}
	for _, p := range model.Mesh.Parts {
		edits[0].Parts = append(edits[0].Parts, p.Name)
	}
	edits[0].Clips = meshfile.Clips(model.Mesh)
	if form, coarse := model.Mesh.Coarse(); coarse {
		edits[0].Form = form
		model.Notes = append(model.Notes, "Its polygons are few, and bands of light would break at them: it is drawn smooth. Its surface on the stage panel says so, and turns it off.")
	}
	if f := mend.FaultsOf(surface); f.Kinds()&^mesh.MendEmpty != 0 {
		model.Notes = append(model.Notes, fmt.Sprintf("Its faces have %s: checks, or its faces on the stage panel, mend that.", f))
	}
	if far := model.From != (vec.V{}); far {
		edits[0].Form.Mend = mesh.MendFar
		edits[0].At = v.beside(ctx, st.Project, model.From)
		model.Notes = append(model.Notes, "It lies far from the origin of its file, where places are told coarsely: it was brought near.")
	} else {
		v.live.Files.Keep(hash, surface)
	}
	for _, pic := range model.Pictures {
		hash, err := v.store.PutFile(ctx, exchange.File{Name: pic.Name, Data: pic.Data})
		if err != nil {
			return err
		}
		if edits[0].Pictures == nil {
			edits[0].Pictures = map[string]string{}
		}
		for _, part := range pic.Parts {
			edits[0].Pictures[part] = hash
		}
	}
	aspect, _ := strconv.ParseFloat(c.FormValue("aspect"), 64)
	if !(aspect > 0.05 && aspect < 20) {
		aspect = 1.6
	}
	edits = append(edits, project.Edit{Op: "camera.frame", Aspect: aspect})
	st, outcomes, err := v.made(ctx, c.Param("id"), edits)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, answer{Version: st.Version, Created: outcomes[0].Created, Notes: model.Notes})
}

// beside returns where a model that was brought near from a place stands: as far from the first other one that was as their files
// have it, and in the middle without one.
func (v *Server) beside(ctx context.Context, p *project.Project, from vec.V) vec.V {
	for i := range p.Stage.Models {
		m := &p.Stage.Models[i]
		if m.Form.Mend&mesh.MendFar == 0 {
			continue
		}
		f, err := v.store.File(ctx, m.File)
		if err != nil {
			continue
		}
		if other, err := meshfile.ReadNear(ctx, f.Name, f.Data, nil); err == nil {
			return m.At.Add(from.Sub(other.From))
		}
	}
	return vec.V{}
}

// gather makes one file of what was dropped: the model itself, or a ZIP of the
// model and the files beside it.
func gather(files []*multipart.FileHeader) (exchange.File, error) {
	var out exchange.File
	if len(files) == 0 {
		return out, errors.New("no file came with the request")
	}
	if len(files) > 500 {
		return out, errors.New("more than 500 files at once")
	}
	read := func(h *multipart.FileHeader) ([]byte, error) {
		f, err := h.Open()
		if err != nil {
			return nil, err
		}
		defer f.Close()
		data := make([]byte, h.Size)
		_, err = io.ReadFull(f, data)
		return data, err
	}
	if len(files) == 1 {
		data, err := read(files[0])
		return exchange.File{Name: path.Base(files[0].Filename), Data: data}, err
	}
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	name := "model.zip"
	for _, h := range files {
		base := path.Base(strings.ReplaceAll(h.Filename, `\`, "/"))
		data, err := read(h)
		if err != nil {
			return out, err
		}
		w, err := z.Create(base)
		if err == nil {
			_, err = w.Write(data)
		}
		if err != nil {
			return out, err
		}
		if meshfile.Is(base) {
			name = strings.TrimSuffix(base, path.Ext(base)) + ".zip"
		}
	}
	if err := z.Close(); err != nil {
		return out, err
	}
	return exchange.File{Name: name, Data: buf.Bytes()}, nil
}
