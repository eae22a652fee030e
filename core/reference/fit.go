package reference

import (
	"context"
	"math"
	"runtime"
	"slices"
	"sync"

	"stepping/core/plan"
)

// FitOptions say what is fitted, and how freely.
type FitOptions struct {
	Names   []string  // of the weights; none: all
	Steps   []float64 // the factors of the sweeps
	Most    float64   // by which a weight may differ from the one that it starts from, at most plan.MostFactor
	Regular float64   // what moving a weight by a factor of e costs, in misses
	Each    float64   // what moving a weight at all costs, in misses
}

// ToReferences are the options for fitting to reference arrangements.
var ToReferences = FitOptions{Steps: []float64{1.5, 1.25, 1.25, 1.12, 1.12, 1.06}, Most: plan.MostFactor, Regular: 0.6}

// FitProgress is reported after each weight of a sweep.
type FitProgress struct {
	Sweep, Sweeps int
	Weight        string
	Best          plan.Weights
	Agreement     Agreement
}

// Case is a request, and what its plan should choose.
type Case struct {
	Request plan.Request
	Of      Agreement // how much there is to agree with
	Compare func(*plan.Plan) (Agreement, error)
}

// Cases are references as cases.
func Cases(refs []*Reference) []Case {
	out := make([]Case, len(refs))
	for i, r := range refs {
		out[i] = Case{r.Request, Agreement{MelodyOf: len(r.Melody), BassOf: len(r.Bass)}, r.Compare}
	}
	return out
}

// Agree plans every case with the weights and counts where the plans agree. One that cannot
// be planned agrees nowhere.
func Agree(ctx context.Context, cases []Case, w *plan.Weights) (Agreement, error) {
	parts := make([]Agreement, len(cases))
	next := make(chan int)
	var all sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			for i := range next {
				parts[i] = cases[i].agree(ctx, w)
			}
		})
	}
	for i := range cases {
		next <- i
	}
	close(next)
	all.Wait()
	var total Agreement
	for i := range parts {
		total.Add(&parts[i])
	}
	return total, ctx.Err()
}

func (c *Case) agree(ctx context.Context, w *plan.Weights) Agreement {
	req := c.Request
	req.Weights = w
	p, err := plan.Solve(ctx, req)
	if err != nil {
		return c.Of
	}
	a, err := c.Compare(p)
	if err != nil {
		return c.Of
	}
	return a
}

// Fit finds weights with which the planner chooses as the cases do.
//
// What is sought is the least of
//
//	misses + Regular · Σ (ln w − ln w₀)² + Each · (weights that differ)
//
// over the weights, misses being the places and, where they agree, the fingers in which the best plans differ from the
// references, and w₀ the weights that it starts from. The number of misses is piecewise constant in the weights, so it is
// sought by trying: a pattern search (Hooke and Jeeves 1961) that goes through the weights in a fixed
// order and multiplies or divides each by a step that shrinks from sweep to sweep. It is deterministic.
// A weight is fitted only if it may matter to the references; what they say nothing about stays.
func Fit(ctx context.Context, cases []Case, start plan.Weights, o FitOptions, progress func(FitProgress)) (plan.Weights, error) {
	best := start
	now, err := Agree(ctx, cases, &best)
	if err != nil {
		return start, err
	}
	cost := o.objective(&now, &start, &best)
	names := o.Names
	if len(names) == 0 {
		names = plan.WeightNames()
	}
	for sweep, step := range o.Steps {
		moved := false
		for _, name := range names {
			for _, factor := range []float64{step, 1 / step} {
				trial := best
				if !o.scale(&trial, &start, name, factor) {
					continue
				}
				got, err := Agree(ctx, cases, &trial)
				if err != nil {
					return best, err
				}
				if c := o.objective(&got, &start, &trial); c < cost-1e-9 {
					best, now, cost, moved = trial, got, c, true
					break
				}
			}
			if progress != nil {
				progress(FitProgress{sweep + 1, len(o.Steps), name, best, now})
			}
		}
		if !moved && sweep+1 < len(o.Steps) && o.Steps[sweep+1] == step {
			break
		}
	}
	return best, nil
}

func (o *FitOptions) objective(a *Agreement, start, w *plan.Weights) float64 {
	cost := float64(a.MelodyOf - a.Melody + a.BassOf - a.Bass + a.FingersOf - a.Fingers)
	for _, name := range plan.WeightNames() {
		if a, b := start.Get(name), w.Get(name); a > 0 && b > 0 {
			d := math.Log(b / a)
			cost += o.Regular * d * d
			if d != 0 {
				cost += o.Each
			}
		}
	}
	return cost
}

// slack lets a rounded weight lie at the end of its range.
const slack = 1e-9

// scale multiplies a weight, rounded to three digits; ok is false if it would leave its range.
func (o *FitOptions) scale(w, start *plan.Weights, name string, factor float64) (ok bool) {
	from := start.Get(name)
	v := w.Get(name) * factor
	digit := math.Pow(10, math.Floor(math.Log10(v))-2)
	v = math.Round(v/digit) * digit
	if from <= 0 || v > from*o.Most+slack || v < from/o.Most-slack {
		return false
	}
	w.Set(name, v)
	return true
}

// Folds splits references into n sets by their idioms: a set holds every n-th when they are sorted by name,
// so that neighbours, which are alike, lie in different ones.
func Folds(refs []*Reference, n int) [][]*Reference {
	sorted := slices.Clone(refs)
	slices.SortFunc(sorted, func(a, b *Reference) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	out := make([][]*Reference, n)
	for i, r := range sorted {
		out[i%n] = append(out[i%n], r)
	}
	return out
}
