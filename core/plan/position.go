package plan

import (
	"math/bits"

	"stepping/core/chord"
	"stepping/core/play"
	"stepping/core/player"
)

// frets is a set of frets above the capo, bit n for fret n.
type frets uint32

func (f frets) has(at float64) bool { return at == float64(int(at)) && at < 32 && f>>int(at)&1 != 0 }

// positionAt returns the frets of the position that begins at a fret above the capo.
func positionAt(at int) frets { return (1<<play.PositionFrets - 1) << at }

// homePosition returns the frets at which a slide player's hand is at home in a tuning that no straight bar over strings 1 to 4
// turns into the tonic's chord: the boxes over the bars that sound it on three strings, in standard frets 5 to 8 for A minor,
// 12 to 15 for E minor, known from fretting. Elsewhere places are counted by bars, and it is 0, as without a slide.
func (m *model) homePosition() (home frets) {
	if lean := m.req.Player.Lean; !m.req.Tune.Key.Minor || m.req.Player.Lap() || lean == player.LeanFret || lean == player.LeanNone {
		return 0
	}
	key := m.req.Tune.Key
	tones := chord.Triad(key.Tonic, key.Minor).Classes()
	bars := m.barFrets(tones)
	for at := range 12 {
		switch {
		case bars>>at&1 == 0:
		case m.fullBar(tones, at):
			return 0
		case at == 0: // the open strings
			home |= positionAt(12)
		default:
			home |= positionAt(at)
		}
	}
	return home
}

// fullBar reports whether a straight bar at a fret above the capo sounds nothing but tones on strings 1 to 4.
func (m *model) fullBar(tones uint16, at int) bool {
	for s := 1; s <= 4; s++ {
		if midi, _ := m.open(s).Nearest(); tones>>(uint(int(midi)+at)%12)&1 == 0 {
			return false
		}
	}
	return true
}

// outside returns how many frets a fret above the capo lies outside the position, 2 at most. Open strings belong to low positions.
func (f frets) outside(at float64) float64 {
	if f == 0 {
		return 0
	}
	low, high := float64(bits.TrailingZeros32(uint32(f))), float64(bits.Len32(uint32(f))-1)
	if at == 0 && low <= openPositions {
		return 0
	}
	return min(2, max(low-at, at-high, 0))
}

// openPositions are the positions up to which open strings are played along.
const openPositions = 3
