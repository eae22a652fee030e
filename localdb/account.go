package localdb

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	osuser "os/user"
	"path/filepath"
	"strconv"
	"syscall"
)

// account is the user of this system as whom the server runs: nil for our own.
type account struct {
	name     string
	uid, gid int
}

// unprivileged is the user that Debian's package makes for the server.
const unprivileged = "mysql"

// serverUser is our own user, or the unprivileged one if we are root.
func serverUser() (*account, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := osuser.Lookup(unprivileged)
	if err != nil {
		return nil, fmt.Errorf("the database server must not run as root, and there is no user %s for it: install mariadb-server from Debian's packages, or run Stepping as another user", unprivileged)
	}
	a := &account{name: unprivileged}
	if a.uid, err = strconv.Atoi(u.Uid); err != nil {
		return nil, err
	}
	a.gid, err = strconv.Atoi(u.Gid)
	return a, err
}

func (a *account) credential() *syscall.Credential {
	if a == nil {
		return nil
	}
	return &syscall.Credential{Uid: uint32(a.uid), Gid: uint32(a.gid)}
}

// UnreachableError is a directory that the server's user cannot enter, and the one above it that is closed to them.
type UnreachableError struct{ Dir, Closed, User string }

func (e *UnreachableError) Error() string {
	return fmt.Sprintf("the database server runs as user %s, who cannot enter %s: %s is closed to others. Let others pass through it (chmod o+x), or set STEPPING_DATA to a directory elsewhere, like /var/lib/stepping/db", e.User, e.Dir, e.Closed)
}

// closedAbove is the directory nearest to the root above dir that others cannot pass through.
func closedAbove(dir string) (closed string) {
	for up := filepath.Dir(dir); ; up = filepath.Dir(up) {
		if info, err := os.Stat(up); err == nil && info.Mode().Perm()&0o001 == 0 {
			closed = up
		}
		if up == filepath.Dir(up) {
			return closed
		}
	}
}

// open makes dir ours, closed to all others but for the server's user, who may pass through it and write nothing there:
// the log and the passwords lie in it.
func (a *account) open(dir string) error {
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return fmt.Errorf("database directory: %w", err)
	}
	if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("database directory: %w", err)
	}
	if err := checkOwner(dir, nil); err != nil {
		return err
	}
	if a == nil {
		return os.Chmod(dir, 0o700)
	}
	if err := errors.Join(os.Chown(dir, os.Geteuid(), a.gid), os.Chmod(dir, 0o710)); err != nil {
		return err
	}
	return a.enter(dir)
}

// enter checks that the server's user can enter dir.
func (a *account) enter(dir string) error {
	try := exec.Command("/bin/true")
	try.Dir, try.SysProcAttr = dir, &syscall.SysProcAttr{Credential: a.credential()}
	if err := try.Run(); errors.Is(err, fs.ErrPermission) {
		return &UnreachableError{dir, closedAbove(dir), a.name}
	} else if err != nil {
		return err
	}
	return nil
}

// own makes dir, if it is not there, the server's user's with all that lies in it, closed to others.
func (a *account) own(dir string) error {
	if err := os.Mkdir(dir, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	if err := errors.Join(checkOwner(dir, a), os.Chmod(dir, 0o700)); err != nil || a == nil {
		return err
	}
	return filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if info, err := d.Info(); err != nil || ownerOf(info) == a.uid {
			return err
		}
		return os.Lchown(path, a.uid, a.gid)
	})
}

func ownerOf(info fs.FileInfo) int {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		return int(st.Uid)
	}
	return -1
}

// checkOwner refuses a directory that somebody else owns: they could look in or replace what we put there.
func checkOwner(dir string, a *account) error {
	info, err := os.Lstat(dir)
	if err != nil {
		return err
	}
	if !info.IsDir() {
		return fmt.Errorf("%s is no directory", dir)
	}
	if owner := ownerOf(info); owner != os.Geteuid() && (a == nil || owner != a.uid) {
		return fmt.Errorf("%s belongs to another user: choose a directory of your own with STEPPING_DATA", dir)
	}
	return nil
}
