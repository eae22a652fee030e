package main

import "stepping/core/plan"

// Names of parts in commits before core/play.
const (
	melody = plan.Melody
	bass   = plan.Thumb
	damped = plan.Damper
)

type part = plan.Part
