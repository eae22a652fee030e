// Package localdb runs a private MariaDB server as a child of this process: its files in
// one directory, listening on loopback only, never touching a system service.
package localdb

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running private server.
type Server struct {
	DSN  string // for the database "stepping"
	cmd  *exec.Cmd
	done chan error
}

const (
	user     = "stepping"
	database = "stepping"
	// How long the server may take to answer; recovering after a hard kill is the slow case.
	startTimeout = 30 * time.Second
	stopTimeout  = 20 * time.Second
)

// Start starts a server on the files in dir, creating them on first use, and waits until
// it answers. Everything written and committed is there after a hard kill. The server ends
// with Stop, or when this process dies.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	daemon, err := find("mariadbd")
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("database directory: %w", err)
	}
	if err := install(ctx, dir); err != nil {
		return nil, err
	}
	deadline := time.Now().Add(startTimeout)
	for {
		s, err := start(ctx, daemon, dir, deadline)
		if err == nil {
			return s, nil
		}
		// A server of a process that was just killed may still hold the files: try again.
		if ctx.Err() != nil || !errors.Is(err, errEnded) || time.Now().After(deadline) {
			return nil, fmt.Errorf("%w; its log is %s", err, filepath.Join(dir, "server.log"))
		}
		time.Sleep(300 * time.Millisecond)
	}
}

// find looks in the path and where Debian puts servers.
func find(name string) (string, error) {
	if p, err := exec.LookPath(name); err == nil {
		return p, nil
	}
	for _, dir := range []string{"/usr/sbin", "/usr/bin"} {
		if p := filepath.Join(dir, name); exec.Command(p, "--version").Run() == nil {
			return p, nil
		}
	}
	return "", fmt.Errorf("%s is not installed: run make deps, or apt-get install mariadb-server", name)
}

// install makes the system tables unless they are there.
func install(ctx context.Context, dir string) error {
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "mysql")); err == nil {
		return nil
	}
	tool, err := find("mariadb-install-db")
	if err != nil {
		return err
	}
	fresh := data + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	tmp := filepath.Join(dir, "install") // of its own: two installations at once would meet in the shared one
	if err := os.MkdirAll(tmp, 0o700); err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	args := append([]string{"--no-defaults", "--datadir=" + fresh, "--tmpdir=" + tmp, "--auth-root-authentication-method=normal", "--skip-test-db"}, asUser()...)
	if out, err := exec.CommandContext(ctx, tool, args...).CombinedOutput(); err != nil {
		return fmt.Errorf("make the database: %w: %s", err, out)
	}
	return os.Rename(fresh, data) // whole or not at all
}

func asUser() []string {
	if os.Geteuid() == 0 {
		return []string{"--user=root"}
	}
	return nil
}

var errEnded = errors.New("the database server ended while starting (is Stepping running already on these files?)")

func start(ctx context.Context, daemon, dir string, deadline time.Time) (*Server, error) {
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	socket := filepath.Join(dir, "db.sock")
	if len(socket) > 100 { // sockets have short names
		socket = filepath.Join(os.TempDir(), fmt.Sprintf("stepping-%d.sock", port))
	}
	log, err := os.OpenFile(filepath.Join(dir, "server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	args := append([]string{"--no-defaults", "--datadir=" + filepath.Join(dir, "data"), "--socket=" + socket,
		fmt.Sprintf("--port=%d", port), "--bind-address=127.0.0.1", "--skip-name-resolve", "--skip-log-bin",
		"--pid-file=" + filepath.Join(dir, "db.pid"), "--character-set-server=utf8mb4", "--innodb-buffer-pool-size=64M"}, asUser()...)
	s := &Server{cmd: exec.Command(daemon, args...), done: make(chan error, 1)}
	s.cmd.Stdout, s.cmd.Stderr = log, log
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	started := make(chan error)
	go func() {
		runtime.LockOSThread() // the death signal belongs to the thread that started the child
		err := s.cmd.Start()
		started <- err
		if err == nil {
			s.done <- s.cmd.Wait()
		}
	}()
	if err := <-started; err != nil {
		return nil, fmt.Errorf("start the database server: %w", err)
	}
	if s.DSN, err = s.prepare(ctx, dir, socket, port, deadline); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// prepare waits for the server, makes database and user, and returns the DSN.
func (s *Server) prepare(ctx context.Context, dir, socket string, port int, deadline time.Time) (string, error) {
	root := mysql.NewConfig()
	root.User, root.Net, root.Addr = "root", "unix", socket
	root.Logger = &mysql.NopLogger{}
	db, err := sql.Open("mysql", root.FormatDSN())
	if err != nil {
		return "", err
	}
	defer db.Close()
	for db.PingContext(ctx) != nil {
		select {
		case err := <-s.done:
			s.done <- err
			return "", errEnded
		case <-ctx.Done():
			return "", ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			return "", errors.New("the database server does not answer")
		}
	}
	password, err := secret(filepath.Join(dir, "password"))
	if err != nil {
		return "", err
	}
	for _, q := range []string{
		"CREATE DATABASE IF NOT EXISTS " + database + " CHARACTER SET utf8mb4",
		fmt.Sprintf("CREATE OR REPLACE USER '%s'@'127.0.0.1' IDENTIFIED BY '%s'", user, password), // both are ours: letters and digits
		fmt.Sprintf("GRANT ALL ON `%s%%`.* TO '%s'@'127.0.0.1'", database, user),
	} {
		if _, err := db.ExecContext(ctx, q); err != nil {
			return "", fmt.Errorf("prepare the database: %w", err)
		}
	}
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = user, password, "tcp", fmt.Sprintf("127.0.0.1:%d", port), database
	return c.FormatDSN(), nil
}

// secret reads the password in file, making one on first use.
func secret(file string) (string, error) {
	data, err := os.ReadFile(file)
	if err == nil && len(data) > 0 {
		return string(data), nil
	}
	s := rand.Text()
	return s, os.WriteFile(file, []byte(s), 0o600)
}

// Stop shuts the server down and waits for it.
func (s *Server) Stop() {
	_ = s.cmd.Process.Signal(syscall.SIGTERM) // it may have ended already
	select {
	case <-s.done:
	case <-time.After(stopTimeout):
		_ = s.cmd.Process.Kill()
		<-s.done
	}
}
