package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
)

// ramp is a ramp that an edit is about.
type ramp struct {
	p     *Project
	net   *network.Network
	node  *network.Node
	key   string
	stops []color.Stop
}

// rampOf runs an edit on the ramp that it names.
func rampOf(f func(r *ramp, e *Edit, o *Outcome) error) func(*Project, *Edit, *Outcome) error {
	return inNetwork(func(p *Project, n *network.Network, e *Edit, o *Outcome) error {
		r := &ramp{p: p, net: n, node: n.Node(e.Node), key: e.Key}
		if r.node == nil {
			return fmt.Errorf("project: there is no node %.40q", e.Node)
		}
		if r.key == "" {
			r.key = "stops"
		}
		cat := p.Catalogue()
		s := cat.Of(r.node).Setting(r.key)
		if s == nil || s.Type != network.Stops {
			return fmt.Errorf("project: %s has no ramp", r.node.Title(cat))
		}
		r.stops = slices.Clone(r.node.Value(s).([]color.Stop))
		o.Label += " of " + r.node.Title(cat)
		return f(r, e, o)
	})
}

// rampEdit changes the stops of a ramp. If the ramp follows a band set and its
// edges move, so do those of all that follow the set; if it gains or loses a band,
// it leaves the set.
func rampEdit(f func(stops []color.Stop, e *Edit) ([]color.Stop, error)) func(*Project, *Edit, *Outcome) error {
	return rampOf(func(r *ramp, e *Edit, o *Outcome) error {
		before := len(r.stops)
		stops, err := f(r.stops, e)
		if err != nil {
			return err
		}
		if err := r.net.SetValue(r.p.Catalogue(), r.node.ID, r.key, stops); err != nil {
			return err
		}
		set := r.p.BandSet(r.node.Bands[r.key])
		if set == nil {
			return nil
		}
		if len(stops) != before {
			delete(r.node.Bands, r.key)
			o.Note = "It no longer follows the band set " + set.Name + ", for it has other bands now."
			return nil
		}
		color.SortStops(stops)
		for i := 1; i < len(stops) && i <= len(set.Edges); i++ {
			set.Edges[i-1] = stops[i].At
		}
		return r.p.follow(set)
	})
}

// tightenStops draws the band edges together by e.Value, or lets them apart with
// more than 1.
func tightenStops(stops []color.Stop, e *Edit) ([]color.Stop, error) {
	f, ok := e.Value.(float64)
	if !ok {
		f = 0.8
	}
	if !(f >= 0 && f <= 100) {
		return nil, fmt.Errorf("project: a ramp cannot be tightened to %v of its width", f)
	}
	return color.Tighten(stops, f), nil
}

// fitStops spreads the bands over the tones whose histogram e.Value is.
func fitStops(stops []color.Stop, e *Edit) ([]color.Stop, error) {
	list, _ := e.Value.([]any)
	if len(list) < 2 || len(list) > 1<<16 {
		return nil, errors.New("project: there are no tones to fit the bands to")
	}
	bins := make([]float64, len(list))
	for i, v := range list {
		f, ok := v.(float64)
		if !ok || !(f >= 0 && f < 1e12) {
			return nil, errors.New("project: the tones to fit the bands to could not be read")
		}
		bins[i] = f
	}
	out, ok := color.Fit(stops, bins)
	if !ok {
		return nil, errors.New("project: nothing in view reads this ramp, so there is nothing to fit it to")
	}
	return out, nil
}

// paintStops gives the bands the colours of a palette, in its order; bands are
// added where it has more.
func paintStops(stops []color.Stop, e *Edit) ([]color.Stop, error) {
	if len(e.Colors) == 0 {
		return nil, errors.New("project: the palette has no colours")
	}
	if len(e.Colors) > color.MaxStops {
		return nil, fmt.Errorf("project: the palette has %d colours, a ramp holds %d bands", len(e.Colors), color.MaxStops)
	}
	n := len(stops)
	for i, c := range e.Colors {
		if i >= len(stops) {
			stops = append(stops, color.Stop{At: 1, Edge: color.Step})
		}
		stops[i].Color, stops[i].Swatch = c.Color, ""
		if c.Name != "" && len(c.Name) <= 40 {
			stops[i].Name = c.Name
		}
	}
	if len(stops) > n {
		stops = color.Spread(stops)
	}
	return stops, nil
}

// addStop puts a hard step at e.Value, in the colour that the ramp has just
// right of the middle of the band, a little lighter, so that it shows.
func addStop(stops []color.Stop, e *Edit) ([]color.Stop, error) {
	at, ok := e.Value.(float64)
	if !ok {
		// The middle of the widest band.
		widest := float32(-1)
		for i, s := range stops {
			end := float32(1)
			if i+1 < len(stops) {
				end = stops[i+1].At
			}
			if end-s.At > widest {
				widest, at = end-s.At, float64(s.At+end)/2
			}
		}
	}
	if !(at >= 0 && at <= 1) {
		return nil, fmt.Errorf("project: a band edge lies between 0 and 1, not at %v", at)
	}
	c := color.NewRamp(stops, color.MixLinear).At(float32(at)).Oklab()
	if c[0] > 0.75 {
		c[0] -= 0.09
	} else {
		c[0] += 0.09
	}
	n := color.FromOklab(c).NRGBA()
	return append(stops, color.Stop{At: float32(at), Color: color.FromBytes(n.R, n.G, n.B), Edge: color.Step}), nil
}

func setStop(stops []color.Stop, e *Edit) ([]color.Stop, error) {
	if e.Index < 0 || e.Index >= len(stops) {
		return nil, fmt.Errorf("project: the ramp has no band %d", e.Index+1)
	}
	fields, ok := e.Value.(map[string]any)
	if !ok {
		return nil, errors.New("project: a band is changed by its fields")
	}
	s := &stops[e.Index]
	for k, v := range fields {
		f, isNumber := v.(float64)
		t, isText := v.(string)
		switch {
		case k == "at" && isNumber:
			s.At = float32(max(0, min(1, f)))
		case k == "softness" && isNumber:
			s.Softness = float32(f)
		case k == "edge" && isText:
			s.Edge = color.Edge(t)
			if s.Edge == color.Soft && s.Softness == 0 {
				s.Softness = 0.08
			}
		case k == "name" && isText:
			s.Name = strings.TrimSpace(t)
		case k == "color":
			c, err := color.FromAny(v)
			if err != nil {
				return nil, err
			}
			s.Color, s.Swatch = c, ""
		default:
			return nil, fmt.Errorf("project: a band has no %.20q that could be %.20v", k, v)
		}
	}
	return stops, nil
}
