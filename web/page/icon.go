package page

import (
	"fmt"
	"html/template"
	"strings"
)

// familyIcons names the icon of each family of nodes.
var familyIcons = map[string]string{
	"surface": "box", "texture": "grid-3x3", "relief": "layers", "light": "sun", "tone": "contrast",
	"pattern": "grip", "group": "group", "colour": "palette", "line": "pen-line", "finish": "flag",
}

// sprite gathers the icons of the shipped set into one file, a symbol for each,
// so that a page names an icon rather than holding it.
func sprite() ([]byte, error) {
	entries, err := assets.ReadDir("static/icons")
	if err != nil {
		return nil, fmt.Errorf("page: %w", err)
	}
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg">`)
	for _, e := range entries {
		name, ok := strings.CutSuffix(e.Name(), ".svg")
		if !ok {
			continue
		}
		data, err := assets.ReadFile("static/icons/" + e.Name())
		if err != nil {
			return nil, fmt.Errorf("page: %w", err)
		}
		_, svg, _ := strings.Cut(string(data), "<svg")
		_, body, _ := strings.Cut(svg, ">")
		body, _, _ = strings.Cut(body, "</svg>")
		fmt.Fprintf(&b, `<symbol id="%s" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="round" stroke-linejoin="round">%s</symbol>`,
			name, strings.Join(strings.Fields(body), " "))
	}
	b.WriteString("</svg>")
	return []byte(b.String()), nil
}

// icon returns an icon of the shipped set, or that of a family of nodes, to be
// set into a page beside its label.
func (p *Pages) icon(name string) (template.HTML, error) {
	if f, ok := familyIcons[name]; ok {
		name = f
	}
	if _, ok := p.stamps["icons/"+name+".svg"]; !ok {
		return "", fmt.Errorf("page: there is no icon %q", name)
	}
	return template.HTML(`<svg class="lucide" aria-hidden="true"><use href="/static/icons.svg?v=` + p.stamps["icons.svg"] + `#` + name + `"/></svg>`), nil
}
