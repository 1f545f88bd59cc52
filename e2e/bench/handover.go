package main

import (
	"context"
	"fmt"
	"runtime"
	"time"

	"mobanta/core/bake"
	"mobanta/core/frame"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/unwrap"
	"mobanta/demo"
)

// handingOver measures what models and looks take to go elsewhere.
func handingOver() error {
	ctx := context.Background()
	for _, e := range []struct {
		name string
		mesh *mesh.Mesh
	}{{"kettle", demo.Kettle()}, {"bell buoy", demo.BellBuoy()}, {"bell", demo.Bell()}, {"octopus", demo.Keeper()}, {"lighthouse", demo.Lighthouse()}, {"ring", mesh.Torus(1, 0.4, 224, 112)}} {
		began := time.Now()
		s, err := mesh.NewSurface(e.mesh, mesh.DefaultCrease)
		if err != nil {
			return err
		}
		ready := time.Since(began)
		began = time.Now()
		l, err := unwrap.Of(ctx, unwrap.Surface{Pos: s.Pos, Tri: s.Tri, Face: s.TriFace, Part: s.TriPart}, unwrap.Options{Workers: 2})
		if err != nil {
			return err
		}
		took := time.Since(began)
		runtime.GC()
		fmt.Printf("unwrapping %-12s %6d triangles %.1f s, %.1f s for 50,000 (wanted ≤ 5), %.0f × making its surface ready; %d charts, %.0f %% of the square (wanted ≥ 70), stretch %.3f (wanted ≤ 1.3)\n",
			e.name, len(s.Tri), took.Seconds(), took.Seconds()*50_000/float64(len(s.Tri)), took.Seconds()/ready.Seconds(), l.Charts, 100*l.Used, l.Stretch)
	}
	p, files, err := demo.Saltlight()
	if err != nil {
		return err
	}
	made := meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })
	o := bake.Order{Eye: bake.FromCamera}
	if err := o.Check(p, 1024, 1024); err != nil {
		return err
	}
	easel := frame.NewEasel(0, nil)
	defer easel.Close()
	draw := func() error {
		_, err := easel.Draw(ctx, p, made, frame.Order{W: 1024, H: 1024, Samples: 4})
		return err
	}
	if err := draw(); err != nil { // which makes ready what both need
		return err
	}
	easel.Close()
	easel = frame.NewEasel(0, nil)
	began := time.Now()
	if err := draw(); err != nil {
		return err
	}
	picture := time.Since(began)
	plan, err := bake.NewPlan(p, made, o, nil)
	if err != nil {
		return err
	}
	began = time.Now()
	if _, err := plan.Draw(ctx, 0, 1024, 1024, 4, easel.Workers(), nil); err != nil {
		return err
	}
	fmt.Printf("baking the kettle, 1024 × 1024, 4 positions   %.1f s, %.1f × a picture of as many pixels\n", time.Since(began).Seconds(), time.Since(began).Seconds()/picture.Seconds())
	return nil
}
