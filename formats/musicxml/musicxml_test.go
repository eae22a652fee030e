package musicxml_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/score"
	"stepping/core/score/scoretest"
	"stepping/core/sheet"
	"stepping/core/tune"
	"stepping/formats/musicxml"
)

// TestTuneReadsBack: every tune that can be held is written so that it is read back as it was.
func TestTuneReadsBack(t *testing.T) {
	for seed := range uint64(300) {
		tu := coretest.Any(seed)
		var buf bytes.Buffer
		if err := musicxml.Write(&buf, sheet.Of(tu)); err != nil {
			t.Fatal(err)
		}
		text := buf.String()
		sc, err := musicxml.Read(&buf)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
		got, _, _, err := sc.Tune(sc.Roles())
		if err != nil {
			t.Fatal(err)
		}
		if diff := scoretest.Difference(tu, got); diff != "" {
			t.Fatalf("seed %d, %s\n%.3000s", seed, diff, text)
		}
	}
}

// TestPlanReadsBack: strings, frets, techniques, fingers and digits of plans come back as pins, thumb notes as
// the second voice; and planned again with these pins the tune is played as before.
func TestPlanReadsBack(t *testing.T) {
	for seed, capo := range []int{0, 2, 3} {
		pr := player.Default()
		if seed == 2 {
			pr.Lean = player.LeanNone
		}
		p, err := plan.Solve(context.Background(), plan.Request{Tune: coretest.Wander(uint64(seed), 24),
			Tuning: coretest.Tuning([]string{"Open D", "Open G", "Standard"}[seed]),
			Capo:   capo, Player: pr, Thumb: pattern.Alternating})
		if err != nil {
			t.Fatal(err)
		}
		var buf bytes.Buffer
		if err := musicxml.Write(&buf, sheet.OfPlan(p)); err != nil {
			t.Fatal(err)
		}
		sc, err := musicxml.Read(&buf)
		if err != nil {
			t.Fatal(err)
		}
		if sc.Tuning == nil || *sc.Tuning != p.Request.Tuning || sc.Capo != capo {
			t.Errorf("tuning %v, capo %d; want %v, %d", sc.Tuning, sc.Capo, p.Request.Tuning, capo)
		}
		tu, pins, warnings, err := sc.Tune(sc.Roles())
		if err != nil || len(warnings)+len(sc.Warnings) > 0 {
			t.Fatal(err, warnings, sc.Warnings)
		}
		thumbs := 0
		pins = slices.DeleteFunc(pins, func(p play.Pin) bool { return p.Part == play.Thumb })
		for i := range p.Moments {
			mo := &p.Moments[i]
			if th := mo.Thumb; th != nil {
				n := sc.Voices()[1].Notes[thumbs]
				if at, _ := sc.Time(n.At); at != mo.At || n.Note.Pitch() != th.Note.Pitch() || n.On.String != th.String || n.On.Digit != th.Digit {
					t.Errorf("thumb at %v: %+v %+v, want %+v", mo.At, n, n.On, th)
				}
				thumbs++
			}
			if mo.Melody == nil {
				continue
			}
			want := *mo.Melody
			pin := pins[0]
			pins = pins[1:]
			finger := strings.NewReplacer("S", "0", "T", "5").Replace(want.Finger)
			if finger == "" {
				finger = "0"
			}
			how := pin.How
			if how == "" {
				how = play.Fret
			}
			if pin.At != mo.At || pin.String != want.String || pin.Fret != want.Fret || how != want.How ||
				fmt.Sprint(pin.Finger) != finger || pin.Digit != want.Digit {
				t.Errorf("moment %v: pin %+v, want %+v", mo.At, pin, want)
			}
		}
		tu.Key = p.Request.Tune.Key
		if len(tu.Bass) != thumbs {
			t.Errorf("%d notes of the bass for %d strokes", len(tu.Bass), thumbs)
		}
		tu.Bass = nil
		if diff := scoretest.Difference(p.Request.Tune, tu); diff != "" {
			t.Errorf("not the notes of the plan: %s", diff)
		}
	}
}

// xmlOf wraps measures of one part.
func xmlOf(measures string) string {
	return `<?xml version="1.0" encoding="UTF-16"?><!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" "http://www.musicxml.org/dtds/partwise.dtd">
<score-partwise version="4.0"><part-list><score-part id="P1"><part-name>One</part-name></score-part></part-list><part id="P1">` + measures + `</part></score-partwise>`
}

// bar is a measure of one whole note of a step, with what stands before and behind it.
func bar(number int, before, step, behind string) string {
	return fmt.Sprintf(`<measure number="%d">%s<note><pitch><step>%s</step><octave>4</octave></pitch><duration>4</duration></note>%s</measure>`, number, before, step, behind)
}

func letters(sc *score.Score) (out string) {
	for _, n := range sc.Voices()[sc.Melody].Notes {
		out += string(n.Note.Letter)
	}
	return out
}

const (
	forward  = `<barline location="left"><repeat direction="forward"/></barline>`
	backward = `<barline location="right"><repeat direction="backward"/></barline>`
)

// TestOrder: repeats, endings and jumps, played out by hand from the rules of the notation.
func TestOrder(t *testing.T) {
	ending := func(n, kind, repeat string) string {
		return `<barline><ending number="` + n + `" type="` + kind + `"/>` + repeat + `</barline>`
	}
	sound := func(a string) string {
		return `<direction><direction-type><words>x</words></direction-type><sound ` + a + `/></direction>`
	}
	words := func(w string) string { return `<direction><direction-type>` + w + `</direction-type></direction>` }
	for _, tt := range []struct{ name, xml, want string }{
		{"repeat", bar(1, forward, "C", backward) + bar(2, "", "D", ""), "CCD"},
		{"from the beginning", bar(1, "", "C", backward) + bar(2, "", "D", backward), "CCDD"},
		{"three times", bar(1, "", "C", `<barline><repeat direction="backward" times="3"/></barline>`), "CCC"},
		{"endings", bar(1, forward, "C", "") + bar(2, ending("1", "start", ""), "D", ending("1", "stop", `<repeat direction="backward"/>`)) +
			bar(3, ending("2", "start", ""), "E", ending("2", "discontinue", "")) + bar(4, "", "F", ""), "CDCEF"},
		{"three endings", bar(1, forward, "C", "") + bar(2, ending("1, 2", "start", ""), "D",
			ending("1, 2", "stop", `<repeat direction="backward"/>`)) +
			bar(3, ending("3", "start", ""), "E", ending("3", "stop", "")) + bar(4, "", "F", ""), "CDCDCEF"},
		{"da capo al fine", bar(1, "", "C", sound(`fine="yes"`)) + bar(2, "", "D", sound(`dacapo="yes"`)), "CDC"},
		{"da capo in words", bar(1, "", "C", words("<words>Fine</words>")) + bar(2, "", "D", words("<words>D.C. al Fine</words>")), "CDC"},
		{"dal segno al coda", bar(1, "", "C", "") + bar(2, sound(`segno="s"`), "D", sound(`tocoda="c"`)) + bar(3, "", "E", sound(`dalsegno="s"`)) + bar(4, sound(`coda="c"`), "F", ""), "CDEDF"},
		{"signs without sound", bar(1, words("<segno/>"), "C", words("<coda/>")) + bar(2, "", "D", words("<words>D.S. al Coda</words>")) + bar(3, words("<coda/>"), "E", ""), "CDCE"},
		{"no repeats after a jump", bar(1, forward, "C", backward) + bar(2, "", "D", sound(`dacapo="yes"`)), "CCDCD"},
		{"repeats after a jump if so written",
			bar(1, forward, "C", `<barline><repeat direction="backward" after-jump="yes"/></barline>`) + bar(2, "", "D", sound(`dacapo="yes"`)), "CCDCCD"},
	} {
		sc, err := musicxml.Read(strings.NewReader(xmlOf(tt.xml)))
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		if got := letters(sc); got != tt.want {
			t.Errorf("%s: %s, want %s", tt.name, got, tt.want)
		}
	}
}

// everything is one measure of all that is read next to order.
const everything = `<measure number="0" implicit="yes"><attributes><divisions>6</divisions><key><fifths>-2</fifths><mode>minor</mode></key>
 <time><beats>2+1</beats><beat-type>4</beat-type></time><clef><sign>G</sign><line>2</line><clef-octave-change>-1</clef-octave-change></clef>
 <transpose><diatonic>-1</diatonic><chromatic>-2</chromatic><octave-change>-1</octave-change></transpose></attributes>
 <direction><direction-type><metronome><beat-unit>quarter</beat-unit><beat-unit-dot/><per-minute>60</per-minute></metronome></direction-type></direction>
 <harmony><root><root-step>A</root-step></root><kind text="7">dominant</kind><bass><bass-step>C</bass-step><bass-alter>1</bass-alter></bass><degree><degree-value>9</degree-value><degree-alter>-1</degree-alter><degree-type>add</degree-type></degree></harmony>
 <note><pitch><step>E</step><octave>5</octave></pitch><duration>6</duration><voice>1</voice><lyric><syllabic>begin</syllabic><text>Hei</text></lyric><notations><articulations><accent/></articulations></notations></note></measure>
<measure number="1"><note><grace/><pitch><step>C</step><octave>5</octave></pitch></note>
 <note><pitch><step>F</step><alter>0.5</alter><octave>5</octave></pitch><duration>4</duration><voice>1</voice></note>
 <note><chord/><pitch><step>D</step><octave>5</octave></pitch><duration>4</duration><voice>1</voice></note>
 <note><pitch><step>G</step><octave>5</octave></pitch><duration>2</duration><voice>1</voice></note>
 <forward><duration>6</duration></forward>
 <note><pitch><step>G</step><octave>5</octave></pitch><duration>6</duration><tie type="start"/><voice>1</voice></note>
 <backup><duration>12</duration></backup>
 <note><pitch><step>C</step><octave>4</octave></pitch><duration>12</duration><voice>2</voice></note></measure>
<measure number="2"><attributes><divisions>4</divisions></attributes><note><pitch><step>G</step><octave>5</octave></pitch><duration>4</duration><tie type="stop"/><voice>1</voice></note>
 <note><rest/><duration>8</duration><voice>1</voice></note></measure>`

func TestRead(t *testing.T) {
	sc, err := musicxml.Read(strings.NewReader(xmlOf(everything)))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, v := range sc.Voices() {
		for _, n := range v.Notes {
			got = append(got, fmt.Sprintf("%d %s%+d %s %s %v %s", v.Number, n.Note, n.Note.Cents, sc.Fraction(n.At),
				sc.Fraction(n.Dur), n.Marks.Names(), n.Lyric))
		}
	}
	want := "0 D4+0 0 1 [accent] Hei-,0 Eb4+50 1 2/3 [] ,0 C4+0 1 2/3 [] ,0 F4+0 5/3 1/3 [] ,0 F4+0 3 2 [] ,1 Bb2+0 2 2 [] "
	if strings.Join(got, ",") != want {
		t.Errorf("notes\n got %s\nwant %s", strings.Join(got, ","), want)
	}
	tu, _, _, err := sc.Tune(sc.As(0))
	if err != nil {
		t.Fatal(err)
	}
	if tu.Tempos[0].BPM != 90 || tu.Meters[0].Num != 3 || tu.Key.Tonic.ClassName() != "F" || !tu.Key.Minor || tu.Chords[0].Chord.Name != "G7b9/B" ||
		tu.BarPrinted(0).Number != 0 || len(tu.Bars) != 3 || tu.Length != 7*tune.Quarter {
		t.Errorf("%+v", tu)
	}
	if len(sc.Warnings) != 1 || !strings.Contains(sc.Warnings[0].Text, "grace") {
		t.Errorf("warnings %v", sc.Warnings)
	}
}

// packed is an archive with these files.
func packed(files map[string]string) string {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for name, text := range files {
		f, _ := z.Create(name)
		f.Write([]byte(text))
	}
	z.Close()
	return buf.String()
}

// TestForms: time-wise, packed, UTF-16 of either order with and without a mark give the same notes.
func TestForms(t *testing.T) {
	plain := xmlOf(bar(1, "", "C", "") + bar(2, "", "D", ""))
	wide := func(mark string, big bool) string {
		var b bytes.Buffer
		b.WriteString(mark)
		for _, u := range utf16.Encode([]rune(plain)) {
			lo, hi := byte(u), byte(u>>8)
			if big {
				lo, hi = hi, lo
			}
			b.Write([]byte{lo, hi})
		}
		return b.String()
	}
	for name, text := range map[string]string{
		"plain": plain, "little": wide("\xff\xfe", false), "big": wide("\xfe\xff", true), "no mark": wide("", false),
		"time-wise": strings.NewReplacer("score-partwise", "score-timewise", `<part id="P1"><measure number="1">`,
			`<measure number="1"><part id="P1">`,
			`</measure><measure number="2">`, `</part></measure><measure number="2"><part id="P1">`, `</measure></part>`,
			`</part></measure>`).Replace(plain),
		"packed": packed(map[string]string{"META-INF/container.xml": `<container><rootfiles><rootfile full-path="in/tune.xml"/></rootfiles></container>`, "in/tune.xml": plain, "a.xml": "<x/>"}),
	} {
		sc, err := musicxml.Read(strings.NewReader(text))
		if err != nil || letters(sc) != "CD" {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// faulty are files that are refused, and a word of why.
var faulty = []struct{ name, text, word string }{
	{"empty", "", "not MusicXML"},
	{"other xml", "<svg/>", "svg"},
	{"photograph", "\xff\xd8\xff\xe0\x00\x10JFIF\x00", "MusicXML"},
	{"entities", `<!DOCTYPE x [<!ENTITY a "b">]><score-partwise/>`, "entities"},
	{"cut off", xmlOf(bar(1, "", "C", ""))[:400], "broken"},
	{"broken archive", "PK\x03\x04rubbish", "broken"},
	{"archive without a score", packed(map[string]string{"a.txt": "x"}), "no score"},
	{"large archive", packed(map[string]string{"a.xml": strings.Repeat(" ", 17<<20)}), "16 MiB"},
	{"no notes", xmlOf(`<measure number="1"><note><rest/><duration>4</duration></note></measure>`), "no pitched notes"},
	{"drums alone", xmlOf(`<measure number="1"><note><unpitched/><duration>4</duration></note></measure>`), "drums"},
	{"no duration", xmlOf(`<measure number="7"><note><pitch><step>C</step><octave>4</octave></pitch></note></measure>`), "bar 7"},
	{"no pitch", xmlOf(`<measure number="7"><note><pitch><step>H</step><octave>4</octave></pitch><duration>1</duration></note></measure>`), "step"},
	{"deep", "<score-partwise>" + strings.Repeat("<a>", 10000), "nested"},
}

func TestFaults(t *testing.T) {
	encrypted := []byte(packed(map[string]string{"a.xml": "x"}))
	encrypted[6] |= 1
	at := bytes.Index(encrypted, []byte("PK\x01\x02"))
	encrypted[at+8] |= 1
	for _, tt := range append(faulty, struct{ name, text, word string }{"encrypted", string(encrypted), "encrypted"}) {
		_, err := musicxml.Read(strings.NewReader(tt.text))
		var fault *score.Fault
		if !errors.As(err, &fault) || !strings.Contains(fault.Text, tt.word) || fault.Line < 1 || fault.Column < 1 {
			t.Errorf("%s: %v; want %s", tt.name, err, tt.word)
		}
	}
}

// long is a file of so many notes.
func long(notes int) string {
	var b strings.Builder
	for i := range notes / 8 {
		fmt.Fprintf(&b, `<measure number="%d">`, i+1)
		for range 8 {
			b.WriteString(`<note default-x="10"><pitch><step>C</step><octave>5</octave></pitch><duration>2</duration><voice>1</voice><type>eighth</type><stem>down</stem><beam number="1">begin</beam></note>`)
		}
		b.WriteString("</measure>\n")
	}
	return xmlOf(b.String())
}

// TestSize: 4,000 notes are read, more are refused. The time is a wide bound; what was measured is in docs/speed.md.
func TestSize(t *testing.T) {
	start := time.Now()
	if sc, err := musicxml.Read(strings.NewReader(long(4000))); err != nil || sc.Count() != 4000 || time.Since(start) > 2*time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
	t.Logf("4,000 notes in %v", time.Since(start))
	if _, err := musicxml.Read(strings.NewReader(long(4008))); err == nil || !strings.Contains(err.Error(), "4000") {
		t.Errorf("4,008 notes: %v", err)
	}
}

// FuzzRead: no panic, faults have places, and what is read makes a tune that keeps its promises or a fault.
func FuzzRead(f *testing.F) {
	f.Add([]byte(xmlOf(everything)))
	f.Add([]byte(xmlOf(bar(1, forward, "C", backward))))
	for _, tt := range faulty {
		if len(tt.text) < 2000 {
			f.Add([]byte(tt.text))
		}
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		sc, err := musicxml.Read(bytes.NewReader(data))
		if scoretest.Fault(t, err) {
			return
		}
		scoretest.Check(t, sc)
	})
}
