package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/plandoc"
	"stepping/store"
	"stepping/web/view"
)

// worked is a tune with its plan. The plan's alternatives are worked out on demand and
// change it, so mu guards every use of plan.
type worked struct {
	mu       sync.Mutex
	basis    string // hash of everything that the plan depends on
	plan     *plan.Plan
	warnings []abc.Warning
	changed  map[int]bool // moments that differ from the plan before
	reasons  map[int]view.Reasons
}

// planCache keeps the plans looked at last, several of a tune, so that undo and redo find them and what
// an edit changed can be marked.
type planCache struct {
	mu    sync.Mutex
	plans []cachedPlan // the one looked at last comes last
}

type cachedPlan struct {
	tune store.ID
	*worked
}

// cachedMoments bounds memory: plans of so many moments in all are kept, a moment taking some 100 KiB
// once its alternatives are known, but always the last.
const cachedMoments = 1500

// get returns the tune's plan on a basis, nil if it is not kept, and the one looked at last.
func (pc *planCache) get(id store.ID, basis string) (w, last *worked) {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	for i := len(pc.plans) - 1; i >= 0 && w == nil; i-- {
		if p := pc.plans[i]; p.tune == id {
			if last == nil {
				last = p.worked
			}
			if p.basis == basis {
				w = p.worked
				pc.plans = append(slices.Delete(pc.plans, i, i+1), p)
			}
		}
	}
	return w, last
}

func (pc *planCache) put(id store.ID, w *worked) {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	pc.plans = append(pc.plans, cachedPlan{id, w})
	kept, moments := len(pc.plans)-1, len(w.plan.Moments)
	for kept > 0 && moments+len(pc.plans[kept-1].plan.Moments) <= cachedMoments {
		kept--
		moments += len(pc.plans[kept].plan.Moments)
	}
	pc.plans = slices.Delete(pc.plans, 0, kept)
}

// request builds the planning request of a tune.
func request(t *store.Tune, p *player.Profile) (plan.Request, []abc.Warning, error) {
	tu, warnings, err := abc.Read(strings.NewReader(t.Source))
	if err != nil {
		return plan.Request{}, nil, err
	}
	tn, err := tuning.Parse(t.Settings.Tuning)
	if err != nil {
		return plan.Request{}, warnings, err
	}
	if tu, err = tu.Rewritten(t.Settings.Rewrites); err != nil {
		return plan.Request{}, warnings, fmt.Errorf("%w: let go of it in the setup", err)
	}
	return plan.Request{Tune: tu.Transposed(t.Settings.Steps), Tuning: tn, Capo: t.Settings.Capo, Tempo: t.Settings.Tempo, Player: *p,
		Thumb: t.Settings.Thumb, Sections: t.Settings.Sections, Pins: t.Settings.Pins}, warnings, nil
}

// basisOf hashes what the plan depends on, the document's and the planner's version included.
func basisOf(t *store.Tune, p *player.Profile) string {
	data, err := json.Marshal([]any{plandoc.Version, plan.Revision, t.Source, t.Settings, p})
	if err != nil {
		panic("web: settings cannot be written as JSON: " + err.Error())
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// work returns the tune's plan, from the cache or worked out now. Errors of the planner
// are returned as they are: they are written for people.
func (s *Server) work(ctx context.Context, t *store.Tune) (*worked, error) {
	prof, err := s.store.Profile(ctx, s.owner, t.ProfileID)
	if err != nil {
		return nil, err
	}
	basis := basisOf(t, &prof.Profile)
	known, old := s.plans.get(t.ID, basis)
	if known != nil {
		if known != old {
			known.mu.Lock()
			defer known.mu.Unlock()
			known.changed = differences(old.plan, known.plan)
		}
		return known, nil
	}
	req, warnings, err := request(t, &prof.Profile)
	if err != nil {
		return nil, err
	}
	if old != nil && old.mu.TryLock() { // if it is busy, waiting would take longer
		req.Known = old.plan.Known()
		old.mu.Unlock()
	}
	p, err := s.solve(ctx, t.ID, basis, req)
	if err != nil {
		return nil, err
	}
	w := &worked{basis: basis, plan: p, warnings: warnings, changed: map[int]bool{}, reasons: map[int]view.Reasons{}}
	if old != nil {
		w.changed = differences(old.plan, p)
	}
	s.plans.put(t.ID, w)
	return w, nil
}

// differences lists the moments of b whose strokes are played otherwise than in a.
func differences(a, b *plan.Plan) map[int]bool {
	was := map[string]string{}
	for t := range a.Moments {
		was[a.Moments[t].At.String()] = strokesKey(&a.Moments[t])
	}
	out := map[int]bool{}
	for t := range b.Moments {
		if was[b.Moments[t].At.String()] != strokesKey(&b.Moments[t]) {
			out[t] = true
		}
	}
	return out
}

func strokesKey(mo *play.Moment) string {
	key := ""
	for _, s := range mo.Strokes() {
		key += fmt.Sprintf("%s %d %g %s %s|", s.Part, s.String, s.Fret, s.How, s.Finger)
	}
	return key
}

// document returns the plan document as JSON: the kept one if it still holds, else made
// now and kept.
func (s *Server) document(ctx context.Context, t *store.Tune, w *worked) ([]byte, error) {
	if doc, err := s.store.Plan(ctx, s.owner, t.ID, w.basis); err == nil {
		return doc, nil
	}
	w.mu.Lock()
	doc, err := plandoc.New(ctx, w.plan)
	w.mu.Unlock()
	if err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	if err := doc.Write(&buf); err != nil {
		return nil, err
	}
	return buf.Bytes(), s.store.SavePlan(ctx, s.owner, t.ID, w.basis, buf.Bytes())
}

// addReasons fills in why the moment is played so, and its other places.
func (w *worked) addReasons(ctx context.Context, v *view.Now) error {
	r, ok := w.reasons[v.Moment]
	if !ok {
		var err error
		if r, err = view.NewReasons(ctx, w.plan, v.Moment); err != nil {
			return err
		}
		w.reasons[v.Moment] = r
	}
	v.Why, v.Places, v.Strum = r.Why, r.Places, r.Strum
	return nil
}
