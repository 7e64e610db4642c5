package growon

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// NewFeed makes a secret address of a calendar, the asker's or the house's, and ends
// the one before. It gives the secret, which is kept nowhere.
func (s *Stage) NewFeed(ctx context.Context, a nursery.Actor, house bool) (string, error) {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return "", err
	}
	person := &a.ID
	if house {
		if err := a.Must(nursery.Propagator); err != nil {
			return "", err
		}
		person = nil
	}
	raw := make([]byte, 24)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	secret := base64.RawURLEncoding.EncodeToString(raw)
	hash := sha256.Sum256([]byte(secret))
	err := s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.RenewFeed(ctx, person, hash[:], s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "calendar", a.Name, "address renewed", nil, map[bool]string{true: "house", false: "own"}[house])
	})
	return secret, err
}

// FeedPage is what a calendar holds.
type FeedPage struct {
	House   string
	Person  string // "" for the house's
	At      time.Time
	Entries []outlook.Entry
	Seq     map[string]int // by UID: how often an entry has moved
}

// Feed gathers the calendar of a secret address. ErrNotFound: there is none, or it was
// renewed.
func (s *Stage) Feed(ctx context.Context, secret string) (FeedPage, error) {
	hash := sha256.Sum256([]byte(secret))
	feed, err := s.DB.Q().FeedByHash(ctx, hash[:])
	if err != nil {
		return FeedPage{}, err
	}
	f, err := s.Facts(ctx, snapshot.Growing, snapshot.Places, snapshot.Tags)
	if err != nil {
		return FeedPage{}, err
	}
	n := outlook.NursingOf(f)
	p := FeedPage{House: f.House.Name, At: f.At}
	worker := int64(0)
	if feed.PersonID != nil {
		p.Person, worker = *feed.Person, *feed.PersonID
	}
	p.Entries = outlook.EntriesOf(n, n.All(), worker)
	uids, from, to := make([]string, len(p.Entries)), make([]time.Time, len(p.Entries)), make([]time.Time, len(p.Entries))
	for i, e := range p.Entries {
		uids[i], from[i], to[i] = e.UID, e.From, e.To
	}
	p.Seq, err = s.DB.Q().FeedSequences(ctx, uids, from, to)
	return p, err
}
