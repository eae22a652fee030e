package plan

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"stepping/core/chord"
	"stepping/core/pitch"
)

// Mix is one order of strings for the notes of a bar that is held at one slide position.
type Mix struct {
	Strings []int
	Degrees []string // of the chord, for each note
	Pitches []pitch.Pitch
	Busy    int // strings crossed in all: 0 stays on one
}

// Held is a bar whose melody lies at one slide position.
type Held struct {
	Bar     int
	Fret    float64
	Strings []int // that fit the chord there while the thumb goes on
	Mixes   []Mix // plain to busy
}

// Limits of what is listed for a bar.
const (
	mostOnsets = 7 // longer bars have too many orders to be of use
	mostMixes  = 8
)

// HeldBar looks at the bar of moment t. ok is false unless all its melody is played with the slide at
// one fret over one chord.
func (p *Plan) HeldBar(t int) (h Held, ok bool) {
	h.Bar = p.Moments[t].Bar
	var over *chord.Chord
	onsets, thumbs := 0, map[int]bool{}
	for i := range p.Moments {
		mo := &p.Moments[i]
		if mo.Bar != h.Bar {
			continue
		}
		if mo.Thumb != nil {
			thumbs[mo.Thumb.String] = true
		}
		if mo.Melody == nil {
			continue
		}
		if !mo.Hand.SlideOn || onsets > 0 && mo.Hand.SlideFret != h.Fret || over != nil && over.Name != mo.Chord.Name {
			return h, false
		}
		onsets, h.Fret, over = onsets+1, mo.Hand.SlideFret, &mo.Chord
	}
	if onsets == 0 || onsets > mostOnsets {
		return h, false
	}
	degrees := map[int]string{}
	pl := &p.Request.Player
	for s := 1; s <= 6; s++ {
		if at := p.m.under(h.Fret, s); !thumbs[s] && over.Has(at) && pl.Neck().SlideLength(s, h.Fret-float64(p.Request.Capo)) <= pl.Slide.LengthMM {
			h.Strings = append(h.Strings, s)
			degrees[s] = chord.IntervalName(over.Interval(at))
		}
	}
	h.Mixes = mixes(h.Strings, degrees, onsets)
	for i := range h.Mixes {
		for _, s := range h.Mixes[i].Strings {
			h.Mixes[i].Pitches = append(h.Mixes[i].Pitches, p.m.under(h.Fret, s))
		}
	}
	return h, len(h.Mixes) > 0
}

// mixes lists orders of n strings, one for each measure of business, the plainest first: of equals
// that which uses more strings, then that which begins on thinner ones.
func mixes(strings []int, degrees map[int]string, n int) (out []Mix) {
	best := map[int][]int{}
	var try func(seq []int, busy int)
	try = func(seq []int, busy int) {
		if len(seq) == n {
			if old, ok := best[busy]; !ok || distinct(seq) > distinct(old) {
				best[busy] = slices.Clone(seq)
			}
			return
		}
		for _, s := range strings {
			cross := 0
			if len(seq) > 0 {
				cross = max(s-seq[len(seq)-1], seq[len(seq)-1]-s)
			}
			try(append(seq, s), busy+cross)
		}
	}
	try(nil, 0)
	for busy, seq := range best {
		m := Mix{Strings: seq, Busy: busy}
		for _, s := range seq {
			m.Degrees = append(m.Degrees, degrees[s])
		}
		out = append(out, m)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Busy < out[j].Busy })
	return out[:min(len(out), mostMixes)]
}

func distinct(seq []int) int {
	sorted := slices.Clone(seq)
	slices.Sort(sorted)
	return len(slices.Compact(sorted))
}

// Lick is the melody of a bar as a shape.
type Lick struct {
	Degrees []string // of the chord under it
	Places  []LickPlace
}

// LickPlace is where the same shape fits as well, moved along the neck under a chord of the tune.
type LickPlace struct {
	Chord   string
	Bar     int // where that chord stands first
	Shift   int // frets up, or down if negative
	Degrees []string
	Pitches []pitch.Pitch
	Tones   int // notes that are tones of the chord
}

// mostLicks is how many places of a lick are listed.
const mostLicks = 8

// LickOf takes the melody of moment t's bar along the neck: to every shift that keeps it between capo
// and last fret, under every chord of the tune, where each note is a tone of the chord or of the key.
// A lick with an open string stays where it is, since that string cannot move. Those with most chord
// tones come first, then the nearest.
func (p *Plan) LickOf(t int) (l Lick) {
	var shape []*Stroke
	lo, hi, open := math.Inf(1), 0.0, false
	for i := range p.Moments {
		if mo := &p.Moments[i]; mo.Bar == p.Moments[t].Bar && mo.Melody != nil {
			shape = append(shape, mo.Melody)
			l.Degrees = append(l.Degrees, chord.IntervalName(mo.Chord.Interval(mo.Melody.Note.Pitch())))
			lo, hi, open = min(lo, mo.Melody.Fret), max(hi, mo.Melody.Fret), open || mo.Melody.How == Open || mo.Melody.How == Harmonic
		}
	}
	if len(shape) == 0 {
		return l
	}
	seen := map[string]bool{}
	for _, at := range p.Request.Tune.Chords {
		if seen[at.Chord.Name] {
			continue
		}
		seen[at.Chord.Name] = true
		for shift := -12; shift <= 12; shift++ {
			same := shift == 0 && at.Chord.Name == p.Moments[t].Chord.Name
			low := lo+float64(shift) <= float64(p.Request.Capo)
			if same || shift != 0 && (open || low) || hi+float64(shift) > float64(p.Request.Player.Instrument.Frets) {
				continue
			}
			if place, ok := p.lickAt(shape, at.Chord, shift); ok {
				place.Bar = p.Request.Tune.BarOver(at.At) + 1
				l.Places = append(l.Places, place)
			}
		}
	}
	sort.SliceStable(l.Places, func(i, j int) bool {
		a, b := &l.Places[i], &l.Places[j]
		if a.Tones != b.Tones {
			return a.Tones > b.Tones
		}
		return max(a.Shift, -a.Shift) < max(b.Shift, -b.Shift)
	})
	l.Places = l.Places[:min(len(l.Places), mostLicks)]
	return l
}

func (p *Plan) lickAt(shape []*Stroke, c chord.Chord, shift int) (place LickPlace, ok bool) {
	place = LickPlace{Chord: c.Name, Shift: shift}
	for _, s := range shape {
		at := s.Note.Pitch() + pitch.Midi(shift)
		switch {
		case c.Has(at):
			place.Tones++
		case !p.inKey(at):
			return place, false
		}
		place.Degrees, place.Pitches = append(place.Degrees, chord.IntervalName(c.Interval(at))), append(place.Pitches, at)
	}
	return place, place.Tones > 0
}

// inKey: p is a tone of the key's scale, or the minor third and seventh that color a major key.
func (p *Plan) inKey(at pitch.Pitch) bool {
	k := &p.Request.Tune.Key
	iv := chord.Triad(k.Tonic, k.Minor).Interval(at)
	if k.Minor {
		return slices.Contains([]int{0, 2, 3, 5, 7, 8, 10}, iv)
	}
	return slices.Contains([]int{0, 2, 3, 4, 5, 7, 9, 10, 11}, iv)
}

// Coordination is a moment at which both hands have most to line up.
type Coordination struct {
	Moment int
	Load   float64
	Text   string
}

// Weights of what has to be lined up at one moment.
const (
	loadPinch   = 0.5 // two strokes at once
	loadBetween = 0.6 // melody between two thumb strokes that are close
	loadSlide   = 0.5 // the slide landing, lifting or gliding in
	loadFinger  = 0.2 // each fretting finger put down
	loadHit     = 0.4 // percussion
	closeBy     = 0.4 // seconds
)

// Coordinations are the n moments, at most one a bar, where most comes together: strokes at once
// or close between, slide, fingers and percussion, and the time that the move there takes.
func (p *Plan) Coordinations(n int) []Coordination {
	var out []Coordination
	for t := range p.Moments {
		mo := &p.Moments[t]
		c := Coordination{Moment: t, Load: mo.Share}
		add := func(load float64, text string) {
			c.Load += load
			if c.Text != "" {
				c.Text += ", "
			}
			c.Text += text
		}
		if mo.Melody != nil && mo.Thumb != nil {
			add(loadPinch, "melody and thumb together")
		}
		if t > 0 && mo.Melody != nil && mo.Thumb == nil && p.Moments[t-1].Thumb != nil && mo.Seconds-p.Moments[t-1].Seconds < closeBy {
			add(loadBetween, fmt.Sprintf("melody %.2f s after the thumb", mo.Seconds-p.Moments[t-1].Seconds))
		}
		if t > 0 && mo.Hand.SlideOn != p.Moments[t-1].Hand.SlideOn {
			add(loadSlide, "the slide lands or lifts")
		} else if mo.Melody != nil && mo.Melody.How == Glide {
			add(loadSlide, "the slide glides in")
		}
		if t > 0 {
			if f := newFingers(&p.Moments[t-1], mo); f > 0 {
				add(loadFinger*float64(f), map[bool]string{true: "a fretting finger put down", false: fmt.Sprintf("%d fretting fingers put down", f)}[f == 1])
			}
		}
		if mo.Hit != "" {
			add(loadHit, mo.Hit)
		}
		if c.Text != "" {
			out = append(out, c)
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Load > out[j].Load })
	bars := map[int]bool{}
	out = slices.DeleteFunc(out, func(c Coordination) bool {
		bar := p.Moments[c.Moment].Bar
		taken := bars[bar]
		bars[bar] = true
		return taken
	})
	return out[:min(n, len(out))]
}

// newFingers counts the fingers of b that do not lie there in a.
func newFingers(a, b *Moment) (n int) {
	for _, f := range b.Hand.Fingers {
		if !slices.Contains(a.Hand.Fingers, f) {
			n++
		}
	}
	return n
}
