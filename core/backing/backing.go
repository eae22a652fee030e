// Package backing plans how to play chords without a melody: a grip for every chord and the strings of
// a picking pattern over it.
//
// The pattern names roles. Over each chord they become strings of the grip; a role that the grip does
// not fill may be taken by a string left open, by the finger of the other bass string hopping across,
// or by a free finger. Grips are chosen for the whole progression at once, so that holding them,
// changing between them and filling the pattern cost least in all (grip.Chain); then the digits are,
// for the strings chosen. The proof is a bound: the grips' total cannot be less, and digits cost
// nothing at best.
package backing

import (
	"context"
	"errors"
	"fmt"

	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Request is everything that a backing depends on.
type Request struct {
	Tune     *tune.Tune // its chords, bars and meter; notes are not looked at
	Tuning   tuning.Tuning
	Capo     int
	Tempo    float64 // quarter notes a minute; 0 keeps the tune's own
	Player   player.Profile
	Sections []pattern.Section
	Pins     []Pin
	Early    []int // spans, from 0, whose last stroke is to be an open string, so that the hand is free sooner
}

// Pin holds a span to one shape; Frets is by string, 1 … 6.
type Pin struct {
	Span  int
	Frets [tuning.Strings + 1]int
}

// Span is one chord's stretch of time with its grip.
type Span struct {
	At, End tune.Time
	Bar     int // from 1
	Chord   chord.Chord
	Grip    grip.Grip
	Name    string // what the grip really sounds
	Stays   []int  // fingers that stay from the grip before
	Cost    float64
	NoBass  bool // no string of the grip can take the root
	Change  Change
}

// Change is the way into a span from the one before.
type Change struct {
	What        string
	Need, There float64 // seconds
	BPM         float64 // tempo up to which there is time; 0 if nothing moves
	Early       *Early  // an open string on the last stroke before, if that buys time
}

// Early is what letting go early buys.
type Early struct {
	String int
	There  float64
	BPM    float64
}

// Backing is a plan for chords.
type Backing struct {
	Request Request
	Spans   []Span
	Moments []play.Moment
	Lost    []Lost
	Held    float64 // least cost of grips, changes and pattern
	Total   float64 // with the digits
	Gap     float64 // how much of Total may be saved at most, as a share
	Ceiling play.Ceiling
}

// Lost is something that the pattern asks for and that is left out.
type Lost struct {
	At   tune.Time
	Part play.Part
	Why  string
}

// Weights, in the planner's units.
const (
	wRole    = 0.8  // · fit of the thumb's string
	wLost    = 2.0  // a thumb note left out, as in the planner
	wFinger  = 0.7  // a finger's string left out
	wHop     = 0.18 // a finger hopping to another bass string
	wExtra   = 0.15 // a free finger put down for one note
	wHitLost = 1.2
)

// step is one step of the pattern in a span.
type step struct {
	beat pattern.Beat
	at   tune.Time
	role pattern.Role
	over chord.Chord
	one  bool
}

type solver struct {
	r     *Request
	t     grip.Guitar
	clock tune.Clock
	spans []Span
	steps [][]step // by span
	cands []*grip.Candidates
}

// Solve plans r. Errors are written for people: *grip.NoGripError, *thumb.StepError or plain.
func Solve(ctx context.Context, r Request) (*Backing, error) {
	s := &solver{r: &r, t: grip.Guitar{Tuning: r.Tuning, Capo: r.Capo, Player: r.Player}}
	if err := s.check(); err != nil {
		return nil, err
	}
	s.clock = r.Tune.Clock(r.Tempo)
	s.laySpans()
	if err := s.laySteps(); err != nil {
		return nil, err
	}
	if err := s.findGrips(ctx); err != nil {
		return nil, err
	}
	memo := map[memoKey][]float64{}
	path, total := s.t.Chain(s.cands, func(i, k int) float64 { return s.own(memo, i)[k] }, s.hurry())
	b := &Backing{Request: r, Held: total}
	for i := range s.spans {
		sp := &s.spans[i]
		sp.Grip = s.cands[i].Grips[path[i]]
		sp.Name = s.t.Name(&sp.Grip)
		sp.Cost = sp.Grip.Cost + s.own(memo, i)[path[i]]
		if i > 0 {
			sp.Stays = grip.Stays(&s.spans[i-1].Grip, &sp.Grip)
		}
	}
	s.play(b)
	return b, nil
}

func (s *solver) check() error {
	r := s.r
	switch {
	case r.Tune == nil || len(r.Tune.Chords) == 0:
		return errors.New("there are no chords")
	case tuning.CheckCapo(r.Capo) != nil:
		return tuning.CheckCapo(r.Capo)
	case r.Tempo != 0 && !(r.Tempo >= tune.MinTempo && r.Tempo <= tune.MaxTempo):
		return fmt.Errorf("tempo %g: %s", r.Tempo, tune.TempoRule)
	case r.Player.Lap():
		return errors.New("there are no grips for a guitar played flat with a bar: choose a player who holds it upright")
	case len(r.Sections) == 0:
		return errors.New("there is no pattern")
	}
	for _, sec := range r.Sections {
		if err := sec.Pattern.Validate(); err != nil {
			return fmt.Errorf("pattern %q: %w", sec.Pattern.Name, err)
		}
		if err := sec.Pattern.Suits(r.Player.Fingers); err != nil {
			return fmt.Errorf("pattern %q: %w", sec.Pattern.Name, err)
		}
	}
	return r.Player.Validate()
}

// laySpans cuts the tune where the chord changes. Time before the first symbol belongs to it.
func (s *solver) laySpans() {
	tu := s.r.Tune
	for i, c := range tu.Chords {
		end := tu.Length
		if i+1 < len(tu.Chords) {
			end = tu.Chords[i+1].At
		}
		at := c.At
		if i == 0 {
			at = 0
		}
		if n := len(s.spans); n > 0 && s.spans[n-1].Chord.Name == c.Chord.Name {
			s.spans[n-1].End = end
			continue
		}
		s.spans = append(s.spans, Span{At: at, End: end, Bar: tu.BarOver(at) + 1, Chord: c.Chord})
	}
}

// laySteps lays each bar's pattern over the spans.
func (s *solver) laySteps() error {
	tu := s.r.Tune
	s.steps = make([][]step, len(s.spans))
	last := pattern.Root
	for bar := range tu.Bars {
		p := pattern.PatternIn(tu, bar, s.r.Sections)
		if p == nil {
			m := tu.MeterOver(tu.Bars[bar])
			return fmt.Errorf("bar %d is in %d/%d, and there is no pattern in that meter", bar+1, m.Num, m.Den)
		}
		p.StepTimes(tu, bar, func(b pattern.Beat, at tune.Time) {
			i := s.spanOver(at)
			st := step{beat: b, at: at, over: s.spans[i].Chord, one: b.Step == 1}
			st.role, st.over = s.role(b.Thumb, i, last)
			if st.role != pattern.NoRole {
				last = st.role
			}
			s.steps[i] = append(s.steps[i], st)
		})
	}
	return nil
}

func (s *solver) spanOver(at tune.Time) int {
	i := 0
	for i+1 < len(s.spans) && s.spans[i+1].At <= at {
		i++
	}
	return i
}

// role turns a word of the pattern in span i into a role and the chord that it belongs to.
func (s *solver) role(word string, i int, last pattern.Role) (pattern.Role, chord.Chord) {
	here := s.spans[i].Chord
	switch word {
	case "root":
		return pattern.Root, here
	case "alternate":
		return pattern.Alternate, here
	case "higher":
		return pattern.Higher, here
	case "repeat":
		return last, here
	case "walk", "arrive":
		if i+1 == len(s.spans) {
			return pattern.Alternate, here
		}
		if word == "walk" {
			return pattern.Walk, s.spans[i+1].Chord
		}
		return pattern.Root, s.spans[i+1].Chord
	}
	return pattern.NoRole, here
}

func (s *solver) findGrips(ctx context.Context) error {
	known := map[string]*grip.Candidates{}
	for i := range s.spans {
		if err := ctx.Err(); err != nil {
			return err
		}
		name := s.spans[i].Chord.Name
		if pin := s.pinOf(i); pin != nil {
			c, err := s.t.Candidates(s.spans[i].Chord, &pin.Frets)
			if err != nil {
				return fmt.Errorf("%s in bar %d: %w", name, s.spans[i].Bar, err)
			}
			s.cands = append(s.cands, c)
			continue
		}
		if known[name] == nil {
			c, err := s.t.Candidates(s.spans[i].Chord, nil)
			if err != nil {
				return err
			}
			known[name] = c
		}
		s.cands = append(s.cands, known[name])
	}
	return nil
}

func (s *solver) pinOf(span int) *Pin {
	for i := range s.r.Pins {
		if s.r.Pins[i].Span == span {
			return &s.r.Pins[i]
		}
	}
	return nil
}

// hurry weighs each change by how short the time for it is: 1 for half a second.
func (s *solver) hurry() []float64 {
	out := make([]float64, len(s.spans))
	for i := range out {
		out[i] = 1
		if i > 0 && len(s.steps[i-1]) > 0 && len(s.steps[i]) > 0 {
			last, first := s.steps[i-1][len(s.steps[i-1])-1].at, s.steps[i][0].at
			out[i] = 0.5 / max(s.clock.Seconds(first)-s.clock.Seconds(last), 0.05)
		}
	}
	return out
}

// memoKey is what own depends on.
type memoKey struct {
	cands *grip.Candidates
	steps string
}

// own is what the pattern costs in span i, for each of its grips.
func (s *solver) own(memo map[memoKey][]float64, i int) []float64 {
	key := memoKey{s.cands[i], s.signature(i)}
	if memo[key] == nil {
		costs := make([]float64, len(s.cands[i].Grips))
		for k := range costs {
			g := &s.cands[i].Grips[k]
			for j := range s.steps[i] {
				costs[k] += s.fill(i, j, g).cost
			}
		}
		memo[key] = costs
	}
	return memo[key]
}

// signature tells spans apart whose steps differ.
func (s *solver) signature(i int) string {
	text := ""
	for j := range s.steps[i] {
		st := &s.steps[i][j]
		text += fmt.Sprintf("%d %s %v %s %v|", st.role, st.over.Name, st.beat.Fingers, st.beat.Hit, s.early(i, j))
	}
	return text
}

// early reports whether step j of span i is to be an open string.
func (s *solver) early(i, j int) bool {
	if j+1 < len(s.steps[i]) {
		return false
	}
	for _, e := range s.r.Early {
		if e == i {
			return true
		}
	}
	return false
}

// filled is what a step becomes under a grip.
type filled struct {
	thumb   bassNote
	fingers []int // strings, by the beat's roles; 0 where none sounds
	hit     string
	cost    float64
}

// bassNote is the thumb's note: str 0 if there is none or it is left out.
type bassNote struct {
	str, fret int
	finger    int    // that frets it, 0 for an open string
	by        string // "" as the grip has it, "hop" by a finger hopping, "extra" by a free one
	cost      float64
	lost      bool
}

// fill plays step j of span i under g.
func (s *solver) fill(i, j int, g *grip.Grip) filled {
	st := &s.steps[i][j]
	out := filled{hit: st.beat.Hit}
	if out.hit == pattern.Release && !s.frets(g) {
		out.hit, out.cost = "", wHitLost // nothing is held that could be let go
	}
	if st.role != pattern.NoRole {
		out.thumb = s.bass(st, g, s.early(i, j))
		out.cost += out.thumb.cost
	}
	out.fingers = s.treble(st, g, out.thumb.str)
	for _, str := range out.fingers {
		if str == 0 {
			out.cost += wFinger
		}
	}
	return out
}

func (s *solver) frets(g *grip.Grip) bool {
	for str := 1; str <= tuning.Strings; str++ {
		if g.Fingers[str] != 0 {
			return true
		}
	}
	return false
}

// bass finds the best string for the thumb.
func (s *solver) bass(st *step, g *grip.Grip, open bool) bassNote {
	best := bassNote{cost: wLost, lost: true}
	if st.one {
		best.cost += wLost / 2
	}
	try := func(n bassNote, extra float64) {
		p := s.t.Pitch(n.str, n.fret)
		n.cost = extra + wRole*pattern.Fit(s.r.Tuning, s.r.Capo, st.over, st.role, n.str, p)
		if st.role != pattern.Walk {
			n.cost += wRole * pattern.Clash(st.over, p)
		}
		if n.cost < best.cost {
			best = n
		}
	}
	for str := tuning.Strings; str >= 1; str-- {
		if !pattern.IsBassString(str) {
			continue
		}
		switch fret := g.Frets[str]; {
		case fret == grip.Out && mayRing(g.By[str]):
			try(bassNote{str: str, fret: s.r.Capo}, 0)
		case fret == s.r.Capo || fret != grip.Out && !open:
			try(bassNote{str: str, fret: fret, finger: g.Fingers[str]}, 0)
		}
	}
	if open || best.cost < wHop {
		return best
	}
	for f := 1; f <= 4; f++ {
		s.reachFor(g, f, try)
	}
	return best
}

// mayRing: nothing of the left hand lies on a string left out.
func mayRing(by play.Damper) bool {
	return by == grip.NotStruck || by == play.ByHeel || by == grip.ByThumb
}

// reachFor tries the bass notes that finger f can take next to the grip: hopping from its own bass
// string if it holds no other, or coming down if it is free.
func (s *solver) reachFor(g *grip.Grip, f int, try func(bassNote, float64)) {
	from, n, lo, hi := 0, 0, 99, 0
	for str := 1; str <= tuning.Strings; str++ {
		if g.Fingers[str] == f {
			from, n = str, n+1
		}
		if g.Fingers[str] != 0 {
			lo, hi = min(lo, g.Frets[str]), max(hi, g.Frets[str])
		}
	}
	if n > 1 || n == 1 && !pattern.IsBassString(from) || hi == 0 {
		return
	}
	for str := tuning.Strings; str >= 4; str-- {
		for fret := max(lo-1, s.r.Capo+1); fret <= hi+1; fret++ {
			if str == from || g.Fingers[str] != 0 {
				continue
			}
			by, extra := "extra", wExtra
			if n == 1 {
				by, extra = "hop", wHop
			}
			if s.t.Reaches(g, f, str, fret) {
				try(bassNote{str: str, fret: fret, finger: f, by: by}, extra)
			}
		}
	}
}

// treble finds the strings of the fingers' roles: the thinnest that sounds, the next, the third, all
// thinner than the thumb's.
func (s *solver) treble(st *step, g *grip.Grip, bass int) []int {
	var sounding []int
	for str := 1; str < tuning.Strings; str++ {
		if g.Frets[str] != grip.Out && (bass == 0 && !pattern.IsBassString(str) || str < bass) {
			sounding = append(sounding, str)
		}
	}
	out := make([]int, len(st.beat.Fingers))
	for i, role := range st.beat.Fingers {
		for n, name := range pattern.FingerRoles {
			if name == role && n < len(sounding) {
				out[i] = sounding[n]
			}
		}
	}
	return out
}

// spell names a pitch in the tune's key.
func (s *solver) spell(p pitch.Pitch) pitch.Note { return pitch.Spell(p, s.r.Tune.Key.Flats) }
