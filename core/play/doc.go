// Package play says how a tune is played: what a plan tells of each moment. Moments, strokes, what
// the fretting hand holds, which digit does what, and what every string does; and the cost of a
// moment by term. It has no rules; packages plan and backing make such moments.
//
// Strings are numbered 1 (thinnest) to 6. A fret is counted from the nut, unless its type is
// CapoFret. Bars and beats count from 1.
package play
