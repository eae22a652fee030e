package musicxml

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"

	"stepping/core/pitch"
	"stepping/core/score"
	"stepping/core/tune"
)

// playOut plays the written measures in order.
func (d *document) playOut() (*score.Score, error) {
	if len(d.measures) == 0 {
		return nil, d.fail("this score has no measures")
	}
	d.settleCodas()
	d.fillMeasures()
	signs := make([]score.Signs, len(d.measures))
	for i := range d.measures {
		signs[i] = d.measures[i].signs
	}
	order, ok := score.Unroll(signs)
	if !ok || len(order) > score.MaxBars {
		return nil, d.fail("with its repeats the score has more than %d bars: check its repeats, D.C. and D.S.", score.MaxBars)
	}
	pl := &player{document: d}
	for _, p := range d.parts {
		pl.voices = append(pl.voices, p.newVoices())
		pl.ties = append(pl.ties, map[tied]int{})
	}
	for n, i := range order {
		if err := pl.measure(i, n > 0 && order[n-1] == i-1); err != nil {
			return nil, err
		}
	}
	return pl.finish()
}

// settleCodas tells bare coda signs apart: the last is where the coda begins, those before say whence to jump.
func (d *document) settleCodas() {
	left := 0
	for i := range d.measures {
		left += len(d.measures[i].codas)
	}
	for i := range d.measures {
		for _, beginning := range d.measures[i].codas {
			left--
			switch {
			case left == 0:
				d.measures[i].signs.Coda = true
			case beginning && i > 0:
				d.measures[i-1].signs.ToCoda = true
			default:
				d.measures[i].signs.ToCoda = true
			}
		}
	}
}

// fillMeasures gives measures without music the length of their meter, and says what holds at the beginning of each.
func (d *document) fillMeasures() {
	meter, tempo := score.Meter{Num: 4, Den: 4}, score.Tempo{BPM: score.DefaultTempo}
	for i := range d.measures {
		m := &d.measures[i]
		if !slices.ContainsFunc(m.meters, func(x score.Meter) bool { return x.At == 0 }) {
			m.meters = append([]score.Meter{meter}, m.meters...)
			m.meters[0].At = 0
		}
		if !slices.ContainsFunc(m.tempos, func(x score.Tempo) bool { return x.At == 0 }) {
			m.tempos = append([]score.Tempo{tempo}, m.tempos...)
			m.tempos[0].At = 0
		}
		slices.SortStableFunc(m.meters, func(a, b score.Meter) int { return cmp.Compare(a.At, b.At) })
		slices.SortStableFunc(m.tempos, func(a, b score.Tempo) int { return cmp.Compare(a.At, b.At) })
		meter, tempo = m.meters[len(m.meters)-1], m.tempos[len(m.tempos)-1]
		if m.length == 0 {
			m.length = d.full(m.meters[0])
		}
	}
}

func (d *document) full(m score.Meter) score.Units {
	return score.Units(4*m.Num) * d.score.Unit / score.Units(m.Den)
}

// newVoices makes the part's voices: numbered as the file does if it numbers them.
func (p *part) newVoices() []score.Voice {
	out := make([]score.Voice, len(p.order))
	for i, name := range p.order {
		n, err := strconv.Atoi(name)
		if err != nil || n < 1 || n > 99 {
			n = i + 1
		}
		out[i] = score.Voice{Number: n - 1, Name: name, Drums: p.drums}
	}
	return out
}

// player is where the playing is.
type player struct {
	*document
	voices [][]score.Voice         // by part
	ties   []map[tied]int          // open ones, by part: the note of its voice
	bends  map[*score.Spot]float64 // half steps, by where they are played
	now    score.Units
	begins []int // written measure of each bar
	total  int
}

// tied is a pitch in a voice.
type tied struct {
	pitch.Note
	voice int
}

// measure plays measure i; onward tells that the one before it on paper was played before.
func (pl *player) measure(i int, onward bool) error {
	m, sc := &pl.measures[i], pl.score
	if n := len(sc.Bars); !m.inside || !onward || pl.now-sc.Bars[n-1]+m.length > pl.full(m.meters[0]) {
		sc.Bars = append(sc.Bars, pl.now)
		pl.begins = append(pl.begins, i)
	}
	for _, x := range m.meters {
		if n := len(sc.Meters); n == 0 || sc.Meters[n-1].Num != x.Num || sc.Meters[n-1].Den != x.Den {
			x.At += pl.now
			sc.Meters = append(sc.Meters, x)
		}
	}
	for _, x := range m.tempos {
		if n := len(sc.Tempos); n == 0 || sc.Tempos[n-1].BPM != x.BPM {
			x.At += pl.now
			sc.Tempos = append(sc.Tempos, x)
		}
	}
	for _, x := range m.chords {
		x.At += pl.now
		sc.Chords = append(sc.Chords, x)
	}
	for p := range pl.parts {
		if i < len(pl.parts[p].bars) {
			if err := pl.notes(p, pl.parts[p].bars[i].notes); err != nil {
				return err
			}
		}
	}
	pl.now += m.length
	return nil
}

// notes adds the notes of one measure of one part.
func (pl *player) notes(p int, notes []written) error {
	for i := range notes {
		n := &notes[i]
		v := slices.Index(pl.parts[p].order, n.voice)
		voice := &pl.voices[p][v]
		at := pl.now + n.At
		key := tied{n.Note.Note, v}
		if from, ok := pl.ties[p][key]; ok && n.tieStop {
			if before := &voice.Notes[from]; before.End() == at {
				before.Dur += n.Dur
				if !n.tieStart {
					delete(pl.ties[p], key)
				}
				continue
			}
		}
		pl.tiedAcross(p, n, key, at)
		if pl.total++; pl.total > score.MaxTotal || len(voice.Notes) >= score.MaxNotes {
			return &score.Fault{Line: n.Place.Line, Column: n.Place.Column,
				Text: fmt.Sprintf("the score has more than %d notes in a voice, or %d in all, with its repeats played out: give a shorter one", score.MaxNotes, score.MaxTotal)}
		}
		out := n.Note
		out.At = at
		if n.letRing {
			out.Marks |= tune.LetRing
		}
		if n.On != nil {
			on := *n.On
			out.On = &on
			if n.bend > 0 {
				if pl.bends == nil {
					pl.bends = map[*score.Spot]float64{}
				}
				pl.bends[out.On] = n.bend
			}
		}
		if n.tieStart {
			pl.ties[p][key] = len(voice.Notes)
		}
		voice.Notes = append(voice.Notes, out)
	}
	return nil
}

// tiedAcross warns of a tie that comes from another voice, where one note cannot go on as another.
func (pl *player) tiedAcross(p int, n *written, key tied, at score.Units) {
	if !n.tieStop {
		return
	}
	for other := range pl.voices[p] {
		from, open := pl.ties[p][tied{key.Note, other}]
		if open && other != key.voice && pl.voices[p][other].Notes[from].End() == at {
			pl.score.Warn(n.Place.Line, n.Place.Column, "%s is tied to it from another voice: read as a new note", key.Note)
			return
		}
	}
}

// finish completes the score.
func (pl *player) finish() (*score.Score, error) {
	sc := pl.score
	sc.Length = pl.now
	if sc.Title == "" {
		sc.Title = pl.credit
	}
	pickup := len(sc.Bars) > 1 && sc.Bars[1] < pl.full(sc.Meters[0])
	sc.Printed = score.Numbers(pl.begins, pickup)
	for p := range pl.parts {
		for key, open := range pl.ties[p] {
			pl.voices[p][key.voice].Notes[open].Marks |= tune.LetRing
		}
		for v := range pl.voices[p] {
			slices.SortStableFunc(pl.voices[p][v].Notes, func(a, b score.Note) int { return cmp.Compare(a.At, b.At) })
		}
		slices.SortStableFunc(pl.voices[p], func(a, b score.Voice) int { return cmp.Compare(a.Number, b.Number) })
		sc.Parts = append(sc.Parts, score.Part{Name: pl.parts[p].name, Voices: pl.voices[p]})
	}
	for _, what := range slices.Sorted(maps.Keys(pl.skipped)) {
		sc.Warn(1, 1, "left out: %d times a %s", pl.skipped[what], what)
	}
	if sc.Count() == 0 && len(sc.Chords) == 0 {
		text := "this score has no pitched notes and no chord symbols"
		if pl.skipped["unpitched note"] > 0 {
			text = "this score only has drums"
		}
		return nil, &score.Fault{Line: 1, Column: 1, Text: text + ": it needs a melody"}
	}
	pl.choose()
	return sc, nil
}

// choose proposes the melody: the first part that says where it is played on a guitar, else the first with
// notes that is no drum; and takes tuning and capo from it.
func (pl *player) choose() {
	sc, best, at := pl.score, -1, 0
	for i, v := range sc.Voices() {
		worth := 0
		switch spotted := slices.ContainsFunc(v.Notes, func(n score.Note) bool { return n.On != nil && n.On.String > 0 }); {
		case len(v.Notes) == 0:
		case v.Drums:
			worth = 1
		case spotted:
			worth = 3
		default:
			worth = 2
		}
		if worth > best {
			best, at = worth, i
		}
	}
	sc.Melody = at
	voices := sc.Voices()
	if len(voices) == 0 {
		return
	}
	p := pl.parts[voices[at].Part]
	sc.Capo = p.capo
	sc.Settle(p.tuning, pl.bends)
}
