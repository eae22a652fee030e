package plan

import (
	"math"

	"stepping/core/play"
)

// Hardness is how hard a plan is on the hands, in figures that can be compared between requests.
type Hardness struct {
	BPM       float64 // up to which it can be played, quarter notes a minute; MostHurry times its tempo at most
	Strokes   int     // of the thumb
	Crossings int     // from one string to another between strokes of the thumb
	Special   int     // bends, taps, harmonics, slaps
	StretchMM float64 // the widest between two fretting fingers
}

// MostHurry is from how many times its tempo on a tune is no easier for it that it could be played still faster.
const MostHurry = 1.5

// Hardness works the figures out.
func (p *Plan) Hardness() Hardness {
	p.mu.Lock()
	defer p.unlock()
	h := Hardness{BPM: MostHurry * p.Tempo()}
	if p.Ceiling.BPM > 0 {
		h.BPM = min(h.BPM, p.Ceiling.BPM)
	}
	last := 0
	for t := range p.Moments {
		mo := &p.Moments[t]
		for _, s := range mo.Strokes() {
			switch s.How {
			case play.Bend, play.Tapped, play.Harmonic:
				h.Special++
			}
		}
		if mo.Hit != "" {
			h.Special++
		}
		if mo.Thumb != nil {
			h.Strokes++
			if last != 0 && last != mo.Thumb.String {
				h.Crossings++
			}
			last = mo.Thumb.String
		}
		h.StretchMM = max(h.StretchMM, p.stretchMM(mo))
	}
	return h
}

// stretchMM is the distance along the neck between the fretting fingers that lie furthest apart.
func (p *Plan) stretchMM(mo *play.Moment) float64 {
	low, high := math.Inf(1), 0.0
	for _, f := range mo.Hand.Fingers {
		x := p.m.neck.X(float64(f.Fret))
		low, high = min(low, x), max(high, x)
	}
	return max(0, high-low)
}

// Easier reports whether h is in no way harder than of, and in some way easier.
func (h *Hardness) Easier(of *Hardness) bool {
	if h.BPM < of.BPM || h.Strokes > of.Strokes || h.Crossings > of.Crossings || h.Special > of.Special || h.StretchMM > of.StretchMM {
		return false
	}
	return *h != *of
}
