package grip

import (
	"testing"

	"stepping/core/player"
)

// BenchmarkFind looks for the grips of one chord.
func BenchmarkFind(b *testing.B) {
	for _, c := range []string{"C", "Bm7", "C9", "A11"} {
		b.Run(c, func(b *testing.B) {
			g := Guitar{Tuning: mustTuning("Standard"), Player: player.Default()}
			for b.Loop() {
				if len(g.Find(mustChord(c), Listed)) == 0 {
					b.Fatal("no grip")
				}
			}
		})
	}
}

// BenchmarkChain finds the chain through 32 bars of four chords, each looked for again.
func BenchmarkChain(b *testing.B) {
	names := []string{"D", "G", "A7", "Bm", "Em", "F#m7", "C", "D7", "Gmaj7", "Asus4", "E7", "A"}
	g := Guitar{Tuning: mustTuning("Open D"), Player: player.Default()}
	for b.Loop() {
		known := map[string]*Candidates{}
		var cands []*Candidates
		for i := range 128 {
			name := names[(i*i+i/5)%len(names)]
			if known[name] == nil {
				c, err := g.Candidates(mustChord(name), nil)
				if err != nil {
					b.Fatal(err)
				}
				known[name] = c
			}
			cands = append(cands, known[name])
		}
		if path, _ := g.Chain(cands, nil, nil); len(path) != 128 {
			b.Fatal(len(path))
		}
	}
}
