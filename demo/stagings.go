package demo

import (
	"fmt"

	"mobanta/core/exchange"
	"mobanta/core/project"
)

// variation is what an artist tried, and kept as a staging.
type variation struct {
	name, note string
	edits      []project.Edit
}

func lit(id, key string, v float64) project.Edit {
	return project.Edit{Op: "light.set", ID: id, Key: key, Value: v}
}

func seen(values map[string]any) project.Edit { return project.Edit{Op: "camera.set", Value: values} }

// variations are the stagings of each sample besides the first, which is the sample as it was drawn.
var variations = map[string][]variation{
	"saltlight": {{"Stove behind", "the lid reads better, the spout worse", []project.Edit{lit("key", "azimuth", 148), lit("key", "elevation", 26)}},
		{"Poster", "close, and inked heavily", []project.Edit{seen(map[string]any{"azimuth": -26.0, "elevation": 9.0, "distance": 8.9}), {Op: "node.input", Look: "copper", Node: "ink", Key: "width", Value: 11.0}}}},
	"bell-buoy": {{"Torch alone", "after the sun has gone", []project.Edit{lit("sun", "strength", 0.12), lit("torch", "strength", 0.8)}},
		{"From the pier", "", []project.Edit{seen(map[string]any{"azimuth": 64.0, "elevation": 22.0})}}},
	"keepers-lamp": {{"Window only", "", []project.Edit{lit("key", "strength", 0.1), lit("side", "strength", 1)}},
		{"From below", "as the keeper sees it from the stairs", []project.Edit{seen(map[string]any{"elevation": -18.0, "azimuth": 30.0})}}},
	"the-keeper": {{"Evening", "", []project.Edit{lit("sun", "azimuth", 70), lit("sun", "elevation", 14)}},
		{"The dial baked", "one picture in place of its network: compare the two", []project.Edit{{Op: "look.assign", ID: "dial", Part: "dial", Look: "dial-baked"}}}},
	"comic-page": {{"Lit from the right", "", []project.Edit{lit("key", "azimuth", 52)}},
		{"Low light", "more dots", []project.Edit{lit("key", "elevation", 14)}}},
	"printed-buoy": {{"Night run", "", []project.Edit{lit("sun", "strength", 0.2)}},
		{"Turned", "", []project.Edit{seen(map[string]any{"azimuth": -40.0})}}},
	"harbour": {{"From the sea", "", []project.Edit{seen(map[string]any{"azimuth": -18.0, "elevation": 8.0})}},
		{"Bird's eye", "", []project.Edit{seen(map[string]any{"elevation": 46.0, "distance": 24.0})}}},
	"signal-flare": {{"Moon brighter", "", []project.Edit{lit("moon", "strength", 0.8)}},
		{"Close", "the flame alone", []project.Edit{seen(map[string]any{"distance": 6.0, "elevation": 2.0})}}},
}

// withStagings returns what makes a sample with its stagings.
func withStagings(id string, make func() (*project.Project, map[string]exchange.File, error)) func() (*project.Project, map[string]exchange.File, error) {
	return func() (*project.Project, map[string]exchange.File, error) {
		p, files, err := make()
		if err != nil {
			return nil, nil, err
		}
		keep := func(name, note string, s *project.State) error {
			o, err := p.Apply(&project.Edit{Op: "staging.add", Name: name, State: s})
			if err == nil && note != "" {
				_, err = p.Apply(&project.Edit{Op: "staging.set", ID: o.Created, Key: "note", Value: note})
			}
			return err
		}
		if err = keep("As drawn", "", nil); err == nil {
			_, err = p.Apply(&project.Edit{Op: "staging.set", ID: p.Stagings[0].ID, Key: "chosen", Value: true})
		}
		for _, v := range variations[id] {
			q := p.Clone()
			for i := range v.edits {
				if err == nil {
					_, err = q.Apply(&v.edits[i])
				}
			}
			if err == nil {
				err = keep(v.name, v.note, q.StateNow())
			}
		}
		if err != nil {
			return nil, nil, fmt.Errorf("demo: the stagings of %s: %w", id, err)
		}
		return p, files, p.Settle()
	}
}
