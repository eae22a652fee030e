// Package rank finds the tuning, capo and key in which a tune is played best.
//
// Every way is judged by the least total of a plan, what the retuning takes, how near the strings come to their
// limit, which chords lie under a straight bar, and whether the plan holds the wanted tempo. Most ways are
// never planned: a plan costs at least what the left hand costs (plan.Bound), and what already
// costs more than the tenth best cannot be among the first ten. The first ten are proved so; all terms of each
// are shown.
package rank

import (
	"context"
	"errors"
	"maps"
	"slices"
	"sort"
	"sync"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/retune"
	"stepping/core/tuning"
)

// Request is a tune and what may be changed for it.
type Request struct {
	Plan    plan.Request // its tuning is what the guitar is tuned to now; capo and pins are not looked at
	Guitar  retune.Guitar
	KeepKey bool  // the sounding key stays
	Capos   int   // highest fret of the capo
	Workers int   // plans worked out at a time; 0: 1
	Known   []Way // ranked by an earlier run that was stopped; they are not planned again

	// Progress, if not nil, is told of the ways found so far after each plan. It must be quick and must
	// keep nothing.
	Progress func(r *Ranking)
}

// Way is one tuning, capo and key.
type Way struct {
	Tuning   tuning.Named
	Capo     int
	Steps    int     // half steps that the tune is moved up
	Total    float64 // of the best plan
	Ceiling  float64 // tempo, 0 if nothing limits it
	Leaks    int     // moments at which a string leaks
	UnderBar float64 // share of the chords that a straight bar gives
	Turned   int     // half steps of retuning
	Tightest float64 // share of breaking stress of the tightest string
	Retuning float64 // cost
	Capoed   float64 // cost of the capo
	Risk     float64 // cost
	Bar      float64 // cost of the chords that no straight bar gives, to one who plays with a slide
	Home     float64 // cost of a home chord that is not on the open strings, its root not in the bass
	Strange  float64 // cost of a tuning that the player does not know, and of shapes that are lost in it
	Slow     float64 // cost of a ceiling below the wanted tempo
	Score    float64 // the sum of Total and all costs: the rank
	First    First   // how it begins
}

// First is the strokes of the first bars of a way.
type First [firstStrokes]Stroke

const (
	firstStrokes = 24
	firstBars    = 2
)

// Stroke is one of them; String 0 ends the list.
type Stroke struct {
	At     float64 // quarter notes
	String int
	Fret   float64
	How    play.How
}

func newFirst(p *plan.Plan) (f First) {
	n := 0
	for i := range p.Moments {
		if p.Moments[i].Bar > firstBars {
			break
		}
		for _, s := range p.Moments[i].Strokes() {
			if n < firstStrokes {
				f[n] = Stroke{p.Moments[i].At.Quarters(), s.String, s.Fret, s.How}
				n++
			}
		}
	}
	return f
}

// Ranking is the answer, also while it is being worked out.
type Ranking struct {
	Ways    []Way // those planned, best first
	All     int   // ways that there are
	Planned int   // of them planned in full
	Passed  int   // left out by their bounds
	Proved  int   // the first so many rows are proved: no other shape is better, and each shape's best way is there
}

// candidate is a way not yet planned.
type candidate struct {
	Way
	req  plan.Request
	must bool // it is planned whatever its bound says: standard tuning, and home's own tunings without a capo
	*group
	shape shape
}

// shape is a tuning by the intervals from string to string, 6 to 1: what is fingered alike, whatever the capo.
type shape [tuning.Strings - 1]pitch.Pitch

func shapeOf(t tuning.Tuning) (s shape) {
	for i := range s {
		s[i] = t.Open(tuning.Strings-1-i) - t.Open(tuning.Strings-i)
	}
	return s
}

// group is the ways whose strings lie alike under the tune: with a capo the same shapes are left, and
// fewer frets; higher up strings die away sooner. What the group costs at least is worked out for no
// capo and the highest key, where it is least.
type group struct {
	base    plan.Request
	floor   float64
	fits    bool
	bounded bool // floor is plan.Bound
}

// Rank ranks every library tuning with every capo, and every key that fits unless it is kept. When ctx
// ends, what was found so far is returned with ctx's error.
func Rank(ctx context.Context, r Request) (*Ranking, error) {
	rk := &ranker{r: &r, out: &Ranking{}}
	rk.known()
	if err := rk.candidates(); err != nil {
		return rk.out, err
	}
	rk.first(ctx)
	rk.each(func() { rk.floors(ctx) })
	rk.sortOpen()
	if len(rk.open) == 0 && len(rk.out.Ways) == 0 && ctx.Err() == nil {
		return rk.out, errors.New("the tune does not fit on this guitar in any tuning of the library: give the guitar more frets, or move the tune by an octave")
	}
	rk.each(func() { rk.work(ctx) })
	if ctx.Err() != nil {
		return rk.out, ctx.Err()
	}
	rk.out.Proved = min(ProvedTop, len(rk.best))
	return rk.out, rk.err
}

// each runs f on every worker.
func (rk *ranker) each(f func()) {
	var wait sync.WaitGroup
	for range max(rk.r.Workers, 1) {
		wait.Go(f)
	}
	wait.Wait()
}

type ranker struct {
	r      *Request
	mu     sync.Mutex
	open   []*candidate // by least, once floors are known
	groups []*group
	out    *Ranking
	done   map[wayKey]bool
	best   map[shape]float64 // the least score of each
	begun  map[shape]bool    // a way of it was the first to be planned
	err    error
	busy   int // ways being planned before there are enough
}

type wayKey struct {
	tuning      string
	capo, steps int
}

// known takes over what an earlier run found.
func (rk *ranker) known() {
	rk.done, rk.best, rk.begun = map[wayKey]bool{}, map[shape]float64{}, map[shape]bool{}
	for _, w := range rk.r.Known {
		rk.done[wayKey{w.Tuning.Name, w.Capo, w.Steps}] = true
		rk.add(w)
	}
	sortWays(rk.out.Ways)
}

// candidates lists the ways, in groups.
func (rk *ranker) candidates() error {
	known := map[[tuning.Strings]pitch.Pitch]*group{}
	highest := 0
	for _, n := range rk.steps() {
		highest = max(highest, n)
	}
	for _, named := range tuning.Library {
		t, err := tuning.Parse(named.Spelt)
		if err != nil {
			return err
		}
		p, err := retune.New(rk.r.Guitar, rk.r.Plan.Tuning, t)
		if err != nil {
			continue // a string would break
		}
		for capo := 0; capo <= rk.r.Capos; capo++ {
			for _, steps := range rk.steps() {
				c := rk.candidate(named, t, p, capo, steps)
				var key [tuning.Strings]pitch.Pitch
				for s := 1; s <= tuning.Strings; s++ {
					key[s-1] = t.Open(s) + pitch.Midi(capo-steps)
				}
				if known[key] == nil {
					g := &group{base: rk.r.Plan}
					g.base.Tune = rk.r.Plan.Tune.Transposed(highest)
					g.base.Tuning, g.base.Capo = t.Transpose(capo-steps+highest), 0
					g.base.Pins, g.base.Progress = nil, nil // bounds need no word on repeats
					known[key] = g
					rk.groups = append(rk.groups, g)
				}
				c.group = known[key]
				rk.open = append(rk.open, c)
			}
		}
	}
	return nil
}

// first plans the way with nothing changed, so that there is something to see at once.
func (rk *ranker) first(ctx context.Context) {
	for i, c := range rk.open {
		if c.Turned == 0 && c.Capo == 0 && c.Steps == 0 && !rk.done[c.key()] {
			if p, err := plan.Solve(ctx, c.req); err == nil {
				rk.open = append(rk.open[:i:i], rk.open[i+1:]...)
				rk.done[c.key()] = true
				rk.keep(c, p)
			}
			return
		}
	}
}

func (c *candidate) key() wayKey { return wayKey{c.Tuning.Name, c.Capo, c.Steps} }

// floors works out what the groups cost at least, one after the other.
func (rk *ranker) floors(ctx context.Context) {
	for {
		rk.mu.Lock()
		if len(rk.groups) == 0 || ctx.Err() != nil {
			rk.mu.Unlock()
			return
		}
		g := rk.groups[0]
		rk.groups = rk.groups[1:]
		rk.mu.Unlock()
		floor, err := plan.CoarseBound(g.base)
		g.floor, g.fits = floor, err == nil
	}
}

// sortOpen leaves out what does not fit or is known, and sorts the rest.
func (rk *ranker) sortOpen() {
	open := rk.open
	rk.open = nil
	rk.out.All = len(rk.out.Ways)
	for _, c := range open {
		if c.fits && !rk.done[c.key()] {
			rk.open = append(rk.open, c)
			rk.out.All++
		}
	}
	rk.out.Planned = len(rk.out.Ways)
	sort.SliceStable(rk.open, func(i, j int) bool { return rk.open[i].least() < rk.open[j].least() })
}

func (rk *ranker) steps() []int {
	if rk.r.KeepKey {
		return []int{0}
	}
	out := []int{0}
	for n := 1; n <= farthest; n++ {
		out = append(out, n, -n)
	}
	return out
}

func (c *candidate) least() float64 { return c.floor + c.fixed() }

// fixed is what a way costs whatever its plan.
func (w *Way) fixed() float64 { return w.Retuning + w.Capoed + w.Risk + w.Bar + w.Home + w.Strange }

func (rk *ranker) candidate(named tuning.Named, t tuning.Tuning, p *retune.Plan, capo, steps int) *candidate {
	c := &candidate{Way: Way{Tuning: named, Capo: capo, Steps: steps, Turned: p.Steps()}, req: rk.r.Plan}
	for i := range p.Changes {
		if ch := &p.Changes[i]; ch.Share > c.Tightest {
			c.Tightest = ch.Share
		}
	}
	slid, long := slideShare[rk.r.Plan.Player.Lean], max(1, float64(len(rk.r.Plan.Tune.Notes))/usualNotes)
	c.shape = shapeOf(t)
	c.Retuning = perTurned * (2 - slid) * float64(c.Turned)
	high := float64(max(0, capo-freeCapo(&rk.r.Plan.Player)))
	c.Capoed = long * (slid*(perCapo*float64(capo)+perHigh*high) + (1-slid)*(fretCapo*float64(capo)+fretHigh*high))
	c.Risk = perRisk * max(0, c.Tightest-riskFrom)
	c.req.PlacesOnly = true
	c.req.Tune = rk.r.Plan.Tune.Transposed(steps)
	c.req.Tuning, c.req.Capo, c.req.Pins, c.req.Progress, c.req.Varied = t, capo, nil, nil, true
	c.UnderBar = underBar(c.req.Tune, t, capo)
	c.Bar = long * perBar * slid * (1 - c.UnderBar)
	key := c.req.Tune.Key
	if !barred(chord.Triad(key.Tonic, key.Minor), t, capo) {
		c.Bar += slid * perNote * float64(len(c.req.Tune.Notes))
	}
	c.Home = long * rk.home(c, t, slid)
	c.Strange = long * strange(&rk.r.Plan, named)
	c.must = capo == 0 && steps == 0 && (named.Name == "Standard" || c.Home == 0 && (slid > 0 || named.Usual))
	return c
}

// limit is the score that a way of a shape must come under to matter: to be that shape's best, or among the first.
func (rk *ranker) limit(s shape) float64 {
	limit := rk.last()
	if best, ok := rk.best[s]; ok {
		limit = min(limit, best)
	}
	return limit
}

// last is the score of the last of the first shapes.
func (rk *ranker) last() float64 {
	if len(rk.best) < ProvedTop {
		return 1e300
	}
	scores := slices.Sorted(maps.Values(rk.best))
	return scores[ProvedTop-1]
}

// add files a way.
func (rk *ranker) add(w Way) {
	rk.out.Ways = append(rk.out.Ways, w)
	sortWays(rk.out.Ways)
	if t, err := tuning.Parse(w.Tuning.Spelt); err == nil {
		s := shapeOf(t)
		if best, ok := rk.best[s]; !ok || w.Score < best {
			rk.best[s] = w.Score
		}
	}
}

// next takes the most promising way that is still open, of other groups at first; nil if none can be
// among the first. whole says that it is to be planned now, not just bounded better. Those that must
// be are planned at last.
func (rk *ranker) next() (c *candidate, whole bool) {
	rk.mu.Lock()
	defer rk.mu.Unlock()
	take := func(i int) *candidate {
		c := rk.open[i]
		rk.open = append(rk.open[:i:i], rk.open[i+1:]...)
		return c
	}
	if rk.err != nil || len(rk.open) == 0 {
		return nil, false
	}
	if len(rk.best)+rk.busy < ProvedTop {
		for i, c := range rk.open {
			if _, ok := rk.best[c.shape]; !ok && !rk.begun[c.shape] {
				rk.busy++
				rk.begun[c.shape] = true
				return take(i), true
			}
		}
	}
	last := rk.last()
	for i, c := range rk.open {
		if c.least() >= last {
			break
		}
		if c.least() < rk.limit(c.shape) {
			return take(i), c.bounded
		}
	}
	for i, c := range rk.open {
		if c.must {
			return take(i), true
		}
	}
	rk.out.Passed = rk.out.All - rk.out.Planned
	return nil, false
}

// work plans ways until none is left that matters.
func (rk *ranker) work(ctx context.Context) {
	for c, whole := rk.next(); c != nil && ctx.Err() == nil; c, whole = rk.next() {
		if !whole {
			rk.bound(ctx, c)
			continue
		}
		rk.mu.Lock()
		if limit := rk.limit(c.shape) - c.fixed(); limit > 0 && !c.must {
			c.req.Within = limit
		}
		rk.mu.Unlock()
		p, err := plan.Solve(ctx, c.req)
		var out *plan.RangeError
		switch {
		case err == nil:
			rk.keep(c, p)
		case errors.Is(err, plan.ErrOver): // not among the first
			rk.mu.Lock()
			rk.out.Planned++
			rk.mu.Unlock()
		case errors.As(err, &out): // with this capo a note lies beyond the last fret
		case ctx.Err() == nil:
			rk.mu.Lock()
			rk.err = err
			rk.mu.Unlock()
		}
	}
}

// bound gives c's group its better bound, unless another way of it did, and files c again.
func (rk *ranker) bound(ctx context.Context, c *candidate) {
	rk.mu.Lock()
	bounded, limit := c.bounded, rk.last()-c.fixed()
	rk.mu.Unlock()
	floor := 0.0
	if !bounded {
		var err error
		if floor, err = plan.Bound(ctx, c.base, limit); err != nil {
			return // ctx has ended
		}
	}
	rk.mu.Lock()
	defer rk.mu.Unlock()
	if !c.bounded {
		c.floor, c.bounded = max(c.floor, floor), true
		sort.SliceStable(rk.open, func(i, j int) bool { return rk.open[i].least() < rk.open[j].least() })
	}
	i := sort.Search(len(rk.open), func(i int) bool { return rk.open[i].least() >= c.least() })
	rk.open = append(rk.open, nil)
	copy(rk.open[i+1:], rk.open[i:])
	rk.open[i] = c
}

func (rk *ranker) keep(c *candidate, p *plan.Plan) {
	w := c.Way
	w.Total, w.Ceiling = p.Total, p.Ceiling.BPM
	if w.Ceiling > 0 {
		w.Slow = perSlow * max(0, p.Tempo()/w.Ceiling-1)
	}
	for i := range p.Moments {
		if len(p.Moments[i].Leaking()) > 0 {
			w.Leaks++
		}
	}
	w.Capoed += perFret * float64(c.Capo*fretted(p))
	w.Score, w.First = w.Total+w.fixed()+w.Slow, newFirst(p)
	rk.mu.Lock()
	defer rk.mu.Unlock()
	rk.busy = max(rk.busy-1, 0)
	rk.add(w)
	rk.out.Planned++
	if rk.r.Progress != nil {
		rk.r.Progress(rk.out)
	}
}

// fretted counts the melody notes that fingers hold.
func fretted(p *plan.Plan) (n int) {
	for i := range p.Moments {
		if s := p.Moments[i].Melody; s != nil && play.FingerNumber(s.Finger) > 0 {
			n++
		}
	}
	return n
}

// Row is one shape, fingered alike with any capo, with the ways to get there.
type Row struct {
	Way        // the best of them
	Ways []Way // all, the best first
}

// Rows puts ways that are one shape into one row, in the order of the best of each.
func Rows(ways []Way) (rows []Row) {
	at := map[shape]int{}
	for _, w := range ways {
		t, err := tuning.Parse(w.Tuning.Spelt)
		if err != nil {
			continue
		}
		i, ok := at[shapeOf(t)]
		if !ok {
			i = len(rows)
			at[shapeOf(t)] = i
			rows = append(rows, Row{Way: w})
		}
		rows[i].Ways = append(rows[i].Ways, w)
	}
	return rows
}

// sortWays sorts by score; equals by less retuning, lower capo, smaller move, then name.
func sortWays(ways []Way) {
	sort.SliceStable(ways, func(i, j int) bool {
		a, b := &ways[i], &ways[j]
		switch {
		case a.Score != b.Score:
			return a.Score < b.Score
		case a.Turned != b.Turned:
			return a.Turned < b.Turned
		case a.Capo != b.Capo:
			return a.Capo < b.Capo
		case a.Steps*a.Steps != b.Steps*b.Steps:
			return a.Steps*a.Steps < b.Steps*b.Steps
		}
		return a.Tuning.Name < b.Tuning.Name
	})
}
