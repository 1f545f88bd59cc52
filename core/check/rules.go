package check

import (
	"fmt"

	"mobanta/core/eval"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/stage"
)

// bare: a part without a look.
func bare(in *input) {
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		var parts []string
		var mend []project.Edit
		for _, p := range in.scene.Parts {
			if p.Model == i && in.p.Look(p.Look) == nil {
				parts = append(parts, p.Name)
				mend = append(mend, project.Edit{Op: "look.assign", ID: m.ID, Part: p.Name, Look: in.p.Looks[0].ID})
			}
		}
		if len(parts) > 0 {
			in.remark(Remark{Key: "bare/" + m.ID, Title: "No look", Stage: true,
				Text: fmt.Sprintf("%s of %s wears no look and is shown in plain grey: %s.", counted(len(parts), "part"), m.Name, listed(parts)),
				Mend: "Let " + in.p.Looks[0].Name + " be worn", Do: mend})
		}
	}
}

// readings returns the light nodes that the finish of a look depends on.
func readings(in *input, net *network.Network) (out []node.Reading) {
	in.net = net
	for _, d := range in.used() {
		if r, ok := reading(in, d); ok {
			out = append(out, r)
		}
	}
	return out
}

// reading returns what a node reads of the lights; ok is false for other nodes.
func reading(in *input, d *network.Node) (r node.Reading, ok bool) {
	k := node.Catalogue{}.Kind(d.Kind)
	if k == nil || k.Light == nil {
		return r, false
	}
	return k.Light(k.Prepare(func(key string) any { return in.value(d, key) })), true
}

// unlit: nothing lights a part, though its look reads the lights.
func unlit(in *input) {
	if len(in.scene.Lights) == 0 {
		for i := range in.p.Looks {
			if net := in.flat[in.p.Looks[i].ID]; net != nil && len(readings(in, net)) > 0 {
				in.remark(Remark{Key: "dark", Title: "No light", Stage: true, Text: "There is no light on the stage, so everything that reads light is dark.",
					Mend: "Add a sun", Do: []project.Edit{{Op: "light.add", Kind: string(light.Sun)}}})
				return
			}
		}
		return
	}
	for i := range in.p.Looks {
		l := &in.p.Looks[i]
		net := in.flat[l.ID]
		if net == nil {
			continue
		}
		all := readings(in, net)
		if len(all) == 0 {
			continue
		}
		reads := map[int]bool{}
		for _, r := range all {
			for _, k := range r.Of(in.scene.Lights) {
				reads[k] = true
			}
		}
		var parts []string
		var mend []project.Edit
		var first *light.Source
		for pi, part := range in.scene.Parts {
			if part.Look != l.ID {
				continue
			}
			lit := false
			for k := range in.scene.Lights {
				s := &in.scene.Lights[k]
				if !reads[k] {
					continue
				}
				if first == nil {
					first = s
				}
				lit = lit || s.Strength > 0 && (s.Parts == nil || s.Parts[pi])
			}
			if !lit {
				parts = append(parts, part.Name)
			}
		}
		if len(parts) == 0 {
			continue
		}
		text := fmt.Sprintf("Nothing lights %s, which wear %s: ", listed(parts), l.Name)
		m := Remark{Key: "unlit/" + l.ID, Title: "Unlit", Stage: true}
		switch {
		case first == nil:
			text += "its nodes pick lights that are not on the stage."
			m.Stage, m.Look = false, l.ID
			for _, d := range in.used() {
				if loc, ok := in.p.Locate(l.ID, d.ID); ok && node.IsLight(d.Kind) {
					mend = append(mend, set(loc, "lights", []any{}))
				}
			}
			m.Mend = "Read all lights"
		case first.Strength == 0:
			text += first.Name + " has strength 0."
			m.Light, m.Mend = first.ID, "Give "+first.Name+" strength 1"
			mend = []project.Edit{{Op: "light.set", ID: first.ID, Key: "strength", Value: 1.0}}
		default:
			text += first.Name + " is limited to other parts."
			m.Light, m.Mend = first.ID, "Let "+first.Name+" light all parts"
			mend = []project.Edit{{Op: "light.set", ID: first.ID, Key: "parts"}}
		}
		m.Text, m.Do = text, mend
		in.remark(m)
	}
}

// deep: relief made of relief, deeper than is worked out.
func deep(in *input) {
	program, err := eval.Compile(in.net, node.Catalogue{})
	if err != nil {
		return
	}
	for _, id := range program.TooDeep() {
		m, l, ok := in.at("deep", id)
		if !ok {
			continue
		}
		m.Title = "Relief too deep"
		m.Text = in.title(l) + " lies behind two others that also look beside each point on the surface. A third in a row is not worked out: it adds nothing to them."
		e := l.Edit
		e.Op, e.Nodes, e.Node = "node.off", []string{e.Node}, ""
		m.Mend, m.Do = "Bypass it", []project.Edit{e}
		in.remark(m)
	}
}

// reached returns which nodes lead to the finish.
func reached(n *network.Network) map[string]bool {
	reach := map[string]bool{}
	var walk func(id string)
	walk = func(id string) {
		if d := n.Node(id); d != nil && !reach[id] {
			reach[id] = true
			for _, i := range d.In {
				for _, w := range i.Wires {
					walk(w.Node)
				}
			}
		}
	}
	walk(n.Finish().ID)
	return reach
}

// unread: the finish reads nothing. A drawing of lines alone needs no colour.
func unread(in *input) {
	n := &in.look.Network
	end := n.Finish()
	if len(end.In["colour"].Wires) > 0 || len(end.In["lines"].Wires) > 0 && len(reached(n)) == len(n.Nodes) {
		return
	}
	m := Remark{Key: "unread/" + in.look.ID, Title: "Finish reads nothing", Look: in.look.ID, Node: end.ID,
		Text: "No colour is wired into the Finish of " + in.look.Name + ", so its nodes do not show."}
	for i := len(in.look.Nodes) - 1; i >= 0; i-- {
		d := &in.look.Nodes[i]
		for _, o := range in.cat.Of(d).Outputs {
			if m.Do == nil && d.ID != end.ID && o.Type == network.Color {
				m.Mend = "Wire " + d.Title(in.cat) + " into it"
				m.Do = []project.Edit{{Op: "wire", Look: in.look.ID, From: d.ID + "." + o.Key, To: end.ID + ".colour"}}
			}
		}
	}
	if m.Do == nil {
		m.Mend, m.Do = "Add a ramp for it", []project.Edit{{Op: "node.add", Look: in.look.ID, Kind: "ramp", To: end.ID + ".colour"}}
	}
	in.remark(m)
}

// loose: nodes that reach no finish.
func loose(in *input) {
	n := &in.look.Network
	reach := reached(n)
	var names, ids []string
	for i := range n.Nodes {
		if d := &n.Nodes[i]; !reach[d.ID] {
			names, ids = append(names, d.Title(in.cat)), append(ids, d.ID)
		}
	}
	if len(ids) == 0 {
		return
	}
	verb := "leads"
	if len(ids) > 1 {
		verb = "lead"
	}
	in.remark(Remark{Key: "loose/" + in.look.ID + "/" + ids[0], Title: "Leads nowhere", Look: in.look.ID, Node: ids[0],
		Text: fmt.Sprintf("In %s, %s %s to no Finish and %s no part in the picture.", in.look.Name, listed(names), verb, map[bool]string{true: "take", false: "takes"}[len(ids) > 1]),
		Mend: "Remove " + counted(len(ids), "node"), Do: []project.Edit{{Op: "node.remove", Look: in.look.ID, Nodes: ids}}})
}

// image: a picture by UVs on parts that have none.
func image(in *input) {
	var parts []string
	for _, p := range in.scene.Parts {
		if p.Look == in.look.ID && !p.UV {
			parts = append(parts, p.Name)
		}
	}
	if len(parts) == 0 {
		return
	}
	for _, d := range in.used() {
		if in := node.ConcernsOf(d).UV; in == "" || len(d.In[in].Wires) > 0 {
			continue
		}
		m, l, ok := in.at("uv", d.ID)
		if !ok {
			continue
		}
		m.Title = "No UVs"
		m.Text = fmt.Sprintf("%s is laid by UVs, but %s of %s has none: it shows a single pixel there.", in.title(l), listed(parts), in.look.Name)
		e := l.Edit
		e.Op, e.Kind, e.Node, e.To = "node.add", "coordinates", "", l.Node.ID+"."+node.ConcernsOf(d).UV
		m.Mend, m.Do = "Lay it by place instead", []project.Edit{e}
		in.remark(m)
	}
}

// rough: a highlight on a surface too rough to have one.
func rough(in *input) {
	for _, d := range in.used() {
		key := node.ConcernsOf(d).Roughness
		if v, _ := in.value(d, key).(float64); v < 0.95 {
			continue
		}
		if m, l, ok := in.at("rough", d.ID); ok {
			m.Title = "Too rough to shine"
			m.Text = in.title(l) + " has a roughness near 1, where a highlight spreads over the whole lit side and is no spot any more."
			m.Mend, m.Do = "Set its roughness to 0.35", []project.Edit{set(l, key, 0.35)}
			in.remark(m)
		}
	}
}

// hard tells whether a node cuts its tone with at least one hard edge.
func hard(in *input, d *network.Node) bool {
	cut := node.CutOf(d)
	return cut != nil && cut.Hard != nil && cut.Hard(node.AboutOf(d, in.cat))
}

// cuts returns the nodes with hard edges, each with the diffuse readings that its
// tone depends on.
func cuts(in *input, f func(cut, d *network.Node, r node.Reading)) {
	for _, cut := range in.used() {
		if !hard(in, cut) {
			continue
		}
		for _, w := range cut.In[node.CutInput(cut)].Wires {
			for _, d := range in.behind(w.Node) {
				if r, ok := reading(in, d); ok && node.ConcernsOf(d).Shades {
					f(cut, d, r)
				}
			}
		}
	}
}

// bounced: bounced light into a hard ramp.
func bounced(in *input) {
	seen := map[string]bool{}
	cuts(in, func(cut, d *network.Node, r node.Reading) {
		if !r.Bounced || seen[d.ID] {
			return
		}
		seen[d.ID] = true
		m, l, ok := in.at("bounced", d.ID)
		if !ok {
			return
		}
		m.Title = "Bounced light under hard bands"
		m.Text = fmt.Sprintf("%s reads bounced light, which is soft everywhere: the hard edges of %s follow no clear form.", in.title(l), name(in, cut))
		m.Mend, m.Do = "Read direct light alone", []project.Edit{set(l, node.ConcernsOf(d).Bounce, "direct")}
		in.remark(m)
	})
}

func name(in *input, d *network.Node) string {
	if l, ok := in.p.Locate(in.look.ID, d.ID); ok {
		return in.title(l)
	}
	return d.Title(in.cat)
}

// wide: a wide light softens hard bands.
func wide(in *input) {
	cuts(in, func(cut, d *network.Node, r node.Reading) {
		if !r.Direct || !r.Shadows {
			return
		}
		for _, k := range r.Of(in.scene.Lights) {
			s := &in.scene.Lights[k]
			if !s.Shadows || !broad(s, in.scene) || in.told["wide/"+s.ID] {
				continue
			}
			m, l, ok := in.at("wide", d.ID)
			if !ok {
				continue
			}
			m.Key = "wide/" + s.ID // once, whoever reads it
			in.told[m.Key] = true
			m.Title, m.Light = "A wide light softens bands", s.ID
			m.Text = fmt.Sprintf("%s is wide, so the shadows that %s reads are soft, and the hard edges of %s fall inside their blur.", s.Name, in.title(l), name(in, cut))
			switch s.Kind {
			case light.Sky:
				m.Mend, m.Do = "Read "+s.Name+" without shadows", []project.Edit{{Op: "light.set", ID: s.ID, Key: "shadows", Value: false}}
			case light.Sun, light.Point:
				m.Mend, m.Do = "Make it narrow", []project.Edit{{Op: "light.set", ID: s.ID, Key: "size", Value: 0.0}}
			default:
				m.Mend, m.Do = "Make it a point", []project.Edit{{Op: "light.set", ID: s.ID, Key: "kind", Value: string(light.Point)}}
			}
			in.remark(m)
		}
	})
}

// broad tells whether a light is wide enough for its penumbra to show.
func broad(s *light.Source, sc *stage.Scene) bool {
	switch s.Kind {
	case light.Sky:
		return true
	case light.Sun:
		return s.Size > 0.02 // sine of half the angle: about 2.3° across
	case light.Point, light.Disc, light.Rectangle:
		return max(s.Size, s.High)/max(1e-9, s.At.Sub(sc.Box.Center()).Len()) > 0.02
	}
	return false
}
