package tune

import (
	"math"
	"testing"
	"testing/quick"

	"stepping/core/chord"
	"stepping/core/pitch"
)

// Times are exact for every note length and tuplet, and their text is read back.
func TestTimeText(t *testing.T) {
	if err := quick.Check(func(n uint16, d uint8) bool {
		v, exact := Fraction(int64(n), int64(d%64)+1)
		if !exact {
			return Quarter%Time(d%64+1) != 0
		}
		var back Time
		return back.UnmarshalText([]byte(v.String())) == nil && back == v
	}, &quick.Config{MaxCount: 2000}); err != nil {
		t.Error(err)
	}
	for _, bad := range []string{"", "x", "1/0", "-1", "1/2/3", "1/11", "99999999999", "1.5"} {
		var v Time
		if v.UnmarshalText([]byte(bad)) == nil {
			t.Errorf("%q is read as %v", bad, v)
		}
	}
	if third := Quarter / 3; third*3 != Quarter || (Quarter/7*7 != Quarter) || (5*Quarter/2).String() != "5/2" || Time(0).String() != "0" {
		t.Error("a third of a quarter is not exact")
	}
}

func sample() *Tune {
	d, _ := chord.Parse("D")
	g, _ := chord.Parse("G7/B")
	n := func(at, dur Time) Note { return Note{At: at, Dur: dur, Note: pitch.Note{Letter: 'D', Octave: 4}} }
	return &Tune{
		Key: Key{Tonic: pitch.Note{Letter: 'D'}},
		Notes: []Note{n(0, Quarter), n(Quarter, Quarter), n(2*Quarter, 2*Quarter), n(5*Quarter, Quarter), n(6*Quarter, Quarter),
			n(7*Quarter, 2*Quarter)},
		Chords: []ChordAt{{Quarter, d}, {5 * Quarter, g}},
		Meters: []MeterAt{{0, 4, 4}}, Tempos: []TempoAt{{0, 60}, {5 * Quarter, 120}},
		Bars: []Time{0, Quarter, 5 * Quarter}, Length: 9 * Quarter,
	}
}

func TestTuneLookups(t *testing.T) {
	tu := sample()
	if tu.ChordOver(0).Name != "D" || tu.ChordOver(4*Quarter).Name != "D" || tu.ChordOver(5*Quarter).Name != "G7/B" {
		t.Error("chords")
	}
	tu.Chords = nil
	if tu.ChordOver(3).Name != "D" {
		t.Error("without chords the key's triad sounds")
	}
	if bar, since := tu.Position(0); bar != 0 || since != 3*Quarter {
		t.Errorf("the pickup is at %v of bar %d", since, bar)
	}
	if bar, since := tu.Position(6 * Quarter); bar != 2 || since != Quarter {
		t.Errorf("%d %v", bar, since)
	}
	for i, end := range tu.PhraseEnds() { // before the rest, and the last
		if end != (i == 2 || i == 5) {
			t.Errorf("note %d: phrase end %v", i, end)
		}
	}
}

// The clock: 5 s at 60, then half a second a quarter; scaled, everything shrinks alike.
func TestClock(t *testing.T) {
	tu := sample()
	for q, want := range map[Time]float64{0: 0, 4: 4, 5: 5, 7: 6, 9: 7} {
		if got := tu.Clock(0).Seconds(q * Quarter); math.Abs(got-want) > 1e-12 {
			t.Errorf("quarter %d: %v s, want %v", q, got, want)
		}
		if got := tu.Clock(120).Seconds(q * Quarter); math.Abs(got-want/2) > 1e-12 {
			t.Errorf("twice as fast, quarter %d: %v s", q, got)
		}
	}
}

func TestMeters(t *testing.T) {
	for _, tt := range []struct {
		m          MeterAt
		pulse, bar Time
	}{
		{MeterAt{0, 4, 4}, Quarter, 4 * Quarter}, {MeterAt{0, 6, 8}, 3 * Quarter / 2, 3 * Quarter}, {MeterAt{0, 3, 8}, Quarter / 2, 3 * Quarter / 2},
		{MeterAt{0, 2, 2}, 2 * Quarter, 4 * Quarter}, {MeterAt{0, 12, 8}, 3 * Quarter / 2, 6 * Quarter}, {MeterAt{0, 6, 4}, Quarter, 6 * Quarter},
	} {
		if tt.m.Pulse() != tt.pulse || tt.m.Bar() != tt.bar {
			t.Errorf("%d/%d: pulse %v, bar %v", tt.m.Num, tt.m.Den, tt.m.Pulse(), tt.m.Bar())
		}
	}
}

// A tune is written high if it goes beyond fret 17 of string 1, or lies above C5 for most of its time, and an octave lower still
// lies on the guitar.
func TestWrittenHigh(t *testing.T) {
	for _, c := range []struct {
		lowest, highest int
		long            Time // the highest, in quarters; the lowest is one
		want            bool
	}{{62, 81, 1, true}, {52, 90, 1, true}, {51, 90, 3, false}, {62, 80, 1, false}, {40, 64, 1, false}, {67, 72, 2, true}, {67, 72, 1, false},
		{67, 71, 3, false}} {
		tu := &Tune{Notes: []Note{{Note: pitch.Spell(pitch.Midi(c.lowest), false), Dur: Quarter},
			{Note: pitch.Spell(pitch.Midi(c.highest), false), At: Quarter, Dur: c.long * Quarter}}}
		if got := tu.WrittenHigh(); got != c.want || got && tu.Transposed(-12).WrittenHigh() && c.highest < 93 {
			t.Errorf("%d to %d: %v", c.lowest, c.highest, got)
		}
	}
}

// TestPrinted: which time a bar is played, in words; and several bars.
func TestPrinted(t *testing.T) {
	for p, want := range map[Printed]string{{3, 1}: "3", {3, 2}: "3, 2nd time", {0, 3}: "0, 3rd time", {7, 4}: "7, 4th time", {7, 12}: "7, 12th time", {7, 21}: "7, 21st time"} {
		if got := p.String(); got != want {
			t.Errorf("%d, time %d: %s, want %s", p.Number, p.Pass, got, want)
		}
	}
	tu := &Tune{Printed: []Printed{{1, 1}, {2, 1}, {1, 2}, {2, 2}, {3, 1}}}
	for bars, want := range map[[2]int]string{{2, 2}: "bar 2", {1, 2}: "bars 1 to 2", {3, 4}: "bars 1 to 2, 2nd time", {4, 4}: "bar 2, 2nd time", {4, 5}: "bars 2, 2nd time to 3"} {
		if got := tu.BarsPrinted(bars[0], bars[1]); got != want {
			t.Errorf("%v: %s, want %s", bars, got, want)
		}
	}
}
