// Package page makes the HTML of the studio: pages, panels, cards, ramps, trails and help, from documents and what was
// found, and holds the styles, scripts, fonts and icons that go with it. It hears no requests.
package page

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"sync"

	"mobanta/core/layout"
)

//go:embed static templates
var assets embed.FS

// Pages makes pages. It is safe for use by many at once.
type Pages struct {
	layouts  layouts
	examples examples
	cards    struct {
		sync.Mutex
		kept      map[string]string
		preparing sync.Mutex
	}
	templates *template.Template
	stamps    map[string]string // static file → hash of its content
	sprite    []byte            // icons.svg
	program   string
}

// New reads the templates and files that are built in.
func New() (*Pages, error) {
	p := &Pages{stamps: map[string]string{}}
	p.layouts.shown = map[string]layout.Layout{}
	p.examples.made = map[string][]byte{}
	p.cards.kept = map[string]string{}
	err := fs.WalkDir(assets, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := assets.ReadFile(name)
		p.stamps[strings.TrimPrefix(name, "static/")] = stamp(data)
		return err
	})
	if err == nil {
		p.sprite, err = sprite()
		p.stamps["icons.svg"] = stamp(p.sprite)
	}
	if err == nil {
		p.templates, err = template.New("").Funcs(p.functions()).ParseFS(assets, "templates/*.html")
	}
	if err == nil {
		h := sha256.New()
		for _, name := range slices.Sorted(maps.Keys(p.stamps)) {
			fmt.Fprintln(h, name, p.stamps[name])
		}
		err = fs.WalkDir(assets, "templates", func(name string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			data, err := assets.ReadFile(name)
			h.Write(data)
			return err
		})
		p.program = fmt.Sprintf("%x", h.Sum(nil)[:6])
	}
	if err != nil {
		return nil, fmt.Errorf("page: %w", err)
	}
	return p, nil
}

// Program tells the pages of one build of the program from another's: it depends on all files and templates.
func (p *Pages) Program() string { return p.program }

// stamp returns what tells one content of a file from another.
func stamp(data []byte) string {
	sum := sha256.Sum256(data)
	return fmt.Sprintf("%x", sum[:6])
}

// Static returns a file that pages load, such as "app.css", and the stamp that its address
// carries; false if there is none of that name.
func (p *Pages) Static(name string) (data []byte, stamp string, ok bool) {
	if stamp, ok = p.stamps[name]; !ok {
		return nil, "", false
	}
	if name == "icons.svg" {
		return p.sprite, stamp, true
	}
	data, err := assets.ReadFile("static/" + name)
	return data, stamp, err == nil
}

// Render returns a page or a panel, by the name of its template.
func (p *Pages) Render(name string, data any) ([]byte, error) {
	var buf bytes.Buffer
	if err := p.templates.ExecuteTemplate(&buf, name, data); err != nil {
		return nil, fmt.Errorf("page: %s: %w", name, err)
	}
	return buf.Bytes(), nil
}
