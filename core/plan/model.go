package plan

import (
	"math"
	"sort"

	"stepping/core/chord"
	"stepping/core/neck"
	"stepping/core/pitch"
	"stepping/core/quiet"
	"stepping/core/thumb"
	"stepping/core/tune"
)

// model is a request prepared for the search: its moments with their candidates.
type model struct {
	req    *Request
	neck   neck.Neck
	school quiet.School
	clock  tune.Clock

	moments     []moment
	places      [][]place // of each melody note, pins applied
	noteSeconds []float64 // length of each melody note
	phraseEnd   []bool
	sympathy    map[pitch.Pitch][7]float64 // per open string, cache

	arena    []step   // the steps of one moment
	pool     []*right // reused by rights
	tables   []*stopTable
	arrivals []tailGrid // reused by arrive
}

// moment is one onset.
type moment struct {
	at       tune.Time
	sec      float64
	note     int // melody note that begins, -1 if none
	sounding int // melody note that sounds: begins or goes on; -1 in a rest
	ended    int // melody note that stopped since the last moment without another in its place, or was followed by note; -1
	stroke   *thumb.Stroke
	chord    chord.Chord
	tones    uint16 // the chord's pitch classes, bit 0 is C

	bassPlaces []thumb.Place // of this stroke, or of the last one
	pin        *Pin          // of the thumb stroke
	anchored   []hand
	bare       []hand
	hands      []hand // anchored, and bare with every position it may come from
	// Tables for the right hand.
	froms uint8 // digits that may have plucked last, one bit each; set by forward
	pluck [digitStates][digitA + 1][7]float64
	leak  leakPrice

	since    float64 // seconds since the last melody onset, for digit repeats
	endedFor float64 // seconds since the ended note was struck
}

// newModel prepares r; its errors are *RangeError or plain validation errors.
func newModel(r *Request) (*model, error) {
	if err := r.check(); err != nil {
		return nil, err
	}
	m := &model{
		req: r, neck: r.Player.Neck(), school: quiet.SchoolOf(r.Player), clock: r.Tune.Clock(r.Tempo),
		phraseEnd: r.Tune.PhraseEnds(), sympathy: map[pitch.Pitch][7]float64{},
	}
	if err := m.findPlaces(); err != nil {
		return nil, err
	}
	m.layMoments()
	if err := m.applyPins(); err != nil {
		return nil, err
	}
	for t := range m.moments {
		mo := &m.moments[t]
		mo.anchored, mo.bare = m.hands(t)
		mo.pluck, mo.leak = m.newPluck(mo), m.newLeakPrice(mo)
	}
	return m, nil
}

// has reports whether p is a tone of the moment's chord.
func (mo *moment) has(p pitch.Pitch) bool {
	midi, _ := p.Nearest()
	return mo.tones>>(uint(midi)%12)&1 != 0
}

func (m *model) findPlaces() error {
	var out RangeError
	for _, n := range m.req.Tune.Notes {
		pl := places(m.req, n.Note.Pitch())
		if len(pl) == 0 {
			out.Notes = append(out.Notes, OutOfRange{n, m.req.Tune.BarOver(n.At) + 1, m.outBy(n.Note.Pitch())})
		}
		m.places = append(m.places, pl)
		m.noteSeconds = append(m.noteSeconds, m.clock.Seconds(n.End())-m.clock.Seconds(n.At))
	}
	if len(out.Notes) > 0 {
		return &out
	}
	return nil
}

// outBy returns how many half steps p is outside the range, rounded away from zero.
func (m *model) outBy(p pitch.Pitch) int {
	low, high := pitch.Pitch(math.MaxInt32), pitch.Pitch(0)
	for s := 1; s <= 6; s++ {
		low, high = min(low, m.req.Tuning.Open(s)), max(high, m.req.Tuning.Open(s))
	}
	low += pitch.Midi(m.req.Capo)
	high += pitch.Midi(m.req.Player.Instrument.Frets)
	switch {
	case p < low:
		return -int((low - p + 99) / 100)
	case p > high:
		return int((p - high + 99) / 100)
	}
	return 0
}

// layMoments merges melody onsets and thumb strokes into moments.
func (m *model) layMoments() {
	tu := m.req.Tune
	at := map[tune.Time]*moment{}
	get := func(t tune.Time) *moment {
		if at[t] == nil {
			c := tu.ChordOver(t)
			at[t] = &moment{at: t, sec: m.clock.Seconds(t), note: -1, sounding: -1, ended: -1, chord: c, tones: c.Classes()}
		}
		return at[t]
	}
	for i, n := range tu.Notes {
		get(n.At).note = i
	}
	strokes := thumb.Strokes(tu, m.req.Thumb)
	for i := range strokes {
		get(strokes[i].At).stroke = &strokes[i]
	}
	times := make([]tune.Time, 0, len(at))
	for t := range at {
		times = append(times, t)
	}
	sort.Slice(times, func(i, j int) bool { return times[i] < times[j] })
	for _, t := range times {
		m.moments = append(m.moments, *at[t])
	}
	m.followMelody()
	m.followThumb()
}

// followMelody fills sounding, ended, since and endedFor.
func (m *model) followMelody() {
	notes := m.req.Tune.Notes
	last, open := -1, false // last note begun; not yet ended
	lastSec := math.Inf(-1)
	for t := range m.moments {
		mo := &m.moments[t]
		over := last >= 0 && notes[last].End() <= mo.at
		if open && (over || mo.note >= 0) {
			mo.ended, mo.endedFor, open = last, mo.sec-lastSec, false
		}
		mo.since = mo.sec - lastSec
		if mo.note >= 0 {
			last, open, lastSec = mo.note, true, mo.sec
		}
		if open {
			mo.sounding = last
		}
	}
}

func (m *model) followThumb() {
	type key struct {
		chord string
		role  thumb.Role
	}
	cache := map[key][]thumb.Place{}
	var last []thumb.Place
	for t := range m.moments {
		mo := &m.moments[t]
		if mo.stroke != nil {
			k := key{mo.chord.Name, mo.stroke.Role}
			if cache[k] == nil {
				cache[k] = thumb.Places(m.req.Tuning, m.req.Capo, mo.chord, k.role)
			}
			last = cache[k]
		}
		mo.bassPlaces = last
	}
}

// sympathyOf returns how strongly each open string (index 1 … 6) rings with p.
func (m *model) sympathyOf(p pitch.Pitch) [7]float64 {
	v, ok := m.sympathy[p]
	if !ok {
		for s := 1; s <= 6; s++ {
			v[s] = quiet.Sympathy(m.open(s), p)
		}
		m.sympathy[p] = v
	}
	return v
}

// open returns the pitch of string s behind the capo.
func (m *model) open(s int) pitch.Pitch { return m.req.Tuning.Open(s) + pitch.Midi(m.req.Capo) }

// applyPins removes every place that a pin rules out.
func (m *model) applyPins() error {
	for _, p := range m.req.Pins {
		mo := m.momentAt(p.At)
		if mo == nil {
			return &PinError{[]Pin{p}, "nothing begins at " + p.At.String() + " quarter notes: the pin there has no note"}
		}
		var err error
		if p.Part == Thumb {
			err = m.pinThumb(mo, p)
		} else {
			err = m.pinMelody(mo, p)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (m *model) momentAt(at tune.Time) *moment {
	i := sort.Search(len(m.moments), func(i int) bool { return m.moments[i].at >= at })
	if i == len(m.moments) || m.moments[i].at != at {
		return nil
	}
	return &m.moments[i]
}

func (m *model) pinMelody(mo *moment, p Pin) error {
	if mo.note < 0 {
		return &PinError{[]Pin{p}, "no melody note begins at " + p.At.String() + " quarter notes"}
	}
	var kept []place
	for _, pl := range m.places[mo.note] {
		if pl.str == p.String && pl.how == p.How && math.Abs(pl.fret-p.Fret) < 0.005 && (p.Finger == 0 || p.Finger == pl.finger) {
			kept = append(kept, pl)
		}
	}
	if len(kept) == 0 {
		return &PinError{[]Pin{p}, m.describePin(p) + " is not a place where this note can be played"}
	}
	m.places[mo.note] = kept
	return nil
}

// pinThumb keeps the one bass place that the pin names, or none for Drop. Which string
// under the slide may be played is settled with the hand, in bassOptions.
func (m *model) pinThumb(mo *moment, p Pin) error {
	if mo.stroke == nil {
		return &PinError{[]Pin{p}, "the thumb does not play at " + p.At.String() + " quarter notes"}
	}
	mo.pin = &p
	var kept []thumb.Place
	for _, pl := range mo.bassPlaces {
		if pl.String == p.String && float64(pl.Fret) == p.Fret && (p.How == Open) == (pl.Fret == m.req.Capo) {
			kept = append(kept, pl)
		}
	}
	mo.bassPlaces = kept
	if len(kept) == 0 && (p.How == Open || p.How == Fret) {
		return &PinError{[]Pin{p}, m.describePin(p) + " does not fill the thumb's role there"}
	}
	return nil
}

func (m *model) describePin(p Pin) string {
	bar := m.req.Tune.BarOver(p.At) + 1
	return pinText(p, bar, m.req.Capo)
}
