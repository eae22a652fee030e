package fingering

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"stepping/core/chord"
	"stepping/core/grip"
	"stepping/core/player"
	"stepping/core/ring"
	"stepping/core/tuning"
)

func guitar() grip.Guitar {
	tn, err := tuning.Parse("Standard")
	if err != nil {
		panic(err)
	}
	p := player.Default()
	p.Lean = player.LeanNone
	return grip.Guitar{Tuning: tn, Player: p}
}

func chordOf(t testing.TB, name string) *Chord {
	c, err := chord.Parse(name)
	if err != nil {
		t.Fatal(err)
	}
	return ChordOf(guitar(), c, &InForce)
}

// every lists all ways to give different fingers, or the index to some at one fret, to so many presses.
func every(presses []Press) (out [][]int8) {
	for way := range 1 << (2 * len(presses)) {
		fingers, ok := []int8{}, true
		for i := range presses {
			f := int8(way>>(2*i)&3) + 1
			for k, g := range fingers {
				ok = ok && (f != g || f == 1 && presses[k].Fret() == presses[i].Fret())
			}
			fingers = append(fingers, f)
		}
		if ok {
			out = append(out, fingers)
		}
	}
	return out
}

// moment reads "5:3 4:2", "5:3/" struck with an open string 1, or "-" for open strings alone.
func moment(at float64, c *Chord, text string) Moment {
	m := Moment{Seconds: at, Chord: c}
	for _, word := range strings.Fields(text) {
		var str, fret int
		if n, _ := fmt.Sscanf(word, "%d:%d", &str, &fret); n == 2 && fret > 0 {
			m.Presses = append(m.Presses, Press{Place: At(str, fret), Struck: true})
		} else if n == 2 {
			m.Open |= ring.Of(str)
		}
	}
	if len(m.Presses) > 0 {
		m.Ways = every(m.Presses)
	}
	return m
}

// fingers solves a line of moments, half a second apart, and writes the fingers; | changes the chord.
func fingers(t *testing.T, chords, line string) string {
	t.Helper()
	h := NewHand(guitar().Player, &InForce)
	var music []Moment
	names := strings.Fields(chords)
	for i, part := range strings.Split(line, "|") {
		c := chordOf(t, names[i])
		for word := range strings.FieldsSeq(part) {
			music = append(music, moment(float64(len(music))/2, c, strings.ReplaceAll(word, "+", " ")))
		}
	}
	f, out := Solve(&h, music, nil), []string{}
	for i, w := range f.Ways {
		text := "0"
		if w >= 0 {
			text = strings.Trim(fmt.Sprint(music[i].Ways[w]), "[]")
		}
		out = append(out, strings.ReplaceAll(text, " ", "+"))
	}
	return strings.Join(out, " ")
}

// TestTaught: chords are fingered as teachers write them, whatever the order in which their notes come; shapes stay over open strings, a
// little finger adds notes to them, and what two chords share keeps its finger.
func TestTaught(t *testing.T) {
	for _, c := range []struct{ chords, line, want string }{
		{"C", "5:3 4:2 3:0 2:1 1:0 4:2 2:1", "3 2 0 1 0 2 1"},
		{"C", "2:1 4:2 5:3", "1 2 3"},
		{"Am", "4:2 3:2 2:1 1:0 3:2", "2 3 1 0 3"},
		{"E", "5:2 4:2 3:1 2:0 5:2", "2 3 1 0 2"},
		{"D", "3:2 2:3 1:2 2:3", "1 3 2 3"},
		{"G7", "6:3 5:2 1:1 3:0 1:1", "3 2 1 0 1"},
		{"F", "4:3 3:2 2:1 1:1 2:1", "3 2 1 1 1"},
		{"C C", "5:3 4:2 2:1 1:3 1:0 1:3 2:1|5:3 4:2", "3 2 1 4 0 4 1 3 2"},
		{"Am C", "4:2 3:2 2:1|5:3 4:2 2:1", "2 3 1 3 2 1"},
		{"C", "5:3+2:1 4:2 5:3+1:3 4:2", "3+1 2 3+4 2"},
		{"F Bb", "6:1+2:1 4:3+3:2 4:3+6:1 4:3+3:2|5:1+2:3 3:3 5:1+4:3", "1+1 3+2 3+1 3+2 1+4 2 1+3"}, // bars stay
	} {
		if got := fingers(t, c.chords, c.line); got != c.want {
			t.Errorf("%s %s: %s, want %s", c.chords, c.line, got, c.want)
		}
	}
}

// tune is some chords with places in and about their shapes, melody and bass, in a steady beat.
func randomTune(t testing.TB, rng *rand.Rand, n int) []Moment {
	var music []Moment
	names := []string{"C", "G", "D", "Am", "Em", "F", "A7", "E7"}
	sounds := Place(0)
	for len(music) < n {
		c := chordOf(t, names[rng.IntN(len(names))])
		g := &c.grips[rng.IntN(len(c.grips))]
		for range 2 + rng.IntN(6) {
			m := Moment{Seconds: float64(len(music)) * (0.2 + 0.2*rng.Float64()), Chord: c}
			for range rng.IntN(3) {
				p := g.at[1+rng.IntN(4)]
				if p == 0 || rng.IntN(3) == 0 {
					p = At(1+rng.IntN(6), 1+rng.IntN(5))
				}
				if !slices.ContainsFunc(m.Presses, func(q Press) bool { return q.String() == p.String() }) {
					m.Presses = append(m.Presses, Press{Place: p, Struck: true})
				}
			}
			if len(m.Presses) > 0 {
				m.Ways, sounds = every(m.Presses), m.Presses[0].Place
			} else if sounds != 0 {
				m.Sounds[sounds.String()] = uint8(sounds.Fret())
			}
			music = append(music, m)
		}
	}
	return music
}

// total is what the best fingers cost, hands looked at within slack.
func total(music []Moment, slack float64) (*Fingering, float64) {
	h := NewHand(guitar().Player, &InForce)
	s := search{hand: &h, price: h.Prices, at: map[state]int32{}, slack: slack}
	f := s.solve(music, nil)
	if f == nil {
		return nil, math.Inf(1)
	}
	return f, f.layers[len(music)-1][0].cost
}

// TestSlack: hands much dearer than the cheapest lead to no better fingers: looking at all gives the same total.
func TestSlack(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 27))
	same, cases := 0, 0
	for range 60 {
		music := randomTune(t, rng, 10)
		f, got := total(music, slack)
		if f == nil {
			continue
		}
		_, want := total(music, 3)
		if cases++; got == want {
			same++
		}
	}
	if cases < 30 || same < cases*95/100 {
		t.Errorf("%d of %d are the best", same, cases)
	}
}

// TestRules: chosen fingers lie in fret order, at one fret the lower on the thicker string, within the span and no further from the position
// than they reach, never behind the nut; a slur goes from a finger to one that can make it.
func TestRules(t *testing.T) {
	rng, h := rand.New(rand.NewPCG(2, 27)), NewHand(guitar().Player, &InForce)
	for range 40 {
		music := randomTune(t, rng, 24)
		for i := range music[1:] {
			a, b := music[i].Presses, music[i+1].Presses
			if len(a) > 0 && len(b) > 0 && rng.IntN(3) == 0 {
				b[0].Place, b[0].From, b[0].Slur = At(a[0].String(), 1+rng.IntN(5)), a[0].Place, Hammer
				if len(b) > 1 && b[1].String() == b[0].String() {
					music[i+1].Presses = b[:1]
				}
				if b[0].Fret() < a[0].Fret() {
					b[0].Slur = Pull
				} else if b[0].Fret() == a[0].Fret() {
					b[0].Slur = Plucked
				}
				music[i+1].Ways = every(music[i+1].Presses)
			}
		}
		f, lax := Solve(&h, music, nil), false
		if f != nil {
			lax = f.lax
		}
		if f == nil || lax {
			continue
		}
		held := f.Held()
		for i := range music {
			if f.Ways[i] >= 0 {
				checkRules(t, &h, music, f, held, i)
			}
		}
	}
}

func checkRules(t *testing.T, h *Hand, music []Moment, f *Fingering, held [][]Held, i int) {
	t.Helper()
	mo := &music[i]
	way := mo.Ways[f.Ways[i]]
	for k, x := range way {
		p := &mo.Presses[k]
		for j, y := range way[:k] {
			q := &mo.Presses[j]
			a, b, pa, pb := x, y, p, q
			if a > b {
				a, b, pa, pb = b, a, q, p
			}
			switch {
			case a == b && (a != 1 || pa.Fret() != pb.Fret()), pa.Fret() > pb.Fret(), a != b && pa.Fret() == pb.Fret() && pa.String() < pb.String(),
				a != b && h.X[pb.Fret()]-h.X[pa.Fret()] > h.Span[a][b]:
				t.Errorf("moment %d: %d at %d:%d, %d at %d:%d", i, a, pa.String(), pa.Fret(), b, pb.String(), pb.Fret())
			}
		}
		if p.Fret() < int(x)-2 {
			t.Errorf("moment %d: %d at fret %d lies behind the nut", i, x, p.Fret())
		}
		if p.Slur == Plucked {
			continue
		}
		for _, was := range held[i-1] {
			if was.Place == p.From && (was.Finger < int(x)) != (p.Slur == Hammer) {
				t.Errorf("moment %d: slur %d from %d to %d", i, p.Slur, was.Finger, x)
			}
		}
	}
}

// TestEdit: fingers found from those of a tune that differs a little are those found from nothing.
func TestEdit(t *testing.T) {
	rng, h := rand.New(rand.NewPCG(3, 27)), NewHand(guitar().Player, &InForce)
	shared := 0
	for range 10 {
		music := randomTune(t, rng, 50)
		f := Solve(&h, music, nil)
		for range 3 {
			if f == nil {
				t.Fatal("no fingers without slurs")
			}
			at := rng.IntN(len(music))
			music = slices.Clone(music)
			music[at] = moment(music[at].Seconds, music[at].Chord, fmt.Sprintf("%d:%d", 1+rng.IntN(6), rng.IntN(5)))
			fresh, g := Solve(&h, music, nil), Solve(&h, music, f)
			if !slices.Equal(fresh.Ways, g.Ways) {
				t.Fatalf("changed at %d: %v, from nothing %v", at, g.Ways, fresh.Ways)
			}
			if last := len(music) - 1; &g.layers[last][0] == &f.layers[last][0] {
				shared++
			}
			f = g
		}
	}
	if shared < 15 {
		t.Errorf("%d of 30 edits share the end", shared)
	}
}

// priced reads a line of moments half a second apart: "5:3=3" is a place and the finger that takes it, + joins places struck together,
// ~ before a place means that it sounds on there, - is nothing, | changes the chord. It returns what the best hands cost.
func priced(t *testing.T, line string, chords ...*Chord) float64 {
	t.Helper()
	var music []Moment
	for i, part := range strings.Split(line, "|") {
		for word := range strings.FieldsSeq(part) {
			m, way := Moment{Seconds: float64(len(music)) / 2, Chord: chords[i]}, []int8{}
			for one := range strings.SplitSeq(word, "+") {
				var str, fret, f int
				if n, _ := fmt.Sscanf(one, "~%d:%d", &str, &fret); n == 2 {
					m.Sounds[str] = uint8(fret)
				} else if n, _ := fmt.Sscanf(one, "%d:%d=%d", &str, &fret, &f); n == 3 {
					m.Presses, way = append(m.Presses, Press{Place: At(str, fret), Struck: true}), append(way, int8(f))
				} else if n == 2 {
					m.Open |= ring.Of(str)
				}
			}
			if len(way) > 0 {
				m.Ways = [][]int8{way}
			}
			music = append(music, m)
		}
	}
	_, cost := total(music, 100)
	return cost
}

// TestPrices works out by hand a case for every price.
func TestPrices(t *testing.T) {
	p, none, other := InForce, &Chord{}, &Chord{}
	grip := func(dearer, strain float64, places ...int) *Chord { // places by finger from the index
		h := held{state: state{pos: 1}, dearer: dearer, strain: strain}
		for i := 0; i < len(places); i += 2 {
			if f := i/2 + 1; places[i] > 0 {
				h.at[f], h.this = At(places[i], places[i+1]), h.this|1<<f
			}
		}
		return &Chord{grips: []held{h}}
	}
	down, h := p.Placed+p.OffGrip, usualTime/0.5
	c := grip(0.5, 0, 2, 1, 4, 2, 5, 3) // C, taken by three fingers
	bar := down + p.OffGrip + p.BarFixed
	set := p.GripShare*0.5 + 3*p.GripFinger
	strained := grip(0, 0.02, 2, 1, 4, 2, 5, 3)
	seen := ""
	for _, one := range []struct {
		name, line string
		chords     []*Chord
		want       float64
	}{
		{"Placed OffGrip", "5:3=3", []*Chord{none}, down},
		{"held", "5:3=3 - 5:3=3", []*Chord{none}, down},
		{"HopSame LeaveSame", "4:2=2 5:3=3 2:1=1 5:2=2", []*Chord{c}, set + down + p.HopSame + p.LeaveSame*p.Leave},
		{"HopSame LeaveSame", "1:3=3 6:3=3", []*Chord{none}, 2*down + p.HopSame + p.LeaveSame*p.Leave},
		{"HopThis Leave StrainUp", "1:3=3 6:4=3", []*Chord{none}, 2*down + p.HopThis + p.Leave + p.StrainUp},
		{"HopSounding LeaveSounds", "1:3=3 6:4=3+~1:3", []*Chord{none}, 2*down + p.HopSounding + p.Leave + p.LeaveSounds + p.StrainUp},
		{"HopOlder", "1:3=3 | 6:4=3", []*Chord{none, other}, 2*down + p.HopOlder + p.StrainUp},
		{"OffGripHop LeaveOff", "2:1=1 4:2=2 5:3=3 1:3=4 6:4=4", []*Chord{c}, set + 2*down + p.StrainDown +
			p.OffGripHop*p.HopThis + p.LeaveOff*p.Leave},
		{"Swap", "1:3=3 1:3=2", []*Chord{none}, 2*down + p.Swap + p.StrainUp},
		{"SwapOlder", "1:3=3 | 1:3=2", []*Chord{none, other}, 2*down + p.SwapOlder + p.StrainUp},
		{"OverNeck", "6:2=5", []*Chord{none}, down + p.OverNeck},
		{"StrainDown StrainIdle", "5:1=2", []*Chord{none}, down + p.StrainDown + p.StrainIdle},
		{"StrainDown", "6:1=1 5:1=2", []*Chord{none}, 2*down + p.StrainDown},
		{"PositionPer", "6:2=1", []*Chord{none}, down + min(p.PositionPer, p.StrainUp)},
		{"PositionPer", "6:9=1", []*Chord{none}, down + positionMost*p.PositionPer},
		{"IndexIdle", "6:9=3", []*Chord{none}, down + positionMost*p.PositionPer + p.IndexIdle},
		{"ShiftFixed ShiftPer", "6:9=1 5:12=1", []*Chord{none}, 2*down + 2*positionMost*p.PositionPer + h*(p.ShiftFixed+2*p.ShiftPer) +
			p.HopThis + p.Leave + p.StrainUp},
		{"Guide", "5:9=1 5:12=1", []*Chord{none}, 2*down + 2*positionMost*p.PositionPer + h*(p.ShiftFixed+3*p.ShiftPer) - p.Guide + p.HopThis + p.Leave},
		{"Along AlongThin", "3:4=1+1:5=2 3:6=1+1:7=2", []*Chord{none}, 2*down + 2*p.OffGrip + p.Along + p.AlongThin +
			2*positionMost*p.PositionPer + h*(p.ShiftFixed+2*p.ShiftPer) - p.Guide},
		{"BarFixed BarPer", "4:1=1+2:1=1", []*Chord{none}, bar + 2*p.BarPer},
		{"BarRoll", "4:1=1+3:1=1 2:1=1", []*Chord{none}, bar + p.BarPer + p.OffGrip + p.BarRoll},
		{"BarLift", "4:1=1+2:1=1 3:0", []*Chord{none}, bar + 2*p.BarPer + p.BarLift},
		{"GripShare GripFinger", "2:1=1 4:2=2 5:3=3", []*Chord{c}, set},
		{"GripStrain", "2:1=1 4:2=2 5:3=3", []*Chord{strained}, p.GripStrain*0.02 + 3*p.GripFinger},
	} {
		if got := priced(t, one.line, one.chords...); math.Abs(got-one.want) > 1e-4 {
			t.Errorf("%s: %s costs %.4f, want %.4f", one.name, one.line, got, one.want)
		}
		seen += one.name + " "
	}
	for of := range reflect.TypeFor[Prices]().Fields() {
		if !strings.Contains(seen, of.Name+" ") {
			t.Errorf("%s has no case", of.Name)
		}
	}
}

// TestLike: a note for which another finger was asked is taken by that where it costs little, and not where a shape would have to be left for it.
func TestLike(t *testing.T) {
	h := NewHand(guitar().Player, &InForce)
	c := chordOf(t, "C")
	solve := func(like int8) int8 {
		music := []Moment{moment(0, c, "5:3"), moment(0.5, c, "4:2"), moment(1, c, "1:3")}
		if like != 0 {
			music[2].Like = []int8{like}
		}
		f := Solve(&h, music, nil)
		return music[2].Ways[f.Ways[2]][0]
	}
	if own := solve(0); own != 4 || solve(4) != 4 || solve(1) == 1 {
		t.Errorf("by itself %d, asked for the little finger %d, for the index finger %d", own, solve(4), solve(1))
	}
}
