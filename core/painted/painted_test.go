package painted_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"strings"
	"testing"

	"github.com/qmuntal/gltf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/bake"
	"mobanta/core/exchange"
	"mobanta/core/meshfile"
	"mobanta/core/painted"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/demo"
)

// keeper is the demo's octopus that waves, and its jetty.
func keeper(t *testing.T) (*project.Project, stage.Files) {
	t.Helper()
	p, files, err := demo.Keep()
	require.NoError(t, err)
	return p, meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })
}

func model(t *testing.T, p *project.Project, name string) *stage.Model {
	t.Helper()
	for i := range p.Stage.Models {
		if strings.EqualFold(p.Stage.Models[i].Name, name) {
			return &p.Stage.Models[i]
		}
	}
	require.Fail(t, "no model", name)
	return nil
}

func pictures(t *testing.T, pl *painted.Plan, size int) (out [][]byte) {
	t.Helper()
	for k := range pl.Pictures() {
		x, err := pl.Draw(context.Background(), k, size, size, 1, 2, nil)
		require.NoError(t, err)
		var buf bytes.Buffer
		require.NoError(t, x.WritePNG(&buf, 8))
		out = append(out, buf.Bytes())
	}
	return out
}

// The octopus goes out painted, and comes back where it was, with its parts, its picture and its wave.
func TestAPaintedModelComesBack(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p, files := keeper(t)
	m := model(t, p, "Keeper")
	o := painted.Order{Models: []string{m.ID}, Outline: 5, Eye: bake.LeftOut}
	require.NoError(t, o.Check(p, 128, 128))
	pl, err := painted.NewPlan(context.Background(), p, files, o, nil)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(pl.Remarks, "\n"), "others are made", "its own lie on each other")
	pics := pictures(t, pl, 128)
	require.Len(t, pics, 1)
	var buf bytes.Buffer
	require.NoError(t, pl.WriteGLB(&buf, pics))
	back, err := meshfile.Read(context.Background(), "keeper.glb", buf.Bytes(), nil)
	require.NoError(t, err)
	_, data, err := open(p, m)
	require.NoError(t, err)
	was, err := meshfile.Read(context.Background(), "was.glb", data, nil)
	require.NoError(t, err)
	var names, outlines []string
	for _, part := range back.Mesh.Parts {
		if strings.HasSuffix(part.Name, " outline") {
			outlines = append(outlines, part.Name)
		} else {
			names = append(names, part.Name)
		}
	}
	var want []string
	for _, part := range was.Mesh.Parts {
		want = append(want, part.Name)
	}
	assert.ElementsMatch(t, want, names)
	assert.NotEmpty(t, outlines)
	require.Len(t, back.Pictures, 1)
	assert.ElementsMatch(t, want, back.Pictures[0].Parts)
	require.NotNil(t, back.Mesh.Motion)
	require.Len(t, back.Mesh.Motion.Clips, len(was.Mesh.Motion.Clips))
	assert.Equal(t, was.Mesh.Motion.Clips[0].Name, back.Mesh.Motion.Clips[0].Name)
	assert.InDelta(t, was.Mesh.Motion.Clips[0].Length, back.Mesh.Motion.Clips[0].Length, 1e-6)
	// Where it stands: its box on the stage, and a little for the outline.
	at := m.Matrix()
	a, b := was.Mesh.Bounds(), back.Mesh.Bounds()
	slack := 0.02 * float64(a.Diagonal()) * float64(m.Scale)
	for k, c := range [2][3]float32{at.Point(a.Min), at.Point(a.Max)} {
		for i := range 3 {
			assert.InDelta(t, c[i], [2][3]float32{b.Min, b.Max}[k][i], slack)
		}
	}
	// It waves there as it does here.
	long := was.Mesh.Motion.Clips[0].Length
	one := was.Mesh.Motion.Pose(&was.Mesh.Motion.Clips[0], long/3, len(was.Mesh.Positions))
	two := back.Mesh.Motion.Pose(&back.Mesh.Motion.Clips[0], long/3, len(back.Mesh.Positions))
	ka, kb := 0.0, 0.0
	for _, q := range one {
		ka = max(ka, float64(at.Point(q)[1]))
	}
	for _, q := range two {
		kb = max(kb, float64(q[1]))
	}
	assert.InDelta(t, ka, kb, slack)
}

func open(p *project.Project, m *stage.Model) (string, []byte, error) {
	_, files, err := demo.Keep()
	if err != nil {
		return "", nil, err
	}
	var f exchange.File = files[m.File]
	return f.Name, f.Data, nil
}

// What is painted needs no light: its materials say so, and the outline shows from within alone.
func TestMaterialsAreWithoutLight(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p, files := keeper(t)
	o := painted.Order{Models: []string{model(t, p, "Dial").ID}, Outline: 5}
	require.NoError(t, o.Check(p, 64, 64))
	pl, err := painted.NewPlan(context.Background(), p, files, o, nil)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pl.WriteGLB(&buf, pictures(t, pl, 64)))
	var doc gltf.Document
	require.NoError(t, gltf.NewDecoder(&buf).Decode(&doc))
	assert.Contains(t, doc.ExtensionsUsed, "KHR_materials_unlit")
	shells := 0
	for _, m := range doc.Materials {
		assert.Contains(t, m.Extensions, "KHR_materials_unlit", m.Name)
		if m.Name == "outline" {
			shells++
			assert.False(t, m.DoubleSided, "else it would cover the form")
		} else {
			assert.NotNil(t, m.PBRMetallicRoughness.BaseColorTexture, m.Name)
		}
	}
	assert.Equal(t, 1, shells)
}

func TestAnOBJWithItsPictures(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p, files := keeper(t)
	o := painted.Order{Models: []string{model(t, p, "Dial").ID}}
	require.NoError(t, o.Check(p, 64, 64))
	pl, err := painted.NewPlan(context.Background(), p, files, o, nil)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pl.WriteOBJ(&buf, pictures(t, pl, 64)))
	back, err := meshfile.Read(context.Background(), "dial.zip", buf.Bytes(), nil)
	require.NoError(t, err)
	require.Len(t, back.Pictures, 1, "its material names the picture, which is there")
	z, err := zip.NewReader(bytes.NewReader(buf.Bytes()), int64(buf.Len()))
	require.NoError(t, err)
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name)
		if strings.HasSuffix(f.Name, ".png") {
			r, err := f.Open()
			require.NoError(t, err)
			_, err = png.Decode(r)
			require.NoError(t, err)
		}
		if strings.HasSuffix(f.Name, ".mtl") {
			r, err := f.Open()
			require.NoError(t, err)
			text, err := io.ReadAll(r)
			require.NoError(t, err)
			assert.Contains(t, string(text), "map_Kd Dial-1.png")
		}
	}
	assert.ElementsMatch(t, []string{"Dial.obj", "Dial.mtl", "Dial-1.png"}, names)
}

func TestWhatIsRefused(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p, files := keeper(t)
	for says, o := range map[string]painted.Order{"thousandths": {Outline: -1}, "100 thousandths": {Outline: 1000}, "not there": {Models: []string{"gone"}}} {
		assert.ErrorContains(t, o.Check(p, 64, 64), says)
	}
	o := painted.Order{Models: []string{model(t, p, "Keeper").ID}}
	require.NoError(t, o.Check(p, 64, 64))
	_, err := painted.NewPlan(context.Background(), p, files, o, nil)
	assert.ErrorContains(t, err, "hangs on where the eye is")
	flare, _, err := demo.Flare()
	require.NoError(t, err)
	for i := range flare.Stage.Models {
		if m := &flare.Stage.Models[i]; m.Blobs != nil {
			o := painted.Order{Models: []string{m.ID}}
			assert.ErrorContains(t, o.Check(flare, 64, 64), "blobs")
		}
	}
}

// Parts that lie on each other in their texture have a picture each, and every part shows its own.
func TestPartsThatShareTheirPlaceHavePicturesOfTheirOwn(t *testing.T) {
	square := func(name string, at float64, first int) string {
		s := "o " + name + "\n"
		for _, c := range []string{"0 0", "1 0", "1 1", "0 1"} {
			s += fmt.Sprintf("v %s %g\nvt %s\n", c, at, c)
		}
		return s + fmt.Sprintf("f %d/%d %d/%d %d/%d %d/%d\n", first, first, first+1, first+1, first+2, first+2, first+3, first+3)
	}
	kept := map[string]string{"1": square("lid", 0, 1), "2": square("port", 0, 1) + square("star", 2, 5) + square("keel", 4, 9)}
	files := meshfile.Kept(func(hash string) (string, []byte, error) {
		return "boat.obj", []byte(kept[strings.TrimLeft(hash, "0")]), nil
	})
	p := project.New("boat")
	for _, e := range []project.Edit{
		{Op: "model.add", Name: "hatch", Value: strings.Repeat("0", 63) + "1", Parts: []string{"lid"}},
		{Op: "model.add", Name: "boat", Value: strings.Repeat("0", 63) + "2", Parts: []string{"port", "star", "keel"}},
	} {
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	o := painted.Order{Eye: bake.LeftOut}
	require.NoError(t, o.Check(p, 64, 64))
	pl, err := painted.NewPlan(context.Background(), p, files, o, nil)
	require.NoError(t, err)
	require.Equal(t, 4, pl.Pictures())
	var buf bytes.Buffer
	require.NoError(t, pl.WriteGLB(&buf, pictures(t, pl, 64)))
	var doc gltf.Document
	require.NoError(t, gltf.NewDecoder(&buf).Decode(&doc))
	shown := map[string]string{}
	for _, n := range doc.Nodes {
		if n.Mesh != nil {
			for _, prim := range doc.Meshes[*n.Mesh].Primitives {
				tex := doc.Materials[*prim.Material].PBRMetallicRoughness.BaseColorTexture
				shown[n.Name] = doc.Images[*doc.Textures[tex.Index].Source].Name
			}
		}
	}
	assert.Equal(t, map[string]string{"lid": "hatch", "port": "boat port", "star": "boat star", "keel": "boat keel"}, shown)
}
