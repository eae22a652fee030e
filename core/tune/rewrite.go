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
	// With are up to MaxWith lower notes at once, the highest first.
	With []pitch.Pitch `json:"with,omitempty"`
}

func (n *NewNote) end() Time { return n.At + n.Dur }

// In is the note as one of a tune in a key, its time counted from begin.
func (n *NewNote) In(k *Key, begin Time) Note {
	out := Note{At: begin + n.At, Dur: n.Dur, Note: pitch.Spell(n.Pitch, k.Flats)}
	for _, low := range n.With {
		out.With = append(out.With, pitch.Spell(low, k.Flats))
	}
	return out
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
			if n.Dur <= 0 || begin+n.At < last || begin+n.end() > end || len(n.With) > MaxWith {
				return nil, fmt.Errorf("the notes put into bar %d overlap or go past its end", r.Bar)
			}
			last = begin + n.end()
			put := n.In(&tu.Key, begin)
			put.Place = place
			kept = append(kept, put)
		}
		slices.SortStableFunc(kept, func(a, b Note) int { return int(a.At - b.At) })
		out.Notes = kept
	}
	return &out, nil
}

// BarMelody returns the melody of a bar, counted from 1, as notes that Rewritten takes. A note that
// sounds on into the next bar is cut.
func (tu *Tune) BarMelody(bar int) (out []NewNote) {
	begin := tu.Bars[bar-1]
	end := begin + tu.BarLength(bar-1)
	for i := range tu.Notes {
		if n := tu.NewNote(i, begin); n.At >= 0 && begin+n.At < end {
			n.Dur = min(n.Dur, end-begin-n.At)
			out = append(out, n)
		}
	}
	return out
}

// NewNote is note i as one that may be put elsewhere, its time counted from begin.
func (tu *Tune) NewNote(i int, begin Time) NewNote {
	n := &tu.Notes[i]
	out := NewNote{At: n.At - begin, Dur: n.Dur, Pitch: n.Note.Pitch()}
	for _, low := range n.With {
		out.With = append(out.With, low.Pitch())
	}
	return out
}

// WithLick returns the rewrites that put notes into the tune: their times are counted from the beginning
// of a bar, from 1, and may run on into those after it. What begins while they sound goes, what sounds
// into them is cut, and they are cut at bar lines. ok is false if the tune ends before they do.
func (tu *Tune) WithLick(bar int, lick []NewNote) (out []Rewrite, ok bool) {
	first := tu.Bars[bar-1]
	for left := slices.Clone(lick); len(left) > 0; bar++ {
		if bar > len(tu.Bars) {
			return nil, false
		}
		since, length := tu.Bars[bar-1]-first, tu.BarLength(bar-1)
		var here []NewNote
		for len(left) > 0 && left[0].At < since+length {
			n := left[0]
			n.At -= since
			n.Dur = min(n.Dur, length-n.At)
			here, left = append(here, n), left[1:]
		}
		if len(here) > 0 {
			out = append(out, Rewrite{bar, splice(tu.BarMelody(bar), here)})
		}
	}
	return out, true
}

// splice puts notes among others of a bar, which give way.
func splice(old, put []NewNote) []NewNote {
	out := slices.Clone(put)
	for _, o := range old {
		covered := false
		for i := range put {
			n := &put[i]
			covered = covered || o.At >= n.At && o.At < n.end()
			if o.At < n.At && o.end() > n.At {
				o.Dur = n.At - o.At
			}
		}
		if !covered {
			out = append(out, o)
		}
	}
	slices.SortStableFunc(out, func(a, b NewNote) int { return int(a.At - b.At) })
	return out
}
