package web_test

import (
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

//go:embed testdata/vendor/axe.min.js
var axe string

// fakeMicrophone is the file that the browser hears in place of a microphone, from its beginning whenever one is opened.
var fakeMicrophone = filepath.Join(os.TempDir(), fmt.Sprintf("stepping-microphone-%d.wav", os.Getpid()))

var browserContext = sync.OnceValues(func() (context.Context, error) {
	ctx, _ := chromedp.NewExecAllocator(context.Background(), chromedp.ExecPath("chromium-headless-shell"), chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.NoFirstRun, chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true), chromedp.Flag("use-fake-device-for-media-stream", true),
		chromedp.Flag("use-fake-ui-for-media-stream", true), chromedp.Flag("use-file-for-fake-audio-capture", fakeMicrophone),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-dev-shm-usage", true))
	ctx, _ = chromedp.NewContext(ctx)
	return ctx, chromedp.Do(ctx, chromedp.Navigate("about:blank"))
})

// tab is one browser tab; any console error, exception or blocked request fails the test.
type tab struct {
	t    *testing.T
	ctx  context.Context
	base string
	mu   sync.Mutex
	bad  []string
	wait bool // a status of 4xx is expected
}

func newTab(t *testing.T, s *site, w, h int64) *tab {
	t.Helper()
	if os.Getenv("STEPPING_NO_BROWSER") != "" {
		t.Skip("without a browser")
	}
	parent, err := browserContext()
	if err != nil {
		t.Fatalf("tests need chromium: %v", err)
	}
	b := &tab{t: t, base: s.URL}
	ctx, cancel := chromedp.NewContext(parent, chromedp.WithListener(b.listen), chromedp.WithNewBrowserContext()) // with cookies of its own
	t.Cleanup(cancel)
	if end, ok := t.Deadline(); ok { // leave time to say what was waited for
		var stop context.CancelFunc
		ctx, stop = context.WithDeadline(ctx, end.Add(-10*time.Second))
		t.Cleanup(stop)
	}
	b.ctx = ctx
	b.do(chromedp.EmulateViewport(w, h))
	t.Cleanup(func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		for _, msg := range b.bad {
			t.Errorf("browser: %s", msg)
		}
	})
	return b
}

func (b *tab) listen(ev any) {
	b.mu.Lock()
	defer b.mu.Unlock()
	switch e := ev.(type) {
	case *runtime.EventExceptionThrown:
		b.bad = append(b.bad, fmt.Sprint("exception: ", e.ExceptionDetails.Text, e.ExceptionDetails.Exception))
	case *runtime.EventConsoleAPICalled:
		if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
			b.bad = append(b.bad, fmt.Sprintf("console: %v", e.Args))
		}
	case *cdplog.EventEntryAdded:
		if e.Entry.Level == cdplog.EntryLevelError && !(b.wait && strings.Contains(e.Entry.Text, "status of 4")) {
			b.bad = append(b.bad, "log: "+e.Entry.Text+" "+e.Entry.URL)
		}
	}
}

// expect allows answers of status 4xx from now on.
func (b *tab) expect() { b.mu.Lock(); b.wait = true; b.mu.Unlock() }

func (b *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	for _, step := range steps {
		err := chromedp.Do(b.ctx, step)
		for err != nil && strings.Contains(err.Error(), "node with given id") && b.ctx.Err() == nil {
			// The page was replaced between finding the node and using it; nothing was done yet.
			err = chromedp.Do(b.ctx, step)
		}
		if err != nil {
			b.t.Fatal(err)
		}
	}
}

func eval[T any](b *tab, js string) T {
	b.t.Helper()
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[T](js))
	if err != nil {
		b.t.Fatalf("%.300s: %v", js, err)
	}
	return v
}

// untilLimit is longer than anything that a test waits for takes, also on a busy machine.
const untilLimit = 2 * time.Minute

// settled is true of a page that has its styles and was drawn: before that a button is still elsewhere, and a
// click where it was found reaches nothing. Nobody presses what they do not see.
const settled = "document.readyState === 'complete' && performance.getEntriesByType('paint').length > 0"

// until waits until the page is settled and the expression is true.
func (b *tab) until(js string) {
	b.t.Helper()
	for end := time.Now().Add(untilLimit); b.ctx.Err() == nil && time.Now().Before(end); time.Sleep(25 * time.Millisecond) {
		ok, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool]("(() => { try { return "+settled+" && Boolean("+js+") } catch { return false } })()"))
		if err != nil && !strings.Contains(err.Error(), "navigated") { // a page that is just being left has not answered
			b.t.Fatalf("%s: %v", js, err)
		}
		if ok {
			return
		}
	}
	b.t.Fatalf("never true: %s\n%s", js, b.text("main"))
}

func (b *tab) open(path string) {
	b.t.Helper()
	b.do(chromedp.Navigate(b.base + path))
	if strings.Count(path, "/") == 2 && strings.HasPrefix(path, "/tunes/") {
		b.until("window.Alpine && document.querySelector('#lectern')._x_dataStack && !document.querySelector('[data-waiting]')")
	}
}

func (b *tab) key(keys string, opts ...chromedp.KeyOption) {
	b.t.Helper()
	b.do(chromedp.KeyEvent(keys, opts...))
}

func (b *tab) text(sel string) string {
	b.t.Helper()
	return eval[string](b, "(() => { const e = document.querySelector("+quote(sel)+"); return e?.innerText ?? e?.textContent ?? '' })()")
}

func quote(s string) string {
	q, _ := json.Marshal(s)
	return string(q)
}

// accessible runs axe-core on the page: no finding of any weight. Colours are looked at by TestContrast, and here in the
// long tests alone, since that is most of the work.
func (b *tab) accessible(where string) {
	b.t.Helper()
	eval[any](b, axe+";null")
	found, err := chromedp.Run(b.ctx, chromedp.Evaluate[string](fmt.Sprintf(`axe.run(document, {resultTypes: ['violations'], rules: {'color-contrast': {enabled: %t}}})
		.then(r => JSON.stringify(r.violations.map(v => v.id + ': ' + v.help + ' ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | '))))`,
		!testing.Short()), chromedp.EvalAwaitPromise))
	if err != nil {
		b.t.Fatal(err)
	}
	if found != "[]" {
		b.t.Errorf("%s: %s", where, found)
	}
}

func (b *tab) shot(file string) {
	b.t.Helper()
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	if err != nil {
		b.t.Fatal(err)
	}
	if err := os.WriteFile(file, png, 0o644); err != nil {
		b.t.Fatal(err)
	}
}
