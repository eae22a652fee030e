// Package lesson plans one tune for several players: a sheet for each, the bars in which the sheets differ, and which trait
// of a pupil makes the difference.
//
// The reference is the tune as its teacher plays it. A trait is something that decides plans: the level, the thumb, how much
// slide, the reach. A difference is explained by planning once more with one trait taken over from the teacher: if the bar is then played as
// the teacher plays it, that trait is the reason.
package lesson

import (
	"context"
	"encoding/json"
	"fmt"
	"runtime"
	"sync"
	"sync/atomic"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/setup"
	"stepping/core/tune"
)

// Pupil is somebody who gets a sheet.
type Pupil struct {
	Player player.Profile
	Level  player.Level
}

// Sheet is a tune for one pupil, without its plan: a class of plans takes much memory.
type Sheet struct {
	Pupil   Pupil
	Bars    []string // how each bar is played, see Bars; nil if Err says why the tune cannot be planned
	Summary string   // see Summary
	Err     error    // written for people
}

// Lesson is one tune as it is set for its teacher.
type Lesson struct {
	Tune     *tune.Tune
	Settings setup.Settings
	Teacher  player.Profile
}

// Request is what the planner is asked for a pupil's sheet.
func (l *Lesson) Request(p *Pupil) (plan.Request, error) {
	st := l.Settings.For(&p.Player, p.Level)
	return st.Request(l.Tune, &p.Player)
}

// Own is the teacher as the first of the pupils: what the tune's settings say of slide and level is in the profile.
func (l *Lesson) Own() Pupil {
	p := Pupil{Player: l.Teacher, Level: player.Level{Ease: l.Settings.Ease}}
	if l.Settings.Slide != "" {
		p.Player.Lean = l.Settings.Slide
	}
	p.Player.Thumb = ""
	return p
}

// Watch is who looks on while sheets are planned; both are called from several goroutines, and either may be nil.
type Watch struct {
	Report func(done, total int)            // plans that are done
	Plan   func(pupils []int, p *plan.Plan) // a plan, with the pupils whose it is
}

// Sheets plans the tune for every pupil, several at a time; pupils who are alike in all that a plan depends on share one.
// A pupil for whom the tune cannot be planned gets a sheet with Err. The error is ctx's.
func (l *Lesson) Sheets(ctx context.Context, pupils []Pupil, w Watch) ([]Sheet, error) {
	sheets := make([]Sheet, len(pupils))
	same := map[string][]int{} // pupils by what their plans depend on
	var keys []string
	for i := range pupils {
		sheets[i].Pupil = pupils[i]
		key := pupils[i].key()
		if same[key] == nil {
			keys = append(keys, key)
		}
		same[key] = append(same[key], i)
	}
	var done atomic.Int64
	each(ctx, len(keys), func(k int) {
		of := same[keys[k]]
		p, err := l.solve(ctx, &pupils[of[0]])
		for _, i := range of {
			if sheets[i].Err = err; err == nil {
				sheets[i].Bars, sheets[i].Summary = Bars(p), Summary(p)
			}
		}
		if w.Plan != nil && err == nil {
			w.Plan(of, p)
		}
		if n := int(done.Add(1)); w.Report != nil {
			w.Report(n, len(keys))
		}
	})
	return sheets, ctx.Err()
}

func (l *Lesson) solve(ctx context.Context, p *Pupil) (*plan.Plan, error) {
	r, err := l.Request(p)
	if err != nil {
		return nil, err
	}
	return plan.SolveKeepable(ctx, r)
}

// mostAtOnce bounds the plans worked out at a time, so that one class does not take a whole large machine.
const mostAtOnce = 4

// each calls do(0) to do(n-1), several at a time, until ctx ends.
func each(ctx context.Context, n int, do func(i int)) {
	var next atomic.Int64
	var wait sync.WaitGroup
	for range min(n, mostAtOnce, runtime.GOMAXPROCS(0)) {
		wait.Go(func() {
			for i := int(next.Add(1)) - 1; i < n && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	wait.Wait()
}

// key names all of a pupil that a plan depends on.
func (p Pupil) key() string {
	p.Player.Name, p.Player.LeftHanded, p.Player.Tunings, p.Player.Learn, p.Player.Vibrato = "", false, nil, false, ""
	p.Level.Name, p.Player.Level = "", player.Level{}
	data, err := json.Marshal(p)
	if err != nil {
		panic("lesson: a profile cannot be written as JSON: " + err.Error())
	}
	return string(data)
}

// Bars returns how each bar of a plan is played, as text that is the same for bars played alike: strings, frets, techniques
// and the fretting hand's fingers, melody and thumb.
func Bars(p *plan.Plan) []string {
	out := make([]string, len(p.Request.Tune.Bars))
	for i := range p.Moments {
		mo := &p.Moments[i]
		for _, s := range mo.Strokes() {
			out[mo.Bar-1] += fmt.Sprintf("%s %s%d %d %g %s %s|", mo.At, s.Part, s.Voice, s.String, s.Fret, s.How, s.Finger)
		}
	}
	return out
}

// Differing lists the bars, from 0, in which any two of some sheets are played otherwise. Sheets with Err do not count.
func Differing(sheets ...*Sheet) (out []int) {
	var first []string
	differs := map[int]bool{}
	for _, sh := range sheets {
		if first == nil {
			first = sh.Bars
		}
		for i := range sh.Bars {
			differs[i] = differs[i] || first[i] != sh.Bars[i]
		}
	}
	for i := range first {
		if differs[i] {
			out = append(out, i)
		}
	}
	return out
}

// Summary is what a pupil's plan is like as a whole, in few words: how much of each way, and how fast it can be played.
func Summary(p *plan.Plan) string {
	f := p.Figures()
	thumb := 0
	for i := range p.Moments {
		if s := p.Moments[i].Thumb; s != nil && s.Part == play.Thumb {
			thumb++
		}
	}
	words := fmt.Sprintf("%d slide, %d fretted, %d open; %d thumb strokes", f.Slid, f.Fretted, f.OpenNotes, thumb)
	if p.Ceiling.BPM > 0 && p.Ceiling.BPM < tune.FastestShown {
		words += fmt.Sprintf("; up to %.0f bpm", p.Ceiling.BPM)
	}
	return words
}
