// Package golden compares what code says with files that say what it should: testdata/NAME.golden next to the test. With
// -update the files are written instead; read the difference as a player would before it is committed.
package golden

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
)

var update = flag.Bool("update", false, "write the golden files anew")

// T is what is asked of a test.
type T interface {
	Helper()
	Errorf(format string, args ...any)
	Fatalf(format string, args ...any)
}

// Check fails the test at the first line in which got is not what testdata/name.golden holds.
func Check(t T, name, got string) {
	t.Helper()
	file := filepath.Join("testdata", name+".golden")
	if *update {
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			t.Fatalf("%v", err)
		}
		if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
			t.Fatalf("%v", err)
		}
		return
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatalf("%v: write it with -update", err)
	}
	want, have := strings.Split(string(data), "\n"), strings.Split(got, "\n")
	for i := range max(len(want), len(have)) {
		var a, b string
		if i < len(want) {
			a = want[i]
		}
		if i < len(have) {
			b = have[i]
		}
		if a != b {
			at := same(a, b)
			t.Errorf("%s, line %d, column %d (renew with -update, then look at the difference):\nwant …%.200s\ngot  …%.200s",
				file, i+1, at+1, a[max(at-40, 0):], b[max(at-40, 0):])
			return
		}
	}
}

// same is how many bytes two lines begin alike.
func same(a, b string) int {
	n := 0
	for n < min(len(a), len(b)) && a[n] == b[n] {
		n++
	}
	return n
}

// Lines writes a value for people who compare: each field of a struct and each element of a slice on a line of its own,
// without fields that are zero, and numbers to five digits.
func Lines(v any) string {
	var b strings.Builder
	at := reflect.ValueOf(v)
	switch at.Kind() {
	case reflect.Struct:
		for i := range at.NumField() {
			name, field := at.Type().Field(i).Name, at.Field(i)
			if field.Kind() == reflect.Slice {
				for k := range field.Len() {
					fmt.Fprintf(&b, "%s[%d] %s\n", name, k, brief(field.Index(k)))
				}
			} else if !field.IsZero() {
				fmt.Fprintf(&b, "%s %s\n", name, brief(field))
			}
		}
	case reflect.Slice:
		for k := range at.Len() {
			fmt.Fprintf(&b, "[%d] %s\n", k, brief(at.Index(k)))
		}
	default:
		fmt.Fprintln(&b, brief(at))
	}
	return b.String()
}

// brief writes a value on one line.
func brief(v reflect.Value) string {
	if s, ok := v.Interface().(fmt.Stringer); ok && v.Kind() != reflect.Pointer {
		return s.String()
	}
	var parts []string
	switch v.Kind() {
	case reflect.Float64:
		return strconv.FormatFloat(v.Float(), 'g', 5, 64)
	case reflect.String:
		return strconv.Quote(v.String())
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			return "nil"
		}
		return brief(v.Elem())
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() && !v.Field(i).IsZero() {
				parts = append(parts, f.Name+" "+brief(v.Field(i)))
			}
		}
		return "{" + strings.Join(parts, ", ") + "}"
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			parts = append(parts, brief(v.Index(i)))
		}
		return "[" + strings.Join(parts, ", ") + "]"
	}
	return fmt.Sprint(v.Interface())
}
