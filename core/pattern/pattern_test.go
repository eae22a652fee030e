package pattern

import (
	"bytes"
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"

	"stepping/core/tune"
)

// Every library pattern is valid, read back unchanged, and has a name of its own; there is one for
// each meter and hand that players use.
func TestLibrary(t *testing.T) {
	if len(Library) < 16 {
		t.Errorf("%d patterns", len(Library))
	}
	seen, hands := map[string]bool{}, map[int]bool{}
	for i := range Library {
		p := &Library[i]
		data, err := json.Marshal(p)
		if err != nil {
			t.Fatal(err)
		}
		back, err := Read(bytes.NewReader(data))
		if err != nil || !reflect.DeepEqual(back, p) {
			t.Errorf("%s: %v\n%+v\n%+v", p.Name, err, back, p)
		}
		if seen[p.Name] {
			t.Errorf("two patterns are called %s", p.Name)
		}
		seen[p.Name], seen[p.Meter] = true, true
		most := 0
		for _, b := range p.Beats {
			most = max(most, len(b.Fingers))
		}
		hands[most] = true
		if p.Suits(most) != nil || most > 0 && p.Suits(most-1) == nil {
			t.Errorf("%s suits the wrong hands", p.Name)
		}
		if named, ok := Named(" " + strings.ToUpper(p.Name)); !ok || named != p {
			t.Errorf("%s is not found by name", p.Name)
		}
	}
	if !seen["4/4"] || !seen["3/4"] || !seen["6/8"] || !seen["2/4"] || len(hands) != 4 {
		t.Errorf("meters and hands: %v %v", seen, hands)
	}
}

// Faulty patterns are refused at the step, with the rule.
func TestPatternFaults(t *testing.T) {
	for _, tt := range []struct {
		beats string
		step  int
		rule  string
	}{
		{`{"step":9,"thumb":"root"}`, 9, "longer than its bar"},
		{`{"step":0,"thumb":"root"}`, 0, "steps 1 to 8"},
		{`{"step":2},{"step":2}`, 2, "in order"},
		{`{"step":3,"thumb":"root","hit":"slap"}`, 3, "one of them"},
		{`{"step":3,"hit":"slap","fingers":["top","next"]}`, 3, "only one finger flicks"},
		{`{"step":4,"hit":"tap","fingers":["top"]}`, 4, "one of them"},
		{`{"step":4,"thumb":"root","mute":"half","hit":"thump"}`, 4, "one of them"},
		{`{"step":5,"fingers":["top","top"]}`, 5, "one string, one finger"},
		{`{"step":5,"mute":"half"}`, 5, "mutes a thumb note"},
		{`{"step":5,"hit":"release"}`, 5, "dead strings"},
		{`{"step":6,"thumb":"bass"}`, 6, "no role"},
		{`{"step":6,"fingers":["pinky"]}`, 6, "no role"},
		{`{"step":6,"thumb":"root","mute":"loud"}`, 6, "no muting"},
		{`{"step":6,"hit":"kick"}`, 6, "no percussion"},
	} {
		_, err := Read(strings.NewReader(`{"name":"x","meter":"4/4","steps":8,"swing":false,"beats":[` + tt.beats + `]}`))
		var fault *StepError
		if !errors.As(err, &fault) || fault.Step != tt.step || !strings.Contains(fault.Rule, tt.rule) {
			t.Errorf("%s: %v", tt.beats, err)
		}
	}
	for text, word := range map[string]string{
		`{"name":"x","meter":"4/4","steps":7,"beats":[]}`:              "evenly",
		`{"name":"x","meter":"4-4","steps":8,"beats":[]}`:              "meter",
		`{"name":"","meter":"4/4","steps":8,"beats":[]}`:               "name",
		`{"name":"x","meter":"3/4","steps":3,"swing":true,"beats":[]}`: "even number",
		`{"name":"x","meter":"4/4","steps":8,"colour":1}`:              "colour",
		`{"name":"x","meter":"4/4","steps":8} {}`:                      "closing brace",
		`[`: "not a pattern",
	} {
		if _, err := Read(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// Steps of a swung bar fall at a third and two thirds of the beat; a pickup has the last ones; the
// bar before a change walks into it, and the last step may arrive early.
func TestPatternStrokes(t *testing.T) {
	swung, _ := Named("Thumb and one, swung")
	if at := swung.Offset(2); at != tune.Quarter*2/3 || swung.Offset(3) != tune.Quarter {
		t.Errorf("the second step falls at %v", at)
	}
	tu, err := tune.Progression("D | G", tune.MeterAt{Num: 4, Den: 4}, 90)
	if err != nil {
		t.Fatal(err)
	}
	early, _ := Named("Early into the change")
	walk, _ := Named("Muted walk")
	strokes := Strokes(tu, None, []Section{{1, early}, {2, walk}}, "", All)
	var roles []string
	for _, s := range strokes {
		text := s.Role.String() + " " + s.Over.Name
		if s.Early {
			text += " early"
		}
		roles = append(roles, text)
	}
	want := "root D, alternate D, root D, alternate D, root G early, root G, alternate G, root G, alternate G" // nothing follows to walk into
	if got := strings.Join(roles, ", "); got != want {
		t.Errorf("%s\nwant %s", got, want)
	}
	if first := strokes[5]; first.Mute != "half" || !first.One {
		t.Errorf("%+v", first)
	}
	waltz, _ := Named("Waltz, root and pair")
	if got := Strokes(tu, Steady, []Section{{1, waltz}}, "", All); len(got) != 8 {
		t.Errorf("a waltz in 4/4 leaves %d strokes of the steady thumb", len(got))
	}
	pickup := &tune.Tune{Key: tu.Key, Meters: tu.Meters, Tempos: tu.Tempos, Chords: tu.Chords, Bars: []tune.Time{0, tune.Quarter},
		Length: tune.Quarter + tune.Whole}
	steady, _ := Named("Steady bass")
	if got := Strokes(pickup, None, []Section{{1, steady}}, "", All); len(got) != 5 || got[0].One || !got[1].One {
		t.Errorf("over a pickup: %+v", got)
	}
}
