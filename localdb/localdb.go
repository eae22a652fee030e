// Package localdb runs a private MariaDB server as a child of this process: its files in
// one directory, heard on a socket in a directory that nobody else can enter and on no network, never touching a
// system service. Every account has a random password; the application's may use its own database and nothing else.
// Started as root, the server runs as the unprivileged user that Debian's package makes for it.
package localdb

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/gofrs/flock"
)

// Server is a running private server.
type Server struct {
	DSN    string // for the database "stepping", as the application's account
	admin  *mysql.Config
	socket string
	dir    string
	own    string // directory made for the socket alone, "" if it lies next to the data
	daemon string
	as     *account
	held   *flock.Flock // on the directory; nil of a server that another process runs

	// end stops the watch over the server and waits for it.
	end      sync.Once
	endWatch context.CancelFunc
	watched  chan struct{}

	mu  sync.Mutex
	now *process // the server under way
}

// process is one run of the server.
type process struct {
	cmd  *exec.Cmd
	done chan struct{} // closed when it has ended
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
	lock, err := hold(dir)
	if err != nil {
		return nil, err
	}
	_, absent := os.Stat(filepath.Join(dir, "data", "mysql"))
	if err := room(dir, absent == nil); err != nil {
		return nil, errors.Join(err, lock.Unlock())
	}
	s, err := startHeld(ctx, daemon, dir, as)
	if err != nil {
		return nil, errors.Join(err, lock.Unlock())
	}
	s.held, s.watched = lock, make(chan struct{})
	var watch context.Context
	watch, s.endWatch = context.WithCancel(context.Background())
	go s.watch(watch)
	return s, nil
}

func startHeld(ctx context.Context, daemon, dir string, as *account) (*Server, error) {
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
		log := filepath.Join(dir, "server.log")
		if fault := faultIn(log); ctx.Err() != nil || !errors.Is(err, errEnded) || time.Now().After(deadline) || fault != "" && fault != held {
			return nil, fmt.Errorf("%w; %s", err, explain(log))
		}
		time.Sleep(300 * time.Millisecond)
	}
}

// Join is Start, or, if another process runs the server on these files, a way to that one.
func Join(ctx context.Context, dir string) (*Server, error) {
	s, err := Start(ctx, dir)
	if busy := (*HeldError)(nil); !errors.As(err, &busy) {
		return s, err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	socket, err := os.ReadFile(filepath.Join(dir, "socket"))
	if err != nil {
		return nil, fmt.Errorf("find the running database: %w", err)
	}
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		return nil, fmt.Errorf("find the running database: %w", err)
	}
	s = &Server{dir: dir, socket: string(socket)}
	s.DSN = s.config(user, string(password), database).FormatDSN()
	return s, nil
}

// HeldError is a directory on which another process runs its server.
type HeldError struct{ Dir, Holder string }

func (e *HeldError) Error() string {
	return fmt.Sprintf("the data in %s is held by another Stepping, process %s: stop that one, or set STEPPING_DATA to another directory", e.Dir, e.Holder)
}

// hold makes the directory ours until it is let go or we die.
func hold(dir string) (*flock.Flock, error) {
	path := filepath.Join(dir, "lock")
	lock := flock.New(path, flock.SetPermissions(0o600))
	ours, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("hold the database directory: %w", err)
	}
	if !ours {
		holder, err := os.ReadFile(path)
		if err != nil || len(holder) == 0 {
			holder = []byte("unknown")
		}
		return nil, &HeldError{dir, string(holder)}
	}
	if err := os.WriteFile(path, []byte(strconv.Itoa(os.Getpid())), 0o600); err != nil {
		return nil, errors.Join(fmt.Errorf("hold the database directory: %w", err), lock.Unlock())
	}
	return lock, nil
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
	// Of a start that was killed the tool may still be at work: each has a directory of its own.
	if old, err := filepath.Glob(data + ".new*"); err == nil {
		for _, path := range old {
			_ = os.RemoveAll(path) // if that one writes on, the next start tries again
		}
	}
	fresh, err := os.MkdirTemp(dir, "data.new-")
	if err != nil {
		return err
	}
	tmp := filepath.Join(dir, "install") // of its own: two installations at once would meet in the shared one
	if err := errors.Join(as.own(fresh), as.own(tmp)); err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	cmd := exec.CommandContext(ctx, tool, "--no-defaults", "--datadir="+fresh, "--tmpdir="+tmp,
		"--auth-root-authentication-method=normal", "--skip-test-db")
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: as.credential()}
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("make the database: %w: %s", err, out)
	}
	return os.Rename(fresh, data) // whole or not at all
}

var errEnded = errors.New("the database server ended while starting")

const held = "another database server is using the same files: end that one first"

// faults are what the server's log says when it cannot start, and what to do about it.
var faults = []struct{ says, text string }{
	{"No space left on device", "the disk is full: make room, nothing that was kept is lost"},
	{"Disk is full", "the disk is full: make room, nothing that was kept is lost"},
	{"missing redo log", "its redo log (ib_logfile0) is missing: put it back, or restore a backup (stepping restore) into a new directory (STEPPING_DATA)"},
	{"ib_logfile0 was not found", "its redo log (ib_logfile0) is missing: put it back, or restore a backup (stepping restore) into a new directory (STEPPING_DATA)"},
	{"Missing FILE_CHECKPOINT", "its redo log (ib_logfile0) is damaged: restore a backup (stepping restore) into a new directory (STEPPING_DATA)"},
	{"corrupt", "its files are damaged: keep a copy of them, and restore a backup (stepping restore) into a new directory (STEPPING_DATA)"},
	{"Permission denied", "it may not read or write its files: give them back to the user that runs it"},
	{"another mysqld process", held},
	{"Unable to lock ./ibdata1", held},
}

// faultIn finds what the end of the server's log tells about why it does not start, "" if that is nothing we know.
func faultIn(log string) string {
	const tail = 16 << 10
	text, err := os.ReadFile(log)
	if err != nil {
		return ""
	}
	text = bytes.ToLower(text[max(0, len(text)-tail):])
	if at := bytes.LastIndex(text, []byte("starting mariadb")); at > 0 {
		text = text[at:]
	}
	for _, f := range faults {
		if bytes.Contains(text, []byte(strings.ToLower(f.says))) {
			return f.text
		}
	}
	return ""
}

// explain says that, and where the log lies.
func explain(log string) string {
	if fault := faultIn(log); fault != "" {
		return fault + "; its log is " + log
	}
	return "its log is " + log
}

func start(ctx context.Context, daemon, dir string, as *account, deadline time.Time) (*Server, error) {
	s := &Server{dir: dir, daemon: daemon, as: as}
	if err := s.placeSocket(dir, as); err != nil {
		return nil, err
	}
	if err := s.launch(ctx, deadline); err != nil {
		s.removeSocket()
		return nil, err
	}
	return s, nil
}

// launch runs the server and waits until it answers.
func (s *Server) launch(ctx context.Context, deadline time.Time) error {
	files := filepath.Join(s.dir, "files") // the one place from which SQL could read or write files: empty
	if err := s.as.own(files); err != nil {
		return err
	}
	log, err := os.OpenFile(filepath.Join(s.dir, "server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	p := &process{done: make(chan struct{})}
	p.cmd = exec.Command(s.daemon, "--no-defaults", "--datadir="+filepath.Join(s.dir, "data"), "--socket="+s.socket,
		"--skip-networking", "--skip-name-resolve",
		"--skip-log-bin", "--local-infile=0", "--secure-file-priv="+files,
		"--pid-file="+filepath.Join(filepath.Dir(s.socket), "db.pid"), "--character-set-server=utf8mb4", "--innodb-buffer-pool-size=64M")
	p.cmd.Stdout, p.cmd.Stderr = log, log
	// The credentials are set before the program runs, and the death signal after them: changing the user
	// later would clear it. It kills: a server that is asked to end while it starts may hang (MariaDB 10.11), hold the files and
	// never answer, and what was committed is there after a kill too.
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL, Credential: s.as.credential()}
	started := make(chan error)
	go func() {
		// The death signal belongs to the thread that started the child: it is kept while that lives, and must not end after it,
		// or others that were started from it would die.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		err := p.cmd.Start()
		started <- err
		if err == nil {
			_ = p.cmd.Wait() // how it ended is in its log
			close(p.done)
		}
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("start the database server: %w", err)
	}
	if err := errors.Join(s.prepare(ctx, p, deadline), os.WriteFile(filepath.Join(s.dir, "socket"), []byte(s.socket), 0o600)); err != nil {
		p.stop()
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.now = p
	return nil
}

func (s *Server) process() *process {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.now
}

// How soon a server that has ended by itself is started again, at first and in the end.
const (
	firstRest = 200 * time.Millisecond
	lastRest  = 30 * time.Second
)

// watch starts the server again whenever it ends, until ctx ends; then it stops it.
func (s *Server) watch(ctx context.Context) {
	defer close(s.watched)
	rest := firstRest
	for {
		began := time.Now()
		select {
		case <-ctx.Done():
			s.process().stop()
			return
		case <-s.process().done:
		}
		if time.Since(began) > lastRest {
			rest = firstRest // it was well for a while
		}
		for again := false; !again; rest = min(2*rest, lastRest) {
			slog.Warn("the database server has ended and is started again", "in", rest)
			select {
			case <-ctx.Done():
				return
			case <-time.After(rest):
			}
			err := s.launch(ctx, time.Now().Add(startTimeout))
			if again = err == nil; !again {
				slog.Error("the database server does not start", "err", err, "why", explain(filepath.Join(s.dir, "server.log")))
			}
		}
	}
}

// longestSocket is how long the path of a socket may be; the system's limit is 107.
const longestSocket = 100

// placeSocket chooses where the socket lies: next to the data, or if that path is too long in a directory of its own
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
func (s *Server) prepare(ctx context.Context, p *process, deadline time.Time) error {
	ctx, cancel := context.WithDeadline(ctx, deadline)
	defer cancel()
	rootPassword, err := secret(filepath.Join(s.dir, "root-password"))
	if err != nil {
		return err
	}
	s.admin = s.config("root", rootPassword, "")
	bare := s.config("root", "", "") // as an installation leaves it, or an earlier Stepping
	for s.ping(ctx, s.admin) != nil && s.ping(ctx, bare) != nil {
		select {
		case <-p.done:
			return errEnded
		case <-ctx.Done():
			if errors.Is(ctx.Err(), context.DeadlineExceeded) {
				return errors.New("the database server does not answer")
			}
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
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
		fmt.Sprintf("CREATE USER IF NOT EXISTS '%s'@'localhost'", user),
		fmt.Sprintf("ALTER USER '%s'@'localhost' IDENTIFIED BY '%s'", user, password))
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

// pingTime is how long a server may take to say that it is there: one that hangs takes connections and says nothing.
const pingTime = 2 * time.Second

func (s *Server) ping(ctx context.Context, c *mysql.Config) error {
	ctx, cancel := context.WithTimeout(ctx, pingTime)
	defer cancel()
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

// Dir is the directory of its files.
func (s *Server) Dir() string { return s.dir }

// Stop shuts the server down and waits for it; a second call does nothing.
func (s *Server) Stop() {
	s.end.Do(func() {
		if s.held == nil {
			return // another process runs it
		}
		s.endWatch()
		<-s.watched
		s.removeSocket()
		_ = s.held.Unlock() // the system drops it when we end, at the latest
	})
}

func (p *process) stop() {
	_ = p.cmd.Process.Signal(syscall.SIGTERM) // it may have ended already
	select {
	case <-p.done:
	case <-time.After(stopTimeout):
		_ = p.cmd.Process.Kill()
		<-p.done
	}
}
