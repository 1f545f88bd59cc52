package trace

import "golang.org/x/sys/cpu"

// assembly tells whether trees are walked in assembly.
var assembly = cpu.X86.HasAVX2 && cpu.X86.HasBMI1

// anyAVX2 is anyGo in walk_amd64.s.
//
//go:noescape
func anyAVX2(nodes *node, leaves *leaf, r *ray) bool

// nearAVX2 is nearGo in walk_amd64.s.
//
//go:noescape
func nearAVX2(nodes *node, leaves *leaf, r *ray, f *found)
