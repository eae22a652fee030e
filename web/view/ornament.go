package view

import (
	"stepping/core/ornament"
	"stepping/core/plan"
)

// ornaments is the advice for a plan by moment.
type ornaments struct {
	style   ornament.Style
	vibrato map[int]ornament.Vibrato
	leaves  map[int]ornament.Glide // by the moment whose note the slide leaves audibly
	into    map[int]bool           // moments that such a glide leads to
}

func newOrnaments(p *plan.Plan) ornaments {
	o := ornaments{vibrato: map[int]ornament.Vibrato{}, leaves: map[int]ornament.Glide{}, into: map[int]bool{}}
	o.style, _ = ornament.StyleOf(&p.Request.Player)
	advice := ornament.Of(p)
	for _, v := range advice.Vibratos {
		o.vibrato[v.Moment] = v
	}
	for _, g := range advice.Glides {
		o.leaves[g.From], o.into[g.To] = g, true
	}
	return o
}

// marks says in a few words what of it falls at a moment.
func (o *ornaments) marks(m int) (out []string) {
	if _, ok := o.vibrato[m]; ok {
		out = append(out, o.style.Name)
	}
	if g, ok := o.leaves[m]; ok && g.Frets > 0 {
		out = append(out, "slide up to the next")
	} else if ok {
		out = append(out, "slide down to the next")
	}
	return out
}

// sentences says it whole.
func (o *ornaments) sentences(m int) (out []string) {
	if v, ok := o.vibrato[m]; ok {
		out = append(out, v.Text(o.style))
	}
	if g, ok := o.leaves[m]; ok {
		out = append(out, g.Text())
	}
	return out
}
