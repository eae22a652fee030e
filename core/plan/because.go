package plan

import (
	"context"
	"fmt"
	"strings"

	"stepping/core/play"
)

// insteadWords say what another place would bring that a player feels, by the term that makes it dearest; "" where the comparison
// says it all.
var insteadWords = [...]string{
	play.Shift: "your hand would have to move further", play.Stretch: "your fingers would have to stretch",
	play.Land: "you would have to lift or set down the slide once more", play.Place: "it is a worse place on the neck",
	play.StringMove: "the line would jump to another string", play.Clash: "the bass would rub against the chord",
	play.Hand: "its fingers would get in each other's way", play.Leak: "a string would ring on", play.School: "",
}

// Instead says what a place whose price is mostly one term would bring that a player feels; "" where play.Compared says it all.
func Instead(most play.Term) string { return insteadWords[most] }

// Because is why moment t is played as it is, in half a sentence without figures, as a teacher would say it: what its best other
// place would bring. The melody is spoken of where it has a note, else the thumb. Why has the rest.
func (p *Plan) Because(ctx context.Context, t int) (string, error) {
	p.mu.Lock()
	defer p.unlock()
	mo := &p.Moments[t]
	part := play.Melody
	switch {
	case mo.Melody != nil:
	case mo.RingsOn:
		return "the bass note still rings", nil
	case mo.Stroke != "":
		part = play.Thumb
	default:
		return "nothing is played here; the last notes keep ringing", nil
	}
	if p.Pinned(mo.At, part, 0) {
		return "you chose it", nil
	}
	alts, err := p.alternativesOf(ctx, t, part, 0)
	if err != nil {
		return "", err
	}
	if len(alts) < 2 {
		return "there is no other place for it", nil
	}
	next := &alts[1]
	switch {
	case p.free != nil && next.Extra < 0:
		return p.heldWhy(), nil
	case next.Extra < play.LeastFelt:
		return fmt.Sprintf("%s is just as good; the plan had to pick one", p.AlternativeText(next)), nil
	case next.Extra < play.Hardly:
		return "it is slightly better than " + p.AlternativeText(next), nil
	}
	place := p.AlternativeText(next)
	if strings.Contains(place, ",") { // "string 1 at fret 7, glided into, would be …"
		place += ","
	}
	text := fmt.Sprintf("%s would be %s", place, play.Compared(next.Extra, next.Most))
	if why := Instead(next.Most); why != "" {
		text += ": " + why
	}
	return text, nil
}
