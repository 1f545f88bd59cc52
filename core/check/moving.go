package check

import (
	"fmt"
	"math"

	"mobanta/core/color"
	"mobanta/core/move"
	"mobanta/core/project"
)

// unclosed: a loop at whose end something is elsewhere than at its beginning, so that it jumps as it goes round.
func unclosed(in *input) {
	if !in.p.Stage.Time.Once {
		for _, of := range in.p.Open() {
			m := Remark{Key: "unclosed/" + of.Key(), Stage: true, Title: "A loop that does not close", Mend: "Let it go there and back",
				Text: fmt.Sprintf("%s is elsewhere at the end of the loop than at its beginning: it jumps as the loop begins anew.", of.Title())}
			for i := range in.p.Moves {
				if v := &in.p.Moves[i]; v.Of == of.Of && !v.Off {
					m.Do = append(m.Do, project.Edit{Op: "move.set", ID: v.ID, Key: "way", Value: string(move.Back)})
				}
			}
			in.remark(m)
		}
	}
	loop := in.p.Stage.Time.Filled().Length
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		for _, c := range m.Clips {
			if c.Name != m.Clip.Name || c.Seconds <= 0 || in.p.Stage.Time.Once {
				continue
			}
			speed := m.Clip.Speed
			if speed == 0 {
				speed = 1
			}
			times := loop * speed / c.Seconds
			if whole := math.Round(times); math.Abs(times-whole) < 1e-3*max(1, math.Abs(times)) && whole != 0 {
				continue
			}
			whole := math.Copysign(max(1, math.Round(math.Abs(times))), speed)
			in.remark(Remark{Key: "unclosed/" + m.ID, Stage: true, Title: "A loop that does not close", Mend: fmt.Sprintf("Play it %g times in the loop", math.Abs(whole)),
				Text: fmt.Sprintf("The clip %s of %s takes %.3g s and the loop %.3g s: it jumps as the loop begins anew.", c.Name, m.Name, c.Seconds, loop),
				Do:   []project.Edit{{Op: "model.set", ID: m.ID, Key: "speed", Value: whole * c.Seconds / loop}}})
		}
	}
}

// washedOut is in which part of what is drawn a glow may change colours visibly.
const washedOut = 0.25

// washed: a glow that lies over the bands themselves.
func washed(in *input) {
	share := in.r.Washed()
	if share < washedOut {
		return
	}
	in.remark(Remark{Key: "washed", Stage: true, Title: "A glow that washes out bands", Mend: "Let it fall around what glows alone",
		Text: fmt.Sprintf("The glow changes the colours of %.0f %% of what is drawn: bands lose the colours that were picked for them.", 100*share),
		Do:   []project.Edit{{Op: "glow.set", Key: "around", Value: true}}})
}

// graded: a grade that moves swatches off their bytes.
func graded(in *input) {
	g := in.p.Stage.Grade.Ready()
	if g == nil {
		return
	}
	moved := 0
	for i := range in.p.Swatches {
		if c := in.p.Swatches[i].Color; bytesOf(g.At(c)) != bytesOf(c) {
			moved++
		}
	}
	what := fmt.Sprintf("%d of %d swatches", moved, len(in.p.Swatches))
	if len(in.p.Swatches) == 0 {
		what = "colours"
	} else if moved == 0 {
		return
	}
	in.remark(Remark{Key: "graded", Stage: true, Title: "A grade that moves swatches", Mend: "Switch the grade off",
		Text: fmt.Sprintf("The grade takes %s to other bytes in the picture than those that were picked. That is what a grade is for; where swatches must be exact, change them instead.", what),
		Do:   []project.Edit{{Op: "grade.set", Key: "on", Value: false}}})
}

func bytesOf(c color.C) [3]uint8 {
	return [3]uint8{color.Byte(c[0]), color.Byte(c[1]), color.Byte(c[2])}
}

// uneven: a skin whose weights do not add up.
func uneven(in *input) {
	for i := range in.scene.Models {
		m := &in.scene.Stage.Models[i]
		mo := in.scene.Models[i].Surface.Mesh.Motion
		if mo == nil || mo.Uneven == 0 || m.Clip.Name == "" {
			continue
		}
		in.remark(Remark{Key: "uneven/" + m.ID, Stage: true, Title: "A skin whose weights do not add up", Mend: "Let it stand still",
			Text: fmt.Sprintf("%s of %s hang on joints by weights that do not add up to 1. They were evened out; where it bends oddly, mend the weights where it was modelled.", counted(mo.Uneven, "place"), m.Name),
			Do:   []project.Edit{{Op: "model.set", ID: m.ID, Key: "clip", Value: ""}}})
	}
}
