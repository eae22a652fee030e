package take_test

import (
	"context"
	"errors"
	"io"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/ornament"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/core/take/taketest"
	"stepping/core/tune"
)

func solve(t testing.TB, tu *tune.Tune, tuning string, kind pattern.Kind) *plan.Plan {
	t.Helper()
	p, err := plan.Solve(context.Background(), plan.Request{Tune: tu, Tuning: coretest.Tuning(tuning), Player: player.Default(), Thumb: kind})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// recording is samples as a source.
type recording struct {
	samples []float64
	at      int
}

func (r *recording) Read(left, _ []float64) (int, error) {
	n := copy(left, r.samples[r.at:])
	if r.at += n; n == 0 {
		return 0, io.EOF
	}
	return n, nil
}

func prepare(t testing.TB, samples []float64, rate int) *take.Signal {
	t.Helper()
	s, err := take.Prepare(&recording{samples: samples}, rate, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

const rate = 32000

func render(t testing.TB, p *plan.Plan, o sound.Options) []float64 {
	t.Helper()
	o.Rate = rate
	s, err := sound.New(sound.Of(p), o)
	if err != nil {
		t.Fatal(err)
	}
	out := make([]float64, s.Len())
	s.Samples(out)
	return out
}

// TestTrack: a single line is followed within two cents, a hundred times a second; noise and silence have no pitch.
func TestTrack(t *testing.T) {
	for _, hz := range []float64{65.4, 73.42, 110, 196, 329.63, 880} {
		tone := sound.Tone(hz, map[bool]int{true: 1, false: 5}[hz > 300], rate)
		samples := make([]float64, tone.Len())
		tone.Samples(samples)
		track := prepare(t, samples, rate).Track()
		var cents []float64
		for _, p := range track {
			if p.At > 0.2 && p.At < math.Min(1.2, 0.2+200/hz) { // high notes die soon
				if p.Hz == 0 {
					t.Fatalf("%g Hz: nothing at %g s", hz, p.At)
				}
				cents = append(cents, math.Abs(1200*math.Log2(p.Hz/hz)))
			}
		}
		slices.Sort(cents)
		if len(cents) < 20 || cents[len(cents)/2] > 2 || cents[len(cents)*95/100] > 5 {
			t.Errorf("%g Hz: %d points, median %.2f cents off, 95%% within %.2f", hz, len(cents), cents[len(cents)/2], cents[len(cents)*95/100])
		}
	}
	rng := rand.New(rand.NewPCG(1, 1))
	noise := make([]float64, 2*rate)
	for i := range noise {
		noise[i] = 0.1 * rng.NormFloat64()
	}
	pitched := 0
	track := prepare(t, noise, rate).Track()
	for _, p := range track {
		if p.Hz > 0 && p.Sure > 0.7 {
			pitched++
		}
	}
	if pitched > len(track)/50 {
		t.Errorf("noise has a pitch at %d of %d points", pitched, len(track))
	}
}

// TestTrackInNoise: 28 notes over all strings and frets 0 to 12, of strings that core/sound did not make, are right with
// noise 6 dB under them, nearly all at 3 dB.
func TestTrackInNoise(t *testing.T) {
	if testing.Short() {
		t.Skip("the long form adds the noise; TestTrack has the same without")
	}
	open := []float64{329.63, 246.94, 196, 146.83, 110, 82.41}
	var notes [28][]float64
	for db, least := range map[float64]int{20: 28, 6: 28, 3: 26} {
		right := 0
		for k := range 28 {
			str, fret := k%6+1, (5*k)%13
			hz := open[str-1] * math.Exp2(float64(fret)/12)
			if notes[k] == nil {
				pf := &taketest.Performance{Seconds: 1.2, Notes: []taketest.Note{{String: str, At: 0.2, Hz: hz, From: hz, Level: 0.8, Tau: 2}}}
				notes[k] = pf.Strings(uint64(k) + 1)[taketest.Rate/5:]
			}
			samples := taketest.Noise(notes[k], db, uint64(k))
			var cents []float64
			for _, p := range prepare(t, append(samples, make([]float64, taketest.Rate/4)...), taketest.Rate).Track() {
				if p.At > 0.1 && p.At < 0.6 && p.Hz > 0 {
					cents = append(cents, 1200*math.Log2(p.Hz/hz))
				}
			}
			if len(cents) > 10 && math.Abs(quantile(cents, 0.5)) < 30 {
				right++
			}
		}
		t.Logf("figure: pitch in noise %.0f dB under: %d of 28 notes", db, right)
		if right < least {
			t.Error("see above")
		}
	}
}

// TestFollow: takes at another tempo, that begin late, are cut off, wander and have noise are followed moment
// by moment; another tune, noise and silence are refused.
func TestFollow(t *testing.T) {
	var pooled []float64
	for seed := range seeds(3, 6) {
		tuning := []string{"Open D", "Open G", "Standard"}[seed%3]
		kind := []pattern.Kind{pattern.Alternating, pattern.None}[seed%2]
		p := solve(t, coretest.Wander(seed, 40), tuning, kind)
		tempo := p.Tempo() * (0.7 + 0.1*float64(seed))
		samples := render(t, p, sound.Options{Tempo: tempo})
		lead := make([]float64, rate*3/2)
		samples = append(lead, samples...)
		rng := rand.New(rand.NewPCG(seed, 3))
		for i := range samples {
			samples[i] += 0.001 * rng.NormFloat64()
		}
		places, err := prepare(t, samples, rate).Follow(p)
		if err != nil {
			t.Errorf("plan %d: %v", seed, err)
			continue
		}
		var off []float64
		for _, pl := range places {
			want := 1.5 + p.Moments[pl.Moment].Seconds*p.Tempo()/tempo
			off = append(off, 1000*(pl.AtSec-want))
		}
		abs := make([]float64, len(off))
		for i := range off {
			abs[i] = math.Abs(off[i])
		}
		slices.Sort(abs)
		slices.Sort(off)
		t.Logf("plan %d, %s: %d of %d moments, median %+.1f ms, 95%% within %.0f ms", seed, tuning, len(places), len(p.Moments),
			off[len(off)/2], abs[len(abs)*95/100])
		if len(places) < len(p.Moments)*95/100 || abs[len(abs)*9/10] > 15 {
			t.Errorf("plan %d: %d of %d, 90%% within %.0f ms", seed, len(places), len(p.Moments), abs[len(abs)*9/10])
		}
		pooled = append(pooled, abs...)
	}
	slices.Sort(pooled)
	t.Logf("figure: 95%% of %d onsets within %.0f ms", len(pooled), pooled[len(pooled)*95/100])
	if pooled[len(pooled)*95/100] > 15 {
		t.Errorf("95%% of onsets are within %.0f ms", pooled[len(pooled)*95/100])
	}
	p := solve(t, coretest.Wander(1, 40), "Open D", pattern.Alternating)
	other := solve(t, coretest.Wander(9, 40), "Standard", pattern.None)
	if _, err := prepare(t, render(t, other, sound.Options{}), rate).Follow(p); !errors.Is(err, take.ErrForeign) {
		t.Errorf("another tune: %v", err)
	}
	if _, err := take.Prepare(&recording{samples: make([]float64, 3*rate)}, rate, 1, nil); !errors.Is(err, take.ErrSilent) {
		t.Errorf("silence: %v", err)
	}
}

// faulty renders a plan with faults.
func faulty(t testing.TB, p *plan.Plan, f *sound.Faults) []float64 {
	t.Helper()
	played, err := sound.Of(p).With(f)
	if err != nil {
		t.Fatal(err)
	}
	s, err := sound.New(played, sound.Options{Rate: rate})
	if err != nil {
		t.Fatal(err)
	}
	out := make([]float64, s.Len())
	s.Samples(out)
	return out
}

// seeds is how many plans are tried, few in the short tests.
func seeds(few, many uint64) uint64 {
	if testing.Short() {
		return few
	}
	return many
}

// TestTries: a player who begins again is judged by the last try, and one who stops early has the rest missing;
// what is added is extra.
func TestTries(t *testing.T) {
	if testing.Short() {
		t.Skip("TestGoldenTake and TestJudge say most of it")
	}
	p := aPlan(t, 0)
	whole := render(t, p, sound.Options{})
	third, most := int(p.Moments[len(p.Moments)/3].Seconds*rate), int(p.Moments[len(p.Moments)*3/4].Seconds*rate)
	pause := make([]float64, rate)
	samples := slices.Concat(pause, whole[:third], pause, whole[:most])
	tk, err := prepare(t, samples, rate).Judge(p)
	if err != nil {
		t.Fatal(err)
	}
	start := 2 + float64(third)/rate
	for _, pl := range tk.Places {
		if want := start + p.Moments[pl.Moment].Seconds; math.Abs(pl.AtSec-want) > 0.05 {
			t.Errorf("moment %d was heard at %.2f s, played at %.2f", pl.Moment, pl.AtSec, want)
		}
	}
	last := tk.Places[len(tk.Places)-1].Moment
	if last < len(p.Moments)*3/4-2 || last > len(p.Moments)*3/4 || len(tk.Missing) == 0 {
		t.Errorf("it stopped at moment %d of %d, and is heard up to %d", len(p.Moments)*3/4, len(p.Moments), last)
	}
	// Who stops for two seconds, goes back a little, or leaves something out is told that, and not that
	// everything around it is late.
	cut := func(m int) int { return int(p.Moments[m].Seconds * rate) }
	n := len(p.Moments)
	for name, samples := range map[string][]float64{"stop": slices.Concat(whole[:cut(n/2)], pause, pause, whole[cut(n/2):]),
		"back": slices.Concat(whole[:cut(n/2)], whole[cut(n/2-5):]), "skip": slices.Concat(whole[:cut(n/2)], whole[cut(n/2+8):])} {
		tk, err := prepare(t, samples, rate).Judge(p)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		kinds := map[string]int{}
		for _, v := range tk.Verdicts(p) {
			kinds[v.Kind]++
		}
		if kinds["time"] > 0 || name == "skip" && kinds["missing"] != 1 || name != "skip" && kinds["stop"] != 1 {
			t.Errorf("%s: %+v", name, tk.Verdicts(p))
		}
	}
}

// BenchmarkJudge: how much faster than it is played.
func BenchmarkJudge(b *testing.B) {
	p := aPlan(b, 0)
	s := prepare(b, render(b, p, sound.Options{}), rate)
	for b.Loop() {
		if _, err := s.Judge(p); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(s.Seconds()*float64(b.N)/b.Elapsed().Seconds(), "x-real-time")
}

// aPlan is one of several kinds.
func aPlan(t testing.TB, seed uint64) *plan.Plan {
	return solve(t, coretest.Wander(seed, 32), []string{"Open D", "Open G", "Standard"}[seed%3], []pattern.Kind{pattern.Alternating, pattern.None}[seed%2])
}

// cleanTakes are judged once for all tests that ask.
var cleanTakes = map[uint64]*take.Take{}

// cleanTake is aPlan's plan as a good player plays it in a quiet room: the tempo wanders a little.
func cleanTake(t testing.TB, seed uint64, p *plan.Plan) *take.Take {
	t.Helper()
	if cleanTakes[seed] == nil {
		tk, err := prepare(t, faulty(t, p, &sound.Faults{Wander: 0.05, RoomDB: -55}), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		cleanTakes[seed] = tk
	}
	return cleanTakes[seed]
}

// TestJudge: of clean takes nothing is said, and sure notes are within two cents; notes that are off, late or
// left out, each in a take of its own, are told to be so, by how much and where.
func TestJudge(t *testing.T) {
	spoken := 0
	for seed := range seeds(2, 6) {
		p := aPlan(t, seed)
		clean := cleanTake(t, seed, p)
		var off []float64
		for i := range clean.Notes {
			if n := &clean.Notes[i]; n.Sure >= 0.5 {
				off = append(off, math.Abs(n.Cents))
			}
		}
		slices.Sort(off)
		if len(off) < len(clean.Notes)/3 || off[len(off)/2] > 2 || len(clean.Missing) > 1 {
			t.Errorf("plan %d: %d of %d notes sure, median %.2f cents off, %d missing", seed, len(off), len(clean.Notes),
				off[len(off)/2], len(clean.Missing))
		}
		if v := clean.Verdicts(p); len(v) > 0 {
			spoken++
			t.Logf("plan %d, clean: %+v", seed, v)
		}

		var wrong sound.Faults
		bad := map[int]float64{}
		for k := 5; k < len(p.Moments)-4; k += 7 {
			if mo := &p.Moments[k]; mo.Melody != nil && mo.Melody.Digit != "" {
				bad[k] = []float64{-35, 22, -18}[k%3]
				wrong.Notes = append(wrong.Notes, sound.NoteFault{At: mo.At, String: mo.Melody.String, Cents: bad[k]})
			}
		}
		tk, err := prepare(t, faulty(t, p, &wrong), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		told, sure := 0, 0
		for i := range tk.Notes {
			n := &tk.Notes[i]
			want, is := bad[n.Moment]
			if n.Sure < 0.5 || n.Part != "melody" {
				continue
			}
			if is {
				sure++
			}
			if math.Abs(n.Cents-want) <= 3 && is {
				told++
			} else if math.Abs(n.Cents) > 12 && !is {
				t.Errorf("plan %d, moment %d: %+.0f cents, played in tune", seed, n.Moment, n.Cents)
			}
		}
		if told < sure || sure < len(bad)/4 {
			t.Errorf("plan %d: of %d notes out of tune %d are sure, %d told", seed, len(bad), sure, told)
		}

		k := len(p.Moments) / 2
		late, err := prepare(t, faulty(t, p, &sound.Faults{Notes: []sound.NoteFault{{At: p.Moments[k].At, LateMs: 90}}}), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		if !slices.ContainsFunc(late.Notes, func(n take.Note) bool { return n.Moment == k && n.OnsetMs > 60 && n.OnsetMs < 120 }) {
			t.Errorf("plan %d: moment %d was 90 ms late", seed, k)
		}
	}
	if spoken > 1 {
		t.Errorf("of 6 clean takes something is said of %d", spoken)
	}
}

// TestRinging: a string whose damper was forgotten is found where it rings, on the right string, and nothing is
// found where all are silent.
func TestRinging(t *testing.T) {
	if testing.Short() {
		t.Skip("TestGoldenTake and TestJudge say most of it")
	}
	hits, misses, wrong, clean := 0, 0, 0, 0
	for seed := range seeds(2, 8) {
		p := aPlan(t, seed)
		var f sound.Faults
		rings := map[[2]int]bool{}
		for k := 4; k < len(p.Moments)-3; k += 6 {
			for str := 1; str <= 6; str++ {
				if p.Moments[k].Strings[str-1].State == "silenced" && struckBefore(p, k, str) {
					f.Dampers = append(f.Dampers, sound.DamperFault{At: p.Moments[k].At, String: str})
					for m := k; m < len(p.Moments) && !struckAt(p, m, str); m++ {
						rings[[2]int{m, str}] = true
					}
					break
				}
			}
		}
		tk, err := prepare(t, faulty(t, p, &f), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range tk.Ringing {
			if r.Sure < 0.5 || r.DB < -24 {
				continue
			}
			if rings[[2]int{r.Moment, r.String}] {
				hits++
			} else {
				wrong++
				t.Logf("plan %d: moment %d, string %d at %.0f dB, sure %.2f, was silent", seed, r.Moment, r.String, r.DB, r.Sure)
			}
		}
		for _, d := range f.Dampers {
			k := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == d.At })
			if !slices.ContainsFunc(tk.Ringing, func(r take.Ringing) bool { return r.Moment == k && r.String == d.String }) {
				misses++
			}
		}
		quiet, err := prepare(t, faulty(t, p, &sound.Faults{RoomDB: -60}), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range quiet.Ringing {
			if r.Sure >= 0.5 && r.DB > -24 && p.Moments[r.Moment].Strings[r.String-1].State != "leaks" {
				clean++
			}
		}
	}
	t.Logf("%d strings found to ring, %d not, %d that were silent; %d in clean takes", hits, misses, wrong, clean)
	if 8*wrong > hits || clean > 0 || hits < 2*misses {
		t.Error("see above")
	}
}

func struckAt(p *plan.Plan, m, str int) bool {
	return slices.ContainsFunc(p.Moments[m].Strokes(), func(s *play.Stroke) bool { return s.String == str })
}

// struckBefore reports whether a string was struck within the four moments before.
func struckBefore(p *plan.Plan, m, str int) bool {
	for k := max(0, m-3); k < m; k++ {
		if struckAt(p, k, str) {
			return true
		}
	}
	return false
}

// TestLanding: a slide that lands next to its place is reported with where it came from and how long it takes, glides of the plan
// by where they come from, and notes that are there at once are none; accents that are played softly are told.
func TestLanding(t *testing.T) {
	if testing.Short() {
		t.Skip("TestGoldenTake and TestJudge say most of it")
	}
	found, all, soft := 0, 0, false
	for seed := range seeds(2, 8) {
		p := aPlan(t, seed)
		var f sound.Faults
		want := map[int]sound.NoteFault{}
		for k := 3; k < len(p.Moments)-2; k++ {
			mo := &p.Moments[k]
			if mo.Melody != nil && mo.Melody.How == play.Slide && k%3 == 0 {
				n := sound.NoteFault{At: mo.At, String: mo.Melody.String, Land: []float64{-40, 30, -60}[k/3%3],
					LandMs: []float64{100, 150, 250}[k/9%3]}
				want[k] = n
				f.Notes = append(f.Notes, n)
			}
			if mo.Accent && mo.Thumb != nil {
				f.Notes = append(f.Notes, sound.NoteFault{At: mo.At, DB: -12})
			}
		}
		tk, err := prepare(t, faulty(t, p, &f), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		soft = soft || slices.ContainsFunc(tk.Verdicts(p), func(v take.Verdict) bool { return v.Kind == "accent" })
		for i := range tk.Notes {
			n := &tk.Notes[i]
			if n.Part != play.Melody || n.Sure < 0.5 {
				continue
			}
			st := p.Moments[n.Moment].Melody
			from, ms := 0.0, 90.0
			if w, is := want[n.Moment]; is {
				from, ms = w.Land, w.LandMs
				all++
			} else if st.How == play.Glide {
				from = -100 * (st.Fret - st.From)
			}
			switch g := n.Glide; {
			case from == 0 && g != nil:
				t.Errorf("plan %d, moment %d, %s: there at once, and it comes from %+.0f cents in %.0f ms", seed, n.Moment, st.How,
					g.From, 1000*g.Seconds)
			case g != nil && st.Digit != "" && (math.Abs(g.From-from) > 5+0.1*math.Abs(from) || 1000*g.Seconds > ms+20 || 1000*g.Seconds < 0.4*ms):
				t.Errorf("plan %d, moment %d, %s: comes from %+.0f cents in %.0f ms, played from %+.0f in %.0f", seed, n.Moment,
					st.How, g.From, 1000*g.Seconds, from, ms)
			case g != nil && st.How == play.Slide:
				found++
			}
		}
	}
	t.Logf("figure: of %d landings of sure notes %d are told", all, found)
	if 2*found < all || all < 3 || !soft {
		t.Errorf("landings are lost, or soft accents are not heard: %v", soft)
	}
}

// TestVibrato: shaken notes are found to be, by rate, width and centre, and the others not.
func TestVibrato(t *testing.T) {
	tu := coretest.Line('D', 60, 2*tune.Quarter, "D", coretest.Notes(62, 66, 69, 76, 69, 66)...)
	for _, i := range []int{1, 3} {
		tu.Notes[i].Marks |= tune.Vibrato
	}
	p := solve(t, tu, "Open D", pattern.None)
	tk, err := prepare(t, render(t, p, sound.Options{}), rate).Judge(p)
	if err != nil {
		t.Fatal(err)
	}
	found, advice := 0, ornament.Of(p)
	for i := range tk.Notes {
		n := &tk.Notes[i]
		v := n.Vibrato
		shaken := slices.ContainsFunc(advice.Vibratos, func(v ornament.Vibrato) bool { return v.Moment == n.Moment })
		if shaken != (v != nil) {
			t.Errorf("note %d, shaken %v: %+v", n.Moment, shaken, v)
		}
		if v != nil {
			found++
			if math.Abs(v.Hz-5.5) > 0.2 || math.Abs(v.Width-36) > 4 || math.Abs(v.Centre) > 3 { // as core/sound shakes
				t.Errorf("note %d: %+v", n.Moment, v)
			}
		}
	}
	if found < 2 {
		t.Error("of the two notes that are marked not both are shaken")
	}
}

// TestWrong: of melody notes that were left out next to the thumb, or struck at another fret, many are told to
// be missing, and what was struck instead is never told wrongly; of all clean takes at most one note is missing.
func TestWrong(t *testing.T) {
	if testing.Short() {
		t.Skip("TestGoldenTake and TestJudge say most of it")
	}
	told, right, all, false_, missing := 0, 0, 0, 0, 0
	for seed := range seeds(2, 8) {
		p := aPlan(t, seed)
		clean := cleanTake(t, seed, p)
		if missing += len(clean.Missing); missing > 1 {
			t.Errorf("plan %d, clean: missing %+v", seed, clean.Missing)
		}
		f := sound.Faults{RoomDB: -55}
		moved := map[int]float64{} // frets; 0 for a note that is left out
		for k := 3; k < len(p.Moments)-3; k += 4 {
			mo := &p.Moments[k]
			if mo.Melody == nil || mo.Melody.Digit == "" {
				continue
			}
			n := sound.NoteFault{At: mo.At, String: mo.Melody.String, Drop: k%8 == 3 && mo.Thumb != nil}
			if !n.Drop {
				n.Cents = []float64{-200, 100, 200}[k%3]
			}
			moved[k] = n.Cents / 100
			f.Notes = append(f.Notes, n)
		}
		all += len(moved)
		tk, err := prepare(t, faulty(t, p, &f), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range tk.Missing {
			by, is := moved[m.Moment]
			if !is || m.Part != play.Melody {
				false_++
				continue
			}
			told++
			if in := m.Instead; in != nil {
				if want := p.Moments[m.Moment].Melody.Fret + by; by == 0 || in.String == m.String && float64(in.Fret) != want {
					t.Errorf("plan %d, moment %d: string %d was struck at fret %g, told %+v", seed, m.Moment, m.String, want, in)
				} else {
					right++
				}
			}
		}
	}
	t.Logf("figure: of %d notes left out or wrong %d are told missing, of %d it is told what was struck; %d told that were there",
		all, told, right, false_)
	if 3*told < all || right == 0 || 10*false_ > told {
		t.Error("see above")
	}
}
