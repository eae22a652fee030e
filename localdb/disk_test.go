package localdb

import (
	"errors"
	"strings"
	"testing"
)

// TestRoom: a start on a full disk is refused at once with what to do; the less is needed if the database is there.
func TestRoom(t *testing.T) {
	for _, tt := range []struct {
		free int64
		made bool
		ok   bool
	}{{0, true, false}, {leastFree - 1, true, false}, {leastFree, true, true}, {leastFree, false, false}, {leastInstall, false, true}, {1 << 50, true, true}} {
		err := enough("/var/x/", tt.free, tt.made)
		if (err == nil) != tt.ok || err != nil && (!errors.Is(err, ErrFull) || !strings.Contains(err.Error(), "free at /var/x, ") || !strings.Contains(err.Error(), "make room")) {
			t.Errorf("%+v: %v", tt, err)
		}
	}
	if err := room("/proc", true); !errors.Is(err, ErrFull) { // a file system without any room
		t.Errorf("/proc has room: %v", err)
	}
}
