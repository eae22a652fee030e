package music

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"
)

// fill repeats a piece up to n bytes.
func fill(piece string, n int) string { return strings.Repeat(piece, max(1, n/len(piece))) }

const abcHead = "X:1\nT:Hostile\nM:4/4\nL:1/8\nK:D\n"

// inXML is a score with something in its one measure.
func inXML(inside string) []byte {
	return []byte(`<?xml version="1.0"?><score-partwise version="4.0"><part-list><score-part id="P1"><part-name>P</part-name></score-part></part-list><part id="P1"><measure number="1"><attributes><divisions>2</divisions></attributes>` + inside + `</measure></part></score-partwise>`)
}

// inMIDI is a file of one track of events.
func inMIDI(events string) []byte {
	out := []byte("MThd\x00\x00\x00\x06\x00\x00\x00\x01\x01\xe0MTrk")
	out = binary.BigEndian.AppendUint32(out, uint32(len(events)+4))
	return append(append(out, events...), "\x00\xff\x2f\x00"...)
}

// inTab is six lines of the same.
func inTab(line string) []byte { return []byte(strings.Repeat("|"+line+"|\n", 6)) }

// hostile are files that are cheap to make and may be dear to read, of about n bytes each.
var hostile = []struct {
	name string
	make func(n int) []byte
}{
	{"abc [", func(n int) []byte { return []byte(abcHead + fill("[", n)) }},
	{"abc chords", func(n int) []byte { return []byte(abcHead + fill("[DFA]", n)) }},
	{"abc (", func(n int) []byte { return []byte(abcHead + fill("(", n)) }},
	{"abc {", func(n int) []byte { return []byte(abcHead + fill("{", n)) }},
	{"abc grace notes", func(n int) []byte { return []byte(abcHead + fill("{g}A", n)) }},
	{"abc |", func(n int) []byte { return []byte(abcHead + fill("|", n)) }},
	{"abc repeats", func(n int) []byte { return []byte(abcHead + fill("|:A:|", n)) }},
	{"abc endings", func(n int) []byte { return []byte(abcHead + "|:" + fill("A|1B:|2C|", n)) }},
	{"abc quotes", func(n int) []byte { return []byte(abcHead + fill(`"`, n)) }},
	{"abc chord symbols", func(n int) []byte { return []byte(abcHead + fill(`"Dmaj7/F#"`, n)) }},
	{"abc !", func(n int) []byte { return []byte(abcHead + fill("!", n)) }},
	{"abc marks", func(n int) []byte { return []byte(abcHead + fill("!fermata!", n)) }},
	{"abc notes on a line", func(n int) []byte { return []byte(abcHead + fill("A", n)) }},
	{"abc ties", func(n int) []byte { return []byte(abcHead + fill("A-", n)) }},
	{"abc triplets", func(n int) []byte { return []byte(abcHead + fill("(3ABc", n)) }},
	{"abc slashes", func(n int) []byte { return []byte(abcHead + "A" + fill("/", n)) }},
	{"abc digits", func(n int) []byte { return []byte(abcHead + "A" + fill("1", n)) }},
	{"abc signs", func(n int) []byte { return []byte(abcHead + fill("^", n)) }},
	{"abc keys", func(n int) []byte { return []byte(abcHead + fill("K:D\n", n)) }},
	{"abc inline fields", func(n int) []byte { return []byte(abcHead + fill("[V:1][K:D]A", n)) }},
	{"abc words", func(n int) []byte { return []byte(abcHead + "A\nw:" + fill("la-", n)) }},
	{"abc lines of words", func(n int) []byte { return []byte(abcHead + fill("A\nw:la\n", n)) }},
	{"abc line ends", func(n int) []byte { return []byte(abcHead + fill("\n", n) + "A|") }},
	{"abc no letters", func(n int) []byte { return []byte(abcHead + fill("é", n)) }},
	{"tab dashes", func(n int) []byte { return inTab(fill("-", n/6)) }},
	{"tab digits", func(n int) []byte { return inTab(fill("5", n/6)) }},
	{"tab notes", func(n int) []byte { return inTab(fill("5-", n/6)) }},
	{"tab signs", func(n int) []byte { return inTab(fill("5h7p5/", n/6)) }},
	{"tab bars", func(n int) []byte { return inTab(fill("0-|", n/6)) }},
	{"tab bar lines apart", func(n int) []byte { return inTab("-0-" + fill("| ", n/6)) }},
	{"tab tabs", func(n int) []byte { return inTab("-0-" + fill("\t", n/6)) }},
	{"tab systems", func(n int) []byte { return []byte(fill(string(inTab("-0-"))+"\n", n)) }},
	{"tab five lines", func(n int) []byte { return []byte(fill("|---0---|\n", n)) }},
	{"tab brackets", func(n int) []byte { return inTab(fill("<5>(", n/6)) }},
	{"tab words", func(n int) []byte { return append(inTab("-0---0---0---0---"), fill("1 & 2 & ", n)...) }},
	{"tab header", func(n int) []byte { return append([]byte(fill("Tuning: D A D\n", n)), inTab("-0--")...) }},
	{"xml depth", func(n int) []byte { return inXML(fill("<a>", n)) }},
	{"xml text in pieces", func(n int) []byte {
		return inXML("<note><lyric><text>" + fill("a<!-- -->", n) + "</text></lyric></note>")
	}},
	{"xml attributes", func(n int) []byte { return inXML("<note " + attributes(n) + "/>") }},
	{"xml notes", func(n int) []byte {
		return inXML(fill("<note><pitch><step>D</step><octave>4</octave></pitch><duration>2</duration></note>", n))
	}},
	{"xml notes at once", func(n int) []byte {
		return inXML(fill("<note><chord/><pitch><step>D</step><octave>4</octave></pitch><duration>2</duration></note>", n))
	}},
	{"xml back and forth", func(n int) []byte {
		return inXML(fill("<backup><duration>1</duration></backup><forward><duration>1</duration></forward>", n))
	}},
	{"xml measures", func(n int) []byte { return inXML(fill(`</measure><measure number="1">`, n)) }},
	{"xml repeats", func(n int) []byte {
		return inXML(fill(`<barline><repeat direction="forward"/></barline><barline><repeat direction="backward" times="99"/></barline></measure><measure>`, n))
	}},
	{"xml words", func(n int) []byte {
		return inXML(fill("<direction><direction-type><words>D.C. al Coda</words></direction-type></direction>", n))
	}},
	{"xml entities", func(n int) []byte { return inXML("<note><lyric><text>" + fill("&amp;", n) + "</text></lyric></note>") }},
	{"xml empty elements", func(n int) []byte { return inXML(fill("<harmony/>", n)) }},
	{"midi notes", func(n int) []byte {
		return inMIDI("\x00" + fill("\x90\x40\x40\x10\x80\x40\x40\x10", n) + "\x90\x40\x40")
	}},
	{"midi notes that do not end", func(n int) []byte { return inMIDI(fill("\x00\x90\x40\x40", n)) }},
	{"midi notes at once", func(n int) []byte { return inMIDI(fill("\x00\x90\x40\x40\x00\x41\x40\x00\x42\x40", n)) }},
	{"midi tempos", func(n int) []byte { return inMIDI(fill("\x01\xff\x51\x03\x07\xa1\x20", n)) }},
	{"midi meters", func(n int) []byte { return inMIDI(fill("\x01\xff\x58\x04\x03\x02\x18\x08", n)) }},
	{"midi words", func(n int) []byte { return inMIDI(fill("\x01\xff\x05\x01a", n)) }},
	{"midi tracks", func(n int) []byte {
		return append([]byte("MThd\x00\x00\x00\x06\x00\x01\xff\xff\x01\xe0"), fill("MTrk\x00\x00\x00\x04\x00\xff\x2f\x00", n)...)
	}},
	{"midi long pauses", func(n int) []byte { return inMIDI(fill("\xff\xff\xff\x7f\x90\x40\x40\xff\xff\xff\x7f\x80\x40\x40", n)) }},
	{"midi bends", func(n int) []byte { return inMIDI("\x00\x90\x40\x40" + fill("\x01\xe0\x00\x41", n)) }},
}

func attributes(n int) string {
	var b strings.Builder
	for i := 0; b.Len() < n; i++ {
		fmt.Fprintf(&b, `a%d="" `, i)
	}
	return b.String()
}

// spent is the processor time that f takes on its thread: other work on the machine does not count.
func spent(f func()) time.Duration {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	const thread = 1 // RUSAGE_THREAD
	var before, after syscall.Rusage
	_ = syscall.Getrusage(thread, &before) // it fails only for arguments that are none
	f()
	_ = syscall.Getrusage(thread, &after)
	return time.Duration(after.Utime.Nano() + after.Stime.Nano() - before.Utime.Nano() - before.Stime.Nano())
}

// TestLinear: no file is dearer to read than its length allows. The aim is 200 ms a MiB on a calm core, which the figures show; what
// grows faster than its length takes a minute or more.
func TestLinear(t *testing.T) {
	const most, size = time.Second, 1<<20 - 4096 // a MiB; text is read up to one
	for _, h := range hostile {
		data := h.make(size)
		if testing.Short() {
			data = h.make(size / 4)
		}
		var err error
		took := spent(func() { _, err = Read(bytes.NewReader(data), Options{}) })
		t.Logf("figure: %-28s %6.1f ms/MiB, %.80v", h.name, float64(took)/1e6*(1<<20)/float64(len(data)), err)
		if took > most*time.Duration(len(data))/(1<<20)+most/4 {
			t.Errorf("%s: %v for %d bytes", h.name, took, len(data))
		}
	}
}

// FuzzTime repeats a piece of anything to 64 KiB within each kind of file. Time is what is looked at: what is quadratic takes seconds.
func FuzzTime(f *testing.F) {
	for _, piece := range []string{"[", "A|", "<5>", "<note/>", "\x01\x90\x40\x40", "|1 :|", "\"C\"", "(3", "-5h7", "& ", "[K:D]", "w:a\n", "\nV:2\n", "| ", "{", "é"} {
		f.Add(piece)
	}
	frames := []func(inside string) []byte{
		func(s string) []byte { return []byte(abcHead + s) }, inTab, inXML, inMIDI,
		func(s string) []byte { return append(inTab("-0---0---"), s...) },
	}
	f.Fuzz(func(t *testing.T, piece string) {
		if piece == "" || len(piece) > 64 {
			return
		}
		for i, frame := range frames {
			data := frame(fill(piece, 1<<16))
			if took := spent(func() { _, _ = Read(bytes.NewReader(data), Options{}) }); took > time.Second {
				t.Errorf("%q in frame %d: %v", piece, i, took)
			}
		}
	})
}
