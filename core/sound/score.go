package sound

import (
	"cmp"
	"math"
	"slices"

	"stepping/core/ornament"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/ring"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Times of the hands in seconds.
const (
	touchTau   = 0.0008 // a digit lies on the string before it plucks: what rang is cut
	slurTime   = 0.004  // a finger comes down or lets go
	scoopTime  = 0.09   // a slide comes up to its pitch
	bendTime   = 0.12
	lightTau   = 0.035 // a fingertip laid on
	heelTau    = 0.05
	trailTau   = 0.045
	deadTau    = 0.02
	stabAfter  = 0.09 // the palm falls behind an accent that is cut
	releaseTau = 0.06 // at the end of what is played
)

// staccatoShare is how much of its length a staccato note sounds.
const staccatoShare = 0.45

// How loud strokes are, as share of the loudest.
const (
	melodyLevel = 0.8
	thumbLevel  = 0.62
	accentLevel = 1.0
	slurLevel   = 0.3
	deadLevel   = 0.5
)

// deed is what happens to a string, or to the guitar's top, at a time in seconds.
type deed struct {
	at   float64
	str  int // 1 to 6; 0 for percussion and the click
	kind deedKind
	// of a stroke
	hz, from float64 // the pitch, and the one that it comes from over slide seconds
	slide    float64
	level    float64
	width    float64 // of the excitation, seconds: flesh is soft, a pick sharp
	place    float64 // share of the string at which it is plucked
	tau      float64 // seconds in which the string falls to 1/e; of a damping too
	shake    ornament.Vibrato
	dark     float64 // low-pass of the loop, 0 to 1
	rubbed   float64 // mm that the slide or a finger goes along the string
	layer    Layer
	hit      string
}

type deedKind int

const (
	strike deedKind = iota
	slur            // the pitch changes while the string sounds on
	travel          // the slide goes on to where the next note is struck
	damp
	name // what sounds on belongs to another layer: it should not sound
	free // nothing touches the string: it may ring in sympathy
	hitTop
	tick
)

// Layer is a part of the sound that can be heard by itself, as a bit.
type Layer uint8

// The layers.
const (
	Melody Layer = 1 << iota
	Thumb
	Percussion
	Click
	Noise   // what rings and should not
	Silence // nothing: what is heard is the count alone

	Playing = Melody | Thumb | Percussion | Noise // all that a guitar does
)

// excitation is how long a pluck takes by attack, seconds: half a sine.
var excitation = map[string]float64{"flesh": 0.0009, "nails": 0.0008, "thumbpick": 0.00085, "picks": 0.0006}

// deeds lists what is done, at a clock that says when moments are. Without dampers nothing is silenced.
func (p *Played) deeds(clock tune.Clock, dampers bool) (out []deed) {
	for t := range p.Moments {
		mo := &p.Moments[t]
		at := clock.Seconds(mo.At)
		struck := map[int]bool{}
		for _, s := range mo.Strokes() {
			struck[s.String] = true
			out = append(out, p.strokeDeeds(mo, s, clock)...)
		}
		for i, st := range mo.Strings {
			if struck[i+1] {
				continue
			}
			switch {
			case st.State == play.Silenced && dampers:
				out = append(out, deed{at: at, str: i + 1, kind: damp, tau: dampTau(st.By)})
			case st.State == play.Harmless && t > 0 && p.Moments[t-1].Strings[i].Wanted(): // the finger that leaves it stops it
				out = append(out, deed{at: at, str: i + 1, kind: damp, tau: lightTau})
			case st.State == play.Silenced, st.State == play.Leaks:
				out = append(out, deed{at: at, str: i + 1, kind: name, layer: Noise})
			}
			if st.State == play.Harmless || st.State == play.Leaks || st.State == play.Silenced && !dampers {
				open := p.Tuning.Open(i+1) + pitch.Midi(p.Capo)
				out = append(out, deed{at: at, str: i + 1, kind: free, hz: open.Hertz(440), tau: ring.RingTime(open)})
			}
		}
		if mo.Hit != "" && mo.Hit != pattern.Release {
			out = append(out, deed{at: at, kind: hitTop, hit: mo.Hit, level: melodyLevel, layer: Percussion})
		}
	}
	end := clock.Seconds(p.Tune.Length)
	for s := 1; s <= tuning.Strings; s++ {
		out = append(out, deed{at: end, str: s, kind: damp, tau: releaseTau * 4})
	}
	sortDeeds(out)
	return out
}

// sortDeeds puts deeds in order of time; those at one time keep theirs.
func sortDeeds(ds []deed) {
	slices.SortStableFunc(ds, func(a, b deed) int { return cmp.Compare(a.at, b.at) })
}

// dampTau is how fast a damper ends a string.
func dampTau(by play.Damper) float64 {
	switch by {
	case play.ByHeel:
		return heelTau
	case play.ByTrailing:
		return trailTau
	}
	return lightTau
}

// strokeDeeds is one stroke, what leads to it and what cuts it short.
func (p *Played) strokeDeeds(mo *play.Moment, s *play.Stroke, clock tune.Clock) (out []deed) {
	at := clock.Seconds(mo.At)
	hz := s.Note.Pitch().Hertz(440)
	d := deed{at: at, str: s.String, kind: strike, hz: hz, from: hz, level: melodyLevel, width: excitation[p.Attack], place: 0.18, layer: Melody,
		dark: p.dark(s, hz), tau: ring.RingTime(p.Tuning.Open(s.String)) * ringShare(s)}
	if d.width == 0 {
		d.width = excitation["flesh"]
	}
	if s.Part == play.Thumb {
		d.level, d.layer, d.place = thumbLevel, Thumb, 0.14
		switch mo.Mute {
		case "half":
			d.tau *= 0.25
		case "thump":
			d.tau *= 0.08
		case "stab":
			out = append(out, deed{at: at + stabAfter, str: s.String, kind: damp, tau: heelTau})
		}
	}
	if s.Digit == play.P && s.Part != play.Thumb {
		d.place = 0.14
	}
	var marks tune.Marks
	if s.Part == play.Melody && s.Index < len(p.Tune.Notes) {
		marks = p.Tune.Notes[s.Index].Marks
	}
	if mo.Accent && s.Part == play.Thumb || marks&tune.Accent != 0 {
		d.level = accentLevel
	}
	if s.Part == play.Melody {
		d.shake = p.sung[s.Index]
		if g, ok := p.into[s.Index]; ok && g.String == s.String {
			out = append(out, travelDeed(&d, s, g))
		}
	}
	d.sounded(s)
	if as, ok := p.touches[s]; ok {
		d.level *= math.Pow(10, as.db/20)
		if as.land != 0 {
			d.from, d.slide = d.hz*math.Exp2(as.land/1200), as.landSec
		}
	}
	out = append(out, d)
	if marks&tune.Staccato != 0 {
		out = append(out, deed{at: at + staccatoShare*(clock.Seconds(mo.At+s.Dur)-at), str: s.String, kind: damp, tau: lightTau})
	}
	return out
}

// sounded makes of a plucked string what its technique does: where the pitch comes from and how long that takes, what
// the fretting hand sounds by itself, and what the slide does to the pluck.
func (d *deed) sounded(s *play.Stroke) {
	lower := math.Exp2(-(s.Fret - s.From) / 12) // what it comes up by
	switch s.How {
	case play.Glide:
		d.from, d.slide = d.hz*lower, scoopTime
	case play.Bend:
		d.from, d.slide = d.hz*lower, bendTime
	case play.Dead:
		d.tau, d.level = deadTau, deadLevel
	}
	if s.Digit == "" && s.How != play.Tapped && s.How != play.Dead { // the fretting hand sounds it
		d.kind, d.level, d.from, d.slide = slur, slurLevel, 0, scoopTime // from wherever it is
		if s.How == play.Hammer || s.How == play.Pull {
			d.slide = slurTime
		}
	}
	if s.How.Slid() {
		d.width *= slideSoft
		if d.rubbed = travelled(s.From, s.Fret); d.rubbed == 0 { // it lands next to the wire, and is corrected
			d.rubbed = landedMM
		}
	}
}

// travelDeed is the slide on its way to a stroke that is struck where it arrives.
func travelDeed(d *deed, s *play.Stroke, g ornament.Glide) deed {
	return deed{at: d.at - g.Seconds, str: s.String, kind: travel, hz: d.hz, slide: g.Seconds, rubbed: travelled(s.Fret-g.Frets, s.Fret)}
}

// ringShare is how long a note rings against the open string: a fingertip takes some of it, the slide more.
func ringShare(s *play.Stroke) float64 {
	switch s.How {
	case play.Open, play.Harmonic:
		return 1
	case play.Slide, play.Glide:
		return 0.7
	}
	return 0.8
}
