package desk

import (
	"testing"

	"github.com/google/uuid"

	"stepping/core/plan"
	"stepping/core/play"
)

// The cache finds a tune's plans by what they were made of, knows the one looked at last, and forgets the
// oldest beyond its moments, but never the last.
func TestPlanCache(t *testing.T) {
	var pc planCache
	a, b := uuid.Must(uuid.NewV7()), uuid.Must(uuid.NewV7())
	of := func(basis string, moments int) *Planned {
		return &Planned{Basis: basis, Plan: &plan.Plan{Moments: make([]play.Moment, moments)}}
	}
	first, second, other := of("1", 600), of("2", 600), of("1", 600)
	pc.put(a, first)
	pc.put(a, second)
	pc.put(b, other)
	if pc.put(a, of("1", 600)) != first || len(pc.plans) != 3 {
		t.Error("a plan that came in meanwhile is kept twice")
	}
	if w, last := pc.get(a, "1"); w != first || last != second {
		t.Error("the first of two plans is not found")
	}
	if w, last := pc.get(a, "3"); w != nil || last != first {
		t.Error("the one looked at is not the last")
	}
	if w, _ := pc.get(b, "1"); w != other {
		t.Error("plans of two tunes are taken for each other")
	}
	pc.put(b, of("2", 800)) // 800 + 600 fit beside nothing older than b's first and a's first
	if w, _ := pc.get(a, "2"); w != nil {
		t.Error("the oldest plan is kept beyond the limit")
	}
	pc.put(a, of("4", 10*cachedMoments))
	if w, last := pc.get(a, "4"); w == nil || last != w || len(pc.plans) != 1 {
		t.Errorf("%d plans are kept beside a very long one", len(pc.plans))
	}
}
