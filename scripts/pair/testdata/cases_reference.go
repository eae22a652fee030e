package main

import (
	"stepping/core/reference"
)

// casesOf are references as cases.
func casesOf(refs []*reference.Reference) []reference.Case { return reference.Cases(refs) }
