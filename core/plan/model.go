package plan

import (
	"maps"
	"math"
	"slices"
	"sort"

	"stepping/core/chord"
	"stepping/core/fingering"
	"stepping/core/neck"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan/internal/trellis"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
)

// model is a request prepared for the search: its moments with their candidates.
type model struct {
	req    *Request
	w      *Weights
	neck   neck.Neck
	school ring.School
	home   frets // where a slide player in standard tuning is at home
	clock  tune.Clock

	moments     []moment
	bass        bool            // the thumb plays at all
	modal       bool            // its drone goes on through changes, see isModal
	voicings    [][]voicing     // of each melody note, pins applied
	voices      [][]pitch.Pitch // of each melody note
	noteSeconds []float64       // length of each melody note
	phraseEnd   []bool
	carries     []bool
	peak        []bool
	ways        map[voiced][]voicing                         // cache
	xs          [32]float64                                  // see x: of whole frets, 0 is not known yet
	laid        [2][]hand                                    // scratch of layHands
	basses      []bassOption                                 // scratch of bassOptions
	sympathy    map[pitch.Pitch]*[7]float64                  // per open string, cache
	turns       map[float64]*turnAfter                       // by seconds between onsets, cache
	masks       trellis.Masking                              // the sets of digits that may pluck, by their classes for the bound
	slowness    float64                                      // of the slide, see player.Profile.Slowness
	move        [trellis.Places][trellis.Places]trellis.Cost // see layPlaces
	catalogue   *catalogue
	held        map[string]*fingering.Chord // by name, cache
	differ      []bool                      // by moment: what leads there is other than in the model before, see take
}

// moment is one onset.
type moment struct {
	at       tune.Time
	sec      float64
	note     int             // melody note that begins, -1 if none
	sounding int             // melody note that sounds: begins or goes on; -1 in a rest
	ended    int             // melody note that stopped since the last moment without another in its place, or was followed by note; -1
	onBeat   bool            // the moment falls on a felt beat
	first    bool            // it begins a bar, or a chord
	joined   bool            // note follows ended at once
	begins   bool            // note is the first of its phrase
	peak     bool            // note is the highest of its phrase, and long
	stroke   *pattern.Stroke // of the thumb, nil if none is wanted
	hit      string          // percussion wanted, "" for none
	chord    chord.Chord
	tones    uint16 // the chord's pitch classes, bit 0 is C
	bars     uint16 // frets above the capo at which a straight bar sounds the chord, see barFrets

	readings   []pattern.Reading // what the stroke can be taken for
	bassPlaces []pattern.Place   // for any of them, or for the last stroke
	pins       pinSet
	anchored   []hand
	bare       []hand
	hands      []hand  // anchored, and bare with every last position that it may carry
	shapes     []int32 // a hand of each shape
	traces     []int32 // and of each trace
	leak       leakPrice
	lasts      []lastPosition // that the hands before leave; the last one is loose
	of         []int32        // last position of each hand before

	since    float64      // seconds since the last melody onset, for digit repeats
	endedFor float64      // seconds since the ended note was struck
	bassFor  float64      // seconds since the last stroke of the thumb
	faded    ring.Strings // bass strings that are silent by now, even if it was theirs
	noted    bool         // the thumb's last stroke before was a written note
	lasting  pitch.Pitch  // the written note that goes on from before, 0 if none does …
	lacks    float64      // … and what it lacks if it is cut here: quarters, between leastLack and mostLack
}

// wantsThumb: the pattern has a stroke here.
func (mo *moment) wantsThumb() bool { return mo.stroke != nil && !mo.stroke.Optional }

// held reports whether the melody note continues from before.
func (mo *moment) held() bool { return mo.note < 0 && mo.sounding >= 0 }

// newModel prepares r; what is alike in base, which may be nil, it takes over. Errors: *RangeError, *PinError or plain validation
// errors.
func newModel(r *Request, base *model) (*model, error) {
	m, err := newMusic(r, base)
	if err != nil {
		return nil, err
	}
	m.differ = make([]bool, len(m.moments))
	same := true // the hands before are base's
	for t := range m.moments {
		if m.take(t, base, same) {
			continue
		}
		m.differ[t] = true
		mo := &m.moments[t]
		mo.leak = m.newLeakPrice(mo)
		mo.anchored, mo.bare = m.layHands(t)
		m.carry(t)
		same = m.sameHands(t, base)
	}
	m.laid = [2][]hand{}
	return m, nil
}

// newMusic is newModel without the hands.
func newMusic(r *Request, base *model) (*model, error) {
	if err := r.check(); err != nil {
		return nil, err
	}
	m := &model{
		req: r, w: r.weights(), neck: r.Player.Neck(), school: ring.SchoolOf(r.Player), clock: r.Tune.Clock(r.Tempo),
		phraseEnd: r.Tune.PhraseEnds(), peak: r.Tune.Peaks(), carries: r.Tune.Carriers(), sympathy: map[pitch.Pitch]*[7]float64{},
		turns: map[float64]*turnAfter{},
	}
	m.slowness = r.Player.Slowness()
	m.catalogue = catalogueOf(m)
	m.home, m.modal = m.homePosition(), m.isModal()
	if base != nil {
		m.ways, m.held = maps.Clone(base.ways), maps.Clone(base.held)
	}
	m.layMasks(false)
	m.layPlaces()
	if err := m.findPlaces(); err != nil {
		return nil, err
	}
	m.layMoments()
	m.ringMarked()
	if err := m.applyPins(); err != nil {
		return nil, err
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
	for i, n := range m.req.Tune.Notes {
		voicings := m.voicingsFor(i)
		if len(voicings) == 0 {
			out.Notes = append(out.Notes, OutOfRange{n, m.req.Tune.BarPrinted(m.req.Tune.BarOver(n.At)), m.outBy(n)})
		}
		m.voicings = append(m.voicings, voicings)
		m.noteSeconds = append(m.noteSeconds, m.clock.Seconds(n.End())-m.clock.Seconds(n.At))
		var voices []pitch.Pitch
		for _, v := range n.Voices() {
			voices = append(voices, v.Pitch())
		}
		m.voices = append(m.voices, voices)
	}
	if len(out.Notes) > 0 {
		return &out
	}
	return nil
}

// outBy returns how many half steps the worst voice of n is outside the range, rounded away
// from zero.
func (m *model) outBy(n tune.Note) int {
	low, high := pitch.Pitch(math.MaxInt32), pitch.Pitch(0)
	for s := 1; s <= 6; s++ {
		low, high = min(low, m.req.Tuning.Open(s)), max(high, m.req.Tuning.Open(s))
	}
	low += pitch.Midi(m.req.Capo)
	high += pitch.Midi(m.req.Player.Instrument.Frets)
	for _, v := range n.Voices() {
		switch p := v.Pitch(); {
		case p < low:
			return -int((low - p + 99) / 100)
		case p > high:
			return int((p - high + 99) / 100)
		}
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
			_, since := tu.Position(t)
			first := since == 0 || slices.ContainsFunc(tu.Chords, func(c tune.ChordAt) bool { return c.At == t })
			at[t] = &moment{first: first, onBeat: since%tu.MeterOver(t).Pulse() == 0, at: t, sec: m.clock.Seconds(t), note: -1, sounding: -1,
				ended: -1, chord: c, tones: c.Classes(), bars: m.barFrets(c.Classes())}
		}
		return at[t]
	}
	for i, n := range tu.Notes {
		get(n.At).note = i
	}
	strokes := pattern.Strokes(tu, m.req.Thumb, m.req.Sections, m.req.Player.Accent, m.req.Thin)
	for i := range strokes {
		mo := get(strokes[i].At)
		mo.hit = strokes[i].Hit
		if strokes[i].Role != pattern.NoRole {
			mo.stroke, m.bass = &strokes[i], true
		}
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

// followMelody fills sounding, ended, joined, peak, since and endedFor.
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
			mo.joined = mo.ended >= 0 && notes[last].End() == mo.at
			mo.peak = m.peak[mo.note]
			mo.begins = mo.note == 0 || m.phraseEnd[mo.note-1]
			last, open, lastSec = mo.note, true, mo.sec
		}
		if open {
			mo.sounding = last
		}
	}
}

// Bounds of what a cut note is taken to lack, quarters.
const (
	leastLack = 0.5
	mostLack  = 4
)

// followThumb fills bassPlaces, readings, bassFor and faded.
func (m *model) followThumb() {
	type key struct {
		chord string
		role  pattern.Role
		note  pitch.Pitch
	}
	cache := map[key][]pattern.Place{}
	places := func(r *pattern.Reading, note pitch.Pitch) []pattern.Place {
		k := key{r.Over.Name, r.Role, note}
		if cache[k] == nil && r.Role == pattern.Noted {
			cache[k] = pattern.NotePlaces(m.req.Tuning, m.req.Capo, note)
		} else if cache[k] == nil {
			cache[k] = pattern.Places(m.req.Tuning, m.req.Capo, r.Over, r.Role)
		}
		return cache[k]
	}
	var last []pattern.Place
	var noted *pattern.Stroke // the last one that is written
	lastSec := math.Inf(-1)
	for t := range m.moments {
		mo := &m.moments[t]
		mo.bassFor = mo.sec - lastSec
		for s := 1; s <= 6; s++ {
			if ring.Strength(m.open(s), mo.bassFor) == 0 {
				mo.faded |= ring.Of(s)
			}
		}
		if mo.noted = noted != nil; mo.noted && mo.at < noted.Until {
			mo.lasting, mo.lacks = noted.Note.Pitch(), min(mostLack, max(leastLack, (noted.Until-mo.at).Quarters()))
		}
		if mo.stroke != nil {
			if mo.stroke.Role == pattern.Noted {
				noted = mo.stroke
			} else if mo.wantsThumb() {
				noted = nil
			}
			if mo.readings = mo.stroke.Readings(); mo.wantsThumb() {
				last, lastSec = nil, mo.sec
			} else {
				last = slices.Clone(last) // what was held may be held on
			}
			for i := range mo.readings {
				for _, p := range places(&mo.readings[i], mo.stroke.Note.Pitch()) {
					if !slices.ContainsFunc(last, func(q pattern.Place) bool { return q.String == p.String && q.Fret == p.Fret }) {
						last = append(last, p)
					}
				}
			}
		}
		mo.bassPlaces = last
	}
}

// sympathyOf returns how strongly each open string (index 1 … 6) rings with p.
func (m *model) sympathyOf(p pitch.Pitch) *[7]float64 {
	v := m.sympathy[p]
	if v == nil {
		v = &[7]float64{}
		for s := 1; s <= 6; s++ {
			v[s] = ring.Sympathy(m.open(s), p)
		}
		m.sympathy[p] = v
	}
	return v
}

// open returns the pitch of string s behind the capo.
func (m *model) open(s int) pitch.Pitch { return m.req.Tuning.Open(s) + pitch.Midi(m.req.Capo) }

// soundingPitch is what string str sounds when struck with hand h, to the cent.
func (m *model) soundingPitch(h *hand, str int) pitch.Pitch {
	if h.under.Has(str) {
		return m.under(h.fret, str)
	}
	for i := range h.n {
		if s := &h.stops[i]; s.str == str && (s.how == play.Fret || s.how == play.Bend) {
			return m.under(s.fret, str)
		}
	}
	if h.bass.str == str {
		return m.under(h.bass.fret, str)
	}
	return m.open(str)
}
