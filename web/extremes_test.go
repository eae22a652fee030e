package web_test

import (
	"io"
	"net/http"
	"net/url"
	"runtime"
	"strings"
	"testing"
	"time"

	"golang.org/x/net/html"
)

// form is one on a page, with its fields as a browser would send them.
type form struct {
	page, action string
	post         bool
	fields       url.Values
}

// formsOf reads the forms of a page.
func formsOf(t *testing.T, page, text string) (out []form) {
	t.Helper()
	root, err := html.Parse(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	attr := func(n *html.Node, key string) string {
		for _, a := range n.Attr {
			if a.Key == key {
				return a.Val
			}
		}
		return ""
	}
	var walk func(n *html.Node, in *form)
	walk = func(n *html.Node, in *form) {
		switch n.Data {
		case "form":
			out = append(out, form{page, attr(n, "action"), attr(n, "method") == "post", url.Values{}})
			in = &out[len(out)-1]
		case "input", "select", "textarea", "button":
			if name := attr(n, "name"); in != nil && name != "" {
				in.fields.Set(name, attr(n, "value"))
			}
		case "option":
			for p := n.Parent; p != nil && in != nil; p = p.Parent {
				if p.Data == "select" && (in.fields.Get(attr(p, "name")) == "" || strings.Contains(html.UnescapeString(renderAttrs(n)), "selected")) {
					in.fields.Set(attr(p, "name"), attr(n, "value"))
				}
			}
		}
		for child := n.FirstChild; child != nil; child = child.NextSibling {
			walk(child, in)
		}
	}
	walk(root, nil)
	return out
}

func renderAttrs(n *html.Node) (out string) {
	for _, a := range n.Attr {
		out += " " + a.Key
	}
	return out
}

// TestExtremes sends extreme values in every field of every form of every page: each answer comes soon, none is a fault of the
// server's, and memory stays where it was.
func TestExtremes(t *testing.T) { // alone: it looks at the memory of the whole process
	if testing.Short() {
		t.Skip("the long form has it")
	}
	patientOnly(t)
	s := newSite(t)
	guitar, slide := s.shelved(t)
	tune := s.tunePath(t, 0)
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	profile := "/profiles/" + profiles[0].ID.String()
	_, _, header := s.ask(t, "POST", "/patterns", url.Values{"from": {"Waltz, root and pair"}})
	_, _, neck := s.ask(t, "POST", "/neck", url.Values{})
	_, _, draft := s.ask(t, "POST", "/drafts", url.Values{"abc": {strings.Repeat("|-0-1-2-3-|\n", 6)}})
	pages := []string{neck.Get("Location"), draft.Get("Location"), "/", tune, tune + "/away", tune + "/whole", tune + "/hear",
		tune + "/practise", tune + "/text", tune + "/suit", tune + "/pace", tune + "/variations", "/bench", guitar, "/slides",
		slide, "/set", "/chords", "/patterns", header.Get("Location"), "/profiles", profile, "/account"}
	values := []string{"2147483648", "1e309"}
	if !testing.Short() {
		values = append(values, "-1", strings.Repeat("9", 400), "NaN", "-9223372036854775808", "1e-320", "0", "\x00\xff", "٣", "1/0", strings.Repeat("x", 100_000))
	}
	client := http.Client{Timeout: 10 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	seen, sent := map[string]bool{}, 0
	for _, page := range pages {
		status, text, _ := s.ask(t, "GET", page+"?wait=1", nil)
		if status != 200 {
			t.Fatalf("%s: %d", page, status)
		}
		for _, f := range formsOf(t, page, text) {
			if f.action == "" {
				f.action = page
			}
			if strings.HasSuffix(f.action, "/delete") || f.action == "/look" || strings.HasSuffix(f.action, "/suit") && f.post {
				continue // these take no number, or begin long work
			}
			for name := range f.fields {
				if key := f.action + " " + name; seen[key] || name == "version" {
					continue
				} else {
					seen[key] = true
				}
				for _, v := range values {
					fields := url.Values{}
					for k, v := range f.fields {
						fields[k] = v
					}
					fields.Set(name, v)
					sent++
					s.extreme(t, &client, &f, name, fields)
				}
			}
		}
	}
	if sent < 150 {
		t.Errorf("only %d requests: the forms were not found", sent)
	}
}

func (s *site) extreme(t *testing.T, client *http.Client, f *form, name string, fields url.Values) {
	t.Helper()
	began := time.Now()
	var res *http.Response
	var err error
	if f.post {
		res, err = client.PostForm(s.URL+f.action, fields)
	} else {
		res, err = client.Get(s.URL + f.action + "?" + fields.Encode())
	}
	what := f.action + " " + name + "=" + fields.Get(name)[:min(24, len(fields.Get(name)))]
	if err != nil {
		t.Errorf("%q: %v", what, err)
		return
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, res.Body)
	if res.StatusCode >= 500 {
		t.Errorf("%q: %d", what, res.StatusCode)
	}
	if took := time.Since(began); took > 5*time.Second {
		t.Errorf("%q takes %v", what, took)
	}
	var now runtime.MemStats
	if runtime.ReadMemStats(&now); now.HeapAlloc > 800<<20 {
		t.Fatalf("%q: %d MiB", what, now.HeapAlloc>>20)
	}
}
