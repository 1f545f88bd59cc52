package delivery

import (
	"fmt"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
)

// What an artist wants to know before an order is filled.

const (
	thinnest = 1.0     // pixels: a line that is thinner is drawn paler instead
	finest   = 4.0     // pixels from dot to dot, or from stroke to stroke
	roomy    = 1 << 30 // bytes of memory that are worth a word
)

// Remarks returns what to mind of an order that has been checked, in sentences.
func (o *Order) Remarks(p *project.Project) []string {
	out := []string{}
	q := o.of(p).Moment()
	cat := q.Catalogue()
	if !o.kind().exact {
		for i := range q.Looks {
			l := &q.Looks[i]
			if !q.Worn(l.ID) {
				continue
			}
			flat, err := cat.Flatten(&l.Network)
			if err != nil {
				continue
			}
			for k := range flat.Nodes {
				if s := o.fine(&flat.Nodes[k]); s != "" {
					out = append(out, l.Name+": "+s)
				}
			}
		}
	}
	if s := p.Redrawn(); s != "" {
		out = append(out, s)
	}
	if n := o.Memory(); n > roomy {
		out = append(out, fmt.Sprintf("While it is made it takes about %.1f GB of memory.", float64(n)/(1<<30)))
	}
	if o.DPI > 0 && o.DPI < 150 && !o.kind().screen {
		out = append(out, fmt.Sprintf("%g dots an inch are few for print: 300 are usual, for lines 600.", o.DPI))
	}
	if q.Stage.Press.On && o.form().pressless {
		out = append(out, "The press is left out of layers: order its plates.")
	}
	return out
}

// fine returns what of a node is too fine for the size that is ordered, "" for nothing.
func (o *Order) fine(d *network.Node) string {
	var cat node.Catalogue
	spec := cat.Of(d)
	if spec == nil {
		return ""
	}
	constant := func(key string) (float64, bool) {
		in := spec.Input(key)
		if in == nil || len(d.In[key].Wires) > 0 {
			return 0, false
		}
		v, ok := d.Constant(in).(float64)
		return v, ok
	}
	if cat.Rule(d) != nil {
		if w, ok := constant("width"); ok {
			if px := w * float64(o.H) / 1000; px > 0 && px < thinnest {
				return fmt.Sprintf("%s are %.2g pixels wide at this size, and so are drawn paler.", d.Title(cat), px)
			}
		}
	}
	if key := node.ConcernsOf(d).Printed; key != "" {
		if n, ok := constant(key); ok && n > 0 {
			if px := float64(o.H) / n; px < finest {
				return fmt.Sprintf("%s has a cell every %.2g pixels at this size, too fine to be seen one by one.", d.Title(cat), px)
			}
		}
	}
	return ""
}
