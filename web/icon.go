package web

import (
	"fmt"
	"html/template"
	"strings"
)

// familyIcons names the icon of each family of nodes.
var familyIcons = map[string]string{
	"surface": "box", "texture": "grid-3x3", "relief": "layers", "light": "sun", "tone": "contrast",
	"pattern": "grid-3x3", "group": "group", "colour": "palette", "line": "pen-line", "finish": "flag",
}

// icon returns an icon of the shipped set, or that of a family of nodes, to be
// set into a page beside its label.
func icon(name string) (template.HTML, error) {
	if f, ok := familyIcons[name]; ok {
		name = f
	}
	data, err := assets.ReadFile("static/icons/" + name + ".svg")
	if err != nil {
		return "", fmt.Errorf("web: there is no icon %q", name)
	}
	_, svg, _ := strings.Cut(string(data), "-->")
	return template.HTML(strings.Replace(strings.TrimSpace(svg), "<svg", `<svg aria-hidden="true"`, 1)), nil
}
