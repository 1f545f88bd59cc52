package page

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"mobanta/core/delivery"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/jobs"
	"mobanta/store"
)

// Deliver is what the page to order from shows.
type Deliver struct {
	Title   string
	State   *store.State
	Project *project.Project
	Look    *project.Look // whose file can be saved
	Kinds   []KindOfOrder
	Sizes   []SizeGroup
	Moves   bool // whether it has more than one frame
	Frames  int
	Rate    float64
	Press   bool
	FFmpeg  bool
	Orders  Orders
	Models  []ModelToBake
	Outputs []OutputToBake
	Looks   []*project.Look // that are worn
}

// ModelToBake is a model that wears a look.
type ModelToBake struct {
	ID, Name string
	Parts    []string
	Looks    string // ids of those that it wears, parted by blanks
}

// OutputToBake is an output of a look that is worn.
type OutputToBake struct {
	Value string // look, node and port, as an order names them
	Name  string
}

// KindOfOrder is one kind of thing that can be ordered.
type KindOfOrder struct {
	Kind  delivery.Kind
	Icon  string
	Forms []delivery.Form
	Why   string // why it cannot be ordered; "" if it can
}

// SizeGroup is sizes for one purpose.
type SizeGroup struct {
	Name string
	List []SizeOf
}

// SizeOf is a size, in pixels, or in millimetres at so many dots an inch.
type SizeOf struct {
	Name     string
	W, H     float64
	DPI      float64 // 0 for pixels
	Selected bool
}

var sizesToOrder = []SizeGroup{
	{"Screen", []SizeOf{{Name: "as on the desk, 1280 × 800", W: 1280, H: 800, Selected: true}, {Name: "full HD, 1920 × 1080", W: 1920, H: 1080}, {Name: "4K, 3840 × 2160", W: 3840, H: 2160}, {Name: "8K, 7680 × 4320", W: 7680, H: 4320}, {Name: "square, 1080 × 1080", W: 1080, H: 1080}, {Name: "upright, 1080 × 1920", W: 1080, H: 1920}}},
	{"Texture", []SizeOf{{Name: "1024 × 1024 texels", W: 1024, H: 1024}, {Name: "2048 × 2048 texels", W: 2048, H: 2048}, {Name: "4096 × 4096 texels", W: 4096, H: 4096}}},
	{"Print", []SizeOf{{Name: "postcard, 148 × 105 mm at 300", W: 148, H: 105, DPI: 300}, {Name: "comic page, 168 × 260 mm at 600", W: 168, H: 260, DPI: 600}, {Name: "A4, 297 × 210 mm at 300", W: 297, H: 210, DPI: 300}, {Name: "A4 upright, 210 × 297 mm at 300", W: 210, H: 297, DPI: 300}, {Name: "A3, 420 × 297 mm at 300", W: 420, H: 297, DPI: 300}}},
}

// orderable is how a kind of order is shown.
type orderable struct {
	icon  string
	why   func(d *Deliver) string        // why it cannot be ordered, nil or "" if it can
	sized func(o *delivery.Order) string // how large it is; nil for pixels and positions
}

// orderables holds what can be ordered on the page, by kind.
var orderables = func() map[delivery.Kind]orderable {
	worn := func(d *Deliver) string {
		if len(d.Models) == 0 {
			return "No model wears a look."
		}
		return ""
	}
	printed := func(d *Deliver) string {
		if !d.Press {
			return "The picture is not printed: switch the press on, at the end of the stage panel."
		}
		return ""
	}
	texels := func(o *delivery.Order) string {
		return fmt.Sprintf("%d × %d texels, %s", o.W, o.H, counted(o.Samples, "position"))
	}
	frames := func(o *delivery.Order) string {
		return fmt.Sprintf("%d × %d, %s", o.W, o.H, counted(o.Last-o.First+1, "frame"))
	}
	return map[delivery.Kind]orderable{
		delivery.Picture:      {icon: "image"},
		delivery.Layered:      {icon: "layers"},
		delivery.Vectors:      {icon: "pen-line"},
		delivery.Plates:       {icon: "grip", why: printed},
		delivery.Moving:       {icon: "film", sized: frames},
		delivery.Baked:        {icon: "grid-3x3", why: worn, sized: texels},
		delivery.PaintedModel: {icon: "box", why: worn, sized: texels},
		delivery.Coded:        {icon: "square-function", why: worn, sized: func(*delivery.Order) string { return "as it stands" }},
	}
}()

// Deliver returns what the page to order from shows.
func (p *Pages) Deliver(st *store.State, look string, list []jobs.Job) *Deliver {
	now := st.Project.Moment()
	t := now.Stage.Time.Filled()
	out := &Deliver{Title: "Deliver: " + now.Name, State: st, Project: now, Look: now.Look(look), Sizes: sizesToOrder, Frames: t.Frames(), Rate: t.Rate,
		Press: now.Stage.Press.On, FFmpeg: delivery.FFmpeg() != "", Orders: p.Orders(st.ID, list)}
	if out.Look == nil && len(now.Looks) > 0 {
		out.Look = &now.Looks[0]
	}
	out.toBake(now)
	for _, kind := range delivery.Kinds() {
		shown, ok := orderables[kind]
		if !ok {
			continue // proof sheets have their own page
		}
		k := KindOfOrder{Kind: kind, Icon: shown.icon}
		for _, f := range delivery.Forms {
			if f.Kind == kind {
				k.Forms = append(k.Forms, f)
			}
		}
		if shown.why != nil {
			k.Why = shown.why(out)
		}
		out.Kinds = append(out.Kinds, k)
	}
	return out
}

// toBake lists what can be baked.
func (d *Deliver) toBake(p *project.Project) {
	for i := range p.Stage.Models {
		m := &p.Stage.Models[i]
		e := ModelToBake{ID: m.ID, Name: m.Name}
		for part, look := range m.Looks {
			if p.Look(look) != nil && m.Blobs == nil {
				e.Parts = append(e.Parts, part)
				if !strings.Contains(e.Looks+" ", look+" ") {
					e.Looks += look + " "
				}
			}
		}
		if len(e.Parts) > 0 {
			slices.Sort(e.Parts)
			d.Models = append(d.Models, e)
		}
	}
	cat := p.Catalogue()
	for i := range p.Looks {
		l := &p.Looks[i]
		if !p.Worn(l.ID) {
			continue
		}
		d.Looks = append(d.Looks, l)
		for k := range l.Network.Nodes {
			n := &l.Network.Nodes[k]
			for _, o := range cat.Of(n).Outputs {
				if o.Type == network.Lines {
					continue
				}
				name := l.Name + ": " + n.Title(cat)
				if len(cat.Of(n).Outputs) > 1 {
					name += ", " + o.Name
				}
				d.Outputs = append(d.Outputs, OutputToBake{l.ID + "/" + n.ID + "/" + o.Key, name})
			}
		}
	}
}

// Orders is what the list of jobs shows.
type Orders struct {
	ID     string // of the project
	List   []OrderView
	Active bool
}

// OrderView is a job as the list shows it.
type OrderView struct {
	jobs.Job
	Form    delivery.Form
	Percent int
	Took    string
	Of      string // what it is of: "1280 × 800, 16 positions"
}

// Orders returns what the list of jobs shows.
func (p *Pages) Orders(project string, list []jobs.Job) Orders {
	out := Orders{ID: project}
	for _, j := range list {
		f, _ := j.Order.As.Form()
		if j.Order.As == delivery.SheetOnly {
			continue // its own page shows it
		}
		v := OrderView{Job: j, Form: f, Percent: int(100 * (float64(j.Made) + j.Within) / float64(max(1, j.Pieces))), Of: fmt.Sprintf("%d × %d, %s", j.Order.W, j.Order.H, counted(j.Order.Samples, "position"))}
		if sized := orderables[f.Kind].sized; sized != nil {
			v.Of = sized(&j.Order)
		}
		if !j.Ended.IsZero() {
			v.Took = lasting(j.Ended.Sub(j.Placed))
		}
		out.Active = out.Active || j.Active()
		out.List = append(out.List, v)
	}
	return out
}

// lasting prints how long something took.
func lasting(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return fmt.Sprintf("%.1f s", d.Seconds())
	case d < 2*time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	}
	return fmt.Sprintf("%.0f min", d.Minutes())
}

// weighing prints how large a file is.
func weighing(n int64) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d bytes", n)
	case n < 1_000_000:
		return fmt.Sprintf("%.0f KB", float64(n)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
