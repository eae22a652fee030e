package plan

import (
	"stepping/core/play"
)

// tally adds up a cost; by, if not nil, takes it by term too. The search wants the sum
// alone, the reasons want the terms, and both must come from the same lines.
type tally struct {
	sum float64
	by  *play.Terms
}

func (y *tally) add(t play.Term, x float64) {
	x = play.Exact(x)
	y.sum += x
	if y.by != nil {
		y.by[t] += x
	}
}

// Weights of the model, in cost units: 1 is about the nuisance of a clearly awkward
// change or a clearly heard leak. Times are seconds, lengths mm. Each stands in
// docs/model.md with its reason.
const (
	// Width that counts as on target for a fretting fingertip: a share of the fret gap.
	fretTarget = 0.5
	// Hand movements below this are finger play, not a shift.
	stillMM = 6.0
	// shift = wShift·ratio² + wLate·max(0, ratio − 1)², ratio = need / time there is.
	wShift = 0.9
	wLate  = 6.0
	// After this long without touching the neck, the hand may be anywhere.
	freeSeconds = 1.5

	wStretch    = 0.6  // · (span / allowed span)²
	barEffort   = 0.35 // one finger over several strings
	thumbEffort = 0.3  // thumb over the neck
	bodyJoint   = 12   // beyond this fret (from the capo) the guitar's body is in the hand's way
	wBody       = 0.06 // per fret beyond it

	bendQuarter = 0.4 // pushing a string a quarter tone up
	bendHalf    = 0.6
	bendWhole   = 0.9
	bendPitch   = 0.3  // hitting the pitch of a bend
	bendHook    = 0.35 // the picking hand bends instead, its thumb across the strings
	wHarmonic   = 0.6  // a bell tone in the middle of a line
	harmonicAim = 0.1  // touching the node
	wSlant      = 0.5  // · slant / steepest slant: two pitches to hit at once
	tipAngle    = 0.25 // the slide angled so that only its tip touches
	wTap        = 0.55 // a picking finger tapping on the neck
	wHammer     = 0.12
	wGhost      = 0.9 // hammered from nowhere: the finger alone must sound the string
	wPull       = 0.14
	wBendOn     = 0.1  // a bend begun or released while the note sounds
	wGlideOn    = 0.14 // the slide carried on to the next pitch without a new stroke
	glidePer    = 0.03 // per half step of it
	glideMost   = 7    // half steps that a note carries
	scoopFrets  = 1    // a glide into a note begins this many frets away
	wScoop      = 0.16 // gliding into a note
	scoopTime   = 0.12 // seconds that it takes
	scoopNeeds  = 0.40 // seconds: a shorter note is over before it is in tune
	peakPlain   = 0.22 // a phrase peak struck dead on the wire instead
	wWith       = 0.5  // share of tone that a lower voice counts

	landOn   = 0.22
	landOff  = 0.10
	landTime = 0.16 // seconds to set the slide down quietly
	wLand    = 0.5  // · (landTime / time there is)²

	stringStep = 0.05 // per string that the melody moves
	fingerHop  = 0.18 // a finger that must leave one string for another

	// A slide note shorter than this does not bloom, a fretted one as long dies away.
	slideNeeds    = 0.45
	wShortSlide   = 1.4
	wLongFretted  = 0.55
	longNote      = 1.2 // seconds from which a note counts as fully long
	wPhraseEnd    = 0.35
	openSustained = 0.85 // an open string sings longer than a fretted note, but has no vibrato

	wIntonation = 0.12 // · (comfortable window / window), both mm
	easyWindow  = 3.0
	wBeyond     = 0.3  // per fret beyond the last one: no wire to aim at
	coverMove   = 0.04 // per string that the tip moves across: the slide may slip off the wire

	wClash    = 0.8
	droneEase = 0.3 // what remains of a clash when the player welcomes a home drone
	wPattern  = 0.8
	wDropped  = 2.0
	wDropOne  = 0.8 // more, on beat 1
	wRingsOn  = 0.4 // a root left out over its new chord, half a beat after it may have arrived, while it rings
	wDropHit  = 1.2 // percussion left out
	cutBass   = 0.3 // a fretted bass note let go before the next stroke

	thumbMelody = 0.25 // the thumb plucking melody
	wSpread     = 0.08 // per string that two neighbouring digits lie further apart than two
	wFlick      = 0.15 // the index or middle finger flicking outward beside a slap
	wShallow    = 0.7  // keeping that so shallow that it catches one string more at most
	wBrush      = 0.3  // one digit brushing several strings

	wLeak      = 1.6  // · strength of a string left ringing
	wLapLeak   = 6.4  // the same for a lap-style player, who stops each string as the next speaks
	consonant  = 0.4  // share left if its note belongs to the chord
	wSympathy  = 0.06 // · agreement of overtones
	slideTouch = 0.05 // a string under the slide that is not played
	behindRing = 0.10 // the length behind the slide, nothing trailing

	heelFall     = 0.07 // the heel coming down on the strings, supported at the bridge
	heelFloat    = 0.12 // the same from a floating or planted hand
	heelLift     = 0.02
	heelEffort   = 0.02 // per string covered
	stopEffort   = 0.09 // a digit coming down on a string to stop it
	stopReach    = 0.01 // per string away from the digit's usual one
	stopOwn      = 0.05 // the digit that just played that string falling back on it
	littleEffort = 0.12 // the picking hand's little finger laid on a string
	restEffort   = 0.07 // the thumb laid on its strings
	restDown     = 0.04 // i, m, a coming to rest, each on a string of its own
	restShift    = 0.01 // per string that they move together
	restHold     = 0.01 // per digit that rests
	restStop     = 0.05 // a digit resting on a string that was ringing
	fingerTouch  = 0.06 // a fretting finger touching a string beside it
	underTouch   = 0.05 // its underside lying on one further thinner string
	spareEffort  = 0.12 // a spare finger laid on a string
	overEffort   = 0.15 // the thumb over the neck touching string 6
	tiltEffort   = 0.08 // a lap-style bar tilted to cut a string off
	trailEffort  = 0.04
	trailPer     = 0.01 // per string that trailing fingers lie across
	trailMove    = 0.03 // per string that their edge moves
	wLean        = 0.7  // a note against the player's lean
	freeTrailing = 3    // strings that trailing fingers may lie across beside a playing thumb
)

// overTime is the convex cost of a movement that needs need seconds when avail are there.
func overTime(need, avail float64) float64 {
	r := need / max(avail, 1e-3)
	late := max(0, r-1)
	return wShift*r*r + wLate*late*late
}
