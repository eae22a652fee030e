package tune

import (
	"fmt"
	"slices"

	"stepping/core/pitch"
)

// Rewrite is a bar, as played out, whose melody is another than the one written: a variation for a
// repeat, or a lick put there.
type Rewrite struct {
	Bar   int       `json:"bar"` // from 1
	Notes []NewNote `json:"notes"`
}

// NewNote is one note of a rewritten bar: its time after the beginning of the bar, its length, and its
// written pitch.
type NewNote struct {
	At    Time        `json:"at"`
	Dur   Time        `json:"dur"`
	Pitch pitch.Pitch `json:"pitch"`
}

// maxRewrite is how many notes a rewritten bar holds at most.
const maxRewrite = 64

// Rewritten returns the tune with other melodies in some bars. Notes of the bar are replaced; one that
// sounds on from the bar before is cut at the bar line. The error says which bar is not in the tune or
// has notes that overlap or leave it.
func (tu *Tune) Rewritten(rs []Rewrite) (*Tune, error) {
	if len(rs) == 0 {
		return tu, nil
	}
	out := *tu
	out.Notes = slices.Clone(tu.Notes)
	for _, r := range rs {
		if r.Bar < 1 || r.Bar > len(tu.Bars) {
			return nil, fmt.Errorf("a bar %d is rewritten, and the tune has bars 1 to %d", r.Bar, len(tu.Bars))
		}
		if len(r.Notes) > maxRewrite {
			return nil, fmt.Errorf("%d notes are put into bar %d: at most %d", len(r.Notes), r.Bar, maxRewrite)
		}
		begin := tu.Bars[r.Bar-1]
		end := begin + tu.BarLength(r.Bar-1)
		var place Place
		kept := out.Notes[:0:0]
		for _, n := range out.Notes {
			switch {
			case n.At >= begin && n.At < end:
				if place == (Place{}) {
					place = n.Place
				}
				continue
			case n.At < begin && n.End() > begin:
				n.Dur = begin - n.At
			}
			kept = append(kept, n)
		}
		last := begin
		for _, n := range r.Notes {
			if n.Dur <= 0 || begin+n.At < last || begin+n.At+n.Dur > end {
				return nil, fmt.Errorf("the notes put into bar %d overlap or leave it", r.Bar)
			}
			last = begin + n.At + n.Dur
			kept = append(kept, Note{At: begin + n.At, Dur: n.Dur, Note: pitch.Spell(n.Pitch, tu.Key.Flats), Place: place})
		}
		slices.SortStableFunc(kept, func(a, b Note) int { return int(a.At - b.At) })
		out.Notes = kept
	}
	return &out, nil
}

// BarMelody returns the highest voice of a bar, counted from 1, as notes that Rewritten takes. A note
// that sounds on into the next bar is cut.
func (tu *Tune) BarMelody(bar int) (out []NewNote) {
	begin := tu.Bars[bar-1]
	end := begin + tu.BarLength(bar-1)
	for _, n := range tu.Notes {
		if n.At >= begin && n.At < end {
			out = append(out, NewNote{n.At - begin, min(n.Dur, end-n.At), n.Note.Pitch()})
		}
	}
	return out
}
