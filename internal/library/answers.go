package library

import (
	"context"
	"time"

	"goldshelf/internal/store"
)

const (
	answersLast = 24 * time.Hour
	claimsLast  = time.Minute
)

// BeginAnswer claims a key for a request that must not be carried out twice,
// and gives nil; or it gives the answer, or the claim, that is there already.
func (l *Library) BeginAnswer(ctx context.Context, key string, request []byte) (*store.Answer, error) {
	now := l.now()
	return l.db.BeginAnswer(ctx, key, request, now, now.Add(-answersLast), now.Add(-claimsLast))
}

// EndAnswer keeps an answer under its key, or lets go of the key where a is nil.
func (l *Library) EndAnswer(ctx context.Context, key string, a *store.Answer) error {
	if a == nil {
		return l.db.DropAnswer(ctx, key)
	}
	return l.db.KeepAnswer(ctx, key, *a)
}

// Ready says whether the database answers.
func (l *Library) Ready(ctx context.Context) error { return l.db.Ping(ctx) }
