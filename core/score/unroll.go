package score

import (
	"slices"

	"stepping/core/tune"
)

// Signs are the repeat signs and jumps at the two ends of a written bar, or of a part of one.
type Signs struct {
	Start   int   // at its beginning: a repeat begins, played so often; 0 if none begins
	Endings []int // at its beginning: an ending for these passes

	Segno, Coda bool // marks at its beginning

	Again int  // at its end: the repeat goes back, played so often in all; 0 if there is no sign
	Close bool // at its end: a running ending is over, and with it its repeat if it was the last
	Keep  bool // after a jump the repeat is played again

	ToCoda, Fine     bool // at its end, on the pass after a jump
	DaCapo, DalSegno bool // at its end: jump
}

// maxPlayed bounds how often written bars are played: repeats cannot nest, so music never comes near.
const maxPlayed = 16 * MaxBars

// Unroll returns the written bars in the order in which they are played. A repeat goes back to its beginning,
// or to the end of the one before. Endings are played on their passes, and a repeat is played as often as its
// endings ask. After D.C. or D.S. repeats are played once, with the last ending. ok is false if the order does
// not come to an end.
func Unroll(bars []Signs) (order []int, ok bool) {
	w := walk{bars: bars, pass: 1, total: passes(bars, 0)}
	for w.at < len(bars) {
		if len(order) > maxPlayed {
			return nil, false
		}
		if w.skip() {
			continue
		}
		order = append(order, w.at)
		w.onward()
	}
	return order, true
}

// walk is where the playing is.
type walk struct {
	bars        []Signs
	at          int
	start       int // where the running repeat begins
	pass, total int // of the running repeat
	ending      bool
	jumped      bool
}

// begin opens a repeat at bar i.
func (w *walk) begin(i int) {
	w.start, w.pass, w.total, w.ending = i, 1, passes(w.bars, i), false
	if w.jumped && !w.keeps(i) {
		w.pass = w.total
	}
}

// keeps reports whether the repeat that begins at bar i is played after a jump too.
func (w *walk) keeps(i int) bool {
	for ; i < len(w.bars); i++ {
		if w.bars[i].Again > 0 {
			return w.bars[i].Keep
		}
	}
	return false
}

// skip looks at the beginning of the bar; it reports whether playing goes on elsewhere.
func (w *walk) skip() bool {
	b := &w.bars[w.at]
	if b.Start > 0 && w.start != w.at {
		w.begin(w.at)
	}
	if len(b.Endings) == 0 {
		return false
	}
	if slices.Contains(b.Endings, w.pass) {
		w.ending = true
		return false
	}
	for w.at++; w.at < len(w.bars); w.at++ {
		before := &w.bars[w.at-1]
		if before.Again > 0 || before.Close || len(w.bars[w.at].Endings) > 0 || w.bars[w.at].Start > 0 {
			break
		}
	}
	return true
}

// onward moves past the bar that was played.
func (w *walk) onward() {
	b := &w.bars[w.at]
	if w.jumped && b.Fine {
		w.at = len(w.bars)
		return
	}
	if w.jumped && b.ToCoda {
		if coda := w.find(w.at+1, func(s *Signs) bool { return s.Coda }); coda >= 0 {
			w.at = coda
			w.begin(coda)
			return
		}
	}
	if b.Again > 0 && w.pass < w.total {
		w.pass, w.ending, w.at = w.pass+1, false, w.start
		return
	}
	w.at++
	if b.Again > 0 || b.Close && w.ending && w.pass >= w.total {
		w.begin(w.at)
	}
	if (b.DaCapo || b.DalSegno) && !w.jumped {
		w.jumped, w.at = true, 0
		if b.DalSegno {
			w.at = max(0, w.find(0, func(s *Signs) bool { return s.Segno }))
		}
		w.begin(w.at)
	}
}

func (w *walk) find(from int, is func(*Signs) bool) int {
	for i := from; i < len(w.bars); i++ {
		if is(&w.bars[i]) {
			return i
		}
	}
	return -1
}

// passes is how often the repeat from bar start is played: what its signs and endings ask, 1 if none follows.
func passes(bars []Signs, start int) int {
	n := 0
	for i := start; i < len(bars); i++ {
		b := &bars[i]
		if i > start && b.Start > 0 {
			break
		}
		if i == start {
			n = max(n, b.Start)
		}
		for _, e := range b.Endings {
			n = max(n, e)
		}
		n = max(n, b.Again)
		if b.Again > 0 && (i+1 == len(bars) || len(bars[i+1].Endings) == 0) {
			break
		}
	}
	return max(n, 1)
}

// Numbers says how bars are printed: order is the written bar of each bar played, from 0 and ascending as they stand on paper.
// Bars that stand once are numbered in their order, a pickup 0. It returns nil if that is what numbering from 1 gives anyway.
func Numbers(order []int, pickup bool) []tune.Printed {
	written := slices.Clone(order)
	slices.Sort(written)
	written = slices.Compact(written)
	if len(written) == len(order) && slices.IsSorted(order) && !pickup {
		return nil
	}
	passes := map[int]int{}
	out := make([]tune.Printed, 0, len(order))
	for _, bar := range order {
		at, _ := slices.BinarySearch(written, bar)
		if !pickup {
			at++
		}
		passes[bar]++
		out = append(out, tune.Printed{Number: at, Pass: passes[bar]})
	}
	return out
}
