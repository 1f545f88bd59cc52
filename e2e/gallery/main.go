// Command gallery draws models from elsewhere in several looks and puts them on a page, beside the pictures of the time before:
// what differs is lit. It is for looking at; nothing of it lies in the repository.
//
//	gallery PROGRAM LOOKS MODELS OUT
package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"html/template"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"mobanta/core/meshfile"
	"mobanta/core/parallel"
)

// looks are what each model is drawn in: a name, and the file of a starting point, "" for the look of a new project.
var looks = []struct{ Name, File string }{
	{"bands", "01-banded"}, {"bands with edge lines", ""}, {"pens", "21-pen-drawing"}, {"dots", "16-dots-in-the-shade"}, {"hatching", "18-pen-hatching"},
}

// picture is a model in a look.
type picture struct {
	Look, File string
	Why        string  // there is none
	Before     string  // the file of the time before, "" for none
	Differs    string  // the file that lights what differs, "" for nothing
	Share      float64 // of pixels that do
}

// model is a row of the page.
type model struct {
	Name     string
	Pictures []picture
	Measures measures
	Lit      string // the file that lights what is amiss
	Why      string // there are no measures
}

func main() {
	if len(os.Args) != 5 {
		fmt.Fprintln(os.Stderr, "gallery PROGRAM LOOKS MODELS OUT")
		os.Exit(2)
	}
	if err := run(os.Args[1], os.Args[2], os.Args[3], os.Args[4]); err != nil {
		fmt.Fprintln(os.Stderr, "gallery:", err)
		os.Exit(1)
	}
}

func run(program, lookDir, models, out string) error {
	before := filepath.Join(out, "before")
	now := filepath.Join(out, "now")
	if err := os.RemoveAll(before); err != nil {
		return err
	}
	if err := os.Rename(now, before); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err := os.MkdirAll(now, 0o700); err != nil {
		return err
	}
	var files []string
	err := filepath.WalkDir(models, func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && meshfile.Is(path) {
			files = append(files, path)
		}
		return err
	})
	if err != nil {
		return err
	}
	slices.Sort(files)
	rows := make([]model, len(files))
	var said sync.Mutex
	parallel.Do(parallel.Cores(), len(files), func(i int) {
		name, _ := filepath.Rel(models, files[i])
		rows[i].Name = name
		given := []string{"--model", files[i]}
		if smooth(files[i]) {
			given = append(given, "--smooth")
		}
		if m, err := measure(program, given); err != nil {
			rows[i].Why = err.Error()
		} else {
			rows[i].Measures = m
			rows[i].Lit = "now/" + flat(name) + "-measured.png"
			if err := written(filepath.Join(out, rows[i].Lit), m.lit); err != nil {
				rows[i].Why = err.Error()
			}
		}
		for _, l := range looks {
			p := picture{Look: l.Name, File: flat(name+"-"+l.Name) + ".png"}
			args := append([]string{"render", "--size", "2134x1600", "--samples", "16", "--out", filepath.Join(now, p.File)}, given...)
			if l.File != "" {
				args = append(args, "--look", filepath.Join(lookDir, l.File+".json"))
			}
			if text, err := exec.Command(program, args...).CombinedOutput(); err != nil {
				p.Why = strings.TrimSpace(string(text))
			} else {
				p.compare(now, before)
			}
			rows[i].Pictures = append(rows[i].Pictures, p)
		}
		said.Lock()
		defer said.Unlock()
		if rows[i].Why == "" {
			fmt.Printf("%s: %v\n", name, rows[i].Measures)
		} else {
			fmt.Printf("%s: %s\n", name, rows[i].Why)
		}
	})
	var html bytes.Buffer
	if err := page.Execute(&html, rows); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, "index.html"), html.Bytes(), 0o600)
}

// smooth tells whether a model is drawn smooth as it is brought in.
func smooth(name string) bool {
	data, err := os.ReadFile(name)
	if err != nil {
		return false
	}
	beside := func(other string) ([]byte, error) { return os.ReadFile(filepath.Join(filepath.Dir(name), other)) }
	m, err := meshfile.Read(context.Background(), name, data, beside)
	if err != nil {
		return false
	}
	_, coarse := m.Mesh.Coarse()
	return coarse
}

// compare lights where a picture differs from that of the time before.
func (p *picture) compare(now, before string) {
	a, err := decoded(filepath.Join(before, p.File))
	if err != nil {
		return
	}
	b, err := decoded(filepath.Join(now, p.File))
	if err != nil || a.Rect != b.Rect {
		return
	}
	p.Before = "before/" + p.File
	lit := image.NewNRGBA(b.Rect)
	n := 0
	for i := 0; i < len(b.Pix); i += 4 {
		c := color.NRGBA{b.Pix[i] / 4, b.Pix[i+1] / 4, b.Pix[i+2] / 4, 255}
		if !bytes.Equal(a.Pix[i:i+4], b.Pix[i:i+4]) {
			c = color.NRGBA{255, 90, 0, 255}
			n++
		}
		copy(lit.Pix[i:], []byte{c.R, c.G, c.B, c.A})
	}
	if n == 0 {
		return
	}
	p.Share = 100 * float64(n) / float64(len(b.Pix)/4)
	if written(filepath.Join(now, "differs-"+p.File), lit) == nil {
		p.Differs = "now/differs-" + p.File
	}
}

// flat is a name as that of a file.
func flat(name string) string { return strings.NewReplacer("/", "_", " ", "-").Replace(name) }

func written(name string, m image.Image) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	return errors.Join(png.Encode(f, m), f.Close())
}

func decoded(name string) (*image.NRGBA, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	m, err := png.Decode(f)
	if err != nil {
		return nil, err
	}
	out := image.NewNRGBA(m.Bounds())
	draw.Draw(out, out.Rect, m, out.Rect.Min, draw.Src)
	return out, nil
}

var page = template.Must(template.New("page").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Gallery</title>
<style>body{font:14px sans-serif;background:#222;color:#eee;margin:1rem}section{display:flex;gap:.5rem;overflow-x:auto}figure{margin:0;flex:none;width:24rem}img{width:100%;display:block}figcaption{padding:.2rem 0}h2{font-size:1rem}a{color:inherit}.amiss{color:#fb8}</style>
{{range .}}<h2>{{.Name}}</h2>{{if .Why}}{{else}}<p{{if .Measures.Amiss}} class="amiss"{{end}}><a href="{{.Lit}}">{{.Measures}}</a></p>{{end}}<section>{{range .Pictures}}<figure>{{if .Why}}<p>{{.Why}}</p>{{else}}<a href="now/{{.File}}"><img loading="lazy" src="now/{{.File}}" alt="now, in {{.Look}}"></a>
{{with .Before}}<a href="{{.}}"><img loading="lazy" src="{{.}}" alt="before"></a>{{end}}{{with .Differs}}<a href="{{.}}"><img loading="lazy" src="{{.}}" alt="what differs"></a>{{end}}{{end}}
<figcaption>{{.Look}}{{if .Differs}}: {{printf "%.2f" .Share}} % differ{{end}}</figcaption></figure>{{end}}</section>{{end}}</html>
`))
