package live

import (
	"errors"
	"image"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/web/edits"
)

// tried is edits of which the page wants to see what they would do.
type tried struct {
	Name  string          `json:"name"`
	Edits []edits.Request `json:"edits"`
}

const (
	previewW, previewH = 112, 74
	maxPreviews        = 120
)

// previews makes the small pictures that were asked for, one by one, as long as
// nothing more urgent is to be drawn.
func (s *drawer) previews() {
	for {
		s.mu.Lock()
		if s.dirty || len(s.asked) == 0 || s.view.W == 0 || s.ctx.Err() != nil {
			s.mu.Unlock()
			return
		}
		item, state, view := s.asked[0], s.state, s.view
		s.asked = s.asked[1:]
		s.mu.Unlock()
		var pix []byte
		err := s.guarded("a preview", func() (err error) {
			pix, err = s.preview(item, state.Project, view)
			return err
		})
		if err != nil || len(item.Name) > 250 { // what would be refused has no picture
			continue
		}
		s.sendCards(triedMessage, []picture.CardPicture{{Name: item.Name, Pix: pix}}, previewW, previewH)
	}
}

// preview renders the project as the edits would leave it; a node that nothing
// reads yet is shown by itself.
func (s *drawer) preview(item tried, base *project.Project, view said) ([]byte, error) {
	defer s.small.Use()()
	edits, err := edits.Settle(item.Edits)
	if err != nil {
		return nil, err
	}
	if err := s.studio.host.Expand(s.ctx, edits); err != nil {
		return nil, err
	}
	p := base.Clone()
	created, fine := "", false
	for i := range edits {
		o, err := p.Apply(&edits[i])
		if err != nil {
			return nil, err
		}
		if o.Created != "" && edits[i].Op == "node.add" {
			created = o.Created
		}
		if k := (node.Catalogue{}).Kind(edits[i].Kind); k != nil && (k.Family == "pattern" || k.Family == "line") {
			fine = true
		}
	}
	p.Stage.Press.On, p.Stage.Glow.On = false, false // it is too small for that
	job, err := scene.Of(p, s.files, s.smallAt)
	if err != nil {
		return nil, err
	}
	s.smallAt = job.Scene
	job.W, job.H, job.Samples = 2*previewW, 2*previewH, 1
	if l := p.Look(view.Look); l != nil && created != "" {
		job.Peek = s.alone(p, l, view.Path, created)
	}
	if err := s.small.Render(s.ctx, job, func(*picture.Result) {}); err != nil {
		return nil, err
	}
	img := s.small.Small(previewW, previewH)
	if img == nil {
		return nil, errors.New("nothing to show")
	}
	if !fine {
		return img.Pix, nil
	}
	return s.closer(job, base, img)
}

// closer is how many times as large as the whole picture would be a preview shows what patterns and lines do.
const closer = 6

// closer returns a part of what a preview shows, large enough for dots and lines to be seen, where it differs most from the
// picture as it is; if it is shown by itself, where most of it is.
func (s *drawer) closer(job scene.Job, base *project.Project, with *image.NRGBA) ([]byte, error) {
	without := image.NewNRGBA(with.Rect)
	if job.Peek == nil {
		was := base.Clone()
		was.Stage.Press.On, was.Stage.Glow.On = false, false
		as, err := scene.Of(was, s.files, s.smallAt)
		if err != nil {
			return nil, err
		}
		as.W, as.H, as.Samples = job.W, job.H, job.Samples
		if err := s.small.Render(s.ctx, as, func(*picture.Result) {}); err != nil {
			return nil, err
		}
		without = s.small.Small(previewW, previewH)
	}
	at := differs(with, without, previewW/closer, previewH/closer)
	job.W, job.H = closer*previewW, closer*previewH
	at = image.Pt(min(at.X*closer, job.W-previewW), min(at.Y*closer, job.H-previewH))
	job.Area = image.Rectangle{at, at.Add(image.Pt(previewW, previewH))}
	job.Samples = 4
	if err := s.small.Render(s.ctx, job, func(*picture.Result) {}); err != nil {
		return nil, err
	}
	return s.small.Cut(job.Area).Pix, nil
}

// differs returns the corner of the window, w × h, in which two pictures of a size differ most.
func differs(a, b *image.NRGBA, w, h int) (at image.Point) {
	width, height := a.Rect.Dx(), a.Rect.Dy()
	sum := make([]int, (width+1)*(height+1)) // of all that lies above and to the left (Crow 1984)
	for y := range height {
		for x := range width {
			d := 0
			for c := range 4 {
				v := int(a.Pix[a.PixOffset(x, y)+c]) - int(b.Pix[b.PixOffset(x, y)+c])
				d += max(v, -v)
			}
			sum[(y+1)*(width+1)+x+1] = d + sum[y*(width+1)+x+1] + sum[(y+1)*(width+1)+x] - sum[y*(width+1)+x]
		}
	}
	most := -1
	for y := range height - h + 1 {
		for x := range width - w + 1 {
			if d := sum[(y+h)*(width+1)+x+w] - sum[y*(width+1)+x+w] - sum[(y+h)*(width+1)+x] + sum[y*(width+1)+x]; d > most {
				most, at = d, image.Pt(x, y)
			}
		}
	}
	return at
}

// alone returns the peek at a new node, nil if something reads it.
func (s *session) alone(p *project.Project, l *project.Look, path, id string) *scene.Peek {
	cat := p.Catalogue()
	flat, err := cat.Flatten(&l.Network)
	if err != nil {
		return nil
	}
	at, ok := cat.At(&l.Network, path, network.Ref{Node: id})
	if !ok {
		return nil
	}
	for i := range flat.Nodes {
		for _, in := range flat.Nodes[i].In {
			for _, w := range in.Wires {
				if w.Node == at.Node {
					return nil
				}
			}
		}
	}
	return &scene.Peek{Look: l.ID, Ref: at}
}

// assign puts a look onto the part of the picture that it was dropped on.
func (s *drawer) assign(m said) {
	s.mu.Lock()
	state := s.state
	s.mu.Unlock()
	part, ok := s.renderer.PartAt(m.X, m.Y)
	if !ok || part.Model >= len(state.Project.Stage.Models) {
		s.tell(map[string]any{"t": "problem", "error": "There is no part of a model there: drop the look on one."})
		return
	}
	e := project.Edit{Op: "look.assign", ID: state.Project.Stage.Models[part.Model].ID, Part: part.Name, Look: m.Look}
	if err := s.keep(e); err != nil {
		s.problem(err)
	}
}
