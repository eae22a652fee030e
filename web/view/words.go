package view

import (
	"unicode"
	"unicode/utf8"
)

// Sentence makes a sentence of an error's text.
func Sentence(text string) string { return Capital(text) + "." }

// Capital begins a sentence.
func Capital(text string) string {
	first, n := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[n:]
}
