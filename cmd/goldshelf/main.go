// Command goldshelf is the client: it does everything through the service's API.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"goldshelf/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	status := cli.Run(ctx, os.Args, os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(status)
}
