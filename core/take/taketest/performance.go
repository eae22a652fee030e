// Package taketest plays plans for tests of what hears them: a performance with known faults, by strings that share
// nothing with package sound, in rooms, through phones and in noise. All of it is drawn from seeds.
package taketest

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tuning"
)

// Manner is how a plan is played.
type Manner struct {
	Seed       uint64
	Faults     bool    // some notes are late, out of tune, left out, an octave too high; some strings ring on
	Drift      float64 // of the tempo, as a share to either side
	Rubato     float64 // by what share the end of every fourth bar is slower
	JitterMs   float64 // standard deviation of when moments are struck
	FalseStart int     // moments that are played before it is begun again; 0 for none
	Repeat     int     // bar, from 1, that is played twice; 0 for none
	Stop       int     // moment after which the player stops for StopFor seconds and lets ring what rings; 0 for none
	StopFor    float64
	Guitar     float64 // cents that the whole guitar is off
}

// Stroke names a string at a moment.
type Stroke struct{ Moment, String int }

// Truth is what was done.
type Truth struct {
	Events   []Event            // every moment that was played, in order of time
	Onset    map[int]float64    // seconds at which each moment was played last
	LateMs   map[int]float64    // against the player's tempo; negative for early
	Cents    map[Stroke]float64 // out of tune by more than the guitar is
	Octave   map[Stroke]bool
	Missing  map[Stroke]bool
	Clear    map[Stroke]bool    // of those missing that have a partial of their own
	Ringing  map[Stroke]float64 // seconds for which each string has rung where it should not
	Forgot   []Stroke           // where that begins
	Heavy    int                // moments that were left out as a whole
	Stopped  bool               // they stopped, or went back
	Sounding float64            // seconds of the performance
}

// Event is a moment that is played.
type Event struct {
	Moment int
	At     float64
}

// Note is a string that begins to sound.
type Note struct {
	String   int
	At       float64
	Hz, From float64 // the pitch, and where it comes from
	Slide    float64 // seconds from there
	Level    float64 // 0 to 1
	Tau      float64 // seconds in which it falls to 1/e
	Slur     bool    // by the fretting hand
	Metal    bool    // under the slide
	Shake    float64 // cents of vibrato to either side
	Along    []int   // strings that lie free, and may ring along
}

// Damp is a string that is touched.
type Damp struct {
	String int
	At     float64
	Tau    float64
}

// Performance is what is played.
type Performance struct {
	Notes   []Note
	Damps   []Damp
	Open    [tuning.Strings]float64 // Hz
	Seconds float64
	stopped [tuning.Strings]bool // the string was struck at a fret, or under the slide: it ends when that is left
}

// lead is the silence before the first note, tail that after the last, seconds.
const (
	lead = 0.7
	tail = 2.2
)

// Play is a plan as it is played in a manner, and what was done.
func Play(p *plan.Plan, m Manner) (*Performance, *Truth) {
	rng := rand.New(rand.NewPCG(m.Seed, 77))
	tr := &Truth{Onset: map[int]float64{}, LateMs: map[int]float64{}, Cents: map[Stroke]float64{}, Octave: map[Stroke]bool{}, Missing: map[Stroke]bool{},
		Clear: map[Stroke]bool{}, Ringing: map[Stroke]float64{}}
	if m.Faults {
		tr.draw(p, rng)
	}
	tr.Stopped = m.Stop > 0 || m.Repeat > 0 || m.FalseStart > 0
	pf := &Performance{}
	tuned := math.Exp2(m.Guitar / 1200)
	for s := 1; s <= tuning.Strings; s++ {
		pf.Open[s-1] = p.Request.Tuning.Open(s).Hertz(440) * math.Exp2(float64(p.Request.Capo)/12) * tuned
	}
	for _, e := range order(p, m) {
		at := lead + e.At
		if e.Moment < 0 { // all stops
			for s := 1; s <= tuning.Strings; s++ {
				pf.Damps = append(pf.Damps, Damp{s, at, 0.05})
			}
			continue
		}
		at += tr.LateMs[e.Moment]/1000 + m.JitterMs/1000*rng.NormFloat64()
		tr.Events, tr.Onset[e.Moment] = append(tr.Events, Event{e.Moment, at}), at
		pf.moment(p, e.Moment, at, tuned, tr, rng)
	}
	last := tr.Events[len(tr.Events)-1].At
	pf.Seconds, tr.Sounding = last+tail, last+tail
	slices.SortStableFunc(pf.Notes, func(a, b Note) int { return cmp.Compare(a.At, b.At) })
	slices.SortStableFunc(tr.Events, func(a, b Event) int { return cmp.Compare(a.At, b.At) })
	return pf, tr
}

// order is when each moment is due, in seconds from the beginning; -1 is where all stops.
func order(p *plan.Plan, m Manner) (out []Event) {
	clock := func(seconds float64) float64 { return warp(p, m, seconds) }
	begin := 0.0
	if m.FalseStart > 0 && m.FalseStart < len(p.Moments) {
		for i := range m.FalseStart {
			out = append(out, Event{i, clock(p.Moments[i].Seconds)})
		}
		end := clock(p.Moments[m.FalseStart].Seconds)
		out = append(out, Event{-1, end})
		begin = end + 0.9
	}
	for i := range p.Moments {
		out = append(out, Event{i, begin + clock(p.Moments[i].Seconds)})
		if i > 0 && i == m.Stop {
			begin += m.StopFor
		}
		if b := p.Moments[i].Bar; m.Repeat > 0 && b == m.Repeat && i+1 < len(p.Moments) && p.Moments[i+1].Bar > b {
			first := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.Bar == b })
			by := clock(p.Moments[i+1].Seconds) - clock(p.Moments[first].Seconds)
			for k := first; k <= i; k++ {
				out = append(out, Event{k, begin + by + clock(p.Moments[k].Seconds)})
			}
			begin += by
		}
	}
	return out
}

// driftSeconds is how long the tempo takes to and fro.
const driftSeconds = 14.0

// warp is when what the plan has at a time is played.
func warp(p *plan.Plan, m Manner, seconds float64) float64 {
	const step = 0.01
	at := 0.0
	bar := 0.0
	if n := len(p.Request.Tune.Bars); n > 0 {
		bar = p.Request.Tune.Clock(p.Tempo()).Seconds(p.Request.Tune.Length) / float64(n)
	}
	for x := 0.0; x < seconds; x += step {
		ratio := 1 + m.Drift*math.Sin(2*math.Pi*x/driftSeconds)
		if m.Rubato > 0 && bar > 0 { // slower over the last bar of four, a little faster before
			if in := math.Mod(x, 4*bar) / bar; in > 3 {
				ratio *= 1 + m.Rubato*(in-3)
			} else {
				ratio *= 1 - m.Rubato/6
			}
		}
		at += ratio * math.Min(step, seconds-x)
	}
	return at
}

// moment plays one moment.
func (pf *Performance) moment(p *plan.Plan, t int, at, tuned float64, tr *Truth, rng *rand.Rand) {
	mo := &p.Moments[t]
	var along []int
	for i, st := range mo.Strings {
		if st.State == play.Harmless || st.State == play.Leaks {
			along = append(along, i+1)
		}
	}
	struck := map[int]bool{}
	for _, s := range mo.Strokes() {
		struck[s.String] = true
		key := Stroke{t, s.String}
		if tr.Missing[key] {
			continue
		}
		hz := s.Note.Pitch().Hertz(440) * tuned * math.Exp2(tr.Cents[key]/1200)
		if tr.Octave[key] {
			hz *= 2
		}
		n := Note{String: s.String, At: at + 0.003*rng.Float64(), Hz: hz, From: hz, Level: 0.75 + 0.12*rng.NormFloat64(), Tau: tauOf(pf.Open[s.String-1]), Slur: s.Digit == "" && s.How != play.Tapped, Metal: s.How.Slid(), Along: along}
		if s.Part == play.Thumb {
			n.Level *= 0.85
			n.Tau *= map[string]float64{"": 1, "half": 0.3, "thump": 0.12, "stab": 0.15}[mo.Mute]
		}
		if s.How != play.Open {
			n.Tau *= 0.75
		}
		if mo.Accent && s.Part == play.Thumb {
			n.Level *= 1.35
		}
		n.Level = math.Max(0.35, math.Min(1, n.Level))
		switch s.How {
		case play.Glide, play.Bend:
			n.From, n.Slide = hz*math.Exp2((s.From-s.Fret)/12), 0.06+0.08*rng.Float64()
		case play.Dead:
			n.Tau = 0.02
		}
		pf.Notes, pf.stopped[s.String-1] = append(pf.Notes, n), s.How != play.Open && s.How != play.Harmonic
	}
	for i, st := range mo.Strings {
		_, forgot := tr.Ringing[Stroke{t, i + 1}]
		if ends := st.State == play.Silenced || st.State == play.Harmless && pf.stopped[i]; ends && !struck[i+1] && !forgot {
			pf.stopped[i] = false
			pf.Damps = append(pf.Damps, Damp{i + 1, at + 0.01*rng.Float64(), 0.025 + 0.03*rng.Float64()})
		}
	}
}

// tauOf is how long a string rings that is tuned to a pitch.
func tauOf(open float64) float64 { return 2.3 * math.Pow(110/open, 0.45) }

// draw decides what goes wrong.
func (tr *Truth) draw(p *plan.Plan, rng *rand.Rand) {
	n := len(p.Moments)
	for t := 3; t < n-3; t++ {
		mo := &p.Moments[t]
		plucked := slices.DeleteFunc(mo.Strokes(), func(s *play.Stroke) bool { return s.Digit == "" || s.How == play.Dead })
		if len(plucked) == 0 {
			continue
		}
		s := plucked[rng.IntN(len(plucked))]
		key := Stroke{t, s.String}
		switch x := rng.Float64(); {
		case x < 0.07 && len(mo.Strokes()) == len(plucked):
			if gap := mo.Seconds - p.Moments[t-1].Seconds; gap > 0.22 && p.Moments[t+1].Seconds-mo.Seconds > 0.22 {
				tr.LateMs[t] = (70 + 50*rng.Float64()) * sign(rng)
			}
		case x < 0.15 && s.How != play.Open:
			tr.Cents[key] = (18 + 25*rng.Float64()) * sign(rng)
		case x < 0.20:
			tr.Missing[key], tr.Clear[key] = true, apart(p, t, s.String)
			if len(mo.Strokes()) == 1 {
				tr.Heavy++
			}
		case x < 0.23 && s.Part == play.Melody && len(mo.Strokes()) == 1:
			tr.Octave[key] = true
		case x < 0.40:
			tr.forget(p, t)
		}
	}
}

func sign(rng *rand.Rand) float64 { return float64(1 - 2*rng.IntN(2)) }

// forget lets one string ring that was struck not long before and should be silenced.
func (tr *Truth) forget(p *plan.Plan, t int) {
	for s := 1; s <= tuning.Strings; s++ {
		if p.Moments[t].Strings[s-1].State != play.Silenced {
			continue
		}
		for k := t - 1; k >= max(0, t-3); k-- {
			if !hits(&p.Moments[k], s) || tr.Missing[Stroke{k, s}] {
				continue
			}
			for m := k + 1; m < t; m++ { // it must not have been silenced in between
				if p.Moments[m].Strings[s-1].State == play.Silenced {
					return
				}
			}
			tr.Forgot = append(tr.Forgot, Stroke{t, s})
			for m := t; m < len(p.Moments) && !hits(&p.Moments[m], s); m++ {
				tr.Ringing[Stroke{m, s}] = p.Moments[m].Seconds - p.Moments[k].Seconds
			}
			return
		}
	}
}

func hits(mo *play.Moment, str int) bool {
	return slices.ContainsFunc(mo.Strokes(), func(s *play.Stroke) bool { return s.String == str })
}

// apart reports whether a stroke has one of its five lowest partials to itself, half a semitone away from those of what
// else is struck or rings.
func apart(p *plan.Plan, t, str int) bool {
	mo := &p.Moments[t]
	var own float64
	var others []float64
	for _, s := range mo.Strokes() {
		if hz := s.Note.Pitch().Hertz(440); s.String == str {
			own = hz
		} else {
			others = append(others, hz)
		}
	}
	for k := t - 1; k >= 0 && mo.Seconds-p.Moments[k].Seconds < 1.5; k-- {
		for _, s := range p.Moments[k].Strokes() {
			if s.String != str && mo.Strings[s.String-1].State == play.Rings {
				others = append(others, s.Note.Pitch().Hertz(440))
			}
		}
	}
	for k := 1; k <= 5; k++ {
		f := own * float64(k)
		if !slices.ContainsFunc(others, func(hz float64) bool { return math.Abs(12*math.Log2(f/(hz*math.Max(1, math.Round(f/hz))))) < 0.5 }) {
			return true
		}
	}
	return false
}
