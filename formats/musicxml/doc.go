// Package musicxml reads and writes MusicXML 4.0: plain (.musicxml, .xml) and packed (.mxl), part-wise and
// time-wise, in UTF-8, UTF-16 and Windows-1252, whatever the declaration says.
//
// Read: parts and voices, divisions, ties, chords, pickups, repeats with endings, D.C., D.S., coda, fine and
// repeats after jumps (played out), transposition, microtones, meters, keys, tempos, chord symbols, lyrics (one
// verse), staff tuning, capo, string and fret, fingering, plucking, hammer-on, pull-off, bend, harmonic, slide,
// vibrato, accents, staccato. Lengths come from <duration>. The pitch of a note is the one of <pitch>, moved by
// <transpose>; a clef's octave says where it is drawn and moves nothing, for <pitch> is that of the note
// already.
//
// Left out and told: grace and cue notes, unpitched notes, chord symbols that are not known here.
//
// Refused: anything but a score, entities (no score needs them, and they can unfold to any size), archives that are encrypted or
// unpack to more than 16 MiB.
package musicxml
