package main

import (
	"context"
	"io"
)

func serveCommand(ctx context.Context, args []string, out io.Writer) error { return nil }
func demoCommand(ctx context.Context, args []string, out io.Writer) error  { return nil }
