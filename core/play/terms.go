package play

import "math"

// Term names one kind of cost.
type Term int

// The terms of the cost. docs/model.md gives each formula with its reason.
const (
	Shift      Term = iota // moving the left hand along the neck in the time there is
	Stretch                // spread of fretting fingers, bars, bends
	Land                   // slide put on or taken off the strings
	Place                  // where on the neck a note lies
	StringMove             // melody moving to another string, a finger hopping strings
	Tone                   // the technique suiting the note's length and place
	Intonation             // how hard the pitch is to hit without a fret
	Clash                  // bass note against the chord
	Pattern                // thumb stroke moved from its best place, cut short or left out
	Hand                   // digit repeats, brushes, taps, digits away from their strings
	Leak                   // unwanted sound left
	Damping                // effort of the dampers and of moving them
	School                 // against the player's lean
	terms                  // how many there are
)

var termNames = [terms]string{"shift", "stretch", "land", "place", "string", "tone", "intonation",
	"clash", "pattern", "hand", "leak", "damping", "school"}

func (t Term) String() string { return termNames[t] }

// TermNames returns the names of all terms in order.
func TermNames() []string { return termNames[:] }

// Terms is a cost by term.
type Terms [terms]float64

// Add adds o to c.
func (c *Terms) Add(o *Terms) {
	for i := range c {
		c[i] += o[i]
	}
}

// Sum returns the total.
func (c *Terms) Sum() float64 {
	s := 0.0
	for _, x := range c {
		s += x
	}
	return s
}

// Grid is the number of steps in one unit of cost. Every cost is a multiple of 1/Grid, so that
// sums are exact in float64 and equal totals compare equal.
const Grid = 1 << 20

// Exact rounds a cost to the grid.
func Exact(x float64) float64 { return math.Round(x*Grid) / Grid }
