package grip

// Weights of a grip and of a change, in cost units like the planner's: 1 is about the nuisance of a
// clearly awkward hold or change. docs/model.md gives each with its reason.
const (
	wStretch     = 0.3  // · (span / allowed span)² of the widest pair of fingers
	wCramped     = 0.03 // per fret that the fingers lie closer or further apart than one a fret
	fingerEffort = 0.04 // each finger that frets
	barEffort    = 0.13 // one finger over two strings
	barPer       = 0.02 // each string more
	barOther     = 0.08 // by another finger than the first
	barOtherPer  = 0.2  // each string more: only the first finger lies straight across the neck
	wovenPer     = 0.1  // two fingers at one fret with a higher one held further up between them, per string apart beyond two
	overEffort   = 0.3  // the thumb over the neck
	overReach    = 7    // highest fret above the capo for it
	upNeck       = 0.05 // per fret between capo and hand
	wSpread      = 0.08 // per fret between the outermost fingers
	BehindNut    = 0.03 // a finger so low that the index finger's place would lie behind the nut
	upFinger     = 0.04 // per fret between the capo and each fret that fingers hold
	strayOpen    = 0.12 // an open string next to a hand whose index would lie at strayFrom or beyond
	strayPer     = 0.06 // … and per fret further
	lonelyOpen   = 0.15 // a single open string between two that are fretted at lonelyFrom or beyond
	lonelyFrom   = 3    // frets above the capo
	strayFrom    = 2    // frets above the capo
	strayAltered = 1    // more in an altered tuning
	notSilenced  = 0.08 // a left-out string that only the picking hand avoids

	outThick = 0.06 // a left-out string thicker than all that sound
	outThin  = 0.3  // one thinner than all that sound
	outInner = 0.7  // one between

	bassFifth = 0.6  // the fifth lowest instead of the root
	bassOther = 0.9  // another tone lowest
	lacksTone = 0.12 // each tone that may be left out and is
	noRoot    = 0.5  // no thumb string has the root
	thumbFit  = 0.3  // · fit of the best alternate string

	// Limits of what counts as a grip.
	highestHand = 12 // frets above the capo at which the lowest finger may lie
	mostInner   = 1  // left-out strings between sounding ones
	leastSound  = 3  // strings that sound, 2 for two-tone chords

	// A change of grips.
	fingerDown  = 0.08  // a finger put down
	fingerUp    = 0.02  // a finger lifted
	fingerSlide = 0.001 // per mm of a finger that moves, at most as much as lifting it and putting it down
	handShift   = 0.006 // per mm that the hand moves along the neck
)
