package stage

// Beside returns for each triangle the triangles beyond its edges, from the first
// corner to the second and so on; -1 where there is none, where more than two meet, or
// where the two do not share the edge's vertices, as at creases and at seams of
// texture coordinates. It is worked out when it is first asked for.
func (g *Geometry) Beside() [][3]int32 {
	g.besideOnce.Do(func() { g.beside = beside(g.Tri, len(g.Pos)) })
	return g.beside
}

func beside(tris [][3]int32, vertices int) [][3]int32 {
	out := make([][3]int32, len(tris))
	// Each edge goes into the bucket of its lesser vertex.
	start := make([]int32, vertices+1)
	ends := func(t, k int) (a, b int32) {
		a, b = tris[t][k], tris[t][(k+1)%3]
		return min(a, b), max(a, b)
	}
	for t := range tris {
		out[t] = [3]int32{-1, -1, -1}
		for k := range 3 {
			a, _ := ends(t, k)
			start[a+1]++
		}
	}
	for v := range vertices {
		start[v+1] += start[v]
	}
	type edge struct{ other, tri, k int32 }
	edges := make([]edge, 3*len(tris))
	fill := make([]int32, vertices)
	copy(fill, start)
	for t := range tris {
		for k := range 3 {
			a, b := ends(t, k)
			edges[fill[a]] = edge{b, int32(t), int32(k)}
			fill[a]++
		}
	}
	last := make([]int32, vertices) // other end → 1 + where in edges it was met last
	count := make([]int32, vertices)
	for v := range vertices {
		bucket := edges[start[v]:start[v+1]]
		for i, e := range bucket {
			if count[e.other]++; count[e.other] == 2 {
				o := bucket[last[e.other]]
				out[e.tri][e.k], out[o.tri][o.k] = o.tri, e.tri
			} else if count[e.other] == 3 { // three meet: none is beyond another
				for _, o := range bucket {
					if o.other == e.other {
						out[o.tri][o.k] = -1
					}
				}
			}
			last[e.other] = int32(i)
		}
		for _, e := range bucket {
			count[e.other] = 0
		}
	}
	return out
}
