package play

// Part is a layer of the music, and in pins also a part of the hands.
type Part string

// The parts. The first two sound.
const (
	Melody     Part = "melody"
	Thumb      Part = "thumb"
	Tube       Part = "slide"    // the slide itself
	Heel       Part = "heel"     // the heel of the picking hand
	Damped     Part = "damper"   // what silences a string
	Position   Part = "position" // where the fretting hand stays
	Ringing    Part = "ring"     // strings left to ring on purpose
	Percussion Part = "percussion"
	Finger     Part = "finger" // a finger of a picking pattern, over chords
)
