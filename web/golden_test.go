package web_test

import (
	"errors"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/PuerkitoBio/goquery"

	"stepping/core/pattern"
	"stepping/core/practice"
	"stepping/golden"
	"stepping/store"
)

// passing is what differs from run to run: keys of things, hashes of files, the day.
var passing = []struct {
	is *regexp.Regexp
	to string
}{
	{regexp.MustCompile(`[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}`), "ID"},
	{regexp.MustCompile(`name="key" value="[0-9a-f-]{36}"`), `name="key" value="KEY"`},
	{regexp.MustCompile(`\?v=[0-9a-f]{16}`), "?v=HASH"},
	{regexp.MustCompile(`\d{4}-\d\d-\d\d`), "DAY"},
	{regexp.MustCompile(`\b\d{1,2} (January|February|March|April|May|June|July|August|September|October|November|December)(, \d\d:\d\d)?`), "DAY"},
	{regexp.MustCompile(`\d+ days ago`), "DAYS ago"},
}

// written is the main part of a page, an element on a line, without its drawings: package view holds those.
func written(t *testing.T, page *goquery.Selection) string {
	t.Helper()
	main := page.Find("main")
	main.Find("svg").Each(func(_ int, svg *goquery.Selection) {
		svg.ReplaceWithHtml("[" + svg.AttrOr("aria-label", "drawing") + "]")
	})
	main.Find("select option:nth-child(n+6):not([selected])").Remove()
	html, err := goquery.OuterHtml(main)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range passing {
		html = p.is.ReplaceAllString(html, p.to)
	}
	html = strings.Join(strings.Fields(html), " ")
	return strings.ReplaceAll(html, "> <", ">\n<") + "\n"
}

// lived gives a site what a player has after some weeks: pins, patterns, another melody, a log, a note, a gig, a kept page.
func lived(t *testing.T, s *site) {
	t.Helper()
	ctx := t.Context()
	day := time.Now().AddDate(0, 0, -40)
	tunes, err := s.store.Tunes(ctx, s.owner)
	if err != nil {
		t.Fatal(err)
	}
	pass := func(key, layer string, bars [2]int, tempo float64, v practice.Verdict) practice.Pass {
		return practice.Pass{At: day, Key: key, Layer: layer, Bars: bars, Tempo: tempo, Verdict: v, Seconds: 25}
	}
	err = errors.Join(
		s.store.AddPasses(ctx, s.owner, tunes[1].ID, pass("thumb 1-4", practice.ThumbAlone, [2]int{1, 4}, 60, practice.Clean),
			pass("thumb 1-4", practice.ThumbAlone, [2]int{1, 4}, 66, practice.Clean), pass("thumb 1-4", practice.ThumbAlone, [2]int{1, 4}, 72, practice.Broke),
			pass("thumb 5-8", practice.ThumbAlone, [2]int{5, 8}, 50, practice.Nearly)),
		s.store.SetNote(ctx, s.owner, tunes[1].ID, 2, "keep the ring finger down"),
		s.store.SetTags(ctx, s.owner, tunes[0].ID, []string{"slow", "evening"}))
	if _, e := s.store.Patterns().Add(ctx, s.owner, &pattern.Library[3]); e != nil {
		err = errors.Join(err, e)
	}
	if _, e := s.store.Pages().Add(ctx, s.owner, &store.Page{Name: "Two guitars", Kind: "set", Query: "guitars=2"}); e != nil {
		err = errors.Join(err, e)
	}
	if err != nil {
		t.Fatal(err)
	}
	path := s.tunePath(t, 0)
	s.send(t, s.page(t, path+"?leaf=elsewhere&m=3&wait=1"), "/pin", nil)
	version := s.page(t, path).Find(`input[name=version]`).First().AttrOr("value", "")
	s.ask(t, "POST", path+"/sections", url.Values{"version": {version}, "bar": {"9"}, "pattern": {"Waltz, root and pair"}})
}

// TestGoldenPages: what pages say and offer, to the word, of a player who has been at it for a while.
func TestGoldenPages(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	guitar, slide := s.shelved(t)
	lived(t, s)
	first, second := s.tunePath(t, 0), s.tunePath(t, 1)
	profiles, err := s.store.Profiles(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	profile := "/profiles/" + profiles[0].ID.String()
	own, err := s.store.Patterns().All(t.Context(), s.owner)
	if err != nil {
		t.Fatal(err)
	}
	_, _, draft := s.ask(t, "POST", "/drafts", url.Values{"abc": {strings.Replace(aTab, "|5---4---2---0---|", "|5---4---3---0---|", 1)}})
	_, _, neck := s.ask(t, "POST", "/neck", url.Values{})
	for _, k := range strings.Fields("chord:D 0 2 eighth 4 5 slide 7 slide 5 chord:G put:2:5 quarter 2 with put:6:0") {
		s.ask(t, "POST", neck.Get("Location")+"/key", url.Values{"key": {k}})
	}
	var ids []string
	for n := range 3 {
		ids = append(ids, strings.TrimPrefix(s.tunePath(t, n), "/tunes/"))
	}
	closer := ids[0]
	for _, page := range [][2]string{
		{"account", "/account"},
		{"profiles", "/profiles"},
		{"profile", profile},
		{"hands", profile + "/hands"},
		{"taste", profile + "/taste"},
		{"intune", profile + "/slide?kind=there&tuning=Open+D&seed=1800000000000"},
		{"guitar", guitar},
		{"slides", "/slides"},
		{"slide", slide},
		{"patterns", "/patterns"},
		{"pattern", "/patterns/" + own[0].ID.String()},
		{"set", "/set"},
		{"set-two", "/set?guitars=2&closer=" + closer + "&t=" + strings.Join(ids, "&t=")},
		{"bench", "/bench?from=Standard&to=Open+D&i=2&scale=blues"},
		{"bench-own", "/bench?from=Open+D&to=D2+A2+D3+F3+A3+E4&key=D&hz=442"},
		{"bench-no-key", "/bench?from=Standard&to=Open+G&key="},
		{"chords", "/chords?c=D+|+G7+|+Am+D|+A7&tuning=Open+D&i=1&pattern=Slap+on+two+and+four&tempo=120"},
		{"chords-plain", "/chords?c=C+|+F&capo=2"},
		{"draft", draft.Get("Location")},
		{"neck", neck.Get("Location")},
		{"plan", first + "?m=3&wait=1&leaf=elsewhere"},
		{"plan-pace", second + "?m=13&wait=1&leaf=pace"},
		{"plan-silence", second + "?m=5&wait=1&leaf=silence"},
		{"pace", second + "/pace"},
		{"variations", first + "/variations?m=4"},
		{"compare", second + "/compare"},
		{"practise", second + "/practise"},
		{"ladder", second + "/ladder"},
		{"log", second + "/log"},
		{"hear", first + "/hear?bars=3-4&layer=melody&tempo=70&count=2"},
		{"away", first + "/away"},
		{"text", first + "/text"},
		{"tune-slides", first + "/slides"},
		{"suit", first + "/suit"},
		{"take", second + "/take"},
		{"whole", second + "/whole"},
		{"today", "/today?minutes=15"},
		{"home-found", "/?find=rag&sort=near"},
		{"home", "/"},
	} {
		golden.Check(t, "pages/"+page[0], written(t, s.page(t, page[1])))
	}
}
