package faults

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// cluster is what scripts/cluster.sh started.
type cluster struct {
	t    *testing.T
	dir  string
	env  []string
	url  string
	port int // the first one
}

func startCluster(t *testing.T, env ...string) *cluster {
	t.Helper()
	port := 18000 + os.Getpid()%100*100 // below those that the system gives to clients
	c := &cluster{t: t, dir: filepath.Join(place(t), "c"), env: append(append(os.Environ(), fmt.Sprint("CLUSTER_PORT=", port)), env...), port: port}
	cmd := exec.Command("../scripts/cluster.sh", c.dir)
	cmd.Env = c.env
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Signal(syscall.SIGTERM); _ = cmd.Wait() })
	for since := time.Now(); c.url == ""; time.Sleep(200 * time.Millisecond) {
		if data, err := os.ReadFile(filepath.Join(c.dir, "ready")); err == nil {
			c.url = strings.TrimSpace(string(data))
		}
		if time.Since(since) > 2*time.Minute {
			t.Fatal("the cluster does not come up")
		}
	}
	return c
}

func (c *cluster) kill(part string) {
	data, err := os.ReadFile(filepath.Join(c.dir, part+".pid"))
	if err != nil {
		c.t.Fatal(err)
	}
	pid, _ := strconv.Atoi(strings.TrimSpace(string(data)))
	_ = syscall.Kill(pid, syscall.SIGKILL)
}

// again starts what was killed.
func (c *cluster) again(kind string, n int) {
	cmd := exec.Command("../scripts/cluster.sh", c.dir, kind, strconv.Itoa(n))
	cmd.Env = c.env
	if out, err := cmd.CombinedOutput(); err != nil {
		c.t.Fatalf("%v: %s", err, out)
	}
}

// ask asks one database server.
func (c *cluster) ask(node int, query string) string {
	out, err := exec.Command("mariadb", "--no-defaults", "-u", "root", "-N", "-S", fmt.Sprintf("%s/node%d.sock", c.dir, node), "-e", query).Output()
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(out))
}

// TestCluster kills a database server and a copy of the program under writers, and heals them: every
// acknowledged tune is there on every server, what was just written is read by whichever copy is asked, and
// there is one first player.
func TestCluster(t *testing.T) {
	if os.Getenv("STEPPING_FAULTS") != "1" {
		t.Skip("three replicated servers: make faults")
	}
	c := startCluster(t)
	w := startWriters(c.url, 4, 350*time.Millisecond)
	for round := range 3 {
		time.Sleep(3 * time.Second)
		node := 1 + round%3
		c.kill(fmt.Sprint("node", node))
		time.Sleep(6 * time.Second)
		c.kill(fmt.Sprint("copy", 1+round%2))
		time.Sleep(3 * time.Second)
		c.again("node", node)
		c.again("copy", 1+round%2)
		for since := time.Now(); !strings.Contains(c.ask(node, "SHOW STATUS LIKE 'wsrep_local_state_comment'"), "Synced"); time.Sleep(300 * time.Millisecond) {
			if time.Since(since) > time.Minute {
				t.Fatalf("node %d does not join again", node)
			}
		}
	}
	time.Sleep(3 * time.Second)
	w.stop()
	t.Logf("figure: cluster: %d tunes acknowledged, %d tries refused, %d not found by the other copy", len(w.kept), w.refused, w.missing)
	if len(w.kept) < 50 || w.missing > 0 {
		t.Errorf("%d kept, %d not found", len(w.kept), w.missing)
	}
	for node := 1; node <= 3; node++ {
		have := c.ask(node, "SELECT id FROM stepping.tunes")
		lost := 0
		for path := range w.kept {
			if !strings.Contains(have, strings.TrimPrefix(path, "/tunes/")) {
				lost++
			}
		}
		if lost > 0 {
			t.Errorf("node %d lacks %d acknowledged tunes", node, lost)
		}
		if n := c.ask(node, "SELECT COUNT(*) FROM stepping.players WHERE here"); n != "1" {
			t.Errorf("node %d has %s first players", node, n)
		}
	}
}
