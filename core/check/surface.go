package check

import (
	"fmt"
	"math"

	"mobanta/core/mend"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/sample"
)

// Checks of surface, texture and relief.

// usual is how wide the picture is that artists look at: footprints are those in it.
const usual = 960

// coarse: a model that would have too many triangles is subdivided less than asked.
func coarse(in *input) {
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		took := in.scene.Models[i].Surface.Steps
		if m.Form.Steps <= took || m.Form.Smooth {
			continue
		}
		in.remark(Remark{Key: "steps/" + m.ID, Title: "Subdivided less than asked", Stage: true,
			Text: fmt.Sprintf("%s is subdivided %s, not %s: more would come to over two million triangles.", m.Name, times(took), times(m.Form.Steps)),
			Mend: "Ask for " + times(took), Do: []project.Edit{{Op: "model.set", ID: m.ID, Key: "steps", Value: float64(took)}}})
	}
}

// unmended: a model from a file with faces turned inward, lying twice, or apart where they were meant to meet.
func unmended(in *input) {
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		s := in.scene.Models[i].Surface
		if far := m.Form.Mend | mesh.MendFar; m.File != "" && far != m.Form.Mend && meshfile.Afar(s.From) {
			in.remark(Remark{Key: "afar/" + m.ID, Title: "A model far away from its origin", Stage: true,
				Text: fmt.Sprintf("%s lies so far from the origin of its file that its places are told coarsely: lines fall into dashes and edges into steps.", m.Name),
				Mend: "Bring it near, and frame it", Do: []project.Edit{{Op: "model.set", ID: m.ID, Key: "mend", Value: far.String()}, {Op: "camera.frame", Aspect: 1.6}}})
		}
		if m.File == "" {
			continue
		}
		found := mend.FaultsOf(s)
		if found.Kinds()&^mesh.MendEmpty == 0 {
			continue
		}
		in.remark(Remark{Key: "unmended/" + m.ID, Title: "A model with faults", Stage: true,
			Text: fmt.Sprintf("The faces of %s have %s: outlines and lines can break or stand where nothing is.", m.Name, found),
			Mend: "Mend it", Do: []project.Edit{{Op: "model.set", ID: m.ID, Key: "mend", Value: (m.Form.Mend | found.Kinds()).String()}},
			Sides: []string{"came", "mended"}})
	}
}

func times(n int) string {
	return [...]string{"not at all", "once", "twice", "three times", "four times"}[max(0, min(4, n))]
}

// wires returns what is wired to an input of a node, or the zero reference.
func wires(d *network.Node, key string) (ref network.Ref, ok bool) {
	if i, there := d.In[key]; there && len(i.Wires) > 0 {
		return i.Wires[0], true
	}
	return ref, false
}

// typed returns the tone that is typed into an input of a node; ok is false if it is wired.
func (in *input) typed(d *network.Node, key string) (v float64, ok bool) {
	p := in.cat.Of(d).Input(key)
	if _, wired := wires(d, key); wired || p == nil {
		return 0, false
	}
	if v, ok = d.In[key].Value.(float64); !ok {
		v, ok = p.Default.(float64)
	}
	return v, ok
}

// mixed: what darkens is laid over a colour in place of being multiplied with it.
func mixed(in *input) {
	darkens := func(id string) *network.Node {
		for _, d := range in.behind(id) {
			if node.ConcernsOf(d).Darkens {
				return d
			}
		}
		return nil
	}
	for _, d := range in.used() {
		key := node.ConcernsOf(d).Lays
		over, ok := wires(d, "over")
		base, under := wires(d, "base")
		if key == "" || !ok || !under || in.value(d, key) != "normal" {
			continue
		}
		dark := darkens(over.Node)
		if dark == nil || darkens(base.Node) != nil {
			continue
		}
		if v, ok := in.typed(d, "amount"); !ok || v == 0 {
			continue // it is a mask of something
		}
		m, l, ok := in.at("mixed", d.ID)
		if !ok {
			continue
		}
		m.Title = "Laid over, not multiplied"
		m.Text = fmt.Sprintf("%s lays %s over the colour, so the colour is lost where it is open. Multiplied, it darkens the colour and leaves it otherwise.", in.title(l), name(in, dark))
		m.Mend, m.Do = "Multiply it", []project.Edit{set(l, key, "multiply")}
		in.remark(m)
	}
}

// folded: relief so steep that its normals lie down flat or turn away.
func folded(in *input) {
	const steep, few = 75, 0.02 // degrees from the surface; share of the points
	for _, d := range in.used() {
		key := node.ConcernsOf(d).Raises
		depth, ok := in.typed(d, key)
		if key == "" || !ok || depth == 0 {
			continue
		}
		planes, points, err := in.r.Read(in.ctx, in.look.ID, network.Ref{Node: d.ID, Port: in.cat.Of(d).Outputs[0].Key}, sample.Normal)
		if err != nil || planes == nil {
			continue
		}
		slopes := make([]float32, points.N)
		for i := range slopes {
			cos := planes[0][i]*points.Norm[0][i] + planes[1][i]*points.Norm[1][i] + planes[2][i]*points.Norm[2][i]
			slopes[i] = float32(math.Tan(math.Acos(float64(max(1e-3, min(1, cos))))))
		}
		worst := float64(percentile(slopes, 1-few))
		if worst < math.Tan(steep*math.Pi/180) {
			continue
		}
		m, l, ok := in.at("folded", d.ID)
		if !ok {
			continue
		}
		m.Title = "Relief too steep"
		m.Text = in.title(l) + " turns normals nearly into the surface, so that light falls on it in specks: the height changes more within a pixel than the depth can show."
		// A slope grows with the depth.
		m.Mend, m.Do = "Make it as deep as can be shown", []project.Edit{typed(l, key, round(depth*math.Tan(math.Pi/3)/worst))}
		in.remark(m)
	}
}

// round keeps two digits of a number.
func round(v float64) float64 {
	k := math.Pow(10, math.Floor(math.Log10(max(1e-9, v)))-1)
	return math.Floor(v/k) * k
}

// grain: a texture whose pieces are finer than the pixels.
func grain(in *input) {
	for _, d := range in.used() {
		key := node.ConcernsOf(d).Grain
		size, ok := in.typed(d, key)
		if _, placed := wires(d, "place"); key == "" || !ok || placed {
			continue
		}
		_, points, err := in.r.Read(in.ctx, in.look.ID, network.Ref{Node: d.ID, Port: in.cat.Of(d).Outputs[0].Key}, sample.Foot)
		if err != nil || points == nil {
			continue
		}
		feet := make([]float32, points.N)
		for i, f := range points.Foot {
			m := &in.scene.Models[in.scene.Parts[points.PartOf[i]].Model]
			feet[i] = f * m.Inverse.X.Len() / m.Surface.Box.Diagonal() * Width / usual
		}
		foot := float64(percentile(feet, 0.5))
		if !(size < 2*foot) {
			continue
		}
		m, l, ok := in.at("grain", d.ID)
		if !ok {
			continue
		}
		m.Title = "Finer than the pixels"
		m.Text = fmt.Sprintf("The pieces of %s are smaller than two pixels of a picture %d wide, so it shows its mean and no texture.", in.title(l), usual)
		m.Mend, m.Do = "Make it large enough to be seen", []project.Edit{typed(l, key, math.Ceil(6000*foot)/1000)}
		in.remark(m)
	}
}

// broken: hard bands on a model so coarse that their edges run along its polygons.
func broken(in *input) {
	const bend, large, share = 12, 20, 0.3 // degrees within a triangle; pixels of the small picture that it takes; of the points
	told := map[string]bool{}
	var coarse float64
	known, worst := false, -1 // the model that most of it is of
	cuts(in, func(cut, d *network.Node, _ node.Reading) {
		if _, wired := wires(d, "normal"); wired || told[d.ID] {
			return
		}
		told[d.ID] = true
		if !known {
			known = true
			_, points, err := in.r.Read(in.ctx, in.look.ID, network.Ref{Node: d.ID, Port: in.cat.Of(d).Outputs[0].Key}, sample.Weights)
			if err != nil || points == nil {
				return
			}
			least := float32(math.Cos(bend * math.Pi / 180))
			n, of := 0, map[int]int{}
			for t, pixels := range each(points.Tri) {
				v := in.scene.Tri[t]
				a, b, c := in.scene.Normal[v[0]], in.scene.Normal[v[1]], in.scene.Normal[v[2]]
				if pixels >= large && min(a.Dot(b), b.Dot(c), c.Dot(a)) < least {
					n += pixels
					of[in.scene.Parts[in.scene.TriPart[t]].Model] += pixels
				}
			}
			for i := range in.p.Stage.Models {
				if of[i] > 0 && (worst < 0 || of[i] > of[worst]) {
					worst = i
				}
			}
			coarse = float64(n) / float64(points.N)
		}
		if coarse < share {
			return
		}
		m, l, ok := in.at("broken", d.ID)
		if !ok {
			return
		}
		m.Title = "Bands break at polygons"
		m.Text = fmt.Sprintf("The model is so coarse that the edges of %s run along its polygons. Draw it smooth, on the stage; or soft form gives %s the normals of a simpler form.", name(in, cut), in.title(l))
		if do := smoothed(in, worst); do != nil {
			m.Mend, m.Do = "Draw it smooth", do
		} else {
			e := l.Edit
			e.Op, e.Kind, e.Node, e.To = "node.add", node.Softener, "", l.Node.ID+".normal"
			m.Mend, m.Do = "Give it a soft form", []project.Edit{e}
		}
		in.remark(m)
	})
}

// smoothed returns the edits that have a model drawn smooth, none where that is so, or would change nothing.
func smoothed(in *input, model int) []project.Edit {
	if model < 0 {
		return nil
	}
	m := &in.p.Stage.Models[model]
	form, coarse := in.scene.Models[model].Surface.Mesh.Coarse()
	if !coarse || m.Form.Smooth || m.Form.Steps > 0 || m.Blobs != nil {
		return nil
	}
	do := []project.Edit{{Op: "model.set", ID: m.ID, Key: "smooth", Value: true}}
	if form.Creases != m.Form.Creases {
		do = append(do, project.Edit{Op: "model.set", ID: m.ID, Key: "creases", Value: string(form.Creases)})
	}
	return do
}

// each counts how often there is each of some numbers.
func each(list []int32) map[int32]int {
	out := map[int32]int{}
	for _, t := range list {
		out[t]++
	}
	return out
}

// stiff: displacement on a model whose triangles are too large to follow it.
func stiff(in *input) {
	const large, share = 4, 0.3 // pixels of the small picture that a triangle takes; of the points
	end := in.net.Finish()
	from, ok := wires(end, node.Displacing)
	if !ok {
		return
	}
	_, points, err := in.r.Read(in.ctx, in.look.ID, from, sample.Weights)
	if err != nil || points == nil {
		return
	}
	all, over := map[int]int{}, map[int]int{} // by model
	most := map[int]int{}
	for t, pixels := range each(points.Tri) {
		m := in.scene.Parts[in.scene.TriPart[t]].Model
		if all[m] += pixels; pixels >= large {
			over[m] += pixels
			most[m] = max(most[m], pixels)
		}
	}
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		if over[i] == 0 || float64(over[i]) < share*float64(all[i]) || m.Form.Steps >= mesh.MaxSteps {
			continue
		}
		// Each step makes four of one.
		steps := min(mesh.MaxSteps, m.Form.Steps+int(math.Ceil(math.Log(float64(most[i])/large)/math.Log(4)+0.5)))
		in.remark(Remark{Key: "stiff/" + in.look.ID + "/" + m.ID, Title: "Too few vertices to displace", Look: in.look.ID, Node: in.look.Network.Finish().ID, Stage: true,
			Text: fmt.Sprintf("%s displaces %s, whose triangles are large: only its vertices move, and what is finer than them is lost.", in.look.Name, m.Name),
			Mend: "Subdivide it " + times(steps), Do: []project.Edit{{Op: "model.set", ID: m.ID, Key: "steps", Value: float64(steps)}}})
	}
}

// unpainted: painted values on models whose files have painted nothing.
func unpainted(in *input) {
	var parts []string
	painted := false
	for _, p := range in.scene.Parts {
		if p.Look != in.look.ID {
			continue
		}
		if in.scene.Models[p.Model].Surface.Paint == nil {
			parts = append(parts, p.Name)
		} else {
			painted = true
		}
	}
	if painted || len(parts) == 0 {
		return
	}
	for _, d := range in.used() {
		if !node.ConcernsOf(d).Paint {
			continue
		}
		m, l, ok := in.at("paint", d.ID)
		if !ok {
			continue
		}
		m.Title = "Nothing is painted"
		m.Text = fmt.Sprintf("%s reads what a model's file has painted on its vertices, and there is nothing on %s: it is white everywhere.", in.title(l), listed(parts))
		e := l.Edit
		e.Op, e.Nodes, e.Node = "node.remove", []string{e.Node}, ""
		m.Mend, m.Do = "Remove it", []project.Edit{e}
		in.remark(m)
	}
}
