// Package storetest gives tests a real MariaDB: one private server for a test binary, a
// fresh database for each test. Without mariadbd the tests fail; they are never skipped.
package storetest

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"sync/atomic"

	"github.com/google/uuid"

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

// Player adds a player with nothing of their own to the database at dsn, which must have its tables.
func Player(ctx context.Context, dsn string) (uuid.UUID, error) {
	id := uuid.Must(uuid.NewV7())
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return id, err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, "INSERT INTO players (id, name, created_at) VALUES (?, 'Somebody', UTC_TIMESTAMP(6))", id.String())
	return id, err
}
