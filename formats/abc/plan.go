package abc

import (
	"fmt"
	"io"
	"strings"

	"stepping/core/plan"
	"stepping/core/play"
)

// WritePlan writes the plan's tune with its fingering as annotations under the notes: string, fret from the
// capo with s under the slide, and digit, like "2/5s m"; voices struck together are joined by +.
func WritePlan(w io.Writer, p *plan.Plan) error {
	r := &p.Request
	tu := *r.Tune
	if len(tu.Tempos) > 0 { // in the tempo that is planned for
		scale := p.Tempo() / tu.Tempos[0].BPM
		tempos := append(tu.Tempos[:0:0], tu.Tempos...)
		for i := range tempos {
			tempos[i].BPM *= scale
		}
		tu.Tempos = tempos
	}
	fingering := make([]string, len(tu.Notes))
	for t := range p.Moments {
		mo := &p.Moments[t]
		if mo.Melody == nil {
			continue
		}
		var parts []string
		for _, s := range append([]*play.Stroke{mo.Melody}, mo.With...) {
			parts = append(parts, strings.TrimSpace(fmt.Sprintf("%d/%s%s %s", s.String, play.FromCapo(s.Fret, r.Capo), howLetters[s.How], s.Digit)))
		}
		fingering[mo.Melody.Index] = strings.Join(parts, "+")
	}
	return Write(w, &tu, func(i int) string { return fingering[i] })
}

// howLetters mark techniques behind a fret.
var howLetters = map[play.How]string{play.Slide: "s", play.Glide: "g", play.Hammer: "h", play.Pull: "p", play.Bend: "b",
	play.Harmonic: "o", play.Tapped: "t"}
