package main

import "stepping/core/plan"

// solveFrom plans r with what p has found out.
func solveFrom(r plan.Request, p *plan.Plan) *plan.Plan {
	r.From = p
	return solve(r)
}
