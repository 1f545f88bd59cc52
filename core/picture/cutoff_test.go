package picture_test

import (
	"context"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/budget"
	"mobanta/core/finish"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// countdown is a context that ends when it has been asked for its error so many times: a cancellation at any point of a
// computation, the same in every run.
type countdown struct {
	context.Context
	left int
}

func (c *countdown) Err() error {
	if c.left--; c.left < 0 {
		return context.Canceled
	}
	return nil
}

// A picture is the same whatever was drawn before it, and wherever that was cut off: other models, other sizes, other eyes,
// other looks, others that need the room.
func TestAPictureIsTheSameWhereverTheOneBeforeWasCutOff(t *testing.T) {
	scenes := []*stage.Scene{
		stagetest.Of(t, mesh.Torus(1, 0.4, 48, 24)),
		stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1})),
		stagetest.Of(t, mesh.Sphere(1, 64, 32), mesh.Torus(1.3, 0.2, 40, 12)),
		stagetest.Of(t, mesh.Torus(0.6, 0.1, 16, 8)),
	}
	turned := *scenes[2]
	turned.Stage.Camera.Azimuth += 40
	scenes = append(scenes, &turned)
	looks := []*network.Network{
		look(t, strings.Replace(inked, `"Diffuse light"`, `"Diffuse light","set":{"shadows":true}`, 1)),
		look(t, banded+`{"id":"end","kind":"Finish","in":{"colour":"bands.colour"}}`),
	}
	type which struct{ scene, look, w, samples int }
	jobOf := func(k which) scene.Job {
		return job(scenes[k.scene], looks[k.look], k.w, k.w*2/3, k.samples)
	}
	want := map[which][]byte{}
	alone := func(k which) []byte {
		if want[k] == nil {
			want[k] = bytesOf(t, picture.NewRenderer(1), jobOf(k))
		}
		return want[k]
	}
	rnd := rand.New(rand.NewPCG(1, 25))
	ctx := context.Background()
	for range 12 {
		b := budget.New([]int{1, 1 << 19, 64 << 20}[rnd.IntN(3)])
		r, other := picture.NewRenderer(1), picture.NewRenderer(1)
		r.Under(b)
		other.Under(b)
		for range 25 {
			k := which{rnd.IntN(len(scenes)), rnd.IntN(len(looks)), []int{48, 66}[rnd.IntN(2)], []int{1, 4}[rnd.IntN(2)]}
			switch rnd.IntN(5) {
			case 0, 1:
				err := r.Render(&countdown{ctx, rnd.IntN(60)}, jobOf(k), func(*picture.Result) {})
				if err != nil {
					require.ErrorIs(t, err, context.Canceled)
				}
			case 2:
				require.Equal(t, alone(k), bytesOf(t, r, jobOf(k)), "%v", k)
			case 3:
				require.Equal(t, alone(k), bytesOf(t, other, jobOf(k)), "%v", k)
			case 4: // what is asked of it in between is an answer or an error
				_, _ = r.Trail(ctx, 0.6, 0.5)
				_, _ = r.Cards(ctx, stagetest.Look, []picture.Want{{Name: "a", Ref: network.ParseRef("bands.colour")}}, 16, 12, nil)
				_, _ = r.Histogram(ctx, stagetest.Look, "bands", "tone", 16)
			}
			assert.GreaterOrEqual(t, r.Size(), 0)
		}
		r.Close()
		other.Close()
		assert.Zero(t, b.Used())
	}
}

// What is asked of a picture that was cut off before it was shown is answered by no picture of another size: a glow, made ready
// for that, reaches less far.
func TestWhatIsAskedOfAPictureThatWasNeverShown(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 48, 24))
	sc.Stage.Glow = finish.Glow{On: true, Strength: 1, Radius: 100, Threshold: 0.1}
	l := look(t, banded+`{"id":"end","kind":"Finish","in":{"colour":"bands.colour"}}`)
	cut := 0
	for left := range 40 {
		r := picture.NewRenderer(1)
		bytesOf(t, r, job(sc, l, 48, 32, 1))
		shown := false
		err := r.Render(&countdown{context.Background(), left}, job(sc, l, 96, 64, 1), func(*picture.Result) { shown = true })
		if err != nil {
			require.ErrorIs(t, err, context.Canceled)
			cut++
		}
		trail, err := r.Trail(context.Background(), 1.4, 0.9)
		if err == nil {
			assert.Equal(t, shown, trail.X > 48, "cut off after %d: it is of the picture that was shown last", left)
		}
	}
	assert.Greater(t, cut, 2)
}
