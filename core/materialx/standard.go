// Package materialx writes looks as documents of the open standard MaterialX 1.39, and reads networks from such documents.
package materialx

import (
	"fmt"
	"strings"
)

// The nodes of the standard library of MaterialX 1.39 that are written or read here, kept by hand from its specification:
// the node, the types that it may have, and its inputs with theirs and what they are where a document says nothing of them; what
// has no such value is the surface's own, or none. T is the type of the node, F a number in its place too; several types are
// parted by /. One number stands for all components.
const standardText = `
constant float/color3/color4/vector2/vector3/vector4/boolean/integer/string/filename value:T=0
image float/color3/color4/vector2/vector3/vector4 file:filename layer:string default:T=0 texcoord:vector2 uaddressmode:string vaddressmode:string filtertype:string framerange:string frameoffset:integer=0 frameendaction:string
tiledimage float/color3/color4/vector2/vector3/vector4 file:filename default:T=0 texcoord:vector2 uvtiling:vector2=1,1 uvoffset:vector2=0 realworldimagesize:vector2=1,1 realworldtilesize:vector2=1,1 filtertype:string framerange:string frameoffset:integer=0 frameendaction:string
position vector3 space:string
normal vector3 space:string
tangent vector3 space:string index:integer=0
bitangent vector3 space:string index:integer=0
texcoord vector2/vector3 index:integer=0
geomcolor float/color3/color4 index:integer=0
viewdirection vector3 space:string
facingratio float viewdirection:vector3 normal:vector3 faceforward:boolean=true invert:boolean=false
frame float
time float
ramplr float/color3/color4/vector2/vector3/vector4 valuel:T=0 valuer:T=0 texcoord:vector2
ramptb float/color3/color4/vector2/vector3/vector4 valuet:T=0 valueb:T=0 texcoord:vector2
ramp4 float/color3/color4/vector2/vector3/vector4 valuetl:T=0 valuetr:T=0 valuebl:T=0 valuebr:T=0 texcoord:vector2
splitlr float/color3/color4/vector2/vector3/vector4 valuel:T=0 valuer:T=0 center:float=0.5 texcoord:vector2
splittb float/color3/color4/vector2/vector3/vector4 valuet:T=0 valueb:T=0 center:float=0.5 texcoord:vector2
noise2d float/color3/color4/vector2/vector3/vector4 amplitude:F=1 pivot:float=0 texcoord:vector2
noise3d float/color3/color4/vector2/vector3/vector4 amplitude:F=1 pivot:float=0 position:vector3
fractal2d float/color3/color4/vector2/vector3/vector4 amplitude:F=1 octaves:integer=3 lacunarity:float=2 diminish:float=0.5 texcoord:vector2
fractal3d float/color3/color4/vector2/vector3/vector4 amplitude:F=1 octaves:integer=3 lacunarity:float=2 diminish:float=0.5 position:vector3
cellnoise2d float texcoord:vector2
cellnoise3d float position:vector3
worleynoise2d float/vector2/vector3 texcoord:vector2 jitter:float=1 style:integer=0
worleynoise3d float/vector2/vector3 position:vector3 jitter:float=1 style:integer=0
checkerboard color3 color1:color3=1,1,1 color2:color3=0 uvtiling:vector2=8,8 uvoffset:vector2=0 texcoord:vector2
add float/color3/color4/vector2/vector3/vector4/integer in1:T=0 in2:F=0
subtract float/color3/color4/vector2/vector3/vector4/integer in1:T=0 in2:F=0
multiply float/color3/color4/vector2/vector3/vector4/integer in1:T=0 in2:F=1
divide float/color3/color4/vector2/vector3/vector4/integer in1:T=0 in2:F=1
modulo float/color3/color4/vector2/vector3/vector4/integer in1:T=0 in2:F=1
fract float/color3/color4/vector2/vector3/vector4 in:T=0
invert float/color3/color4/vector2/vector3/vector4 in:T=0 amount:F=1
absval float/color3/color4/vector2/vector3/vector4 in:T=0
sign float/color3/color4/vector2/vector3/vector4 in:T=0
floor float/color3/color4/vector2/vector3/vector4/integer in:T=0
ceil float/color3/color4/vector2/vector3/vector4/integer in:T=0
round float/color3/color4/vector2/vector3/vector4/integer in:T=0
power float/color3/color4/vector2/vector3/vector4 in1:T=0 in2:F=1
safepower float/color3/color4/vector2/vector3/vector4 in1:T=0 in2:F=1
sin float/vector2/vector3/vector4 in:T=0
cos float/vector2/vector3/vector4 in:T=0
tan float/vector2/vector3/vector4 in:T=0
asin float/vector2/vector3/vector4 in:T=0
acos float/vector2/vector3/vector4 in:T=0
atan2 float/vector2/vector3/vector4 iny:T=0 inx:T=1
trianglewave float in:float=0
sqrt float/vector2/vector3/vector4 in:T=0
ln float/vector2/vector3/vector4 in:T=1
exp float/vector2/vector3/vector4 in:T=0
clamp float/color3/color4/vector2/vector3/vector4 in:T=0 low:F=0 high:F=1
min float/color3/color4/vector2/vector3/vector4 in1:T=0 in2:F=0
max float/color3/color4/vector2/vector3/vector4 in1:T=0 in2:F=0
normalize vector2/vector3/vector4 in:T=0
magnitude float in:vector2/vector3/vector4=0
distance float in1:vector2/vector3/vector4=0 in2:vector2/vector3/vector4=0
dotproduct float in1:vector2/vector3/vector4=0 in2:vector2/vector3/vector4=0
crossproduct vector3 in1:vector3=0 in2:vector3=0
reflect vector3 in:vector3=0 normal:vector3
rotate2d vector2 in:vector2=0 amount:float=0
rotate3d vector3 in:vector3=0 amount:float=0 axis:vector3=0,1,0
place2d vector2 texcoord:vector2 pivot:vector2=0 scale:vector2=1,1 rotate:float=0 offset:vector2=0 operationorder:integer=0
remap float/color3/color4/vector2/vector3/vector4 in:T=0 inlow:F=0 inhigh:F=1 outlow:F=0 outhigh:F=1
range float/color3/color4/vector2/vector3/vector4 in:T=0 inlow:F=0 inhigh:F=1 gamma:F=1 outlow:F=0 outhigh:F=1 doclamp:boolean=false
smoothstep float/color3/color4/vector2/vector3/vector4 in:T=0 low:F=0 high:F=1
contrast float/color3/color4/vector2/vector3/vector4 in:T=0 amount:F=1 pivot:F=0.5
luminance color3/color4 in:T=0 lumacoeffs:color3=0.2722287,0.6740818,0.0536895
rgbtohsv color3/color4 in:T=0
hsvtorgb color3/color4 in:T=0
hsvadjust color3/color4 in:T=0 amount:vector3=0,1,1
saturate color3/color4 in:T=0 amount:float=1 lumacoeffs:color3=0.2722287,0.6740818,0.0536895
plus float/color3/color4 fg:T=0 bg:T=0 mix:float=1
minus float/color3/color4 fg:T=0 bg:T=0 mix:float=1
difference float/color3/color4 fg:T=0 bg:T=0 mix:float=1
burn float/color3/color4 fg:T=0 bg:T=0 mix:float=1
dodge float/color3/color4 fg:T=0 bg:T=0 mix:float=1
screen float/color3/color4 fg:T=0 bg:T=0 mix:float=1
overlay float/color3/color4 fg:T=0 bg:T=0 mix:float=1
inside float/color3/color4 in:T=0 mask:float=1
outside float/color3/color4 in:T=0 mask:float=0
mix float/color3/color4/vector2/vector3/vector4 fg:T=0 bg:T=0 mix:F=0
ifgreater float/color3/color4/vector2/vector3/vector4/integer value1:float/integer=1 value2:float/integer=0 in1:T=0 in2:T=0
ifgreatereq float/color3/color4/vector2/vector3/vector4/integer value1:float/integer=1 value2:float/integer=0 in1:T=0 in2:T=0
ifequal float/color3/color4/vector2/vector3/vector4/integer value1:float/integer/boolean=0 value2:float/integer/boolean=0 in1:T=0 in2:T=0
switch float/color3/color4/vector2/vector3/vector4 in1:T=0 in2:T=0 in3:T=0 in4:T=0 in5:T=0 in6:T=0 in7:T=0 in8:T=0 in9:T=0 in10:T=0 which:float/integer=0
convert float/color3/color4/vector2/vector3/vector4/integer in:float/color3/color4/vector2/vector3/vector4/integer/boolean=0
extract float in:color3/color4/vector2/vector3/vector4=0 index:integer=0
combine2 vector2/color4/vector4 in1:float/color3/vector3=0 in2:float=0
combine3 color3/vector3 in1:float=0 in2:float=0 in3:float=0
combine4 color4/vector4 in1:float=0 in2:float=0 in3:float=0 in4:float=0
separate2 multioutput in:vector2=0
separate3 multioutput in:color3/vector3=0
separate4 multioutput in:color4/vector4=0
dot float/color3/color4/vector2/vector3/vector4/boolean/integer/string in:T=0
normalmap vector3 in:vector3=0 scale:float/vector2=1 normal:vector3 tangent:vector3 bitangent:vector3
bump vector3 height:float=0 scale:float=1 normal:vector3 tangent:vector3 bitangent:vector3
heighttonormal vector3 in:float=0 scale:float=1 texcoord:vector2
surface_unlit surfaceshader emission:float=1 emission_color:color3=1,1,1 transmission:float=0 transmission_color:color3=1,1,1 opacity:float=1
surfacematerial material surfaceshader:surfaceshader backsurfaceshader:surfaceshader displacementshader:displacementshader
`

// standard is what is known of a node of the standard.
type standard struct {
	types  []string
	inputs map[string][]string // their types; "T" that of the node, "F" that or float
	values map[string]string   // what inputs are that a document does not name
}

var library = func() map[string]standard {
	out := map[string]standard{}
	for _, line := range strings.Split(strings.TrimSpace(standardText), "\n") {
		f := strings.Fields(line)
		s := standard{types: strings.Split(f[1], "/"), inputs: map[string][]string{}, values: map[string]string{}}
		for _, in := range f[2:] {
			in, value, has := strings.Cut(in, "=")
			name, types, _ := strings.Cut(in, ":")
			if s.inputs[name] = strings.Split(types, "/"); has {
				s.values[name] = value
			}
		}
		out[f[0]] = s
	}
	return out
}()

// Check returns what is wrong with a document by the standard, or nil: nodes, types and inputs that it does not have, names
// that are there twice, wires from nothing or of another type, and cycles.
func (d *Document) Check() error {
	defined := map[string]*NodeDef{}
	for i := range d.NodeDefs {
		defined[d.NodeDefs[i].Node] = &d.NodeDefs[i]
	}
	names := map[string]bool{}
	once := func(name string) error {
		if name == "" || names[name] {
			return fmt.Errorf("materialx: the name %q is empty or there twice", name)
		}
		names[name] = true
		return nil
	}
	for _, n := range d.NodeDefs {
		if err := once(n.Name); err != nil {
			return err
		}
	}
	graphs := map[string]*Graph{}
	for i := range d.Graphs {
		g := &d.Graphs[i]
		if err := once(g.Name); err != nil {
			return err
		}
		graphs[g.Name] = g
		inputs := g.Inputs
		if g.NodeDef != "" {
			k := 0
			for k < len(d.NodeDefs) && d.NodeDefs[k].Name != g.NodeDef {
				k++
			}
			if k == len(d.NodeDefs) {
				return fmt.Errorf("materialx: %s implements %s, which is not there", g.Name, g.NodeDef)
			}
			inputs = d.NodeDefs[k].Inputs
		}
		if err := checkNodes(g.Name, g.Nodes, inputs, defined, nil); err != nil {
			return err
		}
		for _, o := range g.Outputs {
			if o.Type == "" || o.NodeName == "" && o.InterfaceName == "" {
				return fmt.Errorf("materialx: output %q of %s comes from nothing", o.Name, g.Name)
			}
			if t, ok := typeOf(g.Nodes, defined, o.NodeName, o.Output); o.NodeName != "" && (!ok || t != o.Type) {
				return fmt.Errorf("materialx: output %q of %s is a %s and is fed a %s", o.Name, g.Name, o.Type, t)
			}
		}
	}
	return checkNodes("the document", d.Nodes, nil, defined, graphs)
}

// typeOf returns the type of what a node gives.
func typeOf(nodes []Node, defined map[string]*NodeDef, name, output string) (string, bool) {
	for i := range nodes {
		if nodes[i].Name != name {
			continue
		}
		if def := defined[nodes[i].Category]; def != nil {
			for _, o := range def.Outputs {
				if o.Name == output || output == "" && len(def.Outputs) == 1 {
					return o.Type, true
				}
			}
			return "", false
		}
		if nodes[i].Type == "multioutput" {
			return "float", output != ""
		}
		return nodes[i].Type, true
	}
	return "", false
}

func checkNodes(where string, nodes []Node, inputs []Input, defined map[string]*NodeDef, graphs map[string]*Graph) error {
	names := map[string]bool{}
	for i := range nodes {
		n := &nodes[i]
		if n.Name == "" || names[n.Name] {
			return fmt.Errorf("materialx: in %s the name %q is empty or there twice", where, n.Name)
		}
		names[n.Name] = true
		types, err := inputTypes(where, n, defined)
		if err != nil {
			return err
		}
		for _, in := range n.Inputs {
			if err := checkInput(where, n, in, types, nodes, inputs, defined, graphs); err != nil {
				return err
			}
		}
	}
	return checkCycles(where, nodes)
}

// inputTypes returns what tells the types that an input of a node may have; ok is false for an input that there is not.
func inputTypes(where string, n *Node, defined map[string]*NodeDef) (types func(in string) (of []string, ok bool), err error) {
	if def := defined[n.Category]; def != nil {
		return func(in string) ([]string, bool) {
			for _, e := range def.Inputs {
				if e.Name == in {
					return []string{e.Type}, true
				}
			}
			return nil, false
		}, nil
	}

	s, ok := library[n.Category]
	if !ok {
		return nil, fmt.Errorf("materialx: %s in %s is a %s, which the standard does not have", n.Name, where, n.Category)
	}
	if !contains(s.types, n.Type) {
		return nil, fmt.Errorf("materialx: %s in %s: there is no %s of type %s", n.Name, where, n.Category, n.Type)
	}
	return func(in string) ([]string, bool) {
		t, ok := s.inputs[in]
		if !ok {
			return nil, false
		}
		switch t[0] {
		case "T":
			return []string{n.Type}, true
		case "F":
			return []string{n.Type, "float"}, true
		}
		return t, true
	}, nil
}

// checkInput tells what is wrong with an input of a node: it is fed what it cannot take, or nothing.
func checkInput(where string, n *Node, in Input, types func(in string) ([]string, bool), nodes []Node, inputs []Input, defined map[string]*NodeDef, graphs map[string]*Graph) error {
	t, ok := types(in.Name)
	if !ok {
		return fmt.Errorf("materialx: %s in %s: a %s has no input %q", n.Name, where, n.Category, in.Name)
	}
	if !contains(t, in.Type) {
		return fmt.Errorf("materialx: %s in %s: input %q is a %s, not a %s", n.Name, where, in.Name, strings.Join(t, " or a "), in.Type)
	}
	switch {
	case in.NodeName != "":
		if got, ok := typeOf(nodes, defined, in.NodeName, in.Output); !ok || got != in.Type {
			return fmt.Errorf("materialx: %s in %s: input %q is a %s and is fed a %q by %s", n.Name, where, in.Name, in.Type, got, in.NodeName)
		}
	case in.InterfaceName != "":
		found := false
		for _, e := range inputs {
			found = found || e.Name == in.InterfaceName && e.Type == in.Type
		}
		if !found {
			return fmt.Errorf("materialx: %s in %s: there is no input %q of type %s about it", n.Name, where, in.InterfaceName, in.Type)
		}
	case in.NodeGraph != "":
		g := graphs[in.NodeGraph]
		found := false
		if g != nil {
			for _, o := range g.Outputs {
				found = found || o.Name == in.Output && o.Type == in.Type
			}
		}
		if !found {
			return fmt.Errorf("materialx: %s: there is no output %q of %s", n.Name, in.Output, in.NodeGraph)
		}
	case in.Value == "" && in.Type != "string" && in.Type != "filename":
		return fmt.Errorf("materialx: %s in %s: input %q has no value", n.Name, where, in.Name)
	}
	return nil
}

// checkCycles tells of a node that reads itself, by whatever way.
func checkCycles(where string, nodes []Node) error {
	state := map[string]int{}
	at := map[string]*Node{}
	for i := range nodes {
		at[nodes[i].Name] = &nodes[i]
	}
	var walk func(name string) error
	walk = func(name string) error {
		switch state[name] {
		case 1:
			return fmt.Errorf("materialx: %s in %s reads itself", name, where)
		case 2:
			return nil
		}
		state[name] = 1
		if n := at[name]; n != nil {
			for _, in := range n.Inputs {
				if in.NodeName != "" {
					if err := walk(in.NodeName); err != nil {
						return err
					}
				}
			}
		}
		state[name] = 2
		return nil
	}
	for i := range nodes {
		if err := walk(nodes[i].Name); err != nil {
			return err
		}
	}
	return nil
}

func contains(list []string, s string) bool {
	for _, e := range list {
		if e == s {
			return true
		}
	}
	return false
}
