package main

import (
	"bytes"
	"context"
	"flag"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	qr "github.com/piglig/go-qr"
	"github.com/santhosh-tekuri/jsonschema/v6"
)

var update = flag.Bool("update", false, "write the golden files anew")

// TestMain lets the test binary be the program: with STEPPING_RUN set it runs main.
func TestMain(m *testing.M) {
	if os.Getenv("STEPPING_RUN") != "" {
		main()
		return
	}
	os.Exit(m.Run())
}

// call runs the program in this process.
func call(args ...string) (status int, out, errOut string) {
	var o, e bytes.Buffer
	status = run(context.Background(), args, &o, &e)
	return status, o.String(), e.String()
}

var demoFiles = []struct{ file, tuning, thumb string }{
	{"lantern-on-the-weir", "Open D", "alternating"}, {"tin-bucket-rag", "D G D G B D", "alternating"},
	{"coal-smoke-morning", "Open D minor", "steady"},
}

// TestPlanDocument checks the documents of the demo tunes and of faulty players' ones
// against the published schema, and that the same input gives the same bytes.
func TestPlanDocument(t *testing.T) {
	schema, err := jsonschema.NewCompiler().Compile("../../docs/plan.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	playerFile := filepath.Join(t.TempDir(), "player.json")
	if err := os.WriteFile(playerFile, []byte(`{"slideFinger": 3, "silence": "heel", "fingers": 3, "drone": false}`), 0o600); err != nil {
		t.Fatal(err)
	}
	lapFile, chords := filepath.Join(t.TempDir(), "lap.json"), filepath.Join(t.TempDir(), "chords.abc")
	if err := os.WriteFile(lapFile, []byte(`{"posture": "lap", "slide": {"lengthMm": 80}}`), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(chords, []byte("L:1/4\nK:D\n\"D\"[FA] [FAd] d ^/F|\"G\"[GB]2 B/2A/2 G|"), 0o600); err != nil {
		t.Fatal(err)
	}
	files := append(slices.Clone(demoFiles), struct{ file, tuning, thumb string }{chords, "Open D", "steady"})
	for i, d := range files {
		if testing.Short() && i%2 == 1 {
			continue
		}
		extras := [][]string{nil, {"--capo", "1", "--tempo", "70", "--player", playerFile}, {"--player", lapFile}}
		if testing.Short() {
			extras = extras[i%len(extras):][:1]
		}
		for _, extra := range extras {
			file := d.file
			if file != chords {
				file = "../../demo/tunes/" + d.file + ".abc"
			}
			args := append([]string{"plan", file, "--tuning", d.tuning, "--thumb", d.thumb, "--json"}, extra...)
			status, out, errOut := call(args...)
			if extra != nil && status == exitInput && strings.Contains(errOut, "below the lowest") {
				continue // the capo lifted the lowest string over the tune
			}
			if status != exitOK || errOut != "" {
				t.Fatalf("%s: %d %s", d.file, status, errOut)
			}
			doc, err := jsonschema.UnmarshalJSON(strings.NewReader(out))
			if err != nil {
				t.Fatal(err)
			}
			if err := schema.Validate(doc); err != nil {
				t.Errorf("%s: %v", d.file, err)
			}
			if _, again, _ := call(args...); again != out {
				t.Errorf("%s: two runs differ", d.file)
			}
		}
	}
}

// Golden files: the readable tables of the demo tunes, and of players who do otherwise; renew with
// -update and read the difference as a player would.
func TestPlanTables(t *testing.T) {
	type table struct {
		name, tune, player string
		args               []string
	}
	var tables []table
	for _, d := range demoFiles {
		tables = append(tables, table{d.file, d.file, "", []string{"--tuning", d.tuning, "--thumb", d.thumb}})
	}
	slow := demoFiles[0]
	tables = append(tables,
		table{"lap", slow.file, `{"posture":"lap","silence":"lap"}`, []string{"--tuning", slow.tuning, "--thumb", slow.thumb}},
		table{"capo", demoFiles[1].file, "", []string{"--tuning", demoFiles[1].tuning, "--thumb", demoFiles[1].thumb, "--capo", "2"}},
		table{"heel", slow.file, `{"silence":"heel","support":"heel","fingers":1,"slideFinger":3,"lean":"slide"}`,
			[]string{"--tuning", slow.tuning, "--thumb", slow.thumb}})
	for i, d := range tables {
		if testing.Short() && i%2 == 0 && !*update {
			continue
		}
		args := append([]string{"plan", "../../demo/tunes/" + d.tune + ".abc"}, d.args...)
		if d.player != "" {
			file := filepath.Join(t.TempDir(), "player.json")
			if err := os.WriteFile(file, []byte(d.player), 0o600); err != nil {
				t.Fatal(err)
			}
			args = append(args, "--player", file)
		}
		status, out, problem := call(args...)
		if status != exitOK {
			t.Fatalf("%s: %s", d.name, problem)
		}
		golden := filepath.Join("testdata", d.name+".golden")
		if *update {
			if err := os.WriteFile(golden, []byte(out), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(golden)
		if err != nil || string(want) != out {
			t.Errorf("%s differs from %s (%v); go test ./cmd/stepping -update, then look at the difference", d.name, golden, err)
		}
	}
}

func TestReadJSON(t *testing.T) {
	file := filepath.Join(t.TempDir(), "t.abc")
	if err := os.WriteFile(file, []byte("M:2/4\nL:1/8\nK:D\n|:\"D\"F2 {c}A>^/f:|\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	status, out, _ := call("read", file, "--json")
	want := `{"title":"","format":"ABC","voice":0,"notes":[{"at":"0","dur":"1","pitch":"F#4","cents":0,"bar":1},{"at":"1","dur":"3/4","pitch":"A4","cents":0,"bar":1},{"at":"7/4","dur":"1/4","pitch":"F5","cents":50,"bar":1},` +
		`{"at":"2","dur":"1","pitch":"F#4","cents":0,"bar":2},{"at":"3","dur":"3/4","pitch":"A4","cents":0,"bar":2},{"at":"15/4","dur":"1/4","pitch":"F5","cents":50,"bar":2}],` +
		`"chords":[{"at":"0","name":"D"},{"at":"2","name":"D"}],"bars":2,"voices":[{"voice":0,"part":0,"name":"","notes":6,"lowest":"F#4","highest":"F5","first":["F#4","A4","F5","F#4","A4","F5"]}],"warnings":[{"line":4,"column":9,"text":"grace notes are left out"}]}` + "\n"
	if status != exitOK || out != want {
		t.Errorf("%d\n%s\nwant\n%s", status, out, want)
	}
}

// What a reader reads past is said on standard error by every command that reads a tune, and a place on the paper that
// cannot be played is named there and left out, the rest of the tune planned.
func TestReadPast(t *testing.T) {
	t.Parallel()
	tab := filepath.Join(t.TempDir(), "weir.txt")
	if err := os.WriteFile(tab, []byte("4/4\n\n"+
		"e|----------------|0---3---1---0---|\nB|0h1-----3---1---|----------------|\nG|--2-------------|----------------|\n"+
		"D|----------------|----------------|\nA|3-------3-------|3-------3-------|\nE|--------------x-|----------------|\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	past, left := tab+":3:1: dead notes (x) have no pitch", tab+": left out: bar 1, melody on string 2 at fret 1, hammered cannot be played"
	for _, args := range [][]string{{"plan", tab}, {"export", tab, "--to", "tab"}, {"sound", tab, "--out", tab + ".wav"}, {"ladder", tab},
		{"plan", tab, "--json"}, {"read", tab}, {"read", tab, "--notes"}, {"check", tab}} {
		status, out, errOut := call(args...)
		if status != exitOK || !strings.Contains(errOut, past) || strings.Contains(out, "dead notes") && args[0] != "read" {
			t.Errorf("%v: status %d, error %q", args, status, errOut)
		}
		if plans := slices.Contains([]string{"plan", "export", "sound", "ladder"}, args[0]); plans != strings.Contains(errOut, left) {
			t.Errorf("%v: %q", args, errOut)
		}
		if len(args) == 3 && args[2] == "--json" && !strings.Contains(out, `"leftOut": [`) {
			t.Errorf("the document does not name what is left out: %.300s", out)
		}
	}
}

// Faulty input: status 2, nothing on standard output, one line with file, line and column.
func TestFaultyInput(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return file
	}
	good := write("good.abc", "K:D\nD2 F2 A2|")
	bad := write("bad.abc", "K:D\nD2 \x01 A2|")
	low := write("low.abc", "K:D\nD2 F2 D,,,2|")
	blue := write("blue.abc", "K:D\nD2 ^/E,,2|") // above the lowest string, too low to be bent
	pl := write("p.json", "{\"reachMm\": 1}")
	unknown := write("u.json", "{\n  \"reech\": 1}")
	noSlide := write("n.json", `{"lean": "none"}`)
	for _, tt := range []struct {
		args []string
		want string
	}{
		{[]string{"plan", bad}, bad + ":2:4: "},
		{[]string{"read", bad}, bad + ":2:4: "},
		{[]string{"plan", low, "--tuning", "Open D"}, low + ":2:7: D1 in bar 1 is 12 half steps below"},
		{[]string{"plan", blue, "--player", noSlide}, blue + ":2:4: E2 +50 cents in bar 1 cannot be reached between the frets"},
		{[]string{"plan", good, "--tuning", "D A D"}, "--tuning:1:1: tuning \"D A D\": give six notes"},
		{[]string{"plan", good, "--player", pl}, pl + ":1:2: reachMm"},
		{[]string{"plan", good, "--player", unknown}, unknown + ":2:3: reech: unknown key"},
		{[]string{"plan", good, "--capo", "12"}, good + ":1:1: capo 12"},
		{[]string{"plan", good, "--tempo", "9000"}, good + ":1:1: tempo 9000"},
		{[]string{"plan", good, "--thumb", "wild"}, good + ":1:1: thumb \"wild\""},
		{[]string{"plan", good, "--colour"}, "stepping plan: flag provided but not defined"},
		{[]string{"plan", filepath.Join(dir, "none.abc")}, "none.abc: cannot be opened"},
		{[]string{"plan"}, "which file"},
		{[]string{"serve", "now"}, "no arguments"},
		{nil, "usage"},
	} {
		status, out, errOut := call(tt.args...)
		if status != exitInput || out != "" || !strings.Contains(errOut, tt.want) || tt.args != nil && strings.Count(errOut, "\n") != 1 {
			t.Errorf("%v: status %d, out %q, error %q; want %q", tt.args, status, out, errOut, tt.want)
		}
	}
}

// app starts the program as a process of its own and returns it with its address.
func app(t *testing.T, data string) (*exec.Cmd, string) {
	t.Helper()
	cmd := exec.Command(os.Args[0], "demo")
	cmd.Env = append(os.Environ(), "STEPPING_RUN=1", "STEPPING_ADDR=127.0.0.1:0", "STEPPING_DATA="+data)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	var said strings.Builder
	buf := make([]byte, 256)
	for !strings.Contains(said.String(), "Ctrl-C") {
		n, err := out.Read(buf)
		said.Write(buf[:n])
		if err != nil {
			t.Fatalf("the program ended: %s %v", said.String(), err)
		}
	}
	go func() { _, _ = io.Copy(io.Discard, out) }()
	address := said.String()
	address = address[strings.Index(address, "http"):]
	return cmd, strings.TrimSuffix(strings.Fields(address)[0], "/")
}

// TestHardKill: what was kept is there after the program was killed with its database
// running, and a second start takes under three seconds.
func TestHardKill(t *testing.T) {
	if testing.Short() {
		t.Skip("starts and kills the whole program")
	}
	data, err := os.MkdirTemp("", "stepping-kill") // not below t.TempDir, which the server's own user cannot enter
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(data)
	cmd, base := app(t, data)
	res, err := http.PostForm(base+"/tunes", url.Values{"abc": {"T:Kept Through It All\nK:D\nD2 F2 A2|"}, "tuning": {"Open D"}})
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatal(err, res)
	}
	res.Body.Close()
	if err := cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cmd.Wait() // it was killed
	cmd, base = app(t, data)
	if got := get(t, base+"/"); !strings.Contains(got, "Kept Through It All") || strings.Count(got, "class=\"tune\"") != 4 {
		t.Error("the tune is lost, or the demo was seeded twice")
	}
	quit(t, cmd)
	start := time.Now()
	cmd, base = app(t, data)
	if took := time.Since(start); took > 3*time.Second {
		t.Errorf("a second start took %v", took)
	}
	if got := get(t, base+"/healthz"); got != "ok\n" {
		t.Errorf("health: %q", got)
	}
	quit(t, cmd)
}

func get(t *testing.T, address string) string {
	t.Helper()
	res, err := http.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return string(body)
}

// quit asks the program to end and expects it to do so properly.
func quit(t *testing.T, cmd *exec.Cmd) {
	t.Helper()
	if err := cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Wait(); err != nil {
		t.Errorf("the program ended with %v", err)
	}
}

// The picture of an address reads back as the modules that it is drawn from, with light around it.
func TestWriteQR(t *testing.T) {
	t.Parallel()
	code, err := qr.EncodeText("https://192.168.1.7:8743/", qr.Low)
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	writeQR(&out, code.Size(), code.Module)
	lines := strings.Split(strings.TrimSuffix(out.String(), "\n"), "\n")
	if len(lines) != (code.Size()+9)/2 {
		t.Fatalf("%d lines for %d modules", len(lines), code.Size())
	}
	for i, line := range lines {
		for x, r := range []rune(line) {
			for half, light := range []bool{r == '█' || r == '▀', r == '█' || r == '▄'} {
				at, y := x-4, 2*i+half-4
				within := at >= 0 && y >= 0 && at < code.Size() && y < code.Size()
				if light == (within && code.Module(at, y)) {
					t.Fatalf("module %d, %d is light: %v", at, y, light)
				}
			}
		}
	}
}
