package harmony_test

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/harmony"
	"stepping/core/pattern"
	"stepping/core/pitch"
	"stepping/core/tune"
	"stepping/formats/abc"
	"stepping/formats/reftext"
)

// known is a tune with its chords, and what is given of it.
type known struct {
	name        string
	tune, given tune.Tune
}

// knowns are the reference arrangements and the demo tunes; with the thumb's notes those that say where it strikes.
func knowns(t *testing.T, thumb bool) (out []known) {
	t.Helper()
	files, err := filepath.Glob("../plan/testdata/*/*.ref")
	demo, err2 := filepath.Glob("../../demo/tunes/*.abc")
	if err != nil || err2 != nil || len(files) < 80 || len(demo) < 3 {
		t.Fatal(len(files), len(demo), err, err2)
	}
	for _, name := range append(files, demo...) {
		f, err := os.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		k := known{name: filepath.Base(name)}
		if strings.HasSuffix(name, ".abc") {
			tu, _, err := abc.Read(f)
			if err != nil {
				t.Fatal(name, err)
			}
			k.tune, k.given = *tu, *tu
		} else {
			ref, err := reftext.Read(f, k.name)
			if err != nil {
				t.Fatal(name, err)
			}
			k.tune, k.given = *ref.Request.Tune, *ref.Request.Tune
			strokes := pattern.Strokes(&k.tune, ref.Request.Thumb, nil, "one", pattern.All)
			for i := 0; thumb && len(k.tune.Bass) == 0 && i < len(ref.Bass); i++ {
				var str, fret int
				for len(strokes) > 0 && strokes[0].Optional {
					strokes = strokes[1:]
				}
				if len(strokes) == 0 {
					break
				}
				if n, _ := fmt.Sscanf(ref.Bass[i].Text, "%d:%d", &str, &fret); n > 0 {
					p := ref.Request.Tuning.Open(str) + pitch.Midi(max(fret, ref.Request.Capo))
					at := strokes[0].At
					k.given.Bass = append(k.given.Bass, tune.Note{At: at, Dur: k.tune.MeterOver(at).Pulse(), Note: pitch.Spell(p, false)})
				}
				strokes = strokes[1:]
			}
		}
		f.Close()
		if k.given.Chords = nil; !thumb {
			k.given.Bass = nil
		}
		if len(k.tune.Chords) > 0 && (!thumb || len(k.given.Bass) > 0) {
			out = append(out, k)
		}
	}
	return out
}

// agree counts bars that begin with the same root, and with it or a usual stand-in, its relative.
func agree(all []known, style func(*tune.Tune) harmony.Style) (same, near, bars int, sure float64) {
	for i := range all {
		k := &all[i]
		p := harmony.Propose(&k.given, style(&k.given))
		got := k.given
		got.Chords = p.Chords()
		for _, at := range k.tune.Bars {
			bars++
			for s := range p.Spans {
				if p.Spans[s].At == at {
					sure += p.Spans[s].Sure
				}
			}
			switch (got.ChordOver(at).Root.Class() - k.tune.ChordOver(at).Root.Class() + 12) % 12 {
			case 0:
				same, near = same+1, near+1
			case 3, 9:
				near++
			}
		}
	}
	return same, near, bars, sure / float64(bars)
}

// TestAgreement: the chords of arrangements are found again by the melody alone, and by the thumb's notes under it.
func TestAgreement(t *testing.T) {
	for _, tt := range []struct {
		name       string
		thumb      bool
		style      func(*tune.Tune) harmony.Style
		same, near int // percent
	}{
		{"melody alone, style by the melody", false, harmony.StyleOf, 82, 88},
		{"melody alone, plain", false, func(*tune.Tune) harmony.Style { return harmony.Plain }, 82, 88},
		{"melody alone, moving", false, func(*tune.Tune) harmony.Style { return harmony.Moving }, 78, 85},
		{"with the thumb", true, harmony.StyleOf, 94, 95},
	} {
		same, near, bars, sure := agree(knowns(t, tt.thumb), tt.style)
		t.Logf("figure: chords found again, %s: same root in %d of %d bars (%.1f%%), that or its relative %.1f%%; %.0f%% sure", tt.name, same, bars,
			100*float64(same)/float64(bars), 100*float64(near)/float64(bars), 100*sure)
		if bars < 400 || 100*same < tt.same*bars || 100*near < tt.near*bars {
			t.Errorf("%s: %d and %d of %d bars", tt.name, same, near, bars)
		}
		if right := float64(same) / float64(bars); math.Abs(sure-right) > 0.1 {
			t.Errorf("%s: %.0f%% right, and said to be %.0f%% sure", tt.name, 100*right, 100*sure)
		}
	}
}

// TestProposal: whatever the tune, chords cover it from its beginning, how sure they are is a share, and the same tune a step higher has the same
// chords a step higher. What is proposed can be written bar by bar and read back.
func TestProposal(t *testing.T) {
	for seed := range uint64(120) {
		tu := coretest.Any(seed)
		for _, style := range harmony.Styles {
			p := harmony.Propose(tu, style)
			if len(p.Spans) == 0 || p.Spans[0].At != 0 {
				t.Fatalf("seed %d: %+v", seed, p)
			}
			for i, s := range p.Spans {
				if !(s.Sure >= 0 && s.Sure <= 1+1e-9) || i > 0 && s.At <= p.Spans[i-1].At {
					t.Fatalf("seed %d, span %d: %+v", seed, i, s)
				}
			}
			with := *tu
			with.Chords = p.Chords()
			up := harmony.Propose(tu.Transposed(2), style)
			for i := range p.Spans {
				a, b := &p.Spans[i], &up.Spans[i]
				if (b.Chord.Root.Class()-a.Chord.Root.Class()+12)%12 != 2 || len(a.Chord.Tones) != len(b.Chord.Tones) || math.Abs(a.Sure-b.Sure) > 1e-9 {
					t.Fatalf("seed %d, span %d: %s (%g), a step higher %s (%g)", seed, i, a.Chord.Name, a.Sure, b.Chord.Name, b.Sure)
				}
			}
			text, ok := with.ChordText()
			back, err := tu.WithChords(text)
			if !ok || err != nil || fmt.Sprint(back.Chords) != fmt.Sprint(with.Chords) {
				t.Fatalf("seed %d: %q %v, %v %v", seed, text, ok, err, back)
			}
		}
	}
	for text, word := range map[string]string{"": "no chord", "D | H": "bar 2", "D|D|D|D|D|D|D|D|D|D|D|D|D|D": "the tune has", ". | D": "before it", strings.Repeat("D ", 40): "evenly"} {
		if _, err := coretest.Any(4).WithChords(text); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%q: %v", text, err)
		}
	}
}
