package player

import (
	"encoding/json"
	"errors"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"
)

func TestReadFaults(t *testing.T) {
	for _, tt := range []struct{ text, place, word string }{
		{"{\n \"slidefingr\": 3}", "2:2", "slidefingr: unknown key"},
		{`{"reachMm": "wide"}`, "1:2", "reachMm"},
		{`{"reachMm": 20}`, "1:2", "50 to 180 mm"},
		{`{"slideFinger": 1}`, "1:2", "2 to 4"},
		{`{"taste": {"NeckPer": 1.6}}`, "1:2", "0.67 to 1.50"},
		{`{"taste": {"NeckPer": 0.6}}`, "1:2", "0.67 to 1.50"},
		{"{\"silence\": \"loud\"}", "1:2", "heel, fingers"},
		{`{"silence": "lap", "posture": "upright"}`, "1:2", "lies flat"},
		{`{"instrument": {"scaleMm": 90}}`, "1:17", "300 to 800"},
		{`{"instrument": {"scalemm": 600, "horn": 1}}`, "1:33", "horn"},
		{`{"reachMm": 80} trailing`, "1:17", "follows"},
		{`{"reachMm": }`, "1:13", "JSON"},
		{`[]`, "1:1", ""},
		{strings.Repeat(" ", 70000), "1:1", "64 KiB"},
	} {
		_, err := Read(strings.NewReader(tt.text))
		var at *PositionError
		if !errors.As(err, &at) || !strings.HasPrefix(err.Error(), tt.place+":") || !strings.Contains(err.Error(), tt.word) {
			t.Errorf("%.40q: %v; want %s … %s", tt.text, err, tt.place, tt.word)
		}
	}
}

func TestReadDefaults(t *testing.T) {
	p, err := Read(strings.NewReader("{}"))
	if err != nil || !reflect.DeepEqual(p, Default()) {
		t.Fatalf("%+v %v", p, err)
	}
	// Every key of the written profile is read back, and NaN or huge numbers are refused.
	data, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := Read(strings.NewReader(string(data))); err != nil || !reflect.DeepEqual(again, p) {
		t.Errorf("%+v %v", again, err)
	}
	p.ReachMM = math.NaN()
	var fe *FieldError
	if err := p.Validate(); !errors.As(err, &fe) || fe.Field != "reachMm" {
		t.Error(err)
	}
}

// The fingers behind and before the slide, by the finger that wears it.
func TestFingersAround(t *testing.T) {
	for finger, want := range map[int][2][]int{2: {{1}, {3, 4}}, 3: {{1, 2}, {4}}, 4: {{1, 2, 3}, nil}} {
		p := Default()
		p.SlideFinger = finger
		if !slices.Equal(p.Behind(), want[0]) || !slices.Equal(p.Stranded(), want[1]) {
			t.Errorf("finger %d: %v behind, %v before", finger, p.Behind(), p.Stranded())
		}
	}
}

// TestFollowPosture: what keeps strings quiet follows the guitar when it is laid flat and taken up again; what the player changed stays.
func TestFollowPosture(t *testing.T) {
	for _, c := range []struct{ oldPosture, oldSilence, posture, silence, want string }{
		{Upright, Both, Lap, Both, LapStop}, {Upright, Both, Lap, Heel, Heel}, {Upright, Heel, Upright, Heel, Heel},
		{Lap, LapStop, Upright, LapStop, Default().Silence}, {Lap, Ring, Upright, Ring, Ring}, {Lap, LapStop, Lap, Both, Both},
	} {
		old, p := Default(), Default()
		old.Posture, old.Silence, p.Posture, p.Silence = c.oldPosture, c.oldSilence, c.posture, c.silence
		p.FollowPosture(&old)
		if err := p.Validate(); p.Silence != c.want || err != nil {
			t.Errorf("%+v: %s, %v", c, p.Silence, err)
		}
	}
}
