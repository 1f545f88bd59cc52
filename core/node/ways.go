package node

// Way is a way in which a mask goes into a look: what is made beside it, and where all of it is
// wired. core/project makes it.
type Way string

// The ways.
const (
	Multiplied Way = "multiply" // through a ramp, multiplied over the colour: for what darkens
	Masked     Way = "mask"     // through a hard step, as how much of another colour is laid over
	Varied     Way = "vary"     // added to the tone that bands are cut from
	Raised     Way = "relief"   // as relief that all lights of the look see
	Shaded     Way = "shadows"  // over the darker bands of a ramp: for patterns
)

// Name returns what a way is called in the search, after the name of the kind.
func (w Way) Name() string {
	return map[Way]string{Multiplied: "multiplied in", Masked: "as a mask", Varied: "varying the tone", Raised: "as relief", Shaded: "over the shadows"}[w]
}

// Purpose says what a way makes.
func (w Way) Purpose() string {
	return map[Way]string{
		Multiplied: "With a ramp and a blend: darkens the colour where it is dark.",
		Masked:     "With a soft step and a blend: another colour where it is high.",
		Varied:     "Moves the edges of the bands to and fro.",
		Raised:     "With a bump: the lights of this look see it as relief.",
		Shaded:     "From the darkest band, in its colour, into the next: the light ones stay free.",
	}[w]
}
