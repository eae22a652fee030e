package take

import (
	"cmp"
	"math"
	"slices"
)

// Heard is a note of a single line that was heard.
type Heard struct {
	At, Dur  float64 // seconds
	Semitone float64 // MIDI number; whole in what Listen returns
	Sure     float64 // 0 to 1
}

// Of notes of a single line: how strongly something begins at a stroke, how far a pitch moves from one note to the next,
// in semitones, and how long each has to last, in seconds; for how long after a beginning nothing is made out; what
// share of a note has a pitch at least, and how sure it is; and how soft a note is against the loudest, in dB, at most.
const (
	strokeFlux   = 0.16
	noteApart    = 0.6
	leastNote    = 0.07
	notePoints   = 0.035
	pitchedPart  = 0.4
	leastPitch   = 0.45
	softest      = -34.0
	scoop        = 0.13 // seconds: what is shorter and moves on is the way to the next
	surelyStruck = 0.5
	louderBy     = 1.12
)

// Played is what was heard of somebody who sang or played, without knowing what.
type Played struct {
	Line    []Heard // the melody, one note after another
	Below   []Heard // what else was struck, if they played two parts
	Off     float64 // cents that the whole lies above A4 = 440 Hz
	TwoPart bool    // more than one note at a time was heard: then the melody is less sure
}

// Listen hears the notes of a single line, sung or played: what begins with a stroke, or moves to another pitch and
// stays there. Pitches are whole semitones, against the tuning of the whole. Where hardly any time has one clear pitch,
// there is a bass under the line: then the highest of what begins together is the melody.
func (s *Signal) Listen() Played {
	track := s.Track()
	borders := s.borders(track)
	m := newMeter(s.Samples)
	if !s.oneLine(track) {
		return s.twoParts(m, borders)
	}
	var notes []Heard
	loudest := s.loudest()
	for i, b := range borders {
		end := s.Seconds()
		if i+1 < len(borders) {
			end = borders[i+1].at
		}
		n, ok := noteOf(track, b.at, end)
		if ok && b.struck {
			clear(m.made)
			n = m.corrected(n, b.at)
		}
		last := len(notes) - 1
		joins := last >= 0 && b.at-notes[last].At-notes[last].Dur < leastNote
		switch {
		case !ok || 20*math.Log10(math.Max(1e-9, s.loudBetween(b.at, n.At+n.Dur)/loudest)) <= softest:
		case joins && !b.struck && notes[last].Dur < scoop: // on its way to this one
			notes[last] = Heard{notes[last].At, n.At + n.Dur - notes[last].At, n.Semitone, n.Sure}
		case joins && math.Abs(notes[last].Semitone-n.Semitone) < noteApart/2 && (!b.struck || !s.grows(b)): // the same one, that wavered
			notes[last].Dur = n.At + n.Dur - notes[last].At
		default:
			notes = append(notes, n)
		}
	}
	line, off := settle(notes)
	return Played{Line: line, Off: off}
}

// Of what has one clear pitch: by how much less sure it is than the surest twentieth, which noise alone makes less sure,
// and what share of all that is heard is one line.
const (
	clearUnder = 0.13
	clearShare = 0.58
	noisySure  = 0.95 // that surest twentieth, in noise …
	noisyShare = 0.42 // … and the share then
)

// oneLine reports whether enough of what is heard has one clear pitch.
func (s *Signal) oneLine(track []Point) bool {
	var sure []float64
	for _, p := range track {
		if s.loudBetween(p.At, p.At+0.02) >= quietRMS*4 {
			sure = append(sure, p.Sure)
		}
	}
	if len(sure) == 0 {
		return true
	}
	slices.Sort(sure)
	surest := sure[len(sure)*19/20]
	at, _ := slices.BinarySearch(sure, surest-clearUnder)
	return 1-float64(at)/float64(len(sure)) >= either(surest < noisySure, noisyShare, clearShare)
}

// corrected takes the pitch of what begins for that of a note whose pitch is not sure: another string that rings on may
// hide it.
func (m *meter) corrected(n Heard, at float64) Heard {
	notes, _ := m.risen(at)
	if len(notes) == 0 || n.Sure >= correctUnder {
		return n
	}
	for _, k := range notes {
		if math.Abs(n.Semitone-float64(k)) < noteApart {
			return n
		}
	}
	n.Semitone = float64(notes[0])
	return n
}

// correctUnder is how sure a pitch is at most that is corrected.
const correctUnder = 0.98

// twoParts takes the highest of what begins together for the melody.
func (s *Signal) twoParts(m *meter, borders []border) Played {
	out := Played{TwoPart: true}
	borders = slices.DeleteFunc(borders, func(b border) bool { return !b.struck || b.flux < twoPartFlux })
	for i, b := range borders {
		end := s.Seconds()
		if i+1 < len(borders) {
			end = borders[i+1].at
		}
		clear(m.made)
		notes, worth := m.risen(b.at)
		if len(notes) == 0 {
			continue
		}
		top := slices.Max(notes)
		for k, n := range notes {
			h := Heard{At: b.at, Dur: end - b.at, Semitone: float64(n), Sure: twoPartSure * math.Min(1, worth[k]/worth[0])}
			if n == top {
				out.Line = append(out.Line, h)
			} else {
				out.Below = append(out.Below, h)
			}
		}
	}
	var tops []float64
	for _, n := range out.Line {
		tops = append(tops, n.Semitone)
	}
	if len(tops) == 0 {
		return out
	}
	lowest := middle(tops) - thumbUnder
	out.Line = slices.DeleteFunc(out.Line, func(n Heard) bool {
		if n.Semitone < lowest { // the thumb by itself
			out.Below = append(out.Below, n)
		}
		return n.Semitone < lowest
	})
	slices.SortStableFunc(out.Below, func(a, b Heard) int { return cmp.Compare(a.At, b.At) })
	for i := range out.Line[:max(0, len(out.Line)-1)] { // it sounds on over the thumb
		out.Line[i].Dur = out.Line[i+1].At - out.Line[i].At
	}
	return out
}

// Of two parts: how sure a note is at most, how strongly something begins, and by how many semitones what is struck by
// itself lies under the middle of the melody that is taken for the thumb's.
const (
	twoPartSure = 0.6
	twoPartFlux = 0.25
	thumbUnder  = 9
)

// grows reports whether it is louder behind a border than before it, as it is where a string is struck once more.
func (s *Signal) grows(b border) bool {
	return b.flux >= surelyStruck || s.loudBetween(b.at+0.01, b.at+0.06) > louderBy*s.loudBetween(b.at-0.06, b.at-0.01)
}

// border is where a note may begin: with a stroke, or because the pitch has moved.
type border struct {
	at     float64
	struck bool
	flux   float64 // of a stroke
}

// borders are where notes may begin.
func (s *Signal) borders(track []Point) (out []border) {
	flux := s.flux()
	for k := range flux {
		if flux[k] >= strokeFlux && isPeak(flux, k) {
			sec, _ := onset(flux, float64(k)*fineHop/Rate)
			out = append(out, border{sec, true, flux[k]})
		}
	}
	// The pitch of now is the middle of the last points; where the next ones lie elsewhere, another note begins.
	const half = 5 // points
	for i := half; i+half < len(track); i++ {
		a, ok1 := middleOf(track[i-half : i])
		b, ok2 := middleOf(track[i : i+half])
		if ok1 && ok2 && math.Abs(a-b) >= noteApart && math.Abs(a-b) < 13 {
			out = append(out, border{at: track[i].At})
			i += half
		} else if !ok1 && ok2 {
			out = append(out, border{at: track[i].At})
			i += half
		}
	}
	slices.SortFunc(out, func(a, b border) int { return cmp.Compare(a.at, b.at) })
	// A stroke says better than the pitch where a note begins.
	kept := out[:0]
	for _, b := range out {
		if n := len(kept); n > 0 && b.at-kept[n-1].at < leastNote {
			if b.struck && !kept[n-1].struck {
				kept[n-1] = b
			}
			continue
		}
		kept = append(kept, b)
	}
	return kept
}

// middleOf is the middle pitch of some points, if most have one.
func middleOf(points []Point) (semitone float64, ok bool) {
	var x []float64
	for _, p := range points {
		if p.Hz > 0 && p.Sure >= leastPitch {
			x = append(x, semitoneOf(p.Hz))
		}
	}
	if 2*len(x) <= len(points) {
		return 0, false
	}
	return middle(x), true
}

// noteOf is the note between two times: its pitch is the middle of its points, and it ends where the last of them lies.
func noteOf(track []Point, from, to float64) (n Heard, ok bool) {
	var x []float64
	all, last := 0, from
	sure := 0.0
	for _, p := range track {
		if p.At < from+notePoints || p.At >= to {
			continue
		}
		if all++; p.Hz > 0 && p.Sure >= leastPitch {
			x, last, sure = append(x, semitoneOf(p.Hz)), p.At, sure+p.Sure
		}
	}
	if all == 0 || len(x) < 3 || float64(len(x)) < pitchedPart*math.Min(float64(all), 40) { // a long note dies away
		return n, false
	}
	n = Heard{At: from, Dur: math.Min(to, last+0.02) - from, Sure: sure / float64(len(x))}
	slices.Sort(x)
	n.Semitone = x[len(x)/2]
	return n, n.Dur >= leastNote
}

// loudBetween is the root mean square between two times, at most the first 0.15 s of them.
func (s *Signal) loudBetween(from, to float64) float64 {
	a, b := max(0, int(from*Rate)), min(len(s.Samples), int(math.Min(to, from+0.15)*Rate))
	sum := 0.0
	for _, v := range s.Samples[min(a, b):b] {
		sum += float64(v) * float64(v)
	}
	return math.Sqrt(sum / math.Max(1, float64(b-a)))
}

// loudest is the level of the loudest tenth of a second.
func (s *Signal) loudest() float64 {
	most := 1e-9
	for at := 0.0; at < s.Seconds(); at += 0.1 {
		most = math.Max(most, s.loudBetween(at, at+0.1))
	}
	return most
}

// settle rounds the pitches to semitones of a tuning that lies where most of them do.
func settle(notes []Heard) ([]Heard, float64) {
	re, im := 0.0, 0.0
	for _, n := range notes {
		sn, cs := math.Sincos(2 * math.Pi * n.Semitone)
		re, im = re+cs*n.Dur, im+sn*n.Dur
	}
	off := math.Atan2(im, re) / (2 * math.Pi)
	for i := range notes {
		notes[i].Semitone = math.Round(notes[i].Semitone - off)
	}
	return notes, 100 * off
}
