package rank

import (
	"slices"
	"strings"

	"stepping/core/chord"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Costs in the planner's units, and how many of the first shapes are proved.
const (
	perTurned  = 0.15 // each half step of retuning, to one who slides; twice that where nothing is slid
	perCapo    = 0.25 // each fret of the capo
	perHigh    = 2.5  // more for each fret beyond highCapo, under a slide
	fretCapo   = 2.5  // the same two where nothing is slid: a capo is for a key that has no easy shapes
	fretHigh   = 4.0
	highCapo   = 3
	perFret    = 0.1  // each fretted melody note, for each fret of the capo: the hand lies as far up the neck as it does without
	perHome    = 12.0 // no open string belongs to the chord of home, under a slide
	perRoot    = 1.2  // home's root is not on string 6 or 5 but on 4; twice that if on none
	perDropped = 5.0  // a string dropped to another note than home's root, where nothing is slid
	perDrone   = 6.0  // no open string sounds home's root or fifth, for a tune of one chord over a steady thumb
	perOwn     = 4.0  // a tuning that the player does not know
	perShapes  = 4.5  // a tuning in which the shapes of standard are lost, without a slide, over manyChords
	riskFrom   = 0.7  // share of strength above which tightening counts
	perRisk    = 20.0 // for each whole of strength above it
	perSlow    = 10.0 // for each whole by which the wanted tempo exceeds the ceiling
	ProvedTop  = 10
	farthest   = 6 // half steps that a tune is moved at most, either way
)

// manyChords is the number of chords from which a fretting player misses the shapes of standard most.
const manyChords = 5

// perBar is what it costs if no chord of the tune lies under a straight bar: it is what a slide gives whole
// chords, drones and doubled notes with.
const perBar = 3.0

// perNote is what each note costs a slide where no straight bar gives home: there is no place to come back to.
const perNote = 0.2

// homeShare is how much sooner than its part of the melody a slide wants home on the open strings: who slides most of the notes
// retunes for it as one does who slides them all.
const homeShare = 5.0 / 3

// fretHome is the share of perHome and perRoot that counts where nothing is slid and the tuning is no standard or dropped one.
const fretHome = 0.4

// droneChords is the number of chords from which a tune has no drone.
const droneChords = 4

// usualNotes is the length of tune in notes that the costs are weighed for. What a tuning costs by the note counts as many
// times more as a tune is longer.
const usualNotes = 32

// slideShare is how much of the melody is for the slide, by the player's lean.
var slideShare = map[string]float64{player.LeanSlide: 1, player.LeanMixed: 0.6, player.LeanMain: 0.45, player.LeanFret: 0.3, player.LeanNone: 0}

// keepsShapes reports whether the shapes of standard are left in a tuning.
func keepsShapes(named tuning.Named) bool {
	return named.Family == "standard" || named.Family == "dropped"
}

// freeCapo is how high a capo is no hindrance: a guitar that lies flat takes none gladly.
func freeCapo(p *player.Profile) int {
	if p.Lap() {
		return 0
	}
	return highCapo
}

// home is what it costs that home does not lie on the open strings. A slide player's bar, drones and bass rest on them. One who
// frets retunes for the open chord of home, or drops a string to its root; in standard shapes are home wherever they lie.
func (rk *ranker) home(c *candidate, t tuning.Tuning, slid float64) float64 {
	key := &c.req.Tune.Key
	home := chord.Triad(key.Tonic, key.Minor)
	open := func(s int) pitch.Pitch { return t.Open(s) + pitch.Midi(c.Capo) }
	switch {
	case slid > 0:
		return min(1, homeShare*slid) * (rk.offHome(home, key.Minor, open) + rk.offBass(home, open))
	case c.Tuning.Family == "dropped":
		return perDropped*float64(min(1, home.Interval(open(tuning.Strings)))) + rk.offDrone(home, open)
	case c.Tuning.Family == "standard":
		return rk.offDrone(home, open)
	}
	return fretHome*(rk.offHome(home, key.Minor, open)+rk.offBass(home, open)) + rk.offDrone(home, open)
}

// offHome is the share of the open strings that are no tone of home's chord.
func (rk *ranker) offHome(home chord.Chord, minor bool, open func(int) pitch.Pitch) float64 {
	off := 0
	for s := 1; s <= tuning.Strings; s++ {
		switch {
		case home.Interval(open(s)) == wrongThird(minor):
			off += 8 // it sounds under every bar
		case !home.Has(open(s)):
			off++
		}
	}
	return perHome * float64(off) / tuning.Strings
}

// offBass: the thumb wants the root on string 6 or 5.
func (rk *ranker) offBass(home chord.Chord, open func(int) pitch.Pitch) float64 {
	root := func(s int) bool { return home.IsBass(open(s)) }
	switch {
	case rk.r.Plan.Thumb == pattern.None && len(rk.r.Plan.Sections) == 0, root(6) || root(5):
		return 0
	case root(4):
		return perRoot
	}
	return 2 * perRoot
}

// offDrone: a tune of few chords over a steady thumb lives on a drone: open strings that sound home's root or fifth.
func (rk *ranker) offDrone(home chord.Chord, open func(int) pitch.Pitch) float64 {
	few := 1 - float64(chordsIn(rk.r.Plan.Tune)-1)/(droneChords-1)
	if rk.r.Plan.Thumb != pattern.Steady || few <= 0 {
		return 0
	}
	off := 0
	for s := 1; s <= tuning.Strings; s++ {
		if iv := home.Interval(open(s)); iv != 0 && iv != 7 {
			off++
		}
	}
	return perDrone * few * float64(off) / tuning.Strings
}

// wrongThird is the third that the home chord does not have.
func wrongThird(minor bool) int {
	if minor {
		return 4
	}
	return 3
}

// strange is what a tuning costs that the player does not list, or, if they list none, that few players
// know; without a slide also the loss of the shapes of standard, the more chords there are.
func strange(r *plan.Request, named tuning.Named) (cost float64) {
	p := &r.Player
	usual := named.Usual || p.Lap() && named.Lap
	if len(p.Tunings) > 0 {
		usual = slices.ContainsFunc(p.Tunings, func(name string) bool { return strings.EqualFold(name, named.Name) })
	}
	if !usual {
		cost += perOwn
	}
	if p.Lean == player.LeanNone && !keepsShapes(named) {
		cost += perShapes * min(1, float64(chordsIn(r.Tune))/manyChords)
	}
	return cost
}

// chordsIn counts the chords of a tune, each once.
func chordsIn(tu *tune.Tune) int {
	names := map[string]bool{}
	for _, c := range tu.Chords {
		names[c.Chord.Name] = true
	}
	return max(1, len(names))
}

// underBar is the share of a tune's chords whose tones are all that a straight bar sounds at some fret.
func underBar(tu *tune.Tune, t tuning.Tuning, capo int) float64 {
	var chords []chord.Chord
	for _, c := range tu.Chords {
		chords = append(chords, c.Chord)
	}
	if len(chords) == 0 {
		chords = append(chords, tu.ChordOver(0))
	}
	n := 0
	for _, c := range chords {
		if barred(c, t, capo) {
			n++
		}
	}
	return float64(n) / float64(len(chords))
}

// barred reports whether all that a straight bar sounds at some fret are tones of c.
func barred(c chord.Chord, t tuning.Tuning, capo int) bool {
	for fret := capo; fret <= capo+12; fret++ {
		all := true
		for s := 1; s <= tuning.Strings && all; s++ {
			all = c.Has(t.Open(s) + pitch.Midi(fret))
		}
		if all {
			return true
		}
	}
	return false
}
