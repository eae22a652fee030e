package harmony

import (
	"stepping/core/chord"
	"stepping/core/pitch"
)

// mode is a scale and the chords on its degrees.
type mode struct {
	name   string
	scale  uint16 // half steps above the tonic
	minor  bool   // its third is
	chords []degree
}

// degree is a chord of a mode: half steps of its root above the tonic, its kind, and what it costs by itself.
type degree struct {
	root  int
	kind  string
	prior float64
}

// The modes, those of folk and blues tunes first. What chords cost is judgement: first, fifth and fourth are common, the third is rare.
var modes = []mode{
	{"major", 0b101010110101, false, []degree{{0, "", 0}, {5, "", 0.35}, {7, "7", 0.3}, {7, "", 0.35}, {9, "m", 0.9}, {2, "m", 1.0}, {4, "m", 1.7}}},
	{"minor", 0b010110101101, true, []degree{{0, "m", 0}, {7, "7", 0.45}, {5, "m", 0.5}, {10, "", 0.6}, {8, "", 0.8}, {3, "", 0.8}, {7, "m", 1.2}}},
	{"mixolydian", 0b011010110101, false, []degree{{0, "", 0}, {10, "", 0.4}, {5, "", 0.4}, {7, "", 0.7}, {7, "m", 1.0}, {2, "m", 1.1}, {9, "m", 1.1}}},
	{"dorian", 0b011010101101, true, []degree{{0, "m", 0}, {10, "", 0.4}, {5, "", 0.6}, {7, "m", 0.9}, {3, "", 0.9}, {7, "7", 1.2}, {5, "m", 1.0}}},
	{"phrygian", 0b010110101011, true, []degree{{0, "m", 0}, {1, "", 0.5}, {10, "m", 0.7}, {3, "", 0.8}, {5, "m", 0.8}, {8, "", 0.9}}},
	{"lydian", 0b101011010101, false, []degree{{0, "", 0}, {2, "", 0.5}, {7, "", 0.5}, {9, "m", 0.9}, {11, "m", 1.2}, {4, "m", 1.2}}},
	{"locrian", 0b010101101011, true, []degree{{0, "dim", 0}, {1, "", 0.7}, {3, "m", 0.8}, {5, "m", 0.8}, {8, "", 0.8}, {10, "m", 0.8}}},
	{"blues", 0b010011101001, false, []degree{{0, "7", 0}, {5, "7", 0.35}, {7, "7", 0.5}, {10, "", 1.4}}},
}

// What a note outside the scale costs, per quarter, and what the order in the list adds: the common ones first.
const (
	outside   = 1.0
	perMode   = 0.35
	otherMode = 0.9 // of the other third than the key's own
)

// findMode is the mode that most of the melody and bass belong to, the key's own kind if that is as good. A blues is one by its notes: the
// minor third or the flat fifth next to the major third, or flat sevenths, over a major key.
func (h *search) findMode() *mode {
	var weight [12]float64
	total := 0.0
	for _, n := range h.tune.Notes {
		for _, v := range n.Voices() {
			weight[h.above(v)] += n.Dur.Quarters()
			total += n.Dur.Quarters()
		}
	}
	for _, n := range h.tune.Bass {
		weight[h.above(n.Note)] += n.Dur.Quarters()
		total += n.Dur.Quarters()
	}
	if h.style == Blues && !h.tune.Key.Minor {
		return &modes[len(modes)-1]
	}
	best, least := 0, 0.0
	for i := range modes[:len(modes)-1] {
		m := &modes[i]
		cost := perMode * float64(i)
		if m.minor != h.tune.Key.Minor {
			cost += otherMode * 4
		}
		for step, w := range weight {
			if m.scale>>step&1 == 0 {
				cost += outside * w * 16 / max(total, 16)
			}
		}
		if i == 0 || cost < least {
			best, least = i, cost
		}
	}
	return &modes[best]
}

// Extra chords of the style with more movement, in major and minor: dominants of the second, fifth, sixth and fourth degrees.
var moving = map[bool][]degree{
	false: {{2, "7", 1.1}, {9, "7", 1.2}, {4, "7", 1.3}, {0, "7", 1.2}, {10, "", 1.5}},
	true:  {{2, "7", 1.5}, {0, "7", 1.4}, {10, "7", 1.1}, {5, "", 1.2}},
}

// statesOf are the chords that may stand anywhere.
func (h *search) statesOf() (out []state) {
	list := h.mode.chords
	if h.style == Moving {
		list = append(append([]degree{}, list...), moving[h.mode.minor]...)
	}
	for _, d := range list {
		root := pitch.Spell(pitch.Midi(h.tonic+d.root), h.tune.Key.Flats || h.flat(d.root))
		c, err := chord.Parse(root.ClassName() + d.kind)
		if err != nil {
			panic(err) // every kind of the tables is known
		}
		prior := d.prior
		if h.style == Moving && (d.kind == "m" && !h.mode.minor) {
			prior *= 0.7
		}
		out = append(out, state{c, d.root, prior})
	}
	return out
}

// flat reports whether a degree is spelt with a flat: those below their place in major.
func (h *search) flat(step int) bool {
	switch step {
	case 1, 3, 8, 10:
		return !h.tune.Key.Minor || h.tune.Key.Flats
	}
	return false
}
