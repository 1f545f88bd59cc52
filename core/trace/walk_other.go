//go:build !amd64

package trace

var assembly = false

func anyAVX2(nodes *node, leaves *leaf, r *ray) bool { return anyGo(nodes, leaves, r) }

func nearAVX2(nodes *node, leaves *leaf, r *ray, f *found) { nearGo(nodes, leaves, r, f) }
