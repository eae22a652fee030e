package desk

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"time"

	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/formats/abc"
	"stepping/formats/plandoc"
	"stepping/jobs"
	"stepping/store"
	"stepping/web/view"
)

// Planned is a tune's plan on the desk. Safe for concurrent use.
type Planned struct {
	Basis    string // hash of everything that the plan depends on
	Plan     *plan.Plan
	Warnings []abc.Warning // of the reader of the tune's text

	mu      sync.Mutex
	changed map[int]bool // moments that differ from the plan looked at before; replaced, never changed
	before  Whole        // what that plan was as a whole
	reasons map[int]view.Reasons
	drawn   []drawn
}

// drawn is a part of a page as it was drawn from the plan.
type drawn struct{ key, html string }

// mostDrawn bounds the parts kept of a plan: drawing the longest takes most of the time of a page.
const mostDrawn = 3

// Drawn returns a part of a page that was drawn under the key, which names all that it depends on apart from the plan; else it draws it.
func (w *Planned) Drawn(key string, draw func() (string, error)) (string, error) {
	w.mu.Lock()
	at := slices.IndexFunc(w.drawn, func(d drawn) bool { return d.key == key })
	if at >= 0 {
		d := w.drawn[at]
		w.drawn = append(slices.Delete(w.drawn, at, at+1), d)
		w.mu.Unlock()
		return d.html, nil
	}
	w.mu.Unlock()
	html, err := draw()
	if err != nil {
		return "", err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.drawn = append(w.drawn, drawn{key, html}); len(w.drawn) > mostDrawn {
		w.drawn = slices.Delete(w.drawn, 0, 1)
	}
	return html, nil
}

// Whole is what plans are compared by as a whole.
type Whole struct{ Cost, Ceiling float64 }

// WholeOf returns the cost of a plan and the highest tempo at which it can be played, 0 if nothing limits it.
func WholeOf(p *plan.Plan) Whole { return Whole{p.Total, p.Ceiling.BPM} }

// Before returns what the plan looked at before was as a whole.
func (w *Planned) Before() Whole {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.before
}

// Differing returns the moments that differ from the plan looked at before.
func (w *Planned) Differing() map[int]bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.changed
}

func (w *Planned) differsFrom(old *plan.Plan) {
	changed := Differences(old, w.Plan)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.changed, w.before = changed, WholeOf(old)
}

// planCache keeps the plans looked at last, several of a tune, so that undo and redo find them and what
// an edit changed can be marked.
type planCache struct {
	mu    sync.Mutex
	plans []cachedPlan // the one looked at last comes last
}

type cachedPlan struct {
	tune store.ID
	*Planned
}

// cachedMoments bounds memory: plans of so many moments in all are kept, a moment taking 23 KiB, and 55
// once its alternatives are known (plan.TestKeeps), but always the last.
const cachedMoments = 2000

// get returns the tune's plan on a basis, nil if it is not kept, and the one looked at last.
func (pc *planCache) get(id store.ID, basis string) (w, last *Planned) {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	for i := len(pc.plans) - 1; i >= 0 && w == nil; i-- {
		if p := pc.plans[i]; p.tune == id {
			if last == nil {
				last = p.Planned
			}
			if p.Basis == basis {
				w = p.Planned
				pc.plans = append(slices.Delete(pc.plans, i, i+1), p)
			}
		}
	}
	return w, last
}

// size is how many plans are kept, and their moments.
func (pc *planCache) size() (plans, moments int) {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	for i := range pc.plans {
		moments += len(pc.plans[i].Plan.Moments)
	}
	return len(pc.plans), moments
}

// put keeps w as the one looked at last, and returns it; or the one on the same basis that others have kept meanwhile.
func (pc *planCache) put(id store.ID, w *Planned) *Planned {
	pc.mu.Lock()
	defer pc.mu.Unlock()
	for i := range pc.plans {
		if p := &pc.plans[i]; p.tune == id && p.Basis == w.Basis {
			return p.Planned
		}
	}
	pc.plans = append(pc.plans, cachedPlan{id, w})
	kept, moments := len(pc.plans)-1, len(w.Plan.Moments)
	for kept > 0 && moments+len(pc.plans[kept-1].Plan.Moments) <= cachedMoments {
		kept--
		moments += len(pc.plans[kept].Plan.Moments)
	}
	pc.plans = slices.Delete(pc.plans, 0, kept)
	return w
}

// Request builds the planning request of a tune.
func (d *Desk) Request(t *store.Tune, p *player.Profile) (plan.Request, []abc.Warning, error) {
	tu, warnings, err := d.Read(t.Source)
	if err != nil {
		return plan.Request{}, nil, err
	}
	req, err := t.Settings.Request(tu, p)
	return req, warnings, err
}

// Basis hashes what the plan depends on, the document's and the planner's version included.
func Basis(t *store.Tune, p *player.Profile) string {
	data, err := json.Marshal([]any{plandoc.Version, plan.Revision, t.Source, t.Settings, p})
	if err != nil {
		panic("desk: settings cannot be written as JSON: " + err.Error())
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Plan returns the tune's plan, from the cache or worked out now. Errors: *jobs.NotReady if it is not there after patience,
// jobs.ErrStopped, and those of the planner and the store as they are: the planner's are written for people.
func (d *Desk) Plan(ctx context.Context, t *store.Tune, patience time.Duration) (*Planned, error) {
	prof, err := d.store.TunePlayer(ctx, t.Owner, t.ID)
	if err != nil {
		return nil, err
	}
	basis := Basis(t, &prof.Profile)
	known, old := d.plans.get(t.ID, basis)
	if known != nil {
		if known != old {
			known.differsFrom(old.Plan)
		}
		return known, nil
	}
	req, warnings, err := d.Request(t, &prof.Profile)
	if err != nil {
		return nil, err
	}
	if old != nil {
		req.From = old.Plan
	}
	p, err := d.solve(ctx, t.Owner, t.ID, basis, req, patience)
	if err != nil {
		return nil, err
	}
	w := &Planned{Basis: basis, Plan: p, Warnings: warnings, reasons: map[int]view.Reasons{}}
	if old != nil {
		w.differsFrom(old.Plan)
	}
	if kept := d.plans.put(t.ID, w); kept != w {
		return kept, nil
	}
	return w, nil
}

// Differences lists the moments of b whose strokes are played otherwise than in a.
func Differences(a, b *plan.Plan) map[int]bool {
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

// Document returns the plan document as JSON: the kept one if it still holds, else made
// now and kept.
func (d *Desk) Document(ctx context.Context, t *store.Tune, w *Planned) ([]byte, error) {
	if doc, err := d.store.Plan(ctx, t.Owner, t.ID, w.Basis); err == nil {
		return doc, nil
	}
	doc, err := plandoc.New(ctx, w.Plan)
	if err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	if err := doc.Write(&buf); err != nil {
		return nil, err
	}
	return buf.Bytes(), d.store.SavePlan(ctx, t.Owner, t.ID, w.Basis, buf.Bytes())
}

// Reasons returns why moment m of an owner's plan is played so, and its other places; worked out once, when its turn comes: the picture
// does not wait for it, and comes first.
func (d *Desk) Reasons(ctx context.Context, owner store.ID, w *Planned, m int) (view.Reasons, error) {
	w.mu.Lock()
	r, ok := w.reasons[m]
	w.mu.Unlock()
	if ok {
		return r, nil
	}
	r, err := Do(ctx, d, "reasons", jobs.Work{Owner: owner.String(), Later: true}, func(ctx context.Context) (view.Reasons, error) { return view.NewReasons(ctx, w.Plan, m) })
	if err != nil {
		return r, err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.reasons[m] = r
	return r, nil
}
