package project

import (
	"errors"
	"fmt"
	"slices"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/move"
	"mobanta/core/stage"
)

// checkMoves returns what is wrong with the moves, or nil. A move of something that is not there any more is let go of.
func (p *Project) checkMoves() error {
	if len(p.Moves) > move.Max {
		return fmt.Errorf("project: at most %d moves, not %d", move.Max, len(p.Moves))
	}
	if len(p.Moves) == 0 {
		return nil
	}
	all := map[move.Of]*Movable{}
	list := p.Movables()
	for i := range list {
		all[list[i].Of] = &list[i]
	}
	p.Moves = slices.DeleteFunc(slices.Clone(p.Moves), func(m move.Move) bool { return all[m.Of] == nil })
	if len(p.Moves) == 0 {
		p.Moves = nil
	}
	ids := map[string]bool{}
	for i := range p.Moves {
		m := &p.Moves[i]
		if err := own(ids, m.ID); err != nil {
			return fmt.Errorf("project: move %d: %w", i+1, err)
		}
		of := all[m.Of]
		if err := m.Check(of.Size, of.Angle); err != nil {
			return fmt.Errorf("project: the move of %.80q: %w", of.Title(), err)
		}
	}
	return nil
}

// moveOf returns the move that an edit is about.
func (p *Project) moveOf(id string) (*move.Move, *Movable, error) {
	for i := range p.Moves {
		if m := &p.Moves[i]; m.ID == id {
			if of := p.Movable(m.Of); of != nil {
				return m, of, nil
			}
		}
	}
	return nil, nil, fmt.Errorf("project: there is no move %.40q any more", id)
}

// addMove adds a move of what e.Value names, "what/id/key", from where it is.
func addMove(p *Project, e *Edit, o *Outcome) error {
	for _, m := range p.Movables() {
		if m.Key() != e.Value {
			continue
		}
		from := p.Reading(m.Of)
		if from == nil {
			break
		}
		to := slices.Clone(from)
		switch {
		case m.Color:
			c := color.C{float32(from[0]), float32(from[1]), float32(from[2])}.OKLCH()
			c[2] += 1.0 / 3 // of a turn
			c[1] = max(c[1], 0.1)
			t := color.FromOKLCH(c)
			for k := range to {
				to[k] = float64(max(0, min(1, t[k])))
			}
		case m.Size == 3:
			to[1] += m.Step
		default:
			if to[0] += m.Step; to[0] > m.Max {
				to[0] = from[0] - m.Step
			}
			to[0] = max(m.Min, min(m.Max, to[0]))
		}
		return p.putMove(move.Move{Of: m.Of, From: from, To: to}, m.Title(), o)
	}
	return errors.New("project: that is nothing that can move")
}

// Key names something movable in one word.
func (m *Movable) Key() string { return m.Of.What + "/" + m.Of.ID + "/" + m.Of.Key }

func (p *Project) putMove(m move.Move, title string, o *Outcome) error {
	if len(p.Moves) >= move.Max {
		return fmt.Errorf("project: at most %d moves", move.Max)
	}
	m.ID = p.freshID("move")
	p.Moves = append(slices.Clone(p.Moves), m)
	o.Created, o.Label = m.ID, "moves "+title
	return nil
}

// instead puts a move in the place of all others of the same value.
func (p *Project) instead(m move.Move, o *Outcome) error {
	p.Moves = slices.DeleteFunc(slices.Clone(p.Moves), func(old move.Move) bool { return old.Of == m.Of })
	return p.putMove(m, "", o)
}

// addTurntable takes the camera all the way round.
func addTurntable(p *Project, e *Edit, o *Outcome) error {
	az := p.turning(move.Of{What: "camera", Key: "azimuth"}, p.Stage.Camera.Azimuth)
	err := p.instead(move.Move{Of: move.Of{What: "camera", Key: "azimuth"}, From: move.Value{az}, To: move.Value{az}, Way: move.Round}, o)
	o.Label = "put on a turntable"
	return err
}

// turning returns from where a value goes all the way round, or else otherwise.
func (p *Project) turning(of move.Of, otherwise float64) float64 {
	for i := range p.Moves {
		if m := &p.Moves[i]; m.Of == of && m.Way == move.Round {
			return m.From[0]
		}
	}
	return otherwise
}

// addDay lets a sun rise, cross the sky and set, noon where it stands now in the middle of the loop; then comes the night.
func addDay(p *Project, e *Edit, o *Outcome) error {
	at := slices.IndexFunc(p.Stage.Lights, func(l stage.Light) bool { return l.ID == e.ID })
	if at < 0 {
		at = slices.IndexFunc(p.Stage.Lights, func(l stage.Light) bool { return l.Kind == light.Sun })
	}
	if at < 0 || !p.Stage.Lights[at].Kind.Aimed() {
		return errors.New("project: a day needs a sun: add one among the lights")
	}
	l := &p.Stage.Lights[at]
	of := func(key string) move.Of { return move.Of{What: "light", ID: l.ID, Key: key} }
	noon, dawn := max(l.Elevation, 40), p.turning(of("azimuth"), l.Azimuth-180)
	for _, m := range []move.Move{
		{Of: of("azimuth"), From: move.Value{dawn}, To: move.Value{dawn}, Way: move.Round},
		{Of: of("elevation"), From: move.Value{-15}, To: move.Value{noon}},
		{Of: of("strength"), From: move.Value{float64(l.Strength) * 0.1}, To: move.Value{float64(l.Strength)},
			Way: move.Drawn, Curve: []move.Point{{X: 0, Y: 0}, {X: 0.2, Y: 0.1}, {X: 0.35, Y: 1}, {X: 0.65, Y: 1}, {X: 0.8, Y: 0.1}, {X: 1, Y: 0}}},
	} {
		if err := p.instead(m, o); err != nil {
			return err
		}
	}
	o.Label = "gave " + l.Name + " a day"
	return nil
}

func setMove(p *Project, e *Edit, o *Outcome) error {
	p.Moves = slices.Clone(p.Moves)
	m, of, err := p.moveOf(e.ID)
	if err != nil {
		return err
	}
	o.Label = "changed the move of " + of.Title()
	count := func(to *int) error {
		f := 0.0
		if err := number(e.Value, &f); err != nil {
			return err
		}
		if *to = int(f); float64(*to) != f {
			return errors.New("project: that is a whole number")
		}
		return nil
	}
	switch e.Key {
	case "from":
		err = p.moveValue(of, e.Value, &m.From)
	case "to":
		err = p.moveValue(of, e.Value, &m.To)
	case "begin":
		err = number(e.Value, &m.Begin)
	case "end":
		if err = number(e.Value, &m.End); m.End == 1 {
			m.End = 0
		}
	case "way":
		s, _ := e.Value.(string)
		m.Way = move.Way(s)
		if m.Way == move.Round && m.To != nil {
			m.To = slices.Clone(m.From)
		} else if m.Way != move.Round && m.Times < 0 {
			m.Times = -m.Times
		}
		if m.Way != move.Round && slices.Equal(m.From, m.To) && of.Size == 1 {
			m.To = move.Value{max(of.Min, min(of.Max, m.From[0]+of.Step))}
		}
	case "times":
		if err = count(&m.Times); m.Times == 1 {
			m.Times = 0
		}
	case "steps":
		err = count(&m.Steps)
	case "curve":
		m.Curve, err = points(e.Value)
	case "off":
		err = flagged("a move", e.Value, &m.Off)
	default:
		return fmt.Errorf("project: a move has no %.20q", e.Key)
	}
	if err != nil {
		return err
	}
	if err := m.Check(of.Size, of.Angle); err != nil {
		return fmt.Errorf("project: %w", err)
	}
	return nil
}

// moveValue reads a number, three, or a colour.
func (p *Project) moveValue(of *Movable, v any, to *move.Value) error {
	if of.Color {
		c, err := color.FromAny(v)
		if err == nil {
			*to = move.Value{float64(c[0]), float64(c[1]), float64(c[2])}
		}
		return err
	}
	list, ok := v.([]any)
	if !ok {
		list = []any{v}
	}
	if len(list) != of.Size {
		return fmt.Errorf("project: %s is %d numbers", of.Title(), of.Size)
	}
	out := make(move.Value, len(list))
	for k, n := range list {
		if err := number(n, &out[k]); err != nil {
			return err
		}
		out[k] = max(of.Min, min(of.Max, out[k]))
	}
	*to = out
	return nil
}

// points reads a list of pairs.
func points(v any) ([]move.Point, error) {
	list, ok := v.([]any)
	if !ok || len(list) > move.MaxPoints {
		return nil, fmt.Errorf("project: a curve is at most %d points", move.MaxPoints)
	}
	var out []move.Point
	for _, e := range list {
		pair, _ := e.([]any)
		if len(pair) != 2 {
			return nil, errors.New("project: a point of a curve is two numbers")
		}
		var q move.Point
		if err := errors.Join(number(pair[0], &q.X), number(pair[1], &q.Y)); err != nil {
			return nil, err
		}
		out = append(out, q)
	}
	return out, nil
}

func removeMove(p *Project, e *Edit, o *Outcome) error {
	_, of, err := p.moveOf(e.ID)
	if err != nil {
		return err
	}
	o.Label = "stopped the move of " + of.Title()
	p.Moves = slices.DeleteFunc(slices.Clone(p.Moves), func(m move.Move) bool { return m.ID == e.ID })
	return nil
}
