// Package materialx writes looks as documents of the open standard MaterialX 1.39, and reads networks from such documents.
package materialx

import (
	"fmt"
	"strings"
)

// The nodes of the standard library of MaterialX 1.39 that are written or read here, kept by hand from its specification:
// the node, the types that it may have, and its inputs with theirs. T is the type of the node, F a number in its place too;
// several are parted by /.
const standardText = `
constant float/color3/color4/vector2/vector3/vector4/boolean/integer/string/filename value:T
image float/color3/color4/vector2/vector3/vector4 file:filename layer:string default:T texcoord:vector2 uaddressmode:string vaddressmode:string filtertype:string framerange:string frameoffset:integer frameendaction:string
tiledimage float/color3/color4/vector2/vector3/vector4 file:filename default:T texcoord:vector2 uvtiling:vector2 uvoffset:vector2 realworldimagesize:vector2 realworldtilesize:vector2 filtertype:string framerange:string frameoffset:integer frameendaction:string
position vector3 space:string
normal vector3 space:string
tangent vector3 space:string index:integer
bitangent vector3 space:string index:integer
texcoord vector2/vector3 index:integer
geomcolor float/color3/color4 index:integer
viewdirection vector3 space:string
facingratio float viewdirection:vector3 normal:vector3 faceforward:boolean invert:boolean
frame float
time float
ramplr float/color3/color4/vector2/vector3/vector4 valuel:T valuer:T texcoord:vector2
ramptb float/color3/color4/vector2/vector3/vector4 valuet:T valueb:T texcoord:vector2
ramp4 float/color3/color4/vector2/vector3/vector4 valuetl:T valuetr:T valuebl:T valuebr:T texcoord:vector2
splitlr float/color3/color4/vector2/vector3/vector4 valuel:T valuer:T center:float texcoord:vector2
splittb float/color3/color4/vector2/vector3/vector4 valuet:T valueb:T center:float texcoord:vector2
noise2d float/color3/color4/vector2/vector3/vector4 amplitude:F pivot:float texcoord:vector2
noise3d float/color3/color4/vector2/vector3/vector4 amplitude:F pivot:float position:vector3
fractal2d float/color3/color4/vector2/vector3/vector4 amplitude:F octaves:integer lacunarity:float diminish:float texcoord:vector2
fractal3d float/color3/color4/vector2/vector3/vector4 amplitude:F octaves:integer lacunarity:float diminish:float position:vector3
cellnoise2d float texcoord:vector2
cellnoise3d float position:vector3
worleynoise2d float/vector2/vector3 texcoord:vector2 jitter:float style:integer
worleynoise3d float/vector2/vector3 position:vector3 jitter:float style:integer
checkerboard color3 color1:color3 color2:color3 uvtiling:vector2 uvoffset:vector2 texcoord:vector2
add float/color3/color4/vector2/vector3/vector4/integer in1:T in2:F
subtract float/color3/color4/vector2/vector3/vector4/integer in1:T in2:F
multiply float/color3/color4/vector2/vector3/vector4/integer in1:T in2:F
divide float/color3/color4/vector2/vector3/vector4/integer in1:T in2:F
modulo float/color3/color4/vector2/vector3/vector4/integer in1:T in2:F
fract float/color3/color4/vector2/vector3/vector4 in:T
invert float/color3/color4/vector2/vector3/vector4 in:T amount:F
absval float/color3/color4/vector2/vector3/vector4 in:T
sign float/color3/color4/vector2/vector3/vector4 in:T
floor float/color3/color4/vector2/vector3/vector4/integer in:T
ceil float/color3/color4/vector2/vector3/vector4/integer in:T
round float/color3/color4/vector2/vector3/vector4/integer in:T
power float/color3/color4/vector2/vector3/vector4 in1:T in2:F
sin float/vector2/vector3/vector4 in:T
cos float/vector2/vector3/vector4 in:T
tan float/vector2/vector3/vector4 in:T
asin float/vector2/vector3/vector4 in:T
acos float/vector2/vector3/vector4 in:T
atan2 float/vector2/vector3/vector4 iny:T inx:T
sqrt float/vector2/vector3/vector4 in:T
ln float/vector2/vector3/vector4 in:T
exp float/vector2/vector3/vector4 in:T
clamp float/color3/color4/vector2/vector3/vector4 in:T low:F high:F
min float/color3/color4/vector2/vector3/vector4 in1:T in2:F
max float/color3/color4/vector2/vector3/vector4 in1:T in2:F
normalize vector2/vector3/vector4 in:T
magnitude float in:vector2/vector3/vector4
distance float in1:vector2/vector3/vector4 in2:vector2/vector3/vector4
dotproduct float in1:vector2/vector3/vector4 in2:vector2/vector3/vector4
crossproduct vector3 in1:vector3 in2:vector3
reflect vector3 in:vector3 normal:vector3
rotate2d vector2 in:vector2 amount:float
rotate3d vector3 in:vector3 amount:float axis:vector3
place2d vector2 texcoord:vector2 pivot:vector2 scale:vector2 rotate:float offset:vector2 operationorder:integer
remap float/color3/color4/vector2/vector3/vector4 in:T inlow:F inhigh:F outlow:F outhigh:F
range float/color3/color4/vector2/vector3/vector4 in:T inlow:F inhigh:F gamma:F outlow:F outhigh:F doclamp:boolean
smoothstep float/color3/color4/vector2/vector3/vector4 in:T low:F high:F
contrast float/color3/color4/vector2/vector3/vector4 in:T amount:F pivot:F
luminance color3/color4 in:T lumacoeffs:color3
rgbtohsv color3/color4 in:T
hsvtorgb color3/color4 in:T
hsvadjust color3/color4 in:T amount:vector3
saturate color3/color4 in:T amount:float lumacoeffs:color3
plus float/color3/color4 fg:T bg:T mix:float
minus float/color3/color4 fg:T bg:T mix:float
difference float/color3/color4 fg:T bg:T mix:float
burn float/color3/color4 fg:T bg:T mix:float
dodge float/color3/color4 fg:T bg:T mix:float
screen float/color3/color4 fg:T bg:T mix:float
overlay float/color3/color4 fg:T bg:T mix:float
mix float/color3/color4/vector2/vector3/vector4 fg:T bg:T mix:F
ifgreater float/color3/color4/vector2/vector3/vector4/integer value1:float/integer value2:float/integer in1:T in2:T
ifgreatereq float/color3/color4/vector2/vector3/vector4/integer value1:float/integer value2:float/integer in1:T in2:T
ifequal float/color3/color4/vector2/vector3/vector4/integer value1:float/integer/boolean value2:float/integer/boolean in1:T in2:T
switch float/color3/color4/vector2/vector3/vector4 in1:T in2:T in3:T in4:T in5:T in6:T in7:T in8:T in9:T in10:T which:float/integer
convert float/color3/color4/vector2/vector3/vector4/integer in:float/color3/color4/vector2/vector3/vector4/integer/boolean
extract float in:color3/color4/vector2/vector3/vector4 index:integer
combine2 vector2/color4/vector4 in1:float/color3/vector3 in2:float
combine3 color3/vector3 in1:float in2:float in3:float
combine4 color4/vector4 in1:float in2:float in3:float in4:float
separate2 multioutput in:vector2
separate3 multioutput in:color3/vector3
separate4 multioutput in:color4/vector4
dot float/color3/color4/vector2/vector3/vector4/boolean/integer/string in:T
normalmap vector3 in:vector3 scale:float/vector2 normal:vector3 tangent:vector3 bitangent:vector3
bump vector3 height:float scale:float normal:vector3 tangent:vector3 bitangent:vector3
heighttonormal vector3 in:float scale:float texcoord:vector2
surface_unlit surfaceshader emission:float emission_color:color3 transmission:float transmission_color:color3 opacity:float
surfacematerial material surfaceshader:surfaceshader backsurfaceshader:surfaceshader displacementshader:displacementshader
`

// standard is what is known of a node of the standard.
type standard struct {
	types  []string
	inputs map[string][]string // their types; "T" that of the node, "F" that or float
}

var library = func() map[string]standard {
	out := map[string]standard{}
	for _, line := range strings.Split(strings.TrimSpace(standardText), "\n") {
		f := strings.Fields(line)
		s := standard{types: strings.Split(f[1], "/"), inputs: map[string][]string{}}
		for _, in := range f[2:] {
			name, types, _ := strings.Cut(in, ":")
			s.inputs[name] = strings.Split(types, "/")
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
		var types func(in string) ([]string, bool)
		if def := defined[n.Category]; def != nil {
			types = func(in string) ([]string, bool) {
				for _, e := range def.Inputs {
					if e.Name == in {
						return []string{e.Type}, true
					}
				}
				return nil, false
			}
		} else {
			s, ok := library[n.Category]
			if !ok {
				return fmt.Errorf("materialx: %s in %s is a %s, which the standard does not have", n.Name, where, n.Category)
			}
			if !contains(s.types, n.Type) {
				return fmt.Errorf("materialx: %s in %s: there is no %s of type %s", n.Name, where, n.Category, n.Type)
			}
			types = func(in string) ([]string, bool) {
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
			}
		}
		for _, in := range n.Inputs {
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
		}
	}
	// Cycles: each node leads to what it reads.
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
