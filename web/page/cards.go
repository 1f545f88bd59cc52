package page

import (
	"bytes"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"html"
	"html/template"
	"io"
	"math"
	"strings"

	"mobanta/core/layout"
)

// edgeRoom is the room round a card within its box, for outlines and shadows.
const edgeRoom = 5

// Attributes that a large network has by the thousand are put together here, not
// in the template, which would take ten times as long. Names are escaped; all
// else is ours.

func box(c layout.Card, section, stamp, content string) string {
	out := sizes.Port
	if c.Tall {
		out = sizes.Out
	}
	return fmt.Sprintf(`<div class="card-box" id="box-%s" data-stamp="%s" data-content="%s" data-section-of="%s" style="left:%dpx;top:%dpx;width:%dpx;height:%dpx">`,
		html.EscapeString(c.ID), stamp, content, html.EscapeString(section), c.X-edgeRoom, c.Y-sizes.Port, c.W+2*edgeRoom, sizes.Port+sizes.CardH+out+edgeRoom)
}

// card returns the markup of a card, with a stamp of its content. Where the page
// has it already, under that stamp, an empty element stands for it: of a large
// network little changes with an edit.
func (p *Pages) card(d *Desk, c layout.Card) (template.HTML, error) {
	inner, err := p.cardInner(d, c)
	if err != nil {
		return "", err
	}
	h := fnv.New32a()
	io.WriteString(h, inner)
	content := fmt.Sprintf("%x", h.Sum32())
	fmt.Fprint(h, c.X, c.Y, c.W, d.SectionID(c.ID))
	stamp := fmt.Sprintf("%x", h.Sum32())
	if d.Have[c.ID] == stamp {
		return template.HTML(`<i id="box-` + html.EscapeString(c.ID) + `" data-same hidden></i>`), nil
	}
	return template.HTML(box(c, d.SectionID(c.ID), stamp, content) + inner + "</div>"), nil
}

// maxCards is how many cards' markup is kept.
const maxCards = 4000

// cardInner returns what is within a card's box. It is kept under all that it
// shows, for templates are slow and most cards stay as they are.
func (p *Pages) cardInner(d *Desk, c layout.Card) (string, error) {
	n := d.Net.Node(c.ID)
	key := ""
	if n != nil && !c.Folded {
		text, err := json.Marshal(n)
		if err != nil {
			return "", err
		}
		spec := d.Cat.Of(n)
		chosen := d.Section == nil && d.Node != nil && d.Node.ID == n.ID
		key = fmt.Sprint(string(text), d.Describe(n), d.Brief(n), spec.Name, spec.Family, chosen, d.MainOf(c), c.Ins, c.Outs, c.Tall)
		p.cards.Lock()
		inner, ok := p.cards.kept[key]
		p.cards.Unlock()
		if ok {
			return inner, nil
		}
	}
	var buf bytes.Buffer
	if err := p.templates.ExecuteTemplate(&buf, "card", map[string]any{"Desk": d, "Card": c}); err != nil {
		return "", err
	}
	if key != "" {
		p.cards.Lock()
		defer p.cards.Unlock()
		if len(p.cards.kept) >= maxCards {
			clear(p.cards.kept)
		}
		p.cards.kept[key] = buf.String()
	}
	return buf.String(), nil
}

// Large reports whether the network comes after the page: it takes its time to make.
func (d *Desk) Large() bool { return len(d.Net.Nodes) >= 60 }

// Prepare makes the cards of a large network while the browser is still busy with the
// page, so that they are there when it asks for them. Of several at once one is made.
func (p *Pages) Prepare(d *Desk) {
	if !p.cards.preparing.TryLock() {
		return
	}
	defer p.cards.preparing.Unlock()
	for _, c := range d.Lay().Cards {
		if _, err := p.cardInner(d, c); err != nil {
			return // it is said when the network is asked for
		}
	}
}

func tip(s layout.Spot, verb string) string {
	text := s.Name + ": " + verb + " " + string(s.Type) + "."
	if s.Help != "" {
		text += " " + s.Help
	}
	return html.EscapeString(text)
}

// long returns the class of a text that may be wider than its place, in pixels: it is cut
// off there. Only such texts are, since the browser composes every clip by itself, in every
// frame in which the network changes, and a card would have a dozen.
func long(text string, room int) string {
	const wide, usual = 13, 8 // more than what letters take at the sizes of cards, 12.5 to 14
	took := 0
	for _, r := range text {
		switch {
		case r > 0x2000 || strings.ContainsRune("mwMW@%", r):
			took += wide
		case strings.ContainsRune("fijlrt .,:;'()", r):
			took += usual / 2
		default:
			took += usual
		}
	}
	if took > room {
		return "is-long"
	}
	return ""
}

func inPort(s layout.Spot) template.HTMLAttr {
	wired := ""
	if s.Wired {
		wired = " is-wired"
	}
	if long(s.Name, s.W) != "" {
		wired += " is-long"
	}
	return template.HTMLAttr(fmt.Sprintf(`class="port in%s" tabindex="-1" style="left:%dpx;width:%dpx" data-in="%s" title="%s"`,
		wired, s.X+edgeRoom, s.W, html.EscapeString(s.Ref.String()), tip(s, "stagings")))
}

func outPort(s layout.Spot, tall bool) template.HTMLAttr {
	class := ""
	if tall {
		class = " is-tall"
	} else if long(s.Name, s.W) != "" {
		class = " is-long"
	}
	return template.HTMLAttr(fmt.Sprintf(`class="port out%s" tabindex="-1" style="left:%dpx;width:%dpx" data-out="%s" title="%s"`,
		class, s.X+edgeRoom, s.W, html.EscapeString(s.Ref.String()), tip(s, "gives")))
}

// wire returns the markup of a wire, under a stamp of all that it shows and where it
// leads. Where the page has it already an empty element stands for it, as for a card.
func wire(d *Desk, p layout.Path) template.HTML {
	e := html.EscapeString
	var b strings.Builder
	fmt.Fprintf(&b, `data-from="%s" data-to="%s" data-wire-from="%s" data-wire-to="%s">`, e(p.FromCard), e(p.ToCard), e(p.From.String()), e(p.To.String()))
	path := wirePath(p.Points)
	if p.How == "" {
		fmt.Fprintf(&b, `<path class="wire-hit" %s/><path class="wire-line" %s/>`, path, path)
	} else {
		last := p.Points[len(p.Points)-1]
		fmt.Fprintf(&b, `<path class="wire-hit" %s><title>%s</title></path><path class="wire-line" %s/><text x="%d" y="%d">%[2]s</text>`, path, e(p.How), path, last[0]+5, last[1]-3)
	}
	h := fnv.New32a()
	io.WriteString(h, b.String())
	stamp := fmt.Sprintf("w%x", h.Sum32())
	if d.Have[stamp] == stamp {
		return template.HTML(`<g data-stamp="` + stamp + `" data-same></g>`)
	}
	return template.HTML(`<g class="wire" data-stamp="` + stamp + `" ` + b.String() + "</g>")
}

// SectionID returns the id of the section that a node is in, "" for none.
func (d *Desk) SectionID(node string) string {
	if s := d.Net.SectionOf(node); s != nil {
		return s.ID
	}
	return ""
}

// wirePath draws a wire as an SVG path with rounded corners.
func wirePath(points [][2]int) string {
	const radius = 5
	var b strings.Builder
	for i, p := range points {
		if i == 0 {
			fmt.Fprintf(&b, "M%d %d", p[0], p[1])
			continue
		}
		if i == len(points)-1 {
			fmt.Fprintf(&b, "L%d %d", p[0], p[1])
			continue
		}
		prev, next := points[i-1], points[i+1]
		short := func(a, b [2]int) (x, y float64) {
			dx, dy := float64(b[0]-a[0]), float64(b[1]-a[1])
			d := math.Hypot(dx, dy)
			if d == 0 {
				return float64(a[0]), float64(a[1])
			}
			r := min(radius, d/2)
			return math.Round(float64(a[0]) + dx/d*r), math.Round(float64(a[1]) + dy/d*r)
		}
		x0, y0 := short(p, prev)
		x1, y1 := short(p, next)
		fmt.Fprintf(&b, "L%g %gQ%d %d %g %g", x0, y0, p[0], p[1], x1, y1)
	}
	return `d="` + b.String() + `"`
}
