// Package scoretest holds what every reader of music promises, for the readers' tests.
package scoretest

import (
	"errors"
	"testing"

	"stepping/core/score"
)

// Fault reports whether a reader gave an error, and fails if that is no fault with a place and a text.
func Fault(t testing.TB, err error) bool {
	t.Helper()
	if err == nil {
		return false
	}
	var fault *score.Fault
	if !errors.As(err, &fault) || fault.Line < 1 || fault.Column < 1 || fault.Text == "" {
		t.Fatalf("error without a place: %v", err)
	}
	return true
}

// Check fails if a score, or the tune made of any of its voices, breaks a promise.
func Check(t testing.TB, sc *score.Score) {
	t.Helper()
	if sc.Unit < 1 || sc.Unit > score.MaxUnit || len(sc.Warnings) > score.MaxWarnings+5 || sc.Count() > score.MaxTotal {
		t.Fatalf("unit %d, %d warnings, %d notes", sc.Unit, len(sc.Warnings), sc.Count())
	}
	for i, v := range sc.Voices() {
		for k := range v.Notes {
			n := &v.Notes[k]
			if n.Dur <= 0 || n.At < 0 || k > 0 && n.At < v.Notes[k-1].At || n.Place.Line < 1 || n.Place.Column < 1 {
				t.Fatalf("voice %d, note %d: %+v", i, k, n)
			}
		}
		checkTune(t, sc, i)
	}
}

func checkTune(t testing.TB, sc *score.Score, voice int) {
	tu, pins, _, err := sc.Tune(sc.As(voice))
	if err != nil {
		return // a voice without notes
	}
	for i, n := range tu.Notes {
		if n.Dur <= 0 || n.At < 0 || i > 0 && n.At < tu.Notes[i-1].End() || n.End() > tu.Length {
			t.Fatalf("note %d of a tune of %v: %+v", i, tu.Length, n)
		}
	}
	for i, b := range tu.Bars {
		if i == 0 && b != 0 || i > 0 && (b <= tu.Bars[i-1] || b >= tu.Length) {
			t.Fatalf("bars %v of %v", tu.Bars, tu.Length)
		}
	}
	for _, c := range tu.Chords {
		if c.At >= tu.Length {
			t.Fatalf("chord at %v of %v", c.At, tu.Length)
		}
	}
	if tu.Meters[0].At != 0 || tu.Tempos[0].At != 0 {
		t.Fatalf("meters %v, tempos %v", tu.Meters, tu.Tempos)
	}
	for _, p := range pins {
		if p.String < 0 || p.Fret < 0 {
			t.Fatalf("pin %+v", p)
		}
	}
}
