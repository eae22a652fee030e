package web_test

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"stepping/core/coretest"
	"stepping/core/sheet"
	"stepping/core/sound"
	"stepping/formats/musicxml"
	"stepping/store"
)

// leftovers are the files that requests may have left in the directory for such.
func leftovers(t *testing.T) (out []string) {
	t.Helper()
	for _, kind := range []string{"multipart-*", "stepping-*"} {
		found, err := filepath.Glob(filepath.Join(os.TempDir(), kind))
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, found...)
	}
	return out
}

// raw sends the beginning of a request by hand, and returns the status of the answer, 0 if there is none in time.
func raw(t *testing.T, s *site, method, path, cookie string, length int, body []byte, patience time.Duration) (status int) {
	t.Helper()
	conn, err := net.Dial("tcp", s.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(conn, "%s %s HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: multipart/form-data; boundary=edge\r\nContent-Length: %d\r\n%s\r\n", method, path, length, cookie)
	_, _ = conn.Write(body)
	_ = conn.SetReadDeadline(time.Now().Add(patience))
	res, err := http.ReadResponse(bufio.NewReader(conn), nil)
	if err != nil {
		return 0
	}
	defer res.Body.Close()
	return res.StatusCode
}

// TestBodies: every address that takes a body refuses it from a stranger before it is read, slow or large; and whatever is sent
// by somebody who is let in, too large, given up half-way, twice, nothing of it is left in a file.
func TestBodies(t *testing.T) {
	t.Parallel()
	s := guardedSite(t)
	mine := s.newAccount(t, store.FirstLink, "Ash Fernlow")
	at, err := url.Parse(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	cookie := ""
	for _, c := range mine.Jar.Cookies(at) {
		cookie += c.Name + "=" + c.Value + "; "
	}
	cookie = "Cookie: " + cookie + "\r\n"
	head := []byte("--edge\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a.wav\"\r\n\r\n")
	large := append(bytes.Clone(head), bytes.Repeat([]byte("x"), 4<<20)...)
	tune := s.tunePath(t, 0)
	n := 0
	var sent sync.WaitGroup
	for _, route := range s.app.Routes() {
		method, path, _ := strings.Cut(route, " ")
		if method != "POST" && method != "PUT" {
			continue
		}
		n++
		path = strings.NewReplacer("/tunes/:id", tune, ":id", strings.TrimPrefix(tune, "/tunes/"), ":take", "x", ":n", "0", ":secret", "x").Replace(path)
		open := path == "/sign-in" || strings.HasPrefix(path, "/welcome/")
		sent.Go(func() {
			if !open {
				if status := raw(t, s, method, path, "", len(large), head, untilLimit); status != http.StatusUnauthorized {
					t.Errorf("%s %s, a stranger who sends slowly: %d", method, path, status)
				}
			}
			if status := raw(t, s, method, path, "", len(large), large, untilLimit); !open && status != http.StatusUnauthorized && status != 0 || status/100 == 2 {
				t.Errorf("%s %s, a stranger who sends much: %d", method, path, status)
			}
		})
		for range 2 {
			if path == "/sign-out" || strings.HasPrefix(path, "/account/") {
				break
			}
			sent.Go(func() {
				if status := raw(t, s, method, path, cookie, len(large), large, time.Second/10); status/100 == 5 {
					t.Errorf("%s %s, too much or given up: %d", method, path, status)
				}
			})
		}
	}
	sent.Wait()
	if n < 60 {
		t.Errorf("only %d addresses take a body", n)
	}
	if left := leftovers(t); len(left) > 0 {
		t.Errorf("left behind: %q", left)
	}
}

// part sends one part of an upload, as the page's script does.
func (c *caller) part(id string, n int, data []byte, digest string) (status int, fault string) {
	c.t.Helper()
	req, err := http.NewRequest("PUT", fmt.Sprintf("%s/uploads/%s/%d", c.site.URL, id, n), bytes.NewReader(data))
	if err != nil {
		c.t.Fatal(err)
	}
	req.Header.Set("Content-Digest", digest)
	res, err := c.Do(req)
	if err != nil {
		c.t.Fatal(err)
	}
	defer res.Body.Close()
	var body struct{ Fault string }
	_ = json.NewDecoder(res.Body).Decode(&body)
	return res.StatusCode, body.Fault
}

func digestOf(data []byte) string {
	sum := sha256.Sum256(data)
	return "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
}

// TestUpload: a recording comes in parts, in any order and more than once, is given twice, and is one recording; what is missing,
// changed, too large or another's is refused and said why; nothing of the parts is left when the work is done.
func TestUpload(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	c := s.caller(t)
	tune := s.tunePath(t, 1)
	data := recording(t, s, &sound.Faults{RoomDB: -60})
	var parts [][]byte
	for rest := data; len(rest) > 0; rest = rest[len(parts[len(parts)-1]):] {
		parts = append(parts, rest[:min(len(rest), store.UploadPart)])
	}
	if len(parts) < 2 {
		t.Fatalf("the recording has %d bytes: too short for this test", len(data))
	}
	begin := url.Values{"kind": {"take"}, "tune": {strings.TrimPrefix(tune, "/tunes/")}, "name": {"take one.wav"}, "size": {fmt.Sprint(len(data))}, "token": {"a"}}
	id := func(form url.Values) (id string) {
		t.Helper()
		var got struct{ ID, Place string }
		if status, body, _ := c.ask("/uploads", form); status != 200 || json.Unmarshal([]byte(body), &got) != nil || got.Place != "" {
			t.Fatal(status, body)
		}
		return got.ID
	}
	up := id(begin)
	if again := id(begin); again != up {
		t.Errorf("begun again it is another: %s, %s", up, again)
	}
	for _, wrong := range []struct {
		change url.Values
		status int
	}{{url.Values{"kind": {"picture"}}, 404}, {url.Values{"tune": {up}}, 404}, {url.Values{"size": {"2000000000"}}, 413}, {url.Values{"size": {"0"}}, 422},
		{url.Values{"kind": {"draft"}}, 404}} {
		form := url.Values{}
		for _, from := range []url.Values{begin, {"token": {"b"}}, wrong.change} {
			for name, v := range from {
				form[name] = v
			}
		}
		if status, body, _ := c.ask("/uploads", form); status != wrong.status || !strings.Contains(body, "fault") {
			t.Errorf("%v: %d %s", wrong.change, status, body)
		}
	}
	give := func(n int) (status int) {
		status, _, _ = c.ask("/uploads/"+up+"/given", url.Values{"parts": {fmt.Sprint(n)}, "keep": {"1"}})
		return status
	}
	order := rand.Perm(len(parts))
	for i, n := range append(order, order...) {
		if status, fault := c.part(up, n, parts[n], digestOf(parts[n])); status != http.StatusNoContent {
			t.Errorf("part %d: %d %s", n, status, fault)
		}
		if i < len(parts)-1 && give(len(parts)) != http.StatusConflict {
			t.Error("it is given before all of it is there")
		}
	}
	for _, wrong := range []struct {
		n      int
		data   []byte
		digest string
		status int
	}{{0, []byte("other"), digestOf([]byte("other")), 409}, {0, parts[0], digestOf([]byte("x")), 400}, {5, []byte("x"), "", 400},
		{9, make([]byte, store.UploadPart+1), digestOf(make([]byte, store.UploadPart+1)), 413}, {-1, []byte("x"), digestOf([]byte("x")), 413}} {
		if status, fault := c.part(up, wrong.n, wrong.data, wrong.digest); status != wrong.status || fault == "" {
			t.Errorf("part %d of %d bytes: %d %q", wrong.n, len(wrong.data), status, fault)
		}
	}
	for range 2 {
		if status := give(len(parts)); status != 200 {
			t.Errorf("given: %d", status)
		}
	}
	status, page := followed(t, http.DefaultClient, mustGet(t, s.URL+"/uploads/"+up), nil)
	if status != 200 || page.Find(".take-own").Length() != 1 {
		t.Errorf("%d %.300s", status, text(page.Find("main")))
	}
	if got := s.page(t, tune+"/take").Find(".take-kept tbody tr").Length(); got != 1 {
		t.Errorf("%d recordings", got)
	}
	for end := time.Now().Add(untilLimit); ; time.Sleep(10 * time.Millisecond) {
		kept, err := s.store.Upload(t.Context(), s.owner, uuid.MustParse(up))
		if err == nil && kept.Bytes == 0 {
			break
		}
		if err != nil || time.Now().After(end) {
			t.Fatalf("its parts are still here: %+v %v", kept, err)
		}
	}
	if status, _ := c.part(up, 0, parts[0], digestOf(parts[0])); status != http.StatusConflict {
		t.Errorf("a part after the end: %d", status)
	}
}

func mustGet(t *testing.T, at string) *http.Response {
	t.Helper()
	res, err := http.Get(at)
	if err != nil {
		t.Fatal(err)
	}
	return res
}

// TestUploadPage: the page's script sends a large file of music in parts, over a line that breaks, and a small one with its form.
func TestUploadPage(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.expect()
	b.open("/")
	var xml bytes.Buffer
	if err := musicxml.Write(&xml, sheet.Of(coretest.Wander(5, 24))); err != nil {
		t.Fatal(err)
	}
	long := xml.String() + "<!-- " + strings.Repeat("words and ", 150000) + "-->\n"
	eval[bool](b, `(() => {
		const ask = window.fetch;
		let broken = 0;
		window.fetch = (url, options) => (options?.method === 'PUT' && broken++ < 1 ? Promise.reject(new TypeError('gone')) : ask(url, options));
		const held = new DataTransfer();
		held.items.add(new File([`+quote(long)+`], 'long.musicxml'));
		document.getElementById('file').files = held.files;
		document.getElementById('file').form.requestSubmit();
		return true;
	})()`)
	b.until("location.pathname.startsWith('/drafts/')")
	if all := s.drafts(t); all != 1 {
		t.Errorf("%d drafts", all)
	}
}
