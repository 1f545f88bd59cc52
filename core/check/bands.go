package check

import (
	"fmt"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
)

// empty: a band that no pixel falls into.
func empty(in *input) {
	for _, d := range in.used() {
		setting := node.ConcernsOf(d).Bands
		if setting == "" {
			continue
		}
		tones := in.tones(d)
		if len(tones) == 0 {
			continue
		}
		stops := d.Value(in.cat.Of(d).Setting(setting)).([]color.Stop)
		count := make([]int, len(stops))
		for _, t := range tones {
			count[color.BandOf(stops, t)]++
		}
		var bands []string
		for k, n := range count {
			// The colour of a band that blends into the next is seen before it begins.
			blends := k+1 < len(stops) && stops[k+1].Edge != color.Step && stops[k+1].Edge != "" || stops[k].Edge != color.Step && stops[k].Edge != ""
			if n == 0 && !blends {
				if name := stops[k].Name; name != "" {
					bands = append(bands, name)
				} else {
					bands = append(bands, fmt.Sprintf("band %d", k+1))
				}
			}
		}
		m, l, ok := in.at("empty", d.ID)
		if len(bands) == 0 || !ok {
			continue
		}
		low, high := slices.Min(tones), slices.Max(tones)
		m.Title = "Empty band"
		m.Text = fmt.Sprintf("No pixel falls into %s of %s: the tones in view run from %.2g to %.2g.", listed(bands), in.title(l), low, high)
		if high <= 0 || low >= 1 || low == high {
			continue // one tone all over is told of by another check
		}
		m.Mend, m.Do = "Fit the bands to the light", []project.Edit{fit(l, setting, tones)}
		in.remark(m)
	}
}

// fit returns the edit that fits a ramp to tones.
func fit(l project.Located, setting string, tones []float32) project.Edit {
	const n = 512
	bins := make([]any, n)
	count := make([]float64, n)
	for _, t := range tones {
		count[max(0, min(n-1, int(t*n)))]++
	}
	for i, c := range count {
		bins[i] = c
	}
	e := l.Edit
	e.Op, e.Key, e.Value = "ramp.fit", setting, bins
	return e
}

// clipped: light so strong that much of it lies above 1.
func clipped(in *input) {
	seen := map[string]bool{}
	for _, cut := range in.used() {
		if node.CutOf(cut) == nil {
			continue
		}
		for _, w := range cut.In[node.CutInput(cut)].Wires {
			d := in.net.Node(w.Node)
			if d == nil || !node.ConcernsOf(d).Shades || w.Port != "tone" || seen[d.ID] {
				continue
			}
			seen[d.ID] = true
			tones := slices.Clone(in.tones(cut))
			above := 0
			for _, t := range tones {
				if t > 1.0005 {
					above++
				}
			}
			if len(tones) == 0 || above*12 < len(tones) {
				continue
			}
			r, _ := reading(in, d)
			m, l, ok := in.at("clipped", d.ID)
			if !ok {
				continue
			}
			var names []string
			for _, k := range r.Of(in.scene.Lights) {
				if s := &in.scene.Lights[k]; s.Strength > 0 {
					names = append(names, s.Name)
				}
			}
			m.Title = "Light beyond the ramp"
			m.Text = fmt.Sprintf("%d %% of what %s gives lies above 1, where %s ends: forms are lost in its last band. It is lit by %s.",
				100*above/len(tones), in.title(l), name(in, cut), listed(names))
			m.Mend, m.Do = in.weaken(d, r.Of(in.scene.Lights), tones)
			in.remark(m)
		}
	}
}

// weaken returns the mend for a reading of lights whose tones are given and end
// beyond 1: a weaker light, where one alone is the cause, otherwise all of them.
func (in *input) weaken(d *network.Node, lights []int, tones []float32) (string, []project.Edit) {
	const few = 0.02 // of the pixels may stay above 1
	strength := func(k int, f float64) project.Edit {
		s := &in.scene.Lights[k]
		return project.Edit{Op: "light.set", ID: s.ID, Key: "strength", Value: math.Floor(float64(s.Strength)*f*1000) / 1000}
	}
	worst, most, rest := -1, 0.0, []float32(nil)
	for _, k := range lights {
		if len(lights) == 1 || in.scene.Lights[k].Strength <= 0 {
			continue
		}
		// What the others give by themselves.
		net := in.net.Clone()
		alone := net.Node(d.ID)
		alone.Choose("reads", "picked")
		alone.Choose("lights", in.others(lights, k))
		others, err := in.r.ToneOf(in.ctx, in.look.ID, &net, network.Ref{Node: d.ID, Port: "tone"})
		if err != nil || len(others) != len(tones) {
			continue
		}
		took := 0.0
		for i, t := range tones {
			if t > 1 {
				took += float64(t) - max(1, float64(others[i]))
			}
		}
		if took > most {
			worst, most, rest = k, took, others
		}
	}
	if worst >= 0 {
		// As strong as can be, as long as it is still seen.
		gives := make([]float32, len(tones))
		for i, t := range tones {
			gives[i] = t - rest[i]
		}
		bright := float64(percentile(gives, 1-few))
		for f := 0.98; f*bright > 0.2; f *= 0.98 {
			above := 0
			for i, t := range tones {
				left := float64(rest[i]) + f*float64(t-rest[i])
				if in.value(d, "combine") == "brightest" && t > rest[i] {
					left = max(float64(rest[i]), f*float64(t))
				}
				if left > 1 {
					above++
				}
			}
			if float64(above) <= few*float64(len(tones)) {
				return "Weaken " + in.scene.Lights[worst].Name, []project.Edit{strength(worst, f)}
			}
		}
	}
	var do []project.Edit
	for _, k := range lights {
		if in.scene.Lights[k].Strength > 0 {
			do = append(do, strength(k, 1/float64(percentile(tones, 1-few))))
		}
	}
	if len(do) == 1 {
		return "Weaken it to end at 1", do
	}
	return "Weaken them to end at 1", do
}

// percentile returns the value below which the share of the values lies.
func percentile(values []float32, share float64) float32 {
	sorted := slices.Clone(values)
	slices.Sort(sorted)
	return sorted[int(float64(len(sorted)-1)*share)]
}

// others returns the ids of lights without number k, as a setting.
func (in *input) others(lights []int, k int) []string {
	out := []string{}
	for _, i := range lights {
		if i != k {
			out = append(out, in.scene.Lights[i].ID)
		}
	}
	return out
}

// constant: a tone that is all 0 or all 1.
func constant(in *input) {
	ranges, err := in.r.Ranges(in.ctx, in.look.ID)
	if err != nil || ranges == nil {
		return
	}
	flat := func(ref network.Ref) bool {
		r, ok := ranges[ref]
		return ok && r.Min == r.Max && (r.Min == 0 || r.Min == 1)
	}
	read := map[network.Ref]bool{}
	for _, d := range in.used() {
		for _, i := range d.In {
			for _, w := range i.Wires {
				read[w] = true
			}
		}
	}
	// Within a group that is used more than once a node need not make a difference everywhere.
	inner := func(l project.Located) [2]string { return [2]string{l.Edit.Group, l.Edit.Node} }
	varies := map[[2]string]bool{}
	for _, d := range in.used() {
		for _, o := range in.cat.Of(d).Outputs {
			if ref := (network.Ref{Node: d.ID, Port: o.Key}); read[ref] && !flat(ref) {
				if l, ok := in.p.Locate(in.look.ID, d.ID); ok && l.Edit.Group != "" {
					varies[inner(l)] = true
				}
			}
		}
	}
	for _, d := range in.used() {
		spec := in.cat.Of(d)
		if spec.Family == "surface" || spec.Family == "colour" {
			continue // they are what they are
		}
		cause := false // whether what feeds it is the same already, or nothing feeds it
		wired := false
		for _, i := range d.In {
			for _, w := range i.Wires {
				wired = true
				cause = cause || flat(w)
			}
		}
		if cause || spec.Family != "light" && spec.Family != "line" && !wired {
			continue
		}
		for _, o := range spec.Outputs {
			ref := network.Ref{Node: d.ID, Port: o.Key}
			if !read[ref] || !flat(ref) || node.ConcernsOf(d).Open && ranges[ref].Min == 1 {
				continue
			}
			m, l, ok := in.at("constant", d.ID)
			if !ok || varies[inner(l)] {
				continue
			}
			v := ranges[ref].Min
			m.Title = fmt.Sprintf("All %v", v)
			m.Text = fmt.Sprintf("%s of %s is %v everywhere in view, so it makes no difference there.", o.Name, in.title(l), v)
			m.Mend, m.Do = in.enliven(l, d)
			if m.Do != nil {
				in.remark(m)
				break
			}
		}
	}
}

// enliven returns a mend for a node whose tone is the same everywhere.
func (in *input) enliven(l project.Located, d *network.Node) (string, []project.Edit) {
	if cut := node.CutOf(d); cut != nil && cut.Threshold != "" && len(d.In[cut.Threshold].Wires) == 0 {
		if tones := slices.Clone(in.tones(d)); len(tones) > 0 {
			slices.Sort(tones)
			if low, high := tones[0], tones[len(tones)-1]; low < high {
				e := l.Edit
				e.Op, e.Key, e.Value = "node.input", cut.Threshold, math.Round(float64(low+(high-low)*0.6)*1000)/1000
				return "Put the threshold among its tones", []project.Edit{e}
			}
		}
	}
	if key := node.ConcernsOf(d).Roughness; key != "" {
		if v, _ := in.value(d, key).(float64); v < 0.45 {
			return "Set its roughness to 0.5", []project.Edit{set(l, key, 0.5)}
		}
	}
	e := l.Edit
	if network.CanBypass(in.cat.Of(l.Node)) == nil {
		e.Op = "node.off"
		return "Bypass it", []project.Edit{e}
	}
	e.Op = "node.remove"
	return "Remove it", []project.Edit{e}
}

// near: two ramps whose edges lie nearly, but not quite, at the same places.
func near(in *input) {
	type ramp struct {
		l     project.Located
		look  string
		key   string // of the setting
		stops []color.Stop
	}
	var all []ramp
	seen := map[*network.Node]bool{} // what stands in a group stands in every look that uses it
	for i := range in.p.Looks {
		look := in.p.Looks[i].ID
		net := in.flat[look]
		if net == nil {
			continue
		}
		for k := range net.Nodes {
			l, ok := in.p.Locate(look, net.Nodes[k].ID)
			if !ok || seen[l.Node] {
				continue
			}
			setting := node.ConcernsOf(l.Node).Bands
			if setting == "" || l.Node.Bands[setting] != "" || !in.shaded(net, net.Nodes[k].ID) {
				continue
			}
			seen[l.Node] = true
			if stops := l.Node.Value(in.cat.Of(l.Node).Setting(setting)).([]color.Stop); len(stops) > 1 {
				all = append(all, ramp{l, look, setting, stops})
			}
		}
	}
	key := func(r *ramp) string { return r.l.Edit.Look + r.l.Edit.Group + "/" + r.l.Edit.Node }
	for i := range all {
		for k := i + 1; k < len(all); k++ {
			a, b := &all[i], &all[k]
			if len(a.stops) != len(b.stops) || !nearly(a.stops, b.stops) {
				continue
			}
			first, second := a.l.Edit, b.l.Edit
			first.Op, first.Key, first.Name = "bands.make", a.key, in.title(a.l)
			second.Op, second.Key, second.ID = "bands.join", b.key, in.p.NextBandSet()
			in.remark(Remark{Key: "near/" + key(a) + "/" + key(b), Title: "Edges that nearly meet", Look: b.look, Path: b.l.Path, Node: b.l.Edit.Node,
				Text: fmt.Sprintf("The band edges of %s and %s lie close beside each other: thin slivers show between them.", in.title(a.l), in.title(b.l)),
				Mend: "Share one set of edges", Do: []project.Edit{first, second}})
			return // one at a time: the mend may settle others
		}
	}
}

// shaded tells whether what a node reads depends on shading: slivers show between bands of
// light, not between spots of textures.
func (in *input) shaded(net *network.Network, id string) bool {
	in.net = net
	return slices.ContainsFunc(in.behind(id), func(d *network.Node) bool { return node.ConcernsOf(d).Shades })
}

// nearly tells whether all edges lie within 0.03 of each other, and one does not
// lie at the very place.
func nearly(a, b []color.Stop) bool {
	same := true
	for i := 1; i < len(a); i++ {
		d := math.Abs(float64(a[i].At - b[i].At))
		if d > 0.03 {
			return false
		}
		same = same && d == 0
	}
	return !same
}
