package music

import (
	"io"

	"stepping/core/plan"
	"stepping/core/sheet"
	"stepping/formats/abc"
	"stepping/formats/musicxml"
	"stepping/formats/smf"
	"stepping/formats/tabtext"
)

// Writers write a plan in another program's format, by the format's name.
var Writers = map[string]func(io.Writer, *plan.Plan) error{
	"musicxml": func(w io.Writer, p *plan.Plan) error { return musicxml.Write(w, sheet.OfPlan(p)) },
	"midi":     func(w io.Writer, p *plan.Plan) error { return smf.Write(w, sheet.OfPlan(p)) },
	"abc":      abc.WritePlan,
	"tab":      tabtext.Write,
}
