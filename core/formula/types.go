// Package formula reads expressions in the grammar of the OpenGL ES Shading Language 3.00, without statements, and makes
// them programs that run over batches.
//
// Known are float, int, uint, bool and their vectors, swizzles, constructors, all operators but those that assign, and the
// built-in functions on these types. Whole numbers have 32 bits and wrap; they are taken for floats where a float is
// needed. Matrices, arrays and textures are not known.
package formula

import (
	"fmt"
	"strings"
)

// Type is the type of an expression: a base and how many components.
type Type struct {
	Base Base
	N    int // 1 to 4
}

// Base is what one component is.
type Base byte

// The bases.
const (
	Float Base = iota
	Int
	Bool
	Uint
)

// whole tells whether components are whole numbers.
func (t Type) whole() bool { return t.Base == Int || t.Base == Uint }

// String returns the type's name in the language: "vec3".
func (t Type) String() string {
	if t.N == 1 {
		return [...]string{"float", "int", "bool", "uint"}[t.Base]
	}
	return fmt.Sprintf("%svec%d", [...]string{"", "i", "b", "u"}[t.Base], t.N)
}

// Input is a named input of an expression, a float or a vec3.
type Input struct {
	Name   string
	Vector bool
}

// Error is a slip in an expression, at a byte of it.
type Error struct {
	At  int
	Msg string
}

func (e *Error) Error() string { return fmt.Sprintf("formula: at character %d: %s", e.At+1, e.Msg) }

// MaxLength limits an expression, in bytes.
const MaxLength = 4096

const (
	maxDepth = 64   // brackets within brackets
	maxOps   = 4000 // steps of one program
)

var typeNames = map[string]Type{}

func init() {
	for _, b := range []Base{Float, Int, Bool, Uint} {
		for n := 1; n <= 4; n++ {
			t := Type{b, n}
			typeNames[t.String()] = t
		}
	}
}

// reserved are words of the language that cannot name an input.
var reserved = strings.Fields(`true false mat2 mat3 mat4 mat2x2 mat2x3 mat2x4 mat3x2 mat3x3 mat3x4 mat4x2 mat4x3 mat4x4 void struct
	const in out inout uniform if else for while do return break continue switch case default discard precision highp mediump lowp sampler2D`)

// CheckName returns why an input cannot have that name, or nil.
func CheckName(name string) error {
	if name == "" || strings.HasPrefix(name, "gl_") || strings.Contains(name, "__") {
		return fmt.Errorf("formula: %q cannot name an input", name)
	}
	for i, r := range name {
		if !(r == '_' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || i > 0 && r >= '0' && r <= '9') {
			return fmt.Errorf("formula: %q cannot name an input: letters, digits and _ can", name)
		}
	}
	if _, ok := typeNames[name]; ok {
		return fmt.Errorf("formula: %q is a type and cannot name an input", name)
	}
	if _, ok := functions[name]; ok {
		return fmt.Errorf("formula: %q is a function and cannot name an input", name)
	}
	for _, w := range reserved {
		if w == name {
			return fmt.Errorf("formula: %q is a word of the language and cannot name an input", name)
		}
	}
	return nil
}
