// Package check finds what is likely to be a mistake in a stage and its looks, says where, and offers a mend.
package check

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Remark is one likely mistake.
type Remark struct {
	Key   string // names what it is about; the same for as long as that is there
	Title string // in a few words
	Text  string // what it is and what it does
	Look  string // where to jump to: a look, and
	Path  string // the group within it, and
	Node  string // a node; or
	Stage bool   // the stage, and
	Light string // a light

	Mend string         // what the mend does, "Fit the bands to the light"
	Do   []project.Edit // the mend, one revision

	Sides []string // the two sides that show it before and after the mend, as Project.Side names them; nil for none
}

// Size of the picture from which values are read.
const (
	Width  = 256
	Height = 160
)

// input is what the checks look at.
type input struct {
	ctx   context.Context
	p     *project.Project
	scene *stage.Scene
	flat  map[string]*network.Network
	cat   network.Grouped
	look  *project.Look // the one that is looked at
	net   *network.Network
	r     *picture.Renderer
	out   []Remark
	told  map[string]bool // remarks that are made once
	err   error
}

// rules are the checks, those of the stage first.
var (
	stageRules = []func(*input){bare, unlit, coarse, unmended, lying, rounded, pressed, unclosed, uneven, washed, graded}
	lookRules  = []func(*input){unread, loose, image, rough, bounced, wide, empty, clipped, constant, deep, mixed, folded, grain, broken, unpainted, stiff, fineDots, unprinted, drawn}
	pairRules  = []func(*input){near}
)

// Run looks through a project, whose scene and flat networks are given, and
// returns its remarks in the order of the work, without those that were dismissed.
// It draws a small picture with r, which is to be used for nothing else.
func Run(ctx context.Context, p *project.Project, sc *stage.Scene, flat map[string]*network.Network, r *picture.Renderer) ([]Remark, error) {
	defer r.Use()()
	job := scene.Job{Scene: sc, Looks: flat, W: Width, H: Height, Samples: 1, Quick: true}
	if err := r.Render(ctx, job, func(*picture.Result) {}); err != nil {
		return nil, err
	}
	in := &input{ctx: ctx, p: p, scene: sc, flat: flat, cat: p.Catalogue(), r: r, told: map[string]bool{}}
	for _, rule := range stageRules {
		rule(in)
	}
	for i := range p.Looks {
		in.look, in.net = &p.Looks[i], flat[p.Looks[i].ID]
		if in.net == nil {
			continue
		}
		for _, rule := range lookRules {
			rule(in)
		}
	}
	for _, rule := range pairRules {
		rule(in)
	}
	if in.err != nil {
		return nil, in.err
	}
	return slices.DeleteFunc(in.out, func(m Remark) bool { return slices.Contains(p.Dismissed, m.Key) }), ctx.Err()
}

// remark takes a remark down.
func (in *input) remark(m Remark) { in.out = append(in.out, m) }

// at returns a remark about a node of the look that is looked at, and the edit
// that a mend starts from; ok is false if it stands for something else.
func (in *input) at(kind, flat string) (m Remark, l project.Located, ok bool) {
	l, ok = in.p.Locate(in.look.ID, flat)
	if !ok {
		return m, l, false
	}
	return Remark{Key: kind + "/" + in.look.ID + "/" + flat, Look: in.look.ID, Path: l.Path, Node: l.Edit.Node}, l, true
}

// title returns the name of a node of the look in its quotes.
func (in *input) title(l project.Located) string { return l.Node.Title(in.cat) }

// set returns the edit that sets a setting of a node.
func set(l project.Located, key string, v any) project.Edit {
	e := l.Edit
	e.Op, e.Key, e.Value = "node.set", key, v
	return e
}

// value returns a setting of a node of the flat network.
func (in *input) value(d *network.Node, key string) any {
	if s := in.cat.Of(d).Setting(key); s != nil {
		return d.Value(s)
	}
	return nil
}

// behind returns the nodes that node id depends on, itself included.
func (in *input) behind(id string) []*network.Node {
	seen := map[string]bool{}
	var out []*network.Node
	var walk func(id string)
	walk = func(id string) {
		d := in.net.Node(id)
		if d == nil || seen[id] {
			return
		}
		seen[id] = true
		out = append(out, d)
		for _, i := range in.net.Node(id).In {
			for _, w := range i.Wires {
				walk(w.Node)
			}
		}
	}
	walk(id)
	slices.SortFunc(out, func(a, b *network.Node) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// used returns the nodes that the finish of the look depends on.
func (in *input) used() []*network.Node { return in.behind(in.net.Finish().ID) }

// tones returns what a node that cuts a tone reads, over the small picture; nil
// if nothing of it is seen.
func (in *input) tones(d *network.Node) []float32 {
	t, err := in.r.Tones(in.ctx, in.look.ID, d.ID, node.CutInput(d))
	if err != nil && in.err == nil && in.ctx.Err() != nil {
		in.err = err
	}
	return t
}

// counted says how many there are of something.
func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// listed joins names for a sentence.
func listed(names []string) string {
	switch n := len(names); {
	case n == 0:
		return ""
	case n == 1:
		return names[0]
	case n > 4:
		return strings.Join(names[:3], ", ") + fmt.Sprintf(" and %d more", n-3)
	default:
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
}
