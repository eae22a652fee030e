package score

import (
	"cmp"
	"slices"
	"strings"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/tune"
)

// Roles say what the voices of a score are to a player, counted among Voices.
type Roles struct {
	Melody int
	Bass   int   // -1 for none
	Inner  []int // whose notes are played with the melody
}

// As returns the roles that are proposed if voice melody is the melody.
func (s *Score) As(melody int) Roles {
	r := Roles{Melody: melody, Bass: -1}
	voices := s.Voices()
	if melody < 0 || melody >= len(voices) {
		return r
	}
	r.Bass = s.bassUnder(voices, melody)
	m := &voices[melody]
	for i := range voices {
		if v := &voices[i]; r.Bass >= 0 && m.Number >= 0 && i != melody && i != r.Bass && v.Number >= 0 && !v.Drums && v.Part == m.Part {
			r.Inner = append(r.Inner, i)
		}
	}
	if len(r.Inner) > mostInner { // an ensemble, not a guitar
		r.Inner = nil
	}
	return r
}

// WithBass is r with another voice as the bass, or none. What was the bass is played no more.
func (r Roles) WithBass(bass int) Roles {
	r.Bass = bass
	r.Inner = slices.DeleteFunc(slices.Clone(r.Inner), func(v int) bool { return v == bass })
	return r
}

// Roles are those that are proposed.
func (s *Score) Roles() Roles { return s.As(s.Melody) }

// A voice is the bass of a melody if it has at least leastBass notes, lies in the middle at least bassBelow under it, and goes below the
// guitar's lowest string with no more than one note in bassDeep.
const (
	leastBass = 2
	bassBelow = 5 * pitch.HalfStep
	bassDeep  = 5
	deep      = pitch.Pitch(3600)
	mostInner = 2
)

// Names of the voices that are written.
const (
	MelodyName = "melody"
	BassName   = "bass"
)

// bassUnder is the bass by its name, or else the lowest voice that can be the bass under a melody, -1 if there is none.
func (s *Score) bassUnder(voices []VoiceAt, melody int) int {
	best, below := -1, bassBelow
	if voices[melody].onStrings() {
		below = pitch.HalfStep
	}
	lowest := voices[melody].middle() - below
	for i := range voices {
		v := &voices[i]
		if !s.playsWith(v, &voices[melody]) || v.isDeep() {
			continue
		}
		if strings.EqualFold(v.Name, BassName) || v.Part != voices[melody].Part && strings.EqualFold(s.Parts[v.Part].Name, BassName) {
			return i
		}
		if at := v.middle(); len(v.Notes) >= leastBass && at <= lowest {
			best, lowest = i, at
		}
	}
	return best
}

// playsWith reports whether one guitar can play voice v with the melody: another voice of its part; of another part the whole, if it can be
// chosen as a whole, or each voice.
func (s *Score) playsWith(v, melody *VoiceAt) bool {
	switch {
	case v.Drums || len(v.Notes) == 0:
		return false
	case v.Part == melody.Part:
		return v.Number >= 0 && melody.Number >= 0 && v.Voice != melody.Voice
	}
	p := &s.Parts[v.Part]
	return v.Number < 0 || !p.Whole || len(p.Voices) < 2
}

// isDeep reports whether the voice goes below the guitar more often than a bass that it can play.
func (v *Voice) isDeep() bool {
	under := 0
	for i := range v.Notes {
		if v.Notes[i].Note.Pitch() < deep {
			under++
		}
	}
	return under*bassDeep > len(v.Notes)
}

// onStrings reports whether the file says where most of the notes are played: then its voices are those of one guitar.
func (v *Voice) onStrings() bool {
	n := 0
	for i := range v.Notes {
		if on := v.Notes[i].On; on != nil && on.String > 0 {
			n++
		}
	}
	return 2*n > len(v.Notes)
}

// middle is the mean pitch of the notes.
func (v *Voice) middle() (sum pitch.Pitch) {
	for i := range v.Notes {
		sum += v.Notes[i].Note.Pitch()
	}
	return sum / pitch.Pitch(max(1, len(v.Notes)))
}

// takeBass adds the notes of a bass voice. Of notes that begin together the lowest is the bass; the others are returned, to be played
// with the melody.
func (m *melody) takeBass(notes []Note) (rest []Note) {
	for i := 0; i < len(notes); {
		n := i + 1
		for n < len(notes) && notes[n].At == notes[i].At {
			n++
		}
		group := slices.Clone(notes[i:n])
		slices.SortStableFunc(group, func(a, b Note) int { return cmp.Compare(a.Note.Pitch(), b.Note.Pitch()) })
		rest = append(rest, group[1:]...)
		m.addBass(&group[0], m.next(notes, n))
		i = n
	}
	return rest
}

// next is the time at which note n begins, or the end.
func (m *melody) next(notes []Note, n int) Units {
	if n < len(notes) {
		return notes[n].At
	}
	return m.score.Length
}

func (m *melody) addBass(n *Note, next Units) {
	at, end, ok := m.span(n, next)
	if !ok {
		return
	}
	m.tune.Bass = append(m.tune.Bass, tune.Note{At: at, Dur: end - at, Note: n.Note, Place: n.Place, Marks: n.Marks})
	if n.On == nil {
		return
	}
	pin := n.On.pin(at, 0)
	pin.Part, pin.Digit = play.Thumb, ""
	switch pin.How {
	case play.Slide, play.Open:
	default: // a thumb strikes all of its notes
		if pin.How = play.Fret; pin.String != 0 && pin.Fret == float64(m.score.Capo) {
			pin.How = play.Open
		}
	}
	if pin.String != 0 {
		m.pins = append(m.pins, pin)
	}
}

// withInner merges inner voices into the melody's line. A note that begins while a melody note sounds shortens it, which gives a warning.
func (m *melody) withInner(notes, inner []Note) []Note {
	if len(inner) == 0 {
		return notes
	}
	starts := map[Units]bool{}
	for i := range notes {
		starts[notes[i].At] = true
	}
	for i := range inner {
		if !starts[inner[i].At] {
			if m.between++; m.between == 1 {
				m.betweenAt = inner[i].Place
			}
		}
	}
	out := slices.Concat(notes, inner)
	slices.SortStableFunc(out, func(a, b Note) int { return cmp.Compare(a.At, b.At) })
	return out
}
