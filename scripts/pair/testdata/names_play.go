package main

import "stepping/core/play"

// Names of parts since they are told in core/play.
const (
	melody = play.Melody
	bass   = play.Thumb
	damped = play.Damped
)

type part = play.Part
