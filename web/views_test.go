package web

import (
	"encoding/json"
	"math/rand/v2"
	"reflect"
	"testing"

	"github.com/google/uuid"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// TestWithPin: however pins are set, each thing has one at most, a digit or finger joins the place
// that is pinned, and all come back from JSON as they were.
func TestWithPin(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	var pins []plan.Pin
	for range 400 {
		p := plan.Pin{At: tune.Quarter * tune.Time(rng.IntN(3)), Part: []play.Part{play.Melody, play.Thumb, play.Damped, play.Tube}[rng.IntN(4)]}
		switch rng.IntN(3) {
		case 0:
			p.String, p.How, p.Fret = 1+rng.IntN(6), play.Fret, float64(rng.IntN(9))
		case 1:
			p.Digit = "i"
		default:
			p.Finger = 1 + rng.IntN(3)
		}
		before := pins
		pins = withPin(pins, p)
		for i := range pins {
			for j := range i {
				if pins[i].SameTarget(&pins[j]) {
					t.Fatalf("two pins for one thing: %+v %+v", pins[i], pins[j])
				}
			}
		}
		last := pins[len(pins)-1]
		for _, old := range before {
			if old.SameTarget(&p) && p.Part == play.Melody && p.String == 0 && (last.String != old.String || last.Fret != old.Fret || last.How != old.How) {
				t.Fatalf("%+v after %+v lost its place: %+v", p, old, last)
			}
		}
	}
	data, err := json.Marshal(pins)
	if err != nil {
		t.Fatal(err)
	}
	var again []plan.Pin
	if err := json.Unmarshal(data, &again); err != nil || !reflect.DeepEqual(again, pins) {
		t.Errorf("%v: %s", err, data)
	}
}

// The cache finds a tune's plans by what they were made of, knows the one looked at last, and forgets the
// oldest beyond its moments, but never the last.
func TestPlanCache(t *testing.T) {
	var pc planCache
	a, b := uuid.Must(uuid.NewV7()), uuid.Must(uuid.NewV7())
	of := func(basis string, moments int) *worked {
		return &worked{basis: basis, plan: &plan.Plan{Moments: make([]play.Moment, moments)}}
	}
	first, second, other := of("1", 400), of("2", 400), of("1", 400)
	pc.put(a, first)
	pc.put(a, second)
	pc.put(b, other)
	if w, last := pc.get(a, "1"); w != first || last != second {
		t.Error("the first of two plans is not found")
	}
	if w, last := pc.get(a, "3"); w != nil || last != first {
		t.Error("the one looked at is not the last")
	}
	if w, _ := pc.get(b, "1"); w != other {
		t.Error("plans of two tunes are taken for each other")
	}
	pc.put(b, of("2", 800)) // 800 + 400 fit beside nothing older than b's first and a's first
	if w, _ := pc.get(a, "2"); w != nil {
		t.Error("the oldest plan is kept beyond the limit")
	}
	pc.put(a, of("4", 10*cachedMoments))
	if w, last := pc.get(a, "4"); w == nil || last != w || len(pc.plans) != 1 {
		t.Errorf("%d plans are kept beside a very long one", len(pc.plans))
	}
}
