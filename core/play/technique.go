package play

// How is a technique. Drop and Off are used in pins only.
type How string

// The techniques.
const (
	Open     How = "open"
	Fret     How = "fret"
	Slide    How = "slide"    // struck with the slide on the wire
	Glide    How = "glide"    // the slide moves into the pitch, from beside it or from the note before
	Hammer   How = "hammer"   // sounded by a finger coming down
	Pull     How = "pull"     // sounded by a finger letting go
	Bend     How = "bend"     // a fretted string pushed or hooked sideways up to the pitch
	Harmonic How = "harmonic" // the open string touched at a node
	Tapped   How = "tapped"   // sounded by a finger of the picking hand on the neck
	Drop     How = "drop"     // the thumb stroke is left out
	Dead     How = "dead"     // struck while its finger lets up: no pitch
	Off      How = "off"      // no slide; no heel
)
