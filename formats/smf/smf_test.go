package smf_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/score"
	"stepping/core/score/scoretest"
	"stepping/core/sheet"
	"stepping/core/tune"
	"stepping/formats/smf"
)

// TestTuneReadsBack: every tune that can be held is written so that it is read back as it was, but for marks
// and what MIDI cannot say.
func TestTuneReadsBack(t *testing.T) {
	for seed := range uint64(300) {
		tu := coretest.Any(seed)
		tu.Swing = 0 // MIDI has no word for it
		for i := range tu.Notes {
			tu.Notes[i].Marks = 0
			if tu.Notes[i].Lyric == "one two" {
				tu.Notes[i].Lyric = "one"
			}
		}
		var buf bytes.Buffer
		if err := smf.Write(&buf, sheet.Of(tu)); err != nil {
			t.Fatal(err)
		}
		sc, err := smf.Read(&buf)
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		got, _, _, err := sc.Tune(sc.Roles())
		if err != nil {
			t.Fatal(err)
		}
		for i := range got.Tempos {
			got.Tempos[i].BPM = float64(int(got.Tempos[i].BPM*100+0.5)) / 100 // whole microseconds
		}
		if tu.Bars[len(tu.Bars)-1] >= got.Length { // bars of rest at the end are none in MIDI
			tu.Bars = tu.Bars[:len(got.Bars)]
		}
		tu.Length, tu.Bars = got.Length, tu.Bars[:min(len(tu.Bars), len(got.Bars))]
		tu.Chords = slices.DeleteFunc(tu.Chords, func(c tune.ChordAt) bool { return c.At >= got.Length })
		tu.Meters = slices.DeleteFunc(tu.Meters, func(c tune.MeterAt) bool { return c.At >= got.Length })
		tu.Tempos = slices.DeleteFunc(tu.Tempos, func(c tune.TempoAt) bool { return c.At >= got.Length })
		if diff := scoretest.Difference(tu, got); diff != "" {
			t.Fatalf("seed %d, %s", seed, diff)
		}
	}
}

// TestPlanOnStrings: in a plan's file every note is in the channel of its string, at its pitch, and glides come from below.
func TestPlanOnStrings(t *testing.T) {
	p, err := plan.Solve(context.Background(), plan.Request{Tune: coretest.Wander(3, 32), Tuning: coretest.Tuning("Open D"),
		Player: player.Default(), Thumb: pattern.Alternating})
	if err != nil {
		t.Fatal(err)
	}
	var buf bytes.Buffer
	if err := smf.Write(&buf, sheet.OfPlan(p)); err != nil {
		t.Fatal(err)
	}
	sc, err := smf.Read(&buf)
	if err != nil {
		t.Fatal(err)
	}
	var want, got []string
	for i := range p.Moments {
		for _, s := range p.Moments[i].Strokes() {
			track := 1
			if s.Part == "thumb" {
				track = 2
			}
			want = append(want, fmt.Sprintln(track, s.String-1, p.Moments[i].At, s.Note.Pitch()))
		}
	}
	for _, v := range sc.Voices() {
		for _, n := range v.Notes {
			if v.Number >= 0 {
				got = append(got, fmt.Sprintln(v.Part, v.Number, sc.Fraction(n.At), n.Note.Pitch()))
			}
		}
	}
	slices.Sort(want)
	slices.Sort(got)
	if !slices.Equal(want, got) {
		t.Errorf("got %v\nwant %v", got, want)
	}
}

// midi makes a file of tracks with a division.
func midi(format, division int, tracks ...string) string {
	var b bytes.Buffer
	b.WriteString("MThd\x00\x00\x00\x06")
	binary.Write(&b, binary.BigEndian, []uint16{uint16(format), uint16(len(tracks)), uint16(division)})
	for _, t := range tracks {
		b.WriteString("MTrk")
		binary.Write(&b, binary.BigEndian, uint32(len(t)))
		b.WriteString(t)
	}
	return b.String()
}

const end = "\x00\xff\x2f\x00"

// The events are written by hand from the specification; times in quarters of 96 ticks.
var readTests = []struct{ name, text, want string }{
	{"running status, velocity 0", midi(0, 96, "\x00\x90\x3c\x40\x60\x3c\x00\x00\x3e\x40\x30\x3e\x00"+end), "0.0 C4+0 0 1, 0.0 D4+0 1 1/2"},
	{"long delta", midi(0, 96, "\x81\x40\x90\x3c\x40\x60\x80\x3c\x40"+end), "0.0 C4+0 2 1"},
	{"two tracks and channels", midi(1, 96, end, "\x00\x90\x3c\x40\x60\x80\x3c\x00"+end,
		"\x00\x92\x30\x40\x60\x82\x30\x00\x00\x91\x40\x40\x60\x81\x40\x00"+end), "1.0 C4+0 0 1, 2.1 E4+0 1 1, 2.2 C3+0 0 1"},
	{"a division that no tick divides", midi(0, 1000, "\x00\x90\x3c\x40\x01\x80\x3c\x40"+end), "0.0 C4+0 0 1/1000"},
	{"a frame", "RIFF\x00\x00\x00\x00RMIDdata\x00\x00\x00\x00" + midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40"+end), "0.0 C4+0 0 1"},
	{"an unknown chunk", midi(0, 96) + "XFIH\x00\x00\x00\x02abMTrk\x00\x00\x00\x0c\x00\x90\x3c\x40\x60\x80\x3c\x40" + end, "0.0 C4+0 0 1"},
	{"unfinished", midi(0, 96, "\x00\x90\x3c\x40\x60\x3e\x40\x60")[:14+8+7], "0.0 C4+0 0 1, 0.0 D4+0 1 1/96"},
	{"never ended", midi(0, 96, "\x00\x90\x3c\x40\x60\xff\x2f\x00"), "0.0 C4+0 0 1"},
	{"a quarter tone by the usual range", midi(0, 96, "\x00\xe0\x00\x50\x00\x90\x3c\x40\x60\x80\x3c\x40"+end), "0.0 C4+50 0 1"},
	{"a range of twelve", midi(0, 96, "\x00\xb0\x65\x00\x00\x64\x00\x00\x06\x0c\x00\xe0\x00\x60\x00\x90\x3c\x40\x60\x80\x3c\x40"+end), "0.0 F#4+0 0 1"},
	{"come up to a pitch", midi(0, 96, "\x00\xe0\x00\x20\x00\x90\x3c\x40\x10\xe0\x00\x40\x50\x80\x3c\x40"+end), "0.0 C4+0 0 1 slide"},
	{"exclusive, real time, text, tempo, meter",
		midi(0, 96, "\x00\xf0\x02\x01\xf7\x00\xff\x51\x03\x07\xa1\x20\x00\xff\x58\x04\x03\x02\x18\x08\x00\xff\x05\x02la\x00\x90\x3c\x40\x60\x80\x3c\x40"+end), "0.0 C4+0 0 1 la"},
	{"drums beside notes", midi(0, 96, "\x00\x99\x3c\x40\x00\x90\x3c\x40\x60\x80\x3c\x40"+end), "0.0 C4+0 0 1, 0.9 drum"},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		sc, err := smf.Read(strings.NewReader(tt.text))
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		var got []string
		for p := range sc.Parts {
			for _, v := range sc.Parts[p].Voices {
				for _, n := range v.Notes {
					text := fmt.Sprintf("%d.%d %s%+d %s %s %s %s", p, v.Number, n.Note, n.Note.Cents, sc.Fraction(n.At),
						sc.Fraction(n.Dur), strings.Join(n.Marks.Names(), " "), n.Lyric)
					if v.Drums {
						text = fmt.Sprintf("%d.%d drum", p, v.Number)
					}
					got = append(got, strings.Join(strings.Fields(text), " "))
				}
			}
		}
		if strings.Join(got, ", ") != tt.want {
			t.Errorf("%s: %s, want %s", tt.name, strings.Join(got, ", "), tt.want)
		}
	}
}

// faulty are files that are refused, and a word of why.
var faulty = []struct{ name, text, word string }{
	{"empty", "", "not a MIDI file"},
	{"text", "X:1\nK:C\nCDEFGAB", "not a MIDI file"},
	{"drums alone", midi(0, 96, "\x00\x99\x3c\x40\x60\x89\x3c\x40"+end), "only has drums"},
	{"no notes", midi(0, 96, end), "no notes"},
	{"no division", midi(0, 0, end), "ticks"},
	{"format 3", midi(3, 96, end), "format 3"},
	{"data before status", midi(0, 96, "\x00\x3c\x40"+end), "status"},
	{"damaged event", midi(0, 96, "\x00\x90\x3c\xc0"+end), "127"},
}

func TestFaults(t *testing.T) {
	for _, tt := range faulty {
		_, err := smf.Read(strings.NewReader(tt.text))
		var fault *score.Fault
		if !errors.As(err, &fault) || !strings.Contains(fault.Text, tt.word) || fault.Line < 1 || fault.Column < 1 {
			t.Errorf("%s: %v; want %s", tt.name, err, tt.word)
		}
	}
}

// hostile are files that announce more than they hold, by what they announce.
var hostile = map[string]string{
	"65535 tracks":                      strings.Replace(midi(1, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40"+end), "\x00\x01\x00\x01", "\x00\x01\xff\xff", 1),
	"a system exclusive of 256 MiB":     midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40\x00\xf0\xff\xff\xff\x7f\x01"+end),
	"a text of 256 MiB":                 midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40\x00\xff\x01\xff\xff\xff\x7fab"+end),
	"a chunk of 4 GiB":                  midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40"+end) + "XXXX\xff\xff\xff\xffab",
	"a track of 4 GiB":                  midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40"+end) + "MTrk\xff\xff\xff\xff\x00\x90\x3e\x40",
	"a time of six bytes":               midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40\xff\xff\xff\xff\xff\x7f\x90\x3c\x40"+end),
	"nothing, after the track's length": midi(0, 96, "\x00\x90\x3c\x40\x60\x80\x3c\x40"+end+"junk"),
}

// TestHostile: what a file announces costs nothing, and what it holds is read all the same or refused with its place.
func TestHostile(t *testing.T) {
	for name, text := range hostile {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		sc, err := smf.Read(strings.NewReader(text))
		runtime.ReadMemStats(&after)
		if used := after.TotalAlloc - before.TotalAlloc; used > 8<<20 {
			t.Errorf("%s: %d MiB for %d bytes", name, used>>20, len(text))
		}
		var fault *score.Fault
		if err == nil && sc.Count() < 1 || err != nil && !errors.As(err, &fault) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// long is a track of so many notes.
func long(notes int) string {
	return midi(1, 96, strings.Repeat("\x00\x90\x3c\x40\x30\x80\x3c\x40", notes)+end)
}

// TestSize: 4,000 notes are read, more are refused.
func TestSize(t *testing.T) {
	start := time.Now()
	if sc, err := smf.Read(strings.NewReader(long(4000))); err != nil || sc.Count() != 4000 || time.Since(start) > time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
	t.Logf("4,000 notes in %v", time.Since(start))
	if _, err := smf.Read(strings.NewReader(long(4001))); err == nil || !strings.Contains(err.Error(), "4000") {
		t.Errorf("4,001 notes: %v", err)
	}
}

// TestQuantize: notes played about a grid come to stand on it, and the grid that they were played on is the one
// proposed; what the chords of bars are is told from what sounds.
func TestQuantize(t *testing.T) {
	for _, g := range []score.Grid{{Steps: 2, Swing: 0.5}, {Steps: 2, Swing: 2.0 / 3}, {Steps: 3, Swing: 0.5}, {Steps: 4, Swing: 0.5}} {
		sc := &score.Score{Unit: 480, Free: true, Bars: []score.Units{0, 1920}, Length: 3840}
		v := score.Voice{}
		for i := range 8 * g.Steps {
			at := float64(i) / float64(g.Steps)
			if i%2 == 1 {
				at = (float64(i-1) + 2*g.Swing) / float64(g.Steps)
			}
			late := []score.Units{3, -4, 0, 7, -6, 2, 5, -3}[i%8]
			v.Notes = append(v.Notes, score.Note{At: max(0, score.Units(at*480+0.5)+late), Dur: 100, Note: coretest.Notes([]int{60, 64, 67}[i%3])[0]})
		}
		sc.Parts = []score.Part{{Voices: []score.Voice{v}}}
		if got := sc.ProposeGrid(); got != g {
			t.Errorf("played on %v, proposed %v", g, got)
		}
		q := sc.Quantize(g)
		for i, n := range q.Parts[0].Voices[0].Notes {
			if want := score.Units(i) * q.Unit / score.Units(g.Steps); n.At != want {
				t.Errorf("%v: note %d at %d, want %d", g, i, n.At, want)
			}
		}
		if q.Most > 8.0/480 || q.Most == 0 {
			t.Errorf("%v: moved by %v", g, q.Most)
		}
		q.ProposeChords()
		if len(q.Chords) != 1 || q.Chords[0].Chord.Name != "C" || !q.Chords[0].Proposed {
			t.Errorf("%v: chords %v", g, q.Chords)
		}
	}
}

// FuzzRead: no panic, faults have places, and what is read makes tunes that keep their promises, quantised too.
func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.text))
	}
	for _, tt := range faulty {
		f.Add([]byte(tt.text))
	}
	for _, text := range hostile {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		sc, err := smf.Read(bytes.NewReader(data))
		if scoretest.Fault(t, err) {
			return
		}
		scoretest.Check(t, sc)
		scoretest.Check(t, sc.Quantize(sc.ProposeGrid()).Score)
	})
}
