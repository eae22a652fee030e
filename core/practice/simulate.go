package practice

import (
	"hash/fnv"
	"math"
	"math/rand/v2"
	"time"

	"stepping/core/plan"
	"stepping/core/player"
)

// Simulated is a simulated player who keeps to what Today says: it takes the place of a real one in tests and in the demo.
type Simulated struct {
	Seed  uint64
	Hands player.Profile // whose Fitts figures and restrike time are their true ones
	now   time.Time
	rungs map[string]*Learner
}

// Month practises so many days from a day on, a sitting of so many minutes on most of them, and returns the
// passes of each work in order; works keep theirs.
func (s *Simulated) Month(works []Work, from time.Time, days int, minutes float64) [][]Pass {
	s.rungs = map[string]*Learner{}
	rng := rand.New(rand.NewPCG(s.Seed, 11))
	works = append([]Work(nil), works...)
	for d := range days {
		s.now = from.AddDate(0, 0, d).Add(time.Duration(rng.IntN(90)) * time.Minute)
		if rng.Float64() < 0.25 { // other things to do
			continue
		}
		for _, l := range s.rungs {
			l.NewDay()
		}
		for _, it := range Today(works, minutes+10*rng.Float64()-5, s.now) {
			for i := range works {
				if works[i].ID == it.Tune {
					s.practise(&works[i], &it)
				}
			}
			if it.Kind == Rest {
				s.now = s.now.Add(time.Duration(it.Minutes * float64(time.Minute)))
			}
		}
	}
	out := make([][]Pass, len(works))
	for i := range works {
		out[i] = works[i].Passes
	}
	return out
}

// practise plays an item until its time is over, it is finished, or it is left for today.
func (s *Simulated) practise(w *Work, it *Item) {
	for i := range w.Rungs {
		r := &w.Rungs[i]
		if r.Key != it.Key {
			continue
		}
		l := s.learner(w, r)
		end := s.now.Add(time.Duration(it.Minutes * float64(time.Minute)))
		for reviews := 0; s.now.Before(end); {
			a := r.Staircase().Advise(passesOf(w.Passes, r.Key), day(s.now))
			if a.Leave || it.Kind == New && a.Finished || reviews == 2 {
				return
			}
			tempo := a.Tempo
			if it.Kind != New {
				tempo = it.Tempo
				reviews++
			}
			seconds := r.Seconds * r.Tempo / tempo
			s.now = s.now.Add(time.Duration((seconds + passOverhead) * float64(time.Second))).Truncate(time.Millisecond)
			w.Passes = append(w.Passes, Pass{At: s.now, Key: r.Key, Layer: r.Layer, Bars: r.Bars, Tempo: tempo,
				Verdict: l.Play(tempo), Seconds: seconds, Move: r.Move.At(r.Tempo, tempo)})
		}
	}
}

func passesOf(passes []Pass, key string) (out []Pass) {
	for i := range passes {
		if passes[i].Key == key {
			out = append(out, passes[i])
		}
	}
	return out
}

// learner is how the simulated player learns a rung: a single move up to what their hands allow, a step at a dead
// walk from about there to well above, a climb from its foot to about its top.
func (s *Simulated) learner(w *Work, r *Rung) *Learner {
	key := w.Title + " " + r.Key // not by the ID: that is another in every installation
	if l := s.rungs[key]; l != nil {
		return l
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(key)) // never fails
	seed := s.Seed ^ h.Sum64()
	rng := rand.New(rand.NewPCG(seed, 5))
	l := &Learner{Threshold: r.Tempo * (0.95 + 0.5*rng.Float64()), Top: r.Tempo * (1.6 + 0.3*rng.Float64()),
		Rate: 0.03 + 0.05*rng.Float64(), Spread: 0.05, Slips: 0.04}
	if r.Goal > r.Tempo { // a climb: they come to about where it ends
		l.Threshold, l.Top = r.Tempo*(1+0.1*rng.Float64()), r.Goal*(1+0.2*rng.Float64())
	}
	if r.Move != nil {
		need := s.Hands.RestrikeTime()
		if r.Move.Kind == plan.Travel {
			need = s.Hands.FittsA + s.Hands.FittsB*r.Move.Bits
		}
		l.Threshold = r.Tempo * (r.Move.There + r.Move.Fixed) / (need + r.Move.Fixed)
		l.Top, l.Rate, l.Spread = l.Threshold, 0, handSpread
	}
	l.Threshold = math.Min(l.Threshold, l.Top)
	l.Seed(seed)
	l.NewDay()
	s.rungs[key] = l
	return l
}
