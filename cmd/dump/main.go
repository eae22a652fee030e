// dump: totals, moments and answers of many plans, one line each.
package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"

	"stepping/core/coretest"
	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/play"
	"stepping/core/player"
	"stepping/core/reference"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/reftext"
)

func must(err error) {
	if err != nil {
		panic(err)
	}
}

func sum(v any) string {
	b, err := json.Marshal(v)
	must(err)
	s := sha256.Sum256(b)
	return fmt.Sprintf("%x", s[:6])
}

func show(name string, r plan.Request, ask int) {
	ctx := context.Background()
	p, err := plan.Solve(ctx, r)
	var re *plan.RangeError
	if errors.As(err, &re) {
		fmt.Printf("%s range\n", name)
		return
	}
	if err != nil {
		fmt.Printf("%s error %v\n", name, err)
		return
	}
	fmt.Printf("%s total %d gap %d moments %s ceiling %s terms %s\n", name, int64(p.Total*play.Grid), int64(p.Gap*play.Grid), sum(p.Moments), sum(p.Ceiling), sum(p.Terms))
	if os.Getenv("FULL") != "" {
		for i := range p.Moments {
			b, _ := json.Marshal(p.Moments[i])
			fmt.Printf("%s moment %d %s\n", name, i, b)
		}
	}
	rng := rand.New(rand.NewPCG(uint64(len(p.Moments)), 77))
	for k := 0; k < ask; k++ {
		t := rng.IntN(len(p.Moments))
		for _, part := range []play.Part{play.Melody, play.Thumb, play.Damped} {
			for v := range 7 {
				if v > 0 && part == play.Thumb || v == 0 && part == play.Damped || v > 1 && part == play.Melody {
					continue
				}
				alts, err := p.AlternativesOf(ctx, t, part, v)
				if err != nil {
					fmt.Printf("%s at %d %s %d error %v\n", name, t, part, v, err)
					continue
				}
				for _, a := range alts {
					fmt.Printf("%s at %d %s %d: %d %v %s %s %v %d %q\n", name, t, part, v, a.String, a.Fret, a.How, a.By, a.Chosen, int64(math.Round(a.Extra*play.Grid)), a.Why)
				}
			}
		}
		why, _ := p.Why(ctx, t)
		fmt.Printf("%s why %d %q\n", name, t, why)
	}
}

func smallish(rng *rand.Rand) plan.Request {
	pick := func(of ...string) string { return of[rng.IntN(len(of))] }
	p := player.Default()
	p.Silence = pick(player.Heel, player.Fingers, player.Trailing, player.Both, player.Ring)
	p.Lean = pick(player.LeanSlide, player.LeanMixed, player.LeanMixed, player.LeanFret, player.LeanNone)
	p.SlideFinger = 2 + rng.IntN(3)
	p.Fingers = 1 + rng.IntN(3)
	p.Drone, p.FretBehindSlide, p.ThumbOver = rng.IntN(2) == 0, rng.IntN(2) == 0, rng.IntN(2) == 0
	p.Attack, p.Support = pick(player.Attacks...), pick(player.Supports...)
	p.ReachMM = 70 + 60*rng.Float64()
	p.Slide.LengthMM = 15 + 50*rng.Float64()
	p.Instrument.Frets = 12 + rng.IntN(8)
	if rng.IntN(6) == 0 {
		p.Posture, p.Silence, p.Lean = player.Lap, pick(player.LapStop, player.Ring), pick(player.LeanSlide, player.LeanMixed)
	}
	if rng.IntN(3) == 0 {
		p.Techniques = player.Techniques
	}
	tn := coretest.Tuning(pick("Open D", "Open G", "Standard", "Open D minor", "Drop D"))
	r := plan.Request{Tune: coretest.Any(rng.Uint64()), Tuning: tn, Capo: rng.IntN(3), Player: p, Thumb: pattern.Kinds[rng.IntN(len(pattern.Kinds))]}
	if rng.IntN(3) == 0 {
		r.Tune = coretest.Wander(rng.Uint64(), 4+rng.IntN(40))
	}
	if rng.IntN(4) == 0 {
		r.Sections = []pattern.Section{{Bar: 1, Pattern: &pattern.Library[rng.IntN(len(pattern.Library))]}}
	}
	r.Varied = rng.IntN(2) == 0
	return r
}

func main() {
	which := os.Args[1]
	root := os.Args[2]
	switch which {
	case "refs":
		names, _ := filepath.Glob(filepath.Join(root, "core/plan/testdata/references/*.ref"))
		slices.Sort(names)
		var refs []*reference.Reference
		for _, name := range names {
			f, err := os.Open(name)
			must(err)
			r, err := reftext.Read(f, filepath.Base(name))
			must(err)
			refs = append(refs, r)
		}
		for i, c := range reference.Cases(refs) {
			r := c.Request
			r.Varied = false
			show(filepath.Base(names[i]), r, 2)
		}
	case "demo":
		for _, d := range []struct {
			f, t string
			k    pattern.Kind
		}{{"lantern-on-the-weir.abc", "Open D", pattern.Alternating}, {"tin-bucket-rag.abc", "Open G", pattern.Alternating}, {"coal-smoke-morning.abc", "Open D minor", pattern.Steady}} {
			b, err := os.ReadFile(filepath.Join(root, "demo/tunes", d.f))
			must(err)
			tu, _, err := abc.Read(bytes.NewReader(b))
			must(err)
			for _, tn := range []string{d.t, "Standard"} {
				for _, s := range player.Silences[:4] {
					pl := player.Default()
					pl.Silence = s
					tt, _ := tuning.Parse(tn)
					show(d.f+tn+string(s), plan.Request{Tune: tu, Tuning: tt, Player: pl, Thumb: d.k}, 3)
				}
			}
		}
	case "random":
		rng := rand.New(rand.NewPCG(26, 11))
		for i := range 300 {
			show(fmt.Sprint("case", i), smallish(rng), 1)
		}
	case "long":
		for _, n := range []int{100, 200, 400} {
			show(fmt.Sprint("wander", n), plan.Request{Tune: coretest.Wander(9, n), Tuning: coretest.Tuning("Open G"), Player: player.Default(), Thumb: pattern.Alternating}, 3)
		}
	}
}
