package view

import (
	"fmt"
	"math"

	"stepping/core/neck"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
)

// Neck is the neck around the hand, true to scale, with what lies on it; string 1 on
// top. Lengths are drawing units, neckScale to the millimetre.
type Neck struct {
	Width, Height float64
	Labels        float64 // width of what stands next to the neck
	Frets         []FretLine
	Strings       []neckString
	Slide         *slideView
	Trailing      *boxView
	Fingers       []fingerView
	Stays         []fingerView // that do not press
	Ghost         *ghostView   // where the melody goes next
	Capo          *boxView
	Beyond        *beyondView // the next place lies outside the picture
	Window        string      // "±1.2 mm" under the slide
	Locator       locator
}

type FretLine struct {
	X, Y1, Y2 float64
	Number    string
	Nut       bool
}

type neckString struct {
	Number         int
	Y1, Y2, Weight float64
	State          string
	Label          string // what it does, in a word or two
	LabelY         float64
	Note           string
}

// beyondView says what comes next and where an arrow points to it: towards the nut or the body.
type beyondView struct {
	Text  string
	X     float64 // of the text
	Arrow string  // path
}

// beyondY is the height of the arrow.
const beyondY = 16.0

type slideView struct{ X, Y, W, H, Wire float64 }

type boxView struct{ X, Y, W, H float64 }

type fingerView struct {
	X, Y float64
	Name string
}

type ghostView struct {
	X, Y  float64
	Text  string
	Shape string
}

// locator is the whole neck small, with the part shown.
type locator struct {
	Frets []float64 // x in percent
	X, W  float64   // percent
}

const (
	neckScale  = 4.2 // units a millimetre
	neckWindow = 150 // mm of neck shown
	neckLabels = 172.0
	neckTop    = 32.0
	neckBelow  = 30.0
	tubeWidth  = 20.0 // mm along the neck, of a common tube
	trailBack  = 26.0 // mm behind the slide where fingers trail
	// A fingertip lies this share of the fret gap behind the wire.
	fingerBack = 0.3
)

type neckFrame struct {
	k    neck.Neck
	left float64 // mm from the nut at the picture's left edge
	capo int
}

func (f *neckFrame) x(mm float64) float64 { return (mm - f.left) * neckScale }

// y is the height of string s at mm: the strings spread toward the bridge.
func (f *neckFrame) y(s int, mm float64) float64 {
	spread := f.k.Nut + (f.k.Bridge-f.k.Nut)*mm/f.k.Scale
	widest := f.k.Nut + (f.k.Bridge-f.k.Nut)*0.72
	return neckTop + ((widest-spread)/2+spread*float64(s-1)/5)*neckScale
}

// NewNeck draws moment m.
func NewNeck(p *plan.Plan, m int) Neck {
	mo := &p.Moments[m]
	f := neckFrame{k: p.Request.Player.Neck(), capo: p.Request.Capo}
	here, has := handMM(&f, mo)
	next := nextMelody(p, m)
	if !has && next != nil {
		here = f.k.X(next.Fret)
	}
	f.left = math.Max(here-neckWindow*0.55, -12)
	v := Neck{Labels: neckLabels, Width: neckWindow * neckScale, Height: f.y(6, f.k.Scale*0.72) + neckBelow}
	f.drawFrets(&v, p.Request.Player)
	f.drawStrings(&v, mo)
	f.drawHand(&v, mo, p.Request.Player)
	f.drawNext(&v, next)
	f.locate(&v, p.Request.Player.Instrument.Frets)
	return v
}

// handMM is where the left hand is, mm from the nut.
func handMM(f *neckFrame, mo *play.Moment) (mm float64, has bool) {
	if mo.Hand.SlideOn {
		return f.k.X(mo.Hand.SlideFret), true
	}
	for _, fg := range mo.Hand.Fingers {
		return f.k.X(float64(fg.Fret)), true
	}
	return 0, false
}

func nextMelody(p *plan.Plan, m int) *play.Stroke {
	for t := m + 1; t < len(p.Moments) && t <= m+4; t++ {
		if s := p.Moments[t].Melody; s != nil {
			return s
		}
	}
	return nil
}

func (f *neckFrame) drawFrets(v *Neck, pl player.Profile) {
	for n := 0; n <= pl.Instrument.Frets; n++ {
		mm := f.k.X(float64(n))
		if x := f.x(mm); x > -1 && x < v.Width-4 {
			label := ""
			if n > f.capo {
				label = fmt.Sprint(n - f.capo)
			}
			v.Frets = append(v.Frets, FretLine{x, f.y(1, mm) - 12, f.y(6, mm) + 12, label, n == 0})
		}
	}
	if f.capo > 0 {
		mm := f.k.X(float64(f.capo))
		if x := f.x(mm - 8); x > -40 && x < v.Width {
			v.Capo = &boxView{x, f.y(1, mm) - 16, 7 * neckScale, f.y(6, mm) - f.y(1, mm) + 32}
		}
	}
}

func (f *neckFrame) drawStrings(v *Neck, mo *play.Moment) {
	right := f.left + neckWindow
	for i, st := range mo.Strings {
		s := i + 1
		v.Strings = append(v.Strings, neckString{
			Number: s, Y1: f.y(s, math.Max(f.left, 0)), Y2: f.y(s, right), Weight: 1.2 + 0.55*float64(i),
			State: string(st.State), Label: stateLabel(mo, s), LabelY: f.y(s, right), Note: st.Note,
		})
	}
}

// stateLabel says what a string does and who does it.
func stateLabel(mo *play.Moment, s int) string {
	st := mo.Strings[s-1]
	switch st.State {
	case play.Struck:
		for d, name := range play.Digits {
			if mo.Digits[d] == s {
				return string(name) + " plays"
			}
		}
		return "plays"
	case play.Rings:
		return "rings on"
	case play.Silenced:
		if digit, ok := st.By.Digit(); ok && st.Rests {
			return string(digit) + " rests"
		}
		return string(st.By) + " stops"
	case play.Leaks:
		return fmt.Sprintf("RINGS ON %.0f dB", st.DB)
	}
	return "still"
}

func (f *neckFrame) drawHand(v *Neck, mo *play.Moment, pl player.Profile) {
	if h := mo.Hand; h.SlideOn {
		mm := f.k.X(h.SlideFret)
		tip := f.y(h.Covers, mm) + 0.45*f.k.Spacing(h.SlideFret)*neckScale
		top := math.Max(tip-pl.Slide.LengthMM*neckScale, 2)
		v.Slide = &slideView{f.x(mm) - tubeWidth/2*neckScale, top, tubeWidth * neckScale, tip - top, f.x(mm)}
		v.Window = fmt.Sprintf("±%.1f mm", f.k.Window(h.SlideFret)/2)
		if h.Trails > 0 {
			back := mm - trailBack
			y := f.y(1, back) - 8
			v.Trailing = &boxView{f.x(back) - 7*neckScale, y, 12 * neckScale, f.y(h.Trails, back) + 8 - y}
		}
	}
	for _, fg := range mo.Hand.Fingers {
		v.Fingers = append(v.Fingers, f.finger(&fg))
	}
	for _, fg := range mo.Hand.Stays {
		v.Stays = append(v.Stays, f.finger(&fg))
	}
}

func (f *neckFrame) finger(at *play.FingerAt) fingerView {
	return fingerView{f.fingerX(float64(at.Fret)), f.y(at.String, f.k.X(float64(at.Fret))), at.Finger}
}

func (f *neckFrame) fingerX(fret float64) float64 {
	wire := f.k.X(fret)
	return f.x(wire - fingerBack*(wire-f.k.X(fret-1)))
}

func (f *neckFrame) drawNext(v *Neck, next *play.Stroke) {
	if next == nil || next.How == play.Open {
		return
	}
	mm := f.k.X(next.Fret)
	x := f.x(mm)
	if shapeOf(next.How) == "fret" {
		x = f.fingerX(next.Fret)
	}
	text := play.FromCapo(next.Fret, f.capo).String()
	switch {
	case x < 20:
		v.Beyond = &beyondView{"next: " + text, 24, fmt.Sprintf("M6 %v l12 -7 v14 z", beyondY)}
	case x > v.Width-20:
		v.Beyond = &beyondView{"next: " + text, v.Width - 24, fmt.Sprintf("M%v %v l-12 -7 v14 z", v.Width-6, beyondY)}
	default:
		v.Ghost = &ghostView{x, f.y(next.String, mm), text, shapeOf(next.How)}
	}
}

func (f *neckFrame) locate(v *Neck, frets int) {
	whole := f.k.X(float64(frets + 2))
	for n := 0; n <= frets; n++ {
		v.Locator.Frets = append(v.Locator.Frets, 100*f.k.X(float64(n))/whole)
	}
	from, to := math.Max(f.left, 0), math.Min(f.left+neckWindow, whole)
	v.Locator.X, v.Locator.W = 100*from/whole, 100*(to-from)/whole
}
