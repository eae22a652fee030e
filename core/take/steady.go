package take

import (
	"math"
	"slices"
)

// Lie is where a string sounds at a time, against the note that is asked for.
type Lie struct {
	At    float64 // seconds of sound since listening began: the middle of what was measured
	Cents float64 // from the note asked for; 0 if nothing is heard
	Heard bool
	Level float64 // the loudest since the last Lie, of full scale
}

// Stopped is how one note was stopped, known when it has ended.
type Stopped struct {
	Cents   float64 // where it stayed, or the middle of its vibrato
	Spread  float64 // within which four fifths of it stayed, to either side of that, once it had arrived
	Seconds float64 // that it was heard
	Glide   *Glide  // how it came there; nil if it was there at once
	Vibrato *Vibrato
}

// Ear listens to single notes whose pitch is known beforehand, as a trainer asks for them. It measures the pitch
// near the one asked for, so that a short window is enough: the lag at which the sound differs least from itself
// (as YIN, de Cheveigné and Kawahara 2002), looked for within reach alone and made finer over several periods.
type Ear struct {
	hz    float64
	in    *resampler
	high  clearing
	x     []float64 // the last samples at Rate
	heard int       // samples at Rate so far
	next  int       // sample at which the next measurement ends
	loud  float64   // since the last Lie
	note  struct {
		at, cents []float64
		began     float64
		peak      float64 // of the loudness of its windows
		lost      int     // measurements in a row
	}
	before float64 // loudness of the window before
}

// Limits of an Ear: samples between measurements, the window, how far from the note asked for one may be, what
// difference is still a note, and what begins and ends one.
const (
	earHop      = int(glideStep * Rate) // as described expects them
	earLeast    = 480                   // samples of a window …
	earPeriods  = 3.0                   // … which holds so many periods at least
	earReach    = 350.0                 // cents
	earDiffers  = 0.22
	earOctave   = 0.6   // an octave higher would differ less than this share of what half the lag does for the note itself
	earRises    = 2.0   // times as loud as the window before: a new pluck
	earFaint    = 0.02  // of the note's loudest: it is over
	earLost     = 24    // measurements in a row in which it is not heard: it is over
	earShortest = 0.35  // seconds of a note that counts
	earFine     = 360.0 // samples of lag over which the pitch is refined
	earMost     = 20.0  // seconds of one note
)

// NewEar listens for a note of hz, 50 to 2,000, at rate samples a second.
func NewEar(hz float64, rate int) *Ear {
	e := &Ear{in: newResampler(float64(rate), Rate)}
	e.Ask(hz)
	return e
}

// Ask asks for another note. What sounds of the one before is forgotten.
func (e *Ear) Ask(hz float64) {
	e.hz = hz
	e.over()
}

// over forgets the note that sounds.
func (e *Ear) over() {
	e.note.at, e.note.cents = e.note.at[:0], e.note.cents[:0]
	e.note.peak, e.note.lost = 0, 0
}

// Hear takes samples of -1 to 1, and returns where the note lies now, and the note that has come to its end with
// them, nil if none has. Memory does not grow.
func (e *Ear) Hear(samples []float64) (now Lie, done *Stopped) {
	for _, v := range samples {
		e.loud = math.Max(e.loud, math.Abs(v))
		for _, w := range e.in.put(v) {
			e.x = append(e.x, e.high.next(w))
			e.heard++
		}
	}
	for e.next <= e.heard {
		if e.next >= e.need() {
			if s := e.look(); s != nil {
				done = s
			}
		}
		e.next += earHop
	}
	if most := 4 * e.need(); len(e.x) > 2*most {
		e.x = append(e.x[:0], e.x[len(e.x)-most:]...)
	}
	now = Lie{At: float64(e.heard) / Rate, Level: e.loud}
	if n := len(e.note.at); n > 0 && e.note.lost == 0 {
		now.At, now.Cents, now.Heard = e.note.at[n-1], e.lie(), true
	}
	e.loud = 0
	return now, done
}

// lie is the middle of the last measurements, so that a single bad one does not show.
func (e *Ear) lie() float64 {
	c := e.note.cents
	return middle(slices.Clone(c[max(0, len(c)-5):]))
}

func (e *Ear) window() int { return max(earLeast, int(earPeriods*Rate/e.hz)) }

// need is how many samples a measurement looks at.
func (e *Ear) need() int {
	return e.window() + int(earFine+Rate/e.hz*math.Exp2(earReach/1200)) + 3
}

// look measures at the sample e.next, and returns the note that has come to its end there.
func (e *Ear) look() (done *Stopped) {
	end := len(e.x) - (e.heard - e.next)
	if end < e.need() {
		return nil
	}
	x := e.x[end-e.need() : end]
	w := e.window()
	last := x[len(x)-w:]
	loud := 0.0
	for _, v := range last {
		loud += v * v
	}
	loud = math.Sqrt(loud / float64(w))
	c, ok := e.measure(x, w)
	at := (float64(e.next) - float64(w)/2) / Rate
	if ok = ok && loud > quietRMS; loud > earRises*e.before && e.before > 0 && len(e.note.at) > 0 && at-e.note.began > 0.1 {
		done = e.end() // struck again
	}
	e.before = loud
	switch {
	case ok:
		if len(e.note.at) == 0 {
			e.note.began = at
		}
		e.note.at, e.note.cents, e.note.lost = append(e.note.at, at), append(e.note.cents, c), 0
		e.note.peak = math.Max(e.note.peak, loud)
	case len(e.note.at) > 0:
		e.note.lost++
	}
	if n := len(e.note.at); n > 0 && (e.note.lost > earLost || loud < earFaint*e.note.peak || at-e.note.began > earMost) {
		done = e.end()
	}
	return done
}

// measure tells how far in cents the end of x is from the note that is asked for. ok is false if nothing sounds
// there, or an octave higher.
func (e *Ear) measure(x []float64, w int) (cents float64, ok bool) {
	period := Rate / e.hz
	d := func(lag int) float64 { return differs(x, w, lag) }
	lo, hi := int(period*math.Exp2(-earReach/1200)), int(math.Ceil(period*math.Exp2(earReach/1200)))
	best, least := 0, earDiffers
	for lag := max(2, lo); lag <= hi; lag++ {
		if v := d(lag); v < least {
			best, least = lag, v
		}
	}
	if best == 0 || best == lo || best == hi {
		return 0, false
	}
	if half := d(best / 2); best/2 > 2 && half < math.Min(earDiffers, least/earOctave+0.02) {
		return 0, false
	}
	// The same over k periods: k times as fine.
	one := parabola(d(best-1), d(best), d(best+1), best)
	k := max(1, int(earFine/one))
	if k > 1 {
		near := int(math.Round(float64(k) * one))
		far, most := 0, math.Inf(1)
		for lag := near - k; lag <= near+k; lag++ { // a sample a period to either side
			if v := d(lag); v < most {
				far, most = lag, v
			}
		}
		if most < 2*earDiffers && far > near-k && far < near+k {
			one = parabola(d(far-1), d(far), d(far+1), far) / float64(k)
		}
	}
	return 1200 * math.Log2(period/one), true
}

// differs is how much the last w samples of x differ from those lag before, as a share of the energy of both.
func differs(x []float64, w, lag int) float64 {
	a, b := x[len(x)-w:], x[len(x)-w-lag:len(x)-lag]
	sum, all := 0.0, 1e-12
	for i, v := range a {
		u := b[i]
		sum += (v - u) * (v - u)
		all += v*v + u*u
	}
	return sum / all
}

// parabola is where the least lies of three values around a lag.
func parabola(l, m, r float64, at int) float64 {
	if l+r-2*m <= 0 {
		return float64(at)
	}
	return float64(at) + 0.5*(l-r)/(l+r-2*m)
}

// end returns the note that sounded, nil if it was too short, and forgets it.
func (e *Ear) end() *Stopped {
	defer e.over()
	at, c := e.note.at, e.note.cents
	if len(at) < 2*few || at[len(at)-1]-at[0] < earShortest {
		return nil
	}
	return stopped(at, c)
}

// stopped describes a contour in cents, measured every earHop.
func stopped(at, c []float64) *Stopped {
	s := &Stopped{Seconds: at[len(at)-1] - at[0]}
	first := c[:min(len(c), int(mostGlide/glideStep))]
	s.Glide = described(at[:len(first)], first, at[0])
	from := 0
	if s.Glide != nil {
		for from < len(at)-2*few && at[from] < at[0]+s.Glide.Seconds {
			from++
		}
	}
	held := c[from:]
	s.Cents = middle(slices.Clone(held))
	s.Vibrato = swinging(at[from:], held, startStep*int(shakeStep/glideStep))
	if s.Vibrato != nil {
		s.Cents = s.Vibrato.Centre
	}
	off := make([]float64, len(held))
	for i, v := range held {
		off[i] = math.Abs(v - s.Cents)
	}
	slices.Sort(off)
	s.Spread = off[len(off)*4/5]
	return s
}
