package sound

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"stepping/core/pattern"
	"stepping/core/tune"
	"stepping/core/tuning"
)

// Options are what of a plan is heard, and how.
type Options struct {
	Rate      int     // samples a second, 8,000 to 96,000; 0 is 48,000
	Tempo     float64 // quarter notes a minute at the start; 0 is the plan's
	First     int     // bars as played, from 1; 0 for all
	Last      int
	Repeats   int   // how often the bars are played; 0 is once
	Layers    Layer // 0 is all that a guitar does
	CountIn   int   // beats before the first bar
	NoDampers bool  // what would be heard if nothing were silenced
}

// Tail is how long the end of a whole tune rings on, seconds.
const Tail = 1.5

// Sound is a plan as samples, made as they are asked for: memory does not grow with the length.
type Sound struct {
	rate    float64
	total   int     // samples
	lead    float64 // seconds
	done    int
	made    int // steps so far, from the first deed that matters
	skip    int // made before the first that is heard
	first   int // that sample, counted from the beginning of the tune
	deeds   []deed
	next    int
	guides  [tuning.Strings]*guide
	layerOf [tuning.Strings]Layer
	mix     [tuning.Strings]float64 // share of the string that is heard, faded so that nothing clicks
	hits    []*burst
	layers  Layer
	gain    float64
	limit   *limiter
	bridge  float64
	body    [2]biquad
	air     biquad
	room    float64 // of the noise, 0 for none

	// what Read hands out
	begun  bool
	headed bool
	ready  []byte
	block  [4096]float64
	bytes  [8192]byte
}

// loudest bounds the peak of one string of level 1 with the body's share; measured over all pitches and attacks.
const loudest = 1.25

// New prepares a sound. The error says which option cannot be.
func New(p Played, o Options) (*Sound, error) {
	tu := p.Tune
	if o.Rate == 0 {
		o.Rate = 48000
	}
	if o.Layers == 0 {
		o.Layers = Playing
	}
	whole := o.First == 0 && o.Last == 0
	if whole {
		o.First, o.Last = 1, len(tu.Bars)
	}
	switch {
	case o.Rate < 8000 || o.Rate > 96000:
		return nil, fmt.Errorf("%d samples a second: give 8,000 to 96,000", o.Rate)
	case o.First < 1 || o.Last < o.First || o.Last > len(tu.Bars):
		return nil, fmt.Errorf("bars %d to %d: the tune has bars 1 to %d", o.First, o.Last, len(tu.Bars))
	case o.CountIn < 0 || o.CountIn > 32 || o.Repeats < 0 || o.Repeats > 1000:
		return nil, errors.New("count in up to 32 beats, and repeat up to 1,000 times")
	case o.Tempo != 0 && !(o.Tempo >= tune.MinTempo && o.Tempo <= tune.MaxTempo):
		return nil, fmt.Errorf("tempo %g: %s", o.Tempo, tune.TempoRule)
	}
	if o.Tempo == 0 {
		o.Tempo = p.Tempo
	}
	clock := tu.Clock(o.Tempo)
	from := clock.Seconds(tu.Bars[o.First-1])
	end := tu.Bars[o.Last-1] + tu.BarLength(o.Last-1)
	length := clock.Seconds(end) - from
	s := &Sound{rate: float64(o.Rate), layers: o.Layers, deeds: p.deeds(clock, !o.NoDampers)}
	s.level() // of the whole tune, whatever is heard of it
	s.repeat(from, length, max(1, o.Repeats))
	if o.Layers&Click != 0 || o.CountIn > 0 {
		s.ticks(tu, clock, o, from, length)
	}
	if p.room < 0 {
		s.room = math.Pow(10, p.room/20) * math.Sqrt(3) // evenly spread numbers up to this have that level
	}
	s.limit = newLimiter(s.rate)
	s.skip = int(math.Round(from * s.rate))
	s.first = s.skip
	s.lead = float64(o.CountIn) * s.beat(tu, clock, o.First-1)
	s.total = int(math.Round((s.lead + length*float64(max(1, o.Repeats))) * s.rate))
	if whole {
		s.total += int(Tail * s.rate)
	}
	for i := range s.guides {
		s.guides[i] = newGuide(s.rate, i+1)
		s.layerOf[i] = Melody
	}
	s.air = shelf(s.rate, airHz, airDB)
	s.body = [2]biquad{resonance(s.rate, 105, 1.6), resonance(s.rate, 205, 2)}
	return s, nil
}

// repeat keeps the deeds before the bars, which set the strings ringing, and plays those of the bars as often as wanted.
func (s *Sound) repeat(from, length float64, times int) {
	const eps = 1e-9
	var before, within, after []deed
	for _, d := range s.deeds {
		switch {
		case d.at < from-eps:
			before = append(before, d)
		case d.at < from+length-eps:
			within = append(within, d)
		default:
			after = append(after, d)
		}
	}
	out := before
	for k := range times {
		for _, d := range within {
			d.at += float64(k) * length
			out = append(out, d)
		}
	}
	for _, d := range after[:min(len(after), 2*tuning.Strings)] {
		d.at += float64(times-1) * length
		out = append(out, d)
	}
	s.deeds = out
}

// beat is the length in seconds of a felt beat at the beginning of a bar.
func (s *Sound) beat(tu *tune.Tune, clock tune.Clock, bar int) float64 {
	at := tu.Bars[bar]
	return clock.Seconds(at+tu.MeterOver(at).Pulse()) - clock.Seconds(at)
}

// ticks adds the click on every beat, and before the bars the count; the count moves all else.
func (s *Sound) ticks(tu *tune.Tune, clock tune.Clock, o Options, from, length float64) {
	beat := s.beat(tu, clock, o.First-1)
	lead := float64(o.CountIn) * beat
	for i := range s.deeds {
		if s.deeds[i].at >= from-1e-9 {
			s.deeds[i].at += lead
		}
	}
	for k := range o.CountIn {
		s.deeds = append(s.deeds, deed{at: from + float64(k)*beat, kind: tick, layer: Click, level: clickLevel(k == 0)})
	}
	for k := range max(1, o.Repeats) {
		for bar := o.First - 1; bar < o.Last && o.Layers&Click != 0; bar++ {
			for t := tu.Bars[bar]; t < tu.Bars[bar]+tu.BarLength(bar); t += tu.MeterOver(t).Pulse() {
				at := clock.Seconds(t) + lead + float64(k)*length
				s.deeds = append(s.deeds, deed{at: at, kind: tick, layer: Click, level: clickLevel(t == tu.Bars[bar])})
			}
		}
	}
	sortDeeds(s.deeds)
}

func clickLevel(one bool) float64 {
	if one {
		return 0.9
	}
	return 0.55
}

// Lead is the seconds that are counted in, Len how many samples there are, Bytes the length of their file.
// Lead is how long the beats counted in last, in seconds.
func (s *Sound) Lead() float64 { return s.lead }

func (s *Sound) Len() int     { return s.total }
func (s *Sound) Bytes() int64 { return HeaderBytes + 2*int64(s.total) }

// coupling is how much of the bridge's motion reaches a string that lies free and was not plucked. Such strings
// do not move the bridge in turn: sympathy goes one way, so that nothing can build up.
const coupling = 0.0001

// fadeStep is how fast a string's share changes, a sample: 5 ms.
func (s *Sound) fadeStep() float64 { return 1 / (0.005 * s.rate) }

// Samples fills dst with the next samples and returns how many there were; 0 at the end.
func (s *Sound) Samples(dst []float64) int {
	if !s.begun {
		s.begun = true
		for range s.skip + len(s.limit.ahead) { // what the limiter looks ahead is made before it is heard
			s.step()
		}
	}
	n := min(len(dst), s.total-s.done)
	for i := range n {
		dst[i] = s.step()
		if s.done++; s.room > 0 {
			dst[i] += s.room * noise(s.done+s.first)
		}
	}
	return n
}

// step makes one sample, and returns the one that has come through the limiter.
func (s *Sound) step() float64 {
	at := float64(s.first-s.skip+s.made) / s.rate
	s.made++
	for s.next < len(s.deeds) && s.deeds[s.next].at <= at+0.5/s.rate {
		s.do(&s.deeds[s.next])
		s.next++
	}
	sum, bridge := 0.0, 0.0
	fade := s.fadeStep()
	for i, g := range &s.guides {
		in := 0.0
		if !g.plucked {
			in = s.bridge * coupling
		}
		v := g.next(in)
		if g.plucked {
			bridge += v
		}
		want := 0.0
		if s.layers&s.layerOf[i] != 0 {
			want = 1
		}
		if m := &s.mix[i]; *m < want {
			*m = math.Min(want, *m+fade)
		} else if *m > want {
			*m = math.Max(want, *m-fade)
		}
		sum += v * s.mix[i]
	}
	s.bridge = bridge
	hits := s.hits[:0]
	for _, h := range s.hits {
		if v, more := h.next(s.rate); more {
			sum += v
			hits = append(hits, h)
		}
	}
	s.hits = hits
	out := sum
	for i := range s.body {
		out += 0.25 * s.body[i].next(sum)
	}
	return s.limit.next(s.gain * s.air.next(out))
}

// do does one deed.
func (s *Sound) do(d *deed) {
	switch d.kind {
	case hitTop, tick:
		if s.layers&d.layer != 0 || d.kind == tick {
			s.hits = append(s.hits, newBurst(d))
		}
		return
	}
	g := s.guides[d.str-1]
	switch d.kind {
	case strike, slur:
		if d.kind == strike {
			g.cut()
		}
		s.layerOf[d.str-1] = d.layer
		if s.mix[d.str-1] = 0; s.layers&d.layer != 0 { // at once: a stroke belongs to its layer from its first sample on
			s.mix[d.str-1] = 1
		}
		g.start(d)
	case travel:
		if g.plucked {
			g.move(d)
		}
	case damp:
		g.damp(d.tau)
	case name:
		s.layerOf[d.str-1] = Noise
	case free:
		if g.idle() {
			s.layerOf[d.str-1] = Noise
			g.open(d.hz, d.tau, d.str)
		}
	}
}

// burst is a stroke of percussion or a click: a tone and noise that die away.
type burst struct {
	hz, tau, noisy, level float64
	n                     int
	low                   float64
}

func newBurst(d *deed) *burst {
	switch {
	case d.kind == tick:
		return &burst{hz: 1320, tau: 0.012, noisy: 0.5, level: 0.5 * d.level}
	case d.hit == pattern.Thump:
		return &burst{hz: 92, tau: 0.07, noisy: 0.25, level: d.level}
	case d.hit == pattern.Tap:
		return &burst{hz: 520, tau: 0.012, noisy: 0.8, level: 0.6 * d.level}
	}
	return &burst{hz: 240, tau: 0.03, noisy: 1, level: 0.8 * d.level}
}

func (b *burst) next(rate float64) (v float64, more bool) {
	t := float64(b.n) / rate
	env := math.Exp(-t/b.tau) * math.Min(1, t/0.0008)
	b.low += 0.35 * (noise(b.n) - b.low)
	v = b.level * env * ((1-0.5*b.noisy)*math.Sin(2*math.Pi*b.hz*t) + 0.5*b.noisy*b.low)
	b.n++
	return v, t < 9*b.tau
}

// noise is the i-th of a fixed row of numbers between −1 and 1 without pattern: the low bits of i
// scattered by Knuth's multiplicative hash.
func noise(i int) float64 {
	x := uint32(i+1) * 2654435761
	x ^= x >> 15
	x *= 2246822519
	return float64(x>>8)/float64(1<<23) - 1
}

// airHz and airDB are the treble that a top radiates better than bass: a shelf.
const (
	airHz = 1800.0
	airDB = 6.6
)

// biquad is a second-order filter, here of Bristow-Johnson's cookbook: a resonance of the body, or a shelf.
type biquad struct{ b0, b1, b2, a1, a2, x1, x2, y1, y2 float64 }

func resonance(rate, hz, q float64) biquad {
	w := 2 * math.Pi * hz / rate
	alpha := math.Sin(w) / (2 * q)
	a0 := 1 + alpha
	return biquad{b0: alpha / a0, b2: -alpha / a0, a1: -2 * math.Cos(w) / a0, a2: (1 - alpha) / a0}
}

// shelf lifts what lies above a frequency, with a slope of 1.
func shelf(rate, hz, db float64) biquad {
	a := math.Pow(10, db/40)
	sin, cos := math.Sincos(2 * math.Pi * math.Min(hz, 0.45*rate) / rate)
	alpha := 2 * math.Sqrt(a) * sin / math.Sqrt2
	a0 := (a + 1) - (a-1)*cos + alpha
	return biquad{b0: a * ((a + 1) + (a-1)*cos + alpha) / a0, b1: -2 * a * ((a - 1) + (a+1)*cos) / a0,
		b2: a * ((a + 1) + (a-1)*cos - alpha) / a0, a1: 2 * ((a - 1) - (a+1)*cos) / a0, a2: ((a + 1) - (a-1)*cos - alpha) / a0}
}

func (f *biquad) next(x float64) float64 {
	y := f.b0*x + f.b1*f.x1 + f.b2*f.x2 - f.a1*f.y1 - f.a2*f.y2
	f.x2, f.x1, f.y2, f.y1 = f.x1, x, f.y1, y
	return y
}

// Read fills p with the next bytes of the sound as a mono 16-bit RIFF file, made as they are asked for; io.EOF at the end.
func (s *Sound) Read(p []byte) (n int, err error) {
	for n < len(p) {
		if len(s.ready) == 0 && !s.more() {
			return n, io.EOF
		}
		k := copy(p[n:], s.ready)
		s.ready, n = s.ready[k:], n+k
	}
	return n, nil
}

// more makes the next bytes ready; false at the end.
func (s *Sound) more() bool {
	if !s.headed {
		s.headed = true
		s.ready = Header(int(s.rate), s.total)
		return true
	}
	n := s.Samples(s.block[:])
	s.ready = AppendSamples(s.bytes[:0], s.block[:n])
	return n > 0
}

// AppendSamples appends samples of -1 to 1 as 16 bits, little end first; what is louder is cut off.
func AppendSamples(dst []byte, samples []float64) []byte {
	for _, v := range samples {
		dst = binary.LittleEndian.AppendUint16(dst, uint16(int16(math.Round(32767*math.Max(-1, math.Min(1, v))))))
	}
	return dst
}

// HeaderBytes is the length of a RIFF file's header.
const HeaderBytes = 44

// Header is that of a mono 16-bit RIFF file of so many samples.
func Header(rate, samples int) []byte {
	size := uint32(2 * samples)
	out := append(make([]byte, 0, HeaderBytes), "RIFF"...)
	out = binary.LittleEndian.AppendUint32(out, 36+size)
	out = append(out, "WAVEfmt "...)
	for _, v := range []uint32{16, 1 | 1<<16, uint32(rate), uint32(2 * rate), 2 | 16<<16} { // plain samples, one channel; two bytes each, of 16 bits
		out = binary.LittleEndian.AppendUint32(out, v)
	}
	return binary.LittleEndian.AppendUint32(append(out, "data"...), size)
}

// layerNames are the layers' names, by their bits.
var layerNames = [...]string{"melody", "thumb", "percussion", "click", "noise", "silence"}

// ParseLayers reads names with commas between. The error says which there are.
func ParseLayers(names string) (l Layer, err error) {
	for _, name := range strings.Split(names, ",") {
		at := slices.Index(layerNames[:], strings.TrimSpace(name))
		if at < 0 {
			return 0, fmt.Errorf("%q is not a layer: choose from %s", name, strings.Join(layerNames[:], ", "))
		}
		l |= 1 << at
	}
	return l, nil
}

// Names are the names of the layers, as ParseLayers reads them.
func (l Layer) Names() (out []string) {
	for at, name := range layerNames {
		if l&(1<<at) != 0 {
			out = append(out, name)
		}
	}
	return out
}

// ParseBars reads "3-6" or "4".
func ParseBars(text string) (first, last int, err error) {
	lo, hi, span := strings.Cut(text, "-")
	first, err = strconv.Atoi(strings.TrimSpace(lo))
	if last = first; err == nil && span {
		last, err = strconv.Atoi(strings.TrimSpace(hi))
	}
	if err != nil || first < 1 || last < first {
		return 0, 0, fmt.Errorf("%q: write bars like 3-6, or 4", text)
	}
	return first, last, nil
}
