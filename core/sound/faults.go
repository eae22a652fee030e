package sound

import (
	"fmt"
	"math"
	"slices"

	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Faults are what a player, a guitar or a room does to a plan: takes with them have a known truth, and are in for a microphone.
type Faults struct {
	Notes   []NoteFault   `json:"notes,omitempty"`
	Strings []StringFault `json:"strings,omitempty"`
	Dampers []DamperFault `json:"dampers,omitempty"` // forgotten
	Wander  float64       `json:"wander,omitempty"`  // of the tempo, as a share to either side, up to 0.3: slowly to and fro
	RoomDB  float64       `json:"roomDb,omitempty"`  // noise of the room in dB under full scale, negative; 0 for none
}

// NoteFault is about what is struck at a time, in quarters of the tune.
type NoteFault struct {
	At     tune.Time `json:"at"`
	String int       `json:"string,omitempty"` // 0: all that is struck there
	Cents  float64   `json:"cents,omitempty"`
	LateMs float64   `json:"lateMs,omitempty"` // of the whole moment; negative for early
	Land   float64   `json:"land,omitempty"`   // cents beside the pitch where a finger or the slide lands, before it moves to where it is held
	LandMs float64   `json:"landMs,omitempty"` // how long it takes from there
	DB     float64   `json:"db,omitempty"`     // louder, or softer if negative
	Drop   bool      `json:"drop,omitempty"`
}

// StringFault is a string out of tune.
type StringFault struct {
	String int     `json:"string"`
	Cents  float64 `json:"cents"`
}

// DamperFault is a string that is not silenced at a time, and sounds on until it is struck again.
type DamperFault struct {
	At     tune.Time `json:"at"`
	String int       `json:"string"`
}

// wanderPeriod is how long the tempo takes to and fro, in quarters.
const wanderPeriod = 16.0

// touch is how a stroke is played otherwise than planned.
type touch struct{ land, landSec, db float64 }

// most is how far a fault may go: cents, ms, dB.
const (
	mostCents = 300.0
	mostMs    = 2000.0
	mostDB    = 40.0
)

// With is what is played with faults; p stays as it is. The error names a fault that cannot be.
func (p Played) With(f *Faults) (Played, error) {
	if !(f.Wander >= 0 && f.Wander <= 0.3) || !(f.RoomDB <= 0 && f.RoomDB >= -200) {
		return p, fmt.Errorf("wander %g, room %g dB: give 0 to 0.3, and a level under full scale like -50", f.Wander, f.RoomDB)
	}
	p.Moments = slices.Clone(p.Moments)
	p.room, p.touches = f.RoomDB, map[*play.Stroke]touch{}
	for i := range f.Strings {
		s := &f.Strings[i]
		if s.String < 1 || s.String > tuning.Strings || !(math.Abs(s.Cents) <= mostCents) {
			return p, fmt.Errorf("string %d by %g cents: give string 1 to %d, and at most %g cents", s.String, s.Cents, tuning.Strings, mostCents)
		}
		for t := range p.Moments {
			bend(&p.Moments[t], s.String, s.Cents)
		}
	}
	for i := range f.Notes {
		if err := p.misplay(&f.Notes[i]); err != nil {
			return p, err
		}
	}
	for i := range f.Dampers {
		if err := p.forget(&f.Dampers[i]); err != nil {
			return p, err
		}
	}
	if f.Wander > 0 {
		for t := range p.Moments {
			at := p.Moments[t].At.Quarters()
			by := f.Wander * wanderPeriod / (2 * math.Pi) * math.Sin(2*math.Pi*at/wanderPeriod)
			p.Moments[t].At += tune.Time(by * float64(tune.Quarter))
		}
	}
	slices.SortStableFunc(p.Moments, func(a, b play.Moment) int { return int(max(-1, min(1, a.At-b.At))) })
	return p, nil
}

// bend puts what a string sounds at a moment out of tune.
func bend(mo *play.Moment, str int, cents float64) {
	each(mo, func(s *play.Stroke) *play.Stroke {
		if s.String != str {
			return s
		}
		out := *s
		out.Note.Cents += int(math.Round(cents))
		return &out
	})
}

// each replaces the strokes of a moment by others; nil leaves one out.
func each(mo *play.Moment, change func(*play.Stroke) *play.Stroke) {
	if mo.Melody != nil {
		mo.Melody = change(mo.Melody)
	}
	if mo.Thumb != nil {
		mo.Thumb = change(mo.Thumb)
	}
	for _, list := range []*[]*play.Stroke{&mo.With, &mo.Picked} {
		var out []*play.Stroke
		for _, s := range *list {
			if s = change(s); s != nil {
				out = append(out, s)
			}
		}
		*list = out
	}
	if mo.Melody == nil && len(mo.With) > 0 {
		mo.Melody, mo.With = mo.With[0], mo.With[1:]
	}
}

// misplay makes one note wrong.
func (p *Played) misplay(n *NoteFault) error {
	t := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == n.At })
	if t < 0 || !(math.Abs(n.Cents) <= mostCents && math.Abs(n.Land) <= mostCents && math.Abs(n.LateMs) <= mostMs &&
		n.LandMs >= 0 && n.LandMs <= mostMs && math.Abs(n.DB) <= mostDB) {
		return fmt.Errorf("nothing is played at %s, or the fault is too large: %g cents, %g ms and %g dB at most", n.At, mostCents, mostMs, mostDB)
	}
	mo := &p.Moments[t]
	each(mo, func(s *play.Stroke) *play.Stroke {
		switch {
		case n.String != 0 && s.String != n.String:
			return s
		case n.Drop:
			return nil
		}
		out := *s
		out.Note.Cents += int(math.Round(n.Cents))
		as := p.touches[s]
		if n.Land != 0 {
			as.land, as.landSec = n.Land, n.LandMs/1000
		}
		as.db += n.DB
		p.touches[&out] = as
		return &out
	})
	mo.At = max(0, mo.At+tune.Time(n.LateMs/1000*p.Tempo/60*float64(tune.Quarter)))
	return nil
}

// forget lets a string sound on from a time until it is struck again.
func (p *Played) forget(d *DamperFault) error {
	from := slices.IndexFunc(p.Moments, func(mo play.Moment) bool { return mo.At == d.At })
	if from < 0 || d.String < 1 || d.String > tuning.Strings || p.Moments[from].Strings[d.String-1].State != play.Silenced {
		return fmt.Errorf("string %d is not silenced at %s", d.String, d.At)
	}
	for t := from; t < len(p.Moments); t++ {
		mo := &p.Moments[t]
		for _, s := range mo.Strokes() {
			if s.String == d.String {
				return nil
			}
		}
		if st := &mo.Strings[d.String-1]; st.State == play.Silenced {
			st.State, st.By = play.Leaks, ""
		}
	}
	return nil
}
