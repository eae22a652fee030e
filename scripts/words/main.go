// Command words prints every text that the program says, with its place, so that the English can be read in one sitting: string literals of
// the Go files (by go/ast), what stands between and in the tags of the templates, and strings of the scripts.
//
//	words [DIR]
package main

import (
	"fmt"
	"os"
)

func main() {
	dir := "."
	if len(os.Args) > 1 {
		dir = os.Args[1]
	}
	all, err := Collect(os.DirFS(dir))
	if err != nil {
		fmt.Fprintln(os.Stderr, "words:", err)
		os.Exit(1)
	}
	for _, t := range all {
		fmt.Printf("%s:%d\t%s\n", t.File, t.Line, t.Text)
	}
}
