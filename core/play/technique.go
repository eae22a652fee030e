package play

import "math"

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

// Slid reports whether a note sounds under the slide.
func (h How) Slid() bool { return h == Slide || h == Glide }

// Node is a fret at which an open string is touched for a harmonic, with the cents by which it sounds above the open string.
type Node struct {
	Fret  int
	Cents float64
}

// Nodes are those that are played, the surest first: partials 2, 3 and 4.
var Nodes = []Node{{12, 1200}, {7, 1200 * math.Log2(3)}, {5, 2400}}

// NodeAt is the node at a fret above the nut or capo; ok is false where no harmonic is played.
func NodeAt(fret float64) (n Node, ok bool) {
	for _, n := range Nodes {
		if float64(n.Fret) == fret {
			return n, true
		}
	}
	return Node{}, false
}
