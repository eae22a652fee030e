package neck

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// String is one string as sold: its outer gauge, and whether a wrap is wound on its core.
type String struct {
	GaugeIn float64 `json:"gaugeIn"` // outer diameter in inches, as on the packet: 0.012
	Wound   bool    `json:"wound"`
	Wrap    string  `json:"wrap,omitempty"` // of a wound string: bronze, nickel or steel; bronze if empty
}

// Physical constants. Densities kg/m³; Young's modulus of music wire in Pa.
const (
	steelDensity  = 7850.0
	bronzeDensity = 8800.0 // phosphor bronze; brass-like 80/20 bronze is about 8,650
	nickelDensity = 8900.0
	steelModulus  = 2.0e11
	// The core of a wound acoustic string in inches is about coreBase + corePer·gauge: 0.0146 of a 0.024,
	// 0.0195 of a 0.053. Makers differ by a tenth either way, so that tensions and stresses of wound
	// strings here are good to about that.
	coreBase = 0.0105
	corePer  = 0.17
	inch     = 25.4 // mm
)

// Limits of a gauge in inches.
const (
	MinGauge = 0.007
	MaxGauge = 0.080
)

// Check returns an error that says what is wrong with s.
func (s String) Check() error {
	switch {
	case !(s.GaugeIn >= MinGauge && s.GaugeIn <= MaxGauge):
		return fmt.Errorf("gauge %g: a string is %.3f to %.3f inches thick", s.GaugeIn, MinGauge, MaxGauge)
	case s.Wrap != "" && wrapDensity(s.Wrap) == 0:
		return fmt.Errorf("wrap %q: it is bronze, nickel or steel", s.Wrap)
	}
	return nil
}

func wrapDensity(wrap string) float64 {
	return map[string]float64{"": bronzeDensity, "bronze": bronzeDensity, "nickel": nickelDensity, "steel": steelDensity}[wrap]
}

// Outer and Core are diameters in mm; of a plain string they are the same.
func (s String) Outer() float64 { return s.GaugeIn * inch }
func (s String) Core() float64 {
	if s.Wound {
		return math.Min(coreBase+corePer*s.GaugeIn, 0.8*s.GaugeIn) * inch
	}
	return s.Outer()
}

// Mass returns the mass per length in kg/m: ρπd²/4 of a plain string; of a wound one with core c and
// wrap wire w, turns touching, ρ_core·πc²/4 + ρ_wrap·π²w(c + w)/4.
func (s String) Mass() float64 {
	c := s.Core() / 1000
	mass := steelDensity * math.Pi * c * c / 4
	if s.Wound {
		w := (s.Outer()/1000 - c) / 2
		mass += wrapDensity(s.Wrap) * math.Pi * math.Pi * w * (c + w) / 4
	}
	return mass
}

// Tension returns the pull in N of the string sounding hz over scale mm: T = μ(2Lf)² (Mersenne).
func (s String) Tension(scale, hz float64) float64 {
	v := 2 * scale / 1000 * hz
	return s.Mass() * v * v
}

// HzAt is the inverse of Tension.
func (s String) HzAt(scale, tension float64) float64 {
	return math.Sqrt(tension/s.Mass()) / (2 * scale / 1000)
}

// Strength returns the tensile strength in Pa of music wire of d mm: about 2.75 GPa at 0.25 mm falling
// to 2.35 at 0.50 (ASTM A228, least values), the line carried on outside.
func Strength(d float64) float64 {
	return math.Max(1.9e9, 2.75e9-(d-0.25)*(2.75e9-2.35e9)/0.25)
}

// Share returns the stress on the core as a share of its breaking stress at a tension in N.
func (s String) Share(tension float64) float64 {
	c := s.Core() / 1000
	return tension / (math.Pi * c * c / 4) / Strength(s.Core())
}

// Stiffness returns EA in N, of the core alone: the wrap gives way.
func (s String) Stiffness() float64 {
	c := s.Core() / 1000
	return steelModulus * math.Pi * c * c / 4
}

// Feel returns the sideways force in N for each mm of bend in the middle of the string: T(1/x + 1/(L−x))
// at x = L/2.
func Feel(tension, scale float64) float64 { return 4 * tension / scale }

// Sag returns how far in mm a force in N at x mm from the nut presses a string down: Fx(L−x)/(TL). For
// strings under one stiff slide, which sink together, tension is the sum of theirs.
func Sag(force, x, scale, tension float64) float64 {
	return force * x * (scale - x) / (tension * scale)
}

// nutHeight is how high in mm strings lie over the first fret's plane at the nut.
const nutHeight = 0.5

// Height returns the height in mm of a string over the frets x mm from the nut, for an action in mm at
// fret 12: linear between the nut and there.
func Height(action, x, scale float64) float64 { return nutHeight + (action-nutHeight)*x/(scale/2) }

// Sharpening returns by how many cents a string sounds sharp when it is pressed y mm down at x mm:
// ΔL = y²/2·(1/x + 1/(L−x)), Δf/f = ½·(EA/T)·(ΔL/L).
func (s String) Sharpening(y, x, scale, tension float64) float64 {
	stretch := y * y / 2 * (1/x + 1/(scale-x))
	return 1200 * math.Log2(1+0.5*s.Stiffness()/tension*stretch/scale)
}

// Post and gear of a tuning machine, if not measured.
const (
	UsualPost = 6.0  // diameter, mm
	UsualGear = 16.0 // turns of the knob for one of the post
	// behind is the length of wire beyond nut and saddle as a share of the scale.
	behind = 0.15
)

// Turns returns the turns of the knob from one tension in N to another, positive when tightening: the
// change in the wire's stretch, ΔT·(1 + behind)L/EA, over the post's circumference, times the gear.
func (s String) Turns(from, to, scale, post, gear float64) float64 {
	return (to - from) * (1 + behind) * scale / s.Stiffness() / (math.Pi * post) * gear
}

// Sets are unbranded string sets, string 1 first, from extra light to heavy.
var Sets = []struct {
	Name    string
	Strings []String
}{
	{"extra light", set(0.010, 0.014, -0.023, -0.030, -0.039, -0.047)},
	{"custom light", set(0.011, 0.015, -0.023, -0.032, -0.042, -0.052)},
	{"light", set(0.012, 0.016, -0.024, -0.032, -0.042, -0.053)},
	{"medium", set(0.013, 0.017, -0.026, -0.035, -0.045, -0.056)},
	{"heavy", set(0.014, 0.018, -0.027, -0.039, -0.049, -0.059)},
	{"high strung", set(0.016, 0.018, -0.026, -0.036, -0.042, -0.046)},
}

// plainest is the thickest string, in inches, that is taken as plain where it is not said.
const plainest = 0.020

// ParseStrings reads a set: its name, or gauges from string 1 on, in inches or thousandths, as in
// "0.012 0.016 24w 32w 42w 53w". A w after a gauge says wound, wn with nickel, ws with steel, p plain;
// without a letter strings above 0.020 are wound. The error names the string.
func ParseStrings(text string) ([]String, error) {
	if set, ok := SetNamed(strings.TrimSpace(text)); ok {
		return set, nil
	}
	var out []String
	for i, w := range strings.Fields(text) {
		s, err := parseString(w)
		if err != nil {
			return nil, fmt.Errorf("string %d: %w", i+1, err)
		}
		out = append(out, s)
	}
	return out, nil
}

// wraps are the letters that say how a string is made.
var wraps = []struct {
	letters string
	String
}{{"wn", String{Wound: true, Wrap: "nickel"}}, {"ws", String{Wound: true, Wrap: "steel"}}, {"w", String{Wound: true}}, {"p", String{}}}

func parseString(word string) (String, error) {
	number, s, said := word, String{}, false
	for _, w := range wraps {
		if cut, ok := strings.CutSuffix(word, w.letters); ok && !said {
			number, s, said = cut, w.String, true
		}
	}
	gauge, err := strconv.ParseFloat(number, 64)
	if err != nil {
		return s, fmt.Errorf("%q is not a gauge: write inches like 0.012, with w if it is wound, like 0.024w", word)
	}
	if gauge >= 1 {
		gauge /= 1000
	}
	s.GaugeIn = gauge
	s.Wound = s.Wound || !said && gauge > plainest
	return s, s.Check()
}

// FormatStrings writes gauges so that ParseStrings reads them back.
func FormatStrings(set []String) string {
	var words []string
	for _, s := range set {
		letters := map[bool]string{true: "w", false: "p"}[s.Wound]
		if s.Wound && s.Wrap != "" && s.Wrap != "bronze" {
			letters += s.Wrap[:1]
		}
		words = append(words, strconv.FormatFloat(s.GaugeIn, 'f', -1, 64)+letters)
	}
	return strings.Join(words, " ")
}

// set makes strings of gauges, negative ones wound.
func set(gauges ...float64) (out []String) {
	for _, g := range gauges {
		out = append(out, String{GaugeIn: math.Abs(g), Wound: g < 0})
	}
	return out
}

// SetNames lists the names of Sets.
func SetNames() (out []string) {
	for _, s := range Sets {
		out = append(out, s.Name)
	}
	return out
}

// SetNamed finds a set by its name.
func SetNamed(name string) ([]String, bool) {
	for _, s := range Sets {
		if s.Name == name {
			return s.Strings, true
		}
	}
	return nil, false
}

// Tube is a slide: lengths in mm. Bar makes it solid.
type Tube struct {
	Length, Bore, Wall float64
	Material           string
	Solid              bool
}

// materials are densities in kg/m³ of what slides are made of.
var materials = map[string]float64{"glass": 2500, "brass": 8500, "steel": 7850, "ceramic": 2400}

// Materials lists what slides are made of.
var Materials = []string{"glass", "brass", "steel", "ceramic"}

// Grams returns the mass of a slide in g: π((r + wall)² − r²)·length·density, of a solid bar that of
// the whole round. ok is false if it is not measured or of an unknown material.
func (t Tube) Grams() (g float64, ok bool) {
	density, known := materials[t.Material]
	if !known || t.Length <= 0 || t.Wall <= 0 || t.Bore <= 0 && !t.Solid {
		return 0, false
	}
	r := t.Bore / 2
	if t.Solid {
		r = 0
	}
	outer := t.Bore/2 + t.Wall
	return math.Pi * (outer*outer - r*r) * t.Length * density * 1e-6, true
}
