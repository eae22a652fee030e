// Package storetest gives tests a real MariaDB: one private server for a test binary, a
// fresh database for each test. Without mariadbd the tests fail; they are never skipped.
package storetest

import (
	"context"
	"fmt"
	"os"
	"sync/atomic"

	"stepping/localdb"
)

var (
	server *localdb.Server
	count  atomic.Int64
)

// Main starts the server, runs the tests and stops it; call it from TestMain with m.Run.
func Main(run func() int) int {
	dir, err := os.MkdirTemp("", "stepping-db")
	if err == nil {
		defer os.RemoveAll(dir)
		server, err = localdb.Start(context.Background(), dir)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "tests need MariaDB:", err)
		return 1
	}
	defer server.Stop()
	return run()
}

// DSN makes an empty database and returns its address.
func DSN() (string, error) {
	return server.NewDatabase(context.Background(), fmt.Sprintf("stepping_%d", count.Add(1)))
}
