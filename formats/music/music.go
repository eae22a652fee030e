// Package music reads music in whatever form a player has it: ABC, text tablature, MusicXML, MIDI. What a file
// is it finds out from the file, not from its name.
package music

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	"stepping/core/play"
	"stepping/core/proofread"
	"stepping/core/score"
	"stepping/core/tune"
	"stepping/core/tuning"
	"stepping/formats/abc"
	"stepping/formats/musicxml"
	"stepping/formats/plaintext"
	"stepping/formats/smf"
	"stepping/formats/tabtext"
)

// Options are what a reader may be told next to the file.
type Options struct {
	Tuning    *tuning.Tuning // of tablature, whatever it says itself; nil: what it says
	Otherwise *tuning.Tuning // of tablature that does not say; nil: standard
	Grid      *score.Grid    // for played notes; nil takes the one that moves them least
}

// File is what was read.
type File struct {
	Score     *score.Score     // as the file has it
	Quantized *score.Quantized // of played notes; else nil
	Page      *proofread.Page  // of tablature; else nil
	Text      string           // of text, as it was read
}

// Read reads music of any form. Faults are *score.Fault.
func Read(in io.Reader, o Options) (*File, error) {
	data, err := io.ReadAll(io.LimitReader(in, score.MaxFile+1))
	if err != nil {
		return nil, fmt.Errorf("read music: %w", err)
	}
	f := &File{}
	switch Sniff(data) {
	case "MIDI":
		if f.Score, err = smf.Read(bytes.NewReader(data)); err == nil {
			f.Score.Separate()
			grid := f.Score.ProposeGrid()
			if o.Grid != nil {
				grid = *o.Grid
			}
			q := f.Score.Quantize(grid)
			q.ProposeChords()
			f.Quantized = &q
		}
	case "MusicXML":
		if f.Score, err = musicxml.Read(bytes.NewReader(data)); err == nil {
			f.Score.Separate()
		}
	case "tablature":
		if f.Score, f.Page, err = tabtext.Read(bytes.NewReader(data), o.Tuning, o.Otherwise); err == nil {
			f.Score.Separate()
		}
		f.Text = shown(data)
	case "ABC":
		f.Score, err = abc.ReadScore(bytes.NewReader(data))
		f.Text = shown(data)
	default:
		return nil, unknown(data)
	}
	if err != nil {
		return nil, err
	}
	return f, nil
}

// Tune is the voices of the file in their roles, with what the file says of where they are played. Played notes are moved to the grid.
func (f *File) Tune(r score.Roles) (*tune.Tune, []play.Pin, []score.Warning, error) {
	sc := f.Score
	if f.Quantized != nil {
		sc = f.Quantized.Score
	}
	tu, pins, more, err := sc.Tune(r)
	return tu, pins, append(append([]score.Warning{}, f.Score.Warnings...), more...), err
}

// hasABCKey reports whether a line begins with X: or K:.
func hasABCKey(text string) bool {
	for line := range strings.Lines(text) {
		if strings.HasPrefix(line, "X:") || strings.HasPrefix(line, "K:") {
			return true
		}
	}
	return false
}

// hasStrings reports whether four lines in a row have three dashes or more.
func hasStrings(text string) bool {
	rows := 0
	for line := range strings.Lines(text) {
		if strings.Count(line, "-")+strings.Count(line, "—")+strings.Count(line, "–") < 3 {
			rows = 0
		} else if rows++; rows == 4 {
			return true
		}
	}
	return false
}

// Sniff says what a file is: MIDI, MusicXML, ABC, tablature, or "" for none of them.
func Sniff(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("MThd")), bytes.HasPrefix(data, []byte("RIFF")) && len(data) > 12 && string(data[8:12]) == "RMID":
		return "MIDI"
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		return "MusicXML"
	}
	text, err := plaintext.Decode(data[:min(len(data), score.MaxFile)])
	if err != nil {
		return ""
	}
	switch start := strings.TrimSpace(text[:min(len(text), 4096)]); {
	case strings.HasPrefix(start, "<"):
		return "MusicXML"
	case hasABCKey(text):
		return "ABC"
	case hasStrings(strings.ReplaceAll(text, "\r\n", "\n")):
		return "tablature"
	case strings.ContainsAny(start, "|") && len(start) > 0 && !strings.HasPrefix(start, "{"):
		return "ABC" // whose fault says what is missing
	}
	return ""
}

// unknown says what a file is that is none of the four.
func unknown(data []byte) error {
	said := "this is not music that Stepping can read"
	switch {
	case len(bytes.TrimSpace(data)) == 0:
		said = "this is empty"
	case bytes.HasPrefix(data, []byte("\xff\xd8")), bytes.HasPrefix(data, []byte("\x89PNG")), bytes.HasPrefix(data, []byte("GIF8")):
		said = "this is a picture"
	case bytes.HasPrefix(data, []byte("%PDF")):
		said = "this is a PDF, a picture of pages"
	case bytes.HasPrefix(data, []byte("RIFF")), bytes.HasPrefix(data, []byte("ID3")), bytes.HasPrefix(data, []byte("fLaC")),
		bytes.HasPrefix(data, []byte("OggS")):
		said = "this is a recording of sound"
	case bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")):
		said = "this is JSON"
	}
	fault := &score.Fault{Line: 1, Column: 1}
	if at := (*plaintext.Error)(nil); said == "this is not music that Stepping can read" {
		if _, err := plaintext.Decode(data); errors.As(err, &at) {
			fault.Line, fault.Column = at.Line, at.Column
		}
	}
	fault.Text = said + ": ABC text, text tablature, MusicXML (.musicxml, .xml, .mxl) or a MIDI file (.mid) will work"
	return fault
}

// shown is the bytes of a text as text.
func shown(data []byte) string {
	text, err := plaintext.Decode(data)
	if err != nil {
		return ""
	}
	return text
}
