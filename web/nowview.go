package web

import (
	"context"
	"fmt"
	"strconv"

	"stepping/core/plan"
	"stepping/formats/plandoc"
)

// nowView is everything about the moment at the cursor.
type nowView struct {
	ID       string
	Version  int
	Moment   int
	Bar      int
	Beat     string
	Chord    string
	Melody   *strokeView
	Held     string // a melody note that sounds on
	Thumb    *strokeView
	Together string // "together", "thumb alone", "melody alone"
	Next     string
	NextMove string
	Neck     neckView
	Strings  []stringView // what each does, in words
	Why      []string
	Places   []placeGroup
	Changed  bool
}

// strokeView is one stroke written large.
type strokeView struct {
	Big    string // fret from the capo, or "open"
	How    string // slide, fretted, open
	Shape  string // class of its mark
	String int
	Digit  string
	Finger string
	From   string // "from 4": where a glide, bend, hammer or pull begins
	Note   string
	Pinned bool
}

// placeGroup is the list of other places for one stroke.
type placeGroup struct {
	Part   string
	Title  string
	At     string
	Pinned bool
	Places []placeView
}

// placeView is one place with its price.
type placeView struct {
	Key            int // 1 … 9 sets it from the keyboard, 0 has no key
	Text           string
	Extra          string
	Why            string
	Chosen         bool
	String         int
	Fret, How, Pin string
}

var digitWords = map[string]string{"p": "thumb", "i": "index", "m": "middle", "a": "ring"}

var howWords = map[plan.How]string{
	plan.Open: "open", plan.Fret: "fretted", plan.Slide: "slide", plan.Glide: "glide", plan.Hammer: "hammer on", plan.Pull: "pull off",
	plan.Bend: "bend", plan.Harmonic: "harmonic", plan.Tapped: "tap",
}

// shapes are the forms in which techniques are drawn: under the slide, fretted, open.
var shapes = map[plan.How]string{
	plan.Open: "open", plan.Harmonic: "open", plan.Slide: "slide", plan.Glide: "slide",
}

func shapeOf(h plan.How) string {
	if s, ok := shapes[h]; ok {
		return s
	}
	return "fret"
}

func newStroke(p *plan.Plan, s *plan.Stroke) *strokeView {
	if s == nil {
		return nil
	}
	v := &strokeView{
		Big: plan.FretText(s.Fret - float64(p.Request.Capo)), How: howWords[s.How], Shape: shapeOf(s.How), String: s.String,
		Digit: s.Digit, Note: noteText(s), Pinned: s.Pinned,
	}
	if s.How == plan.Open {
		v.Big = "open"
	}
	switch {
	case s.Finger == "T":
		v.Finger = "thumb over the neck"
	case s.Finger != "" && s.Finger != "S":
		v.Finger = "finger " + s.Finger
	}
	if s.From != s.Fret {
		v.From = "from " + plan.FretText(s.From-float64(p.Request.Capo))
	}
	if s.Digit == "" {
		v.Digit = "no stroke"
	}
	return v
}

func noteText(s *plan.Stroke) string {
	if s.Note.Cents != 0 {
		return fmt.Sprintf("%s %+d cents", s.Note, s.Note.Cents)
	}
	return s.Note.String()
}

// newNow makes the view of moment m. The caller holds w.mu.
func newNow(b *planBody, w *worked, m int) nowView {
	p := w.plan
	mo := &p.Moments[m]
	v := nowView{
		ID: b.ID, Version: b.Version, Moment: m, Bar: mo.Bar, Beat: plandoc.Beat(mo.Beat), Chord: mo.Chord.Name,
		Strings: newStrings(mo), Melody: newStroke(p, mo.Melody), Thumb: newStroke(p, mo.Thumb), Neck: newNeck(p, m), Changed: w.changed[m],
	}
	switch {
	case mo.Melody != nil && mo.Thumb != nil:
		v.Together = "together"
	case mo.Melody != nil:
		v.Together = "melody alone"
	case mo.Thumb != nil:
		v.Together = "thumb alone"
	}
	if h := mo.Held; h != nil {
		v.Held = fmt.Sprintf("string %d sounds on, %s", h.String, howWords[h.How])
		if h.How != plan.Open {
			v.Held += " " + plan.FretText(h.Fret-float64(p.Request.Capo))
		}
	}
	v.Next, v.NextMove = nextText(p, m)
	return v
}

// addReasons fills in why the moment is played so, and its other places. The caller holds
// w.mu.
func (v *nowView) addReasons(ctx context.Context, w *worked) error {
	r, ok := w.reasons[v.Moment]
	if !ok {
		var err error
		if r, err = newReasons(ctx, w, v.Moment); err != nil {
			return err
		}
		w.reasons[v.Moment] = r
	}
	v.Why, v.Places = r.why, r.places
	return nil
}

func newReasons(ctx context.Context, w *worked, m int) (r reasons, err error) {
	if r.why, err = w.plan.Why(ctx, m); err != nil {
		return r, err
	}
	for _, part := range []plan.Part{plan.Melody, plan.Thumb} {
		g, err := newPlaces(ctx, w, m, part)
		if err != nil {
			return r, err
		}
		if g != nil {
			r.places = append(r.places, *g)
		}
	}
	numberKeys(r.places)
	return r, nil
}

// stringView is what one string does, in words.
type stringView struct {
	Number       int
	State, Label string
}

func newStrings(mo *plan.Moment) []stringView {
	var out []stringView
	for s, st := range mo.Strings {
		out = append(out, stringView{s + 1, string(st.State), stateLabel(mo, s+1)})
	}
	return out
}

// numberKeys gives the first nine places that are not taken a key.
func numberKeys(groups []placeGroup) {
	key := 1
	for g := range groups {
		for i := range groups[g].Places {
			pl := &groups[g].Places[i]
			if !pl.Chosen && key <= 9 {
				pl.Key = key
				key++
			}
		}
	}
}

// nextText says what comes after moment m and how long it is until then.
func nextText(p *plan.Plan, m int) (text, move string) {
	if m+1 >= len(p.Moments) {
		return "the end", ""
	}
	next := &p.Moments[m+1]
	wait := fmt.Sprintf("in %.2f s", next.Seconds-p.Moments[m].Seconds)
	switch s := next.Melody; {
	case s == nil && next.Thumb != nil:
		return fmt.Sprintf("thumb on string %d", next.Thumb.String), wait
	case s == nil:
		return "thumb rests", wait
	case s.How == plan.Open:
		return fmt.Sprintf("string %d open", s.String), wait
	default:
		return fmt.Sprintf("string %d, %s %s", s.String, howWords[s.How], plan.FretText(s.Fret-float64(p.Request.Capo))), wait + p.MoveText(m+1)
	}
}

func newPlaces(ctx context.Context, w *worked, m int, part plan.Part) (*placeGroup, error) {
	alts, err := w.plan.Alternatives(ctx, m, part)
	if err != nil || len(alts) == 0 {
		return nil, err
	}
	mo := &w.plan.Moments[m]
	g := &placeGroup{Part: string(part), At: mo.At.String(), Pinned: w.plan.Pinned(mo.At, part, 0)}
	g.Title = "The melody note"
	if part == plan.Thumb {
		g.Title = "The thumb (" + mo.Stroke + ")"
	}
	for i := range alts {
		a := &alts[i]
		g.Places = append(g.Places, placeView{
			Text: w.plan.AlternativeText(a), Extra: fmt.Sprintf("%+.2f", a.Extra), Why: a.Why, Chosen: a.Chosen,
			String: a.String, Fret: strconv.FormatFloat(a.Fret, 'f', -1, 64), How: string(a.How),
		})
	}
	return g, nil
}
