// Package scene puts the stage and the looks of a project together into what is drawn: vertices stand where looks displace
// them, a floor for shadows is there as a model, networks have neither groups nor bypassed nodes. Renderers, bakers and
// writers of code take it from here. Nothing is drawn here.
package scene

import (
	"image"

	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/core/stage"
)

// Job says what to draw, and how.
type Job struct {
	Scene   *stage.Scene
	Looks   map[string]*network.Network // by id; settled, without groups and bypasses
	W, H    int                         // in pixels
	Samples int                         // positions in a pixel, at least 1
	Peek    *Peek                       // what to show in place of the finished picture, or nil
	Plate   string                      // the ink whose plate is shown alone, "" for the print
	Before  bool                        // without the grade
	Quick   bool                        // with one position: soft light may stay grainy, for the sake of speed
	Final   bool                        // nothing but the settled picture is wanted: it is shown once
	// Area is the part of the picture that is wanted, empty for all of it. What is shown then is a frame about it that is
	// somewhat larger, since what shows within depends on what lies around; see picture.Result.Part.
	Area image.Rectangle
}

// Peek asks for a node's own result on the parts that wear its look.
type Peek struct {
	Look string
	Ref  network.Ref
	// Raw leaves vectors as they are; otherwise -1..1 is shown as 0..1.
	Raw bool
}

// Of returns what is drawn of a project at its moment, but for sizes and positions. An older scene lends what is the same; it
// may be nil. What is wrong with networks, models and pictures is an error.
func Of(p *project.Project, files stage.Files, old *stage.Scene) (Job, error) {
	p = p.Moment()
	looks, err := p.Networks()
	if err != nil {
		return Job{}, err
	}
	st, looks := floored(&p.Stage, looks)
	sc, err := Displaced(st, files, looks, old)
	if err != nil {
		return Job{}, err
	}
	return Job{Scene: sc, Looks: looks}, nil
}
