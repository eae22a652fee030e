package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"sync"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/formats/abc"
	"stepping/formats/plandoc"
	"stepping/store"
	"stepping/web/view"
)

// worked is a tune with its plan.
type worked struct {
	basis    string // hash of everything that the plan depends on
	plan     *plan.Plan
	warnings []abc.Warning

	mu      sync.Mutex
	changed map[int]bool // moments that differ from the plan looked at before; replaced, never changed
	before  overall      // what that plan was as a whole
	reasons map[int]view.Reasons
}

// differing is the moments that differ from the plan looked at before.
func (w *worked) differing() map[int]bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.changed
}

func (w *worked) differsFrom(old *plan.Plan) {
	changed := differences(old, w.plan)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.changed, w.before = changed, overallOf(old)
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

// cachedMoments bounds memory: plans of so many moments in all are kept, a moment taking 30 KiB, and 60 to 90
// once its alternatives are known (plan.TestKeeps), but always the last.
const cachedMoments = 2000

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
	pc.rest()
	return w, last
}

// awake is how many plans hold on to what speeds up questions about their moments.
const awake = 4

func (pc *planCache) rest() {
	if n := len(pc.plans) - awake; n > 0 {
		go pc.plans[n-1].plan.Rest() // it may be busy
	}
}

// size is how many plans are kept, and their moments.
func (pc *planCache) size() (plans, moments int) {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	for i := range pc.plans {
		moments += len(pc.plans[i].plan.Moments)
	}
	return len(pc.plans), moments
}

// put keeps w as the one looked at last, and returns it; or the one on the same basis that others have kept meanwhile.
func (pc *planCache) put(id store.ID, w *worked) *worked {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	for i := range pc.plans {
		if p := &pc.plans[i]; p.tune == id && p.basis == w.basis {
			return p.worked
		}
	}
	pc.plans = append(pc.plans, cachedPlan{id, w})
	kept, moments := len(pc.plans)-1, len(w.plan.Moments)
	for kept > 0 && moments+len(pc.plans[kept-1].plan.Moments) <= cachedMoments {
		kept--
		moments += len(pc.plans[kept].plan.Moments)
	}
	pc.plans = slices.Delete(pc.plans, 0, kept)
	pc.rest()
	return w
}

// request builds the planning request of a tune.
func (s *Server) request(t *store.Tune, p *player.Profile) (plan.Request, []abc.Warning, error) {
	tu, warnings, err := s.readTune(t.Source)
	if err != nil {
		return plan.Request{}, nil, err
	}
	req, err := t.Settings.Request(tu, p)
	return req, warnings, err
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
	prof, err := s.store.Profile(ctx, t.Owner, t.ProfileID)
	if err != nil {
		return nil, err
	}
	basis := basisOf(t, &prof.Profile)
	known, old := s.plans.get(t.ID, basis)
	if known != nil {
		if known != old {
			known.differsFrom(old.plan)
		}
		return known, nil
	}
	req, warnings, err := s.request(t, &prof.Profile)
	if err != nil {
		return nil, err
	}
	if old != nil {
		req.Known = old.plan.Known()
	}
	p, err := s.solve(ctx, t.Owner, t.ID, basis, req)
	if err != nil {
		return nil, err
	}
	w := &worked{basis: basis, plan: p, warnings: warnings, reasons: map[int]view.Reasons{}}
	if old != nil {
		w.differsFrom(old.plan)
	}
	if kept := s.plans.put(t.ID, w); kept != w {
		return kept, nil
	}
	if old != nil {
		p.Beside(old.plan)
	}
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
	if doc, err := s.store.Plan(ctx, t.Owner, t.ID, w.basis); err == nil {
		return doc, nil
	}
	doc, err := plandoc.New(ctx, w.plan)
	if err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	if err := doc.Write(&buf); err != nil {
		return nil, err
	}
	return buf.Bytes(), s.store.SavePlan(ctx, t.Owner, t.ID, w.basis, buf.Bytes())
}

// addReasons fills in why the moment is played so, and its other places.
func (w *worked) addReasons(ctx context.Context, v *view.Now) error {
	w.mu.Lock()
	r, ok := w.reasons[v.Moment]
	w.mu.Unlock()
	if !ok {
		var err error
		if r, err = view.NewReasons(ctx, w.plan, v.Moment); err != nil {
			return err
		}
		w.mu.Lock()
		w.reasons[v.Moment] = r
		w.mu.Unlock()
	}
	v.Why, v.Places, v.Dampers, v.Strum = r.Why, r.Places, r.Dampers, r.Strum
	return nil
}
