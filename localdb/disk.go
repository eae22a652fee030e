package localdb

import (
	"errors"
	"fmt"
	"path/filepath"
	"syscall"
)

// ErrFull is returned if the disk has too little room for the database: it would fail at the first change, or hang.
var ErrFull = errors.New("the disk is full")

// Free bytes below which a server is not started, and those below which its files are not made.
const (
	leastFree    = 48 << 20
	leastInstall = 160 << 20 // what a new database takes up, with its log
)

// room returns ErrFull with what to do if there is too little room at dir.
func room(dir string, made bool) error {
	var fs syscall.Statfs_t
	if err := syscall.Statfs(dir, &fs); err != nil {
		return nil // what cannot be measured is tried
	}
	return enough(dir, int64(fs.Bavail)*fs.Bsize, made)
}

func enough(dir string, free int64, made bool) error {
	need := int64(leastFree)
	if !made {
		need = leastInstall
	}
	if free >= need {
		return nil
	}
	return fmt.Errorf("%w: %d MiB are free at %s, and Stepping needs %d: make room and start it again; nothing that was kept is lost",
		ErrFull, free>>20, filepath.Clean(dir), need>>20)
}
