package cli

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/urfave/cli/v3"

	"goldshelf/client"
	"goldshelf/internal/mcp"
)

// lookEvery is how often the shelf is looked at for what has changed.
const lookEvery = 10 * time.Second

func (a *app) mcp() *cli.Command {
	return &cli.Command{
		Name: "mcp", Usage: "let an assistant on this machine find and fill entries, as you", ArgsUsage: " ",
		Description: "Speaks the Model Context Protocol on standard input and output: an assistant starts it. It acts as whoever is signed in (goldshelf login, or GOLDSHELF_TOKEN), and never submits, approves or publishes. An assistant that speaks HTTP needs no command: the service answers it at /mcp.",
		Action: func(ctx context.Context, cmd *cli.Command) error {
			if cmd.Args().Present() {
				return wrongUse("mcp takes no arguments")
			}
			if isTerminal(a.in) {
				return wrongUse("mcp is started by an assistant, and talks to it on standard input and output; put goldshelf mcp into the assistant's settings")
			}
			c, err := a.signedIn()
			if err != nil {
				return err
			}
			c.Agent = mcp.Agent
			if _, err := c.Session(ctx); err != nil {
				return err
			}
			server := mcp.New(func(http.Header) *client.Client { return c })
			ctx, stop := context.WithCancel(ctx)
			told := make(chan struct{})
			go func() {
				defer close(told)
				tellChanges(ctx, c, server)
			}()
			err = server.ServeStdio(ctx)
			stop()
			<-told
			return err
		},
	}
}

// tellChanges tells an assistant when other entries are on the shelf.
func tellChanges(ctx context.Context, c *client.Client, server *mcp.Server) {
	every := time.NewTicker(lookEvery)
	defer every.Stop()
	last := ""
	for {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		newest, err := c.Shelf(ctx, client.Query{Newest: true, Limit: 1})
		if err != nil {
			continue // the assistant hears of it when it asks for something
		}
		now := fmt.Sprint(newest.Total)
		for _, it := range newest.Items {
			now += fmt.Sprintf(" %s@%d", it.Slug, it.Version)
		}
		if last != "" && now != last {
			server.ShelfChanged()
		}
		last = now
	}
}
