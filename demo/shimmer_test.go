package demo

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/meshfile"
	"mobanta/core/picture"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// A post of driftwood that turns slowly does not shimmer: from frame to frame, each place of
// its surface keeps its colour, once what moves has been taken out.
func TestDriftwoodDoesNotShimmer(t *testing.T) {
	p, files, err := Keep()
	require.NoError(t, err)
	for i := range p.Stage.Models {
		if p.Stage.Models[i].ID == "jetty" {
			p.Stage.Models = p.Stage.Models[i : i+1]
			for part, look := range p.Stage.Models[0].Looks {
				if look != "driftwood" {
					p.Stage.Models[0].Looks[part] = ""
				}
			}
			break
		}
	}
	open := meshfile.Kept(func(h string) (string, []byte, error) { return files[h].Name, files[h].Data, nil })
	p.Stage.Camera.Target, p.Stage.Camera.Distance, p.Stage.Camera.Elevation = vec.V{-2.7, 1.2, -1.5}, 9, 8
	const w, h, frames = 240, 180, 10
	type shot struct {
		pix    []float64 // encoded, 0 to 255; three a pixel
		points *sample.Points
		at     map[int32]int // pixel → point
	}
	r := picture.NewRenderer(2)
	var last *shot
	var before *stage.Scene
	sum, n, worst := 0.0, 0, 0.0
	for k := range frames {
		p.Stage.Camera.Azimuth = 10 + 0.4*float64(k)
		job, err := scene.Of(p, open, before)
		require.NoError(t, err)
		before = job.Scene
		job.W, job.H, job.Samples = w, h, 16
		now := &shot{pix: make([]float64, 3*w*h), at: map[int32]int{}}
		require.NoError(t, r.Render(context.Background(), job, func(res *picture.Result) {
			if !res.Done {
				return
			}
			for i := range w * h {
				c, _ := res.At(i)
				e := c.Encoded()
				for o := range 3 {
					now.pix[3*i+o] = 255 * float64(e[o])
				}
			}
		}))
		view := p.Stage.Camera.View(w, h)
		vis, err := sample.NewProjector(job.Scene.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
		require.NoError(t, err)
		of := make([]int, len(job.Scene.Parts))
		for i, part := range job.Scene.Parts {
			if part.Look != "driftwood" {
				of[i] = 1
			}
		}
		now.points = sample.Seen(vis, job.Scene, view, 2, of, nil)[0]
		now.points.Resolve(sample.Pos|sample.Normal|sample.Eye, 2)
		for i, pixel := range now.points.Pixels().Pixel {
			now.at[pixel] = i
		}
		if last != nil {
			frameSum, frameN := 0.0, 0
			q := last.points
			for i, pixel := range q.Pixels().Pixel {
				pos := vec.V{q.Pos[0][i], q.Pos[1][i], q.Pos[2][i]}
				n := vec.V{q.Norm[0][i], q.Norm[1][i], q.Norm[2][i]}
				if n.Dot(vec.V{q.Eye[0][i], q.Eye[1][i], q.Eye[2][i]}) < 0.3 {
					continue // near the rim, where ink is
				}
				x, y, _ := view.Project(view.Camera(pos))
				x, y = x-0.5, y-0.5
				x0, y0 := int(math.Floor(float64(x))), int(math.Floor(float64(y)))
				if x0 < 1 || y0 < 1 || x0 >= w-2 || y0 >= h-2 {
					continue
				}
				whole := true
				for dy := -1; dy <= 2; dy++ {
					for dx := -1; dx <= 2; dx++ {
						there, ok := now.at[int32((y0+dy)*w+x0+dx)]
						d := vec.V{}
						if ok {
							d = vec.V{now.points.Pos[0][there], now.points.Pos[1][there], now.points.Pos[2][there]}.Sub(pos)
						}
						whole = whole && ok && d.Len() < 0.15 // nothing in front, no border
					}
				}
				if !whole {
					continue
				}
				// What is between pixels is as soft in the frame before: both are read half way.
				fx, fy := float64(x)-float64(x0), float64(y)-float64(y0)
				px, py := int(pixel)%w, int(pixel)/w
				for o := range 3 {
					at := func(pix []float64, x, y int) float64 { return pix[3*(y*w+x)+o] }
					b := (at(now.pix, x0, y0)*(1-fx)+at(now.pix, x0+1, y0)*fx)*(1-fy) + (at(now.pix, x0, y0+1)*(1-fx)+at(now.pix, x0+1, y0+1)*fx)*fy
					a := at(last.pix, px, py)
					frameSum, frameN = frameSum+math.Abs(a-b), frameN+1
				}
			}
			require.Greater(t, frameN, 1500)
			sum, n = sum+frameSum, n+frameN
			worst = max(worst, frameSum/float64(frameN))
		}
		last = now
	}
	t.Logf("mean change %.2f of 255, worst frame %.2f", sum/float64(n), worst)
	assert.Less(t, sum/float64(n), 2.0)
}
