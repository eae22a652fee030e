package take_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"stepping/core/coretest"
	"stepping/core/take"
	"stepping/core/take/taketest"
)

// slid is a note under the slide whose truth is known.
type slid struct {
	taketest.Note
	want        float64 // Hz asked for
	cents, from float64 // where it stays, and where it comes from
	shake       float64
}

// slidNotes draws single notes over all strings and frets 1 to 17: off by up to 40 cents, some coming from
// elsewhere, some with vibrato.
func slidNotes(seed uint64, n int) (pf *taketest.Performance, truth []slid) {
	rng := rand.New(rand.NewPCG(seed, 12))
	tn := coretest.Tuning("Open D")
	pf = &taketest.Performance{Seconds: 0.3}
	for range n {
		s := slid{cents: math.Round(80*rng.Float64() - 40)}
		str, fret := 1+rng.IntN(6), 1+rng.IntN(17)
		s.want = tn.Open(str).Hertz(440) * math.Exp2(float64(fret)/12)
		hz := s.want * math.Exp2(s.cents/1200)
		s.Note = taketest.Note{String: str, At: pf.Seconds, Hz: hz, From: hz, Level: 0.6 + 0.4*rng.Float64(), Tau: 1.2, Metal: true}
		switch rng.IntN(3) {
		case 0:
			s.from = []float64{-120, -60, 50}[rng.IntN(3)]
			s.From, s.Slide = hz*math.Exp2(s.from/1200), 0.12+0.15*rng.Float64()
		case 1:
			s.shake = 12 + 16*rng.Float64()
			s.Shake = s.shake
		}
		pf.Notes, truth = append(pf.Notes, s.Note), append(truth, s)
		pf.Damps = append(pf.Damps, taketest.Damp{String: str, At: pf.Seconds + 2, Tau: 0.03})
		pf.Seconds += 2.4
	}
	return pf, truth
}

// TestEar: of single notes under a slide, dry, in a room and over a telephone in noise, it is known within 100 ms of
// sound where each lies, and at its end where it stayed, where it came from and how its vibrato was.
func TestEar(t *testing.T) {
	played := map[uint64][]float64{}
	for _, c := range []struct {
		name  string
		sound func([]float64) []float64
		near  float64 // cents, the median may be off
		least float64 // share of the notes that are judged right
	}{
		{"plain", func(s []float64) []float64 { return s }, 1.5, 0.95},
		{"room", func(s []float64) []float64 { return taketest.Room(s, 0.4, 7) }, 2, 0.9},
		{"phone", func(s []float64) []float64 { return taketest.Noise(taketest.Phone(taketest.Room(s, 0.4, 7)), 20, 3) }, 3, 0.8},
	} {
		t.Run(c.name, func(t *testing.T) {
			var off, delay []float64
			all, told, came, shaken, wrong := 0, 0, 0, 0, 0
			arrivals, shakes := 0, 0
			for seed := range seeds(1, 6) {
				pf, truth := slidNotes(seed+1, 12)
				if played[seed] == nil {
					played[seed] = pf.Strings(seed + 1)
				}
				samples := c.sound(played[seed])
				ear := take.NewEar(truth[0].want, taketest.Rate)
				at, piece := 0, taketest.Rate/25
				for i := range truth {
					s := &truth[i]
					ear.Ask(s.want)
					end := int((s.At + 2.3) * taketest.Rate)
					var got *take.Stopped
					first := 0.0
					for ; at+piece <= min(end, len(samples)); at += piece {
						lie, done := ear.Hear(samples[at : at+piece])
						now := float64(at+piece) / taketest.Rate
						if lie.Heard && now-lie.At > 0.1 {
							t.Errorf("seed %d, note %d: %.0f ms old", seed, i, 1000*(now-lie.At))
						}
						if lie.Heard && first == 0 && s.from == 0 && math.Abs(lie.Cents-s.cents) < 15+s.shake {
							first = now - s.At
							delay = append(delay, 1000*first)
						}
						if done != nil {
							got = done
						}
					}
					all++
					if got == nil {
						continue
					}
					d := math.Abs(got.Cents - s.cents)
					off = append(off, d)
					if d < 6 {
						told++
					}
					if s.from != 0 {
						arrivals++
						if g := got.Glide; g != nil && math.Abs(g.From-s.from) < 0.3*math.Abs(s.from) {
							came++
						}
					} else if got.Glide != nil {
						wrong++
					}
					if s.shake != 0 {
						shakes++
						if v := got.Vibrato; v != nil && math.Abs(v.Width-2*s.shake) < 0.3*2*s.shake {
							shaken++
						}
					} else if got.Vibrato != nil {
						wrong++
					}
				}
			}
			slices.Sort(off)
			slices.Sort(delay)
			t.Logf("figure: %d of %d right, median %.2f cents off; first told %.0f ms after the pluck (95%% %.0f); %d of %d arrivals, %d of %d vibratos, %d wrong",
				told, all, quantile(off, 0.5), quantile(delay, 0.5), quantile(delay, 0.95), came, arrivals, shaken, shakes, wrong)
			if float64(told) < c.least*float64(all) || quantile(off, 0.5) > c.near || quantile(delay, 0.5) > 100 ||
				came < arrivals*2/3 || shaken < shakes*2/3 || wrong > all/8 {
				t.Error("see above")
			}
		})
	}
}
