package access

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"sync"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// PersonData writes all that the house holds of somebody as JSON, without secrets: their
// own for anybody, anybody's for a propagator. That it was taken away is in the record.
func (s *Stage) PersonData(ctx context.Context, a nursery.Actor, id int64, w io.Writer) error {
	if id != a.ID {
		if err := a.Must(nursery.Propagator); err != nil {
			return err
		}
	}
	q := s.DB.Q()
	p, err := q.Person(ctx, id)
	if err != nil {
		return err
	}
	if err := s.Changed(ctx, q, a, "person", p.Name, words.DataTaken, nil, nil); err != nil {
		return err
	}
	return s.DB.Look(ctx, func(q store.Q) error {
		b := bufio.NewWriter(w)
		put := func(x any) error {
			j, err := json.Marshal(x)
			if err == nil {
				_, err = b.Write(j)
			}
			return err
		}
		b.WriteString(`{"name":`)
		if err := put(p.Name); err != nil {
			return err
		}
		b.WriteString(`,"made_at":`)
		if err := put(s.Now()); err != nil {
			return err
		}
		b.WriteString(`,"held":{`)
		last := ""
		err := q.PersonData(ctx, id, func(of string, row json.RawMessage) error {
			if of == last {
				b.WriteByte(',')
			} else {
				if last != "" {
					b.WriteString("],")
				}
				last = of
				if err := put(of); err != nil {
					return err
				}
				b.WriteString(":[")
			}
			b.WriteByte('\n')
			_, err := b.Write(row)
			return err
		})
		if err != nil {
			return err
		}
		if last != "" {
			b.WriteByte(']')
		}
		b.WriteString("}}\n")
		return b.Flush()
	})
}

// Erase puts a number in the place of the name of somebody who has left. What they did
// stays, by that number. name is typed to make sure.
func (s *Stage) Erase(ctx context.Context, a nursery.Actor, id int64, name string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	defer s.known.forget(id)
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		switch {
		case err != nil:
			return err
		case p.LeftOn == nil:
			return nursery.Problem{Field: "erase", Says: words.EraseWhoLeft}
		case name != p.Name:
			return nursery.Problem{Field: "erase", Says: words.TypeTheName(p.Name)}
		}
		if _, err := q.ErasePerson(ctx, id, s.Now()); err != nil {
			return err
		}
		p, err = q.Person(ctx, id)
		if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, words.Erased, nil, nil)
	})
}

// IsErased says that of somebody only the number is left.
func IsErased(p store.Person) bool { return p.SignIn == fmt.Sprintf("erased-%d", p.ID) }

// refusals notes who was refused what, so that one who presses again and again is noted
// once in a while only.
type refusals struct {
	mu sync.Mutex
	at map[string]time.Time
}

const (
	refusedAgain = 10 * time.Minute
	mostRefusals = 1000
)

// fresh says whether a refusal is to be written down.
func (r *refusals) fresh(key string, now time.Time) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if was, ok := r.at[key]; ok && now.Sub(was) < refusedAgain {
		return false
	}
	if r.at == nil || len(r.at) >= mostRefusals {
		r.at = map[string]time.Time{}
	}
	r.at[key] = now
	return true
}

// Refused writes down that somebody asked for what is not theirs; the same again within
// ten minutes is not written again.
func (s *Stage) Refused(ctx context.Context, a nursery.Actor, method, path string) error {
	if a.ID == 0 || !s.refused.fresh(fmt.Sprint(a.ID, method, path), time.Now()) {
		return nil
	}
	if r := []rune(path); len(r) > 200 {
		path = string(r[:200])
	}
	return s.Changed(ctx, s.DB.Q(), a, "page", path, words.WasRefused, nil, method)
}
