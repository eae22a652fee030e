package take_test

import (
	"strings"
	"testing"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/sound"
	"stepping/core/take"
	"stepping/golden"
)

// TestGoldenTake: all that is heard in a take with faults of every kind, what is said of it, and what has changed since
// a better one.
func TestGoldenTake(t *testing.T) {
	p := solve(t, coretest.Wander(5, 20), "Open D", pattern.Alternating)
	summaries := []take.Summary{}
	var b strings.Builder
	for _, wrong := range []*sound.Faults{
		{RoomDB: -55, Notes: []sound.NoteFault{{At: p.Moments[4].At, Cents: -38}, {At: p.Moments[9].At, LateMs: 130}, {At: p.Moments[12].At, Drop: true},
			{At: p.Moments[15].At, Cents: 24}, {At: p.Moments[17].At, LateMs: -90}}},
		{RoomDB: -70, Notes: []sound.NoteFault{{At: p.Moments[6].At, Cents: 19}, {At: p.Moments[10].At, LateMs: 60}}},
	} {
		tk, err := prepare(t, faulty(t, p, wrong), rate).Judge(p)
		if err != nil {
			t.Fatal(err)
		}
		sum := tk.Summary(p)
		summaries = append(summaries, sum)
		b.WriteString("heard\n" + golden.Lines(tk.Notes) + "summary\n" + golden.Lines(sum) + "said\n" + golden.Lines(tk.Verdicts(p)) + "missing\n" + golden.Lines(tk.Missing) +
			"extra\n" + golden.Lines(tk.Extra) + "ringing\n" + golden.Lines(tk.Ringing))
	}
	b.WriteString("changes\n" + golden.Lines(take.Changes(&summaries[0], &summaries[1])))
	golden.Check(t, "takes", b.String())
}
