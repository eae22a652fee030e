package musicxml_test

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/sheet"
	"stepping/formats/musicxml"
)

// sequence is, for each element that this program writes, which elements it may hold and in which order, as the
// format's definition of version 4.0 states them; those that come in any order are in any.
var sequence = map[string][]string{
	"score-partwise": {"work", "part-list", "part"}, "work": {"work-title"}, "part-list": {"score-part"}, "score-part": {"part-name"},
	"attributes": {"divisions", "key", "time", "clef", "staff-details"},
	"key":        {"fifths", "mode"}, "time": {"beats", "beat-type"}, "clef": {"sign", "line"},
	"staff-details": {"staff-lines", "staff-tuning", "capo"},
	"staff-tuning":  {"tuning-step", "tuning-alter", "tuning-octave"},
	"note":          {"chord", "pitch", "rest", "duration", "tie", "voice", "type", "dot", "time-modification", "notehead", "notations", "lyric"},
	"pitch":         {"step", "alter", "octave"}, "time-modification": {"actual-notes", "normal-notes"},
	"lyric": {"syllabic", "text"}, "backup": {"duration"},
	"harmony": {"root", "kind", "bass", "offset"}, "root": {"root-step", "root-alter"}, "bass": {"bass-step", "bass-alter"},
	"sound": {"swing"}, "swing": {"first", "second", "swing-type"}, "direction": {"direction-type", "offset", "sound"},
	"metronome": {"beat-unit", "per-minute"}, "bend": {"bend-alter"}, "harmonic": {"natural", "sounding-pitch"},
}

var anyOrder = map[string][]string{
	"part": {"measure"}, "measure": {"attributes", "note", "backup", "harmony", "direction"}, "direction-type": {"metronome", "words"},
	"notations": {"tied", "slide", "ornaments", "technical", "articulations"}, "ornaments": {"wavy-line"},
	"articulations": {"accent", "staccato", "scoop"},
	"technical":     {"hammer-on", "pull-off", "harmonic", "open-string", "bend", "other-technical", "fingering", "pluck", "fret", "string"},
}

// whole are elements whose text is a whole number, from the least that it may be.
var whole = map[string]int{"divisions": 1, "duration": 1, "voice": 1, "octave": 0, "fret": 0, "string": 1, "beats": 1,
	"beat-type": 1, "staff-lines": 1, "capo": 0, "actual-notes": 1, "normal-notes": 1, "fifths": -7}

// held reads an element and checks what it holds.
func held(t *testing.T, d *xml.Decoder, name string) {
	t.Helper()
	last, text := -1, ""
	for {
		tok, err := d.Token()
		if err != nil {
			t.Fatalf("<%s>: %v", name, err)
		}
		switch tok := tok.(type) {
		case xml.StartElement:
			kid := tok.Name.Local
			if order, ok := sequence[name]; ok {
				at := slices.Index(order, kid)
				if at < last || at < 0 {
					t.Fatalf("<%s> stands in <%s> where it may not", kid, name)
				}
				last = at
			} else if !slices.Contains(anyOrder[name], kid) {
				t.Fatalf("<%s> may not stand in <%s>", kid, name)
			}
			held(t, d, kid)
		case xml.CharData:
			text += string(tok)
		case xml.EndElement:
			if least, ok := whole[name]; ok {
				if n, err := strconv.Atoi(strings.TrimSpace(text)); err != nil || n < least {
					t.Fatalf("<%s>%s</%s>", name, text, name)
				}
			}
			return
		}
	}
}

func byTheRules(t *testing.T, s *sheet.Sheet) {
	t.Helper()
	var buf bytes.Buffer
	if err := musicxml.Write(&buf, s); err != nil {
		t.Fatal(err)
	}
	d := xml.NewDecoder(&buf)
	for {
		tok, err := d.Token()
		if errors.Is(err, io.EOF) {
			return
		}
		if err != nil {
			t.Fatal(err)
		}
		if start, ok := tok.(xml.StartElement); ok {
			held(t, d, start.Name.Local)
		}
	}
}

// TestByTheRules: what is written holds to the format's definition: elements, their order, whole numbers.
func TestByTheRules(t *testing.T) {
	for seed := range uint64(100) {
		byTheRules(t, sheet.Of(coretest.Any(seed)))
	}
	for i, name := range []string{"Open D", "Standard", "Open G"} {
		pr := player.Default()
		pr.Techniques = []string{"bend", "harmonic", "tap"}
		p, err := plan.Solve(context.Background(), plan.Request{Tune: coretest.Wander(uint64(i), 30), Tuning: coretest.Tuning(name),
			Capo: i, Player: pr, Thumb: pattern.Steady})
		if err != nil {
			t.Fatal(err)
		}
		byTheRules(t, sheet.OfPlan(p))
	}
}

// TestTextInPieces: a text that comes in twice as many pieces takes twice the memory, not four times.
func TestTextInPieces(t *testing.T) {
	used := func(pieces int) float64 {
		text := "<score-partwise><part-list/><part id=\"P1\"><measure><direction><direction-type><words>" + strings.Repeat("a<!-- -->", pieces) +
			"</words></direction-type></direction></measure></part></score-partwise>"
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, _ = musicxml.Read(strings.NewReader(text)) // it has no notes
		runtime.ReadMemStats(&after)
		return float64(after.TotalAlloc - before.TotalAlloc)
	}
	if few, many := used(20_000), used(40_000); many > 2.6*few {
		t.Errorf("%.1f MiB for 20,000 pieces, %.1f for 40,000", few/(1<<20), many/(1<<20))
	}
}
