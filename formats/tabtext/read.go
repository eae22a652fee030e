package tabtext

import (
	"io"
	"math"
	"slices"

	"stepping/core/pitch"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/proofread"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Read reads tablature as people type it: a line of dashes for each of 4 to 8 strings, frets on them, several
// systems, with words between. asked is the tuning of the guitar if the text does not say; nil takes the one of
// the header, of the lines' names, or standard.
//
// The rhythm is that of a line of beats (1 & 2 e & a) or lengths (q e e h, dots, 3 for triplets) under or over
// the strings, else of the spacing: a bar's width is its length. Signs: h p hammered and pulled off, / \ s
// slid, b bent (to the number behind it), r released, ~ v shaken, * or <12> a harmonic, x dead, (5) a ghost or
// what goes on sounding, t tapped; <5> is the slide if the header says so, as Write does.
//
// Of the score every note has its place on the neck. Beside it stands the page as it is written, for
// proofreading. Faults are *score.Fault.
func Read(in io.Reader, asked, otherwise *tuning.Tuning) (*score.Score, *proofread.Page, error) {
	text, err := load(in)
	if err != nil {
		return nil, nil, err
	}
	r := &reader{text: text, out: &score.Score{Format: "text tablature", Unit: score.Units(tune.Quarter)}}
	r.look()
	r.readHeader()
	if err := r.findSystems(); err != nil {
		return nil, nil, err
	}
	if err := r.settleTuning(asked, otherwise); err != nil {
		return nil, nil, err
	}
	if !r.head.hasMeter {
		r.head.meter = r.guessMeter()
	}
	for i := range r.systems {
		from := len(r.bars)
		if err := r.cut(i); err != nil {
			return nil, nil, err
		}
		if len(r.bars) > score.MaxBars {
			return nil, nil, fault(r.systems[i].first+1, 1, "there are more than %d bars: give one tune at a time", score.MaxBars)
		}
		for k := from; k < len(r.bars); k++ {
			r.unslip(&r.bars[k])
			r.bars[k].group()
		}
		r.around(i, r.bars[from:])
	}
	r.settleChords()
	if err := r.playOut(); err != nil {
		return nil, nil, err
	}
	return r.out, r.page(), nil
}

// guessMeter takes the most beats that are counted in a bar; 4/4 without a count.
func (r *reader) guessMeter() tune.MeterAt {
	votes := map[int]int{}
	for i := range r.systems {
		for _, k := range append(slices.Clone(r.systems[i].below), r.systems[i].above...) {
			if !isCount(r.text[k]) || len(words(r.text[k])) < 3 {
				continue
			}
			beats := 0
			for _, w := range append(words(r.text[k]), word{0, "1"}) {
				if len(w.text) > 1 || w.text[0] < '1' || w.text[0] > '9' {
					continue
				}
				if n := int(w.text[0] - '0'); n > beats {
					beats = n
				} else {
					votes[beats]++
					beats = n
				}
			}
			break
		}
	}
	best, most := 4, 0
	for beats, n := range votes {
		if beats > 1 && (n > most || n == most && beats > best) {
			best, most = beats, n
		}
	}
	if best == 6 || best == 9 {
		return tune.MeterAt{Num: best, Den: 8}
	}
	return tune.MeterAt{Num: best, Den: 4}
}

// place is where a token's number stands, from 1.
func (r *reader) place(b *bar, t *token) tune.Place {
	return tune.Place{Line: r.lineOf(&r.systems[b.system], t.str) + 1, Column: t.num + 1}
}

// settleChords turns chord symbols that name shapes above the capo, as players write them, into what sounds:
// they do if the notes then fit better.
func (r *reader) settleChords() {
	if r.head.capo == 0 {
		return
	}
	written, shapes := 0, 0
	var over *chordWord
	for i := range r.bars {
		b := &r.bars[i]
		next := 0
		for k := range b.columns {
			for next < len(b.chords) && b.chords[next].time <= b.columns[k].time {
				over = &b.chords[next]
				next++
			}
			if over == nil {
				continue
			}
			for _, at := range b.columns[k].tokens {
				p := r.pitchOf(&b.tokens[at]).Pitch()
				if over.chord.Has(p) {
					written++
				}
				if over.chord.Has(p - pitch.Midi(r.head.capo)) {
					shapes++
				}
			}
		}
	}
	if shapes <= written {
		return
	}
	for i := range r.bars {
		for k := range r.bars[i].chords {
			c := &r.bars[i].chords[k]
			c.chord = c.chord.Transposed(r.head.capo, c.chord.Root.Alter < 0)
		}
	}
}

// playOut plays the bars in order.
func (r *reader) playOut() error {
	sc := r.out
	sc.Title, sc.Capo, sc.Tuning, sc.Swing = r.head.title, r.head.capo, &r.tuning, r.head.swing
	signs := make([]score.Signs, len(r.bars))
	for i := range r.bars {
		signs[i] = r.bars[i].signs
	}
	order, ok := score.Unroll(signs)
	if !ok || len(order) > score.MaxBars {
		return fault(1, 1, "with its repeats the tune has more than %d bars", score.MaxBars)
	}
	if r.head.tempo > 0 {
		sc.Tempos = []score.Tempo{{BPM: r.head.tempo}}
	}
	voice := score.Voice{Name: "all strings"}
	now, dead := score.Units(0), 0
	for _, i := range order {
		b := &r.bars[i]
		sc.Bars = append(sc.Bars, now)
		m := score.Meter{At: now, Num: b.meter.Num, Den: b.meter.Den}
		if n := len(sc.Meters); n == 0 || sc.Meters[n-1].Num != m.Num || sc.Meters[n-1].Den != m.Den {
			sc.Meters = append(sc.Meters, m)
		}
		for _, c := range b.chords {
			at := now + score.Units(c.time)
			if n := len(sc.Chords); n == 0 || sc.Chords[n-1].At < at {
				sc.Chords = append(sc.Chords, score.Chord{At: at, Chord: c.chord})
			}
		}
		dead += r.notes(&voice, b, now)
		if now += score.Units(b.length); len(voice.Notes) > score.MaxNotes {
			return fault(r.systems[b.system].first+1, 1, "the tune has more than 4,000 notes with its repeats played out: give a shorter one")
		}
	}
	sc.Length = now
	sc.Printed = score.Numbers(order, len(sc.Bars) > 1 && sc.Bars[1] < score.Units(r.bars[0].meter.Bar()))
	if len(voice.Notes) == 0 {
		return fault(r.systems[0].first+1, 1, "there are no notes on these strings: write frets on them, like --0--2--3--")
	}
	if dead > 0 {
		sc.Warn(r.systems[0].first+1, 1, "dead notes (x) have no pitch and are left out: %d", dead)
	}
	sc.Parts = []score.Part{{Name: "guitar", Voices: []score.Voice{voice}}}
	for i := range voice.Notes {
		if on := voice.Notes[i].On; on.How == "" && on.Fret == float64(sc.Capo) {
			on.How = play.Open
		}
	}
	return nil
}

// pitchOf is what a token sounds.
func (r *reader) pitchOf(t *token) pitch.Note {
	open := r.tuning.Open(t.str) + pitch.Midi(r.head.capo)
	if t.how == play.Harmonic {
		node, _ := play.NodeAt(t.fret)
		return pitch.Spell(open+pitch.Midi(int(math.Round(node.Cents/100))), false)
	}
	return pitch.Spell(open+pitch.Pitch(math.Round(t.fret*100)), false)
}

// extend lets the notes that a tied column names sound on; false if they do not sound.
func (r *reader) extend(voice *score.Voice, b *bar, c *stack, end score.Units) bool {
	for _, k := range c.tokens {
		t, found := &b.tokens[k], false
		for i := len(voice.Notes) - 1; i >= 0 && i > len(voice.Notes)-8; i-- {
			n := &voice.Notes[i]
			if n.On.String == t.str {
				if found = n.On.Fret == t.fret+float64(r.head.capo); found {
					n.Dur = end - n.At
				}
				break
			}
		}
		if !found {
			return false
		}
	}
	return true
}

// page is the tablature for proofreading.
func (r *reader) page() *proofread.Page {
	out := &proofread.Page{Tuning: r.tuning, Capo: r.head.capo, Tempo: r.head.tempo, Player: player.Default(), Blues: r.head.blues}
	if out.Tempo == 0 {
		out.Tempo = score.DefaultTempo
	}
	for i := range r.bars {
		b := &r.bars[i]
		s := &r.systems[b.system]
		pb := proofread.Bar{Place: tune.Place{Line: r.lineOf(s, 1) + 1, Column: b.from[0] + 1}, Meter: b.meter, Length: b.length, Written: b.written,
			Again: b.signs.Again > 0 || b.signs.Start > 0 || b.section || len(b.signs.Endings) > 0, Width: b.width()}
		for _, c := range b.chords {
			pb.Chords = append(pb.Chords, proofread.Chord{At: c.time, Chord: c.chord,
				Place: tune.Place{Line: c.line + 1, Column: c.at + 1}, Text: c.text})
		}
		for k := range b.columns {
			c := &b.columns[k]
			end := b.length
			if k+1 < len(b.columns) {
				end = b.columns[k+1].time
			}
			for str := 1; str <= r.strings; str++ {
				pb.Blank = append(pb.Blank, proofread.Blank{At: c.time, String: str,
					Place: tune.Place{Line: r.lineOf(s, str) + 1, Column: b.from[str-1] + c.at + 1}})
			}
			for _, at := range c.tokens {
				t := &b.tokens[at]
				pb.Notes = append(pb.Notes, proofread.Note{Place: r.place(b, t),
					Text: string(s.lines[t.str-1][t.num : t.num+t.width]), At: c.time, Dur: end - c.time,
					String: t.str, Fret: t.fret, How: t.how, Digit: t.digit, Dead: t.dead, Tied: t.tied, Second: t.second})
			}
		}
		out.Bars = append(out.Bars, pb)
	}
	return out
}

// notes adds the notes of a bar, each lasting to the next column or the bar's end; it returns how many dead ones are left out.
func (r *reader) notes(voice *score.Voice, b *bar, now score.Units) (dead int) {
	for i := range b.columns {
		c := &b.columns[i]
		end := b.length
		if i+1 < len(b.columns) {
			end = b.columns[i+1].time
		}
		if c.tied && r.extend(voice, b, c, now+score.Units(end)) {
			continue
		}
		for _, k := range c.tokens {
			t := &b.tokens[k]
			if t.dead {
				dead++
				continue
			}
			on := &score.Spot{String: t.str, Fret: t.fret + float64(r.head.capo), How: t.how, Digit: t.digit}
			voice.Notes = append(voice.Notes, score.Note{At: now + score.Units(c.time), Dur: score.Units(end - c.time),
				Note: r.pitchOf(t), Place: r.place(b, t), Marks: t.marks, On: on})
		}
	}
	return dead
}
