// Package sound plays plans, grips and single notes as plucked strings: digital waveguides, dampers, percussion and a click.
package sound

import (
	"math"
	"slices"

	"stepping/core/ornament"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Played is what sounds: moments of a guitar. A plan is one, a backing, or a few strokes.
type Played struct {
	Tune    *tune.Tune // its bars, meters and tempos, and the marks of its notes
	Tuning  tuning.Tuning
	Capo    int
	Attack  string  // of the player, player.Attacks
	Tempo   float64 // quarter notes a minute at the start
	Moments []play.Moment
	room    float64 // noise, see Faults.RoomDB
	touches map[*play.Stroke]touch
	slide   string                   // material, of player.Slide
	sung    map[int]ornament.Vibrato // by note of the melody
	into    map[int]ornament.Glide   // by the note of the melody that each leads to
}

// Of is a plan as it sounds.
func Of(p *plan.Plan) Played {
	out := Played{Tune: p.Request.Tune, Tuning: p.Request.Tuning, Capo: p.Request.Capo, Attack: p.Request.Player.Attack,
		Tempo: p.Tempo(), Moments: p.Moments, slide: p.Request.Player.Slide.Material,
		sung: map[int]ornament.Vibrato{}, into: map[int]ornament.Glide{}}
	advice := ornament.Of(p)
	for _, v := range advice.Vibratos {
		out.sung[p.Moments[v.Moment].Melody.Index] = v
	}
	for _, g := range advice.Glides {
		out.into[p.Moments[g.To].Melody.Index] = g
	}
	return out
}

// strokesEnd is how long the last of a few strokes rings, seconds.
const strokesEnd = 2.5

// Strokes is a few strokes, one every gap seconds, each ringing on until its string is struck again; no two at
// once on one string if gap is 0.
func Strokes(t tuning.Tuning, capo int, attack string, gap float64, strokes ...play.Stroke) Played {
	seconds := func(s float64) tune.Time { return tune.Time(s * float64(tune.Quarter)) } // at 60 a minute
	tu := &tune.Tune{Bars: []tune.Time{0}, Meters: []tune.MeterAt{{Num: 4, Den: 4}}, Tempos: []tune.TempoAt{{BPM: 60}},
		Length: seconds(gap*float64(len(strokes)-1) + strokesEnd)}
	p := Played{Tune: tu, Tuning: t, Capo: capo, Attack: attack, Tempo: 60}
	var states [tuning.Strings]play.StringState
	for i := range strokes {
		s := strokes[i]
		states[s.String-1].State = play.Rings
		if s.Digit == "" { // or the fretting hand would sound it
			s.Digit = play.I
		}
		p.Moments = append(p.Moments, play.Moment{At: seconds(gap * float64(i)), Bar: 1, Melody: &s, Strings: states})
	}
	return p
}

// around is when moment m begins, and how long it is heard, in seconds.
func (p *Played) around(m int) (from, length float64) {
	clock := p.Tune.Clock(p.Tempo)
	from = clock.Seconds(p.Moments[m].At)
	length = momentLength
	if m+1 < len(p.Moments) {
		length = max(length, clock.Seconds(p.Moments[m+1].At)-from)
	}
	return from, length
}

// momentLength is how long a single moment is heard at least, seconds; momentRings how long before it strings
// may have been struck that ring in.
const (
	momentLength = 1.6
	momentRings  = 6.0
)

// NewMoment prepares the sound of one moment: what is struck there, and all that rings or leaks into it. It is as
// loud as in its tune.
func NewMoment(p Played, m, rate int) (*Sound, error) {
	s, err := New(p, Options{Rate: rate})
	if err != nil {
		return nil, err
	}
	clock := p.Tune.Clock(p.Tempo)
	from, length := p.around(m)
	begins, ends := max(0, from-momentRings), math.Inf(1)
	if m+1 < len(p.Moments) {
		ends = clock.Seconds(p.Moments[m+1].At)
	}
	s.deeds = slices.DeleteFunc(s.deeds, func(d deed) bool { return d.at < begins || d.at >= ends })
	s.hear(from, begins, length)
	return s, nil
}

// hear leaves length seconds from a time on, of what begins to sound at another.
func (s *Sound) hear(from, begins, length float64) {
	s.first = int(from * s.rate)
	s.skip = s.first - int(begins*s.rate)
	s.total = int(length * s.rate)
	end := from + length - releaseTau
	for str := 1; str <= tuning.Strings; str++ {
		s.deeds = append(s.deeds, deed{at: end, str: str, kind: damp, tau: releaseTau})
	}
	sortDeeds(s.deeds)
}

// Tone is a string at a pitch in Hz, 20 to 2,000, for reference: as thick as string str.
func Tone(hz float64, str, rate int) *Sound {
	standard, err := tuning.ParseAny("Standard")
	if err != nil {
		panic("sound: " + err.Error())
	}
	s, err := New(Strokes(standard, 0, "", 0, play.Stroke{String: str, How: play.Open, Note: pitch.Note{Letter: 'A', Octave: 3}}),
		Options{Rate: rate})
	if err != nil {
		panic("sound: " + err.Error()) // one bar at 60 a minute
	}
	for i := range s.deeds {
		if d := &s.deeds[i]; d.kind == strike {
			d.hz, d.from = hz, hz // to the last cent
		}
	}
	return s
}
