package practice

import (
	"fmt"
	"math"
)

// Staircase decides from the verdicts on one step at which tempo it is played next: up after clean passes, down
// after broken ones, in steps that shrink wherever it turns round, as in Taylor and Creelman's PEST (1967), so
// that it is quick far from what the player can do and fine near it.
//
//   - Up after one clean pass until the first break or near miss, later after two in a row; never above the goal.
//   - Down after two broken passes in a row, or a broken and a near one, or three near ones; never below half the start.
//   - A step up or down is FirstStep at first; it shrinks by shrinkBy at every turn, not below LastStep, and
//     grows by growBy, not above FirstStep, at every second change the same way.
//   - The first pass of another day is a step below where the last day ended: hands begin cold.
type Staircase struct {
	Start, Goal float64 // quarter notes a minute
	Need        int     // clean passes in a row at the goal that finish the step
}

// Sizes of a staircase's steps, as shares of the tempo.
const (
	FirstStep = 0.12
	LastStep  = 0.03
	shrinkBy  = 0.6
	growBy    = 1.5
	mostADay  = 24 // passes over one step on one day
	mostDowns = 2  // steps down in a row on one day
)

// Advice is what a staircase says after the passes so far.
type Advice struct {
	Tempo    float64 // to play next, whole quarter notes a minute
	Best     float64 // fastest clean pass, 0 if none
	InRow    int     // clean passes in a row at Tempo so far
	Need     int     // that lead on
	Finished bool
	Leave    bool   // for today
	Why      string // the last decision, in a player's words
}

// climb is a staircase on its way.
type climb struct {
	Staircase
	Advice
	tempo             float64 // exact
	step              float64
	last, same        int // way of the last change, how many changes went that way
	near, broken      int // in a row since the last change
	faulted           bool
	today, passes     int // the day, and the passes on it
	downs, finalCount int
}

// Advise replays the passes of one step, oldest first, and says how to go on; today is the day of the next pass
// as day numbers it.
func (s Staircase) Advise(passes []Pass, today int) Advice {
	c := &climb{Staircase: s, tempo: s.Start, step: FirstStep, today: math.MinInt}
	for i := range passes {
		c.begin(day(passes[i].At))
		c.take(&passes[i])
	}
	c.begin(today)
	c.Tempo = round(c.tempo)
	c.Advice.Need = c.leads() - c.InRow
	if c.atGoal() {
		c.Advice.Need = s.Need - c.finalCount
	}
	c.Leave = !c.Finished && (c.downs >= mostDowns || c.passes >= mostADay)
	return c.Advice
}

// atGoal reports whether the tempo is the wanted one, to within rounding.
func (c *climb) atGoal() bool { return c.tempo >= c.Goal-0.5 }

// leads is how many clean passes in a row lead up a step.
func (c *climb) leads() int {
	if c.faulted {
		return 2
	}
	return 1
}

// begin starts a day: a step lower than the day before ended, unless the step is done or nothing was played.
func (c *climb) begin(d int) {
	if d == c.today {
		return
	}
	if c.passes > 0 && !c.Finished {
		c.tempo = max(c.floor(), min(c.tempo, c.Goal)/(1+c.step))
		c.InRow, c.near, c.broken = 0, 0, 0
		c.Why = "a new day: start a little slower than where you ended"
	}
	c.today, c.passes, c.downs = d, 0, 0
}

// floor is the slowest tempo.
func (c *climb) floor() float64 { return min(c.Start, c.Goal) / 2 }

// take counts a pass. One at another tempo than advised counts from there.
func (c *climb) take(p *Pass) {
	c.passes++
	if math.Abs(p.Tempo-c.tempo) > 0.5 {
		c.tempo = p.Tempo
		c.InRow, c.near, c.broken = 0, 0, 0
	}
	switch p.Verdict {
	case Clean:
		c.Best = max(c.Best, p.Tempo)
		c.clean()
	case Nearly:
		c.InRow, c.finalCount, c.faulted = 0, 0, true
		c.near++
		c.Why = fmt.Sprintf("stay at %g bpm until it is clean", round(c.tempo))
	default:
		c.InRow, c.finalCount, c.faulted = 0, 0, true
		c.broken++
		c.Why = fmt.Sprintf("once more at %g bpm; slower if it breaks down again", round(c.tempo))
	}
	if c.broken >= 2 || c.broken == 1 && c.near >= 1 || c.near >= 3 {
		c.change(-1)
	}
}

func (c *climb) clean() {
	c.InRow++
	c.near, c.broken = 0, 0
	if c.atGoal() {
		c.finalCount++
		c.Finished = c.Finished || c.finalCount >= c.Staircase.Need
		c.Why = fmt.Sprintf("%d of %d clean in a row at the goal tempo", min(c.finalCount, c.Staircase.Need), c.Staircase.Need)
		return
	}
	c.Why = "one more clean, then faster"
	if c.InRow >= c.leads() {
		c.change(1)
	}
}

// change goes a step up or down.
func (c *climb) change(way int) {
	switch {
	case c.last != 0 && way != c.last:
		c.step, c.same = max(LastStep, c.step*shrinkBy), 0
	case c.last == way:
		if c.same++; c.same%2 == 0 {
			c.step = min(FirstStep, c.step*growBy)
		}
	}
	c.last = way
	c.InRow, c.near, c.broken, c.finalCount = 0, 0, 0, 0
	if way > 0 {
		c.downs = 0
		c.tempo = min(c.Goal, c.tempo*(1+c.step))
		c.Why = fmt.Sprintf("clean: up to %g bpm", round(c.tempo))
		return
	}
	c.downs++
	c.tempo = max(c.floor(), c.tempo/(1+c.step))
	c.Why = fmt.Sprintf("it broke down: back to %g bpm", round(c.tempo))
}
