package take_test

import (
	"math"
	"testing"

	"stepping/core/sound"
	"stepping/core/take"
	"stepping/core/take/taketest"
)

// comesBack is our sound as a microphone hears it: late by so many samples, in a room.
func comesBack(own []float64, late int, gain float64) []float64 {
	room := taketest.Room(own, 0.3, 5)
	out := make([]float64, len(own))
	for i := late; i < len(out); i++ {
		out[i] = gain * room[i-late]
	}
	return out
}

// TestEcho: what we play ourselves, a click and the thumb's bass, is taken out of what the microphone hears, and how
// long it takes to come back is found; a player over it, out of time with it, is followed as if it were not there.
func TestEcho(t *testing.T) {
	if testing.Short() {
		t.Skip("seconds of sound, taken apart")
	}
	from, to, _ := chosen(t, "plain")
	if testing.Short() {
		to = from + 1
	}
	for seed := from; seed < to; seed++ {
		pf := perform(t, taketest.Manner{Seed: seed, JitterMs: 6})
		p := pf.plan
		snd, err := sound.New(sound.Of(p), sound.Options{Rate: taketest.Rate, Layers: sound.Thumb | sound.Click, CountIn: 8, Tempo: 0.94 * p.Tempo()})
		if err != nil {
			t.Fatal(err)
		}
		own := make([]float64, snd.Len())
		snd.Samples(own)
		lead := int(snd.Lead() * taketest.Rate)
		const late = taketest.Rate * 90 / 1000
		back := comesBack(own, late, 0.7)

		e := take.NewEcho()
		left := e.Hear(back, own)
		from, to := lead+4*taketest.Rate, min(len(left), lead+12*taketest.Rate)
		down := 10 * math.Log10(power(left[from:to])/power(back[from:to]))
		d, ok := e.Delay()
		t.Logf("figure: our own sound is turned down by %.0f dB; found %v after %.1f ms", -down, ok, 1000*float64(d)/taketest.Rate)
		if down > -15 || !ok || math.Abs(float64(d-late)) > 0.003*taketest.Rate {
			t.Error("see above")
		}

		if testing.Short() {
			continue
		}
		var with, without follows
		for _, samples := range pf.samples {
			padded := append(make([]float64, lead), samples...)
			for len(padded) < len(back) {
				padded = append(padded, 0)
			}
			mixed := make([]float64, len(padded))
			ours := make([]float64, len(padded))
			copy(ours, own)
			for k := range mixed {
				mixed[k] = padded[k]
				if k < len(back) {
					mixed[k] += back[k]
				}
			}
			without.live(p, mixed[lead:], pf.truth)
			with.live(p, append([]float64(nil), take.NewEcho().Hear(mixed, ours)...)[lead:], pf.truth)
		}
		t.Logf("figure: seed %d, our sound not taken out: %s", seed, &without)
		t.Logf("figure: seed %d, taken out: %s", seed, &with)
		if float64(with.wrong) > 0.05*float64(with.shown) || with.wrong > without.wrong || with.lost > without.lost {
			t.Error("see above")
		}
	}
}

func power(s []float64) (sum float64) {
	for _, v := range s {
		sum += v * v
	}
	return sum + 1e-12
}
