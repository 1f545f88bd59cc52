package shader

import (
	"archive/zip"
	"bytes"
	"context"
	_ "embed"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"image/png"
	"io"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/light"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/shade"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// Order says what is written.
type Order struct {
	Models  []string `json:"models,omitempty"`  // of a page: ids; none for all that wear a look
	Look    string   `json:"look,omitempty"`    // of shaders: its id; "" for the first that is worn
	Outline float64  `json:"outline,omitempty"` // width of the outline of back faces, in thousandths of the stage; 0 for none
}

// MaxOutline is how wide an outline may be, in thousandths of the stage.
const MaxOutline = 100

// maxTriangles limits the triangles of a page, which is sent about.
const maxTriangles = 600_000

// ErrLarge is that a page would be too large.
var ErrLarge = errors.New("shader: the models have more than 600,000 triangles: too many for a page to be sent")

// Check returns why an order cannot be filled, as far as the document says, or nil.
func (o *Order) Check(p *project.Project) error {
	if !(o.Outline >= 0 && o.Outline <= MaxOutline) {
		return fmt.Errorf("shader: an outline is 0 to %d thousandths wide, not %g", MaxOutline, o.Outline)
	}
	if o.Look != "" && p.Look(o.Look) == nil {
		return errors.New("shader: the look is not there any more")
	}
	for _, id := range o.Models {
		if !slices.ContainsFunc(p.Stage.Models, func(m stage.Model) bool { return m.ID == id }) {
			return errors.New("shader: a model is not there any more")
		}
	}
	for i := range p.Looks {
		if p.Worn(p.Looks[i].ID) {
			return nil
		}
	}
	return errors.New("shader: no model wears a look")
}

// LookOf returns the look that an order is about.
func (o *Order) LookOf(p *project.Project) string {
	if o.Look != "" {
		return o.Look
	}
	for i := range p.Looks {
		if p.Worn(p.Looks[i].ID) {
			return p.Looks[i].ID
		}
	}
	return ""
}

// Page is a stage with shaders for its looks, ready to be written as one HTML file.
type Page struct {
	Remarks  names.Remarks
	Programs []*Program
	title    string
	data     document
}

// document is what a page is told as JSON.
type document struct {
	Title    string        `json:"title"`
	Programs []programData `json:"programs"`
	Parts    []partData    `json:"parts"`
	Lamps    []lampData    `json:"lamps"`
	Camera   stage.Camera  `json:"camera"`
	Size     float64       `json:"size"`
	Box      [2]vec.V      `json:"box"`
	Backdrop string        `json:"backdrop"`
	Time     [3]float32    `json:"time"`
	Outline  float64       `json:"outline"` // in the world
	Ink      [3]float32    `json:"ink"`     // sRGB
}

type programData struct {
	Name     string        `json:"name"`
	Vertex   string        `json:"vertex"`
	Fragment string        `json:"fragment"`
	Uniforms []Uniform     `json:"uniforms"`
	Textures []textureData `json:"textures"`
	Baked    int           `json:"baked"`
	Outlined bool          `json:"outlined"`
}

type textureData struct {
	Name    string `json:"name"`
	Wrap    string `json:"wrap"`
	Nearest bool   `json:"nearest"`
	Data    bool   `json:"data"`
	URL     string `json:"url"`
}

type partData struct {
	Name      string     `json:"name"`
	Program   int        `json:"program"`
	Number    int        `json:"number"`
	Color     color.C    `json:"color"` // as hex
	Light     [3]float32 `json:"light"` // the same in linear light
	Seed      float32    `json:"seed"`
	Place     vec.V      `json:"place"`
	Low       vec.V      `json:"low"`
	Wide      vec.V      `json:"wide"`
	ToWorld   [9]float32 `json:"toWorld"`
	ModelSize float32    `json:"modelSize"`
	Middle    vec.V      `json:"middle"`
	Position  string     `json:"position"` // float32
	Normal    string     `json:"normal"`   // int16, of 4 the first three
	Push      string     `json:"push"`     // likewise
	Rest      string     `json:"rest"`     // float32
	UV        string     `json:"uv"`       // float32
	Baked     []string   `json:"baked"`    // float32
	Index     string     `json:"index"`    // uint32
	Count     int        `json:"count"`    // of it
}

type lampData struct {
	Name      string     `json:"name"`
	Kind      int        `json:"kind"`
	Direction vec.V      `json:"direction"`
	Place     vec.V      `json:"place"`
	Colour    [3]float32 `json:"colour"`
	Strength  float32    `json:"strength"`
	Size      float32    `json:"size"`
	Fades     bool       `json:"fades"`
	FullAt    float32    `json:"fullAt"`
	Low       [3]float32 `json:"low"`
	High      [3]float32 `json:"high"`
	Parts     int32      `json:"parts"`
}

// NewPage makes a page of a project at its moment. A context that ends stops it.
func NewPage(ctx context.Context, p *project.Project, files stage.Files, o Order, workers int) (*Page, error) {
	p = p.Moment()
	q := *p
	q.Stage.Backdrop.Floor = false
	job, err := scene.Of(&q, files, nil)
	if err != nil {
		return nil, err
	}
	sc := job.Scene
	pg := &Page{title: p.Name, data: document{Title: p.Name, Camera: p.Stage.Camera, Size: float64(sc.Size), Box: [2]vec.V{sc.Box.Min, sc.Box.Max}, Backdrop: p.Stage.Backdrop.Color.Hex()}}
	t := node.At(sc.Stage.Time)
	pg.data.Time = [3]float32{t.Seconds, t.Frame, t.Phase}
	pg.data.Outline = o.Outline / 1000 * float64(sc.Size)
	pg.data.Ink = color.MustHex("#1A1B24").Encoded()
	number := map[string]int{}
	triangles := 0
	for i, part := range sc.Parts {
		id := p.Stage.Models[part.Model].ID
		if job.Looks[part.Look] == nil || len(o.Models) > 0 && !slices.Contains(o.Models, id) {
			continue
		}
		k, ok := number[part.Look]
		if !ok {
			prog, err := Of(p, job, part.Look)
			if err != nil {
				return nil, err
			}
			k = len(pg.Programs)
			number[part.Look] = k
			pg.Programs = append(pg.Programs, prog)
			for _, r := range prog.Remarks {
				pg.remark("%s", r)
			}
			d, err := data(prog, files)
			if err != nil {
				return nil, err
			}
			pg.data.Programs = append(pg.data.Programs, d)
		}
		n := 0
		for _, part := range sc.TriPart {
			if int(part) == i {
				n++
			}
		}
		if triangles += n; triangles > maxTriangles {
			return nil, ErrLarge
		}
		made, err := pg.part(ctx, job, i, k, workers)
		if err != nil {
			return nil, err
		}
		pg.data.Parts = append(pg.data.Parts, made)
		if p.Stage.Models[part.Model].Moves() {
			pg.remark("%q stands as it does now.", p.Stage.Models[part.Model].Name)
		}
	}
	if len(pg.data.Parts) == 0 {
		return nil, errors.New("shader: none of these models wears a look")
	}
	for i := range sc.Lights {
		pg.data.Lamps = append(pg.data.Lamps, lamp(&sc.Lights[i]))
		if k := sc.Lights[i].Kind; k == light.Disc || k == light.Rectangle {
			pg.remark("The light %q shines from its middle.", sc.Lights[i].Name)
		}
	}
	if b := &p.Stage.Backdrop; b.Floor {
		pg.remark("The floor of shadows is left out.")
	}
	return pg, nil
}

func (pg *Page) remark(format string, of ...any) { pg.Remarks.Add(0, format, of...) }

func lamp(l *light.Source) lampData {
	out := lampData{Name: l.Name, Kind: LampCode(l.Kind), Direction: l.Dir, Place: l.At, Colour: l.Color, Strength: l.Strength, Size: l.Size, Fades: l.Fade, FullAt: l.Reach, Parts: -1}
	if l.Dome != nil {
		out.Low, out.High = l.Dome.Radiance(vec.V{0, -1, 0}), l.Dome.Radiance(vec.V{0, 1, 0})
		if l.Dome.Pictured() { // the straight blend that lights most like it
			up, down := l.Dome.Irradiance(vec.V{0, 1, 0}), l.Dome.Irradiance(vec.V{0, -1, 0})
			for k := range up {
				mid, slope := (up[k]+down[k])/2, (up[k]-down[k])*1.5/2
				out.Low[k], out.High[k] = max(0, mid-slope), mid+slope
			}
		}
		out.Strength = l.Strength
	}
	if l.Parts != nil {
		out.Parts = 0
		for i, on := range l.Parts {
			if on && i < 31 {
				out.Parts |= 1 << i
			}
		}
	}
	return out
}

// data returns what a page is told of a program.
func data(prog *Program, files stage.Files) (programData, error) {
	out := programData{Name: prog.Look, Vertex: prog.Vertex, Fragment: prog.Fragment, Uniforms: prog.Uniforms, Baked: len(prog.Baked), Outlined: prog.Lines, Textures: []textureData{}}
	if out.Uniforms == nil {
		out.Uniforms = []Uniform{}
	}
	for _, t := range prog.Textures {
		url := ""
		if t.Hash != "" {
			pic, err := files.Picture(t.Hash)
			if err == nil {
				var buf bytes.Buffer
				if err := png.Encode(&buf, pic.Image()); err != nil {
					return out, fmt.Errorf("shader: %w", err)
				}
				url = "data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes())
			}
		}
		out.Textures = append(out.Textures, textureData{t.Name, t.Wrap, t.Nearest, t.Data, url})
	}
	return out, nil
}

// part returns the triangles of a part, with what its look wants of the vertices.
func (pg *Page) part(ctx context.Context, job scene.Job, i, program, workers int) (partData, error) {
	sc := job.Scene
	part := &sc.Parts[i]
	m := &sc.Models[part.Model]
	turn := m.Matrix
	scale := turn.X.Len()
	out := partData{Name: part.Name, Program: program, Number: i, Color: part.Color, Light: part.Color, Seed: part.Seed, Place: part.Box.Center().Mul(1 / sc.Size), Low: part.Box.Min, Wide: part.Box.Max.Sub(part.Box.Min),
		ModelSize: m.Surface.Box.Diagonal() * scale}
	if out.ModelSize == 0 {
		out.ModelSize = scale
	}
	for k, v := range [3]vec.V{turn.X, turn.Y, turn.Z} {
		v = v.Unit()
		out.ToWorld[3*k], out.ToWorld[3*k+1], out.ToWorld[3*k+2] = v[0], v[1], v[2]
	}
	diagonal := m.Surface.Box.Diagonal()
	if diagonal == 0 {
		diagonal = 1
	}
	out.Middle = m.Surface.Box.Center().Mul(1 / diagonal)
	number := map[int32]uint32{}
	var vertices []int32
	var index []uint32
	push := map[vec.V]vec.V{}
	for t, tri := range sc.Tri {
		if int(sc.TriPart[t]) != i {
			continue
		}
		n := sc.FlatNormal(int32(t))
		for _, v := range tri {
			k, ok := number[v]
			if !ok {
				k = uint32(len(vertices))
				number[v] = k
				vertices = append(vertices, v)
			}
			index = append(index, k)
			push[sc.Pos[v]] = push[sc.Pos[v]].Add(n)
		}
	}
	var pos, rest, uv []float32
	var normal, pushed []int16
	short := func(v vec.V) []int16 {
		s := func(f float32) int16 { return int16(math.Round(float64(max(-1, min(1, f))) * 32767)) }
		return []int16{s(v[0]), s(v[1]), s(v[2]), 0}
	}
	for _, v := range vertices {
		p := sc.Pos[v]
		pos = append(pos, p[0], p[1], p[2])
		normal = append(normal, short(sc.Normal[v])...)
		r := m.Inverse.Point(p)
		if sc.Moved {
			r = m.Surface.Pos[int(v)-m.FirstVertex]
		}
		r = r.Mul(1 / diagonal)
		rest = append(rest, r[0], r[1], r[2])
		uv = append(uv, sc.UV[v][0], sc.UV[v][1])
		if pg.data.Outline > 0 {
			pushed = append(pushed, short(push[p].Unit())...)
		}
	}
	out.Position, out.Normal, out.Rest, out.Index = packed(pos), packed(normal), packed(rest), packed(index)
	out.Count = len(index)
	if part.UV {
		out.UV = packed(uv)
	}
	if len(pushed) > 0 {
		out.Push = packed(pushed)
	}
	out.Baked = []string{}
	if prog := pg.Programs[program]; len(prog.Baked) > 0 {
		values, err := bakedValues(ctx, job, prog, i, vertices, workers)
		if err != nil {
			return out, err
		}
		for _, v := range values {
			out.Baked = append(out.Baked, packed(v))
		}
	}
	return out, nil
}

// bakedValues evaluates what stays of a look at vertices of a part, as the camera sees them: three numbers for each.
func bakedValues(ctx context.Context, job scene.Job, prog *Program, part int, vertices []int32, workers int) ([][]float32, error) {
	sc := job.Scene
	view := sc.Stage.Camera.View(1600, 1000)
	all, vertex := sample.Vertices(sc, &view)
	at := make(map[int32]int32, len(vertex))
	for i, v := range vertex {
		at[v] = int32(i)
	}
	picked := make([]int32, len(vertices))
	for i, v := range vertices {
		picked[i] = at[v]
	}
	var refs []network.Ref
	for _, b := range prog.Baked {
		refs = append(refs, b.Ref)
	}
	planes, err := atPoints(ctx, job, sc.Parts[part].Look, all.Pick(picked), refs, workers)
	if err != nil {
		return nil, err
	}
	out := make([][]float32, len(refs))
	for k := range refs {
		for i := range vertices {
			for c := range 3 {
				out[k] = append(out[k], planes[k][min(c, len(planes[k])-1)][i])
			}
		}
	}
	return out, nil
}

// atPoints evaluates outputs of a look at points; patterns give what they come to, since a point meets a dot or none.
func atPoints(ctx context.Context, job scene.Job, look string, points *sample.Points, refs []network.Ref, workers int) ([][]node.Plane, error) {
	flat := job.Looks[look].Clone()
	for i := range flat.Nodes {
		if node.ConcernsOf(&flat.Nodes[i]).Printed != "" {
			flat.Nodes[i].Kind = node.Even(flat.Nodes[i].Kind)
		}
	}
	program, err := eval.Compile(&flat, node.Catalogue{})
	if err != nil {
		return nil, err
	}
	var targets []eval.Target
	for _, ref := range refs {
		t, _, err := program.Output(ref)
		if err != nil {
			return nil, err
		}
		targets = append(targets, t)
	}
	scene := &node.Scene{Scene: job.Scene, Time: node.At(job.Scene.Stage.Time)}
	if program.Rays(targets) {
		scene.Tracer = &shade.Tracer{Scene: job.Scene, Rays: trace.Of(job.Scene.Geometry, nil, workers), Workers: workers}
	}
	found := shade.NewFindings(points, nil)
	found.Level = 1
	return program.Run(ctx, eval.Env{Points: points, Found: found, Scene: scene, Moment: eval.NewMoment(scene, 1), Workers: workers}, targets)
}

// Mean returns what an output of a look, named as in the flat network, comes to over the vertices that wear it; nothing where
// none do.
func Mean(ctx context.Context, job scene.Job, look string, ref network.Ref, workers int) ([]float32, error) {
	view := job.Scene.Stage.Camera.View(1600, 1000)
	all, _ := sample.Vertices(job.Scene, &view)
	var picked []int32
	for i, part := range all.PartOf {
		if job.Scene.Parts[part].Look == look {
			picked = append(picked, int32(i))
		}
	}
	if len(picked) == 0 {
		return nil, nil
	}
	const enough = 5000
	if step := len(picked) / enough; step > 1 {
		for i := 0; i*step < len(picked); i++ {
			picked[i] = picked[i*step]
		}
		picked = picked[:(len(picked)+step-1)/step]
	}
	planes, err := atPoints(ctx, job, look, all.Pick(picked), []network.Ref{ref}, workers)
	if err != nil {
		return nil, err
	}
	var out []float32
	for _, p := range planes[0] {
		sum := 0.0
		for _, v := range p {
			sum += float64(v)
		}
		out = append(out, float32(sum/float64(len(p))))
	}
	return out, nil
}

// packed returns numbers as base64 of their bytes, the lowest first.
func packed[T any](list []T) string {
	var buf bytes.Buffer
	_ = binary.Write(&buf, binary.LittleEndian, list) // a buffer takes all
	return base64.StdEncoding.EncodeToString(buf.Bytes())
}

//go:embed page.html
var pageText string

//go:embed page.js
var pageScript string

var pageTemplate = template.Must(template.New("page").Parse(pageText))

// Write writes the page.
func (pg *Page) Write(w io.Writer) error {
	js, err := json.Marshal(pg.data) // which escapes what could end a script
	if err != nil {
		return fmt.Errorf("shader: %w", err)
	}
	err = pageTemplate.Execute(w, map[string]any{"Title": pg.title, "Script": template.JS(pageScript), "Data": template.JS(js), "Remarks": pg.Remarks, "Backdrop": template.CSS(pg.data.Backdrop)})
	if err != nil {
		return fmt.Errorf("shader: %w", err)
	}
	return nil
}

// WriteZIP writes the shaders of a look as files, with its pictures, and a note of what the uniforms are.
func (p *Program) WriteZIP(w io.Writer, files stage.Files) error {
	z := zip.NewWriter(w)
	base := slug(p.Look)
	base = base[:len(base)-1]
	put := func(name string, data []byte) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate})
		if err == nil {
			_, err = f.Write(data)
		}
		if err != nil {
			return fmt.Errorf("shader: %w", err)
		}
		return nil
	}
	note := map[string]any{"look": p.Look, "uniforms": p.Uniforms, "remarks": p.Remarks}
	var pictures []map[string]any
	for _, t := range p.Textures {
		pic, err := files.Picture(t.Hash)
		if err != nil {
			continue
		}
		var buf bytes.Buffer
		if err := png.Encode(&buf, pic.Image()); err != nil {
			return fmt.Errorf("shader: %w", err)
		}
		if err := put(t.Name+".png", buf.Bytes()); err != nil {
			return err
		}
		pictures = append(pictures, map[string]any{"sampler": t.Name, "file": t.Name + ".png", "wrap": t.Wrap, "nearest": t.Nearest, "linear": t.Data})
	}
	note["pictures"] = pictures
	text, err := json.MarshalIndent(note, "", "  ")
	if err != nil {
		return fmt.Errorf("shader: %w", err)
	}
	for _, f := range [3]struct {
		name string
		data []byte
	}{{base + ".vert", []byte(p.Vertex)}, {base + ".frag", []byte(p.Fragment)}, {base + ".json", append(text, '\n')}} {
		if err := put(f.name, f.data); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("shader: %w", err)
	}
	return nil
}
