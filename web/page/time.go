package page

import (
	"fmt"
	"strings"

	"mobanta/core/color"
	"mobanta/core/move"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Plays tells whether anything of the project can be another at another time: there is a strip then.
func (d *Desk) Plays() bool { return scene.Moves(d.State.Project) }

// Time returns the time of the project, its defaults filled in; as it was set, not as a frame is held.
func (d *Desk) Time() stage.Time { return d.State.Project.Stage.Time.Filled() }

// moveRow is a move as it is shown.
type moveRow struct {
	*move.Move
	Of       *project.Movable
	From, To string // as they are typed; of colours hex
	Picker   [2]string
	Path     string // its course over its part of the loop, as an SVG path in a box of 1000 × 100
	Edge     string // "from" or "to" where the moment is at that end, so that the hand sets it
}

// MoveRows returns the moves.
func (d *Desk) MoveRows() []moveRow {
	doc := d.State.Project
	t := doc.Stage.Time.Held().Filled()
	var out []moveRow
	for i := range doc.Moves {
		m := &doc.Moves[i]
		of := doc.Movable(m.Of)
		if of == nil {
			continue
		}
		row := moveRow{Move: m, Of: of, From: typed(of, m.From), To: typed(of, m.To), Path: course(m, 1000, 100)}
		if !m.Off {
			row.Edge = [...]string{move.Between: "", move.Beginning: "from", move.Ending: "to"}[m.EdgeAt(t.Phase(), 1.001/float64(t.Frames()))]
		}
		out = append(out, row)
	}
	return out
}

// Bars returns the moves that are on as bars over the strip.
func (d *Desk) Bars() (out []struct {
	Title      string
	X, W, Y, H float64
}) {
	rows := d.MoveRows()
	n := 0
	for _, r := range rows {
		if !r.Off {
			n++
		}
	}
	for _, r := range rows {
		if r.Off {
			continue
		}
		h := min(4, 12/float64(n))
		out = append(out, struct {
			Title      string
			X, W, Y, H float64
		}{r.Of.Title() + ", " + r.Way.Name(), 1000 * r.Begin, 1000 * (r.Last() - r.Begin), float64(len(out)) * 12 / float64(n), h * 0.75})
	}
	return out
}

// Ticks returns where frames begin on the strip, as an SVG path in a box of 1000 × 30; of many every second, fifth, and
// so on.
func (d *Desk) Ticks() string {
	n := d.Time().Frames()
	step, long := 1, 6
	for _, s := range [...]int{2, 5, 10, 20, 50, 100, 200, 500} {
		if n/step > 100 {
			step, long = s, s*5
		}
	}
	if r := int(d.Time().Rate + 0.5); r > 0 && step == 1 {
		long = r // whole seconds
	}
	var b strings.Builder
	for k := 0; k <= n; k += step {
		y := 24
		if k%long == 0 {
			y = 17
		}
		fmt.Fprintf(&b, "M%.2f %dV30", 1000*float64(k)/float64(n), y)
	}
	return b.String()
}

// typed writes a value as it is typed.
func typed(of *project.Movable, v move.Value) string {
	if of.Color {
		return color.C{float32(v[0]), float32(v[1]), float32(v[2])}.Hex()
	}
	var parts []string
	for _, f := range v {
		parts = append(parts, node.Short(f))
	}
	return strings.Join(parts, ", ")
}

// course returns the course of a move from From, at the bottom, to To, over the whole loop.
func course(m *move.Move, w, h float64) string {
	var b strings.Builder
	const n = 120
	lo, hi := 0.0, 1.0
	if m.Way == move.Round {
		hi = float64(max(1, m.Times))
	} else if m.Way == move.Drawn {
		for _, p := range m.Points() {
			lo, hi = min(lo, p.Y), max(hi, p.Y)
		}
	}
	for i := range n + 1 {
		x := float64(i) / n
		y := m.Along(x)
		if m.Way == move.Round {
			if m.Times < 0 {
				y += hi * float64(-m.Times)
			}
		}
		c := 'L'
		if i == 0 {
			c = 'M'
		}
		fmt.Fprintf(&b, "%c%.1f %.1f", c, x*w, h*(1-(y-lo)/(hi-lo)))
	}
	return b.String()
}

// movableGroup is what of one thing can move.
type movableGroup struct {
	Name string
	List []project.Movable
}

// Movables returns all that can move, by what it belongs to.
func (d *Desk) Movables() (out []movableGroup) {
	for _, m := range d.State.Project.Movables() {
		if len(out) == 0 || out[len(out)-1].Name != m.Group {
			out = append(out, movableGroup{Name: m.Group})
		}
		g := &out[len(out)-1]
		g.List = append(g.List, m)
	}
	return out
}

// Moved tells whether a move drives a value of the stage, for a mark beside its field.
func (d *Desk) Moved(what, id, key string) bool {
	for i := range d.State.Project.Moves {
		if m := &d.State.Project.Moves[i]; !m.Off && m.Of == (move.Of{What: what, ID: id, Key: key}) {
			return true
		}
	}
	return false
}
