package abc_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"stepping/core/score/scoretest"
	"stepping/core/tune"
	"stepping/formats/abc"
)

const head = "X:1\nT:Test\nM:4/4\nL:1/8\nK:C\n"

// render writes the notes as pitch:duration in quarters, bars as |, chords as (name).
func render(tu *tune.Tune) string {
	var b strings.Builder
	bar, chord := 0, 0
	for _, n := range tu.Notes {
		for bar+1 < len(tu.Bars) && tu.Bars[bar+1] <= n.At {
			b.WriteString("| ")
			bar++
		}
		for chord < len(tu.Chords) && tu.Chords[chord].At <= n.At {
			fmt.Fprintf(&b, "(%s) ", tu.Chords[chord].Chord.Name)
			chord++
		}
		cents := ""
		if n.Note.Cents != 0 {
			cents = fmt.Sprintf("%+d", n.Note.Cents)
		}
		for _, w := range n.With {
			cents += "+" + w.String()
		}
		fmt.Fprintf(&b, "%s%s:%s ", n.Note, cents, n.Dur)
	}
	return strings.TrimSpace(b.String())
}

// Expected pitches and lengths are worked out by hand from the ABC standard 2.1.
var readTests = []struct{ name, text, want string }{
	{"lengths", head + "C C2 C/ C// C3/2 C/4|", "C4:1/2 C4:1 C4:1/4 C4:1/8 C4:3/4 C4:1/8"},
	{"octaves", head + "C, C c c' c,|", "C3:1/2 C4:1/2 C5:1/2 C6:1/2 C4:1/2"},
	{"key signature", "K:D\nF C f c|", "F#4:1/2 C#4:1/2 F#5:1/2 C#5:1/2"},
	{"modes", "K:D dor\nF C B [K:Gmix] F [K:F#m] D G C [K:Bb] B E|", "F4:1/2 C4:1/2 B4:1/2 F4:1/2 D4:1/2 G#4:1/2 C#4:1/2 Bb4:1/2 Eb4:1/2"},
	{"global accidentals", "K:D exp ^g _b\nF G B|", "F4:1/2 G#4:1/2 Bb4:1/2"},
	{"accidentals hold for the bar, every octave", head + "^F F f =F F|F|", "F#4:1/2 F#4:1/2 F#5:1/2 F4:1/2 F4:1/2 | F4:1/2"},
	{"double accidentals", head + "^^F __B|", "F##4:1/2 Bbb4:1/2"},
	{"microtones", head + "^/F _/B ^3/G _1/2A|", "F4+50:1/2 B4-50:1/2 G#4+50:1/2 A4-50:1/2"},
	{"broken rhythm", head + "C>D E<F G>>A|", "C4:3/4 D4:1/4 E4:1/4 F4:3/4 G4:7/8 A4:1/8"},
	{"tuplets", head + "(3CDE (2FG (3:2:2A2B (5:4:5CDEFG|", "C4:1/3 D4:1/3 E4:1/3 F4:3/4 G4:3/4 A4:2/3 B4:1/3 C4:2/5 D4:2/5 E4:2/5 F4:2/5 G4:2/5"},
	{"ties", head + "C4-C4-|C2 ^F2-|F2|", "C4:5 | F#4:2"},
	{"rests", head + "C z C x2 C|Z|D|", "C4:1/2 C4:1/2 C4:1/2 | | D4:1/2"},
	{"repeat", head + "|:C8:|D8|", "C4:4 | C4:4 | D4:4"},
	{"repeat without a start", head + "C8:|D8:|", "C4:4 | C4:4 | D4:4 | D4:4"},
	{"endings", head + "|:C8|1 D8:|2 E8|]F8|", "C4:4 | D4:4 | C4:4 | E4:4 | F4:4"},
	{"three endings", head + "|:C8[1,2 D8:|[3 E8||", "C4:4 D4:4 | C4:4 D4:4 | C4:4 E4:4"},
	{"double repeat sign", head + "|:C8::D8:|", "C4:4 | C4:4 | D4:4 | D4:4"},
	{"chords", head + `"Am"A4 "D7/F#"D4|"^slow"E8|`, "(Am) A4:2 (D7/F#) D4:2 | E4:4"},
	{"inline changes", head + "C[L:1/4]C[M:3/4]|C3|", "C4:1/2 C4:1 | C4:3"},
	{"comments and continuation", head + "C D% two notes\nE \\\nF|", "C4:1/2 D4:1/2 E4:1/2 F4:1/2"},
	{"default length below 3/4", "M:2/4\nK:C\nC|", "C4:1/4"},
	{"clef an octave down", "K:C clef=treble-8\nC|", "C3:1/2"},
	{"highest of a chord", head + "[CEG]2|", "G4+E4+C4:1"},
	{"slurs and decorations", head + "(C D) .E !trill!F ~G|", "C4:1/2 D4:1/2 E4:1/2 F4:1/2 G4:1/2"},
	{"lyrics", head + "C D|\nw: la la\nE|", "C4:1/2 D4:1/2 | E4:1/2"},
	{"a double bar inside a repeat", head + "|:C8||D8:|E8|", "C4:4 | D4:4 | C4:4 | D4:4 | E4:4"},
	{"endings that end at a double bar", head + "|:C8|1D8:|2E8||F8|", "C4:4 | D4:4 | C4:4 | E4:4 | F4:4"},
	{"three times", head + "|::C8::|D8|", "C4:4 | C4:4 | C4:4 | D4:4"},
	{"da capo al fine", head + "C8|D8!fine!|E8!D.C.!|", "C4:4 | D4:4 | E4:4 | C4:4 | D4:4"},
	{"dal segno al coda", head + "C8|!segno!D8|E8!coda!|F8!D.S.!|!coda!G8|", "C4:4 | D4:4 | E4:4 | F4:4 | D4:4 | E4:4 | G4:4"},
	{"parts in order", "X:1\nP:A(AB)2\nM:4/4\nL:1/8\nK:C\nP:A\nC8|\nP:B\n|:D8:|", "C4:4 | C4:4 | D4:4 | D4:4 | C4:4 | D4:4 | D4:4"},
	{"any run of bar signs", head + "C8[|]D8|]|E8.|F8||:G8:||:A8:|", "C4:4 | D4:4 | E4:4 | F4:4 | G4:4 | G4:4 | A4:4 | A4:4"},
	{"overlay in another line", head + "C4 & E4|D8|", "C4:2 | D4:4"},
	{"user symbols, reserved letters", head + "U:J=!accent!\nJC4 Wd4 HE8|", "C4:2 D5:2 E4:4"},
	{"text blocks, free text", "Some words.\nMore: C D E\n\nX:1\nT:A\n%%begintext\nC D E\n%%endtext\nM:4/4\nL:1/4\nK:C\n%%begintext\nA B\n%%endtext\nC4|", "C4:4"},
	{"a file's header", "L:1/4\nM:3/4\n\nX:1\nK:C\nC3|", "C4:3"},
	{"pipes", "X:1\nL:1/4\nK:HP\nF C G A|", "F#4:1 C#4:1 G4:1 A4:1"},
	{"a meter in the body keeps L", "X:1\nM:4/4\nK:C\nC8|\nM:2/4\nC4|", "C4:4 | C4:2"},
	{"tied chords", head + "[CE]4-[CE]4|[C-E]4[CF]4|", "E4+C4:4 | E4+C4:2 F4:2"},
	{"accidentals of one octave, of one note",
		"X:1\nI:propagate-accidentals octave\nL:1/4\nK:C\n^F F f2|\n%%propagate-accidentals not\n^FF2F|", "F#4:1 F#4:1 F5:2 | F#4:1 F4:2 F4:1"},
	{"decorations and fingerings in chords", head + `[!1!C!3!E"^x"G]4 !5!A4|`, "G4+E4+C4:2 A4:2"},
	{"clef and octave of a voice", "X:1\nL:1/4\nV:1 clef=treble-8\nV:2 octave=1\nK:C\n[V:1]C4|\n[V:2]C4|", "C3:4"},
	{"transposition of a voice", "X:1\nL:1/4\nV:1 transpose=-2\nK:C\n[V:1]D4|", "C4:4"},
	{"a voice of rests gives way", "X:1\nL:1/4\nK:C\nV:1\nz4|z4|\nV:2\nC4|D4|", "C4:4 | D4:4"},
	{"fine microtones", head + "^1/4C4 _3/10D4|", "C4+25:2 D4-30:2"},
	{"one voice of two", "K:C\nV:1\nC|\nV:2\nG|\nV:1\nD|", "C4:1/2 | D4:1/2"},
	{"voices listed in the header, inline voices", "V:1\nV:2 clef=bass\nK:C\n[V:1]C|[V:2]G|[V:1]D|", "C4:1/2 | D4:1/2"},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		tu, _, err := abc.Read(strings.NewReader(tt.text))
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		if got := render(tu); got != tt.want {
			t.Errorf("%s:\n got %s\nwant %s", tt.name, got, tt.want)
		}
	}
}

func TestTempoMeterKey(t *testing.T) {
	tu, _, err := abc.Read(strings.NewReader("T:A\nT:B\nM:6/8\nQ:3/8=60\nK:Ador\nA3 B3|[Q:1/4=120]c6|"))
	if err != nil {
		t.Fatal(err)
	}
	if tu.Title != "A" || tu.Key.Tonic.ClassName() != "A" || !tu.Key.Minor || tu.Meters[0].Num != 6 {
		t.Errorf("%+v", tu)
	}
	if len(tu.Tempos) != 2 || tu.Tempos[0].BPM != 90 || tu.Tempos[1].BPM != 120 || tu.Tempos[1].At != 3*tune.Quarter {
		t.Errorf("tempos %+v", tu.Tempos)
	}
	if s := tu.Clock(0).Seconds(6 * tune.Quarter); s != 3*60/90.0+3*60/120.0 {
		t.Errorf("clock says %v s", s)
	}
}

// TestMusicBesideNotes: tempos as people write them, marks, lyrics, all voices.
func TestMusicBesideNotes(t *testing.T) {
	for text, want := range map[string]float64{"1/4=ca. 80": 80, "120-130": 62.5, `"Slow" 3/8=60`: 90, "1/4=fast": 100, `"Allegro"`: 100} {
		tu, _, err := abc.Read(strings.NewReader("X:1\nL:1/8\nQ:" + text + "\nK:C\nC8|\n"))
		if err != nil || tu.Tempos[0].BPM != want {
			t.Errorf("Q:%s: %v %v, want %v", text, tu, err, want)
		}
	}
	sc, err := abc.ReadScore(strings.NewReader("X:1\nT:A\nM:4/4\nL:1/4\nV:1 name=\"Top line\" clef=treble-8\nV:2\nK:D\n" +
		"[V:1].F !accent!A !vibrato!d-|z !slide!a2 z|\nw: one two-three | * four~five\n[V:2]D4-|D4|\n"))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, v := range sc.Voices() {
		for _, n := range v.Notes {
			got = append(got, fmt.Sprintf("%d %s %s %s %v %s", v.Number, n.Note, sc.Fraction(n.At), sc.Fraction(n.Dur), n.Marks.Names(), n.Lyric))
		}
	}
	want := `["0 F#3 0 1 [staccato] one" "0 A3 1 1 [accent] two-" "0 D4 2 1 [vibrato let ring] three" "0 A4 4 2 [slide] " "1 D4 0 8 [] "]`
	if fmt.Sprintf("%q", got) != want || sc.Voices()[0].Name != "Top line" {
		t.Errorf("%q, want %s", got, want)
	}
}

// Faults: the place, and a word of what is wrong or right.
func TestFaults(t *testing.T) {
	for _, tt := range []struct{ text, place, word string }{
		{"", "1:1", "K:"},
		{"CDEF|", "1:1", "key"},
		{"K:H\nC|", "1:3", "not a key"},
		{"M:5/7\nK:C\nC|", "1:3", "meter"},
		{"L:0\nK:C\nC|", "1:3", "note length"},
		{head + "C D \x01 E|", "6:5", "not understood"},
		{head + `"Am C D|`, "6:1", "not closed"},
		{head + "C{DE|", "6:2", "closed"},
		{head + "C ^|", "6:4", "accidental"},
		{head + "C99999|", "6:2", "length"},
		{head + "C/7|", "6:2", ""},
		{head + "C/11|", "6:2", "fine"},
		{head + "(1CD|", "6:1", "group"},
		{head + ">C|", "6:1", "between"},
		{head + "-C|", "6:1", "tie"},
		{head + "[1,x C|", "6:2", "ending"},
		{head + "|", "1:1", "no notes"},
		{head + "été|", "6:1", "not understood"},
		{"K:C\n" + strings.Repeat("C D E F|\n", 1100), "1002:1", "4,000"},
		{strings.Repeat(" ", abc.MaxBytes+1), "1:1", "1 MiB"},
	} {
		_, _, err := abc.Read(strings.NewReader(tt.text))
		var fault *abc.Error
		if tt.word == "" { // readable after all
			if err != nil {
				t.Errorf("%.40q: %v", tt.text, err)
			}
			continue
		}
		if !errors.As(err, &fault) || fmt.Sprintf("%d:%d", fault.Line, fault.Column) != tt.place || !strings.Contains(fault.Text, tt.word) {
			t.Errorf("%.40q: %v; want %s … %s", tt.text, err, tt.place, tt.word)
		}
	}
}

func TestWarnings(t *testing.T) {
	for _, tt := range []struct{ music, place, word string }{
		{"C {D}E|", "6:3", "grace"},
		{"[CEGceg]C|", "6:1", "highest"},
		{`"Xyz"C|`, "6:1", "text"},
		{"C ? E|", "6:3", "no meaning"},
		{"C J E|", "6:3", "U:J="},
		{"[Q:1/4=9000]C|", "6:4", "tempo"},
		{"[K:C dim]C|", "6:4", "not understood"},
		{"C8|D4|E8|F8|", "6:4", "bar"},
		{"C2-D2|", "6:4", "tie"},
	} {
		_, warnings, err := abc.Read(strings.NewReader(head + tt.music))
		if err != nil {
			t.Errorf("%s: %v", tt.music, err)
			continue
		}
		if len(warnings) != 1 || fmt.Sprintf("%d:%d", warnings[0].Line, warnings[0].Column) != tt.place ||
			!strings.Contains(warnings[0].Text, tt.word) {
			t.Errorf("%s: %+v; want %s … %s", tt.music, warnings, tt.place, tt.word)
		}
	}
}

// FuzzRead: no panic, and what is read keeps the promises of tune.Tune and of Read.
func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add(tt.text)
	}
	f.Add(head + "|:C8[1,2 D8:|[3-9 E8:|[K:none][M:none][CE]2-C (9:2:3 z>C {A}&|\"")
	f.Fuzz(func(t *testing.T, text string) {
		sc, err := abc.ReadScore(strings.NewReader(text))
		if scoretest.Fault(t, err) {
			return
		}
		scoretest.Check(t, sc)
	})
}

// TestPrinted: bars are numbered as on paper, a pickup 0, and repeats told apart by the pass.
func TestPrinted(t *testing.T) {
	for text, want := range map[string]string{
		"A|:d f a f|1 g3 e:|2 g4|e c A2|]": "0 1 2 1·2 3 4",
		"d4|e4|f4|":                        "1 2 3",
		"|:d4|e4:|f4|":                     "1 2 1·2 2·2 3",
		"A2|d4|e4|":                        "0 1 2",
		"|:d4:||:e4:|":                     "1 1·2 2 2·2",
	} {
		tu, _, err := abc.Read(strings.NewReader("M:4/4\nL:1/4\nK:D\n" + text + "\n"))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for i := range tu.Bars {
			got = append(got, tu.BarPrinted(i).Short())
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %v, want %s", text, got, want)
		}
		if i := tu.BarNumbered(2); i >= 0 && (tu.BarPrinted(i).Number != 2 || tu.BarPrinted(i).Pass != 1) {
			t.Errorf("%s: bar 2 is found at %d", text, i)
		}
	}
}
