package demo

import (
	"net/http"
	"time"

	"goldshelf/internal/signon"
)

// SignOn gives a simulated provider at an address, and the service's side of it. It knows
// colleagues who have no password here.
func SignOn(at string) (*signon.Provider, http.Handler, error) {
	const client = "goldshelf"
	standIn, err := signon.NewStandIn(at, client, []signon.Account{
		{Subject: "larkfen-101", Name: "wen.orrin", FullName: "Wen Orrin", Groups: []string{"water-quality"}},
		{Subject: "larkfen-102", Name: "hollis.brandt", FullName: "Hollis Brandt", Groups: []string{"prompt-writers", "field-crews"}},
		{Subject: "larkfen-103", Name: "sela.marsh", FullName: "Sela Marsh"},
	}, time.Now)
	if err != nil {
		return nil, nil, err
	}
	company := signon.New(signon.Config{Issuer: at, ClientID: client, Name: "Larkfen sign-on", GroupsClaim: "groups"}, time.Now)
	return company, standIn, nil
}
