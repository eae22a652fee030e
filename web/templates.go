package web

import (
	"fmt"
	"html/template"
	"slices"

	"github.com/google/uuid"
)

// viewFuncs are the functions that templates may call.
var viewFuncs = template.FuncMap{
	"asset": asset,
	"key":   uuid.NewString, // of a form: sent twice it is one
	"list":  func(words ...string) []string { return words },
	"px":    func(x float64) string { return fmt.Sprintf("%.1f", x) },
	"add":   func(a, b float64) float64 { return a + b },
	"sub":   func(a, b float64) float64 { return a - b },
	"half":  func(a float64) float64 { return a / 2 },
	"times": func(n int, by float64) float64 { return float64(n) * by },
	"in":    func(s string, list ...string) bool { return slices.Contains(list, s) },
	"dict": func(kv ...any) map[string]any { // a template's arguments by name
		m := map[string]any{}
		for i := 0; i+1 < len(kv); i += 2 {
			m[kv[i].(string)] = kv[i+1]
		}
		return m
	},
}
