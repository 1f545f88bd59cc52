package scene

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"math"
	"sync"

	"mobanta/core/eval"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/shape"
	"mobanta/core/stage"
	"mobanta/core/trace"
)

// Displaced returns the scene of a stage whose parts wear these looks: where a look's Finish
// displaces, vertices stand where it moves them. What feeds it is evaluated at the vertices
// at rest. An older scene lends what is the same; it may be nil.
func Displaced(st *stage.Stage, files stage.Files, looks map[string]*network.Network, old *stage.Scene) (*stage.Scene, error) {
	lent := old
	if old != nil && old.Rest != nil {
		lent = old.Rest
	}
	rest, err := stage.NewScene(st, files, lent)
	if err != nil {
		return nil, err
	}
	steps := map[string][]shape.Step{}
	for id, net := range looks {
		if end := net.Finish(); end != nil && displaces(end) && worn(rest, id) {
			if err := displace(rest, id, net, steps); err != nil {
				return nil, err
			}
		}
	}
	if len(steps) == 0 {
		return rest, nil
	}
	sc, err := stage.NewScene(st, moved{files, steps}, old)
	if err != nil {
		return nil, err
	}
	sc.Rest = rest
	return sc, nil
}

func displaces(end *network.Node) bool { return len(end.In[node.Displacing].Wires) > 0 }

func worn(sc *stage.Scene, look string) bool {
	for _, p := range sc.Parts {
		if p.Look == look {
			return true
		}
	}
	return false
}

// moved is files whose surfaces are moved.
type moved struct {
	stage.Files
	steps map[string][]shape.Step // by model
}

// Steps implements stage.Shaper.
func (f moved) Steps(m *stage.Model) []shape.Step {
	var first []shape.Step
	if s, ok := f.Files.(stage.Shaper); ok {
		first = s.Steps(m)
	}
	return append(first, f.steps[m.ID]...)
}

// heights remembers, with the geometry at rest, what looks last came to.
type heights struct {
	mu   sync.Mutex
	kept map[string]known
}

// known is the steps that a look comes to, by model, and what from.
type known struct {
	key   eval.Key
	steps map[string]shape.Step
}

// displace adds the steps that a look comes to, of the models that wear it.
func displace(rest *stage.Scene, look string, net *network.Network, steps map[string][]shape.Step) error {
	program, err := eval.Compile(net, node.Catalogue{})
	if err != nil {
		return err
	}
	end := net.Finish()
	targets := program.Input(end.ID, node.Displacing)
	if len(targets) == 0 {
		return nil
	}
	height := end.Value(node.Catalogue{}.Of(end).Setting("height")).(float64)
	workers := parallel.Cores()
	scene := &node.Scene{Scene: rest, Time: node.At(rest.Stage.Time)}
	moment := eval.NewMoment(scene, 1)
	h := sha256.New()
	fmt.Fprint(h, program.KeyOf(targets[0], moment), height)
	for _, p := range rest.Parts {
		fmt.Fprint(h, p.Look == look)
	}
	key := eval.Key(h.Sum(nil)[:16])
	cache := rest.Keep("displaced", func() any { return &heights{kept: map[string]known{}} }).(*heights)
	cache.mu.Lock()
	defer cache.mu.Unlock()
	made := cache.kept[look]
	if made.key != key {
		if made, err = raise(rest, look, program, targets, moment, scene, height, workers); err != nil {
			return err
		}
		made.key = key
		if len(cache.kept) > maxDisplaced { // looks that are not worn any more
			clear(cache.kept)
		}
		cache.kept[look] = made
	}
	for model, step := range made.steps {
		steps[model] = append(steps[model], step)
	}
	return nil
}

// maxDisplaced is of how many looks heights are remembered.
const maxDisplaced = 16

// raise works out how far the vertices go that wear a look.
func raise(rest *stage.Scene, look string, program *eval.Program, targets []eval.Target, moment *eval.Moment, scene *node.Scene, height float64, workers int) (known, error) {
	all, vertex := sample.Vertices(rest, nil)
	var of, picked []int32
	for i, part := range all.PartOf {
		if rest.Parts[part].Look == look {
			picked, of = append(picked, int32(i)), append(of, vertex[i])
		}
	}
	points := all.Pick(picked)
	if program.Rays(targets) {
		scene.Tracer = &shade.Tracer{Scene: rest, Rays: trace.Of(rest.Geometry, nil, workers), Workers: workers}
	}
	found := shade.NewFindings(points, nil)
	found.Level = 1
	planes, err := program.Run(context.Background(), eval.Env{Points: points, Found: found, Scene: scene, Moment: moment, Workers: workers}, targets[:1])
	if err != nil {
		return known{}, err
	}
	out := known{steps: map[string]shape.Step{}}
	for i := range rest.Models {
		m := &rest.Models[i]
		first, n := m.FirstVertex, len(m.Surface.Pos)
		list, some := make([]float32, n), false
		scale := float32(height) * m.Surface.Box.Diagonal()
		for k, v := range of {
			if at := int(v) - first; at >= 0 && at < n {
				list[at], some = planes[0][0][k]*scale, true
			}
		}
		if !some {
			continue
		}
		sum := sha256.New()
		for _, f := range list {
			sum.Write(binary.LittleEndian.AppendUint32(nil, math.Float32bits(f)))
		}
		out.steps[rest.Stage.Models[i].ID] = shape.Along{Name: fmt.Sprintf("%x", sum.Sum(nil)[:16]), Height: list}
	}
	return out, nil
}
