package line

// Border returns the middle of the border between two pixels, of a picture so wide, on which a place was found.
func (p *Place) Border(w int) (x, y float32) {
	a, b := int(p.ends[0]), int(p.ends[1])
	return float32(a%(w+1)+b%(w+1)) / 2, float32(a/(w+1)+b/(w+1)) / 2
}
