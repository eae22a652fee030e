package localdb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// reachable makes a directory that the server's user can be let into: above it nothing is closed to others.
func reachable(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "stepping-localdb")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func started(t *testing.T, dir string) *Server {
	t.Helper()
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	return s
}

// ask runs a statement and returns its first value.
func ask(t *testing.T, dsn, query string) (string, error) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var v sql.NullString
	err = db.QueryRowContext(t.Context(), query).Scan(&v)
	return v.String, err
}

// TestClosed: nothing is heard on a network; without its password nobody is let in, not even as the server's own
// user; the application's account can do nothing beyond its own database.
func TestClosed(t *testing.T) {
	dir := reachable(t)
	s := started(t, dir)
	if v, err := ask(t, s.admin.FormatDSN(), "SELECT CONCAT(@@skip_networking, ' ', @@local_infile)"); err != nil || v != "ON OFF" {
		t.Errorf("skip_networking and local_infile: %s %v", v, err)
	}
	inodes, _ := filepath.Glob(fmt.Sprintf("/proc/%d/fd/*", s.process().cmd.Process.Pid))
	listening, _ := os.ReadFile("/proc/net/tcp")
	for _, fd := range inodes {
		if to, err := os.Readlink(fd); err == nil && strings.HasPrefix(to, "socket:[") &&
			strings.Contains(string(listening), " "+strings.Trim(to, "socket:[]")+" ") {
			t.Errorf("the server holds the TCP socket %s", to)
		}
	}
	if v, err := ask(t, s.config("root", "", "").FormatDSN(), "SELECT 1"); err == nil {
		t.Errorf("root is let in without a password: %s", v)
	}
	for _, query := range []string{"SELECT User FROM mysql.global_priv LIMIT 1", "SELECT 1 INTO OUTFILE '/tmp/stepping-out'",
		"CREATE DATABASE others", "SELECT name FROM stepping_other.players",
		"CREATE USER stranger", "SELECT SLEEP(0) FROM mysql.proc"} {
		if v, err := ask(t, s.DSN, query); err == nil || errors.Is(err, sql.ErrNoRows) {
			t.Errorf("the application's account may: %s (%s, %v)", query, v, err)
		}
	}
	if v, err := ask(t, s.DSN, "SELECT LOAD_FILE('/etc/passwd')"); err == nil && v != "" {
		t.Error("the application's account reads files")
	}
	for path, want := range map[string]fs.FileMode{dir: 0o710, filepath.Dir(s.socket): 0o700, filepath.Join(dir, "data"): 0o700,
		filepath.Join(dir, "password"): 0o600, filepath.Join(dir, "root-password"): 0o600} {
		if info, err := os.Stat(path); err != nil || info.Mode().Perm()&^want != 0 {
			t.Errorf("%s: %v %v", path, info.Mode(), err)
		}
	}
	if os.Geteuid() != 0 {
		t.Log("not root: whether other users are kept out is not tried")
		return
	}
	status, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.process().cmd.Process.Pid))
	if strings.Contains(string(status), "Uid:\t0") {
		t.Error("the server runs as root")
	}
	client, err := find("mariadb")
	if err != nil {
		t.Fatal(err)
	}
	as, _ := serverUser()
	for who, id := range map[string]*syscall.Credential{"nobody": {Uid: 65534, Gid: 65534}, "the server's user": as.credential()} {
		for _, account := range []string{"root", user} {
			cmd := exec.Command(client, "--no-defaults", "--socket="+s.socket, "--user="+account, "--execute=SELECT 1")
			cmd.Dir, cmd.SysProcAttr = "/", &syscall.SysProcAttr{Credential: id}
			if out, err := cmd.CombinedOutput(); err == nil {
				t.Errorf("%s gets in as %s: %s", who, account, out)
			}
		}
		for _, file := range []string{"password", "root-password"} {
			cmd := exec.Command("/bin/cat", filepath.Join(dir, file))
			cmd.Dir, cmd.SysProcAttr = "/", &syscall.SysProcAttr{Credential: id}
			if out, err := cmd.CombinedOutput(); err == nil {
				t.Errorf("%s reads %s: %s", who, file, out)
			}
		}
	}
}

// TestOldInstallation: files from when root had no password and the account was for TCP are taken over, and
// nothing in them is lost.
func TestOldInstallation(t *testing.T) {
	dir := reachable(t)
	s := started(t, dir)
	if err := s.run(t.Context(), s.config(user, s.passwordForTest(t), database), "CREATE TABLE kept (n INT)",
		"INSERT INTO kept VALUES (7)"); err != nil {
		t.Fatal(err)
	}
	err := s.run(t.Context(), s.admin, "CREATE USER 'root'@'127.0.0.1'", "CREATE USER ''@'localhost'",
		"CREATE USER 'stepping'@'127.0.0.1' IDENTIFIED BY 'old'",
		"ALTER USER 'root'@'localhost' IDENTIFIED BY ''")
	if err != nil {
		t.Fatal(err)
	}
	s.Stop()
	if err := os.Remove(filepath.Join(dir, "root-password")); err != nil {
		t.Fatal(err)
	}
	s = started(t, dir)
	if v, err := ask(t, s.DSN, "SELECT n FROM kept"); err != nil || v != "7" {
		t.Errorf("%q %v", v, err)
	}
	if v, err := ask(t, s.admin.FormatDSN(),
		"SELECT GROUP_CONCAT(CONCAT(User, '@', Host) ORDER BY User) FROM mysql.global_priv WHERE User IN ('', 'root', 'stepping')"); err != nil || v != "root@localhost,stepping@localhost" {
		t.Errorf("accounts %q %v", v, err)
	}
	if _, err := ask(t, s.config("root", "", "").FormatDSN(), "SELECT 1"); err == nil {
		t.Error("root still has no password")
	}
}

func (s *Server) passwordForTest(t *testing.T) string {
	t.Helper()
	p, err := secret(filepath.Join(s.dir, "password"))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestPlaces: a path too long for a socket gets a directory of its own, closed to others and gone at the end; one that the
// server's user cannot enter, or that is somebody else's, is refused by name.
func TestPlaces(t *testing.T) {
	above := reachable(t)
	long := filepath.Join(above, strings.Repeat("long-", 20), "db")
	if err := errors.Join(os.Chmod(above, 0o755), os.MkdirAll(filepath.Dir(long), 0o755)); err != nil {
		t.Fatal(err)
	}
	s := started(t, long)
	own := filepath.Dir(s.socket)
	if info, err := os.Stat(own); err != nil || info.Mode().Perm() != 0o700 || own == filepath.Join(long, "run") {
		t.Errorf("the socket lies in %s: %v", own, err)
	}
	if v, err := ask(t, s.DSN, "SELECT 1"); err != nil || v != "1" {
		t.Error(v, err)
	}
	s.Stop()
	if _, err := os.Stat(own); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("%s is left: %v", own, err)
	}
	if os.Geteuid() != 0 {
		return
	}
	closed := filepath.Join(reachable(t), "db") // its parent stays closed to others
	var unreachable *UnreachableError
	if _, err := Start(context.Background(), closed); !errors.As(err, &unreachable) || unreachable.Dir != closed ||
		unreachable.Closed != filepath.Dir(closed) {
		t.Errorf("a closed directory above: %v", err)
	}
	theirs := filepath.Join(reachable(t), "db")
	if err := errors.Join(os.Mkdir(theirs, 0o755), os.Chown(theirs, 65534, 65534)); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(context.Background(), theirs); err == nil || !strings.Contains(err.Error(), "belongs to another user") {
		t.Errorf("somebody else's directory: %v", err)
	}
}

// bound starts children that die with the thread that started them, each from a thread of its own.
func bound(t *testing.T) []*exec.Cmd {
	t.Helper()
	children := make([]*exec.Cmd, 12)
	var all sync.WaitGroup
	for i := range children {
		children[i] = exec.Command("sleep", "600")
		children[i].SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
		all.Go(func() {
			runtime.LockOSThread()
			defer runtime.UnlockOSThread()
			if err := children[i].Start(); err != nil {
				t.Error(err)
			}
			time.Sleep(10 * time.Millisecond) // until each has its thread
		})
	}
	all.Wait()
	return children
}

// TestWatched: a server that dies is started again, with what was kept; a second program on the same files is refused by name
// and may join. Nothing else that this process has started dies with it.
func TestWatched(t *testing.T) {
	dir := reachable(t)
	others := bound(t)
	defer func() {
		for _, other := range others {
			_ = other.Process.Signal(syscall.SIGTERM)
			if err := other.Wait(); other.ProcessState.Sys().(syscall.WaitStatus).Signal() != syscall.SIGTERM {
				t.Errorf("a child beside the server: %v", err)
			}
		}
	}()
	s := started(t, dir)
	if _, err := ask(t, s.DSN, "CREATE TABLE kept (n INT) SELECT 7 n"); err != nil && !errors.Is(err, sql.ErrNoRows) {
		t.Fatal(err)
	}
	for range 2 {
		old := s.process()
		if err := old.cmd.Process.Kill(); err != nil {
			t.Fatal(err)
		}
		<-old.done
		v, err := "", error(nil)
		for since := time.Now(); v != "7" && time.Since(since) < 20*time.Second; time.Sleep(50 * time.Millisecond) {
			v, err = ask(t, s.DSN, "SELECT n FROM kept")
		}
		if v != "7" {
			t.Fatalf("after its death: %q %v", v, err)
		}
	}
	hung := s.process().cmd.Process // one that takes connections and never answers is not waited for
	if err := hung.Signal(syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	since := time.Now()
	if err := s.ping(t.Context(), s.admin); err == nil || time.Since(since) > 2*pingTime {
		t.Errorf("a hung server: %v after %v", err, time.Since(since))
	}
	if err := hung.Signal(syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	busy := (*HeldError)(nil)
	if _, err := Start(t.Context(), dir); !errors.As(err, &busy) || busy.Holder != fmt.Sprint(os.Getpid()) {
		t.Errorf("a second program: %v", err)
	}
	other, err := Join(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	if v, err := ask(t, other.DSN, "SELECT n FROM kept"); v != "7" {
		t.Error(v, err)
	}
	other.Stop()
	if v, err := ask(t, s.DSN, "SELECT n FROM kept"); v != "7" {
		t.Errorf("the one that joined has stopped the server: %v", err)
	}
	s.Stop()
	// What cannot be read is named, with what to do.
	if err := os.Remove(filepath.Join(dir, "data", "ib_logfile0")); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), dir); err == nil || !strings.Contains(err.Error(), "redo log") || !strings.Contains(err.Error(), "restore") {
		t.Errorf("without its redo log: %v", err)
	}
}
