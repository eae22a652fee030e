// Package trellis finds cheapest ways through layers of states, and what every other way costs. It knows numbers only: what a node,
// a view or a pose stands for is the caller's affair (package plan: a hand on the neck, what the picking hand sees of it, a choice of
// the picking hand).
//
// # States
//
// A state is a node, a tag and a pick. A pick is a mask and a place. Going on from a state at the moment before costs
//
//	own(node) + arc(class before, class) + move(last position, spot) + action(view, ring) + turn(pick before, pose)
//
// The ring is what the trace and tag before let sound into the view; the action leaves a tag, and its pose a place, and either a mask or
// the one before. So the state is factored: neither its left part (node) nor its right (pick) is ever multiplied out with the other's
// changes. Of a move there are two ways to begin what is struck; what is slurred has actions of its own.
//
// # Recurrences
//
// With F the least cost to a state and B the least from it to the end,
//
//	flow(node, ring, way)[pick] = min over states s before with that ring and pick of F(s) + own + arc + move      (arrive)
//	into(flow, pose)            = min over picks of flow[pick] + turn(pick, pose)                                  (intoPose)
//	F(node, tag, pick)          = min over flows and actions that leave tag and pick of into + action              (take)
//	value(node, ring)[pick]     = min over actions of action + turn(pick, pose) + B(node, tag, after)              (value)
//	B(state before)             = min over nodes and ways of own + arc + move + value[pick]                        (goOn)
//
// F + B is the least total through a state; the least over what one action, label or node allows is its min-marginal (Marginals). The
// factored state is that of Viterbi decoding with factored transitions (Forney, The Viterbi algorithm, Proc. IEEE 61, 1973); that
// F + B prices every alternative is the tropical form of the forward-backward algorithm (Rabiner, A tutorial on hidden Markov models,
// Proc. IEEE 77, 1989).
//
// # What is left out
//
//   - Dominance: of two states with the same node and tag the dearer is dropped if the cheaper lies below it by more than its pick can
//     ever have to pay back. Debts is the largest difference over the columns of Turn. Runs, actions and parts whose cheapest
//     promise lies above that are not looked at.
//   - Limit: a state is dropped if F and a bound on B exceed a total (reduced-cost fixing). Bound is a relaxation in which rings, places
//     and stoppers cost the least that they can; Back is exact.
//   - Backward and Marginals look at nodes in the order of own + B, and stop where nothing can be bettered.
//
// Equal ways are told apart by the number of the state before, then by the order in which actions are listed; of equal ends the first
// state is taken. No state of any best way is left out.
//
// # Windows and edits
//
// In most tunes what comes long after a moment does not depend on what is held there: after 10 to 30 moments the best ways from all of
// its states have met (coalescence). So the costs to go of a moment are found without the end of the tune: a window ahead of it is gone
// through backward twice, with the least and with the most that may be left to pay where it ends. No whole costs less than the best,
// so at least total - F is left behind a state; at most, all must go on by the best way's own state. Where both come to the same,
// that is B (settled). A lattice finds what it is asked about, and keeps it.
//
// After a local change the layers differ from those before by one constant within some moments on either side, for the same reason.
// So an edited lattice shares with the one before it what differs by a constant, and the best way after a change is found from the
// change alone (Edit): a pass over the changed stages, the exact costs to go from there, and the few states on best ways, until these
// are the old way's own.
//
// # What must hold
//
//   - Costs are whole ticks and never negative; sums stay below Inf. So they are exact, and equal totals compare equal.
//   - Actions of one ring leave masks alike: they replace them all, or keep them all, and what is slurred leaves the empty one.
//   - A mask meets stoppers at one moment at most, the next that replaces it included.
//   - Debts.Of(p, q) is never less than what p can cost more than q.
//   - Every state that a state reached leads to is reached (Layer.reached holds the picks of dropped states too).
package trellis
