package setup

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// Bounds of a tune's tags.
const (
	MostTags   = 8
	LongestTag = 24 // characters
)

// ParseTags reads a player's own words for a tune, divided by commas: without spaces around, in lower case,
// each once. The error says what is too long or too much.
func ParseTags(text string) (tags []string, err error) {
	for _, tag := range strings.Split(text, ",") {
		tag = strings.ToLower(strings.Join(strings.Fields(tag), " "))
		switch {
		case tag == "" || slices.Contains(tags, tag):
		case utf8.RuneCountInString(tag) > LongestTag:
			return nil, fmt.Errorf("%q is longer than %d characters: shorten it", tag, LongestTag)
		case len(tags) == MostTags:
			return nil, fmt.Errorf("a tune has at most %d tags: remove some", MostTags)
		default:
			tags = append(tags, tag)
		}
	}
	return tags, nil
}

// TagText is tags as ParseTags reads them.
func TagText(tags []string) string { return strings.Join(tags, ", ") }
