package tune

import (
	"fmt"
	"strconv"
	"strings"
)

// Time is a musical time or duration in ticks. Quarter is divisible by every
// power of two to 1024 and by 3, 5, 7 and 9, so that written durations and
// tuplets are exact; comparing Times is exact.
type Time int64

// Quarter is one quarter note.
const Quarter Time = 1024 * 315

// Whole is one whole note.
const Whole = 4 * Quarter

// Fraction returns num/den quarter notes, and whether that is exact in ticks.
func Fraction(num, den int64) (Time, bool) {
	if den <= 0 || num < 0 || num > 1<<30 {
		return 0, false
	}
	return Time(num * int64(Quarter) / den), num*int64(Quarter)%den == 0
}

// String returns the time as a reduced fraction of quarter notes: "0", "3", "5/2".
func (t Time) String() string {
	num, den := int64(t), int64(Quarter)
	g := gcd(num, den)
	if den == g {
		return strconv.FormatInt(num/g, 10)
	}
	return fmt.Sprintf("%d/%d", num/g, den/g)
}

// Quarters returns the time in quarter notes.
func (t Time) Quarters() float64 { return float64(t) / float64(Quarter) }

func gcd(a, b int64) int64 {
	if a < 0 {
		a = -a
	}
	for b != 0 {
		a, b = b, a%b
	}
	return max(a, 1)
}

// MarshalText writes the time as String does.
func (t Time) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// UnmarshalText reads what MarshalText writes: a whole number or a fraction of quarters.
func (t *Time) UnmarshalText(text []byte) error {
	top, bottom, has := strings.Cut(string(text), "/")
	if !has {
		bottom = "1"
	}
	num, err1 := strconv.ParseInt(top, 10, 32)
	den, err2 := strconv.ParseInt(bottom, 10, 32)
	v, exact := Fraction(num, den)
	if err1 != nil || err2 != nil || !exact {
		return fmt.Errorf("%q is not a time: write quarter notes as a number or fraction, like 3 or 5/2", text)
	}
	*t = v
	return nil
}
