package web

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
)

// leaf is one of the panes beside the picture of the moment: one of them is open. Without the script its name is a link to the
// page with it open, or to a page of its own.
type leaf struct {
	ID, Key       string
	Before, After string // the key's letter stands between
	Href          string
}

// Name is the name as one word, of a pane whose key stands in it.
func (l leaf) Name() string { return l.Before + l.Key + l.After }

// leaves are the panes in the order in which they are asked for. Pace and Vary take time to work out, and have
// pages of their own.
var leaves = []leaf{
	{ID: "time", Key: "t", After: "ime"}, {ID: "why", Key: "w", After: "hy"}, {ID: "elsewhere", Key: "e", After: "lsewhere"},
	{ID: "silence", Key: "s", After: "ilence"},
	{ID: "pace", Key: "p", After: "ace", Href: "pace"}, {ID: "vary", Key: "v", After: "ary", Href: "variations"},
	{ID: "setup", Key: "y", Before: "Setup "},
}

// leafOr is the name of a pane that is drawn with the page, "time" for anything else.
func leafOr(name string) string {
	if slices.ContainsFunc(leaves, func(l leaf) bool { return l.ID == name && l.Href == "" }) {
		return name
	}
	return leaves[0].ID
}

// leavesAt are the panes with their addresses, for moment m of a tune.
func leavesAt(tune string, m int) []leaf {
	out := slices.Clone(leaves)
	for i := range out {
		if l := &out[i]; l.Href == "" {
			l.Href = "?" + url.Values{"m": {strconv.Itoa(m)}, "leaf": {l.ID}}.Encode()
		} else {
			l.Href = fmt.Sprintf("/tunes/%s/%s?m=%d", tune, l.Href, m)
		}
	}
	return out
}
