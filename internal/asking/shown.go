package asking

import (
	"goldshelf/api"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/internal/store"
)

// Shown is a reply as those see it who may.
func Shown(p store.Reply) api.TalkReply {
	out := api.TalkReply{
		ID: p.ID, Talk: p.Talk, Turn: p.Turn, Place: p.Place, Title: p.Title, Model: p.Model,
		Messages: append([]endpoint.ModelMessage{}, p.Sent.V.Messages...), Settings: p.Sent.V.Settings, Used: append([]fill.Ref{}, p.Used.V...),
		State: p.State, Attempts: p.Attempts, Text: p.Text, Reason: p.Reason, Problem: p.Problem.Text,
		Tokens: endpoint.Tokens{In: p.TokensIn, Out: p.TokensOut}, Cost: p.Cost, FirstMS: p.FirstMS, WholeMS: p.WholeMS,
		AskedAt: p.AskedAt.UTC(),
	}
	if p.EndedAt != nil {
		at := p.EndedAt.UTC()
		out.EndedAt = &at
	}
	return out
}
