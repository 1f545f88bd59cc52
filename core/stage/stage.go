// Package stage holds what is rendered: models with their parts, lights, a camera and a backdrop, as plain data that is
// checked, and made ready as a Scene.
package stage

import (
	"fmt"
	"image"
	"math"
	"slices"

	"mobanta/core/blob"
	"mobanta/core/color"
	"mobanta/core/finish"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/names"
	"mobanta/core/press"
	"mobanta/core/vec"
)

// Stage is what is rendered.
type Stage struct {
	Models   []Model  `json:"models"`
	Lights   []Light  `json:"lights"`
	Camera   Camera   `json:"camera"`
	Backdrop Backdrop `json:"backdrop"`
	Time     Time     `json:"time,omitzero"`

	// What is done to the picture once all is drawn, in this order; see package finish.
	Glow  finish.Glow  `json:"glow,omitzero"`
	Grade finish.Grade `json:"grade,omitzero"`
	View  finish.View  `json:"view,omitempty"`
	// Press is how the picture is printed, once all else has been done.
	Press press.Press `json:"press,omitzero"`

	// Suns are the lights of a document from before there were others; Settle puts
	// them among Lights.
	Suns []Light `json:"suns,omitempty"`
}

// Model is a mesh placed on the stage. Exactly one of Solid, File and Blobs is set.
type Model struct {
	ID    string            `json:"id"`
	Name  string            `json:"name"`
	Solid string            `json:"solid,omitempty"` // key of a built-in shape
	File  string            `json:"file,omitempty"`  // content hash of a stored file
	At    vec.V             `json:"at"`
	Turn  vec.V             `json:"turn"`  // degrees about X, Y, Z
	Scale float32           `json:"scale"` // greater than 0
	Form  mesh.Form         `json:"form,omitzero"`
	Looks map[string]string `json:"looks"` // part name → look; a part that is missing takes no look
	Clip  Clip              `json:"clip,omitzero"`
	Clips []FileClip        `json:"clips,omitempty"` // those that its file has
	Blobs *blob.Blobs       `json:"blobs,omitempty"` // in place of a solid and a file
}

// FileClip is an animation of a file.
type FileClip struct {
	Name    string  `json:"name"`
	Seconds float64 `json:"seconds"`
}

// maxClips limits the animations of a model.
const maxClips = 1000

// Clip is which of its file's animations a model plays, and how.
type Clip struct {
	Name   string  `json:"name,omitempty"`   // "" for none: it stands still
	Speed  float64 `json:"speed,omitempty"`  // 0 for 1
	Offset float64 `json:"offset,omitempty"` // seconds into the clip at the beginning
}

// Moves tells whether the model moves by itself.
func (m *Model) Moves() bool { return m.Clip.Name != "" || m.Blobs != nil && m.Blobs.Spring.On }

func (c *Clip) check() error {
	if len(c.Name) > maxPartName {
		return fmt.Errorf("the name of clip %.40q is too long", c.Name)
	}
	if err := checkRange("speed of the clip", c.Speed, -100, 100); err != nil {
		return err
	}
	return checkRange("offset of the clip", c.Offset, -36000, 36000)
}

// At returns the time of a clip of a length at a time of the stage, in seconds: it goes round and round.
func (c *Clip) At(at, length float64) float64 {
	speed := c.Speed
	if speed == 0 {
		speed = 1
	}
	t := c.Offset + speed*at
	if !(length > 0) {
		return 0
	}
	if t -= length * math.Floor(t/length); t >= length-1e-9 {
		t = 0
	}
	return t
}

// Matrix returns the map from the model's own space to the stage.
func (m *Model) Matrix() vec.M { return vec.Place(m.At, m.Turn, m.Scale) }

// Camera looks at Target from a direction and a distance.
type Camera struct {
	Azimuth   float64 `json:"azimuth"`   // degrees
	Elevation float64 `json:"elevation"` // degrees, -89.9..89.9
	Target    vec.V   `json:"target"`
	Distance  float32 `json:"distance"` // from the target, greater than 0
	Angle     float32 `json:"angle"`    // vertical field of view, degrees; also sets the size of an orthographic view at the target
	Ortho     bool    `json:"ortho,omitempty"`
}

// Limits on a stage.
const (
	MaxModels   = 200
	MaxLights   = 16
	maxID       = 64     // bytes of an id
	maxParts    = 10_000 // of a model
	maxPartName = 1000   // bytes
)

// Lengths on a stage, from the least that anything is apart or across to the most:
// checkRange them a stage looks the same at any size.
const (
	Least = 1e-12
	Far   = 1e12
)

// Settle makes a stage that came from outside one of ours and checks it. It writes into nothing that copies of s share.
func (s *Stage) Settle() error {
	s.Models, s.Lights = slices.Clone(s.Models), slices.Clone(s.Lights)
	for _, l := range s.Suns { // from before there were other lights
		l.Kind = light.Sun
		s.Lights = append(s.Lights, l)
	}
	s.Suns = nil
	if s.Models == nil {
		s.Models = []Model{}
	}
	if s.Lights == nil {
		s.Lights = []Light{}
	}
	for i := range s.Models {
		m := &s.Models[i]
		var err error
		if m.Name, err = names.Label(m.Name); err != nil {
			return fmt.Errorf("stage: model %d: %w", i+1, err)
		}
		m.Clip.Name = names.Line(m.Clip.Name)
		m.Clips = slices.Clone(m.Clips)
		for k := range m.Clips {
			m.Clips[k].Name = names.Line(m.Clips[k].Name)
		}
		looks := make(map[string]string, len(m.Looks))
		for part, look := range m.Looks {
			looks[names.Line(part)] = look
		}
		m.Looks = looks
	}
	for i := range s.Lights {
		var err error
		if s.Lights[i].Name, err = names.Label(s.Lights[i].Name); err != nil {
			return fmt.Errorf("stage: light %d: %w", i+1, err)
		}
	}
	return s.Check()
}

// Check returns why s cannot be rendered, or nil.
func (s *Stage) Check() error {
	if len(s.Models) > MaxModels {
		return fmt.Errorf("stage: at most %d models, not %d", MaxModels, len(s.Models))
	}
	if len(s.Lights) > MaxLights {
		return fmt.Errorf("stage: at most %d lights, not %d", MaxLights, len(s.Lights))
	}
	for _, err := range [...]error{s.Glow.Check(), s.Grade.Check(), s.View.Check(), s.Press.Check(), s.Backdrop.check()} {
		if err != nil {
			return fmt.Errorf("stage: %w", err)
		}
	}
	ids := map[string]bool{}
	for i := range s.Models {
		m := &s.Models[i]
		if m.ID == "" || len(m.ID) > maxID || ids[m.ID] {
			return fmt.Errorf("stage: model %d needs an id of its own", i+1)
		}
		ids[m.ID] = true
		if err := m.check(); err != nil {
			return fmt.Errorf("stage: model %.40q: %w", m.Name, err)
		}
	}
	for i := range s.Lights {
		l := &s.Lights[i]
		if l.ID == "" || len(l.ID) > maxID || ids[l.ID] {
			return fmt.Errorf("stage: light %d needs an id of its own", i+1)
		}
		ids[l.ID] = true
		if err := l.check(); err != nil {
			return fmt.Errorf("stage: light %.40q: %w", l.Name, err)
		}
	}
	if err := s.Time.check(); err != nil {
		return fmt.Errorf("stage: %w", err)
	}
	if err := s.Camera.check(); err != nil {
		return fmt.Errorf("stage: camera: %w", err)
	}
	return nil
}

func (m *Model) check() error {
	if err := m.Form.Check(); err != nil {
		return err
	}
	kinds := 0
	for _, there := range [3]bool{m.Solid != "", m.File != "", m.Blobs != nil} {
		if there {
			kinds++
		}
	}
	if kinds != 1 {
		return fmt.Errorf("it needs either a solid, a file or blobs")
	}
	if m.Blobs != nil {
		if err := m.Blobs.Check(); err != nil {
			return err
		}
	}
	if err := m.Clip.check(); err != nil {
		return err
	}
	if len(m.Clips) > maxClips {
		return fmt.Errorf("it has more than %d clips", maxClips)
	}
	for _, c := range m.Clips {
		if len(c.Name) > maxPartName || !(c.Seconds >= 0 && c.Seconds <= 1e6) {
			return fmt.Errorf("clip %.40q is not one", c.Name)
		}
	}
	if m.Solid != "" && mesh.FindSolid(m.Solid) == nil {
		return fmt.Errorf("there is no solid named %.40q", m.Solid)
	}
	if len(m.Looks) > maxParts {
		return fmt.Errorf("it has more than %d parts", maxParts)
	}
	for part, look := range m.Looks {
		if len(part) > maxPartName || len(look) > maxID {
			return fmt.Errorf("the name of part %.40q is too long", part)
		}
	}
	if err := checkRange("scale", float64(m.Scale), 1e-6, 1e6); err != nil {
		return err
	}
	for i := range 3 {
		if err := checkRange("place", float64(m.At[i]), -Far, Far); err != nil {
			return err
		}
		if err := checkRange("turn", float64(m.Turn[i]), -36000, 36000); err != nil {
			return err
		}
	}
	return nil
}

func (c *Camera) check() error {
	if err := checkRange("azimuth", c.Azimuth, -36000, 36000); err != nil {
		return err
	}
	if err := checkRange("elevation", c.Elevation, -89.9, 89.9); err != nil {
		return err
	}
	if err := checkRange("distance", float64(c.Distance), Least, Far); err != nil {
		return err
	}
	for _, v := range c.Target {
		if err := checkRange("target", float64(v), -Far, Far); err != nil {
			return err
		}
	}
	return checkRange("angle", float64(c.Angle), 1, 150)
}

// checkRange tells that v lies outside its range. What is held in float32 may be the
// end of the range as float32 has it.
func checkRange(name string, v, lo, hi float64) error {
	if !(v >= min(lo, float64(float32(lo))) && v <= max(hi, float64(float32(hi)))) {
		return fmt.Errorf("%s %v lies outside %v to %v", name, v, lo, hi)
	}
	return nil
}

// New returns a stage without models: one sun, a plain backdrop.
func New() Stage {
	return Stage{
		Models:   []Model{},
		Lights:   []Light{NewLight("sun", "Key sun", light.Sun)},
		Camera:   Camera{Azimuth: 20, Elevation: 15, Distance: 6, Angle: 28},
		Backdrop: Backdrop{Color: color.MustHex("#26414D")},
	}
}

// Frame returns the camera moved so that box fits into a picture of the given
// aspect (width over height), seen from the same direction.
func (c Camera) Frame(box vec.Box, aspect float64) Camera {
	if box.Empty() {
		return c
	}
	c.Target = box.Center()
	half := math.Tan(float64(c.Angle) * math.Pi / 360)
	v := Camera{Azimuth: c.Azimuth, Elevation: c.Elevation, Distance: 1, Angle: c.Angle}.View(100, 100)
	var dist float64
	for _, p := range box.Corners() {
		q := p.Sub(c.Target)
		x, y, z := math.Abs(float64(q.Dot(v.Right))), math.Abs(float64(q.Dot(v.Up))), float64(q.Dot(v.Back))
		need := max(y/half, x/(half*aspect))
		if !c.Ortho {
			need += z
		}
		dist = max(dist, need)
	}
	c.Distance = float32(max(dist*1.12, float64(box.Diagonal())*1e-3, Least))
	return c
}

// View is a camera made ready for a picture of W × H pixels.
type View struct {
	W, H            int
	Eye             vec.V // where the camera stands
	Right, Up, Back vec.V // unit, world space; the camera looks along -Back
	Scale           float32
	Near            float32
	Ortho           bool
	// Area is the part of the picture that is drawn, its corner at multiples of Grain; empty for all of it. Pixels are
	// counted row by row within it. All else, sizes and places too, is that of the whole picture.
	Area image.Rectangle
}

// Grain is what the corners of a View's Area are multiples of, in pixels.
const Grain = 64

// Frame returns the part of the picture that is drawn.
func (v *View) Frame() image.Rectangle {
	if v.Area.Empty() {
		return image.Rect(0, 0, v.W, v.H)
	}
	return v.Area
}

// Counted returns where in the whole picture the pixel of a number lies.
func (v *View) Counted(pixel int32) (x, y int) {
	f := v.Frame()
	return f.Min.X + int(pixel)%f.Dx(), f.Min.Y + int(pixel)/f.Dx()
}

// View returns the camera for a picture of w × h pixels.
func (c Camera) View(w, h int) View {
	back := vec.Direction(c.Azimuth, c.Elevation)
	right := vec.V{0, 1, 0}.Cross(back).Unit()
	half := float32(math.Tan(float64(c.Angle) * math.Pi / 360))
	v := View{W: w, H: h, Eye: c.Target.Add(back.Mul(c.Distance)), Right: right, Up: back.Cross(right), Back: back,
		Scale: float32(h) / 2 / half, Near: c.Distance * 1e-3, Ortho: c.Ortho}
	if c.Ortho {
		v.Scale /= c.Distance
	}
	return v
}

// Camera returns p in the space of the camera: to the right, up, and ahead.
func (v *View) Camera(p vec.V) vec.V {
	q := p.Sub(v.Eye)
	return vec.V{q.Dot(v.Right), q.Dot(v.Up), -q.Dot(v.Back)}
}

// Project returns where the point at camera-space place q falls, in pixels from
// the picture's top left corner, and its nearness: greater is closer, and linear
// over the picture within a plane. For a perspective view q[2] must be positive.
func (v *View) Project(q vec.V) (x, y, near float32) {
	if v.Ortho {
		return float32(v.W)/2 + v.Scale*q[0], float32(v.H)/2 - v.Scale*q[1], -q[2]
	}
	near = 1 / q[2]
	s := v.Scale * near
	return float32(v.W)/2 + s*q[0], float32(v.H)/2 - s*q[1], near
}

// Mark returns where the point p falls, in pixels from the picture's top left
// corner. A point that the picture does not show is marked on the picture's rim, on
// the side on which it lies; seen is false then.
func (v *View) Mark(p vec.V) (x, y float32, seen bool) {
	q := v.Camera(p)
	w, h := float32(v.W), float32(v.H)
	ahead := v.Ortho || q[2] > v.Near
	if ahead {
		x, y, _ = v.Project(q)
		if x >= 0 && y >= 0 && x < w && y < h {
			return x, y, true
		}
		x, y = x-w/2, y-h/2
	} else { // towards the side to which the eye would have to turn
		x, y = q[0], -q[1]
	}
	// Along the line from the middle, as far as the rim.
	reach := float32(max(math.Abs(float64(x))/float64(w/2), math.Abs(float64(y))/float64(h/2)))
	if !(reach > 1e-20) || math.IsInf(float64(reach), 0) { // right behind the eye
		return w / 2, h, false
	}
	return w/2 + x/reach, h/2 + y/reach, false
}

// Ray returns the ray through the place (x, y) of the picture, in pixels. Its
// direction is of unit length.
func (v *View) Ray(x, y float32) (origin, dir vec.V) {
	dx, dy := (x-float32(v.W)/2)/v.Scale, (float32(v.H)/2-y)/v.Scale
	side := v.Right.Mul(dx).Add(v.Up.Mul(dy))
	if v.Ortho {
		return v.Eye.Add(side), v.Back.Mul(-1)
	}
	return v.Eye, side.Sub(v.Back).Unit()
}

// Depth returns the distance ahead of the camera for a nearness from Project.
func (v *View) Depth(near float32) float32 {
	if v.Ortho {
		return -near
	}
	return 1 / near
}
