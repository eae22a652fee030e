// Package fit finds weights with which the planner chooses as reference arrangements do.
//
// What is sought is the least of
//
//	misses + Regular · Σ (ln w − ln w₀)²
//
// over the weights, misses being the choices in which the best plans differ from the references and w₀
// the weights that it starts from. The number of misses is piecewise constant in the weights, so it is
// sought by trying: a pattern search (Hooke and Jeeves 1961) that goes through the weights in a fixed
// order and multiplies or divides each by a step that shrinks from sweep to sweep. It is deterministic.
// A weight is fitted only if it may matter to the references; what they say nothing about stays.
package fit

import (
	"context"
	"math"
	"reflect"
	"runtime"
	"slices"
	"sync"

	"stepping/core/plan"
	"stepping/core/reference"
)

// Widest is the factor by which a fitted weight may differ from the one that it starts from.
const Widest = 4.0

// Regular is what moving a weight by a factor of e costs, in misses.
const Regular = 0.6

// Steps are the factors of the sweeps.
var Steps = []float64{1.5, 1.25, 1.25, 1.12, 1.12, 1.06}

// Progress is told after each weight of a sweep.
type Progress struct {
	Sweep, Sweeps int
	Weight        string
	Best          plan.Weights
	Agreement     reference.Agreement
}

// Agree plans every reference with the weights and counts where the plans agree. A reference that cannot
// be planned agrees nowhere.
func Agree(ctx context.Context, refs []*reference.Reference, w *plan.Weights) (reference.Agreement, error) {
	parts := make([]reference.Agreement, len(refs))
	next := make(chan int)
	var all sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			for i := range next {
				parts[i] = agree(ctx, refs[i], w)
			}
		})
	}
	for i := range refs {
		next <- i
	}
	close(next)
	all.Wait()
	var total reference.Agreement
	for i := range parts {
		total.Add(&parts[i])
	}
	return total, ctx.Err()
}

func agree(ctx context.Context, r *reference.Reference, w *plan.Weights) reference.Agreement {
	req := r.Request
	req.Weights = w
	none := reference.Agreement{MelodyOf: len(r.Melody), BassOf: len(r.Bass)}
	p, err := plan.Solve(ctx, req)
	if err != nil {
		return none
	}
	a, err := r.Compare(p)
	if err != nil {
		return none
	}
	return a
}

// Fit fits the named weights to the references, all of them if there are no names.
func Fit(ctx context.Context, refs []*reference.Reference, start plan.Weights, names []string, steps []float64, progress func(Progress)) (plan.Weights, error) {
	best := start
	now, err := Agree(ctx, refs, &best)
	if err != nil {
		return start, err
	}
	cost := objective(&now, &start, &best)
	if len(names) == 0 {
		names = plan.WeightNames()
	}
	for sweep, step := range steps {
		moved := false
		for _, name := range names {
			for _, factor := range []float64{step, 1 / step} {
				trial := best
				if !scale(&trial, &start, name, factor) {
					continue
				}
				got, err := Agree(ctx, refs, &trial)
				if err != nil {
					return best, err
				}
				if c := objective(&got, &start, &trial); c < cost-1e-9 {
					best, now, cost, moved = trial, got, c, true
					break
				}
			}
			if progress != nil {
				progress(Progress{sweep + 1, len(steps), name, best, now})
			}
		}
		if !moved && sweep+1 < len(steps) && steps[sweep+1] == step {
			continue
		}
	}
	return best, nil
}

func objective(a *reference.Agreement, start, w *plan.Weights) float64 {
	cost := float64(a.MelodyOf - a.Melody + a.BassOf - a.Bass)
	from, to := reflect.ValueOf(start).Elem(), reflect.ValueOf(w).Elem()
	for i := range from.NumField() {
		if a, b := from.Field(i).Float(), to.Field(i).Float(); a > 0 && b > 0 {
			d := math.Log(b / a)
			cost += Regular * d * d
		}
	}
	return cost
}

// scale multiplies a weight, rounded to three digits; ok is false if it would leave its range.
func scale(w, start *plan.Weights, name string, factor float64) (ok bool) {
	f, from := reflect.ValueOf(w).Elem().FieldByName(name), reflect.ValueOf(start).Elem().FieldByName(name).Float()
	v := f.Float() * factor
	digit := math.Pow(10, math.Floor(math.Log10(v))-2)
	v = math.Round(v/digit) * digit
	if from <= 0 || v > from*Widest || v < from/Widest {
		return false
	}
	f.SetFloat(v)
	return true
}

// Folds splits references into n sets by their idioms: a set holds every n-th when they are sorted by name,
// so that neighbours, which are alike, lie in different ones.
func Folds(refs []*reference.Reference, n int) [][]*reference.Reference {
	sorted := slices.Clone(refs)
	slices.SortFunc(sorted, func(a, b *reference.Reference) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	out := make([][]*reference.Reference, n)
	for i, r := range sorted {
		out[i%n] = append(out[i%n], r)
	}
	return out
}
