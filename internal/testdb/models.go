package testdb

import (
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/internal/asking"
	"goldshelf/internal/connections"
	"goldshelf/internal/models"
	"goldshelf/internal/work"
)

// Models is a world with a connection to the simulated models, which answer at once.
type Models struct {
	*World
	StandIn *models.StandIn
	Address string // of the stand-in
	Asker   *models.Asker
	Asking  *asking.Asking
	Connect *connections.Service
}

// Models makes one. Change has its connection be another than the usual.
func (s *Server) Models(t testing.TB, change func(*endpoint.Spec)) *Models {
	t.Helper()
	m := &Models{World: s.World(t, nil), StandIn: &models.StandIn{}}
	server := httptest.NewServer(m.StandIn)
	t.Cleanup(server.Close)
	m.Address = server.URL
	m.Asker = models.NewAsker(strings.TrimPrefix(server.URL, "http://"))
	m.Asking = m.AskingOf(m.DB)
	m.Connect = connections.New(m.DB, m.Asking)
	c := endpoint.Spec{Address: server.URL, Models: []string{"heron-2"}, AtOnce: 100}
	if change != nil {
		change(&c)
	}
	if _, err := m.Connect.Add(t.Context(), m.By("curator"), api.NewConnection{Title: "Simulated models", Spec: c}); err != nil {
		t.Fatal(err)
	}
	return m
}

// AskingOf is the asking of a service on the world's library, the first or another one.
func (m *Models) AskingOf(db *work.DB) *asking.Asking {
	return asking.New(db, m.Asker, asking.Secrets{})
}

// Fault has the stand-in fail in a way of its own.
func Fault(f string) func(*endpoint.Spec) {
	return func(c *endpoint.Spec) {
		own := endpoint.Own()
		own.Request.Headers = map[string]string{"X-Fault": f}
		c.Mapping = &own
	}
}

// AskDue asks for everything that is due, side by side, and gives how much that was.
func AskDue(t testing.TB, a *asking.Asking) int {
	t.Helper()
	due, err := a.ClaimDue(t.Context(), 100)
	if err != nil {
		t.Fatal(err)
	}
	var all sync.WaitGroup
	for _, d := range due {
		all.Go(func() {
			if err := a.Ask(t.Context(), d); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	return len(due)
}
