package web

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
)

// leaf is one of the panes that open over the neck. Without the script its name is a link to the page with it open, or to a
// page of its own.
type leaf struct {
	ID, Key, Name string
	Href          string
}

// leaves are the panes. Speed and Variations take time to work out, and have pages of their own.
var leaves = []leaf{
	{ID: "why", Key: "w", Name: "Why"}, {ID: "elsewhere", Key: "e", Name: "Other places"}, {ID: "silence", Key: "s", Name: "Quieter"},
	{ID: "pace", Key: "p", Name: "Speed", Href: "pace"}, {ID: "vary", Key: "v", Name: "Variations", Href: "variations"},
	{ID: "setup", Key: "y", Name: "Setup"},
}

// leafOr is the name of a pane that is drawn with the page, "" for anything else.
func leafOr(name string) string {
	if slices.ContainsFunc(leaves, func(l leaf) bool { return l.ID == name && l.Href == "" }) {
		return name
	}
	return ""
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
