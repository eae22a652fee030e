package main

import (
	"stepping/core/fit"
	"stepping/core/reference"
)

// casesOf are references as cases.
func casesOf(refs []*reference.Reference) []fit.Case { return fit.Cases(refs) }
