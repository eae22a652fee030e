// Package faults breaks a running installation in every way that happens at home, and looks whether anything
// that was acknowledged is lost and whether it gets up again by itself. In full with STEPPING_FAULTS=1 (make
// faults).
package faults

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"stepping/localdb"
)

// rounds is how often a test does its worst.
func rounds(short, full int) int {
	if os.Getenv("STEPPING_FAULTS") == "1" {
		return full
	}
	return short
}

// alsoWorse skips what the short form leaves out: it is a first start that is killed, and no more.
func alsoWorse(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("the short form kills a first start alone")
	}
}

var program string

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "stepping-faults")
		if err != nil {
			fmt.Println(err)
			return 1
		}
		defer os.RemoveAll(dir)
		program = filepath.Join(dir, "stepping")
		if out, err := exec.Command("go", "build", "-o", program, "stepping/cmd/stepping").CombinedOutput(); err != nil {
			fmt.Printf("%v: %s\n", err, out)
			return 1
		}
		return m.Run()
	}())
}

// place is a directory that the database's user can be let into.
func place(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "stepping-fault")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

// copyOf is one running copy of the program.
type copyOf struct {
	t    *testing.T
	cmd  *exec.Cmd
	url  string
	said *strings.Builder
	end  chan struct{}
}

var readyLine = regexp.MustCompile(`ready: (http://\S+)/`)

// start runs the program; with wait until it is ready.
func start(t *testing.T, dir string, wait bool, env ...string) *copyOf {
	t.Helper()
	c := &copyOf{t: t, said: &strings.Builder{}, end: make(chan struct{})}
	c.cmd = exec.Command(program, "demo")
	c.cmd.Env = append(os.Environ(), append([]string{"STEPPING_ADDR=127.0.0.1:0", "STEPPING_DATA=" + filepath.Join(dir, "db")}, env...)...)
	c.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	pipe, err := c.cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	c.cmd.Stderr = c.said
	if err := c.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	ready := make(chan string, 1)
	go func() {
		defer close(c.end)
		for lines := bufio.NewScanner(pipe); lines.Scan(); {
			if m := readyLine.FindStringSubmatch(lines.Text()); m != nil {
				ready <- m[1]
			}
		}
		_ = c.cmd.Wait()
	}()
	t.Cleanup(c.kill)
	if wait {
		select {
		case c.url = <-ready:
		case <-c.end:
			t.Fatalf("the program ended: %s", c.said)
		case <-time.After(2 * time.Minute): // on a busy machine, after a kill
			t.Fatalf("not ready after two minutes: %s", c.said)
		}
	}
	return c
}

func (c *copyOf) kill() {
	_ = c.cmd.Process.Kill()
	<-c.end
}

// database is the process of the private server that the copy runs.
func (c *copyOf) database() (pid int, ok bool) {
	out, err := exec.Command("pgrep", "-P", strconv.Itoa(c.cmd.Process.Pid), "mariadbd").Output()
	if err != nil {
		return 0, false
	}
	pid, err = strconv.Atoi(strings.Fields(string(out))[0])
	return pid, err == nil
}

var client = http.Client{Timeout: 20 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

func get(u string) (status int, body string, err error) {
	res, err := client.Get(u)
	if err != nil {
		return 0, "", err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	return res.StatusCode, string(text), err
}

// add adds a tune and returns its address; ok says that it was acknowledged.
func add(base, title string) (path string, ok bool) {
	res, err := client.PostForm(base+"/tunes", url.Values{"tuning": {"Open D"}, "abc": {"T:" + title + "\nM:4/4\nL:1/8\nK:D\n\"D\"D F A d A F D2|"}})
	if err != nil {
		return "", false
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, res.Body)
	return res.Header.Get("Location"), res.StatusCode == http.StatusSeeOther
}

// TestFirstStart: a first start that is killed at any moment starts again, and makes the player and the demo tunes once.
func TestFirstStart(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(5, 5))
	for range rounds(1, 20) {
		dir := place(t)
		for range rounds(1, 2) {
			c := start(t, dir, false)
			time.Sleep(time.Duration(rng.IntN(3500)) * time.Millisecond)
			c.kill()
		}
		c := start(t, dir, true)
		if _, body, err := get(c.url + "/"); err != nil || strings.Count(body, `class="tune-title"`) != 3 {
			t.Errorf("after killed starts: %d tunes, %v\n%s", strings.Count(body, `class="tune-title"`), err, c.said)
		}
		c.kill()
	}
}

// writers add tunes, read each back, and remember which were acknowledged. The pause keeps them below the
// thousand tunes of an owner.
type writers struct {
	mu      sync.Mutex
	base    string
	kept    map[string]string // titles by address
	refused int
	missing int // acknowledged, and not found by who was asked next
	quit    chan struct{}
	all     sync.WaitGroup
}

func startWriters(base string, count int, pause time.Duration) *writers {
	w := &writers{base: base, kept: map[string]string{}, quit: make(chan struct{})}
	for i := range count {
		w.all.Go(func() {
			for n := 0; ; n++ {
				select {
				case <-w.quit:
					return
				case <-time.After(pause):
					w.write(fmt.Sprintf("Writer %d tune %d", i, n))
				}
			}
		})
	}
	return w
}

func (w *writers) write(title string) {
	w.mu.Lock()
	to := w.base
	w.mu.Unlock()
	path, ok := add(to, title)
	missing := false
	if ok {
		status, _, err := get(to + path + "/tune.abc")
		missing = err == nil && status == http.StatusNotFound
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if !ok {
		w.refused++
		return
	}
	w.kept[path] = title
	if missing {
		w.missing++
	}
}

// moveTo says where to write from now on.
func (w *writers) moveTo(base string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.base = base
}

func (w *writers) stop() {
	close(w.quit)
	w.all.Wait()
}

// TestKills: writers go on while the program, its database or both are killed; every acknowledged tune is there at the end.
func TestKills(t *testing.T) {
	alsoWorse(t)
	dir := place(t)
	c := start(t, dir, true)
	w := startWriters(c.url, 3, time.Duration(rounds(20, 200))*time.Millisecond)
	rng := rand.New(rand.NewPCG(7, 7))
	for i := range rounds(4, 40) {
		time.Sleep(time.Duration(300+rng.IntN(900)) * time.Millisecond)
		db, ok := c.database()
		if i%4 > 0 && ok { // the database alone twice, then both
			_ = syscall.Kill(db, syscall.SIGKILL)
		}
		if i%2 == 0 || i%4 == 3 {
			c.kill()
			c = start(t, dir, true)
			w.moveTo(c.url)
		}
	}
	time.Sleep(2 * time.Second)
	w.stop()
	t.Logf("figure: %d tunes acknowledged, %d tries refused", len(w.kept), w.refused)
	if len(w.kept) < 10 {
		t.Fatal("hardly anything was written")
	}
	for path, title := range w.kept {
		if status, body, err := get(c.url + path + "/tune.abc"); status != 200 || !strings.Contains(body, title) {
			t.Errorf("%s (%s) is lost: %d %v", title, path, status, err)
		}
	}
}

// TestHung: a database that is stopped makes 503 within a few seconds, and answers again when it goes on; a
// write that waits comes through.
func TestHung(t *testing.T) {
	alsoWorse(t)
	t.Parallel()
	c := start(t, place(t), true)
	db, ok := c.database()
	if !ok {
		t.Fatal("no database")
	}
	_ = syscall.Kill(db, syscall.SIGSTOP)
	began := time.Now()
	status, body, err := get(c.url + "/")
	took := time.Since(began)
	t.Logf("figure: %d after %v beside a hung database", status, took.Round(time.Millisecond))
	if status != http.StatusServiceUnavailable || !strings.Contains(body, "is not responding") || took > 12*time.Second {
		t.Errorf("%d after %v: %v", status, took, err)
	}
	_ = syscall.Kill(db, syscall.SIGCONT)
	if status, _, err := get(c.url + "/"); status != 200 {
		t.Errorf("afterwards: %d %v", status, err)
	}
	_ = syscall.Kill(db, syscall.SIGKILL) // a write at once after a death waits for the new server
	if path, ok := add(c.url, "In between"); !ok {
		if status, _, _ := get(c.url + "/"); status != 503 {
			t.Errorf("a write while the database starts again: %q, then %d", path, status)
		}
	}
}

// TestCopies: several copies start at once on one empty database; all come up, and there is one first player with their tunes.
func TestCopies(t *testing.T) {
	alsoWorse(t)
	t.Parallel()
	db, err := localdb.Start(context.Background(), place(t))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Stop()
	for round := range rounds(1, 6) {
		dsn, err := db.NewDatabase(context.Background(), fmt.Sprintf("stepping_copies%d", round))
		if err != nil {
			t.Fatal(err)
		}
		var copies []*copyOf
		var all sync.WaitGroup
		dir := place(t)
		var mu sync.Mutex
		for range 4 {
			all.Go(func() {
				c := start(t, dir, true, "STEPPING_DSN="+dsn)
				mu.Lock()
				copies = append(copies, c)
				mu.Unlock()
			})
		}
		all.Wait()
		for _, c := range copies {
			if _, body, err := get(c.url + "/"); err != nil || strings.Count(body, `class="tune-title"`) != 3 {
				t.Errorf("a copy shows %d tunes: %v", strings.Count(body, `class="tune-title"`), err)
			}
			c.kill()
		}
	}
}

// TestBackup: a backup taken while tunes are written holds all that was acknowledged before it began, and a
// restore elsewhere has them.
func TestBackup(t *testing.T) {
	alsoWorse(t)
	t.Parallel()
	dir := place(t)
	c := start(t, dir, true)
	var before []string
	for i := range rounds(5, 50) {
		if path, ok := add(c.url, fmt.Sprint("Before ", i)); ok {
			before = append(before, path)
		}
	}
	quit := make(chan struct{})
	var writer sync.WaitGroup
	writer.Go(func() {
		for i := 0; ; i++ {
			select {
			case <-quit:
				return
			default:
				add(c.url, fmt.Sprint("During ", i))
			}
		}
	})
	file := filepath.Join(dir, "all.zip")
	run := func(dir string, args ...string) string {
		cmd := exec.Command(program, args...)
		cmd.Env = append(os.Environ(), "STEPPING_DATA="+filepath.Join(dir, "db"))
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %v %s", args, err, out)
		}
		return string(out)
	}
	run(dir, "backup", file)
	close(quit)
	writer.Wait()
	other := place(t)
	run(other, "restore", file)
	d := start(t, other, true)
	for _, path := range before {
		if status, _, err := get(d.url + path + "/tune.abc"); status != 200 {
			t.Errorf("%s is not in the backup: %d %v", path, status, err)
		}
	}
}

// peak is the most memory that a process has had, in MiB.
func (c *copyOf) peak() int {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", c.cmd.Process.Pid))
	if err != nil {
		c.t.Fatal(err)
	}
	_, text, _ := strings.Cut(string(data), "VmHWM:")
	kib, _ := strconv.Atoi(strings.Fields(text)[0])
	return kib >> 10
}

// TestMemory: many plans with their alternatives, then many rankings at once, stay within bounds.
func TestMemory(t *testing.T) {
	alsoWorse(t)
	c := start(t, place(t), true)
	bars := "\"D\"D2 F A d A F D|\"G\"G B d2 B A G2|\"A7\"A c e2 c A G E|\"D\"d A F A D4|"
	var paths []string
	for i := range 50 {
		res, err := client.PostForm(c.url+"/tunes", url.Values{"tuning": {"Open D"},
			"abc": {fmt.Sprintf("T:Tune %d\nM:4/4\nL:1/8\nQ:1/4=%d\nK:D\n%s", i, 70+i, strings.Repeat(bars, 2))}})
		if err != nil || res.StatusCode != http.StatusSeeOther {
			t.Fatal(err)
		}
		res.Body.Close()
		paths = append(paths, res.Header.Get("Location"))
	}
	plans := rounds(6, 300)
	for i := range plans {
		if i >= len(paths) { // another tempo makes another plan
			_, err := client.PostForm(c.url+paths[i%50]+"/settings", url.Values{"version": {strconv.Itoa(i / 50)},
				"tempo": {strconv.Itoa(60 + i/50)}, "tuning": {"Open D"}, "thumb": {"alternating"}})
			if err != nil {
				t.Fatal(err)
			}
		}
		if status, _, err := get(c.url + paths[i%50] + "/at/3"); status != 200 {
			t.Fatal(status, err)
		}
	}
	afterPlans := c.peak()
	for _, path := range paths {
		if res, err := client.PostForm(c.url+path+"/suit", url.Values{"key": {"keep"}}); err != nil || res.StatusCode >= 500 {
			t.Fatal(res, err)
		}
	}
	time.Sleep(time.Duration(rounds(3, 60)) * time.Second)
	afterRankings := c.peak()
	t.Logf("figure: peak memory %d MiB after %d plans, %d MiB after 50 rankings were asked for", afterPlans, plans, afterRankings)
	if afterPlans > 600 || afterRankings > 1024 {
		t.Errorf("%d and %d MiB", afterPlans, afterRankings)
	}
	if status, _, err := get(c.url + "/"); status != 200 {
		t.Error(status, err)
	}
}

// TestFullDisk: on a full disk reading goes on or says what is wrong, nothing acknowledged is lost, and it
// works again once there is room.
func TestFullDisk(t *testing.T) {
	alsoWorse(t)
	t.Parallel()
	dir := place(t)
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=190m,mode=755"); err != nil {
		t.Skipf("no small disk can be made here (%v)", err)
	}
	defer func() {
		for range 50 { // until the database has dropped it
			if err := syscall.Unmount(dir, 0); !errors.Is(err, syscall.EBUSY) {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
	}()
	c := start(t, dir, true)
	defer func() { _ = c.cmd.Process.Signal(syscall.SIGTERM); <-c.end }()
	path, ok := add(c.url, "Before it was full")
	if !ok {
		t.Fatal("not even the first tune")
	}
	full := filepath.Join(dir, "full")
	f, err := os.Create(full)
	if err != nil {
		t.Fatal(err)
	}
	for block := make([]byte, 1<<20); ; {
		if _, err := f.Write(block); err != nil {
			break
		}
	}
	f.Close()
	kept := []string{path}
	for i := range 20 {
		if path, ok := add(c.url, fmt.Sprint("On a full disk ", i)); ok {
			kept = append(kept, path)
		}
	}
	if err := os.Remove(full); err != nil {
		t.Fatal(err)
	}
	for since := time.Now(); ; time.Sleep(200 * time.Millisecond) {
		if path, ok := add(c.url, "There is room again"); ok {
			kept = append(kept, path)
			break
		}
		if time.Since(since) > 40*time.Second {
			t.Fatalf("it does not get up again: %s", c.said)
		}
	}
	for _, path := range kept {
		if status, _, err := get(c.url + path + "/tune.abc"); status != 200 {
			t.Errorf("%s is lost: %d %v", path, status, err)
		}
	}
}
