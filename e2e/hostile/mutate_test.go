package hostile_test

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"image"
	imagecolor "image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"strconv"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/HugoSmits86/nativewebp"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/materialx"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/pixmap"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/e2e/hostile"
)

// seed is a file that is mutated.
type seed struct {
	name string
	data []byte
}

// reader is one of the program's readers, with files that it reads and what is done with what it has read.
type reader struct {
	kind  string // of hostile.File
	seeds func(t *testing.T) []seed
	read  func(name string, data []byte) error
}

// What a file may cost, at most.
const (
	mostBytes = 1 << 30
	mostTime  = 10 * time.Second
)

var readers = []reader{
	{"model", models, readModel},
	{"picture", pictures, func(_ string, data []byte) error {
		_, _ = pixmap.Pixels(data)
		_, err := pixmap.Read(data)
		return err
	}},
	{"look", looks, func(_ string, data []byte) error {
		f, err := exchange.ReadLook(bytes.NewReader(data))
		if err != nil {
			return err
		}
		return wear(f.Name, &f.Network, f.Groups)
	}},
	{"nodes", looks, func(_ string, data []byte) error {
		f, err := exchange.ReadFragment(string(data))
		if err != nil {
			return err
		}
		_, err = project.New("p").Apply(&project.Edit{Op: "node.paste", Look: "look1", Network: &f.Network, Groups: f.Groups})
		return err
	}},
	{"materialx", documents, func(_ string, data []byte) error {
		n, err := materialx.Read(data)
		if err != nil {
			return err
		}
		return wear(n.Name, &n.Network, n.Groups)
	}},
	{"bundle", bundles, readBundle},
	{"palette", palettes, func(_ string, data []byte) error {
		_, err := exchange.ReadPalette(data)
		return err
	}},
}

// wear puts a network that was read on a project and opens its groups, as drawing it does.
func wear(name string, net *network.Network, groups []network.Group) error {
	p := project.New("p")
	if _, err := p.Apply(&project.Edit{Op: "look.add", Name: name, Network: net, Groups: groups}); err != nil {
		return err
	}
	_, err := p.Catalogue().Flatten(&p.Looks[len(p.Looks)-1].Network)
	return err
}

// readModel brings a model in, puts it on a stage in some forms, and draws it small.
func readModel(name string, data []byte) error {
	ctx := context.Background()
	m, err := meshfile.Read(ctx, name, data, nil)
	if err != nil {
		return err
	}
	forms := []mesh.Form{{Steps: 1}, {}}
	if len(data)%4 == 0 {
		forms = append(forms, mesh.Form{UV: mesh.UVAnew}) // which takes longer than all else
	}
	for _, form := range forms {
		s, err := m.Mesh.Surface(ctx, form)
		if err != nil {
			return err
		}
		p := project.New("p")
		add := project.Edit{Op: "model.add", Name: "m", Look: "look1", Value: exchange.Hash(nil), Clips: meshfile.Clips(m.Mesh)}
		for _, part := range m.Mesh.Parts {
			add.Parts = append(add.Parts, part.Name)
		}
		if _, err := p.Apply(&add); err != nil {
			return err
		}
		files := stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return s, nil })
		p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, files), 1)
		if err := draw(p, files); err != nil {
			return err
		}
	}
	return nil
}

// draw draws a project as small as a card.
func draw(p *project.Project, files stage.Files) error {
	job, err := scene.Of(p, files, nil)
	if err != nil {
		return err
	}
	job.W, job.H, job.Samples = 48, 40, 2
	return picture.NewRenderer(2).Render(context.Background(), job, func(*picture.Result) {})
}

func readBundle(_ string, data []byte) error {
	p, files, err := exchange.ReadBundle(data)
	if err != nil {
		return err
	}
	if err := p.Settle(); err != nil {
		return err
	}
	return draw(p.Moment(), meshfile.Kept(func(h string) (string, []byte, error) {
		f, ok := files[h]
		if !ok {
			return "", nil, errors.New("it is missing")
		}
		return f.Name, f.Data, nil
	}))
}

// small returns the hostile files of a kind that are small enough to be mutated, as seeds beside good ones.
func small(kind string) (out []seed) {
	for _, f := range hostile.Files {
		switch f.Name { // these take long to be made
		case "pictures.json", "crowded.zip", "bomb.zip", "side-bomb.zip", "text-bomb.zip", "crowded-bundle.zip", "long-text.gltf", "one-line.obj":
			continue
		}
		if f.Kind == kind {
			if data := f.Make(); len(data) < 64<<10 {
				out = append(out, seed{f.Name, data})
			}
		}
	}
	return out
}

func models(t *testing.T) []seed {
	torus := mesh.Torus(1, 0.4, 10, 6)
	var obj, glb bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&obj, torus))
	require.NoError(t, meshfile.WriteGLB(&glb, torus))
	out := append(small("model"), seed{"torus.obj", obj.Bytes()}, seed{"torus.glb", glb.Bytes()})
	ply, stl := "ply\nformat ascii 1.0\nelement vertex %d\nproperty float x\nproperty float y\nproperty float z\nelement face %d\nproperty list uchar int vertex_indices\nend_header\n", "solid a\n"
	text := fmt.Sprintf(ply, len(torus.Positions), len(torus.FaceEnd))
	for _, p := range torus.Positions {
		text += fmt.Sprintln(p[0], p[1], p[2])
	}
	for f := range torus.FaceEnd {
		text += fmt.Sprint(len(torus.Face(f)))
		stl += "facet normal 0 0 1\nouter loop\n"
		for k, c := range torus.Face(f) {
			text += fmt.Sprint(" ", c.Pos)
			if p := torus.Positions[c.Pos]; k < 3 {
				stl += fmt.Sprintln("vertex", p[0], p[1], p[2])
			}
		}
		text += "\n"
		stl += "endloop\nendfacet\n"
	}
	return append(out, seed{"torus.ply", []byte(text)}, seed{"torus.stl", []byte(stl + "endsolid a\n")})
}

func pictures(t *testing.T) []seed {
	img := image.NewNRGBA(image.Rect(0, 0, 24, 16))
	for i := range img.Pix {
		img.Pix[i] = byte(i * 7)
	}
	var a, b, c, d bytes.Buffer
	require.NoError(t, png.Encode(&a, img))
	require.NoError(t, jpeg.Encode(&b, img, nil))
	require.NoError(t, nativewebp.Encode(&c, img, nil))
	require.NoError(t, png.Encode(&d, image.NewPaletted(img.Rect, imagecolor.Palette{imagecolor.Black, imagecolor.White})))
	hdr := append([]byte("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 8 +X 16\n"), bytes.Repeat([]byte{120, 130, 140, 128}, 128)...)
	return append(small("picture"), seed{"a.png", a.Bytes()}, seed{"b.jpg", b.Bytes()}, seed{"c.webp", c.Bytes()}, seed{"d.png", d.Bytes()}, seed{"e.hdr", hdr})
}

func looks(t *testing.T) (out []seed) {
	entries, err := os.ReadDir("../../recipes/looks")
	require.NoError(t, err)
	for _, e := range entries {
		data, err := os.ReadFile(filepath.Join("../../recipes/looks", e.Name()))
		require.NoError(t, err)
		out = append(out, seed{e.Name(), data})
	}
	return append(out, append(small("look"), small("nodes")...)...)
}

// documents are looks that were written as MaterialX, with and without groups, and what others could write.
func documents(t *testing.T) (out []seed) {
	for _, s := range looks(t) {
		f, err := exchange.ReadLook(bytes.NewReader(s.data))
		if err != nil {
			continue
		}
		p := project.New("p")
		if _, err := p.Apply(&project.Edit{Op: "model.add", Kind: "sphere"}); err != nil {
			continue
		}
		if _, err := p.Apply(&project.Edit{Op: "look.add", Name: f.Name, Network: &f.Network, Groups: f.Groups}); err != nil {
			continue
		}
		job, err := scene.Of(p, meshfile.Files(nil), nil)
		if err != nil {
			continue
		}
		made, err := materialx.Of(p, job, p.Looks[len(p.Looks)-1].ID, func(network.Ref) []float32 { return []float32{0.5, 0.5, 0.5} })
		if err != nil {
			continue
		}
		var buf bytes.Buffer
		if made.Document.Write(&buf) == nil {
			out = append(out, seed{s.name, buf.Bytes()})
		}
	}
	require.Greater(t, len(out), 5)
	return append(out, small("materialx")...)
}

func bundles(t *testing.T) []seed {
	p := project.New("P")
	var obj bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&obj, mesh.Torus(1, 0.4, 8, 5)))
	hash := exchange.Hash(obj.Bytes())
	for _, e := range []project.Edit{{Op: "model.add", Kind: "flame", Look: "look1"}, {Op: "model.add", Name: "t", Value: hash, Parts: []string{"Torus"}, Look: "look1"}, {Op: "staging.add", Name: "One"}, {Op: "move.turntable"}} {
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	var buf bytes.Buffer
	require.NoError(t, exchange.WriteBundle(&buf, p, func(string) (exchange.File, error) { return exchange.File{Name: "t.obj", Data: obj.Bytes()}, nil }))
	return append(small("bundle"), seed{"p.zip", buf.Bytes()}, seed{"again.zip", buf.Bytes()})
}

func palettes(t *testing.T) []seed {
	list := []exchange.Named{{Name: "Tar", Color: color.MustHex("#112233")}, {Name: "Foam", Color: color.MustHex("#F0F4F8")}}
	var a, b, c bytes.Buffer
	require.NoError(t, exchange.WriteGPL(&a, "Harbour", list))
	require.NoError(t, exchange.WriteHex(&b, list))
	require.NoError(t, exchange.WriteStrip(&c, list))
	return append(small("palette"), seed{"a.gpl", a.Bytes()}, seed{"b.txt", b.Bytes()}, seed{"c.png", c.Bytes()})
}

// Mutated files, read as the studio reads them: no slip, and none that costs more than it may. MOBANTA_FILES says how many
// for each reader, MOBANTA_SEED which; what fails is kept in the folder for temporary files.
func TestMutatedFiles(t *testing.T) {
	n, err := strconv.Atoi(cmp.Or(os.Getenv("MOBANTA_FILES"), "40"))
	require.NoError(t, err)
	first, _ := strconv.Atoi(os.Getenv("MOBANTA_SEED"))
	defer debug.SetMemoryLimit(debug.SetMemoryLimit(1 << 30))
	for _, r := range readers {
		t.Run(r.kind, func(t *testing.T) {
			seeds := r.seeds(t)
			var others [][]byte
			for _, s := range seeds {
				others = append(others, s.data)
			}
			var good []int // those that are read as they are
			for i, s := range seeds {
				if r.read(s.name, s.data) == nil {
					good = append(good, i)
				}
			}
			require.NotEmpty(t, good)
			var worst time.Duration
			most, taken := 0, 0
			for k := range n {
				rnd := rand.New(rand.NewPCG(uint64(first), uint64(k)))
				s := seeds[rnd.IntN(len(seeds))]
				if rnd.IntN(3) > 0 {
					s = seeds[good[rnd.IntN(len(good))]]
				}
				data := hostile.Mutate(rnd, s.data, others)
				begun, used := time.Now(), spent()
				var slip any
				high := highest(func() {
					defer func() {
						if p := recover(); p != nil {
							slip = fmt.Sprintf("%v\n%s", p, debug.Stack())
						}
					}()
					err := r.read(s.name, data)
					if err == nil {
						taken++
					} else if hostile.Unspeakable.MatchString(err.Error()) {
						slip = fmt.Sprintf("its refusal: %.300s", err)
					}
				})
				// On a machine that does other things as well it is the processor's time that counts.
				took := min(time.Since(begun), spent()-used)
				worst, most = max(worst, took), max(most, high)
				if slip != nil || took > mostTime || high > mostBytes {
					name := filepath.Join(os.TempDir(), fmt.Sprintf("mutated-%d-%d-%s", first, k, filepath.Base(s.name)))
					_ = os.WriteFile(name, data, 0o600)
					t.Errorf("%s (seed %d, number %d): %v, %d MB, slip: %v", name, first, k, took, high>>20, slip)
				}
			}
			t.Logf("%d of %d were taken; the longest took %v, the largest %d MB", taken, n, worst, most>>20)
		})
	}
}

// spent returns the processor's time that this program has had.
func spent() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// highest returns how much memory there was in objects while f ran, beyond what there was before: looked at every millisecond.
func highest(f func()) int {
	read := func() int {
		s := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
		metrics.Read(s)
		return int(s[0].Value.Uint64())
	}
	if before := read(); before > 256<<20 {
		runtime.GC()
	}
	before, stop, done := read(), make(chan bool), make(chan bool)
	var most atomic.Int64
	go func() {
		defer close(done)
		for {
			most.Store(max(most.Load(), int64(read()-before)))
			select {
			case <-stop:
				return
			case <-time.After(time.Millisecond):
			}
		}
	}()
	f()
	close(stop)
	<-done
	return int(most.Load())
}
