package materialx

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Document is a MaterialX document, as far as it is written or read here.
type Document struct {
	Version    string
	ColorSpace string
	NodeDefs   []NodeDef
	Graphs     []Graph
	Nodes      []Node
	Skipped    []string // elements that are passed over, each once
}

// NodeDef is a kind of node that a document defines.
type NodeDef struct {
	Name, Node      string
	Inputs, Outputs []Input
	Doc             string
	Ours, Sum       string // our marks: the group as JSON, and what its graph adds up to
}

// Graph is nodes that feed each other.
type Graph struct {
	Name, NodeDef string
	ColorSpace    string
	Inputs        []Input
	Nodes         []Node
	Outputs       []Input
}

// Node is a node.
type Node struct {
	Category, Name, Type string
	ColorSpace           string
	Inputs               []Input
	Of, Ours, Sum        string // our marks: which node of ours it is a piece of; of the first piece: that as JSON, and what its pieces add up to
}

// Input is an input, or an output of a graph.
type Input struct {
	Name, Type, Value        string
	NodeName, Output         string
	InterfaceName            string
	Key                      string // of the group\'s input that it stands for, while it is written
	NodeGraph, UIName        string
	ColorSpace, UIMin, UIMax string
}

// Limits on documents from elsewhere.
const (
	MaxBytes = 8 << 20
	maxDepth = 16
	maxNodes = 5000
	maxAttrs = 64
)

// ErrLarge is that a document is larger than is read.
var ErrLarge = fmt.Errorf("materialx: the document is larger than %d MB", MaxBytes>>20)

// Parse reads a document. Document types and entities of its own are refused; they have no place in the standard.
func Parse(data []byte) (*Document, error) {
	if len(data) > MaxBytes {
		return nil, ErrLarge
	}
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.Strict = true
	p := parser{doc: &Document{}, skip: map[string]bool{}}
	for {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("materialx: the document is no XML that can be read: %s", spoken(err))
		}
		switch t := tok.(type) {
		case xml.Directive:
			return nil, errors.New("materialx: the document declares a type or entities of its own, which MaterialX has no use for")
		case xml.StartElement:
			if err := p.start(t); err != nil {
				return nil, err
			}
		case xml.EndElement:
			p.end()
		}
	}
	if p.doc.Version == "" {
		return nil, errors.New("materialx: the document does not say which version of MaterialX it is")
	}
	return p.doc, nil
}

// parser reads a document, element by element. Of graph, def and node those are not nil that it is within.
type parser struct {
	doc   *Document
	skip  map[string]bool // elements that were left out and told of
	stack []xml.StartElement
	count int // of elements
	graph *Graph
	def   *NodeDef
	node  *Node
}

// start reads where an element begins.
func (p *parser) start(t xml.StartElement) error {
	if len(p.stack) >= maxDepth {
		return fmt.Errorf("materialx: elements lie more than %d deep in each other", maxDepth)
	}
	if len(t.Attr) > maxAttrs {
		return fmt.Errorf("materialx: an element has more than %d attributes", maxAttrs)
	}
	name := t.Name.Local
	a := attributes(t)
	if len(p.stack) == 0 && name != "materialx" {
		return fmt.Errorf("materialx: the document begins with %.40q, not with materialx", name)
	}
	if p.count++; p.count > 20*maxNodes {
		return fmt.Errorf("materialx: the document has more than %d elements", 20*maxNodes)
	}
	switch {
	case name == "materialx":
		p.doc.Version, p.doc.ColorSpace = a["version"], a["colorspace"]
	case name == "nodegraph" && len(p.stack) == 1:
		p.doc.Graphs = append(p.doc.Graphs, Graph{Name: a["name"], NodeDef: a["nodedef"], ColorSpace: a["colorspace"]})
		p.graph = &p.doc.Graphs[len(p.doc.Graphs)-1]
	case name == "nodedef" && len(p.stack) == 1:
		p.doc.NodeDefs = append(p.doc.NodeDefs, NodeDef{Name: a["name"], Node: a["node"], Doc: a["doc"], Ours: a["mobanta"], Sum: a["mobanta_sum"]})
		p.def = &p.doc.NodeDefs[len(p.doc.NodeDefs)-1]
	case name == "input" || name == "output" || name == "parameter":
		in := Input{Name: a["name"], Type: a["type"], Value: a["value"], NodeName: a["nodename"], Output: a["output"], InterfaceName: a["interfacename"], NodeGraph: a["nodegraph"], UIName: a["uiname"], ColorSpace: a["colorspace"], UIMin: a["uimin"], UIMax: a["uimax"]}
		p.port(name, in)
	case a["type"] != "" && p.def == nil && p.node == nil && (len(p.stack) == 1 || p.graph != nil && len(p.stack) == 2) && !passed[name]:
		n := Node{Category: name, Name: a["name"], Type: a["type"], ColorSpace: a["colorspace"], Of: a["mobanta_of"], Ours: a["mobanta"], Sum: a["mobanta_sum"]}
		if p.graph != nil {
			p.graph.Nodes = append(p.graph.Nodes, n)
			p.node = &p.graph.Nodes[len(p.graph.Nodes)-1]
			if len(p.graph.Nodes) > maxNodes {
				return fmt.Errorf("materialx: a graph has more than %d nodes", maxNodes)
			}
		} else {
			p.doc.Nodes = append(p.doc.Nodes, n)
			p.node = &p.doc.Nodes[len(p.doc.Nodes)-1]
			if len(p.doc.Nodes) > maxNodes {
				return fmt.Errorf("materialx: the document has more than %d nodes", maxNodes)
			}
		}
	default:
		if !passed[name] && !p.skip[name] && len(p.doc.Skipped) < 40 {
			p.skip[name] = true
			p.doc.Skipped = append(p.doc.Skipped, name)
		}
	}
	p.stack = append(p.stack, t.Copy())
	return nil
}

// port puts an input or an output where it belongs: to what is nearest about it.
func (p *parser) port(name string, in Input) {
	switch {
	case p.node != nil && name != "output":
		p.node.Inputs = append(p.node.Inputs, in)
	case p.graph != nil && name == "output":
		p.graph.Outputs = append(p.graph.Outputs, in)
	case p.graph != nil:
		p.graph.Inputs = append(p.graph.Inputs, in)
	case p.def != nil && name == "output":
		p.def.Outputs = append(p.def.Outputs, in)
	case p.def != nil:
		p.def.Inputs = append(p.def.Inputs, in)
	}
}

// end reads where an element ends.
func (p *parser) end() {
	switch top := p.stack[len(p.stack)-1].Name.Local; {
	case top == "nodegraph" && len(p.stack) == 2:
		p.graph = nil
	case top == "nodedef" && len(p.stack) == 2:
		p.def = nil
	case p.node != nil && p.node.Category == top:
		p.node = nil
	}
	p.stack = p.stack[:len(p.stack)-1]
}

// passed are elements that have nothing to do with networks.
var passed = map[string]bool{"attributedef": true, "backdrop": true, "look": true, "materialassign": true, "collection": true, "unitdef": true, "unittypedef": true, "typedef": true, "implementation": true, "token": true}

func attributes(t xml.StartElement) map[string]string {
	out := make(map[string]string, len(t.Attr))
	for _, a := range t.Attr {
		out[a.Name.Local] = a.Value
	}
	return out
}

// Write writes the document.
func (d *Document) Write(w io.Writer) error {
	var b strings.Builder
	attr := func(name, value string) {
		if value != "" {
			b.WriteString(" " + name + `="`)
			_ = xml.EscapeText(&b, []byte(value))
			b.WriteString(`"`)
		}
	}
	input := func(indent, kind string, in *Input) {
		b.WriteString(indent + "<" + kind)
		attr("name", in.Name)
		attr("type", in.Type)
		if in.NodeName == "" && in.InterfaceName == "" && in.NodeGraph == "" && kind == "input" {
			attr("value", in.Value)
		}
		attr("nodename", in.NodeName)
		attr("interfacename", in.InterfaceName)
		attr("nodegraph", in.NodeGraph)
		attr("output", in.Output)
		attr("colorspace", in.ColorSpace)
		attr("uiname", in.UIName)
		attr("uimin", in.UIMin)
		attr("uimax", in.UIMax)
		b.WriteString("/>\n")
	}
	node := func(indent string, n *Node) {
		b.WriteString(indent + "<" + n.Category)
		attr("name", n.Name)
		attr("type", n.Type)
		attr("mobanta_of", n.Of)
		attr("mobanta", n.Ours)
		attr("mobanta_sum", n.Sum)
		if len(n.Inputs) == 0 {
			b.WriteString("/>\n")
			return
		}
		b.WriteString(">\n")
		for i := range n.Inputs {
			input(indent+"  ", "input", &n.Inputs[i])
		}
		b.WriteString(indent + "</" + n.Category + ">\n")
	}
	b.WriteString("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<materialx")
	attr("version", d.Version)
	attr("colorspace", d.ColorSpace)
	b.WriteString(">\n")
	for _, a := range [3]string{"mobanta", "mobanta_of", "mobanta_sum"} {
		fmt.Fprintf(&b, "  <attributedef name=\"AD_%s\" attrname=\"%s\" type=\"string\" value=\"\"/>\n", a, a)
	}
	for i := range d.NodeDefs {
		def := &d.NodeDefs[i]
		b.WriteString("  <nodedef")
		attr("name", def.Name)
		attr("node", def.Node)
		attr("doc", def.Doc)
		attr("mobanta", def.Ours)
		attr("mobanta_sum", def.Sum)
		b.WriteString(">\n")
		for k := range def.Inputs {
			input("    ", "input", &def.Inputs[k])
		}
		for k := range def.Outputs {
			input("    ", "output", &def.Outputs[k])
		}
		b.WriteString("  </nodedef>\n")
	}
	for i := range d.Graphs {
		g := &d.Graphs[i]
		b.WriteString("  <nodegraph")
		attr("name", g.Name)
		attr("nodedef", g.NodeDef)
		b.WriteString(">\n")
		for k := range g.Inputs {
			input("    ", "input", &g.Inputs[k])
		}
		for k := range g.Nodes {
			node("    ", &g.Nodes[k])
		}
		for k := range g.Outputs {
			input("    ", "output", &g.Outputs[k])
		}
		b.WriteString("  </nodegraph>\n")
	}
	for i := range d.Nodes {
		node("  ", &d.Nodes[i])
	}
	b.WriteString("</materialx>\n")
	_, err := io.WriteString(w, b.String())
	return err
}

// Is tells whether data looks like a document of MaterialX.
func Is(data []byte) bool {
	head := data[:min(len(data), 4096)]
	return bytes.HasPrefix(bytes.TrimSpace(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))), []byte("<")) && bytes.Contains(head, []byte("<materialx"))
}

// spoken says what an XML reader met.
func spoken(err error) string {
	var slip *xml.SyntaxError
	switch {
	case errors.As(err, &slip) && strings.Contains(slip.Msg, "unexpected EOF"), errors.Is(err, io.ErrUnexpectedEOF):
		return "it ends too early"
	case errors.As(err, &slip):
		return fmt.Sprintf("line %d: %s", slip.Line, slip.Msg)
	}
	return strings.TrimPrefix(err.Error(), "xml: ")
}
