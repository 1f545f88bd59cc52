package meshfile

import (
	"errors"
	"fmt"

	"github.com/qmuntal/gltf"

	"mobanta/core/motion"
	"mobanta/core/names"
	"mobanta/core/vec"
)

// moving gathers how a glTF model moves while it is read; nil for a file without animations.
type moving struct {
	motion.Motion
	of []int // node of the file → node of the motion
}

// Limits on animations.
const (
	maxClips    = 200
	maxChannels = 20_000 // of all clips
)

// rawAnimation is what the library that reads glTF would take anything for something.
type rawAnimation struct {
	Channels []struct {
		Target struct {
			Path string `json:"path"`
		} `json:"target"`
	} `json:"channels"`
	Samplers []struct {
		Interpolation string `json:"interpolation"`
	} `json:"samplers"`
}

// movingNodes notes the nodes of the scene, parents before children.
func (r *gltfReader) movingNodes(order, parents []int) {
	if len(r.doc.Animations) == 0 {
		return
	}
	m := &moving{of: make([]int, len(r.doc.Nodes))}
	for i := range m.of {
		m.of[i] = -1
	}
	root := -1
	if from := r.work.from; from != (vec.V{}) { // a node above all others brings them near
		root = 0
		m.Nodes = append(m.Nodes, motion.Node{Parent: -1, Place: from.Mul(-1), Scale: vec.V{1, 1, 1}, Turn: motion.Quat{0, 0, 0, 1}})
	}
	for i, at := range order {
		n := r.doc.Nodes[at]
		q, s, t := n.RotationOrDefault(), n.ScaleOrDefault(), n.TranslationOrDefault()
		out := motion.Node{Parent: root, Place: v3(t), Scale: v3(s), Turn: motion.Quat{float32(q[0]), float32(q[1]), float32(q[2]), float32(q[3])}}
		if p := parents[i]; p >= 0 {
			out.Parent = m.of[p]
		}
		if x := n.MatrixOrDefault(); x != gltf.DefaultMatrix {
			w := matrix(x)
			out.Matrix = &w
		}
		m.of[at] = len(m.Nodes)
		m.Nodes = append(m.Nodes, out)
	}
	r.moves = m
}

func v3(a [3]float64) vec.V { return vec.V{float32(a[0]), float32(a[1]), float32(a[2])} }

// movingSkin notes a skin and returns its number.
func (r *gltfReader) movingSkin(index int, inverse []float32) {
	if r.moves == nil {
		return
	}
	s := r.doc.Skins[index]
	out := motion.Skin{}
	for _, j := range s.Joints {
		out.Joints = append(out.Joints, max(0, r.moves.of[j])) // one outside the scene is checked before
	}
	if inverse != nil {
		for k := range s.Joints {
			out.Inverse = append(out.Inverse, matrix([16]float32(inverse[16*k:16*k+16])))
		}
	}
	r.skinAt[index] = len(r.moves.Skins)
	r.moves.Skins = append(r.moves.Skins, out)
}

// movingPiece notes the positions of a primitive, as the file has them, and what they depend on.
func (r *gltfReader) movingPiece(p *gltf.Primitive, node int, skin *int, rest []vec.V, h *hung, weights []float64) error {
	m := r.moves
	if m == nil {
		return nil
	}
	at := m.of[node]
	out := motion.Piece{First: len(r.m.Positions), Node: at, Skin: -1, Rest: rest}
	if h != nil {
		out.Skin, out.Joints, out.Weights = r.skinAt[*skin], h.joints, h.weights
		m.Uneven += h.uneven
	}
	if len(p.Targets) > 0 {
		m.Nodes[at].Morph = make([]float32, len(p.Targets))
		for k := range min(len(weights), len(p.Targets)) {
			m.Nodes[at].Morph[k] = float32(weights[k])
		}
		for _, t := range p.Targets {
			i, ok := t[gltf.POSITION]
			if !ok {
				out.Targets = append(out.Targets, nil)
				continue
			}
			d, err := r.vectors(i)
			if err != nil {
				return err
			}
			if len(d) != len(rest) {
				return fmt.Errorf("a morph target has %d values for %d", len(d), len(rest))
			}
			out.Targets = append(out.Targets, d)
		}
	}
	m.Pieces = append(m.Pieces, out)
	return nil
}

// clips reads the animations. A channel that cannot be read is left out, and that is said.
func (r *gltfReader) clips() error {
	m := r.moves
	if m == nil {
		return nil
	}
	var given naming
	total := 0
	for i, a := range r.doc.Animations {
		if a == nil || i >= maxClips {
			r.notes.add("Animations beyond the first %d were left out.", maxClips)
			break
		}
		clip := motion.Clip{Name: given.unique(names.Clip(a.Name, nameLen), fmt.Sprintf("Clip %d", i+1))}
		for k, c := range a.Channels {
			if total++; total > maxChannels {
				return errors.New("meshfile: the animations have too many channels")
			}
			if err := r.work.spend(1); err != nil {
				return fmt.Errorf("meshfile: %w", err)
			}
			ch, err := r.channel(a, c, r.raw.Animations[i], k)
			if err != nil {
				r.notes.add("Channel %d of the animation %.40q was left out: %v.", k+1, clip.Name, err)
				continue
			}
			if ch == nil {
				continue // it moves nothing of the scene
			}
			clip.Length = max(clip.Length, float64(ch.Times[len(ch.Times)-1]))
			clip.Channels = append(clip.Channels, *ch)
		}
		if len(clip.Channels) > 0 && clip.Length > 0 {
			m.Clips = append(m.Clips, clip)
		}
	}
	if len(m.Clips) > 0 {
		r.m.Motion = &m.Motion
	}
	return nil
}

// channel reads a channel; nil for one that moves nothing of the scene.
func (r *gltfReader) channel(a *gltf.Animation, c *gltf.AnimationChannel, raw rawAnimation, k int) (*motion.Channel, error) {
	if c == nil || c.Target.Node == nil {
		return nil, nil
	}
	n, s := *c.Target.Node, c.Sampler
	if n < 0 || n >= len(r.doc.Nodes) {
		return nil, fmt.Errorf("node %d of %d does not exist", n, len(r.doc.Nodes))
	}
	if s < 0 || s >= len(a.Samplers) || a.Samplers[s] == nil {
		return nil, fmt.Errorf("sampler %d of %d does not exist", s, len(a.Samplers))
	}
	if r.moves.of[n] < 0 {
		return nil, nil
	}
	out := &motion.Channel{Node: r.moves.of[n]}
	switch raw.Channels[k].Target.Path {
	case "translation":
		out.Path, out.Size = motion.Place, 3
	case "rotation":
		out.Path, out.Size = motion.Turn, 4
	case "scale":
		out.Path, out.Size = motion.Scale, 3
	case "weights":
		out.Path = motion.Morph
		if out.Size = len(r.moves.Nodes[out.Node].Morph); out.Size == 0 {
			return nil, nil
		}
	default:
		return nil, fmt.Errorf("it moves %.20q, which is not known here", raw.Channels[k].Target.Path)
	}
	switch raw.Samplers[s].Interpolation {
	case "", "LINEAR":
	case "STEP":
		out.Way = motion.Step
	case "CUBICSPLINE":
		out.Way = motion.Cubic
	default:
		return nil, fmt.Errorf("its interpolation %.20q is not known", raw.Samplers[s].Interpolation)
	}
	var err error
	if out.Times, err = r.floats(a.Samplers[s].Input, 1); err != nil {
		return nil, fmt.Errorf("its times: %w", err)
	}
	if len(out.Times) == 0 {
		return nil, errors.New("it has no keys")
	}
	last := float32(-1)
	for _, t := range out.Times {
		if !(t > last && t <= 1e6) {
			return nil, errors.New("its keys do not follow each other in time")
		}
		last = t
	}
	size := out.Size
	if out.Path == motion.Morph {
		size = 1
	}
	if out.Values, err = r.floats(a.Samplers[s].Output, size); err != nil {
		return nil, fmt.Errorf("its values: %w", err)
	}
	want := len(out.Times) * out.Size
	if out.Way == motion.Cubic {
		want *= 3
	}
	if len(out.Values) != want {
		return nil, fmt.Errorf("it has %d numbers for %d keys", len(out.Values), len(out.Times))
	}
	for _, v := range out.Values {
		if !(v >= -1e15 && v <= 1e15) {
			return nil, errors.New("one of its values is no number")
		}
	}
	return out, nil
}
