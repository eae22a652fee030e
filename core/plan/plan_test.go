package plan

import (
	"context"
	"errors"
	"math"
	"slices"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/tune"
)

// A school with nothing to stop strings leaves them ringing and says so; with dampers the
// same notes are kept clean.
func TestLeaksAreReported(t *testing.T) {
	r := Request{Tune: coretest.Line('D', 80, tune.Quarter, "D A7", coretest.Notes(69, 74, 69, 66, 73, 64, 69, 61)...),
		Tuning: coretest.Tuning("Open D"), Player: player.Default(), Thumb: pattern.None}
	for i, n := range r.Tune.Notes { // open and slid strings in turn, so that notes must be stopped
		for s := 1; s <= 4; s++ {
			if fret := float64(n.Note.Pitch()-r.Tuning.Open(s)) / 100; fret >= 1 && fret <= 14 && i%2 == 0 {
				r.Pins = append(r.Pins, play.Pin{At: n.At, Part: play.Melody, String: s, Fret: fret, How: play.Slide})
				break
			}
		}
	}
	clean := solve(t, r)
	r.Player.Silence = player.Ring
	ringing := solve(t, r)
	r.Player.Silence, r.Player.Fingers = player.Heel, 1
	one := solve(t, r)
	leaks := func(p *Plan) (n int) {
		for i := range p.Moments {
			n += len(p.Moments[i].Leaking())
		}
		return n
	}
	if leaks(clean) != 0 {
		t.Errorf("with all dampers %d leaks", leaks(clean))
	}
	if ringing.Terms[play.Leak] != 0 || ringing.Terms[play.Damping] != 0 {
		t.Errorf("left to ring costs %v and %v", ringing.Terms[play.Leak], ringing.Terms[play.Damping])
	}
	if one.Total < clean.Total || one.Terms[play.Leak]+one.Terms[play.Damping] <= clean.Terms[play.Damping] {
		t.Errorf("one finger and the heel: leaks %v, damping %v; all dampers: damping %v", one.Terms[play.Leak],
			one.Terms[play.Damping], clean.Terms[play.Damping])
	}
}

// Thumb strokes: one per beat or named as left out; pins on them are kept.
func TestThumbIsComplete(t *testing.T) {
	r := benchRequest(16, "Open D")
	p := solve(t, r)
	strokes := 0
	for i := range p.Moments {
		mo := &p.Moments[i]
		if mo.Stroke != "" && (mo.LeadsTo == "" || mo.Wanted != "") {
			strokes++
			if (mo.Thumb == nil) != (mo.Dropped || mo.RingsOn) {
				t.Errorf("at %s: %+v, dropped %v", mo.At, mo.Thumb, mo.Dropped)
			}
		}
	}
	want := len(slices.DeleteFunc(pattern.Strokes(r.Tune, r.Thumb, nil, "one", pattern.All), func(s pattern.Stroke) bool { return s.Optional }))
	if strokes != want {
		t.Errorf("%d strokes, the pattern has %d", strokes, want)
	}
	r.Pins = []play.Pin{{At: p.Moments[0].At, Part: play.Thumb, How: play.Drop}}
	dropped := solve(t, r)
	if !dropped.Moments[0].Dropped || dropped.DropReason(0) != "your choice" || dropped.Total <= p.Total {
		t.Errorf("%+v", dropped.Moments[0])
	}
	alts, err := dropped.Alternatives(context.Background(), 0, play.Thumb)
	if err != nil || len(alts) < 3 || !alts[0].Chosen || alts[0].How != play.Drop || alts[1].Extra >= 0 {
		t.Errorf("beside a pinned drop: %+v %v", alts, err)
	}
}

// The ceiling is the tempo at which the tightest move has just its time.
func TestCeiling(t *testing.T) {
	r := benchRequest(24, "Standard")
	p := solve(t, r)
	if p.Ceiling.BPM <= 0 || p.Ceiling.Why == "" {
		t.Fatalf("%+v", p.Ceiling)
	}
	worst := 0.0
	for i := 1; i < len(p.Moments); i++ {
		worst = math.Max(worst, p.Moments[i].Share)
	}
	if got := math.Floor(p.Tempo() / worst); got != p.Ceiling.BPM {
		t.Errorf("ceiling %v, from shares %v", p.Ceiling.BPM, got)
	}
}

// TestWrongRequests: every fault is an error that says what would be right.
func TestWrongRequests(t *testing.T) {
	good := benchRequest(4, "Open D")
	for name, spoil := range map[string]func(*Request){
		"no notes": func(r *Request) { r.Tune = &tune.Tune{} }, "capo": func(r *Request) { r.Capo = -1 },
		"tempo": func(r *Request) { r.Tempo = math.NaN() },
		"slow":  func(r *Request) { r.Tempo = 1 }, "thumb": func(r *Request) { r.Thumb = "both" },
		"player":             func(r *Request) { r.Player.Fingers = 9 },
		"pin without a note": func(r *Request) { r.Pins = []play.Pin{{At: 1, Part: play.Melody}} },
		"pin of no thumb":    func(r *Request) { r.Thumb = pattern.None; r.Pins = []play.Pin{{Part: play.Thumb, How: play.Drop}} },
	} {
		r := good
		spoil(&r)
		if _, err := Solve(context.Background(), r); err == nil || len(err.Error()) < 10 {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestStops: a planning that is given up ends at once, in both passes.
func TestStops(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Millisecond)
	defer cancel()
	start := time.Now()
	if _, err := Solve(ctx, benchRequest(2000, "Standard")); !errors.Is(err, context.DeadlineExceeded) {
		t.Error(err)
	}
	p := solve(t, benchRequest(4, "Standard"))
	if _, err := p.Marginals(ctx, 0, play.Melody, 0); !errors.Is(err, context.DeadlineExceeded) {
		t.Error(err)
	}
	if took := time.Since(start); took > 5*time.Second {
		t.Errorf("stopped after %v", took)
	}
}
