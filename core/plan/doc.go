// Package plan works out how to play a tune on a retuned guitar: for every melody note and thumb
// stroke the string, fret and technique, for both hands the fingers, and for every other string
// what keeps it silent. What a plan says is told in package play; this package finds it.
//
// # Words
//
//   - moment: an onset of a melody note, a thumb stroke or percussion.
//   - voicing: the strings, frets and fingers of one melody note and those struck with it.
//   - hand: what the left hand holds at a moment: a voicing, the slide, trailing fingers, a bass
//     finger. An anchored hand has a place on the neck, a bare one carries its last position.
//   - shape: all that the picking hand sees of a hand; many hands share one (pickShape).
//   - picking state: what the picking hand carries on: the digits that plucked last, whether the
//     heel lies on the strings, where the resting digits lie (pickState).
//   - live: the bass strings that ring on. ringIn: what rings into a moment once the left hand has
//     moved: live strings and strings whose note is over.
//   - state: hand, live strings and picking state after a moment: all that the next can feel.
//   - action: a choice of the picking hand: bass option, digits, heel, resting place, damping.
//   - damping: how the strings that must be silent are silenced one by one, or left to leak.
//   - budget: what a state may have cost if the whole is to stay within a limit; pruning leaves
//     out what exceeds it.
//   - dominated: another state with the same hand and live strings is cheaper by more than its
//     picking state can ever have to make good (dominance).
//
// # Cost
//
// A hard rule decides what may be chosen together; everything else is a cost, a sum of named terms
// (play.Terms) with weights in weights.go. The total is the sum over moments of
//
//	change(hand before, hand) + bass(hand) + action(shape, ringIn) + turn(picking state before, action)
//
// Every summand is rounded to a multiple of 2⁻²⁰ (tally.add), so that sums are exact in float64 and
// equal totals compare equal. Ties go to the candidate generated first: strings ascending; open,
// fretted with fingers ascending, harmonic, bend, tapped, slide; thumb strings from 6 down, then
// fretted, then left out; heel from 0; digits p i m a. The same input gives the same plan anywhere.
//
// # Search
//
// The least total is a shortest path over the states (solve.go). A moment costs |hands|² for the left
// hand and, for each shape and each ringIn, the actions: not the square of the product, since a change
// costs a sum of one part per hand. bound.go bounds the rest of the tune from below by the left hand
// and its digits alone, which prunes shorter tunes. Of what there is beside the plan at a moment,
// backward.go works out what every state costs to the end in a window of the tune (window.go), and
// alternatives.go reads the price of every other choice from that and the pass forward. A plan with
// one more pin is searched from the pin to where the plan before is met again (known.go), and takes
// over that one's window (beside.go).
//
// # What must hold
//
//   - The search and the reasons take their costs from the same lines: a tally gives the sum to the
//     one and the terms to the other, and choiceFrom finds the choice behind a step again.
//   - minToGo and leastPick never exceed the true cost (TestBound).
//   - A dominance gap is never smaller than what the picking state can cost later.
//   - What is told about a moment does not depend on the window it was found in (TestWindow), nor on what
//     was asked before (TestBeside).
//   - No state of any best plan is left out: equal ones stay.
//   - A Plan is safe for concurrent use: what is worked out on demand is guarded by its lock.
//
// # Where a new rule goes
//
//   - A cost of one hand at one moment: holdCost (hands.go). It reaches bounds by itself.
//   - A cost of going from hand to hand: changeCost or beginCost (left.go). By itself, too.
//   - A cost of a bass note by itself: bassOptions (bass.go); leastBass and leastPick read it there.
//   - A cost that depends on the picking state touches eight places: pickState and after, turn and
//     turnTerms (picking.go, plan.go), the dominance gap (dominance.go), keep in actions.go,
//     leastPick and leastEnding (bound.go), moves (pace.go), and the oracle in exhaustive_test.go.
//   - A damper: dampingSearch.try (damp.go), dampedBy (plan.go), the dampingKey, leastEnding,
//     allowedDampers, and the oracle.
//   - A way to hold a note: stopsOn (stops.go); to sound it: legatoKind (left.go) and attacksOf.
//   - A hard rule: together and span (stops.go), withBass and slideOver (hands.go), may (left.go),
//     still and situations (damp.go, picking.go).
//
// Each new weight gets its line in docs/model.md and a case in TestTerms.
package plan
