package tune

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Swing limits: the share of a quarter note that the first of two eighths takes.
const (
	Straight  = 0.5
	MostSwing = 0.75 // 3:1
)

// Swung is the tune with the eighths in pairs so that the first takes share of the quarter, Straight to
// MostSwing; 0 keeps what the tune has.
func (tu *Tune) Swung(share float64) *Tune {
	if share == 0 || share == tu.Swing {
		return tu
	}
	out := *tu
	out.Swing = share
	return &out
}

// swings reports whether eighths are swung at t: in meters that count quarters or halves.
func (tu *Tune) swings(t Time) bool {
	return tu.Swing > Straight && tu.MeterOver(t).Den <= 4
}

// played is the time in quarter notes at which what is written at t is played. Quarters stay where they are;
// the second eighth comes when the first has had its share, and what is finer divides each of the two. A
// quarter that holds notes written in thirds is played as it is written: such are no eighths.
func (tu *Tune) played(t Time, thirds map[Time]bool) float64 {
	if !tu.swings(t) {
		return t.Quarters()
	}
	_, since := tu.Position(t)
	in := since % Quarter
	if thirds[t-in] {
		return t.Quarters()
	}
	x, second := in.Quarters(), 0.5
	if x < second {
		return (t - in).Quarters() + x/second*tu.Swing
	}
	return (t - in).Quarters() + tu.Swing + (x-second)/(1-second)*(1-tu.Swing)
}

// Played returns the time, in quarter notes of an even beat, at which what is written at a time is played.
func (tu *Tune) Played() func(Time) float64 {
	if tu.Swing <= Straight {
		return Time.Quarters
	}
	thirds := tu.thirds()
	return func(t Time) float64 { return tu.played(t, thirds) }
}

// thirds are the beginnings of the quarters in which melody or bass is written in thirds.
func (tu *Tune) thirds() map[Time]bool {
	out := map[Time]bool{}
	for _, n := range slices.Concat(tu.Notes, tu.Bass) {
		at := n.At
		if _, since := tu.Position(at); since%(Quarter/32) != 0 {
			out[at-since%Quarter] = true
		}
	}
	return out
}

// ParseSwing reads "straight", "swing", a ratio like "2:1", or a share like "0.6". The error says what may be written.
func ParseSwing(text string) (share float64, err error) {
	text = strings.ToLower(strings.TrimSpace(text))
	first, second, ratio := strings.Cut(text, ":")
	switch {
	case text == "straight":
		return Straight, nil
	case text == "swing" || text == "shuffle":
		return 2.0 / 3, nil
	case ratio:
		a, err1 := strconv.ParseFloat(strings.TrimSpace(first), 64)
		b, err2 := strconv.ParseFloat(strings.TrimSpace(second), 64)
		if err1 == nil && err2 == nil && b > 0 {
			share = a / (a + b)
		}
	default:
		share, _ = strconv.ParseFloat(text, 64) // what is none is 0, and refused
	}
	if !(share >= Straight && share <= MostSwing+1e-9) {
		return 0, fmt.Errorf("swing %q: write straight, a ratio from 1:1 to 3:1 like 2:1, or a share from 0.5 to 0.75", text)
	}
	return share, nil
}

// SwingText writes a share for people: "straight", "2:1", "3:2", else the share.
func SwingText(share float64) string {
	if share <= Straight {
		return "straight"
	}
	for _, r := range [][2]int{{2, 1}, {3, 2}, {3, 1}, {5, 3}, {4, 3}} {
		if math.Abs(share-float64(r[0])/float64(r[0]+r[1])) < 0.0005 {
			return fmt.Sprintf("%d:%d", r[0], r[1])
		}
	}
	return strconv.FormatFloat(math.Round(share*1000)/1000, 'g', -1, 64)
}

// A tune is written in dotted pairs if so many of its quarters are a dotted eighth and a sixteenth, and at most one in so many are two eighths.
const (
	leastDotted = 6
	fewStraight = 4
)

// Undotted returns a tune that is written in dotted pairs as swung eighths, 2:1, as players mean it, and what became of a time. ok is false,
// and nothing is changed, if it is not written so.
func (tu *Tune) Undotted() (out *Tune, moved func(Time) Time, ok bool) {
	seen := map[Time]uint8{} // by quarter, the sixteenths at which something begins; 1<<4 for any other time
	quarter := func(t Time) (from, in Time) {
		_, since := tu.Position(t)
		in = since % Quarter
		return t - in, in
	}
	for _, n := range slices.Concat(tu.Notes, tu.Bass) {
		from, in := quarter(n.At)
		k := 4
		if in%(Quarter/4) == 0 {
			k = int(in / (Quarter / 4))
		}
		seen[from] |= 1 << k
	}
	dotted, straight := 0, 0
	for from, at := range seen {
		switch {
		case tu.MeterOver(from).Den > 4:
		case at&^1 == 1<<3:
			dotted++
		case at&(1<<2) != 0:
			straight++
		}
	}
	if dotted < leastDotted || dotted < fewStraight*straight || tu.Swing > Straight {
		return tu, nil, false
	}
	moved = func(t Time) Time {
		if from, in := quarter(t); in == 3*Quarter/4 && seen[from]&^1 == 1<<3 && tu.MeterOver(from).Den <= 4 {
			return from + Quarter/2
		}
		return t
	}
	copied := *tu
	move := func(line []Note) []Note {
		line = slices.Clone(line)
		for i := range line {
			end := moved(line[i].End())
			line[i].At = moved(line[i].At)
			line[i].Dur = end - line[i].At
		}
		return line
	}
	copied.Notes, copied.Bass, copied.Swing = move(tu.Notes), move(tu.Bass), 2.0/3
	return &copied, moved, true
}
