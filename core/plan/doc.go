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
//     heel lies on the strings, where the resting digits lie (trellis.Pick).
//   - live: the bass strings that ring on. ringIn: what rings into a moment once the left hand has
//     moved: live strings and strings whose note is over.
//   - state: hand, live strings and picking state after a moment: all that the next can feel.
//   - action: a choice of the picking hand: bass option, digits, heel, resting place, damping.
//   - damping: how the strings that must be silent are silenced one by one, or left to leak.
//   - situation: all that the picking hand's choices with a bass option depend on; the catalogue
//     lists them once for each, without prices.
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
// The least total is a shortest path over the states, which package trellis finds: a hand is its node, live strings its tag, a shape
// its view. lattice.go lays the moments out as numbers, catalogue.go the picking hand's choices, bound.go what those cost at least.
// Tunes of up to fullMoments are searched within that bound, longer ones in full. Once anything is asked about a plan the lattice
// around it is kept: what every other choice costs is read there (alternatives.go), and a plan for a request that differs little is
// an edit of it (edit.go).
//
// The fingers that players see are found afterwards, for the places that were found: fingers.go and package fingering.
//
// # What must hold
//
//   - The search and the reasons take their costs from the same lines: a tally gives the sum to the
//     one and the terms to the other, and choiceFrom finds the choice behind a step again.
//   - The bound never exceeds the true cost (TestBound).
//   - A plan made from another is the plan made from nothing, and answers every question alike (TestFrom).
//   - A list of the catalogue depends on no pitch, time or pin.
//   - A model does not change once it is made, but for caches behind the plan's lock: plans share its moments.
//   - A Plan is safe for concurrent use: what is worked out on demand is guarded by its lock.
//
// # Where a new rule goes
//
//   - A cost of one hand at one moment: holdCost (hands.go). It reaches bounds by itself.
//   - A cost of going from hand to hand: changeCost or beginCost (left.go). By itself, too.
//   - A cost of a bass note by itself: bassOptions (bass.go); leastBass and leastPick read it there.
//   - A cost that depends on the picking state touches three places: the state (trellis.Pick and placeOf), its prices (turnAfter and
//     layPlaces in lattice.go, from which debts follow), and its terms (turnTerms in choice.go). What it says of times is in pace.go.
//   - A damper: dampingSearch.try (damp.go), dampedBy (choice.go), the situation (catalogue.go), leastEnding,
//     allowedDampers, and the oracle.
//   - A way to hold a note: stopsOn (stops.go); to sound it: legatoKind (left.go) and attacksOf.
//   - A hard rule: together and span (stops.go), withBass and slideOver (hands.go), may (left.go),
//     still and situations (damp.go, picking.go).
//   - What a moment depends on: alikeAt (edit.go), or an edit takes over what has changed.
//
// Each new weight gets its line in docs/model.md and a case in TestTerms.
package plan
