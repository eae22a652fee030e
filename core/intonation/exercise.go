package intonation

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"stepping/core/chord"
	"stepping/core/pitch"
	"stepping/core/plan"
	"stepping/core/tuning"
)

// Kind is a kind of exercise.
type Kind string

// The kinds, the shortest shifts first where there is a choice.
const (
	Weak         Kind = "weak"   // places where the player is furthest off
	ThereAndBack Kind = "there"  // two places on two strings, the slide moving between them without stopping
	OneString    Kind = "string" // up and down one string
	Scale        Kind = "scale"  // the pentatonic scale of a chord, across the strings
	Tune         Kind = "tune"   // the slide notes of a tune, in order
	Anywhere     Kind = "random" // places by chance
)

// Kinds lists them in the order in which they are offered.
var Kinds = []Kind{Weak, ThereAndBack, OneString, Scale, Anywhere, Tune}

// Notes is how many an exercise asks for; a tune's slide notes are all asked for, up to MostNotes.
const (
	Notes     = 8
	MostNotes = 64
)

// Neck is what an exercise is made for.
type Neck struct {
	Tuning tuning.Tuning
	Capo   int
	Frets  int
	Chord  chord.Chord // for Scale: the chord over which it is played
	Plan   *plan.Plan  // for Tune
}

// Errors of exercises.
var (
	ErrNoTune  = errors.New("choose a tune: this exercise asks for its slide notes")
	ErrNoSlide = errors.New("no note of this tune is played with the slide: turn up How much slide, or choose another exercise")
)

// Of places that are asked for: the highest string number that exercises use, and frets above the capo.
const (
	mostString = 4
	leastFret  = 2
	mostFret   = 15
)

// New makes an exercise for a player with a log. The same seed gives the same exercise.
func New(kind Kind, n *Neck, log []Played, seed uint64) ([]Task, error) {
	e := &exercise{neck: n, names: pitch.InKey(n.key(kind)), rng: rand.New(rand.NewPCG(seed, 31)), m: NewMap(log), grade: Grade(log)}
	for f := leastFret; f <= mostFret && n.Capo+f <= n.Frets; f++ {
		e.frets = append(e.frets, n.Capo+f)
	}
	if len(e.frets) < 4 {
		return nil, errors.New("there are too few frets above the capo: take the capo off")
	}
	switch kind {
	case ThereAndBack:
		e.thereAndBack()
	case OneString:
		e.oneString()
	case Scale:
		e.scale()
	case Anywhere:
		e.anywhere(func(str, fret int) float64 { return 1 })
	case Tune:
		if err := e.tune(); err != nil {
			return nil, err
		}
	default:
		e.anywhere(func(str, fret int) float64 { return math.Pow(e.m.At(str, fret).Off, 2) })
	}
	return e.tasks, nil
}

// key is the note in whose key the notes of an exercise are named: the chord's root for Scale, else the root
// of the open strings above the capo. Those of a tune are named as it spells them.
func (n *Neck) key(kind Kind) pitch.Note {
	if kind == Scale {
		return n.Chord.Root
	}
	return tuning.Home(n.Tuning.Transpose(n.Capo))
}

type exercise struct {
	neck  *Neck
	names *pitch.Spelling
	rng   *rand.Rand
	m     *Map
	grade int
	frets []int
	tasks []Task
}

// add asks for one note more.
func (e *exercise) add(p Place) {
	t := Task{Place: p, Note: e.names.Spell(e.sounds(p))}
	t.Hz = t.Note.Pitch().Hertz(440)
	if n := len(e.tasks); n > 0 {
		from := e.tasks[n-1].Place
		t.From = &from
	}
	e.tasks = append(e.tasks, t)
}

func (e *exercise) sounds(p Place) pitch.Pitch {
	return e.neck.Tuning.Open(p.String) + pitch.Pitch(math.Round(100*p.Fret))
}

// within reports whether a shift is one that the player is ready for.
func (e *exercise) within(from, to int) bool {
	return math.Abs(float64(to-from)) <= shiftNames[e.grade].most
}

// anywhere asks for places by weight, none twice, by shifts that the player is ready for.
func (e *exercise) anywhere(weight func(str, fret int) float64) {
	asked := map[[2]int]bool{}
	for len(e.tasks) < Notes {
		at := e.pick(func(str, fret int) float64 {
			if n := len(e.tasks); asked[[2]int{str, fret}] || n > 0 && !e.within(int(e.tasks[n-1].Fret), fret) {
				return 0
			}
			return weight(str, fret)
		})
		if at == nil { // all around have been asked for
			clear(asked)
			continue
		}
		asked[cellOf(*at)] = true
		e.add(*at)
	}
}

// pick draws a place by weight; nil if all weigh nothing.
func (e *exercise) pick(weight func(str, fret int) float64) *Place {
	var at []Place
	var upTo []float64
	sum := 0.0
	for str := 1; str <= min(mostString, e.neck.Tuning.Len()); str++ {
		for _, f := range e.frets {
			if w := weight(str, f); w > 0 {
				sum += w
				at, upTo = append(at, Place{str, float64(f)}), append(upTo, sum)
			}
		}
	}
	if sum == 0 {
		return nil
	}
	i, _ := slices.BinarySearch(upTo, e.rng.Float64()*sum)
	return &at[min(i, len(at)-1)]
}

// thereAndBack moves between two places on neighbouring strings: the slide goes on without stopping, and the
// picking hand alone decides when a note speaks. The weakest pair within reach is taken more often.
func (e *exercise) thereAndBack() {
	a := e.pick(func(str, fret int) float64 {
		if str == min(mostString, e.neck.Tuning.Len()) {
			return 0
		}
		return math.Pow(e.m.At(str, fret).Off, 2)
	})
	b := e.pick(func(str, fret int) float64 {
		if str != a.String+1 || fret == int(a.Fret) || !e.within(int(a.Fret), fret) {
			return 0
		}
		return math.Pow(e.m.At(str, fret).Off, 2)
	})
	for i := range Notes {
		if i%2 == 0 {
			e.add(*a)
		} else {
			e.add(*b)
		}
	}
}

// oneString goes up and down one string by shifts that the player is ready for, each pair a fret higher. Strings on
// which the player is further off are taken more often.
func (e *exercise) oneString() {
	str := e.pick(func(str, fret int) float64 { return math.Pow(e.m.At(str, fret).Off, 2) }).String
	step := []int{1, 2, 5, 9}[e.grade]
	at := e.rng.IntN(max(1, len(e.frets)-step-Notes/2))
	for i := range Notes {
		e.add(Place{str, float64(e.frets[min(len(e.frets)-1, at+i/2+i%2*step)])})
	}
}

// scale goes up and down through the pentatonic scale of a chord.
func (e *exercise) scale() {
	c := &e.neck.Chord
	steps := []int{0, 2, 4, 7, 9}
	if slices.Contains(c.Tones, 3) {
		steps = []int{0, 3, 5, 7, 10}
	}
	var line []Place
	lowest := min(mostString, e.neck.Tuning.Len())
	base := e.frets[e.rng.IntN(len(e.frets)-3)]
	for str := lowest; str >= 1; str-- {
		for f := base; f < base+5 && f <= e.frets[len(e.frets)-1]; f++ {
			p := Place{str, float64(f)}
			if len(line) > 0 && e.sounds(p) <= e.sounds(line[len(line)-1]) {
				continue
			}
			if slices.Contains(steps, c.Interval(e.sounds(p))) {
				line = append(line, p)
			}
		}
	}
	from := 0
	if len(line) > Notes/2 {
		from = e.rng.IntN(len(line) - Notes/2 + 1)
	}
	up := line[from:min(len(line), from+Notes/2)]
	for _, p := range up {
		e.add(p)
	}
	for i := range up {
		e.add(up[len(up)-1-i])
	}
}

// tune asks for the slide notes of a plan.
func (e *exercise) tune() error {
	if e.neck.Plan == nil {
		return ErrNoTune
	}
	for i := range e.neck.Plan.Moments {
		s := e.neck.Plan.Moments[i].Melody
		if s == nil || !s.How.Slid() || len(e.tasks) == MostNotes {
			continue
		}
		e.add(Place{s.String, s.Fret})
		e.tasks[len(e.tasks)-1].Note = s.Note // spelled as in the tune
	}
	if len(e.tasks) == 0 {
		return ErrNoSlide
	}
	return nil
}
