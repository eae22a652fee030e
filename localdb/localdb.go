// Package localdb runs a private MariaDB server as a child of this process: its files in
// one directory, heard on a socket in a directory that nobody else can enter and on no network, never touching a
// system service. Every account has a random password; the application's may use its own database and nothing else.
// Started as root, the server runs as the unprivileged user that Debian's package makes for it.
package localdb

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running private server.
type Server struct {
	DSN    string // for the database "stepping", as the application's account
	admin  *mysql.Config
	socket string
	dir    string
	own    string // directory made for the socket alone, "" if it lies beside the data
	cmd    *exec.Cmd
	done   chan error
	end    sync.Once
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
	as, err := serverUser()
	if err != nil {
		return nil, err
	}
	if err := as.open(dir); err != nil {
		return nil, err
	}
	if err := install(ctx, dir, as); err != nil {
		return nil, err
	}
	deadline := time.Now().Add(startTimeout)
	for {
		s, err := start(ctx, daemon, dir, as, deadline)
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
func install(ctx context.Context, dir string, as *account) error {
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "mysql")); err == nil {
		return as.own(data) // it may be from a time when the server ran as another user
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
	if err := errors.Join(as.own(fresh), as.own(tmp)); err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	cmd := exec.CommandContext(ctx, tool, "--no-defaults", "--datadir="+fresh, "--tmpdir="+tmp, "--auth-root-authentication-method=normal", "--skip-test-db")
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: as.credential()}
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("make the database: %w: %s", err, out)
	}
	return os.Rename(fresh, data) // whole or not at all
}

var errEnded = errors.New("the database server ended while starting (is Stepping running already on these files?)")

func start(ctx context.Context, daemon, dir string, as *account, deadline time.Time) (*Server, error) {
	s := &Server{dir: dir, done: make(chan error, 1)}
	if err := s.placeSocket(dir, as); err != nil {
		return nil, err
	}
	files := filepath.Join(dir, "files") // the one place from which SQL could read or write files: empty
	if err := as.own(files); err != nil {
		return nil, err
	}
	log, err := os.OpenFile(filepath.Join(dir, "server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	s.cmd = exec.Command(daemon, "--no-defaults", "--datadir="+filepath.Join(dir, "data"), "--socket="+s.socket, "--skip-networking", "--skip-name-resolve",
		"--skip-log-bin", "--local-infile=0", "--secure-file-priv="+files, "--pid-file="+filepath.Join(filepath.Dir(s.socket), "db.pid"), "--character-set-server=utf8mb4", "--innodb-buffer-pool-size=64M")
	s.cmd.Stdout, s.cmd.Stderr = log, log
	// The credentials are set before the program runs, and the death signal after them: changing the user
	// later would clear it.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM, Credential: as.credential()}
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
		s.removeSocket()
		return nil, fmt.Errorf("start the database server: %w", err)
	}
	if err = s.prepare(ctx, deadline); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

// longestSocket is how long the path of a socket may be; the system's limit is 107.
const longestSocket = 100

// placeSocket chooses where the socket lies: beside the data, or if that path is too long in a directory of its own
// that is made for it and closed to others.
func (s *Server) placeSocket(dir string, as *account) error {
	run := filepath.Join(dir, "run")
	if s.socket = filepath.Join(run, "db.sock"); len(s.socket) <= longestSocket {
		return as.own(run)
	}
	own, err := os.MkdirTemp("", "stepping-") // mode 0700, made anew
	if err != nil {
		return err
	}
	if err := as.own(own); err != nil {
		return errors.Join(err, os.Remove(own))
	}
	if s.own, s.socket = own, filepath.Join(own, "db.sock"); len(s.socket) > longestSocket {
		return errors.Join(fmt.Errorf("the path of the database's socket is too long: %s; set STEPPING_DATA or TMPDIR to a shorter one", s.socket), os.Remove(own))
	}
	return nil
}

func (s *Server) removeSocket() {
	if s.own != "" {
		_ = os.RemoveAll(s.own)
	}
}

// prepare waits for the server, gives its administrator a password, and makes database and account of the application.
func (s *Server) prepare(ctx context.Context, deadline time.Time) error {
	rootPassword, err := secret(filepath.Join(s.dir, "root-password"))
	if err != nil {
		return err
	}
	s.admin = s.config("root", rootPassword, "")
	bare := s.config("root", "", "") // as an installation leaves it, or an earlier Stepping
	for s.ping(ctx, s.admin) != nil && s.ping(ctx, bare) != nil {
		select {
		case err := <-s.done:
			s.done <- err
			return errEnded
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			return errors.New("the database server does not answer")
		}
	}
	password, err := secret(filepath.Join(s.dir, "password"))
	if err != nil {
		return err
	}
	if s.ping(ctx, s.admin) != nil {
		if err := s.run(ctx, bare, fmt.Sprintf("ALTER USER 'root'@'localhost' IDENTIFIED BY '%s'", rootPassword)); err != nil { // letters and digits, ours
			return err
		}
	}
	err = s.run(ctx, s.admin,
		"DELETE FROM mysql.global_priv WHERE User = '' OR (User IN ('root', '"+user+"') AND Host <> 'localhost')", "FLUSH PRIVILEGES",
		fmt.Sprintf("CREATE USER IF NOT EXISTS '%s'@'localhost'", user), fmt.Sprintf("ALTER USER '%s'@'localhost' IDENTIFIED BY '%s'", user, password))
	if err != nil {
		return err
	}
	s.DSN, err = s.NewDatabase(ctx, database)
	return err
}

// rights are what the application does with its tables, migrations included.
const rights = "SELECT, INSERT, UPDATE, DELETE, CREATE, ALTER, DROP, INDEX, REFERENCES, LOCK TABLES"

// NewDatabase makes a database, unless it is there, which the application's account may use, and returns its DSN.
// The name is letters, digits and underscores.
func (s *Server) NewDatabase(ctx context.Context, name string) (dsn string, err error) {
	password, err := secret(filepath.Join(s.dir, "password"))
	if err != nil {
		return "", err
	}
	err = s.run(ctx, s.admin, "CREATE DATABASE IF NOT EXISTS `"+name+"` CHARACTER SET utf8mb4",
		fmt.Sprintf("GRANT %s ON `%s`.* TO '%s'@'localhost'", rights, strings.ReplaceAll(name, "_", `\_`), user))
	return s.config(user, password, name).FormatDSN(), err
}

func (s *Server) config(user, password, name string) *mysql.Config {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName, c.Logger = user, password, "unix", s.socket, name, &mysql.NopLogger{}
	return c
}

func (s *Server) ping(ctx context.Context, c *mysql.Config) error {
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		return err
	}
	defer db.Close()
	return db.PingContext(ctx)
}

func (s *Server) run(ctx context.Context, c *mysql.Config, statements ...string) error {
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		return err
	}
	defer db.Close()
	for _, q := range statements {
		if _, err := db.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("prepare the database: %w", err)
		}
	}
	return nil
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

// Stop shuts the server down and waits for it; a second call does nothing.
func (s *Server) Stop() { s.end.Do(s.stop) }

func (s *Server) stop() {
	_ = s.cmd.Process.Signal(syscall.SIGTERM) // it may have ended already
	select {
	case <-s.done:
	case <-time.After(stopTimeout):
		_ = s.cmd.Process.Kill()
		<-s.done
	}
	s.removeSocket()
}
