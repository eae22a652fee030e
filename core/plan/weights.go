package plan

import "stepping/core/fingering"

// Weights of the model, in cost units: 1 is about the nuisance of a clearly awkward change or a clearly
// heard leak. Times are seconds, lengths mm. Each is in docs/model.md with its reason.
type Weights struct {
	// Width that counts as on target for a fretting fingertip: a share of the fret gap.
	FretTarget float64
	// Hand movements below this are finger play, not a shift.
	StillMM float64
	// shift = wShift·ratio² + wLate·max(0, ratio − 1)², ratio = need / time there is.
	Shift     float64
	Late      float64
	FretShift float64 // share of both for fingers that fret
	// After this long without touching the neck, the hand may be anywhere.
	FreeSeconds float64

	Stretch     float64 // · (span / allowed span)²
	BarEffort   float64 // one finger over several strings
	ThumbEffort float64 // thumb over the neck
	BodyJoint   float64 // beyond this fret (from the capo) the guitar's body is in the hand's way
	Body        float64 // per fret beyond it

	BendQuarter float64 // pushing a string a quarter tone up
	BendHalf    float64
	BendWhole   float64
	BendPitch   float64 // hitting the pitch of a bend
	BendHook    float64 // the picking hand bends instead, its thumb across the strings
	Harmonic    float64 // a bell tone in the middle of a line
	HarmonicAim float64 // touching the node
	Slant       float64 // · slant / steepest slant: two pitches to hit at once
	TipAngle    float64 // the slide angled so that only its tip touches
	Tap         float64 // a picking finger tapping on the neck
	Hammer      float64
	Ghost       float64 // hammered from nowhere: the finger alone must sound the string
	Pull        float64
	BendOn      float64 // a bend begun or released while the note sounds
	GlideOn     float64 // the slide carried on to the next pitch without a new stroke
	GlidePer    float64 // per half step of it
	Scoop       float64 // gliding into a note
	ScoopTime   float64 // seconds that it takes
	ScoopNeeds  float64 // seconds: a shorter note is over before it is in tune
	PeakPlain   float64 // a phrase peak struck dead on the wire instead
	With        float64 // share of tone that a lower voice counts

	LandOn   float64
	LandOff  float64
	LandTime float64 // seconds to set the slide down quietly
	Land     float64 // · (landTime / time there is)²

	StringStep float64 // per string that the melody moves
	PairStep   float64 // per string that the second voice moves between two notes together
	RingCut    float64 // a note on the string of the last one, which would have rung on
	FingerHop  float64 // a finger that must leave one string for another

	// A slide note shorter than this does not bloom, a fretted one as long dies away.
	SlideNeeds    float64
	ShortSlide    float64
	LongFretted   float64
	LongNote      float64 // seconds from which a note counts as fully long
	PhraseEnd     float64
	OpenSustained float64 // an open string sings longer than a fretted note, but has no vibrato

	Intonation float64 // · (comfortable window / window), both mm
	EasyWindow float64
	Beyond     float64 // per fret beyond the last one: no wire to aim at
	CoverMove  float64 // per string that the tip moves across: the slide may slip off the wire
	CoverHeld  float64 // the same while a note is held under it

	Clash     float64
	DroneEase float64 // what remains of a clash when the player welcomes a home drone
	Pattern   float64
	Dropped   float64
	DropOne   float64 // more, on beat 1
	RingsOn   float64 // a root left out over its new chord, half a beat after it may have arrived, while it rings
	DropHit   float64 // percussion left out
	CutBass   float64 // a fretted bass note let go before the next stroke
	CutNote   float64 // a written bass note that does not last as long as it is written, per quarter that it lacks

	ThumbMelody float64 // the thumb plucking melody
	Spread      float64 // per string that two neighbouring digits lie further apart than two
	Flick       float64 // the index or middle finger flicking outward next to a slap
	Shallow     float64 // keeping that so shallow that it catches one string more at most
	Brush       float64 // one digit brushing several strings

	Leak       float64 // · strength of a string left ringing
	LapLeak    float64 // the same for a lap-style player, who stops each string as the next speaks
	Consonant  float64 // share left if its note belongs to the chord
	Sympathy   float64 // · agreement of overtones
	SlideTouch float64 // a string under the slide that is not played
	BehindRing float64 // the length behind the slide, nothing trailing

	HeelFall     float64 // the heel coming down on the strings, supported at the bridge
	HeelFloat    float64 // the same from a floating or planted hand
	HeelLift     float64
	HeelEffort   float64 // per string covered
	HeelSchool   float64 // share of what the heel costs to a player of its school
	StopEffort   float64 // a digit coming down on a string to stop it
	StopReach    float64 // per string away from the digit's usual one
	StopOwn      float64 // the digit that just played that string falling back on it
	LittleEffort float64 // the picking hand's little finger laid on a string
	RestEffort   float64 // the thumb laid on its strings
	RestDown     float64 // i, m, a coming to rest, each on a string of its own
	RestShift    float64 // per string that they move together
	RestHold     float64 // per digit that rests
	RestStop     float64 // a digit resting on a string that was ringing
	FingerTouch  float64 // a fretting finger touching a string next to it
	UnderTouch   float64 // its underside lying on one further thinner string
	SpareEffort  float64 // a spare finger laid on a string
	OverEffort   float64 // the thumb over the neck touching string 6
	TiltEffort   float64 // a lap-style bar tilted to cut a string off
	TrailEffort  float64
	TrailPer     float64 // per string that trailing fingers lie across
	TrailMove    float64 // per string that their edge moves
	Lean         float64 // a note against the player's lean

	Cramped     float64 // per fret that two fingers lie closer together than one fret a finger
	NeckPer     float64 // a fretted note, per fret from the nut or capo
	BassNeck    float64 // a stopped bass note, per fret from the nut or capo, when it is struck
	SlideString float64 // a slide note, per string from string 1
	SlideFret   float64 // per fret from the nut or capo
	SlideLow    float64 // per fret below lowFret, where strings are stiff and thin
	SlideAway   float64 // the same where neither the string nor the open strings are home
	OffBox      float64 // off every bar, but in the box over one
	OffBar      float64 // off every fret at which a bar sounds the chord
	AtHome      float64 // any note at home in standard tuning
	OpenBar     float64 // an open string whose note lies under the chord's bar, too
	OffPosition float64 // per fret outside the position that the player asks for, two at most
	Leap        float64 // per 100 mm that the hand moves beyond leapFree, whatever the time
	QuickWindow float64 // times the in-tune window for a short note
	QuickNote   float64 // seconds: up to here a note is short, from twice that on it must be dead in tune
	ToolChange  float64 // the slide taken up or laid by within a phrase
	ToolOpen    float64 // laid by for an open string
	SlurLong    float64 // a hammered or pulled note twice as long as a slur may be, or longer
	SlurNeeds   float64 // seconds that a slurred note may last
	SlurBeat    float64 // a hammered or pulled note on a beat
	SlurBar     float64 // … more where a bar or chord begins
	LeanPeaks   float64 // slide for the peaks: slid elsewhere
	MixedLong   float64 // seconds from which a mixed player slides a note
	MixedFret   float64 // such a note, a peak or one under the bar, fretted
	MixedSlide  float64 // a shorter one off the bar, slid

	// What marks of a note ask for.
	VibratoFree  float64 // a note marked vibrato that nothing holds: an open string, a harmonic
	VibratoFret  float64 // one held by a finger, whose vibrato is narrow
	ScoopFret    float64 // a note marked as scooped that is fretted or open
	ScoopPlain   float64 // one struck dead on the wire with the slide
	AccentRing   float64 // an accent by the ring finger
	AccentLegato float64 // an accent that no digit strikes

	fingering.Prices // of the fingers that hold the places
}

// MostFactor bounds the range of every weight: fits move none further from the one in force, up or down,
// and what must hold of plans holds anywhere in it.
const MostFactor = 2.0

// inForce are the weights that plans are made with.
var inForce = Weights{
	FretTarget:  0.5,
	StillMM:     6,
	Shift:       0.9,
	Late:        6,
	FretShift:   2.5,
	FreeSeconds: 1.5,

	Stretch:     0.6,
	BarEffort:   0.364,
	ThumbEffort: 0.3,
	BodyJoint:   12,
	Body:        0.06,

	BendQuarter: 0.4,
	BendHalf:    0.6,
	BendWhole:   0.9,
	BendPitch:   0.3,
	BendHook:    0.35,
	Harmonic:    0.6,
	HarmonicAim: 0.1,
	Slant:       0.5,
	TipAngle:    0.25,
	Tap:         0.55,
	Hammer:      0.0269,
	Ghost:       0.9,
	Pull:        0.03,
	BendOn:      0.1,
	GlideOn:     0.14,
	GlidePer:    0.03,
	Scoop:       0.16,
	ScoopTime:   0.12,
	ScoopNeeds:  0.4,
	PeakPlain:   0.22,
	With:        0.5,

	LandOn:   0.33,
	LandOff:  0.1,
	LandTime: 0.16,
	Land:     0.5,

	StringStep: 0.05,
	PairStep:   0.15,
	RingCut:    0.3,
	FingerHop:  0.14,

	SlideNeeds:    0.187,
	ShortSlide:    6,
	LongFretted:   0.825,
	LongNote:      1.2,
	PhraseEnd:     0.35,
	OpenSustained: 0.45,

	Intonation: 0.12,
	EasyWindow: 3,
	Beyond:     0.3,
	CoverMove:  0.04,
	CoverHeld:  0.12,

	Clash:     0.8,
	DroneEase: 0.3,
	Pattern:   2.2,
	Dropped:   3,
	DropOne:   1.2,
	RingsOn:   0.4,
	DropHit:   1.2,
	CutBass:   0.3,
	CutNote:   0.6,

	ThumbMelody: 0.25,
	Spread:      0.08,
	Flick:       0.15,
	Shallow:     0.7,
	Brush:       0.3,

	Leak:       1.07,
	LapLeak:    6.4,
	Consonant:  0.4,
	Sympathy:   0.06,
	SlideTouch: 0.05,
	BehindRing: 0.1,

	HeelFall:     0.07,
	HeelFloat:    0.12,
	HeelLift:     0.02,
	HeelEffort:   0.02,
	HeelSchool:   0.3,
	StopEffort:   0.09,
	StopReach:    0.01,
	StopOwn:      0.05,
	LittleEffort: 0.12,
	RestEffort:   0.07,
	RestDown:     0.04,
	RestShift:    0.01,
	RestHold:     0.01,
	RestStop:     0.05,
	FingerTouch:  0.06,
	UnderTouch:   0.05,
	SpareEffort:  0.12,
	OverEffort:   0.15,
	TiltEffort:   0.08,
	TrailEffort:  0.04,
	TrailPer:     0.01,
	TrailMove:    0.03,
	Lean:         2.1,

	Cramped:     0.0313,
	NeckPer:     0.06,
	BassNeck:    0.0501,
	SlideString: 0.075,
	SlideFret:   0.0187,
	SlideLow:    0.1,
	SlideAway:   0.35,
	OffBox:      0.2,
	OffBar:      0.336,
	AtHome:      0.05,
	OpenBar:     0.35,
	OffPosition: 0.4,
	Leap:        0.4,
	QuickWindow: 3.5,
	QuickNote:   0.35,
	ToolChange:  0.8,
	ToolOpen:    0.15,
	SlurLong:    0.2,
	SlurNeeds:   0.35,
	SlurBeat:    0.1,
	SlurBar:     0.2,
	LeanPeaks:   1.2,
	MixedLong:   0.4,
	MixedFret:   0.4,
	MixedSlide:  0.4,

	VibratoFree:  1.2,
	VibratoFret:  0.25,
	ScoopFret:    0.9,
	ScoopPlain:   0.7,
	AccentRing:   0.35,
	AccentLegato: 0.6,

	Prices: fingering.InForce,
}
