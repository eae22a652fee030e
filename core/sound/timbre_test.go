package sound_test

import (
	"math"
	"math/cmplx"
	"testing"

	"gonum.org/v1/gonum/dsp/fourier"

	"stepping/core/coretest"
	"stepping/core/ornament"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/sound"
)

// weighted passes samples at 48 kHz through the two filters of ITU-R BS.1770-4, tables 1 and 2.
func weighted(s []float64) []float64 {
	out := make([]float64, len(s))
	copy(out, s)
	for _, f := range [][5]float64{
		{1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585},
		{1, -2, 1, -1.99004745483398, 0.99007225036621},
	} {
		var x1, x2, y1, y2 float64
		for i, x := range out {
			y := f[0]*x + f[1]*x1 + f[2]*x2 - f[3]*y1 - f[4]*y2
			x2, x1, y2, y1 = x1, x, y1, y
			out[i] = y
		}
	}
	return out
}

// lufs is the integrated loudness of mono samples at 48 kHz by ITU-R BS.1770-4, both gates included.
func lufs(s []float64) float64 {
	const rate = 48000
	w := weighted(s)
	var blocks []float64
	for at := 0; at+rate*4/10 <= len(w); at += rate / 10 {
		v := rms(w[at : at+rate*4/10])
		blocks = append(blocks, v*v)
	}
	over := func(least float64) float64 {
		sum, n := 0.0, 0
		for _, b := range blocks {
			if -0.691+10*math.Log10(b+1e-20) > least {
				sum, n = sum+b, n+1
			}
		}
		return -0.691 + 10*math.Log10(sum/float64(max(1, n))+1e-20)
	}
	return over(over(-70) - 10)
}

// above is the share of the energy above a frequency, dB.
func above(s []float64, rate, hz float64) float64 {
	const size = 4096
	fft := fourier.NewFFT(size)
	high, all := 0.0, 0.0
	for at := 0; at+size <= len(s); at += size / 2 {
		win := make([]float64, size)
		for i := range win {
			win[i] = s[at+i] * (0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/size))
		}
		for k, c := range fft.Coefficients(nil, win) {
			e := real(c)*real(c) + imag(c)*imag(c)
			all += e
			if float64(k)*rate/size > hz {
				high += e
			}
		}
	}
	return 10 * math.Log10(high/all)
}

// TestLevel: all that a guitar does is near the loudness that is aimed at, nothing is clipped, and there is as
// much treble as in recordings of acoustic guitars, by every attack and in every tuning.
func TestLevel(t *testing.T) {
	for seed := range seeds(2, 12) {
		attack, tuning := player.Attacks[seed%4], []string{"Open D", "Open G", "Standard"}[seed%3]
		tu := coretest.Wander(seed, 40)
		tu.Tempos[0].BPM = 60 + 20*float64(seed%4)
		p := solve(t, tu, tuning, []pattern.Kind{pattern.Alternating, pattern.None, pattern.Steady}[seed/2%3],
			func(pr *player.Profile) { pr.Attack = attack })
		s := render(t, p, sound.Options{})
		peak := 0.0
		for _, v := range s {
			peak = max(peak, math.Abs(v))
		}
		loud, high := lufs(s), above(s, 48000, 2000)
		t.Logf("figure: plan %d, %s, %s: %.1f LUFS, peak %.1f dB, above 2 kHz %.1f dB", seed, tuning, attack, loud, db(peak, 1), high)
		if math.Abs(loud-sound.Target) > 1.8 || peak > 0.9 || high < -26.5 || high > -19.5 {
			t.Error("see above")
		}
	}
}

// seeds counts to short, or to long in the long form.
func seeds(short, long uint64) uint64 {
	if testing.Short() {
		return short
	}
	return long
}

// one is a stroke by itself.
func one(t *testing.T, str int, how play.How, rate int) (s []float64, hz float64) {
	tn := coretest.Tuning("Open D")
	st := play.Stroke{String: str, Fret: 7, From: 7, How: how, Note: pitch.Spell(tn.Open(str)+pitch.Midi(7), false)}
	snd, err := sound.New(sound.Strokes(tn, 0, "flesh", 0, st), sound.Options{Rate: rate})
	if err != nil {
		t.Fatal(err)
	}
	return all(t, snd)[:rate], st.Note.Pitch().Hertz(440)
}

// level is how strong a frequency is in one second of samples, dB.
func level(s []float64, rate, hz float64) float64 {
	sum := complex(0, 0)
	for i, v := range s {
		w := 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(len(s)))
		sum += complex(w*v, 0) * cmplx.Exp(complex(0, -2*math.Pi*hz*float64(i)/rate))
	}
	return 20 * math.Log10(cmplx.Abs(sum))
}

// TestSlideDiffers: a note under the slide differs from a fretted one by 4 dB or more in at least two of its first
// twelve partials, on every string and at every rate; the fundamental stays.
func TestSlideDiffers(t *testing.T) {
	for _, rate := range []int{24000, 48000} {
		for str := 1; str <= 6; str++ {
			fretted, hz := one(t, str, play.Fret, rate)
			slid, _ := one(t, str, play.Slide, rate)
			differ := 0
			for k := 1; k <= 12; k++ {
				d := level(slid, float64(rate), hz*float64(k)) - level(fretted, float64(rate), hz*float64(k))
				if math.Abs(d) >= 4 {
					differ++
				}
				if k == 1 && math.Abs(d) > 3 {
					t.Errorf("string %d: the fundamental by %.1f dB", str, d)
				}
			}
			if differ < 2 {
				t.Errorf("string %d at %d a second: %d partials differ", str, rate, differ)
			}
		}
	}
}

// TestTravels: where a long glide is advised the note before it ends between the two pitches.
func TestTravels(t *testing.T) {
	const rate = 48000
	var p *plan.Plan
	var advice ornament.Advice
	for seed := uint64(0); len(advice.Glides) == 0; seed++ {
		if seed == 20 {
			t.Fatal("no long glide is advised in 20 tunes")
		}
		tu := coretest.Wander(seed, 40)
		tu.Tempos[0].BPM = 60
		p = solve(t, tu, "Open D", pattern.None, func(pr *player.Profile) { pr.Lean = player.LeanSlide })
		advice = ornament.Of(p)
	}
	g := advice.Glides[0]
	a, b := p.Moments[g.From].Melody.Note.Pitch().Hertz(440), p.Moments[g.To].Melody.Note.Pitch().Hertz(440)
	s := render(t, p, sound.Options{Rate: rate})
	at := p.Moments[g.To].Seconds
	middle := s[int((at-g.Seconds*0.75)*rate):int((at-g.Seconds*0.25)*rate)]
	strongest, loudest := 0.0, math.Inf(-1)
	for f := min(a, b) / 1.1; f < max(a, b)*1.1; f *= 1.002 {
		if v := level(middle, rate, f); v > loudest {
			strongest, loudest = f, v
		}
	}
	if half := math.Sqrt(a * b); math.Abs(1200*math.Log2(strongest/half)) > 60 {
		t.Errorf("half-way from %.0f to %.0f Hz it is at %.0f", a, b, strongest)
	}
}
