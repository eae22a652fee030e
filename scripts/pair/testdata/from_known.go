package main

import "stepping/core/plan"

// solveFrom plans r with what p has found out.
func solveFrom(r plan.Request, p *plan.Plan) *plan.Plan {
	r.Known = p.Known()
	q := solve(r)
	q.Beside(p)
	return q
}
