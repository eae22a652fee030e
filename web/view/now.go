package view

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/tune"
)

// Now is everything about the moment at the cursor.
type Now struct {
	ID      string
	Version int
	Moment  int
	Bar     tune.Printed
	Beat    string
	Chord   string
	Melody  *strokeView
	Marks   []string // how the note is to be played, as the tune says
	Sung    string
	Held    string // a melody note that sounds on
	Hit     string // percussion at this moment
	HitText string // what does it, or why it is left out
	Mute    string // how the palm mutes the thumb's note
	// ThumbName is the thumb and what its note is for; without a note what it does instead.
	ThumbName string
	Thumb     *strokeView
	Together  string // "together", "thumb alone", "melody alone"
	Next      string
	NextMove  string
	NextTime  string // how long the hand has for it and needs, for who wants figures
	Neck      Neck
	With      []*strokeView // lower voices of the melody
	Behind    string        // which fingers lie behind the slide, and which are stranded before it
	Front     []frontView   // string 6 first: which part of which hand touches it
	Strum     []strumView
	Choices   []choiceView
	Why       []string
	Places    []PlaceGroup
	Dampers   []PlaceGroup
	Changed   bool
	LeftOut   []string // pins for this moment that cannot be played, and why
	Spoken    string   // the moment in one sentence, for who hears the page
	Because   string   // why, in half a sentence without figures
	Terms     []termView
	Remarks   []string // of the teacher, at its bar
	Others    int      // other places for its strokes
	Quieter   int      // other ways to keep its strings quiet
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

// PlaceGroup is the list of other places for one stroke.
type PlaceGroup struct {
	Part   string
	Title  string
	At     string
	Pinned bool
	Pin    string // JSON of a pin for the same thing
	Places []placeView
	Rest   []placeView // dearer ones, folded away
}

// placeView is one place with its price.
type placeView struct {
	Key    int // 1 … 9 sets it from the keyboard, 0 has no key
	Text   string
	Extra  string // what it would be in words, as against the one that is played
	Price  string // the same as a figure, "" for one that is as good
	Plain  string // what it would bring
	Why    string // the same with figures
	Chosen bool
	Pin    string // JSON
	Hear   string // query of how it sounds, "" for what is no note
}

// hearPin is the query of a sound of moment m with a note at another place.
func hearPin(m int, pin *play.Pin) string {
	if pin.Part == play.Damped || pin.String == 0 {
		return ""
	}
	return url.Values{"moment": {strconv.Itoa(m)}, "pin": {PinJSON(pin)}}.Encode()
}

var digitWords = map[play.Digit]string{play.P: "thumb", play.I: "index", play.M: "middle", play.A: "ring"}

var howWords = map[play.How]string{
	play.Open: "open", play.Fret: "fretted", play.Slide: "slide", play.Glide: "glide", play.Hammer: "hammer on", play.Pull: "pull off",
	play.Bend: "bend", play.Harmonic: "harmonic", play.Tapped: "tap",
}

// shapes are the forms in which techniques are drawn: under the slide, fretted, open.
var shapes = map[play.How]string{
	play.Open: "open", play.Harmonic: "open", play.Slide: "slide", play.Glide: "slide",
}

func shapeOf(h play.How) string {
	if s, ok := shapes[h]; ok {
		return s
	}
	return "fret"
}

func newStroke(p *plan.Plan, s *play.Stroke) *strokeView {
	if s == nil {
		return nil
	}
	v := &strokeView{
		Big: play.FromCapo(s.Fret, p.Request.Capo).String(), How: howWords[s.How], Shape: shapeOf(s.How), String: s.String,
		Digit: string(s.Digit), Note: noteText(s), Pinned: s.Pinned,
	}
	if s.How == play.Open {
		v.Big = "open"
	}
	switch {
	case s.Finger == "T":
		v.Finger = "thumb over the neck"
	case s.Finger != "" && s.Finger != "S":
		v.Finger = "finger " + s.Finger
	}
	if s.From != s.Fret {
		v.From = "from " + play.FromCapo(s.From, p.Request.Capo).String()
	}
	if s.Digit == "" {
		v.Digit = "no stroke"
	}
	return v
}

func noteText(s *play.Stroke) string {
	if s.Note.Cents != 0 {
		return fmt.Sprintf("%s %+d cents", s.Note, s.Note.Cents)
	}
	return s.Note.String()
}

// markWords are the marks of a note as what to do.
var markWords = map[string]string{"vibrato": "vibrato", "accent": "accent", "staccato": "short", "slide": "from below", "let ring": "let it ring"}

// NewNow makes the view of moment m of the plan of tune id in a version of its settings.
func NewNow(id string, version int, p *plan.Plan, m int) Now {
	mo, o := &p.Moments[m], newOrnaments(p)
	v := Now{
		ID: id, Version: version, Moment: m, Bar: mo.Printed, Beat: play.Decimal(mo.Beat), Chord: mo.Chord.Name,
		Front: newFront(mo), Behind: behindText(p, mo), Choices: newChoices(p, m), Melody: newStroke(p, mo.Melody),
		Thumb: newStroke(p, mo.Thumb), Neck: NewNeck(p, m),
	}
	for _, s := range mo.With {
		v.With = append(v.With, newStroke(p, s))
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
		if h.How != play.Open {
			v.Held += " " + play.FromCapo(h.Fret, p.Request.Capo).String()
		}
	}
	if n := mo.Melody; n != nil && n.Index < len(p.Request.Tune.Notes) {
		note := &p.Request.Tune.Notes[n.Index]
		v.Sung = note.Lyric
		for _, mark := range note.Marks.Names() {
			if _, advised := o.vibrato[m]; !advised || mark != "vibrato" {
				v.Marks = append(v.Marks, markWords[mark])
			}
		}
	}
	v.Marks = append(v.Marks, o.marks(m)...)
	v.Hit, v.HitText, v.Mute = mo.Hit, hitWords[mo.Hit], muteWords[mo.Mute]
	if mo.Flick {
		v.HitText += "; the note is flicked outward"
	}
	if mo.HitLost != "" {
		v.HitText = mo.HitLost + " left out: " + p.HitReason(m)
	}
	for i := range p.LeftOut {
		if l := &p.LeftOut[i]; l.Pin.InForce(mo.At) {
			v.LeftOut = append(v.LeftOut, l.Why)
		}
	}
	v.Next, v.NextMove, v.NextTime = nextText(p, m)
	v.Spoken, v.Terms = spoken(mo, &v), termsOf(mo)
	v.ThumbName = thumbName(mo)
	if th := mo.Thumb; th != nil && th.Asked > 0 {
		unit := p.Request.Tune.MeterOver(mo.At).Unit()
		v.ThumbName += fmt.Sprintf(", rings %.3g of %.3g beats", float64(th.Dur)/float64(unit), float64(th.Asked)/float64(unit))
	}
	return v
}

func thumbName(mo *play.Moment) string {
	switch {
	case mo.RingsOn:
		return "rings on"
	case mo.Dropped:
		return "left out"
	case mo.Thumb == nil:
		return "not here"
	}
	name := "Thumb"
	if mo.Accent {
		name += ", accented"
	}
	if mo.LeadsTo != "" {
		name += ", into " + mo.LeadsTo
	}
	return name
}

// hitWords say how percussion is made, muteWords how the palm mutes the thumb's note.
var (
	hitWords = map[string]string{
		pattern.Slap: "side of the thumb against strings 6 and 5", pattern.Tap: "fingertips onto the strings",
		pattern.Thump: "heel on the top, off the strings", pattern.Release: "the finger lifts, so the string is dead when struck",
	}
	muteWords = map[string]string{"half": "half muted by the palm", "thump": "muted to a thump", "stab": "cut short by the palm"}
)

// Reasons is why a moment is played so, its other places, and the strum test.
type Reasons struct {
	Why     []string
	Places  []PlaceGroup
	Dampers []PlaceGroup
	Strum   []strumView
	Because string
}

// otherPlaces counts the places that are not chosen.
func otherPlaces(groups []PlaceGroup) (n int) {
	for i := range groups {
		for _, list := range [][]placeView{groups[i].Places, groups[i].Rest} {
			for j := range list {
				if !list[j].Chosen {
					n++
				}
			}
		}
	}
	return n
}

// Explain adds reasons to the moment.
func (v *Now) Explain(r *Reasons) {
	v.Why, v.Places, v.Dampers, v.Strum, v.Because = r.Why, r.Places, r.Dampers, r.Strum, r.Because
	v.Others, v.Quieter = otherPlaces(r.Places), otherPlaces(r.Dampers)
}

// nothingStruck says of a moment without a stroke that there is nothing to choose.
func nothingStruck(mo *play.Moment) string {
	if mo.Hit != "" {
		return fmt.Sprintf("Only the %s here: no note and no thumb stroke.", mo.Hit)
	}
	return "Nothing is played here; the last notes keep ringing."
}

// NewReasons works out the reasons of moment m, of which there is one at least.
func NewReasons(ctx context.Context, p *plan.Plan, m int) (r Reasons, err error) {
	if r.Why, err = p.Why(ctx, m); err != nil {
		return r, err
	}
	o := newOrnaments(p)
	r.Why = append(r.Why, o.sentences(m)...)
	if r.Because, err = p.Because(ctx, m); err != nil {
		return r, err
	}
	mo := &p.Moments[m]
	if len(r.Why) == 0 { // an empty list is one that is still being worked out
		r.Why = []string{nothingStruck(mo)}
	}
	for v := 0; mo.Melody != nil && v <= len(mo.With); v++ {
		title := "The melody note"
		if len(mo.With) > 0 {
			title = fmt.Sprintf("Melody note %s", noteText(mo.Strokes()[v]))
		}
		if err := addPlaces(ctx, p, m, play.Melody, v, title, &r.Places); err != nil {
			return r, err
		}
	}
	if mo.Stroke != "" || mo.Arrival != "" {
		title := "The thumb (" + mo.Stroke + ")"
		if mo.Arrival != "" {
			title = "The thumb, arriving early in " + mo.Arrival
		}
		if err := addPlaces(ctx, p, m, play.Thumb, 0, title, &r.Places); err != nil {
			return r, err
		}
	}
	for s := 1; s <= 6 && len(r.Dampers) < maxDamperGroups; s++ {
		if st := mo.Strings[s-1].State; st == play.Silenced || st == play.Leaks {
			if err := addPlaces(ctx, p, m, play.Damped, s, fmt.Sprintf("Keeping string %d quiet", s), &r.Dampers); err != nil {
				return r, err
			}
		}
	}
	r.Strum = newStrum(p, m)
	numberKeys(r.Places)
	numberKeys(r.Dampers)
	return r, nil
}

// frontView is one string seen from the front: what the left hand does with it, what it does
// itself, and what the picking hand does.
type frontView struct {
	Number       int
	Left, Right  string // the part of the hand, short
	State, Label string
}

func newFront(mo *play.Moment) []frontView {
	out := make([]frontView, 6)
	for i := range out {
		s := 6 - i
		st := mo.Strings[s-1]
		v := frontView{Number: s, State: string(st.State), Label: stateLabel(mo, s)}
		h := &mo.Hand
		switch {
		case h.SlideOn && s >= h.From && s <= h.Covers:
			v.Left = "slide"
		case h.SlideOn && s <= h.Trails:
			v.Left = "trail"
		}
		for _, f := range h.Fingers {
			if f.String == s {
				v.Left = f.Finger
			}
		}
		if f, ok := st.By.Finger(); ok && v.Left == "" {
			v.Left = "(" + f + ")" // it touches without pressing
		}
		for d, name := range play.Digits {
			if mo.Digits[d] == s {
				v.Right = string(name)
			}
		}
		if s > 6-mo.Heel {
			v.Right = "heel"
		}
		if st.By == play.Damper(play.P) {
			v.Right = "p"
		}
		if mo.Hit != "" && st.By == play.Damper(mo.Hit) {
			v.Right = mo.Hit
		}
		out[i] = v
	}
	return out
}

// behindText says what the fingers next to a worn slide can do.
func behindText(p *plan.Plan, mo *play.Moment) string {
	pl := &p.Request.Player
	if !mo.Hand.SlideOn || pl.Lap() {
		return ""
	}
	text := "Behind the slide: " + fingerList(pl.Behind())
	if s := pl.Stranded(); len(s) > 0 {
		text += "; in front of it, out of reach: " + fingerList(s)
	}
	return text
}

func fingerList(fingers []int) string {
	var out []string
	for _, f := range fingers {
		out = append(out, strconv.Itoa(f))
	}
	if len(out) == 1 {
		return "finger " + out[0]
	}
	return "fingers " + strings.Join(out, ", ")
}

// strumView is one string of the strum test.
type strumView struct {
	Number int
	Note   string
	Good   bool // it may sound, or is silent already
	Text   string
}

func newStrum(p *plan.Plan, m int) []strumView {
	var out []strumView
	for _, l := range p.Strum(m) {
		v := strumView{Number: l.String, Note: l.Note, Good: l.Wanted || l.By != ""}
		switch {
		case l.Wanted:
			v.Text = "may sound"
		case l.By != "":
			v.Text = "silent: " + string(l.By)
		case l.Advice != "":
			v.Text = "sounds: damp it with " + string(l.Advice)
		default:
			v.Text = "sounds, and neither hand can reach it"
		}
		out = append(out, v)
	}
	return out
}

// numberKeys gives the first nine places of a pane that are not taken a key.
func numberKeys(groups []PlaceGroup) {
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

// nextText says what comes after moment m and how many beats it is until then; figures are seconds and millimetres of the move.
func nextText(p *plan.Plan, m int) (text, move, figures string) {
	if m+1 >= len(p.Moments) {
		return "the end", "", ""
	}
	next := &p.Moments[m+1]
	figures = fmt.Sprintf("in %.2f s", next.Seconds-p.Moments[m].Seconds) + p.MoveText(m+1)
	wait := "in " + p.Request.Tune.BeatsText(p.Moments[m].At, next.At-p.Moments[m].At)
	fingers := fingersNext(&p.Moments[m].Hand, &next.Hand)
	switch {
	case next.Melody == nil && next.Thumb != nil:
		return fmt.Sprintf("thumb on string %d", next.Thumb.String), wait + fingers, figures
	case next.Melody == nil:
		return "thumb rests", wait, figures
	}
	where := nextWhere(p, next.Melody)
	for _, s := range next.With {
		where += ", with it " + nextWhere(p, s)
	}
	return where, wait + fingers, figures
}

// fingersNext says which fingers of the hand come down or go elsewhere for the next stroke, and which press where they are already.
func fingersNext(now, next *play.LeftHand) string {
	var move, stay []string
	for _, f := range next.Fingers {
		if slices.Contains(now.Fingers, f) || slices.Contains(now.Stays, f) {
			stay = append(stay, f.Finger)
		} else {
			move = append(move, f.Finger)
		}
	}
	var out string
	if len(move) > 0 {
		out = "; " + fingersDo(move, "moves", "move")
	}
	if len(stay) > 0 {
		out += "; " + fingersDo(stay, "stays", "stay")
	}
	return out
}

func fingersDo(names []string, one, many string) string {
	if len(names) == 1 {
		return "finger " + names[0] + " " + one
	}
	return "fingers " + strings.Join(names, " and ") + " " + many
}

func nextWhere(p *plan.Plan, s *play.Stroke) string {
	if s.How == play.Open {
		return fmt.Sprintf("string %d open", s.String)
	}
	return fmt.Sprintf("string %d, %s %s", s.String, howWords[s.How], play.FromCapo(s.Fret, p.Request.Capo).String())
}

// maxPlaces is how many places are listed at once.
const maxPlaces = 5

// maxDamperGroups is how many strings' dampers are offered for a moment.
const maxDamperGroups = 2

// addPlaces appends the other places of one stroke, or the other dampers of a string, if there are any.
func addPlaces(ctx context.Context, p *plan.Plan, m int, part play.Part, voice int, title string, to *[]PlaceGroup) error {
	alts, err := p.AlternativesOf(ctx, m, part, voice)
	if err != nil || len(alts) == 0 || part == play.Damped && len(alts) < 2 {
		return err
	}
	mo := &p.Moments[m]
	target := play.Pin{At: mo.At, Part: part, Voice: voice}
	if part == play.Damped {
		target.Voice, target.String = 0, voice
	}
	g := PlaceGroup{Part: string(part), Title: title, Pin: PinJSON(&target), Pinned: p.PinnedAlone(&target)}
	for i := range alts {
		a := &alts[i]
		pin := a.Pin(mo)
		v := placeView{Text: p.AlternativeText(a), Extra: play.Compared(a.Extra, a.Most), Plain: plan.Instead(a.Most), Why: a.Why,
			Chosen: a.Chosen, Pin: PinJSON(&pin), Hear: hearPin(m, &pin)}
		if math.Abs(a.Extra) >= play.LeastFelt {
			v.Price = fmt.Sprintf("%+.2f", a.Extra)
		}
		g.Places = append(g.Places, v)
	}
	if len(g.Places) > maxPlaces+1 {
		g.Places, g.Rest = g.Places[:maxPlaces], g.Places[maxPlaces:]
	}
	*to = append(*to, g)
	return nil
}

// Beat writes a moment's beat.
func Beat(mo *play.Moment) string { return play.Decimal(mo.Beat) }

// PinJSON is how forms carry a pin.
func PinJSON(p *play.Pin) string {
	data, err := json.Marshal(p)
	if err != nil {
		panic("web: a pin cannot be written as JSON: " + err.Error())
	}
	return string(data)
}

// choiceView is a choice for one moment next to the places, with its pin as JSON.
type choiceView struct{ Text, Pin string }

// positionOf is the fret above the capo at which the index finger lies if the melody note is fretted; 0 if it is not.
func positionOf(mo *play.Moment, capo int) int {
	if mo.Melody == nil {
		return 0
	}
	finger := play.FingerNumber(mo.Melody.Finger)
	if finger < 1 || finger > 4 {
		return 0
	}
	return max(1, int(mo.Melody.Fret)-capo-(finger-1))
}

func newChoices(p *plan.Plan, m int) []choiceView {
	mo := &p.Moments[m]
	var out []choiceView
	add := func(text string, pin play.Pin) {
		pin.At = mo.At
		out = append(out, choiceView{text, PinJSON(&pin)})
	}
	if mo.Melody != nil {
		for _, d := range play.Digits[:1+p.Request.Player.Fingers] {
			add("Pluck with "+string(d)+" ("+digitWords[d]+")", play.Pin{Part: play.Melody, Digit: d})
		}
		for f := 1; f <= 4; f++ {
			add(fmt.Sprint("Fret with finger ", f), play.Pin{Part: play.Melody, Finger: f})
		}
	}
	if at := positionOf(mo, p.Request.Capo); at > 0 {
		add("From here on stay in "+play.PositionName(at), play.Pin{Part: play.Position, Fret: float64(at + p.Request.Capo),
			To: p.Request.Tune.Length})
	}
	add("Slide off the strings", play.Pin{Part: play.Tube, How: play.Off})
	for k := 1; mo.Hand.SlideOn && k <= 6; k++ {
		add(fmt.Sprint("Slide reaching string ", k), play.Pin{Part: play.Tube, Covers: k})
	}
	add("Heel off the strings", play.Pin{Part: play.Heel, How: play.Off})
	add("Strings left to ring", play.Pin{Part: play.Ringing})
	return out
}
