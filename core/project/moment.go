package project

import (
	"fmt"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/move"
	"mobanta/core/network"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Movable is a value of the document that moves can drive.
type Movable struct {
	Of       move.Of
	Group    string // what it belongs to: "Camera", "Key sun"
	Name     string // "azimuth"
	Size     int    // 1 for a number, 3 for a place or a colour
	Angle    bool   // in degrees, all the way round is 360
	Color    bool
	Min, Max float64 // inNetwork which it stays
	Step     float64 // how far a new move takes it
	Unit     string
}

// Title names the value in full.
func (m *Movable) Title() string {
	if m.Of.What == "swatch" {
		return m.Name
	}
	return m.Group + ", " + m.Name
}

// Movables returns all that moves can drive, in the order in which it is offered.
func (p *Project) Movables() []Movable {
	const far = float64(stage.Far)
	angle := func(what, id, group, key, name string, lo, hi float64) Movable {
		return Movable{Of: move.Of{What: what, ID: id, Key: key}, Group: group, Name: name, Size: 1, Angle: hi > 180, Min: lo, Max: hi, Step: 40, Unit: "°"}
	}
	reach := float64(p.Stage.Camera.Distance)
	place := func(what, id, group, key, name string) Movable {
		return Movable{Of: move.Of{What: what, ID: id, Key: key}, Group: group, Name: name, Size: 3, Min: -far, Max: far, Step: reach / 8}
	}
	const around = 36000 // degrees, as the stage has them
	out := []Movable{
		angle("camera", "", "Camera", "azimuth", "azimuth", -around, around),
		angle("camera", "", "Camera", "elevation", "elevation", -89.9, 89.9),
		{Of: move.Of{What: "camera", Key: "distance"}, Group: "Camera", Name: "distance", Size: 1, Min: stage.Least, Max: far, Step: -reach / 3},
		{Of: move.Of{What: "camera", Key: "angle"}, Group: "Camera", Name: "field of view", Size: 1, Min: 1, Max: 150, Step: -10, Unit: "°"},
		place("camera", "", "Camera", "target", "target"),
	}
	for i := range p.Stage.Models {
		m := &p.Stage.Models[i]
		for k, axis := range [3]string{"X", "Y", "Z"} {
			out = append(out, angle("model", m.ID, m.Name, turnKeys[k], "turn about "+axis, -around, around))
		}
		out = append(out, place("model", m.ID, m.Name, "at", "place"),
			Movable{Of: move.Of{What: "model", ID: m.ID, Key: "scale"}, Group: m.Name, Name: "scale", Size: 1, Min: 1e-6, Max: 1e6, Step: float64(m.Scale) * 0.3})
	}
	for i := range p.Stage.Lights {
		l := &p.Stage.Lights[i]
		if l.Kind.Aimed() {
			out = append(out, angle("light", l.ID, l.Name, "azimuth", "azimuth", -around, around), angle("light", l.ID, l.Name, "elevation", "elevation", -90, 90))
		}
		if l.Kind.Placed() {
			out = append(out, place("light", l.ID, l.Name, "at", "place"))
		}
		out = append(out, Movable{Of: move.Of{What: "light", ID: l.ID, Key: "strength"}, Group: l.Name, Name: "strength", Size: 1, Max: 1000, Step: -float64(l.Strength) * 0.8},
			Movable{Of: move.Of{What: "light", ID: l.ID, Key: "color"}, Group: l.Name, Name: "colour", Size: 3, Color: true, Max: 1000})
	}
	cat := p.Catalogue()
	for i := range p.Looks {
		l := &p.Looks[i]
		for _, d := range l.Dials {
			if m, ok := dialMovable(cat, l, d); ok {
				out = append(out, m)
			}
		}
	}
	for i := range p.Swatches {
		w := &p.Swatches[i]
		name := w.Name
		if name == "" {
			name = w.Color.Hex()
		}
		out = append(out, Movable{Of: move.Of{What: "swatch", ID: w.ID}, Group: "Swatches", Name: name, Size: 3, Color: true, Max: 1000})
	}
	return out
}

var turnKeys = [3]string{"turnx", "turny", "turnz"}

// dialMovable returns how a dial is moved; ok is false for one that holds no number and no colour, or is wired.
func dialMovable(cat network.Grouped, l *Look, d network.Dial) (m Movable, ok bool) {
	n := l.Node(d.Node)
	if n == nil || len(n.In[d.Key].Wires) > 0 {
		return m, false
	}
	m = Movable{Of: move.Of{What: "dial", ID: l.ID, Key: d.ID}, Group: l.Name, Name: d.Name, Size: 1}
	spec := cat.Of(n)
	if s := spec.Setting(d.Key); s != nil {
		switch s.Type {
		case network.Number:
			m.Min, m.Max, m.Unit = s.Min, s.Max, s.Unit
			m.Angle = s.Unit == "°" && s.Max-s.Min >= 360
		case network.Swatch:
			m.Color, m.Size, m.Max = true, 3, 1000
		default:
			return m, false
		}
	} else if in := spec.Input(d.Key); in == nil || in.Hidden {
		return m, false
	} else {
		switch in.Type {
		case network.Tone:
			m.Min, m.Max = -1e6, 1e6
			m.Step = (in.Max - in.Min) * 0.3
		case network.Color:
			m.Color, m.Size, m.Max = true, 3, 1000
		default:
			return m, false
		}
	}
	if d.Max > d.Min {
		m.Step = (d.Max - d.Min) * 0.3
	} else if m.Step == 0 {
		m.Step = (m.Max - m.Min) * 0.3
	}
	return m, true
}

// Movable returns what a move drives; nil if that is not there.
func (p *Project) Movable(of move.Of) *Movable {
	all := p.Movables()
	for i := range all {
		if all[i].Of == of {
			return &all[i]
		}
	}
	return nil
}

// numbers returns the variables behind a value of the stage: one or three; nil for one that is elsewhere.
func (p *Project) numbers(of move.Of) (f32 []*float32, f64 *float64) {
	three := func(v *vec.V) []*float32 { return []*float32{&v[0], &v[1], &v[2]} }
	switch of.What {
	case "camera":
		c := &p.Stage.Camera
		switch of.Key {
		case "azimuth":
			return nil, &c.Azimuth
		case "elevation":
			return nil, &c.Elevation
		case "distance":
			return []*float32{&c.Distance}, nil
		case "angle":
			return []*float32{&c.Angle}, nil
		case "target":
			return three(&c.Target), nil
		}
	case "light":
		l, err := p.light(of.ID)
		if err != nil {
			return nil, nil
		}
		switch of.Key {
		case "azimuth":
			return nil, &l.Azimuth
		case "elevation":
			return nil, &l.Elevation
		case "strength":
			return []*float32{&l.Strength}, nil
		case "at":
			return three(&l.At), nil
		case "color":
			return []*float32{&l.Color[0], &l.Color[1], &l.Color[2]}, nil
		}
	case "model":
		m, err := p.model(of.ID)
		if err != nil {
			return nil, nil
		}
		if k := slices.Index(turnKeys[:], of.Key); k >= 0 {
			return []*float32{&m.Turn[k]}, nil
		}
		switch of.Key {
		case "at":
			return three(&m.At), nil
		case "scale":
			return []*float32{&m.Scale}, nil
		}
	case "swatch":
		if w := p.Swatch(of.ID); w != nil {
			return []*float32{&w.Color[0], &w.Color[1], &w.Color[2]}, nil
		}
	}
	return nil, nil
}

// dial returns the dial that a move drives, and the node that it turns.
func (p *Project) dial(of move.Of) (*Look, *network.Dial, *network.Node) {
	l := p.Look(of.ID)
	if of.What != "dial" || l == nil {
		return nil, nil, nil
	}
	for i := range l.Dials {
		if d := &l.Dials[i]; d.ID == of.Key {
			return l, d, l.Node(d.Node)
		}
	}
	return nil, nil, nil
}

// Reading returns the value of something movable, nil if it is not there.
func (p *Project) Reading(of move.Of) move.Value {
	if f32, f64 := p.numbers(of); f64 != nil {
		return move.Value{*f64}
	} else if f32 != nil {
		out := make(move.Value, len(f32))
		for k, f := range f32 {
			out[k] = float64(*f)
		}
		return out
	}
	_, d, n := p.dial(of)
	if n == nil {
		return nil
	}
	spec := p.Catalogue().Of(n)
	var v any
	if s := spec.Setting(d.Key); s != nil {
		v = n.Value(s)
	} else if in := spec.Input(d.Key); in != nil {
		v = n.Constant(in)
	}
	switch v := v.(type) {
	case float64:
		return move.Value{v}
	case color.C:
		return move.Value{float64(v[0]), float64(v[1]), float64(v[2])}
	}
	return nil
}

// put gives something movable a value, held within its range.
func (p *Project) put(m *Movable, v move.Value) error {
	v = slices.Clone(v)
	for k := range v {
		v[k] = max(m.Min, min(m.Max, v[k]))
	}
	if f32, f64 := p.numbers(m.Of); f64 != nil {
		*f64 = v[0]
		return nil
	} else if f32 != nil {
		for k, f := range f32 {
			*f = float32(v[k])
		}
		if m.Of.What == "swatch" {
			p.repaint(p.Swatch(m.Of.ID))
		}
		return nil
	}
	l, d, n := p.dial(m.Of)
	if n == nil {
		return fmt.Errorf("project: %s is not there any more", m.Title())
	}
	var to any = v[0]
	if m.Color {
		to = color.C{float32(v[0]), float32(v[1]), float32(v[2])}
	}
	cat := p.Catalogue()
	if cat.Of(n).Setting(d.Key) != nil {
		return l.SetValue(cat, n.ID, d.Key, to)
	}
	return l.SetConstant(cat, n.ID, d.Key, to)
}

// mixed returns what lies between two colours: along OKLab, in which the steps look even.
func mixed(a, b move.Value, t float64) move.Value {
	lab := func(v move.Value) [3]float32 { return color.C{float32(v[0]), float32(v[1]), float32(v[2])}.Oklab() }
	x, y := lab(a), lab(b)
	for k := range x {
		x[k] += (y[k] - x[k]) * float32(t)
	}
	c := color.FromOklab(x)
	return move.Value{max(0, float64(c[0])), max(0, float64(c[1])), max(0, float64(c[2]))}
}

// driven is something that moves drive, with the moves that do.
type driven struct {
	*Movable
	moves []*move.Move
}

// driven returns what the moves that are on drive.
func (p *Project) driven() []driven {
	if len(p.Moves) == 0 {
		return nil
	}
	var out []driven
	all := p.Movables()
	for i := range all {
		d := driven{Movable: &all[i]}
		for k := range p.Moves {
			if m := &p.Moves[k]; m.Of == d.Of && !m.Off && m.Check(d.Size, d.Angle) == nil {
				d.moves = append(d.moves, m)
			}
		}
		if d.moves != nil {
			out = append(out, d)
		}
	}
	return out
}

// at returns the value at a phase of the loop.
func (d *driven) at(phase float64) move.Value {
	m := move.Acting(d.moves, phase)
	if d.Color {
		return m.At(phase, mixed)
	}
	return m.At(phase, nil)
}

// Moment returns the project as it is at its time: what moves drive has the value that they give it. Time is that of
// the frame that is held. It is p itself where nothing differs.
func (p *Project) Moment() *Project {
	t := p.Stage.Time.Held()
	list := p.driven()
	if len(list) == 0 && t == p.Stage.Time {
		return p
	}
	q := p.Clone()
	q.Stage.Time = t
	q.drive(list)
	return q
}

// Unmove takes away the moves of what is named: "camera", say.
func (p *Project) Unmove(what string) {
	p.Moves = slices.DeleteFunc(p.Moves, func(m move.Move) bool { return m.Of.What == what })
}

// drive gives what moves drive its values at the time of the project.
func (p *Project) drive(list []driven) {
	phase := p.Stage.Time.Held().Phase()
	for i := range list {
		_ = p.put(list[i].Movable, list[i].at(phase)) // what is not there any more moves nothing
	}
}

// Open returns what moves whose loop does not close: at its end the value is another than at its beginning.
func (p *Project) Open() []Movable {
	var out []Movable
	for _, d := range p.driven() {
		from, to := d.at(0), d.at(1)
		for k := range from {
			gap := to[k] - from[k]
			if d.Angle {
				gap -= 360 * math.Round(gap/360)
			}
			if math.Abs(gap) > 1e-6*max(1, math.Abs(from[k])) {
				out = append(out, *d.Movable)
				break
			}
		}
	}
	return out
}

// beforeEdit is what an edit finds: the document's own values of what moves drive, and those that are seen.
type beforeEdit struct {
	driven []driven
	own    []move.Value
	seen   []move.Value
	phase  float64
	slack  float64
}

// enter gives what moves drive the values that are seen, so that an edit works on what the artist sees.
func (p *Project) enter() (b beforeEdit) {
	for _, d := range p.driven() {
		for k, m := range d.moves { // as they are now: the edit may change the list
			c := *m
			d.moves[k] = &c
		}
		b.driven = append(b.driven, d)
		b.own = append(b.own, p.Reading(d.Of))
	}
	if len(b.driven) == 0 {
		return b
	}
	t := p.Stage.Time.Held().Filled()
	b.phase, b.slack = t.Phase(), 1.001/float64(t.Frames())
	p.drive(b.driven)
	for _, d := range b.driven {
		b.seen = append(b.seen, p.Reading(d.Of))
	}
	return b
}

// leave puts what moves drive back, and what the edit changed of it into the moves: at an end of a move that end, in
// between both ends by as much. It returns what moves took the change, for the artist.
func (p *Project) leave(b beforeEdit) (note string) {
	for i, d := range b.driven {
		now := p.Reading(d.Of)
		if now == nil || len(now) != len(b.seen[i]) {
			continue // it went with the edit
		}
		if !slices.Equal(now, b.seen[i]) {
			acting := move.Acting(d.moves, b.phase)
			for k := range p.Moves {
				if m := &p.Moves[k]; m.ID == acting.ID && m.Of == d.Of {
					note = shift(m, d.Movable, b, now, b.seen[i])
				}
			}
		}
		_ = p.put(d.Movable, b.own[i])
	}
	return note
}

// shift takes a change of what a move drives into the move.
func shift(m *move.Move, d *Movable, b beforeEdit, now, seen move.Value) string {
	m.From, m.To = slices.Clone(m.From), slices.Clone(m.To)
	// A frame beside the end itself is a little short of it: the end is put so that the frame is as it was made.
	t := m.Along(b.phase)
	switch m.EdgeAt(b.phase, b.slack) {
	case move.Beginning:
		m.From = now
		for k := range now {
			if t != 0 && !d.Color && m.Way != move.Round {
				m.From[k] = (now[k] - t*m.To[k]) / (1 - t)
			}
		}
		if m.Way == move.Round {
			m.From[0] -= 360 * t
		}
		return fmt.Sprintf("%s moves from there now.", d.Title())
	case move.Ending:
		m.To = now
		for k := range now {
			if t != 1 && !d.Color {
				m.To[k] = m.From[k] + (now[k]-m.From[k])/t
			}
		}
		return fmt.Sprintf("%s moves to there now.", d.Title())
	}
	for k := range now {
		m.From[k] += now[k] - seen[k]
		m.To[k] += now[k] - seen[k]
		if d.Color {
			m.From[k], m.To[k] = max(0, m.From[k]), max(0, m.To[k])
		}
	}
	return fmt.Sprintf("The whole move of %s has shifted with it.", d.Title())
}
