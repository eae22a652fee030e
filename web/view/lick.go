package view

import (
	"fmt"

	"stepping/core/lick"
	"stepping/core/play"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// NewLickLine draws a lick as it was played: tablature from its places, with the chords over it.
func NewLickLine(k *lick.Kept) PaperLine {
	l := PaperLine{Left: paperLeft}
	if t, err := tuning.Parse(k.Tuning); err == nil {
		for s := 1; s <= tuning.Strings; s++ {
			l.Strings = append(l.Strings, paperString{paperY(s), t.Note(s).ClassName()})
		}
	}
	x, chord, bar := paperLeft, 0, 0
	length := k.Length() / tune.Time(k.Bars)
	for _, n := range k.Notes {
		for ; bar < k.Bars && n.At >= length*tune.Time(bar); bar++ {
			l.Bars = append(l.Bars, paperBar{X: x})
			x += paperPad
		}
		c := paperCell{X: x + paperCol/2 - 6}
		for ; chord < len(k.Chords) && k.Chords[chord].At <= n.At; chord++ {
			c.Chord = k.Chords[chord].Name
		}
		for _, p := range k.Pins {
			if p.At != n.At {
				continue
			}
			m := paperMark{Y: paperY(p.String), Text: play.FromCapo(p.Fret, k.Capo).String(), Form: "fret", Above: paperSigns[p.How], Glide: p.How == play.Glide}
			switch {
			case p.How.Slid():
				m.Form = "slide"
			case p.How == play.Open:
				m.Form, m.Text = "open", "0"
			}
			m.W = 22 + 9*float64(max(0, len(m.Text)-1))
			c.Marks = append(c.Marks, m)
		}
		l.Cells = append(l.Cells, c)
		x += paperCol
	}
	l.Bars = append(l.Bars, paperBar{X: x})
	l.End, l.Width = x, max(x+2, paperLeast)
	l.Digits = paperY(tuning.Strings) + 32
	l.Count, l.Height = l.Digits, paperY(tuning.Strings)+20
	return l
}

// LickFacts say what a lick is, in a line: "2 bars of 4/4 over D, G7; 7 notes in Open D".
func LickFacts(k *lick.Kept) string {
	over := ""
	for i, c := range k.Chords {
		if i > 0 {
			over += ", "
		}
		over += c.Name
	}
	name := k.Tuning
	if t, err := tuning.Parse(k.Tuning); err == nil {
		name = tuning.Identify(t).String()
	}
	word := "bars"
	if k.Bars == 1 {
		word = "bar"
	}
	return fmt.Sprintf("%d %s of %d/%d over %s; %d notes in %s", k.Bars, word, k.Num, k.Den, over, len(k.Notes), name)
}
