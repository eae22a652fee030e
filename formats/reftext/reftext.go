// Package reftext reads reference arrangements: a phrase as ABC text, who plays it on what, and the
// way in which a good player would play it. docs/formats.md describes the text.
package reftext

import (
	"bufio"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"

	"stepping/core/pattern"
	"stepping/core/plan"
	"stepping/core/player"
	"stepping/core/reference"
	"stepping/core/tuning"
	"stepping/formats/abc"
)

// MaxBytes bounds a reference's text.
const MaxBytes = 64 << 10

// Error is a fault at a place of the text, lines counted from 1.
type Error struct {
	Line int
	Text string
}

func (e *Error) Error() string { return fmt.Sprintf("%d:1: %s", e.Line, e.Text) }

// field is a line "name: value", or a section with the lines that follow.
type field struct {
	line  int
	value string
}

var (
	single  = regexp.MustCompile(`^(about|tuning|capo|thumb|player):\s*(.*)$`)
	section = regexp.MustCompile(`^(abc|play|bass|fingers|bassfingers):\s*$`)
)

func split(r io.Reader) (map[string]field, error) {
	out, in := map[string]field{}, ""
	sc := bufio.NewScanner(io.LimitReader(r, MaxBytes+1))
	total := 0
	for line := 1; sc.Scan(); line++ {
		text := strings.TrimRight(sc.Text(), " \r")
		if total += len(text) + 1; total > MaxBytes {
			return nil, &Error{line, fmt.Sprintf("a reference has at most %d KiB", MaxBytes>>10)}
		}
		if strings.TrimSpace(text) == "" || strings.HasPrefix(strings.TrimSpace(text), "#") {
			continue
		}
		if m := single.FindStringSubmatch(text); m != nil {
			out[m[1]], in = field{line, m[2]}, ""
			continue
		}
		if m := section.FindStringSubmatch(text); m != nil {
			in = m[1]
			out[in] = field{line: line}
			continue
		}
		if in == "" {
			return nil, &Error{line, fmt.Sprintf("%q: a line begins with about, tuning, capo, thumb, player, abc, play, bass, fingers or bassfingers and a colon", text)}
		}
		f := out[in]
		f.value += text + "\n"
		out[in] = f
	}
	return out, sc.Err()
}

// Read reads a reference arrangement. Faults are *Error.
func Read(r io.Reader, name string) (*reference.Reference, error) {
	fields, err := split(r)
	if err != nil {
		return nil, err
	}
	for _, must := range []string{"tuning", "abc", "play"} {
		if _, ok := fields[must]; !ok {
			return nil, &Error{1, "there is no " + must}
		}
	}
	ref := &reference.Reference{Name: name, About: fields["about"].value}
	if ref.Request, err = request(fields); err != nil {
		return nil, err
	}
	if ref.Melody, err = melody(fields["play"]); err != nil {
		return nil, err
	}
	if f, ok := fields["bass"]; ok {
		if ref.Bass, err = bass(f); err != nil {
			return nil, err
		}
	}
	if f, ok := fields["fingers"]; ok {
		if err := fingers(f, ref.Melody, "play"); err != nil {
			return nil, err
		}
	}
	if f, ok := fields["bassfingers"]; ok {
		strokes := make([][]reference.Note, len(ref.Bass))
		for i := range strokes {
			strokes[i] = ref.Bass[i : i+1]
		}
		return ref, fingers(f, strokes, "bass")
	}
	return ref, nil
}

var fingerOf = regexp.MustCompile(`^[0-4TS](/[0-4TS])*$|^\?$`)

// fingers reads which finger takes each note, in the order and grouping of the section next to it. 0 and S, open and under the slide,
// are no fingers.
func fingers(f field, notes [][]reference.Note, beside string) error {
	words := word.FindAllString(f.value, -1)
	if len(words) != len(notes) {
		return &Error{f.line, fmt.Sprintf("fingers: %d found, want one for each of the %d notes of %s", len(words), len(notes), beside)}
	}
	for i, tok := range words {
		parts := strings.Fields(strings.Trim(tok, "()"))
		if len(notes[i]) == 0 {
			continue
		}
		if len(parts) != len(notes[i]) {
			return &Error{f.line, fmt.Sprintf("fingers: %q are not the notes of %d", tok, i+1)}
		}
		for k, part := range parts {
			if !fingerOf.MatchString(part) {
				return &Error{f.line, fmt.Sprintf("fingers: %q is not a finger 1 to 4, T, S, 0 or ?", part)}
			}
			if !strings.ContainsAny(part, "0S?") {
				notes[i][k].Fingers = strings.Split(part, "/")
			}
		}
	}
	return nil
}

func request(fields map[string]field) (r plan.Request, err error) {
	at := func(name string, err error) error {
		return &Error{max(fields[name].line, 1), name + ": " + err.Error()}
	}
	if r.Tune, _, err = abc.Read(strings.NewReader("X:1\n" + fields["abc"].value)); err != nil {
		return r, at("abc", err)
	}
	if r.Tuning, err = tuning.Parse(fields["tuning"].value); err != nil {
		return r, at("tuning", err)
	}
	if f, ok := fields["capo"]; ok {
		if r.Capo, err = strconv.Atoi(f.value); err != nil {
			return r, at("capo", err)
		}
	}
	r.Thumb = pattern.None
	if f, ok := fields["thumb"]; ok {
		r.Thumb = pattern.Kind(f.value)
	}
	r.Player = player.Default()
	if f, ok := fields["player"]; ok {
		if r.Player, err = player.Read(strings.NewReader(f.value)); err != nil {
			return r, at("player", err)
		}
	}
	return r, nil
}

// word is what stands between spaces and bar lines; a chord in parentheses is one.
var word = regexp.MustCompile(`\([^)]*\)|[^\s|]+`)

func melody(f field) ([][]reference.Note, error) {
	out := [][]reference.Note{}
	for _, tok := range word.FindAllString(f.value, -1) {
		if tok == "?" {
			out = append(out, nil)
			continue
		}
		var notes []reference.Note
		for _, part := range strings.Fields(strings.Trim(tok, "()")) {
			n := reference.Note{Text: part}
			for _, alt := range strings.Split(part, "/") {
				w, ok := way(alt)
				if !ok {
					return nil, &Error{f.line, fmt.Sprintf("play: %q is not string:fret followed by s, f, h, p, b or r", alt)}
				}
				n.Ways = append(n.Ways, w)
			}
			notes = append(notes, n)
		}
		out = append(out, notes)
	}
	return out, nil
}

var (
	place   = regexp.MustCompile(`^([1-6]):(\d+(?:\.\d+)?)([sfhpbr]?)$`)
	bassAt  = regexp.MustCompile(`^([1-6])(?::(\d+))?$`)
	manners = map[string]reference.Manner{
		"s": reference.Slid, "f": reference.Fretted, "h": reference.Hammered, "p": reference.Pulled, "b": reference.Bent, "r": reference.Harmonic,
	}
)

// way reads "1:7s"; without a letter it is open at fret 0, else fretted.
func way(text string) (w reference.Way, ok bool) {
	m := place.FindStringSubmatch(text)
	if m == nil {
		return w, false
	}
	w.String, _ = strconv.Atoi(m[1])
	w.Fret, _ = strconv.ParseFloat(m[2], 64)
	switch {
	case m[3] != "":
		w.How = manners[m[3]]
	case w.Fret == 0:
		w.How = reference.Open
	default:
		w.How = reference.Fretted
	}
	return w, true
}

func bass(f field) ([]reference.Note, error) {
	out := []reference.Note{}
	for _, tok := range word.FindAllString(f.value, -1) {
		n := reference.Note{Text: tok}
		for _, alt := range strings.Split(tok, "/") {
			m := bassAt.FindStringSubmatch(alt)
			switch {
			case alt == "?":
			case alt == "-":
				n.Ways = append(n.Ways, reference.Way{Out: true})
			case m == nil:
				return nil, &Error{f.line, fmt.Sprintf("bass: %q is not a string, a string:fret, - or ?", alt)}
			default:
				w := reference.Way{Fret: reference.AnyFret}
				w.String, _ = strconv.Atoi(m[1])
				if m[2] != "" {
					w.Fret, _ = strconv.ParseFloat(m[2], 64)
				}
				n.Ways = append(n.Ways, w)
			}
		}
		out = append(out, n)
	}
	return out, nil
}
