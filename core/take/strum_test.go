package take_test

import (
	"math/rand/v2"
	"testing"

	"stepping/core/coretest"
	"stepping/core/take"
	"stepping/core/take/taketest"
)

// TestStrumEar: of strings struck from the lowest to the highest, some silenced and some not, in three tunings, dry,
// in a room and over a telephone in noise, it is found which ring on.
func TestStrumEar(t *testing.T) {
	for name, heard := range map[string]func([]float64) []float64{
		"plain": func(s []float64) []float64 { return s },
		"room":  func(s []float64) []float64 { return taketest.Room(s, 0.4, 7) },
		"phone": func(s []float64) []float64 { return taketest.Noise(taketest.Phone(s), 25, 3) },
	} {
		right, all := 0, 0
		for seed := range seeds(1, 20) {
			rng := rand.New(rand.NewPCG(seed, 21))
			tn := coretest.Tuning([]string{"Open D", "Open G", "Standard"}[seed%3])
			pf := &taketest.Performance{Seconds: 5.5}
			var rings []bool
			for str := 6; str >= 1; str-- {
				hz := tn.Open(str).Hertz(440)
				at := 0.4 + 0.8*float64(6-str) + 0.1*rng.Float64()
				n := taketest.Note{String: str, At: at, Hz: hz, From: hz, Level: 0.5 + 0.5*rng.Float64(), Tau: 1.8}
				if rings = append(rings, rng.IntN(2) == 0); !rings[len(rings)-1] {
					n.Tau, n.Level = 0.03+0.02*rng.Float64(), n.Level*0.8
				}
				pf.Notes = append(pf.Notes, n)
			}
			samples := heard(pf.Strings(seed + 1))
			ear := take.NewStrumEar(taketest.Rate)
			var got []take.Rung
			for at := 0; at < len(samples); at += 960 {
				got = append(got, ear.Hear(samples[at:min(len(samples), at+960)])...)
			}
			all += len(rings)
			if len(got) != len(rings) {
				t.Logf("%s, seed %d: %d strokes heard of %d", name, seed, len(got), len(rings))
				continue
			}
			for i := range got {
				if got[i].Rings == rings[i] {
					right++
				} else {
					t.Logf("%s, seed %d, string %d rings %v: %+v", name, seed, 6-i, rings[i], got[i])
				}
			}
		}
		t.Logf("figure: %s: of %d strings %d are judged right", name, all, right)
		if right*6 < all*5 {
			t.Error("see above")
		}
	}
}
