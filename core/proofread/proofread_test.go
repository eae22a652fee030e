package proofread_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"stepping/core/pitch"
	"stepping/core/proofread"
	"stepping/formats/tabtext"
)

func check(t testing.TB, text string) []proofread.Finding {
	t.Helper()
	_, page, err := tabtext.Read(strings.NewReader(text), nil, nil)
	if err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	return proofread.Check(page)
}

// bothWays are the layouts with chords over the strings and without.
var bothWays = func() (out []struct {
	layout
	bare bool
}) {
	for _, bare := range []bool{false, true} {
		for _, l := range corpusLayouts {
			if bare {
				l.name += " without chords"
			}
			out = append(out, struct {
				layout
				bare bool
			}{l, bare})
		}
	}
	return out
}()

// TestQuiet: clean pages are left alone, at most one false alarm in 100 bars.
func TestQuiet(t *testing.T) {
	for _, l := range bothWays {
		bars, alarms := 0, 0
		for _, s := range corpus(t) {
			s.bare = l.bare
			text, _ := l.write(&s)
			bars += len(s.tune.Bars)
			for _, f := range check(t, text) {
				alarms++
				t.Logf("%s, %s: bar %d %s: %s %+v", l.name, s.name, f.Bar, f.Kind, f.Text, f.Mend)
			}
		}
		t.Logf("%s: %d false alarms in %d bars", l.name, alarms, bars)
		if 100*alarms > bars {
			t.Errorf("%s: %d false alarms in %d bars, want at most one in 100", l.name, alarms, bars)
		}
	}
}

// misprint changes a number by a fret, or one time of four its string; ok is false where there is no room.
func misprint(rng *rand.Rand, s *sheet, m *mark) (ok bool) {
	way := 1 - 2*rng.IntN(2)
	if rng.IntN(4) > 0 {
		if m.fret+way < 0 {
			way = 1
		}
		m.note += pitch.Midi(way)
		m.fret += way
		return true
	}
	to := m.str + way
	if to < 1 || to > 6 || slices.ContainsFunc(s.marks, func(o mark) bool { return o.at == m.at && o.str == to }) {
		return false
	}
	m.note += s.tuning.Open(to) - s.tuning.Open(m.str)
	m.str = to
	return true
}

// TestMisprints: of numbers changed at random those that leave key and chord are mostly found, with the right mend.
func TestMisprints(t *testing.T) {
	ways := bothWays
	if testing.Short() { // one layout with chords, another without
		ways = append(ways[:1:1], ways[len(ways)-1])
	}
	for _, l := range ways {
		told, found, right := 0, 0, 0
		for seed := range uint64(10) {
			for k, s := range corpus(t) {
				s.bare = l.bare
				rng := rand.New(rand.NewPCG(seed, uint64(k)))
				n := rng.IntN(len(s.marks))
				original, _ := l.write(&s)
				m := &s.marks[n]
				if !misprint(rng, &s, m) || !s.tells(m.at, m.note) {
					continue
				}
				told++
				text, place := l.write(&s)
				hit := false
				for _, f := range check(t, text) {
					if f.Line == place[n][0] && f.Column == place[n][1] {
						hit = true
						if f.Mend != nil && f.Mend.Apply(text) == original {
							right++
						}
						break
					}
				}
				if hit {
					found++
				}
			}
		}
		t.Logf("%s: of %d that key or chord can tell %d found (%d%%), the right mend %d (%d%%)", l.name, told, found,
			100*found/told, right, 100*right/max(found, 1))
		least := 70
		if l.bare { // without the chords, by which these are recognised
			least = 60
		}
		if 100*found < least*told || 100*right < 80*found {
			t.Errorf("%s: want %d%% found and of these 80%% mended", l.name, least)
		}
	}
}
