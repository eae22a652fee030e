package take_test

import (
	"cmp"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/practice"
	"stepping/core/take"
	"stepping/core/take/taketest"
	"stepping/core/tune"
)

// fairPlan is one of eight kinds: wandering melodies over thumbs and by themselves, slow airs with the slide.
func fairPlan(t testing.TB, seed uint64) *plan.Plan {
	t.Helper()
	switch tuning := []string{"Open D", "Open G", "Standard", "DADGAD"}[seed%4]; seed % 8 {
	case 3, 6:
		tu := coretest.Wander(seed, 26)
		for i := range tu.Notes {
			tu.Notes[i].At, tu.Notes[i].Dur = 2*tu.Notes[i].At, 2*tu.Notes[i].Dur
		}
		for i := range tu.Bars {
			tu.Bars = append(tu.Bars, tu.Bars[len(tu.Bars)-1]+tune.Whole)
			_ = i
		}
		tu.Length *= 2
		return solve(t, tu, []string{"Open D", "Open G"}[seed/4%2], pattern.None)
	case 1, 4:
		return solve(t, coretest.Wander(seed, 44), tuning, pattern.None)
	default:
		return solve(t, coretest.Wander(seed, 40), tuning, []pattern.Kind{pattern.Alternating, pattern.Steady}[seed/2%2])
	}
}

// condition is how a take is played, and where it is heard.
type condition struct {
	name   string
	manner taketest.Manner
	heard  func([]float64) []float64
}

var conditions = []condition{
	{"plain", taketest.Manner{JitterMs: 6}, nil},
	{"room", taketest.Manner{JitterMs: 6}, func(x []float64) []float64 { return taketest.Room(x, 0.4, 3) }},
	{"phone", taketest.Manner{JitterMs: 6}, func(x []float64) []float64 { return taketest.Noise(taketest.Phone(taketest.Room(x, 0.4, 4)), 20, 5) }},
	{"noise20", taketest.Manner{JitterMs: 6}, func(x []float64) []float64 { return taketest.Noise(x, 20, 6) }},
	{"noise10", taketest.Manner{JitterMs: 6}, func(x []float64) []float64 { return taketest.Noise(x, 10, 7) }},
	{"hum", taketest.Manner{JitterMs: 6}, func(x []float64) []float64 { return taketest.Hum(x, 20) }},
	{"drift", taketest.Manner{JitterMs: 6, Drift: 0.08}, nil},
	{"rubato", taketest.Manner{JitterMs: 6, Rubato: 0.35}, nil},
	{"jitter", taketest.Manner{JitterMs: 14}, nil},
	{"guitar", taketest.Manner{JitterMs: 6, Guitar: -20}, nil},
	{"false start", taketest.Manner{JitterMs: 6, FalseStart: 9}, nil},
	{"repeat", taketest.Manner{JitterMs: 6, Repeat: 3}, nil},
	{"stop", taketest.Manner{JitterMs: 6, Stop: 14, StopFor: 2.5}, nil},
}

// sampled is a performance by recorded samples of a guitar.
func sampled(t testing.TB, pf *taketest.Performance) []float64 {
	t.Helper()
	dir := t.TempDir()
	midi, wav := filepath.Join(dir, "a.mid"), filepath.Join(dir, "a.wav")
	if err := os.WriteFile(midi, pf.MIDI(), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("fluidsynth", "-ni", "-g", "0.5", "-R", "0", "-C", "0", "-r", fmt.Sprint(taketest.Rate), "-F", wav, "/usr/share/sounds/sf2/TimGM6mb.sf2", midi).CombinedOutput(); err != nil {
		t.Fatalf("fluidsynth and timgm6mb-soundfont are wanted: %v: %s", err, out)
	}
	data, err := os.ReadFile(wav)
	if err != nil || len(data) < 44 {
		t.Fatal(err)
	}
	var out []float64
	for i := 44; i+3 < len(data); i += 4 { // two channels of 16 bits
		l, r := int16(binary.LittleEndian.Uint16(data[i:])), int16(binary.LittleEndian.Uint16(data[i+2:]))
		out = append(out, (float64(l)+float64(r))/65536)
	}
	return out
}

// score counts what was found, found wrongly and not found.
type score struct{ hit, wrong, lost int }

func (s score) f1() float64 { return 2 * float64(s.hit) / math.Max(1, float64(2*s.hit+s.wrong+s.lost)) }
func (s score) String() string {
	return fmt.Sprintf("%.2f/%.2f/%.2f", float64(s.hit)/math.Max(1, float64(s.hit+s.wrong)), float64(s.hit)/math.Max(1, float64(s.hit+s.lost)), s.f1())
}

// fairness is how well takes under one condition are judged.
type fairness struct {
	takes, clean, false_, broke, ringFalse int
	moments, late, off, missing, ringing   score
	oneOfTwo                               score // one of two strokes missing
	octave                                 score
	onset, cents                           []float64
	refused                                int
	said                                   []string
}

func quantile(x []float64, q float64) float64 {
	if len(x) == 0 {
		return math.NaN()
	}
	slices.Sort(x)
	return x[min(len(x)-1, int(q*float64(len(x))))]
}

func (f *fairness) String() string {
	return fmt.Sprintf("found %s onset %.0f/%.0f cents %.1f off %s late %s missing %s one of two %s ringing %s octave %d/%d | clean: %.2f false, %.2f ringing, %d of %d broke, %d refused",
		f.moments, quantile(f.onset, 0.5), quantile(f.onset, 0.95), quantile(f.cents, 0.5), f.off, f.late, f.missing, f.oneOfTwo, f.ringing, f.octave.hit, f.octave.hit+f.octave.lost,
		float64(f.false_)/math.Max(1, float64(f.clean)), float64(f.ringFalse)/math.Max(1, float64(f.clean)), f.broke, f.clean, f.refused)
}

// judge adds one take.
func (f *fairness) judge(t testing.TB, p *plan.Plan, samples []float64, tr *taketest.Truth, faults bool, guitar float64) {
	f.takes++
	sig, err := take.Prepare(&recording{samples: samples}, taketest.Rate, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	tk, err := sig.Judge(p)
	if err != nil {
		f.refused++
		return
	}
	found := map[int]bool{}
	for _, pl := range tk.Places {
		ms := 1000 * (pl.AtSec - tr.Onset[pl.Moment])
		if math.Abs(ms) < 60 {
			f.onset = append(f.onset, math.Abs(ms))
			f.moments.hit++
			found[pl.Moment] = true
		} else {
			f.moments.wrong++
		}
	}
	f.moments.lost += len(tr.Onset) - len(found)
	if !faults {
		f.clean++
		v := tk.Verdicts(p)
		for i := range v {
			if v[i].Kind == "tuning" && guitar != 0 || v[i].Kind == "tempo" || v[i].Kind == "stop" && tr.Stopped { // which is true
				continue
			}
			f.false_++
			f.said = append(f.said, v[i].Kind+": "+v[i].Text)
			if v[i].Kind == "ringing" {
				f.ringFalse++
			}
		}
		sum := tk.Summary(p)
		if sum.Verdict() == practice.Broke && sum.Tries == 1 {
			f.broke++
		}
		if sum.Tries > 1 {
			f.said = append(f.said, fmt.Sprint("tries ", sum.Tries))
		}
		return
	}
	f.faults(p, tk, tr, found, guitar)
}

func (f *fairness) faults(p *plan.Plan, tk *take.Take, tr *taketest.Truth, found map[int]bool, guitar float64) {
	told := map[int]bool{}
	for i := range tk.Notes {
		n := &tk.Notes[i]
		key := taketest.Stroke{Moment: n.Moment, String: n.String}
		if n.Plucked && math.Abs(n.OnsetMs) >= n.OffFrom {
			told[n.Moment] = true
		}
		if n.Sure < take.SureOf || tr.Missing[key] || tr.Octave[key] {
			continue
		}
		f.cents = append(f.cents, math.Abs(n.Cents+tk.Common-tr.Cents[key]-guitar))
		switch is := math.Abs(n.Cents) >= take.OffCents; {
		case is && tr.Cents[key] != 0:
			f.off.hit++
		case is:
			f.off.wrong++
		case tr.Cents[key] != 0:
			f.off.lost++
		}
	}
	for m := range told {
		if tr.LateMs[m] != 0 {
			f.late.hit++
		} else {
			f.late.wrong++
			f.said = append(f.said, fmt.Sprintf("late m%d", m))
		}
	}
	for m := range tr.LateMs {
		if !told[m] {
			f.late.lost++
		}
	}
	gone := map[taketest.Stroke]bool{}
	for _, m := range tk.Missing {
		gone[taketest.Stroke{Moment: m.Moment, String: m.String}] = true
	}
	for k := range gone {
		switch {
		case tr.Missing[k]:
			f.missing.hit++
		case tr.Octave[k]: // another note was there
		default:
			f.missing.wrong++
			f.said = append(f.said, fmt.Sprintf("not missing m%d s%d", k.Moment, k.String))
		}
	}
	for k := range tr.Missing {
		alone := len(p.Moments[k.Moment].Strokes()) == 1
		if !gone[k] {
			if tr.Clear[k] {
				f.missing.lost++
			}
			if tr.Clear[k] && !alone {
				f.oneOfTwo.lost++
			}
		} else if !alone {
			f.oneOfTwo.hit++
		}
	}
	for k := range tr.Octave {
		if gone[k] || slices.ContainsFunc(tk.Notes, func(n take.Note) bool { return n.Moment == k.Moment && n.String == k.String && n.Octave != 0 }) {
			f.octave.hit++
		} else {
			f.octave.lost++
		}
	}
	ring := map[taketest.Stroke]bool{}
	for i := range tk.Ringing {
		r := &tk.Ringing[i]
		if !r.Told() {
			continue
		}
		k := taketest.Stroke{Moment: r.Moment, String: r.String}
		ring[k] = true
		if _, is := tr.Ringing[k]; !is {
			f.ringing.wrong++
			f.said = append(f.said, fmt.Sprintf("not ringing m%d s%d %.0f dB", k.Moment, k.String, r.DB))
		}
	}
	for _, k := range tr.Forgot {
		hit, can := false, false
		for m := k.Moment; m < len(p.Moments); m++ {
			key := taketest.Stroke{Moment: m, String: k.String}
			if _, is := tr.Ringing[key]; !is {
				break
			}
			hit = hit || ring[key]
			can = can || decidable(p, m, k.String, tr)
		}
		if hit {
			f.ringing.hit++
		} else if can {
			f.ringing.lost++
		}
	}
}

// decidable reports whether a string that rings on at a moment can be heard there: it was struck less than a second ago,
// is heard for 0.2 s, and has two of its five lowest partials half a semitone away from those of what else sounds.
func decidable(p *plan.Plan, m, str int, tr *taketest.Truth) bool {
	if m+1 < len(p.Moments) && p.Moments[m+1].Seconds-p.Moments[m].Seconds < 0.25 || tr.Ringing[taketest.Stroke{Moment: m, String: str}] > 1 {
		return false
	}
	hz := 0.0
	var last [7]float64
	for k := range m + 1 {
		for _, s := range p.Moments[k].Strokes() {
			last[s.String] = s.Note.Pitch().Hertz(440)
		}
	}
	hz = last[str]
	own := 0
	for k := 1; k <= 5 && hz > 0; k++ {
		f, apart := hz*float64(k), true
		for s := 1; s <= 6; s++ {
			if st := p.Moments[m].Strings[s-1].State; s != str && last[s] > 0 && (st == "struck" || st == "rings") {
				apart = apart && math.Abs(12*math.Log2(f/(last[s]*math.Max(1, math.Round(f/last[s]))))) > 0.5
			}
		}
		if apart {
			own++
		}
	}
	return own >= 2
}

// performances are rendered once for all conditions that hear the same.
var performances sync.Map

type performance struct {
	plan    *plan.Plan
	truth   *taketest.Truth
	samples [2][]float64
}

// perform is a plan played in a manner by both renderers.
func perform(t testing.TB, m taketest.Manner) *performance {
	once, _ := performances.LoadOrStore(m, sync.OnceValue(func() *performance {
		p := fairPlan(t, m.Seed)
		pf, tr := taketest.Play(p, m)
		return &performance{p, tr, [2][]float64{pf.Strings(m.Seed), sampled(t, pf)}}
	}))
	return once.(func() *performance)()
}

// fair judges takes under a condition.
func fair(t testing.TB, c *condition, from, to uint64) *fairness {
	var f fairness
	for seed := from; seed < to; seed++ {
		for _, faults := range []bool{false, true} {
			m := c.manner
			m.Seed, m.Faults = seed, faults
			pf := perform(t, m)
			for i, samples := range pf.samples {
				if os.Getenv("STEPPING_RENDERER") == fmt.Sprint(1-i) {
					continue
				}
				if c.heard != nil {
					samples = c.heard(samples)
				}
				n := len(f.said)
				f.judge(t, pf.plan, samples, pf.truth, faults, c.manner.Guitar)
				for _, s := range f.said[n:] {
					if os.Getenv("STEPPING_SAID") != "" {
						t.Logf("%s seed %d renderer %d faults %v: %s", c.name, seed, i, faults, s)
					}
				}
			}
		}
	}
	return &f
}

// chosen are the seeds and conditions that a test runs over: few in the short form; those of the environment, to measure
// others.
func chosen(t testing.TB, brief ...string) (from, to uint64, conds []*condition) {
	from, to = 1, 6
	if testing.Short() {
		from, to = 1, 2
	}
	if s := os.Getenv("STEPPING_SEEDS"); s != "" {
		if _, err := fmt.Sscanf(s, "%d-%d", &from, &to); err != nil {
			t.Fatal(err)
		}
	}
	only := os.Getenv("STEPPING_CONDITION")
	for i := range conditions {
		c := &conditions[i]
		if (only == "" || c.name == only) && (!testing.Short() || slices.Contains(brief, c.name)) {
			conds = append(conds, c)
		}
	}
	return from, to, conds
}

// TestFair judges takes with known faults by two sounds that share nothing with core/sound: by strings with all that
// real ones have, and by recorded samples; in rooms, through a telephone, in noise, by players whose tempo moves. Bounds
// are a little wider than what was seen.
func TestFair(t *testing.T) {
	from, to, conds := chosen(t, "drift")
	for _, c := range conds {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			f := fair(t, c, from, to)
			t.Logf("figure: %-11s %s", c.name, f)
			if testing.Short() {
				if f.false_ > f.clean/2 || f.broke > 0 || f.moments.f1() < 0.95 || f.late.f1() < 0.75 {
					t.Error("see above")
				}
				return
			}
			late := map[string]float64{"plain": 0.92, "rubato": 0.3, "noise10": 0.5, "jitter": 0.8}
			missing := map[string]float64{"plain": 0.85, "noise10": 0.1, "noise20": 0.6, "phone": 0.5}
			falsely := map[string]float64{"noise10": 3, "rubato": 0.5}
			if f.late.f1() < cmp.Or(late[c.name], 0.8) || f.missing.f1() < cmp.Or(missing[c.name], 0.75) || f.ringing.f1() < 0.5 || f.broke > 0 ||
				float64(f.false_) > cmp.Or(falsely[c.name], 0.4)*float64(f.clean) || 10*f.octave.lost > 2*(f.octave.hit+f.octave.lost) {
				t.Error("see above")
			}
		})
	}
}
