package practice

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"
)

// Work is a tune that is being practised.
type Work struct {
	ID, Title string
	Rungs     []Rung
	Passes    []Pass    // of this tune, oldest first
	By        time.Time // the day of the gig that it is played at, zero if none
}

// Kinds of what a sitting holds, besides what is practised.
const (
	WarmUp  = "warm-up"
	Review  = "review"  // it was done, and would soon be lost
	New     = "work"    // the rung in work
	Through = "through" // the tune that was worked on most, once from beginning to end
	Rest    = "rest"
	Stop    = "stop"
)

// Item is one part of a sitting.
type Item struct {
	Kind    string
	Tune    string // its ID, "" for a rest or the stop
	Title   string
	Key     string // of the rung
	Place   string
	What    string
	Why     string
	Tempo   float64
	Minutes float64
}

// What to do in the parts that are no step of a tune.
const (
	WarmWords    = "Open strings, one after another, with the thumb; then the slide up and down one string without pressing."
	ThroughWords = "Play it from beginning to end, slowly enough not to stop. Do not correct anything now."
	RestWords    = "Put the guitar down. Shake out both hands, and look far away."
	StopWords    = "Stop here. Does anything hurt, tingle or feel numb?"
)

// Lengths of a sitting and its parts in minutes.
const (
	LeastSitting = 15
	MostSitting  = 40
	longestRun   = 25.0 // hands rest after that at the latest
	restMinutes  = 3.0
	warmMinutes  = 3.0
	stopMinutes  = 1.0
	reviewShare  = 0.5 // of the time at most, while there is something in work
	passOverhead = 8.0 // seconds between two passes: the verdict, the count, a breath
	leastMinutes = 3.0 // for one rung: fewer, longer parts
	mostMinutes  = 6.0 // for one rung: then another, which is learnt better than the same on end
	tuneMinutes  = 12.0
	throughShare = 0.12 // of a sitting, for playing a tune through
)

// Today plans a sitting of so many minutes, LeastSitting to MostSitting (what lies outside is brought inside),
// out of all tunes in work, for a time in the player's own location: a warm-up; what holds a date and needs the
// most a day; what is due by Memory, the worst first; then what is in work, the tune played last first; then a tune from beginning to end. Hands
// rest after longestRun at the latest, and at the end it stops. Empty if there is nothing to practise.
func Today(works []Work, minutes float64, now time.Time) []Item {
	t := today{now: now, left: max(LeastSitting, min(MostSitting, minutes)) - stopMinutes}
	if t.left > longestRun {
		t.left -= restMinutes
	}
	for i := range works {
		t.look(&works[i])
	}
	if len(t.due)+len(t.work) == 0 {
		return nil
	}
	through := math.Max(2, math.Floor(throughShare*t.left))
	t.left -= through
	slices.SortStableFunc(t.due, func(a, b candidate) int { return cmp.Compare(a.chance, b.chance) })
	slices.SortStableFunc(t.work, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(b.perDay, a.perDay), b.last.Compare(a.last), cmp.Compare(a.item.Title, b.item.Title))
	})
	t.warm()
	dated := slices.IndexFunc(t.work, func(c candidate) bool { return c.perDay == 0 })
	if dated < 0 {
		dated = len(t.work)
	}
	t.fill(t.work[:dated], t.left)
	share := t.left
	if dated < len(t.work) {
		share *= reviewShare
	}
	t.fill(t.due, share)
	t.fill(t.work[dated:], t.left)
	t.fill(t.due, t.left)
	t.lengthen()
	t.playThrough(works, through)
	return t.rested()
}

// lengthen gives the minutes that no other part fits into to what is in work, in turn.
func (t *today) lengthen() {
	for longer := true; longer && t.left >= 1; {
		longer = false
		for i := range t.items {
			if it := &t.items[i]; it.Kind == New && it.Minutes < mostMinutes && t.left >= 1 {
				it.Minutes++
				t.left--
				longer = true
			}
		}
	}
}

// playThrough ends with the tune that most of the time went to, from beginning to end: the one that was reserved time for.
func (t *today) playThrough(works []Work, minutes float64) {
	spent := map[string]float64{}
	for i := range t.items {
		spent[t.items[i].Tune] += t.items[i].Minutes
	}
	most := -1
	for i := range works {
		if spent[works[i].ID] > 0 && (most < 0 || spent[works[i].ID] > spent[works[most].ID]) {
			most = i
		}
	}
	if most < 0 {
		return
	}
	w := &works[most]
	t.items = append(t.items, Item{Kind: Through, Tune: w.ID, Title: w.Title, What: ThroughWords, Why: "there is more to music than its hard spots",
		Minutes: minutes})
}

// candidate is what may become an item.
type candidate struct {
	item   Item
	chance float64 // of success, if it was done before
	perDay float64 // rungs a day that a date asks for
	last   time.Time
}

type today struct {
	now       time.Time
	left      float64 // minutes
	due, work []candidate
	items     []Item
	easiest   *Item
}

// look finds what of a tune is due and what is in work.
func (t *today) look(w *Work) {
	of := byKey(w.Passes)
	states := progress(w.Rungs, of, t.now)
	ahead := 0
	for i := range states {
		s := &states[i]
		if !s.Solid() {
			ahead++
			continue
		}
		if t.easiest == nil && s.Layer == ThumbAlone {
			t.easiest = t.item(w, s, WarmUp, "slowly, to warm up the hands", s.Rung.Tempo)
		}
		if within(states, i) {
			continue
		}
		m := remembered(of[s.Key])
		if p := m.Recall(t.now); p < due && day(m.Last) != day(t.now) {
			why := fmt.Sprintf("last played %s", ago(day(t.now)-day(m.Last)))
			t.due = append(t.due, candidate{item: *t.item(w, s, Review, why, s.Goal()), chance: p})
		}
	}
	at := Current(states)
	if at < 0 {
		return
	}
	perDay, why := 0.0, ""
	if !w.By.IsZero() && !w.By.Before(t.now.AddDate(0, 0, -1)) {
		days := max(1, day(w.By)-day(t.now))
		perDay = float64(ahead) / float64(days)
		why = fmt.Sprintf("the gig is in %s, and %s left: %s", inDays(days), steps(ahead), howOften(ahead, days))
	}
	var last time.Time
	if n := len(w.Passes); n > 0 {
		last = w.Passes[n-1].At
	}
	reached := 0.0
	add := func(s *State) {
		if s.Solid() || s.Leave || reached >= tuneMinutes {
			return
		}
		because := cmp.Or(why, s.Why, "the next step")
		if s.Stuck {
			because = fmt.Sprintf("no faster in %d sessions: try another way", stuckAfter)
		}
		item := t.item(w, s, New, because, s.Tempo())
		reached += item.Minutes
		t.work = append(t.work, candidate{item: *item, perDay: perDay, last: last})
	}
	for i := range states { // the layer in work, then climbs that bear it and have not come to their top
		if states[i].Layer == states[at].Layer {
			add(&states[i])
		}
	}
	for i := range states[:at] {
		if states[i].Layer != states[at].Layer {
			add(&states[i])
		}
	}
}

func ago(days int) string {
	if days == 1 {
		return "yesterday"
	}
	return fmt.Sprintf("%d days ago", days)
}

func inDays(n int) string {
	if n == 1 {
		return "a day"
	}
	return fmt.Sprintf("%d days", n)
}

func steps(n int) string {
	if n == 1 {
		return "one step is"
	}
	return fmt.Sprintf("%d steps are", n)
}

// howOften says how often a step has to be learnt to be done with n in so many days: "2 a day", "one every 3 days".
func howOften(n, days int) string {
	switch every := days / max(1, n); {
	case every > 1:
		return fmt.Sprintf("one every %d days", every)
	case every == 1:
		return "one a day"
	}
	return fmt.Sprintf("%d a day", (n+days-1)/days)
}

// within reports whether what a rung holds is played within a later one that is done: it needs no review of its own.
func within(states []State, at int) bool {
	s := &states[at]
	for i := at + 1; i < len(states); i++ {
		o := &states[i]
		all := o.Layer != MelodyAlone || s.Layer == MelodyAlone
		if o.Key != s.Key && o.Layer != HardMove && o.Layer != Change && o.Layer != Whole && all && o.Finished &&
			o.Bars[0] <= s.Bars[0] && o.Bars[1] >= s.Bars[1] {
			return true
		}
	}
	return false
}

// item is what a rung becomes, with the time that it takes: as many passes as finish it, and three for the slips; a review two.
func (t *today) item(w *Work, s *State, kind, why string, tempo float64) *Item {
	passes := float64(s.Clean + 3)
	if kind == Review {
		passes = 2
	}
	minutes := passes * (s.Seconds*s.Rung.Tempo/tempo + passOverhead) / 60
	return &Item{Kind: kind, Tune: w.ID, Title: w.Title, Key: s.Key, Place: s.Place, What: s.What, Why: why, Tempo: tempo,
		Minutes: max(leastMinutes, min(mostMinutes, math.Ceil(minutes)))}
}

// warm begins with something easy, slowly; where nothing is firm yet, with open strings.
func (t *today) warm() {
	it := Item{Kind: WarmUp, What: WarmWords, Why: "your hands start cold", Minutes: warmMinutes}
	if t.easiest != nil {
		it = *t.easiest
		it.Minutes = warmMinutes
	}
	t.items = append(t.items, it)
	t.left -= it.Minutes
}

// fill takes candidates in order as long as there is time, each rung once.
func (t *today) fill(from []candidate, minutes float64) {
	for i := range from {
		it := from[i].item
		if it.Minutes > minutes || it.Minutes > t.left || slices.ContainsFunc(t.items,
			func(o Item) bool { return o.Tune == it.Tune && o.Key == it.Key && o.Kind != WarmUp }) {
			continue
		}
		t.items = append(t.items, it)
		minutes -= it.Minutes
		t.left -= it.Minutes
	}
}

// rested puts in the rest and the stop.
func (t *today) rested() (out []Item) {
	run := 0.0
	for _, it := range t.items {
		if run+it.Minutes > longestRun {
			out = append(out, Item{Kind: Rest, What: RestWords, Why: "rest your hands at least every 25 minutes", Minutes: restMinutes})
			run = 0
		}
		run += it.Minutes
		out = append(out, it)
	}
	return append(out, Item{Kind: Stop, What: StopWords, Why: "tired hands practise mistakes", Minutes: stopMinutes})
}
